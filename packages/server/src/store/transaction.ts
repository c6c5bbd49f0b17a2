/** Several commands that count together or not at all: tried again as a whole where others were in the way. */
import type { FindOrCreateOptions, Model, ModelStatic, Sequelize, Transaction } from 'sequelize'
import { triedAgain } from './tried-again.ts'

/** @param work may be done several times over: what it changes besides the database, it changes once */
export const transact = <T>(
  database: Sequelize,
  work: (transaction: Transaction) => Promise<T>,
): Promise<T> => triedAgain(() => database.transaction(work))

/** Sequelize makes a transaction of it. */
export const foundOrMade = <M extends Model>(
  model: ModelStatic<M>,
  options: FindOrCreateOptions<M['_attributes'], M['_creationAttributes']>,
): Promise<[M, boolean]> => triedAgain(() => model.findOrCreate(options))

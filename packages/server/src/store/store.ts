/** One database with its tables: handed in wherever rows are read or written, so that a process may have several. */
import type { Model, ModelStatic, Sequelize } from 'sequelize'
import type { CreationOf, RowOf } from './columns.ts'
import { RecentlyUsed } from './recently-used.ts'
import { TABLES } from './tables.ts'
import type { TakeTables } from './take-tables.ts'

type Tables = typeof TABLES
type TableName = keyof Tables

/** A row with what Sequelize adds to it. */
export type Row<K extends TableName> = Model<RowOf<Tables[K]>, CreationOf<Tables[K]>> & RowOf<Tables[K]>
export type TakeRow = Row<'takes'>
/** What a take's row holds, without what Sequelize adds: it can be handed to a thread. */
export type TakeFields = RowOf<Tables['takes']>
export type ChunkRow = Row<'chunks'>

type Models = { readonly [K in TableName]: ModelStatic<Row<K>> }

export interface Store extends Models {
  readonly database: Sequelize
  /** Declarations and paths of ended takes that were asked for lately, by take. */
  readonly tables: RecentlyUsed<Promise<TakeTables>>
  /** Tells of every take that is closed. */
  readonly closedTakes: Listeners<string>
}

/** Tables of 16,384 markers and 65,536 paths take about 30 MB. */
const MOST_TABLES = 12

/** Who wants to hear of something. */
class Listeners<T> {
  readonly #listeners = new Set<(news: T) => void>()

  /** @returns what ends the telling */
  add(listener: (news: T) => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  tell(news: T): void {
    for (const listener of this.#listeners) listener(news)
  }
}

export function storeOf(database: Sequelize): Store {
  const models = Object.entries(TABLES).map(([name, columns]) => [
    name,
    database.define(
      name,
      Object.fromEntries(Object.entries(columns).map(([column, { attribute }]) => [column, attribute()])),
      { tableName: tableName(name) },
    ),
  ])
  return {
    ...(Object.fromEntries(models) as Models),
    database,
    tables: new RecentlyUsed(MOST_TABLES),
    closedTakes: new Listeners(),
  }
}

/** As the database has it: `findingMarks` is `finding_marks`. */
export const tableName = (name: string): string =>
  name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)

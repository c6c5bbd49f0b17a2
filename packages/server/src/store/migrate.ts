import type { Sequelize } from 'sequelize'
import { SequelizeStorage, Umzug } from 'umzug'
import { UnusableDatabase } from './connection.ts'
import * as takes from './migrations/001-takes.ts'
import * as details from './migrations/002-details.ts'
import * as diagnoses from './migrations/003-diagnoses.ts'
import * as plans from './migrations/004-plans.ts'
import * as trust from './migrations/005-trust.ts'
import * as planLists from './migrations/006-plan-lists.ts'
import * as trials from './migrations/007-trials.ts'
import * as history from './migrations/008-history.ts'
import * as traces from './migrations/009-traces.ts'
import * as recordings from './migrations/010-recordings.ts'
import * as places from './migrations/011-places.ts'
import * as pictures from './migrations/012-pictures.ts'
import * as signIn from './migrations/013-sign-in.ts'
import * as proof from './migrations/014-proof.ts'

/** Every migration, in order. Each is listed here, so that a bundle holds them all. */
const MIGRATIONS = [
  takes,
  details,
  diagnoses,
  plans,
  trust,
  planLists,
  trials,
  history,
  traces,
  recordings,
  places,
  pictures,
  signIn,
  proof,
]

/**
 * Brings the database up to date.
 * @returns names of the migrations that were run
 * @throws UnusableDatabase where its tables are of a later version: what that has stored would be misread
 */
export async function migrate(sequelize: Sequelize): Promise<string[]> {
  const storage = new SequelizeStorage({ sequelize, tableName: 'migrations' })
  const umzug = new Umzug({
    migrations: MIGRATIONS,
    context: sequelize.getQueryInterface(),
    storage,
    logger: undefined,
  })
  const known = new Set<string>(MIGRATIONS.map(({ name }) => name))
  const later = (await storage.executed()).filter((name) => !known.has(name))
  if (later.length > 0) {
    throw new UnusableDatabase(
      `the tables are those of a later Lapsus (${later.join(', ')}): start that one, or restore a back-up from before it`,
    )
  }
  return (await umzug.up()).map(({ name }) => name)
}

/** What a failure of the database means, by the codes that MariaDB and its driver give. */

export type FailureKind =
  /** Nobody answers, or not any more. */
  | 'away'
  /** There is no room to write. */
  | 'full'
  /** Two transactions were in each other's way: the same again will do. */
  | 'conflict'
  /** This command itself cannot be done. */
  | 'command'

const CONNECTION_NAMES = /^Sequelize(Connection|HostNot|InvalidConnection|AccessDenied)/
const CONNECTION_CODES =
  /^(ECONN|EPIPE|ETIMEDOUT|ESOCKET|ER_(SOCKET|CONNECTION|CMD_CONNECTION|SERVER_SHUTDOWN|CMD_NOT_ACCEPTED))/
/**
 * 1047 a node of a cluster without the others, 1053 shutdown, 1927 connection was killed, 2006 gone away, 2013 lost;
 * 45009 and others are the driver's own.
 */
const CONNECTION_NUMBERS = new Set([
  1040, 1047, 1053, 1927, 2002, 2003, 2006, 2013, 45009, 45012, 45013, 45028,
])
/** 1114 table full, 1021 disk full, 3 and 20 and 1026 cannot write; the system's own number for it is 28. */
const FULL_NUMBERS = new Set([3, 20, 1021, 1026, 1114])
const NO_SPACE = /errcode: 28\b|error 28\b|errno: 28\b|No space left/i
/** 1205 waited too long for a lock, 1213 deadlock, 1020 changed meanwhile. */
const CONFLICT_NUMBERS = new Set([1020, 1205, 1213])

export function failureKind(error: unknown): FailureKind | null {
  for (let at = error, depth = 0; at instanceof Error && depth < 5; depth++) {
    const { name, message, cause } = at
    const { code, errno, original } = at as { code?: unknown; errno?: unknown; original?: unknown }
    if (FULL_NUMBERS.has(Number(errno)) || NO_SPACE.test(message)) return 'full'
    if (CONFLICT_NUMBERS.has(Number(errno))) return 'conflict'
    if (CONNECTION_NUMBERS.has(Number(errno)) || CONNECTION_CODES.test(String(code))) return 'away'
    if (CONNECTION_NAMES.test(name)) return 'away'
    if (typeof errno === 'number') return 'command'
    at = original ?? cause
  }
  return error instanceof Error && error.name.startsWith('Sequelize') ? 'command' : null
}

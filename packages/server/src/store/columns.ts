/** Sorts of columns: what the database keeps and what the program sees of it, said once. */
import { DataTypes, type ModelAttributeColumnOptions } from 'sequelize'

/** `T` is what a row holds; a column that need not be given when a row is made is marked by `Given`. */
export interface Column<T = unknown, Given extends 'given' | 'optional' = 'given' | 'optional'> {
  /** A function, since Sequelize writes into the description it is given. */
  attribute(): ModelAttributeColumnOptions
  /** Types only; never there. */
  readonly value?: T
  readonly given?: Given
}

type Columns = Readonly<Record<string, Column>>

type ValueOf<C> = C extends Column<infer T> ? T : never
type OptionalNames<C extends Columns> = {
  [K in keyof C]: C[K] extends Column<unknown, 'optional'> ? K : never
}[keyof C]

/** A row as it is read. */
export type RowOf<C extends Columns> = { -readonly [K in keyof C]: ValueOf<C[K]> }
/** What makes a row. */
export type CreationOf<C extends Columns> = Omit<RowOf<C>, OptionalNames<C>> & Partial<RowOf<C>>

const { BIGINT, BLOB, BOOLEAN, DATE, DOUBLE, INTEGER, SMALLINT, STRING, TEXT } = DataTypes

const needed = <T>(type: ModelAttributeColumnOptions['type']): Column<T, 'given'> => ({
  attribute: () => ({ type, allowNull: false }),
})
const key = <T>(type: ModelAttributeColumnOptions['type']): Column<T, 'given'> => ({
  attribute: () => ({ type, allowNull: false, primaryKey: true }),
})
/** May be null, and is where nothing is given. */
const open = <T>(type: ModelAttributeColumnOptions['type']): Column<T | null, 'optional'> => ({
  attribute: () => ({ type, allowNull: true }),
})

export const text = (most: number) => needed<string>(STRING(most))
export const textOrNone = (most: number) => open<string>(STRING(most))
export const textKey = (most: number) => key<string>(STRING(most))
export const longText = () => needed<string>(TEXT)
export const longTextOrNone = () => open<string>(TEXT)
/** Up to 16 MB. */
export const mediumText = () => needed<string>(TEXT('medium'))
export const integer = () => needed<number>(INTEGER)
export const integerOrNone = () => open<number>(INTEGER)
export const integerKey = () => key<number>(INTEGER)
export const small = () => needed<number>(SMALLINT)
export const smallKey = () => key<number>(SMALLINT)
export const double = () => needed<number>(DOUBLE)
/** A whole number of 64 bits: a text in results, to be made a number where it is used. */
export const big = () => needed<number>(BIGINT)
export const bigOrNone = () => open<number>(BIGINT)
export const bigKey = () => key<number>(BIGINT)
/** A count or a sum: 0 at first. */
export const sum = (): Column<number, 'optional'> => ({
  attribute: () => ({ type: BIGINT, allowNull: false, defaultValue: 0 }),
})
/** From 0 on. */
export const counted = (): Column<number, 'optional'> => ({
  attribute: () => ({ type: INTEGER, allowNull: false, defaultValue: 0 }),
})
/** Given by the database. */
export const numbered = (): Column<number, 'optional'> => ({
  attribute: () => ({ type: INTEGER, allowNull: false, primaryKey: true, autoIncrement: true }),
})
export const truth = () => needed<boolean>(BOOLEAN)
/** To the ms. */
export const time = () => needed<Date>(DATE(3))
export const timeOrNone = () => open<Date>(DATE(3))
/** Up to 16 MB. */
export const bytes = () => needed<Buffer>(BLOB('medium'))
export const bytesOrNone = () => open<Buffer>(BLOB('medium'))

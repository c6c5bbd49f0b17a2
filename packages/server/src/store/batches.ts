import type { BulkCreateOptions, Model, ModelStatic, Transaction } from 'sequelize'

/** UTF-16 units of the texts in one command: escaped and in UTF-8 at most eight times as many bytes. */
const MOST_TEXT = 1_000_000
const MOST_ROWS = 5_000

/** Creates rows in commands that each keep well below the packet limit. */
export async function createInBatches<M extends Model>(
  model: ModelStatic<M>,
  rows: M['_creationAttributes'][],
  options: BulkCreateOptions<M['_attributes']> & { transaction: Transaction },
): Promise<void> {
  let batch: typeof rows = []
  let text = 0
  for (const row of rows) {
    const own = textOf(row)
    if (batch.length > 0 && (batch.length >= MOST_ROWS || text + own > MOST_TEXT)) {
      await model.bulkCreate(batch, options)
      batch = []
      text = 0
    }
    batch.push(row)
    text += own
  }
  if (batch.length > 0) await model.bulkCreate(batch, options)
}

const textOf = (row: object): number =>
  Object.values(row).reduce((sum: number, value) => sum + (typeof value === 'string' ? value.length : 20), 0)

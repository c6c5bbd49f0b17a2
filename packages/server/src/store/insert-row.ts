import { QueryTypes, type Model, type ModelStatic, type Transaction } from 'sequelize'

/**
 * Creates a row of which everything is given. For what is stored all the time: an instance of the model, which nobody
 * wants, costs more of the processor than the command.
 */
export async function insertRow<M extends Model>(
  model: ModelStatic<M>,
  row: M['_creationAttributes'] & object,
  transaction: Transaction,
): Promise<void> {
  const attributes = model.getAttributes() as Record<string, { field?: string }>
  const fields = Object.keys(row).map((name) => attributes[name]!.field!)
  const places = fields.map((_, i) => `$${i + 1}`)
  await model.sequelize!.query(
    `INSERT INTO ${String(model.getTableName())} (${fields.join(', ')}) VALUES (${places.join(', ')})`,
    { type: QueryTypes.INSERT, bind: Object.values(row) as unknown[], transaction },
  )
}

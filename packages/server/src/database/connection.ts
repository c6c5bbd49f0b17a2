import mariadb from 'mariadb'
import { Sequelize } from 'sequelize'
import { defineModels } from './models.ts'

/** @param url mariadb:// or mysql:// address */
export async function connect(url: string): Promise<Sequelize> {
  const sequelize = new Sequelize(url.replace(/^mysql:/, 'mariadb:'), {
    dialect: 'mariadb',
    dialectModule: mariadb,
    logging: false,
    pool: { max: 8, min: 0, idle: 10_000 },
    timezone: '+00:00',
    define: { timestamps: false, underscored: true },
  })
  await sequelize.authenticate()
  defineModels(sequelize)
  return sequelize
}

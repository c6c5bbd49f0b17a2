export { configFromEnvironment, type ServerConfig } from './config.ts'
export { startServer, type RunningServer } from './server.ts'

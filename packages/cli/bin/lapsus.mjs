#!/usr/bin/env node
import { existsSync } from 'node:fs'

const program = new URL('../dist/main.mjs', import.meta.url)
if (!existsSync(program)) {
  process.stderr.write('lapsus is not built yet: run "npm start" or "npm run build" in its folder first\n')
  process.exit(2)
}
await import(program.href)

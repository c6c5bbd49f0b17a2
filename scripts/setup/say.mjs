/** Plain progress lines for the set-up scripts. */

const startedAt = performance.now()

/** Prints one step, with the seconds since the script started. */
export function say(message) {
  const seconds = ((performance.now() - startedAt) / 1000).toFixed(1).padStart(6)
  process.stdout.write(`${seconds} s  ${message}\n`)
}

/** An obstacle the person at the keyboard can remove; its message is all they need to read. */
export class SetupError extends Error {}

/** Runs an async main function; a SetupError ends the process with its message and exit code 1. */
export async function runMain(main) {
  try {
    await main()
  } catch (error) {
    if (!(error instanceof SetupError)) throw error
    process.stderr.write(`\n${error.message}\n`)
    process.exit(1)
  }
}

/** Ends the program with exit code 2 and one line on stderr. */
export class CliError extends Error {}

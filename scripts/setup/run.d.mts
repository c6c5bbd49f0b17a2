export function run(command: string, args: string[], options?: { mostMs?: number }): Promise<number>

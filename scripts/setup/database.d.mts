export interface Database {
  /** What DATABASE_URL would say. */
  url: string
  pid: number
  /** Resolves to the exit code whenever it ends. */
  exited: Promise<number>
  stop(): Promise<void>
}

export function startDatabase(folder: string): Promise<Database>

/** A port that the system says is free. */
export function freePort(): Promise<number>

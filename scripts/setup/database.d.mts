export interface Database {
  /** What DATABASE_URL would say. */
  url: string
  pid: number
  /** Resolves to the exit code whenever it ends. */
  exited: Promise<number>
  stop(): Promise<void>
}

export function startDatabase(folder: string): Promise<Database>

/** A port that is free, and that only those take who ask for it by number. */
export function freePort(): Promise<number>

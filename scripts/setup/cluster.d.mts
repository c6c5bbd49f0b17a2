export interface ClusterNode {
  port: number
  pid: number
  signal(name: NodeJS.Signals): void
  /** Resolves when it has all that the others have. */
  restart(): Promise<void>
}

export interface Cluster {
  /** What DATABASE_URL would say: all nodes. */
  url: string
  nodes: ClusterNode[]
  stop(): Promise<void>
}

export function startCluster(): Promise<Cluster>

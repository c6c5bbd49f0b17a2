export const serverMemory: Record<string, string>

/**
 * Settings of the C library's allocator for the server (glibc, mallopt(3); others pass them over). Left alone it keeps
 * what large columns have given back, for each thread apart: a third of the server's memory after a long take. What
 * somebody has set counts.
 */
export const serverMemory = {
  // Bytes from which a piece is the system's own, and goes back to it when it is free.
  MALLOC_MMAP_THRESHOLD_: '65536',
  // Bytes free at the end from which the rest does.
  MALLOC_TRIM_THRESHOLD_: '131072',
}

/** A time for a command of our own: the driver would write a date in the zone of this machine. */
export const sqlTime = (time: Date): string => time.toISOString().slice(0, -1).replace('T', ' ')

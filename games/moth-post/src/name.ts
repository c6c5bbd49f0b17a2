/** The game's name, by which the probes of its threads find each other. */
export const GAME = 'Moth Post'
export const VERSION = '1.0.0'

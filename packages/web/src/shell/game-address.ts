/** Where a game as a whole is shown. */
export const GAME_VIEWS = ['history', 'devices', 'tried'] as const
export type GameView = (typeof GAME_VIEWS)[number]
export const GAME_VIEW_WORDS: Record<GameView, string> = {
  history: 'history',
  devices: 'devices',
  tried: 'what was tried',
}

export const gameAddress = (game: string, view: GameView = 'history'): string =>
  `/game?${new URLSearchParams({ name: game, view })}`

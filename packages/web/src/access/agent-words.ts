/** What a browser says of itself, in short: its last name, and what it runs on. */
export function agentWords(agent: string): string {
  const names = agent.replaceAll(/\([^)]*\)/g, '').match(/[\w.-]+\/\d+/g) ?? []
  const system = /\((?:X11; )?([^;)]*)/.exec(agent)?.[1]
  const name = names.findLast((one) => !/^(Safari|Mozilla)\//.test(one)) ?? names.at(-1)
  if (name === undefined) return agent.slice(0, 60) || 'A program'
  return system === undefined ? name.replace('/', ' ') : `${name.replace('/', ' ')} on ${system}`
}

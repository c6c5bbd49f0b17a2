/** Words and tables of docs/reliability.md. */
import { cpus, release } from 'node:os'
import { table } from './words.mjs'

const whole = (value) => value.toLocaleString('en')

const ENTRANCES = {
  stream: 'recording streams (WebSocket), one or two of four records changed',
  imports: 'imported files of four formats, plain and gzip',
  traces: 'OpenTelemetry requests, JSON and protobuf, plain and gzip',
  requests: 'HTTP requests over a bare connection',
  upgrades: 'WebSocket handshakes',
}

/** @param figures what the tests of test/faults report; `full` is missing where no disk could be mounted */
export function reliabilityPage(figures, seed) {
  const { kills, hung, full, resets, readBack } = figures
  const { kills: total, finishedTakes, finishedFrames, killedTakes, acknowledgedFrames, ...victims } = kills
  const inputs = Object.keys(ENTRANCES).reduce((sum, name) => sum + figures[name].inputs, 0)
  return `${[
    '# Reliability',
    '',
    `Made by \`npm run test:faults\` on ${new Date().toISOString().slice(0, 10)}, chance beginning at ${seed}: ${cpus().length} × ${cpus()[0].model.trim()}, Linux ${release()}, Node.js ${process.versions.node}. A short form of each part belongs to \`npm test\`.`,
    '',
    'A game with numbered frames records all the while. What is counted as lost: a frame that was acknowledged and cannot be read afterwards, or that is there twice or out of order; and any frame at all of a game that lives on. Nothing was lost.',
    '',
    '## Kills',
    '',
    `${whole(total)} times \`kill −9\`, at any time, also while something was being started again:`,
    '',
    ...table(
      ['victim', 'kills'],
      Object.entries(victims).map(([name, count]) => [name, whole(count)]),
    ),
    '',
    ...table(
      ['takes', 'frames', 'lost'],
      [
        [`${whole(finishedTakes)} of games that lived on`, `${whole(finishedFrames)} made`, '0'],
        [`${whole(killedTakes)} of games that were killed`, `${whole(acknowledgedFrames)} acknowledged`, '0'],
      ],
    ),
    '',
    '## Mutated input',
    '',
    `${whole(inputs)} inputs, each good input with bytes or values changed. Every one was answered, none with a failure of the server's own (5xx), none ended the server, and the health check was good after each kind. A recording stream that was accepted is one that the server acknowledged or went on waiting for.`,
    '',
    ...table(
      ['entrance', 'inputs', 'accepted', 'refused'],
      Object.entries(ENTRANCES).map(([name, words]) => [
        words,
        ...['inputs', 'accepted', 'refused'].map((field) => whole(figures[name][field])),
      ]),
    ),
    '',
    `Of the takes this left, ${whole(readBack.takes)} were read again in seven ways each (conditions, frames, a page, the ledger, the diagnosis, two exports): no failure.`,
    '',
    '## Connections, database, disk',
    '',
    ...table(
      ['what', 'times', 'frames made meanwhile', 'lost', 'noticed after at most'],
      [
        [
          `TCP reset, at ${resets.stages} stages of handshake, recording, import and answer`,
          whole(resets.resets),
          whole(resets.frames),
          '0',
          '',
        ],
        [
          'database hung (SIGSTOP)',
          whole(hung.times),
          whole(hung.frames),
          '0',
          `${hung.noticedMs} ms; health answered within ${hung.slowestMs} ms`,
        ],
        ...(full === undefined
          ? []
          : [
              [
                'disk full, every other time to the last byte',
                whole(full.times),
                whole(full.frames),
                '0',
                `${full.noticedMs} ms`,
              ],
            ]),
      ],
    ),
    '',
  ].join('\n')}`
}

const CLUSTER = '## On a cluster'

/** @param figures what test/cluster reports, ms */
export function clusterSection(figures) {
  const s = (ms) => `${(ms / 1000).toFixed(1)} s`
  return [
    CLUSTER,
    '',
    `Made by \`npm run test:cluster\` on ${new Date().toISOString().slice(0, 10)}: three MariaDB nodes with Galera, two servers and eight games of 60 frames a second with 500 spans each, all on the same ${cpus().length} × ${cpus()[0].model.trim()}. Every frame that the games made, ${whole(figures.frames)}, was there once afterwards.`,
    '',
    ...table(
      ['what happened', 'every game has a further second acknowledged after', 'the live view goes on after'],
      [
        ['nothing', s(figures.calmMs), ''],
        ['`kill −9` of the database node in use', s(figures.nodeMs), s(figures.liveMs)],
        ['`kill −9` of a server', s(figures.serverMs), s(figures.serverLiveMs)],
        ['the database node in use hangs for 20 s', s(figures.hungMs), ''],
        ['it comes back', s(figures.backMs), ''],
      ],
    ),
    '',
  ].join('\n')
}

/** The page with this section in place of the one it had. */
export function withClusterSection(page, section) {
  const at = page.indexOf(CLUSTER)
  return `${(at < 0 ? page : page.slice(0, at)).trimEnd()}\n\n${section}`
}

/** The section that a page has; '' for none. */
export const ownClusterSection = (page) => (page.includes(CLUSTER) ? page.slice(page.indexOf(CLUSTER)) : '')

/** For each language the lines that let a small game record itself to this Lapsus. */

export interface Language {
  name: string
  /** What is typed once, to get what is recorded with. */
  get: string
  /** The game's file, and what is in it. */
  file: string
  code: string
  /** What is typed to play. */
  run: string
  /** What else there is to know. */
  note?: string
}

/** What the games in Node and in a page have in common: from the markers on, up to when the loop ends. */
const JAVASCRIPT_GAME = `const UPDATE = probe.marker('update', { group: 'simulation' })
const THING = probe.marker('thing.update')
const things = Array.from({ length: 300 }, (_, i) => ({ awake: i % 3 === 0, x: i }))

function update(thing) {
  for (let i = 0; i < 2000; i++) thing.x = Math.sin(thing.x + i)
  return thing.awake // whether it has changed anything
}

const end = Date.now() + 5_000
probe.loop(() => {
  probe.run(UPDATE, () => {
    for (const thing of things) {
      probe.enter(THING)
      probe.leave(update(thing))
    }
  })
`

/** @param origin address of this Lapsus, `http://127.0.0.1:4780` */
export function languagesFor(origin: string): Record<LanguageName, Language> {
  const to = origin.replace(/^http:\/\//, '')
  const fetched = (file: string) => `curl -fO ${origin}/get/${file}`
  return {
    node: {
      name: 'JavaScript in Node',
      get: `npm install ${origin}/get/lapsus-probe.tgz`,
      file: 'game.mjs',
      code: `import { createProbe } from '@lapsus/probe'

const probe = createProbe({ game: 'My game', target: 60, to: '${to}' })
${JAVASCRIPT_GAME}  return Date.now() < end
})
`,
      run: 'node game.mjs',
    },
    page: {
      name: 'JavaScript in a page',
      get: '',
      file: 'game.html',
      code: `<!doctype html>
<title>My game</title>
<script type="module">
import { createProbe } from '${origin}/get/probe.js'

const probe = createProbe({ game: 'My game', target: 60, to: '${to}' })
${JAVASCRIPT_GAME}  if (Date.now() < end) return true
  probe.close()
  return false
})
</script>
`,
      run: 'python3 -m http.server 8000 --bind 127.0.0.1',
    },
    c: {
      name: 'C',
      get: fetched('lapsus.h'),
      file: 'game.c',
      code: `#define _POSIX_C_SOURCE 200809L
#define LAPSUS_IMPLEMENTATION
#include "lapsus.h"

static double things[300];

int main(void) {
    lapsus_options options;
    memset(&options, 0, sizeof options);
    options.game = "My game";
    options.to = "${to}";
    lapsus *probe = lapsus_begin(&options);
    lapsus_lane *loop = lapsus_main(probe);
    int update = lapsus_marker(probe, "update", "simulation", "work");
    int thing_update = lapsus_marker(probe, "thing.update", "", "work");
    int wait = lapsus_marker(probe, "wait", "", "wait:refresh");
    for (int frame = 0; frame < 240; frame++) {
        lapsus_frame(probe);
        lapsus_enter(loop, update);
        for (int thing = 0; thing < 300; thing++) {
            lapsus_enter(loop, thing_update);
            for (int i = 0; i < 1000; i++) things[thing] = sin(things[thing] + i);
            lapsus_leave(loop, thing % 3 == 0 ? LAPSUS_CHANGED : LAPSUS_UNCHANGED);
        }
        lapsus_leave(loop, LAPSUS_UNSAID);
        lapsus_enter(loop, wait);
        nanosleep(&(struct timespec){ 0, 5000000 }, NULL);
        lapsus_leave(loop, LAPSUS_UNSAID);
    }
    return lapsus_close(probe) ? 0 : 1;
}
`,
      run: 'cc -O2 -o game game.c -pthread -lm && ./game',
    },
    cpp: {
      name: 'C++',
      get: fetched('lapsus.h'),
      file: 'game.cpp',
      code: `#define LAPSUS_IMPLEMENTATION
#include "lapsus.h"
#include <chrono>
#include <cmath>
#include <thread>

static double things[300];

int main() {
    lapsus_options options = {};
    options.game = "My game";
    options.to = "${to}";
    lapsus *probe = lapsus_begin(&options);
    lapsus_lane *loop = lapsus_main(probe);
    const int update = lapsus_marker(probe, "update", "simulation", "work");
    const int thing_update = lapsus_marker(probe, "thing.update", "", "work");
    const int wait = lapsus_marker(probe, "wait", "", "wait:refresh");
    for (int frame = 0; frame < 240; frame++) {
        lapsus_frame(probe);
        {
            lapsus_scope all(loop, update);
            for (int thing = 0; thing < 300; thing++) {
                lapsus_scope one(loop, thing_update);
                for (int i = 0; i < 1000; i++) things[thing] = std::sin(things[thing] + i);
                one.effect = thing % 3 == 0 ? LAPSUS_CHANGED : LAPSUS_UNCHANGED;
            }
        }
        lapsus_scope waiting(loop, wait);
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    return lapsus_close(probe) ? 0 : 1;
}
`,
      run: 'c++ -O2 -o game game.cpp -pthread && ./game',
    },
    csharp: {
      name: 'C#',
      get: fetched('Lapsus.cs'),
      file: 'Game.cs',
      code: `using System;
using System.Threading;

static class Game
{
    static readonly double[] things = new double[300];

    static void Main()
    {
        var probe = new Lapsus.Probe("My game", target: 60, to: "${to}");
        int update = probe.Marker("update", group: "simulation");
        int thingUpdate = probe.Marker("thing.update");
        int wait = probe.Marker("wait", kind: "wait:refresh");
        for (int frame = 0; frame < 240; frame++)
        {
            probe.Frame();
            using (probe.Span(update))
                for (int thing = 0; thing < things.Length; thing++)
                {
                    probe.Enter(thingUpdate);
                    for (int i = 0; i < 500; i++) things[thing] = Math.Sin(things[thing] + i);
                    probe.Leave(changed: thing % 3 == 0);
                }
            using (probe.Span(wait)) Thread.Sleep(5);
        }
        probe.Close();
    }
}
`,
      run: 'mcs -out:game.exe Game.cs Lapsus.cs && mono game.exe',
      note: 'With another runtime: put both files into a console project, and run that.',
    },
    lua: {
      name: 'Lua',
      get: fetched('lapsus.lua'),
      file: 'game.lua',
      code: `local lapsus = require "lapsus"

local probe = lapsus.probe { game = "My game", target = 60, to = "${to}" }
local UPDATE = probe:marker("update", { group = "simulation" })
local THING = probe:marker "thing.update"
local WAIT = probe:marker("wait", { kind = "wait:refresh" })
local things, sin = {}, math.sin
for i = 1, 300 do things[i] = i end

local function update(at)
  for i = 1, 200 do things[at] = sin(things[at] + i) end
  return at % 3 == 0 -- whether it has changed anything
end

for frame = 1, 240 do
  probe:frame()
  probe:enter(UPDATE)
  for at = 1, #things do
    probe:enter(THING)
    probe:leave(update(at))
  end
  probe:leave()
  probe:run(WAIT, require "socket".sleep, 0.005)
end
probe:close()
`,
      run: 'lua game.lua',
      note: 'Lua reaches Lapsus through LuaSocket: `luarocks install luasocket`, or Debian’s lua-socket.',
    },
    python: {
      name: 'Python',
      get: fetched('lapsus.py'),
      file: 'game.py',
      code: `import math
import time

import lapsus

probe = lapsus.Probe("My game", target=60, to="${to}")
UPDATE = probe.marker("update", group="simulation")
THING = probe.marker("thing.update")
WAIT = probe.marker("wait", kind="wait:refresh")
things = [float(i) for i in range(300)]


def update(at):
    for i in range(40):
        things[at] = math.sin(things[at] + i)
    return at % 3 == 0  # whether it has changed anything


for frame in range(240):
    probe.frame()
    with probe.span(UPDATE):
        for at in range(len(things)):
            probe.enter(THING)
            probe.leave(update(at))
    with probe.span(WAIT):
        time.sleep(0.005)
probe.close()
`,
      run: 'python3 game.py',
    },
  }
}

export const LANGUAGE_NAMES = ['node', 'page', 'c', 'cpp', 'csharp', 'lua', 'python'] as const
export type LanguageName = (typeof LANGUAGE_NAMES)[number]

-- A little game that records itself: lua bats.lua night.jsonl, or an address; then how many frames, a seed,
-- and a small picture of the screen.
local folder = arg[0]:match "^(.*)/[^/]*$" or "."
package.path = folder .. "/../../emitters/lua/?.lua;" .. package.path
local lapsus = require "lapsus"

local BATS = 40
local to, frames, seed = arg[1], tonumber(arg[2]) or 300, tonumber(arg[3]) or 1
local file = arg[4] and assert(io.open(arg[4], "rb"))
local screen = file and file:read "*a"

-- From 0 on; the same in every language (Park and Miller).
local function dice(sides)
  seed = seed * 16807 % 2147483647
  return seed % sides
end

local probe = lapsus.probe { game = "Bats in Lua", target = 60, to = to, conditions = { build = "release", seed = seed } }
local UPDATE = probe:marker("bats.update", { group = "simulation" })
local BAT = probe:marker("bat.update", { group = "simulation" })
local LOOK = probe:marker("look", { tags = { "search" } })
local CHECK, HUNT = probe:marker "belt.check", probe:marker "hunt"
local WAIT = probe:marker("wait", { kind = "wait:refresh" })
local bats, mood, moth = probe:gauge_id "bats", probe:watch_id "mood", probe:class_id("moth", BAT)
local moths = { probe:updater(moth), probe:updater(moth), probe:updater(moth) }

local way = probe:trial("hunt", { "every pair", "every other pair" }, 10)

local counts = {
  frames = frames, ["bats.update"] = 0, ["bat.update"] = 0, look = 0, ["belt.check"] = 0, hunt = 0, wait = 0,
  moved = 0, yes = 0, bats = 0, bells = 0, steps = 0, born = 0, died = 0, looks = 0, changes = 0, others = 0,
  huntInnerNs = 0, huntOuterNs = 0,
}
local function count(what, by) counts[what] = counts[what] + (by or 1) end
local function ns() return probe.seconds and probe.seconds() * 1e9 or 0 end

for frame = 0, frames - 1 do
  probe:frame()
  local steps = 1 + dice(3)
  probe:steps(steps)
  count("steps", steps)
  probe:enter(UPDATE)
  count "bats.update"
  for _ = 1, BATS do
    probe:enter(BAT)
    count "bat.update"
    if dice(4) == 0 then probe:run(LOOK, count, "look") end
    local moved = dice(3) ~= 0
    if moved then count "moved" end
    probe:leave(moved)
  end
  probe:leave()
  for belt = 1, 3 do
    probe:enter(CHECK, belt)
    local answer = dice(2) == 0
    count "belt.check"
    if answer then count "yes" end
    probe:leave(answer)
  end
  local outer = ns()
  probe:enter(HUNT)
  local inner, sum = ns(), 0
  if way:is "every other pair" then count "others" end
  for i = 1, 2000, way:is "every other pair" and 2 or 1 do sum = sum + i end
  count("huntInnerNs", ns() - inner)
  probe:leave(true)
  count("huntOuterNs", ns() - outer)
  count "hunt"
  probe:gauge(bats, BATS + frame % 7)
  count("bats", BATS + frame % 7)
  if frame % 10 == 0 then
    probe:moment("bell", { shift = math.floor(frame / 10) })
    count "bells"
  end
  if screen then probe:picture(screen) end
  for _ = 1, 2 do
    probe:watch(mood, math.floor(frame / 5))
    count "looks"
  end
  if frame > 0 and frame % 5 == 0 then count "changes" end
  for _ = 1, dice(3) do
    probe:born(moth)
    count "born"
  end
  for _ = 1, dice(2) do
    probe:died(moth)
    count "died"
  end
  if frame == 5 then moths[1]:enable(false) end
  if frame == 8 then moths[2]:idle "asleep" end
  probe:enter(WAIT)
  local till = ns() + 1e6
  while ns() < till do end
  probe:leave()
  count "wait"
end
probe:close()
local said = {}
for name, value in pairs(counts) do said[#said + 1] = ('"%s":%.0f'):format(name, value) end
print("{" .. table.concat(said, ",") .. "}")

-- A game that says everything wrong: nothing of it may be raised into the game.
local folder = arg[0]:match "^(.*)/[^/]*$" or "."
package.path = folder .. "/../../emitters/lua/?.lua;" .. package.path
local lapsus = require "lapsus"

local broken = setmetatable({}, {
  __tostring = function() error "no text" end,
  __eq = function() error "no comparison" end,
})

local probe = lapsus.probe { game = broken, target = "many", to = arg[1] ~= "" and arg[1] or nil, conditions = { seed = "x", odd = broken } }
local UPDATE = probe:marker("update", { kind = "nonsense", watches = { 99, "x" } })
probe:marker(broken)
probe:leave()
for frame = 0, 2 do
  probe:frame()
  for _, marker in ipairs { 12345, -1, "x", broken, 1.5, 2 ^ 40 } do
    probe:enter(marker)
    probe:leave(broken)
  end
  probe:enter(UPDATE, -1)
  probe:leave()
  if frame == 0 then
    probe:leave()
    probe:enter(UPDATE)
    probe:watch(77, 1)
    probe:born(55)
    probe:moment("odd", { good = 1, bad = 0 / 0, worse = broken })
    probe:picture "RIFF....WEBPVP8X....."
    probe:picture(nil)
  end
  probe:gauge("x", 1)
  probe:gauge(0, 0 / 0)
  probe:gauge(99, 1)
  probe:steps "x"
  local watch = probe:watch_id "broken"
  probe:watch(watch, broken)
  probe:watch(watch, setmetatable({}, getmetatable(broken)))
  probe:updater("x"):idle "bored"
  probe:trial("one", { "only" }):is "none"
end
probe:close()
probe:frame()
probe:enter(UPDATE)
probe:leave()
probe:close()
print "the game goes on"

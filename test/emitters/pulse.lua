-- A game that does little: frames of 10 ms, for so many ms; or 40 of them, with a rest of 0.3 s in between and at the end. Says how many there were.
local here = arg[0]:match "^(.*)/" or "."
package.path = here .. "/../../emitters/lua/?.lua;" .. package.path
local lapsus = require "lapsus"
local socket = require "socket"

local probe = lapsus.probe { game = "Pulse", to = arg[1] }
local BEAT = probe:marker "beat"
local till, frames = socket.gettime() + tonumber(arg[2]) / 1000, 0
while socket.gettime() < till or (arg[3] and frames < 40) do
  probe:frame()
  probe:enter(BEAT)
  socket.sleep(0.01)
  probe:leave()
  frames = frames + 1
  if arg[3] and frames == 20 then
    probe:pause()
    probe:moment "rest"
    socket.sleep(0.3)
  end
end
if arg[3] then
  probe:stop()
  socket.sleep(0.3)
end
probe:close()
print(frames)

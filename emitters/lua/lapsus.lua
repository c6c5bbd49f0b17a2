--[[
Records a running game: frames, nested markers and what the game says of itself, to a file or to a running Lapsus.

    local lapsus = require "lapsus"
    local probe = lapsus.probe { game = "My Game", target = 60, to = "127.0.0.1:4780" } -- or to = "night.jsonl"
    local UPDATE = probe:marker("update", { group = "simulation" })
    local WAIT = probe:marker("wait", { kind = "wait:refresh" })

    while playing do
      probe:frame()
      probe:enter(UPDATE)
      update()
      probe:leave()
      probe:enter(WAIT)
      wait()
      probe:leave()
    end
    probe:close()

One file for Lua 5.1 to 5.4 and LuaJIT. No call raises an error into the game: what is wrong is mended or left out,
counted, and shown with the take. The format is that of docs/format.md, as lines of JSON.

Lua has no clock that a game can be measured by. In LuaJIT the system's is read; else LuaSocket's, where it is there; else
give one of the host's: clock = function() return seconds end. To record to a running Lapsus, LuaSocket is needed, or a
function of the host's: post = function(url, body, headers, done) ... done(status, text) end, which must not wait.
]]

local lapsus = { VERSION = "0.2.0" }

local floor, huge, concat, type, tostring = math.floor, math.huge, table.concat, type, tostring
local unpack = table.unpack or unpack

local CHUNK_NS = 5e8
local CHUNK_SPANS = 60000
local MOST_DEPTH, MOST_FRAME_SPANS = 255, 200000
local MOST_MARKERS, MOST_NAMES, MOST_NAME, MOST_FILE, MOST_DATA = 16384, 1024, 200, 1000, 16384
local MOST_PICTURES, PICTURE_BYTES, PICTURE_WIDTH, PICTURE_NS = 64, 49152, 320, 5e8
-- What is acknowledged is kept for so long: a server may come back with less than it had.
local KEPT_S, KEPT_BYTES = 2, 8 * 2 ^ 20
-- Bytes that the chain of records is worked out for in one frame, and that may wait for it.
local CHAIN_BYTES, CHAIN_WAITING = 8192, 4 * 2 ^ 20
-- Codes of what breaks the format: the same again will break it again.
local BROKEN = {
  ["not-a-take"] = true, ["other-version"] = true, ["not-cbor"] = true, ["too-large"] = true, ["bad-field"] = true,
  ["after-end"] = true,
}
local FOLDED = "(more than a take may have)"
local KINDS = {
  ["work"] = true, ["wait:refresh"] = true, ["wait:graphics"] = true, ["wait:job"] = true, ["wait:io"] = true,
  ["collect"] = true,
}

---- what comes in ----

local function is_finite(value)
  return type(value) == "number" and value == value and value < huge and value > -huge
end

local function is_whole(value, least, most)
  return type(value) == "number" and value >= least and value <= most and value == floor(value)
end

local function name_of(value, otherwise)
  local good, text = pcall(tostring, value)
  if not good or type(text) ~= "string" or value == nil or text == "" then return otherwise or "(no name)" end
  return #text > MOST_NAME and text:sub(1, MOST_NAME) or text
end

---- JSON ----

local ESCAPES = { ['"'] = '\\"', ["\\"] = "\\\\", ["\n"] = "\\n", ["\r"] = "\\r", ["\t"] = "\\t" }

-- Bytes that are no UTF-8 become "?".
local function clean(text)
  local out, at, size = {}, 1, #text
  while at <= size do
    local from, to = text:find("^[\1-\127]+", at)
    if not from then
      local first = text:byte(at)
      local more = first >= 240 and first < 245 and 3 or first >= 224 and first < 240 and 2 or first >= 194 and first < 224 and 1
      if more and at + more <= size and text:find("^" .. ("[\128-\191]"):rep(more), at + 1) then
        from, to = at, at + more
      end
    end
    out[#out + 1] = from and text:sub(from, to) or "?"
    at = (to or at) + 1
  end
  return concat(out)
end

local function text_of(text)
  text = clean(text):gsub('[%z\1-\31"\\\127]', function(letter)
    return ESCAPES[letter] or ("\\u%04x"):format(letter:byte())
  end)
  return '"' .. text .. '"'
end

local function number_of(value)
  if value == floor(value) and value < 2 ^ 53 and value > -2 ^ 53 then return ("%.0f"):format(value) end
  return ("%.17g"):format(value):gsub(",", ".")
end

local function scalars_of(data)
  local kept, left, count = {}, 0, 0
  for key, value in pairs(data) do
    count = count + 1
    local said = type(value) == "string" and text_of(value:sub(1, MOST_DATA)) or type(value) == "boolean" and tostring(value)
      or is_finite(value) and number_of(value) or nil
    if said then kept[#kept + 1] = text_of(name_of(key)) .. ":" .. said else left = left + 1 end
  end
  local json = "{" .. concat(kept, ",") .. "}"
  if #json > MOST_DATA then return nil, count end
  return #kept > 0 and json or nil, left
end

---- the system's clock ----

local function find_clock()
  local has_ffi, ffi = pcall(require, "ffi")
  if has_ffi and ffi.os ~= "Windows" then
    local good = pcall(ffi.cdef, [[
      typedef struct { long seconds; long ns; } lapsus_time;
      int clock_gettime(int clock, lapsus_time *time);
    ]])
    local time = good and ffi.new "lapsus_time"
    local clock = ffi.os == "OSX" and 6 or 1
    if time and pcall(function() return ffi.C.clock_gettime(clock, time) end) then
      local C = ffi.C
      return function()
        C.clock_gettime(clock, time)
        return tonumber(time.seconds) + tonumber(time.ns) * 1e-9
      end, "monotonic"
    end
  end
  local has_socket, socket = pcall(require, "socket")
  if has_socket then return socket.gettime, "LuaSocket" end
  return os.clock, "processor time: waiting is not seen"
end

---- CRC-32 as in gzip, where numbers have bits ----

local load_text = loadstring or load
local has_bits, xor, band, shift = pcall(function()
  local native = load_text "return function(a, b) return a ~ b end, function(a, b) return a & b end, function(a, n) return a >> n end"
  if native then return native() end
  local bit = type(bit32) == "table" and bit32 or require "bit"
  return bit.bxor, bit.band, bit.rshift
end)
-- pcall gives the three behind its own.
local CRC = {}
if has_bits then
  for i = 0, 255 do
    local crc = i
    for _ = 1, 8 do crc = band(crc, 1) == 1 and xor(shift(crc, 1), 0xedb88320) or shift(crc, 1) end
    CRC[i] = crc
  end
end

local function crc_of(text, from, to, crc)
  for i = from, to do crc = xor(shift(crc, 8), CRC[band(xor(crc, text:byte(i)), 255)]) end
  return crc
end

---- a chunk's columns, as text, frame by frame ----

local Texts = {}
Texts.__index = Texts
local function texts() return setmetatable({ count = 0 }, Texts) end
function Texts:add(text)
  self.count = self.count + 1
  self[self.count] = text
end
function Texts:all() return "[" .. concat(self, ",", 1, self.count) .. "]" end

---- the probe ----

local Probe = {}
Probe.__index = Probe

local function warn(words) io.stderr:write("lapsus: ", words, "\n") end

--- Options: game, target, to, key, conditions, take, clock, post, buffer_mb, on_problem.
function lapsus.probe(options)
  options = type(options) == "table" and options or {}
  local self = setmetatable({
    on = false, sequence = 0, dropped = 0, repaired = 0, tell = options.on_problem or warn,
    problems = {}, problem_count = 0,
    markers = {}, marker_count = 0, gauges = { count = 0 }, watches = { count = 0 }, classes = { count = 0 },
    fresh = { markers = {}, gauges = {}, watches = {}, classes = {}, lanes = { '{"id":0,"name":"main"}' } },
    told = { markers = {}, gauges = {}, watches = {}, classes = {}, lanes = {} },
    updaters = {}, changed_updaters = {}, trials = {}, watched = {},
    -- Of the frame: spans, by place.
    marker_of = {}, start_of = {}, duration_of = {}, depth_of = {}, effect_of = {}, key_of = {},
    spans = 0, open = {}, depth = 0, skipped = 0, has_effect = false, has_key = false,
  }, Probe)
  self:new_frame()
  self:new_chunk()
  local to = os.getenv and os.getenv "LAPSUS_TO" or nil
  to = to ~= nil and to ~= "" and to or options.to
  if to == nil then return self end
  -- The address of a stream is that of its Lapsus.
  to = tostring(to):gsub("^ws(s?)://", "http%1://")
  local good, why = pcall(self.begin, self, to, options)
  if not good then
    self.on = false
    self.tell("nothing is recorded: " .. tostring(why))
  end
  return self
end

local function identity()
  local letters = {}
  local mixed = {}
  local seed = (tostring(mixed):match "0x(%x+)" or "0") .. ("%.0f"):format(os.time()) .. ("%.0f"):format(os.clock() * 1e6)
  for i = 1, 12 do
    local digit = math.random(0, 15)
    letters[i] = ("%x"):format(digit)
  end
  return "lua-" .. seed:sub(-40) .. "-" .. concat(letters)
end

--- Does something when Lua ends, or the object is gone.
local function at_end(work)
  if not newproxy then return setmetatable({}, { __gc = work }) end
  local proxy = newproxy(true)
  getmetatable(proxy).__gc = work
  return proxy
end

function Probe:begin(to, options)
  local clock, clock_name
  if type(options.clock) == "function" then clock, clock_name = options.clock, "the host's"
  else clock, clock_name = find_clock() end
  self.seconds = clock
  local recorder = self:calibrate()
  self.origin = clock()
  local take = options.take or (os.getenv and os.getenv "LAPSUS_TAKE") or identity()
  local said = {}
  local given = type(options.conditions) == "table" and options.conditions or {}
  local more = { clock = clock_name }
  for key, value in pairs(given) do
    if key == "build" or key == "device" or key == "scene" or key == "load" or key == "version" then
      said[#said + 1] = text_of(key) .. ":" .. text_of(name_of(value))
    elseif key == "seed" and is_finite(value) then said[#said + 1] = '"seed":' .. number_of(value)
    else more[key] = value end
  end
  local runtime = type(jit) == "table" and jit.version or _VERSION
  said[#said + 1] = '"mode":"timing","runtime":' .. text_of(name_of(runtime))
  said[#said + 1] = '"probe":"lapsus.lua ' .. lapsus.VERSION .. '","recorder":' .. recorder
  said[#said + 1] = '"more":' .. (scalars_of(more) or "{}")
  local target = is_finite(options.target) and options.target > 0 and options.target <= 10000 and options.target or 60
  local started = os.date "!%Y-%m-%dT%H:%M:%SZ"
  local function head_of(identity, continues, after)
    local from = continues and (',"continues":%s,"after":%.0f'):format(text_of(continues), after) or ""
    return ('{"record":"take","lapsus":1,"take":%s,"game":%s,"target":%s,"started":"%s","conditions":{%s}%s}\n'):format(
      text_of(identity), text_of(name_of(options.game)), number_of(target), started, concat(said, ","), from)
  end
  local is_address = to:find "^https?://" or (to:find "^[^/\\]+:%d+$" and not to:find "^%a:%d+$")
  if is_address then
    self.sink = lapsus.stream(to, take, options, self.tell, {
      head_of = head_of, seconds = clock,
      declared = function() return self:all_declared() end,
      stop = function() self.on = false end,
      wish_stop = function() self.stop_wished = true end,
    })
  else
    self.sink = lapsus.file(to, head_of(take))
  end
  -- A game that just ends still gets its whole take. Sockets are no more to be used then: it goes to a file.
  self.guard = at_end(function() self:finish(nil) end)
  self.heap = self:gauge_id("lua heap", "bytes")
  self.send = self:marker("recorder.send", { group = "recorder" })
  self.on = true
end

function Probe:now() return floor((self.seconds() - self.origin) * 1e9 + 0.5) end

--- What recording costs here, ns: the quickest of some rounds.
function Probe:calibrate()
  local calls = 2000
  local best, inside, reads = huge, huge, huge
  local clock = self.seconds
  self.origin, self.on, self.marker_count = clock(), true, 1
  for _ = 1, 5 do
    self.spans, self.depth = 0, 0
    local from = clock()
    for _ = 1, calls do
      self:enter(0)
      self:leave()
    end
    best = math.min(best, (clock() - from) / calls)
    local sum = 0
    for i = 1, self.spans do sum = sum + self.duration_of[i] end
    inside = math.min(inside, sum / calls / 1e9)
    from = clock()
    for _ = 1, calls do clock() end
    reads = math.min(reads, (clock() - from) / calls)
  end
  self.spans, self.on, self.marker_count = 0, false, 0
  local step, last = huge, clock()
  local till = last + 0.02
  for _ = 1, 100000 do
    local now = clock()
    if now > last then step, last = math.min(step, now - last), now end
    if now >= till then break end
  end
  if step == huge then step = 0.02 end
  local ns = function(seconds) return ("%.0f"):format(math.max(0, seconds * 1e9)) end
  return ('{"spanNs":%s,"clockReadNs":%s,"clockResolutionNs":%s,"insideNs":%s}'):format(
    ns(best), ns(reads), ns(math.max(step, 1e-9)), ns(math.min(inside, best)))
end

---- declared once ----

-- What a chunk of code is called: this file's own, to tell the game's from it.
local getinfo = type(debug) == "table" and debug.getinfo
local OWN = getinfo and getinfo(1, "S").source

-- File and line of the game's code that called; nil where that cannot be told.
local function place_of_caller()
  if not getinfo then return nil end
  local level, info = 2, nil
  repeat
    info = getinfo(level, "Sl")
    level = level + 1
  until info == nil or (info.source ~= OWN and info.what ~= "C")
  if info == nil or info.source:sub(1, 1) ~= "@" or info.currentline < 1 then return nil end
  local file = info.source:sub(2):gsub("\\", "/"):gsub("^%./", "")
  local here = os.getenv and os.getenv "PWD"
  if here and file:sub(1, #here + 1) == here .. "/" then file = file:sub(#here + 2) end
  if file == "" or #file > MOST_FILE then return nil end
  return file, info.currentline
end

--- A place in the code, never an entity. Options: group, kind, tags, watches. Returns its number.
function Probe:marker(name, options)
  options = type(options) == "table" and options or {}
  name = name_of(name)
  local group = options.group ~= nil and name_of(options.group, "") or ""
  local kind = options.kind or "work"
  if not KINDS[kind] then
    self:problem("kinds of markers are not known", name_of(kind))
    kind = "work"
  end
  local key = kind .. "\n" .. group .. "\n" .. name
  local known = self.markers[key]
  if known then return known end
  if self.marker_count >= MOST_MARKERS - 1 and name ~= FOLDED then return self:marker(FOLDED) end
  local id = self.marker_count
  self.marker_count, self.markers[key] = id + 1, id
  local said = ('{"id":%d,"name":%s,"group":%s,"kind":"%s"'):format(id, text_of(name), text_of(group), kind)
  local tags, watches = {}, {}
  if type(options.tags) == "table" then
    for i = 1, math.min(16, #options.tags) do tags[i] = text_of(name_of(options.tags[i])) end
  end
  if type(options.watches) == "table" then
    for _, watch in ipairs(options.watches) do
      if is_whole(watch, 0, self.watches.count - 1) then watches[#watches + 1] = ("%d"):format(watch) end
    end
  end
  if #tags > 0 then said = said .. ',"tags":[' .. concat(tags, ",") .. "]" end
  if #watches > 0 then said = said .. ',"watches":[' .. concat(watches, ",") .. "]" end
  if group ~= "recorder" then
    local good, file, line = pcall(place_of_caller)
    if good and file then said = said .. (',"at":{"file":%s,"line":%d}'):format(text_of(file), line) end
  end
  local fresh = self.fresh.markers
  fresh[#fresh + 1] = said .. "}"
  return id
end

function Probe:declared(kind, name, more)
  local known = self[kind]
  name = name_of(name)
  local key = "=" .. name
  if known[key] then return known[key] end
  if known.count >= MOST_NAMES - 1 and name ~= FOLDED then return self:declared(kind, FOLDED) end
  local id = known.count
  known.count, known[key] = id + 1, id
  local fresh = self.fresh[kind]
  fresh[#fresh + 1] = ('{"id":%d,"name":%s%s}'):format(id, text_of(name), more or "")
  return id
end

function Probe:gauge_id(name, unit)
  return self:declared("gauges", name, unit and ',"unit":' .. text_of(name_of(unit)))
end
function Probe:watch_id(name) return self:declared("watches", name) end
function Probe:class_id(name, marker)
  return self:declared("classes", name, is_whole(marker, 0, self.marker_count - 1) and (',"marker":%d'):format(marker))
end

---- runs ----

--- Begins a run of a marker. key says what the run is about, as a whole number from 1.
function Probe:enter(marker, key)
  if not self.on then return end
  local depth = self.depth
  local at = self.spans + 1
  if depth > MOST_DEPTH or at > MOST_FRAME_SPANS then
    self.skipped = self.skipped + 1
    return
  end
  if type(marker) ~= "number" or marker < 0 or marker >= self.marker_count or marker ~= floor(marker) then
    self:problem "markers were none"
    marker = self:marker "(no marker)"
  end
  self.spans = at
  self.marker_of[at], self.depth_of[at], self.duration_of[at], self.effect_of[at] = marker, depth, 0, 0
  if key ~= nil and is_whole(key, 0, 2 ^ 32 - 1) then
    self.key_of[at], self.has_key = key, true
  else
    if key ~= nil then self:problem "keys were none" end
    self.key_of[at] = 0
  end
  self.depth = depth + 1
  self.open[depth + 1] = at
  self.start_of[at] = floor((self.seconds() - self.origin) * 1e9 + 0.5)
end

--- Ends the run that was entered last. changed says whether it changed anything; for a key, its answer.
function Probe:leave(changed)
  if not self.on then return end
  local now = floor((self.seconds() - self.origin) * 1e9 + 0.5)
  if self.skipped > 0 then
    self.skipped = self.skipped - 1
    return
  end
  local depth = self.depth
  if depth == 0 then
    self.repaired = self.repaired + 1
    return
  end
  local at = self.open[depth]
  self.depth = depth - 1
  local ns = now - self.start_of[at]
  self.duration_of[at] = ns > 0 and ns or 0
  if changed ~= nil then
    self.effect_of[at] = changed and 2 or 1
    self.has_effect = true
  end
end

local function finish(self, good, ...)
  self:leave()
  if not good then error((...), 0) end
  return ...
end

--- The call as a run of the marker; errors pass through.
function Probe:run(marker, work, ...)
  self:enter(marker)
  return finish(self, pcall(work, ...))
end

---- said in a frame ----

function Probe:gauge(id, value)
  if not self.on then return end
  if is_finite(value) and is_whole(id, 0, self.gauges.count - 1) then self.frame_gauges[id] = value
  else self:problem("values were not numbers", "gauge " .. name_of(id)) end
end

function Probe:moment(name, data)
  if not self.on then return end
  local said = ('{"name":%s,"at":%.0f'):format(text_of(name_of(name)), self:now())
  if data ~= nil then
    local json, left = nil, 1
    if type(data) == "table" then json, left = scalars_of(data) end
    if left > 0 then self:problem("data of moments were left out", name_of(name)) end
    if json then said = said .. ',"data":' .. json end
  end
  self.chunk_moments:add(said .. "}")
end

local function big_endian(bytes, from, count)
  local value = 0
  for i = from, from + count - 1 do value = value * 256 + bytes:byte(i) end
  return value
end

local function little_endian(bytes, from, count)
  local value = 0
  for i = from + count - 1, from, -1 do value = value * 256 + bytes:byte(i) end
  return value
end

--- Pixels a line of a PNG, JPEG or WebP; 0 of what is none.
local function picture_width(bytes)
  local size = #bytes
  if size >= 24 and bytes:sub(1, 8) == "\137PNG\r\n\26\n" and bytes:sub(13, 16) == "IHDR" then return big_endian(bytes, 17, 4) end
  if size >= 25 and bytes:sub(1, 4) == "RIFF" and bytes:sub(9, 12) == "WEBP" then
    local kind = bytes:sub(13, 16)
    if kind == "VP8L" then return little_endian(bytes, 22, 2) % 16384 + 1 end
    if size < 30 then return 0 end
    if kind == "VP8 " then return little_endian(bytes, 27, 2) % 16384 end
    return kind == "VP8X" and little_endian(bytes, 25, 3) + 1 or 0
  end
  if bytes:sub(1, 2) ~= "\255\216" then return 0 end
  local at = 3
  -- Segments until the one that begins the picture; behind DA and D9 there is none.
  while at + 8 <= size and bytes:byte(at) == 0xff and bytes:byte(at + 1) ~= 0xda and bytes:byte(at + 1) ~= 0xd9 do
    local kind = bytes:byte(at + 1)
    if kind >= 0xc0 and kind <= 0xcf and kind ~= 0xc4 and kind ~= 0xc8 and kind ~= 0xcc then return big_endian(bytes, at + 7, 2) end
    at = at + 2 + big_endian(bytes, at + 2, 2)
  end
  return 0
end

--- Of the screen: a PNG, JPEG or WebP as a string, at most 320 pixels wide and 48 kB. Two a second are kept.
function Probe:picture(bytes)
  if not self.on or not self.frame_start then return end
  local now = self:now()
  if self.last_picture and now - self.last_picture < PICTURE_NS then return end
  self.last_picture = now
  local width = type(bytes) == "string" and #bytes <= PICTURE_BYTES and picture_width(bytes) or 0
  if width == 0 or width > PICTURE_WIDTH then return self:problem "pictures could not be made, or were too large" end
  local pictures = self.chunk_pictures
  if #pictures < MOST_PICTURES then pictures[#pictures + 1] = { at = now, bytes = bytes } end
end

local function pictures_json(pictures)
  local out = {}
  for i, picture in ipairs(pictures) do
    local numbers, bytes = {}, picture.bytes
    -- Many at a time: one by one takes longer than all else.
    for from = 1, #bytes, 100 do numbers[#numbers + 1] = concat({ bytes:byte(from, from + 99) }, ",") end
    out[i] = ('{"at":%.0f,"bytes":[%s]}'):format(picture.at, concat(numbers, ","))
  end
  return "[" .. concat(out, ",") .. "]"
end

--- Fixed steps run in this frame.
function Probe:steps(count)
  if is_whole(count, 0, 2 ^ 32 - 1) then self.frame_steps = count else self:problem "steps were not whole numbers" end
end

--- Looks at a watched value: looks and changes are counted.
function Probe:watch(id, value)
  if not self.on then return end
  if not is_whole(id, 0, self.watches.count - 1) then return self:problem "watched values are none" end
  local looks = self.frame_watches[id]
  if not looks then
    looks = { 0, 0 }
    self.frame_watches[id] = looks
  end
  looks[1] = looks[1] + 1
  local known = self.watched[id]
  if known == nil then self.watched[id] = { value }
  elseif not rawequal(known[1], value) then
    looks[2] = looks[2] + 1
    known[1] = value
  end
end

local function lives_of(self, id)
  if not self.on then return nil end
  if not is_whole(id, 0, self.classes.count - 1) then
    self:problem "lives are of no class"
    return nil
  end
  local lives = self.frame_lives[id]
  if not lives then
    lives = { 0, 0, 0 }
    self.frame_lives[id] = lives
  end
  return lives
end

function Probe:born(id, bytes)
  local lives = lives_of(self, id)
  if not lives then return end
  lives[1] = lives[1] + 1
  if is_finite(bytes) and bytes > 0 then lives[3] = lives[3] + bytes end
end

function Probe:died(id)
  local lives = lives_of(self, id)
  if lives then lives[2] = lives[2] + 1 end
end

---- updaters and trials ----

local Updater = {}
Updater.__index = Updater

--- One thing that the loop updates; every is ms between its updates, 0 for every frame.
function Probe:updater(id, every)
  if not is_whole(id, 0, self.classes.count - 1) then
    self:problem "updaters are of no class"
    id = self:class_id "(no class)"
  end
  local updater = setmetatable({ probe = self, class = id, enabled = true, ms = is_finite(every) and every > 0 and every or 0, why = {} }, Updater)
  local all = self.updaters[id]
  if not all then
    all = {}
    self.updaters[id] = all
  end
  all[updater] = true
  self.changed_updaters[id] = true
  return updater
end
local function changed(self) self.probe.changed_updaters[self.class] = true end
function Updater:enable(enabled)
  self.enabled = enabled and true or false
  changed(self)
end
function Updater:every(ms)
  self.ms = is_finite(ms) and ms > 0 and ms or 0
  changed(self)
end
--- Whether it need not be updated now: "unseen", "far" or "asleep".
function Updater:idle(why, is_idle)
  if why ~= "unseen" and why ~= "far" and why ~= "asleep" then
    return self.probe:problem("reasons to be idle were none", name_of(why))
  end
  self.why[why] = is_idle ~= false or nil
  changed(self)
end
function Updater:dispose()
  local all = self.probe.updaters[self.class]
  if all then all[self] = nil end
  changed(self)
end

local Trial = {}
Trial.__index = Trial

--- Ways of doing the same, used in turn: `if SEEK:is "near" then`.
function Probe:trial(name, variants, frames)
  local names, seen = {}, {}
  for _, variant in ipairs(type(variants) == "table" and variants or {}) do
    variant = name_of(variant)
    if not seen[variant] and #names < 16 then names[#names + 1] = variant end
    seen[variant] = true
  end
  local trial = setmetatable({ probe = self, names = names, now = 1, left = 0, round = {} }, Trial)
  trial.frames = is_whole(frames, 1, 1e6) and frames or 60
  if #names < 2 then
    self:problem("trials have fewer than two variants", name_of(name))
    return trial
  end
  local said = {}
  for i, variant in ipairs(names) do said[i] = text_of(variant) end
  trial.gauge = self:declared("gauges", name, ',"variants":[' .. concat(said, ",") .. "]")
  self.trials[#self.trials + 1] = trial
  return trial
end
function Trial:is(variant) return self.names[self.now] == variant end
function Trial:turn()
  if self.left == 0 then
    if #self.round == 0 then
      for i = 1, #self.names do table.insert(self.round, math.random(1, #self.round + 1), i) end
    end
    self.now, self.left = table.remove(self.round), self.frames
  end
  self.left = self.left - 1
  self.probe:gauge(self.gauge, self.now - 1)
end

---- frames ----

--- Gives the ns that this thread has stood ready since the last call while the system ran something else; -1 where
--- nobody tells.
local function ready_time()
  local file = type(io) == "table" and io.open and io.open("/proc/thread-self/schedstat", "rb")
  -- Or the same figures would be read again and again.
  if file then file:setvbuf "no" end
  local last = 0
  return function()
    -- While Lua ends it closes files in no order that a probe knows of.
    if not file or io.type(file) ~= "file" then return -1 end
    file:seek "set"
    local ready = tonumber(((file:read(100) or ""):match "^%d+ (%d+)"))
    if not ready then
      file:close()
      file = nil
      return -1
    end
    local before = last
    last = ready
    return ready - before
  end
end

--- At the top of each turn of the loop: closes the last frame, opens the next.
function Probe:frame()
  if self.stop_wished then self:stop() end
  if not self.on then return end
  local good, why = pcall(self.next_frame, self)
  if not good then
    self.on = false
    self.tell("the recording ends: " .. tostring(why))
  end
end

--- Ends the open frame where it stands: there is none until the next `frame()`. For a loop that rests.
function Probe:pause()
  if not self.on or not self.frame_start then return end
  local good, why = pcall(function()
    self:close_frame(math.max(self:now(), self.frame_start))
    self:new_frame()
    self.frame_start, self.paused = nil, true
    -- What is said from here on belongs to the chunk after the pause.
    self:send_chunk()
  end)
  if not good then
    self.on = false
    self.tell("the recording ends: " .. tostring(why))
  end
end

--- Records no more, and ends the open frame; what was recorded is delivered by `close()`.
function Probe:stop()
  self:pause()
  self.on = false
end

function Probe:next_frame()
  local now = self:now()
  if self.last_start and now < self.last_start then now = self.last_start end
  local closed = self.frame_start ~= nil
  if closed then self:close_frame(now)
  else
    self.taken = self.taken or ready_time()
    self.taken()
  end
  self.spans, self.depth, self.skipped = 0, 0, 0
  -- What was said in a pause belongs to the frame after it, which begins a stretch.
  if self.paused then self.stretch = os.date "!%Y-%m-%dT%H:%M:%SZ" else self:new_frame() end
  self.paused = false
  self.frame_start, self.last_start = now, now
  if closed then
    self.spans = 1
    self.marker_of[1], self.start_of[1], self.depth_of[1], self.effect_of[1], self.key_of[1] = self.send, now, 0, 0, 0
    self:pack()
    if self.sink.turn then self.sink:turn() end
    self.duration_of[1] = math.max(0, self:now() - now)
  end
  for _, trial in ipairs(self.trials) do trial:turn() end
end

function Probe:new_frame()
  self.frame_gauges, self.frame_watches, self.frame_lives, self.frame_steps = {}, {}, {}, 0
end

function Probe:new_chunk()
  self.chunk = {
    start = texts(), duration = texts(), steps = texts(), taken = texts(), count = texts(), marker = texts(), at = texts(),
    length = texts(), depth = texts(), effect = texts(), key = texts(),
  }
  self.chunk_gauges, self.chunk_watches, self.chunk_lives, self.chunk_updaters = {}, {}, {}, {}
  self.chunk_moments, self.chunk_pictures = texts(), {}
  self.chunk_frames, self.chunk_spans, self.chunk_start = 0, 0, nil
  self.has_effect, self.has_key, self.has_steps, self.has_taken = false, false, false, false
end

local function sample(samples, id, at, ...)
  local columns = samples[id]
  if not columns then
    columns = { texts() }
    for i = 1, select("#", ...) do columns[i + 1] = texts() end
    samples[id] = columns
  end
  columns[1]:add(("%d"):format(at))
  for i = 1, select("#", ...) do columns[i + 1]:add(number_of((select(i, ...)))) end
end

function Probe:close_frame(now)
  while self.depth > 0 do
    self:leave()
    self.repaired = self.repaired + 1
  end
  local taken = self.taken()
  if self.sink:is_full() then
    -- Whole frames are left out, never parts of one.
    self.dropped = self.dropped + 1
    return
  end
  -- Lua 5.4 does not tell while it ends.
  self.frame_gauges[self.heap] = (collectgarbage "count" or 0) * 1024
  local chunk, at, n = self.chunk, self.chunk_frames, self.spans
  self.chunk_frames, self.chunk_spans = at + 1, self.chunk_spans + n
  self.chunk_start = self.chunk_start or self.frame_start
  chunk.start:add(("%.0f"):format(self.frame_start))
  chunk.duration:add(("%.0f"):format(now - self.frame_start))
  chunk.steps:add(("%.0f"):format(self.frame_steps))
  self.has_steps = self.has_steps or self.frame_steps > 0
  chunk.taken:add(("%.0f"):format(taken))
  self.has_taken = self.has_taken or taken >= 0
  chunk.count:add(("%d"):format(n))
  if n > 0 then
    chunk.marker:add(concat(self.marker_of, ",", 1, n))
    chunk.at:add(concat(self.start_of, ",", 1, n))
    chunk.length:add(concat(self.duration_of, ",", 1, n))
    chunk.depth:add(concat(self.depth_of, ",", 1, n))
    chunk.effect:add(concat(self.effect_of, ",", 1, n))
    chunk.key:add(concat(self.key_of, ",", 1, n))
  end
  for id, value in pairs(self.frame_gauges) do sample(self.chunk_gauges, id, at, value) end
  for id, looks in pairs(self.frame_watches) do sample(self.chunk_watches, id, at, looks[1], looks[2]) end
  for id, lives in pairs(self.frame_lives) do sample(self.chunk_lives, id, at, lives[1], lives[2], lives[3]) end
  for id in pairs(self.changed_updaters) do
    local count, enabled, unseen, far, asleep, ms = 0, 0, 0, 0, 0, 0
    for updater in pairs(self.updaters[id] or {}) do
      count = count + 1
      if updater.enabled then
        enabled, ms = enabled + 1, ms + updater.ms
        unseen = unseen + (updater.why.unseen and 1 or 0)
        far = far + (updater.why.far and 1 or 0)
        asleep = asleep + (updater.why.asleep and 1 or 0)
      end
    end
    sample(self.chunk_updaters, id, at, count, enabled, unseen, far, asleep, enabled > 0 and ms / enabled or 0)
    self.changed_updaters[id] = nil
  end
  self.closed_at = now
end

--- Sends the chunk that has gathered, when it is large or old enough.
function Probe:pack()
  if self.chunk_start and (self.closed_at - self.chunk_start >= CHUNK_NS or self.chunk_spans >= CHUNK_SPANS) then
    self:send_chunk()
  end
end

---- records ----

function Probe:next_sequence()
  self.sequence = self.sequence + 1
  return self.sequence
end

local function samples_json(samples, id_name, names)
  local all = {}
  for id, columns in pairs(samples) do
    local said = { ('{"%s":%d,"frame":%s'):format(id_name, id, columns[1]:all()) }
    for i, name in ipairs(names) do said[#said + 1] = ('"%s":%s'):format(name, columns[i + 1]:all()) end
    all[#all + 1] = concat(said, ",") .. "}"
  end
  return "[" .. concat(all, ",") .. "]"
end

function Probe:send_chunk()
  if self.chunk_frames == 0 then return end
  local declared = {}
  for kind, fresh in pairs(self.fresh) do
    if #fresh > 0 then declared[#declared + 1] = ('"%s":[%s]'):format(kind, concat(fresh, ",")) end
    for _, one in ipairs(fresh) do self.told[kind][#self.told[kind] + 1] = one end
    self.fresh[kind] = {}
  end
  if #declared > 0 then
    local sequence = self:next_sequence()
    self.sink:put(sequence, ('{"record":"declare","sequence":%d,%s}\n'):format(sequence, concat(declared, ",")))
  end
  local chunk, sequence = self.chunk, self:next_sequence()
  local out = {
    ('{"record":"chunk","sequence":%d,"frames":{"start":%s,"duration":%s%s%s}'):format(sequence, chunk.start:all(),
      chunk.duration:all(), self.has_steps and ',"steps":' .. chunk.steps:all() or "",
      self.has_taken and ',"taken":' .. chunk.taken:all() or ""),
    ('"lanes":[{"lane":0,"count":%s,"marker":%s,"start":%s,"duration":%s,"depth":%s%s%s}]'):format(chunk.count:all(),
      chunk.marker:all(), chunk.at:all(), chunk.length:all(), chunk.depth:all(),
      self.has_effect and ',"effect":' .. chunk.effect:all() or "", self.has_key and ',"key":' .. chunk.key:all() or ""),
    '"gauges":' .. samples_json(self.chunk_gauges, "gauge", { "value" }),
    '"watches":' .. samples_json(self.chunk_watches, "watch", { "looks", "changes" }),
    '"lives":' .. samples_json(self.chunk_lives, "class", { "born", "died", "bytes" }),
    '"updaters":' .. samples_json(self.chunk_updaters, "class", { "instances", "enabled", "unseen", "far", "asleep", "every" }),
    '"moments":' .. self.chunk_moments:all(),
  }
  if #self.chunk_pictures > 0 then out[#out + 1] = '"pictures":' .. pictures_json(self.chunk_pictures) end
  if self.stretch then
    out[#out + 1] = ('"stretch":{"cause":"pause","at":"%s"}'):format(self.stretch)
    self.stretch = nil
  end
  if self.repaired > 0 then
    out[#out + 1] = ('"repaired":%d'):format(self.repaired)
    self.repaired = 0
  end
  self:new_chunk()
  self.sink:put(sequence, concat(out, ",") .. self:losses() .. "}\n")
end

--- Everything that has been declared so far, for a take that goes on with another.
function Probe:all_declared()
  local out = {}
  for kind, all in pairs(self.told) do
    if #all > 0 then out[#out + 1] = (',"%s":[%s]'):format(kind, concat(all, ",")) end
  end
  return concat(out)
end

function Probe:losses()
  local out = ""
  if self.dropped > 0 then
    out = (',"dropped":%d'):format(self.dropped)
    self.dropped = 0
  end
  local said = {}
  for _, problem in pairs(self.problems) do
    local about = problem.about ~= "" and ',"about":' .. text_of(problem.about) or ""
    said[#said + 1] = ('{"what":%s%s,"count":%d}'):format(text_of(problem.what), about, problem.count)
  end
  self.problems, self.problem_count = {}, 0
  return #said > 0 and out .. ',"problems":[' .. concat(said, ",") .. "]" or out
end

function Probe:problem(what, about)
  about = about or ""
  local key = what .. "\n" .. about
  local known = self.problems[key]
  if known then known.count = known.count + 1
  elseif self.problem_count < 64 then
    self.problem_count = self.problem_count + 1
    self.problems[key] = { what = what, about = about, count = 1 }
  end
end

--- Ends the take, and delivers what is left; a server that is silent is waited for at most two seconds.
function Probe:close() self:finish(self.seconds) end

--- @param seconds a clock; nil where nothing can be waited for
function Probe:finish(seconds)
  local sink = self.sink
  if not sink then return end
  self.sink = nil
  local good, why = pcall(function()
    self.sink = sink
    self:stop()
    self:send_chunk()
    local sequence = self:next_sequence()
    sink:put(sequence, ('{"record":"end","sequence":%d%s}\n'):format(sequence, self:losses()))
    sink:close(seconds)
  end)
  self.on, self.sink = false, nil
  if not good then self.tell("the recording did not end well: " .. tostring(why)) end
end

---- where records go ----

local File = {}
File.__index = File
function lapsus.file(path, head)
  local file = assert(io.open(path, "wb"))
  assert(file:write(head))
  return setmetatable({ file = file }, File)
end
function File:is_full() return false end
function File:put(_, line) assert(self.file:write(line)) end
function File:close() assert(self.file:close()) end

local Stream = {}
Stream.__index = Stream

--- Delivers by HTTP, a little with each frame and without ever waiting: each record is kept until it is stored.
--- @param ways head_of(take, continues, after), the take's own record; declared(), all that was declared, as JSON; stop()
function lapsus.stream(to, take, options, tell, ways)
  if not to:find "^https?://" then to = "http://" .. to end
  local post = options.post
  if type(post) ~= "function" then
    local good, socket = pcall(require, "socket")
    if not good then error("to record to " .. to .. " LuaSocket is needed, or a function `post` of the host's", 0) end
    if to:find "^https" then error("https needs a function `post` of the host's", 0) end
    post = lapsus.poster(socket)
  end
  return setmetatable({
    base = to:gsub("/+$", "") .. "/ingest/", take = take, head = ways.head_of(take), ways = ways, post = post,
    key = options.key or (os.getenv and os.getenv "LAPSUS_KEY"),
    most = (is_finite(options.buffer_mb) and options.buffer_mb or 64) * 2 ^ 20, bytes = 0, first = 1, last = 0,
    waiting = {}, tell = tell, pause = 0, turns = 0, said = {},
    -- What is acknowledged, for a while; the last that is, that was sent, and whose chain was the server's.
    done = {}, done_first = 1, done_last = 0, done_bytes = 0, acknowledged = 0, sent = 0, equal = 0,
    chain = 0, to_chain = {}, chain_first = 1, chain_last = 0, chain_bytes = 0, chain_at = 0, chains = has_bits,
  }, Stream)
end
function Stream:is_full() return self.bytes > self.most end
function Stream:put(sequence, line)
  if self.over then return end
  self.last = self.last + 1
  self.waiting[self.last] = { sequence = sequence, line = line }
  self.bytes = self.bytes + #line
  self:link(self.waiting[self.last])
end
function Stream:is_idle() return not self.busy and (self.first > self.last or self.over) end

--- Each thing once.
function Stream:say(words)
  if not self.said[words] then self.tell(words) end
  self.said[words] = true
end

--- A record whose part of the chain is to be worked out, a little with each frame.
function Stream:link(one)
  if not self.chains then return end
  self.chain_last, self.chain_bytes = self.chain_last + 1, self.chain_bytes + #one.line
  self.to_chain[self.chain_last] = one
  -- Where there is too much of it nobody compares: what is sent is the same.
  if self.chain_bytes > CHAIN_WAITING then self.chains, self.to_chain = false, {} end
end

--- CRC-32 of the chain of the record before, four bytes, and the record without its line feed.
function Stream:go_on_chaining(most)
  while self.chains and most > 0 and self.chain_first <= self.chain_last do
    local one = self.to_chain[self.chain_first]
    local size = #one.line - 1
    if self.chain_at == 0 then
      local c = self.chain
      local four = string.char(floor(c / 2 ^ 24) % 256, floor(c / 2 ^ 16) % 256, floor(c / 2 ^ 8) % 256, c % 256)
      self.crc = crc_of(four, 1, 4, 0xffffffff)
    end
    local to = math.min(size, self.chain_at + most)
    self.crc = crc_of(one.line, self.chain_at + 1, to, self.crc)
    most = most - (to - self.chain_at)
    self.chain_at = to
    if to == size then
      -- LuaJIT's are signed.
      self.chain = xor(self.crc, 0xffffffff) % 2 ^ 32
      one.chain, self.chain_at = self.chain, 0
      self.to_chain[self.chain_first] = nil
      self.chain_first, self.chain_bytes = self.chain_first + 1, self.chain_bytes - #one.line
      if one.chain_there and not self.busy then self:compare(one) end
    end
  end
end

--- Goes on with what is under way; begins to send what is there.
function Stream:turn()
  if self.step then self.step() end
  self:go_on_chaining(CHAIN_BYTES)
  if self.busy or self.over or self.first > self.last then return end
  self.turns = self.turns + 1
  if self.turns < self.pause then return end
  self.turns = 0
  local lines, size = { self.head }, 0
  for i = self.first, self.last do
    lines[#lines + 1] = self.waiting[i].line
    self.sent = math.max(self.sent, self.waiting[i].sequence)
    size = size + #lines[#lines]
    if size > 4 * 2 ^ 20 then break end
  end
  local headers = { ["Content-Type"] = "application/jsonl" }
  if self.key then headers["Authorization"] = "Bearer " .. self.key end
  self.busy = true
  local url = self.base .. self.take
  local good, step = pcall(self.post, url, concat(lines), headers, function(status, text) self:hear(status, text) end)
  if not good then self:hear(nil, tostring(step)) elseif type(step) == "function" and self.busy then self.step = step end
end

--- Nothing more is recorded; what is left is kept, unless nobody wants it.
function Stream:finish(why, keeps, ending)
  local kept = ""
  if keeps and self.first <= self.last then
    local path, problem = self:spool(ending)
    kept = path and "; what is left is kept in " .. path or "; what is left is lost: " .. tostring(problem)
  end
  self.over, self.waiting, self.first, self.last, self.bytes = true, {}, 1, 0, 0
  self.ways.stop()
  self.tell("the recording ends: " .. why .. kept)
end

--- docs/format.md, "Answers", says what each answer means.
function Stream:hear(status, text)
  if not self.busy then return end
  self.busy, self.step = false, nil
  text = tostring(text or "")
  local code = text:match '"code":"(.-)"'
  local why = text:match '"detail":"(.-)"' or status and "status " .. status or text
  if status == 410 or code == "discarded" then return self:finish(why, false) end
  if status == 401 or code == "wrong-key" then return self:finish(why, true) end
  local ack = status and tonumber(text:match '"ack":(%d+)')
  if ack and ack > self.sent then return self:finish("there is another recording under the same identity", true) end
  if ack and self:heard(ack, tonumber(text:match '"chain":(%d+)')) then return self:wait() end
  if status == 200 and ack then
    self.pause, self.told = 0, nil
    if text:find '"order":"stop"' then self.ways.wish_stop() end
  elseif BROKEN[code or ""] then self:finish(why, true, ".refused")
  else
    self:wait()
    if not self.told then
      self.told = true
      if status == 409 and not code then why = "it is busy with this take" end
      self:say(self.base:gsub("/ingest/$", "") .. " does not take what is recorded: " .. why .. "; records are kept")
    end
  end
end

--- At the end there is little time.
function Stream:wait() self.pause = math.min(self.closing and 15 or 300, math.max(15, 2 * self.pause)) end

--- @return whether records are sent again
function Stream:heard(ack, chain)
  if ack < self.acknowledged then
    self:go_back(ack)
    return true
  end
  local now = self.ways.seconds()
  while self.first <= self.last and self.waiting[self.first].sequence <= ack do
    local one = self.waiting[self.first]
    self.waiting[self.first] = nil
    self.first, self.bytes = self.first + 1, self.bytes - #one.line
    one.done_at = now
    self.done_last, self.done_bytes = self.done_last + 1, self.done_bytes + #one.line
    self.done[self.done_last] = one
  end
  self.acknowledged = ack
  local last = self.done[self.done_last]
  if chain and last and last.sequence == ack then
    last.chain_there = chain
    if last.chain and self:compare(last) then return true end
  end
  while self.done_first <= self.done_last
    and (now - self.done[self.done_first].done_at > KEPT_S or self.done_bytes > KEPT_BYTES) do
    self.done_bytes = self.done_bytes - #self.done[self.done_first].line
    self.done[self.done_first] = nil
    self.done_first = self.done_first + 1
  end
end

--- @return whether what the server has is something else, so that records are sent again
function Stream:compare(one)
  if one.chain == one.chain_there then
    self.equal = math.max(self.equal, one.sequence)
    return false
  end
  self:say "what has arrived is not what was sent; it is sent again, as a take that goes on with this one"
  self:go_back(self.equal, true)
  return true
end

--- Sends again from the record after `ack`, as far as it is there; else goes on in a new take.
function Stream:go_back(ack, anew)
  local again = {}
  for i = self.done_first, self.done_last do
    if self.done[i].sequence > ack then again[#again + 1] = self.done[i] end
  end
  if not again[1] or again[1].sequence ~= ack + 1 then anew = true end
  for i = self.first, self.last do again[#again + 1] = self.waiting[i] end
  self.done, self.done_first, self.done_last, self.done_bytes = {}, 1, 0, 0
  self.acknowledged = ack
  if anew then table.insert(again, 1, self:go_on_anew(again[1] and again[1].sequence or self.sent + 1)) end
  self.waiting, self.first, self.last, self.bytes = again, 1, #again, 0
  for _, one in ipairs(again) do
    self.bytes = self.bytes + #one.line
    if anew then
      one.chain, one.chain_there = nil, nil
      self:link(one)
    end
  end
end

--- @return the record that declares everything again
function Stream:go_on_anew(first)
  local old = self.take
  self.take = ("%s-%08x"):format(old:sub(1, 50), math.random(0, 2 ^ 31 - 1))
  self.head = self.ways.head_of(self.take, old, first - 2)
  self.acknowledged, self.equal = first - 2, first - 2
  self.chain, self.to_chain, self.chain_first, self.chain_last, self.chain_bytes, self.chain_at = 0, {}, 1, 0, 0, 0
  self:say("the server has less than it had acknowledged: the recording goes on as take " .. self.take)
  local declared = self.ways.declared()
  return { sequence = first - 1, line = ('{"record":"declare","sequence":%.0f%s}\n'):format(first - 1, declared) }
end

function Stream:close(seconds)
  local till = seconds and seconds() + 2
  self.pause, self.closing = 0, true
  local last_pause = 0
  while till and not self:is_idle() and seconds() < till do
    -- At the end, every look counts for as many frames as there would have been.
    if seconds() - last_pause > 0.005 then
      last_pause = seconds()
      self:turn()
    elseif self.step then self.step() end
  end
  if self.first > self.last or self.over then return end
  local path, why = self:spool()
  self.tell((self.last - self.first + 1) .. " records are not delivered; they are " ..
    (path and "kept in " .. path or "lost: " .. tostring(why)))
end

--- For nobody else to read, where the system knows of such.
local function own_file(path)
  local file, why = io.open(path, "wb")
  if file and os.execute and package.config:sub(1, 1) == "/" then
    os.execute("chmod 600 '" .. path:gsub("'", "'\\''") .. "' 2>/dev/null")
  end
  return file, why
end

--- Leaves records where Lapsus finds them: docs/format.md, "Spool files". Gives the file's path.
function Stream:spool(ending)
  local function said(name)
    local value = os.getenv and os.getenv(name)
    return value ~= "" and value or nil
  end
  local home = said "HOME"
  local state = said "XDG_STATE_HOME" or home and home .. "/.local/state"
  local folder = said "LAPSUS_SPOOL" or state and state .. "/lapsus/spool"
  if not folder then return nil, "no folder of the user's is known" end
  local scheme, host, port = self.base:match "^(https?)://([^/:]+):?(%d*)"
  if port == "" then port = scheme == "https" and "443" or "80" end
  local path = ("%s/%s_%s~%s~lua~%.0f.spool.jsonl"):format(folder, host, port, self.take, self.waiting[self.first].sequence)
  local file, why = own_file(path .. ".new")
  if not file and os.execute and package.config:sub(1, 1) == "/" then
    os.execute("mkdir -m 700 -p '" .. folder:gsub("'", "'\\''") .. "' 2>/dev/null")
    file, why = own_file(path .. ".new")
  end
  if not file then return nil, why end
  file:write(self.head)
  for i = self.first, self.last do file:write(self.waiting[i].line) end
  file:close()
  -- What it was to be let in with: whoever takes it up shows it again.
  local key = self.key and own_file(path .. ".key")
  if key then
    key:write(self.key)
    key:close()
  end
  -- Whole under its name, or not there at all.
  path = path .. (ending or "")
  local good, problem = os.rename(path:gsub("%.refused$", "") .. ".new", path)
  return good and path, problem
end

--- HTTP over LuaSocket, step by step: nothing here waits.
function lapsus.poster(socket)
  return function(url, body, headers, done)
    local host, port, path = url:match "^http://([^/:]+):?(%d*)(/.*)$"
    local tcp = assert(socket.tcp())
    tcp:settimeout(0)
    local function finish(status, text)
      tcp:close()
      done(status, text)
    end
    local good, why = tcp:connect(host, tonumber(port) or 80)
    if not good and why ~= "timeout" and why ~= "already connected" then return finish(nil, why) end
    local lines = { "POST " .. path .. " HTTP/1.1", "Host: " .. host .. (port ~= "" and ":" .. port or "") }
    for name, value in pairs(headers) do lines[#lines + 1] = name .. ": " .. value end
    lines[#lines + 1] = "Content-Length: " .. #body
    lines[#lines + 1] = "Connection: close"
    local request = concat(lines, "\r\n") .. "\r\n\r\n" .. body
    local sent, connected, answer = 0, good ~= nil, {}
    local begun = socket.gettime()
    return function()
      if socket.gettime() - begun > 10 then return finish(nil, "no answer") end
      if not connected then
        local _, writable = socket.select(nil, { tcp }, 0)
        if not writable[1] then return end
        local fine, problem = tcp:connect(host, tonumber(port) or 80)
        if not fine and problem ~= "already connected" then return finish(nil, problem) end
        connected = true
      end
      if sent < #request then
        local to, problem, part = tcp:send(request, sent + 1)
        sent = to or part or sent
        if not to and problem ~= "timeout" then return finish(nil, problem) end
        if sent < #request then return end
      end
      local piece, problem, part = tcp:receive "*a"
      answer[#answer + 1] = piece or part
      if piece or problem == "closed" then
        local text = concat(answer)
        local status = tonumber(text:match "^HTTP/1%.%d (%d+)")
        if status then return finish(status, text:match "\r\n\r\n(.*)$") end
        return finish(nil, "the answer is none")
      elseif problem ~= "timeout" then finish(nil, problem) end
    end
  end
end

return lapsus

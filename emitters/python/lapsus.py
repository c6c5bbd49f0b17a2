"""Records a running game: frames, nested markers and what the game says of itself, to a file or to a running Lapsus.

    import lapsus

    probe = lapsus.Probe("My Game", target=60, to="127.0.0.1:4780")   # or to="night.lapsus"
    UPDATE = probe.marker("update", group="simulation")
    WAIT = probe.marker("wait", kind="wait:refresh")

    while playing:
        probe.frame()
        with probe.span(UPDATE):
            update()
        with probe.span(WAIT):
            wait()
    probe.close()

One file, Python 3.8 or later, the standard library alone. No call raises into the game: what is wrong is mended or left
out, counted, and shown with the take. The format is that of docs/format.md.
"""

import atexit
import functools
import gc
import gzip
import http.client
import json
import os
import platform
import random
import signal
import struct
import sys
import threading
import time
import urllib.parse
import uuid
import zlib
from array import array

VERSION = "0.2.0"

UNSAID, UNCHANGED, CHANGED = 0, 1, 2
KINDS = ("work", "wait:refresh", "wait:graphics", "wait:job", "wait:io", "collect")

_FORMAT = 1
_CHUNK_NS = 500_000_000
_CHUNK_SPANS = 60_000
_MOST_PICTURES, _PICTURE_BYTES, _PICTURE_WIDTH, _PICTURE_NS = 64, 49_152, 320, 500_000_000
# What is taken from the thread of another lane is asked no more often.
_ASK_NS = 1_000_000
_MOST_DEPTH = 255
_MOST_FRAME_SPANS = 200_000
_MOST_MARKERS, _MOST_LANES, _MOST_NAMES, _MOST_JOB_EVENTS = 16_384, 256, 1_024, 60_000
_MOST_NAME, _MOST_FILE, _MOST_DATA, _MOST_WHOLE = 200, 1_000, 16_384, 2**53 - 1
_BODY_BYTES = 8 << 20
# What is acknowledged is kept for so long: a server may come back with less than it had.
_KEPT_S, _KEPT_BYTES = 2.0, 8 << 20
# Codes of what breaks the format: the same again will break it again.
_BROKEN = ("not-a-take", "other-version", "not-cbor", "too-large", "bad-field", "after-end")
# A marker that was none; mended with the frame.
_NONE = (1 << 16) - 1
_FOLDED = "(more than a take may have)"
_now = time.perf_counter_ns


# ---- CBOR (RFC 8949), with typed arrays (RFC 8746) ----

def _head(out, major, value):
    if value < 24:
        out.append(major << 5 | value)
    elif value < 0x100:
        out += bytes((major << 5 | 24, value))
    elif value < 0x10000:
        out += struct.pack(">BH", major << 5 | 25, value)
    elif value < 0x100000000:
        out += struct.pack(">BI", major << 5 | 26, value)
    else:
        out += struct.pack(">BQ", major << 5 | 27, value)


_BIG = sys.byteorder == "big"
_TAGS = {
    "B": 64, "H": 65 if _BIG else 69, "I": 66 if _BIG else 70, "Q": 67 if _BIG else 71,
    "q": 75 if _BIG else 79, "d": 82 if _BIG else 86,
}


def _encode(out, value):
    if isinstance(value, str):
        data = value.encode("utf-8", "replace")
        _head(out, 3, len(data))
        out += data
    elif isinstance(value, bool):
        out.append(0xF5 if value else 0xF4)
    elif isinstance(value, int):
        _head(out, 0 if value >= 0 else 1, value if value >= 0 else -1 - value)
    elif isinstance(value, float):
        out += struct.pack(">Bd", 0xFB, value)
    elif isinstance(value, dict):
        _head(out, 5, len(value))
        for key, item in value.items():
            _encode(out, key)
            _encode(out, item)
    elif isinstance(value, array):
        data = value.tobytes()
        _head(out, 6, _TAGS[value.typecode])
        _head(out, 2, len(data))
        out += data
    else:
        _head(out, 4, len(value))
        for item in value:
            _encode(out, item)


def _record(value, first=False):
    out = bytearray()
    if first:
        _head(out, 6, 55799)
    _encode(out, value)
    return bytes(out)


# ---- what comes in ----

def _name(value, otherwise="(no name)"):
    try:
        return str(value).strip()[:_MOST_NAME] or otherwise
    except Exception:  # A text of its own making may fail.
        return otherwise


def _place(file, line):
    """Where in the code; named from the folder that the game was started in where it lies below that."""
    if file.startswith("<") or not line:
        return None
    below = os.path.relpath(file) if os.path.isabs(file) else file
    file = file if below.startswith(os.pardir) else os.path.normpath(below)
    file = file.replace(os.sep, "/").encode("utf-8", "replace").decode("utf-8")
    return {"file": file, "line": line} if len(file) <= _MOST_FILE else None


def _place_of(function):
    try:
        code = getattr(function, "__wrapped__", function).__code__
        return _place(code.co_filename, code.co_firstlineno)
    except Exception:  # What is called need not be a function.
        return None


def _place_of_caller():
    """Of the first call that does not stand in this file."""
    try:
        frame = sys._getframe(1)
        own = frame.f_code.co_filename
        while frame is not None and frame.f_code.co_filename == own:
            frame = frame.f_back
        return None if frame is None else _place(frame.f_code.co_filename, frame.f_lineno)
    except Exception:  # Not every Python has frames, or a folder to be in.
        return None


def _truth(value):
    try:
        return bool(value)
    except Exception:  # As of arrays of several values.
        return True


def _is_finite(value):
    return isinstance(value, (int, float)) and value == value and abs(value) != float("inf")


def _scalars(data):
    """What a moment or the conditions may hold: texts, finite numbers, truth values."""
    kept = {}
    for key, value in data.items() if isinstance(data, dict) else ():
        if isinstance(value, (str, bool)) or _is_finite(value):
            kept[_name(key)] = value[:_MOST_DATA] if isinstance(value, str) else value
    return kept if len(json.dumps(kept)) <= _MOST_DATA else {}


class Lane:
    """The spans of one thread. Only that thread may enter and leave them."""

    def __init__(self, probe, number):
        self._probe = probe
        self._number = number
        self._name = "main"
        self._lock = threading.Lock()
        self._clear()
        self._open = []
        self._skipped = 0
        # Whole runs, handed over with the next frame.
        self._done = None
        # Of other lanes: what the system takes from the thread, asked now and then when a run ends; -1 while it is not told.
        self._ready, self._asked, self._taken_ns = None, 0, -1

    def _clear(self):
        self._marker, self._start, self._duration = array("H"), array("q"), array("q")
        self._depth, self._effect, self._key = array("B"), array("B"), array("I")

    def enter(self, marker, key=0):
        """Begins a run of a marker. `key` says what the run is about, as a whole number from 1."""
        probe = self._probe
        if not probe._on:
            return
        at = len(self._start)
        depth = len(self._open)
        if depth > _MOST_DEPTH or at >= _MOST_FRAME_SPANS:
            self._skipped += 1
            return
        try:
            self._marker.append(marker)
            self._key.append(key)
        except (TypeError, OverflowError):
            del self._marker[at:]
            self._marker.append(marker if isinstance(marker, int) and 0 <= marker < 1 << 16 else _NONE)
            self._key.append(0)
            probe._problem("markers or keys were none")
        self._depth.append(depth)
        self._effect.append(UNSAID)
        self._duration.append(0)
        self._open.append(at)
        self._start.append(_now())

    def leave(self, changed=None):
        """Ends the run that was entered last. `changed` says whether it changed anything; for a key, its answer."""
        now = _now()
        probe = self._probe
        if not probe._on:
            return
        if self._skipped > 0:
            self._skipped -= 1
            return
        if not self._open:
            probe._repaired += 1
            return
        at = self._open.pop()
        self._duration[at] = now - self._start[at]
        if changed is not None:
            self._effect[at] = CHANGED if _truth(changed) else UNCHANGED
        if not self._open and self._number != 0:
            self._hand_over(now)

    def _ask_taken(self, now):
        """What the system has taken from this thread since it was last asked, ns; -1 where it is not to be asked."""
        thread = threading.get_ident()
        if self._ready is None or self._ready.thread != thread:
            is_first = self._ready is None
            if not is_first:
                self._ready.close()
            self._ready, self._asked = _ReadyTime(), now
            taken = self._ready.taken()
            # Before its lane there was nothing to be taken from.
            return min(taken, 0) if is_first else taken
        if now - self._asked < _ASK_NS:
            return -1
        self._asked = now
        return self._ready.taken()

    def _hand_over(self, now):
        taken = self._ask_taken(now)
        columns = (self._marker, self._start, self._duration, self._depth, self._effect, self._key)
        with self._lock:
            if taken >= 0:
                self._taken_ns = max(0, self._taken_ns) + taken
            if self._done is None:
                self._done = columns
            elif len(self._done[0]) < _MOST_FRAME_SPANS:
                for kept, new in zip(self._done, columns):
                    kept.extend(new)
            else:
                self._probe._problem("runs on other lanes were too many", f"lane {self._number}")
        self._clear()

    def span(self, marker, key=0):
        """A context manager: `with probe.span(UPDATE):`. Whatever is raised inside passes through."""
        return _Span(self, marker, key)

    def begin_job(self, job, marker):
        """Begins a run of a job that was dispatched, on this thread."""
        self._probe._job_event(job, 1, self._number, marker)
        self.enter(marker)

    def end_job(self, job, marker):
        self.leave()
        self._probe._job_event(job, 2, self._number, marker)


class _Span:
    __slots__ = ("_lane", "_marker", "_key", "changed")

    def __init__(self, lane, marker, key):
        self._lane, self._marker, self._key, self.changed = lane, marker, key, None

    def __enter__(self):
        self._lane.enter(self._marker, self._key)
        return self

    def __exit__(self, *_):
        self._lane.leave(self.changed)
        return False


class Updater:
    """One thing that the loop updates."""

    __slots__ = ("_probe", "_class", "_enabled", "_every", "_idle", "_gone")

    def __init__(self, probe, number, every_ms):
        self._probe, self._class, self._enabled, self._every = probe, number, True, every_ms
        self._idle, self._gone = set(), False
        probe._updaters.setdefault(number, set()).add(self)
        probe._updaters_changed.add(number)

    def enable(self, enabled):
        self._enabled = bool(enabled)
        self._probe._updaters_changed.add(self._class)

    def every(self, ms):
        """Ms between its updates; 0 is every frame."""
        self._every = ms if _is_finite(ms) and ms >= 0 else 0
        self._probe._updaters_changed.add(self._class)

    def idle(self, why, is_idle=True):
        """Whether it need not be updated now: `unseen`, `far` or `asleep`."""
        if why not in ("unseen", "far", "asleep"):
            self._probe._problem("reasons to be idle were none", str(why))
            return
        (self._idle.add if is_idle else self._idle.discard)(why)
        self._probe._updaters_changed.add(self._class)

    def dispose(self):
        self._probe._updaters.get(self._class, set()).discard(self)
        self._probe._updaters_changed.add(self._class)


class Trial:
    """Two or more ways of doing the same, used in turn, each for a block of frames in random order."""

    def __init__(self, probe, variants, frames):
        self._probe, self._variants, self._gauge = probe, variants, None
        self._frames = frames if isinstance(frames, int) and frames > 0 else 60
        self._round, self._left, self._current = [], 0, 0

    def is_(self, variant):
        return self._variants[self._current] == variant

    def _turn(self):
        if self._left == 0:
            if not self._round:
                self._round = random.sample(range(len(self._variants)), len(self._variants))
            self._current, self._left = self._round.pop(), self._frames
        self._left -= 1
        self._probe.gauge(self._gauge, self._current)


class Probe(Lane):
    """Records the thread that calls `frame()`; other threads record on a `lane()`.

    to: address of a running Lapsus, a file path, or None: then every call costs one test.
    conditions: build, device, scene, seed, load; anything else goes under `more`.
    on_problem: told in words what goes wrong with the recording; by default it is written to stderr.
    """

    def __init__(self, game, target=60, to=None, key=None, conditions=None, take=None, buffer_mb=64, on_problem=None):
        self._on = False
        super().__init__(self, 0)
        to = os.environ.get("LAPSUS_TO") or to
        if isinstance(to, str):
            # The address of a stream is that of its Lapsus.
            to = to.replace("ws://", "http://").replace("wss://", "https://")
        self._tell = on_problem or (lambda words: print("lapsus: " + words, file=sys.stderr))
        self._problems, self._problem_lock, self._repaired = {}, threading.Lock(), 0
        self._markers, self._fresh_markers = {}, []
        self._lanes, self._fresh_lanes = {}, []
        self._gauges, self._fresh_gauges = {}, []
        self._watches, self._fresh_watches, self._watched = {}, [], {}
        self._classes, self._fresh_classes = {}, []
        self._updaters, self._updaters_changed = {}, set()
        self._trials, self._jobs, self._job_count, self._job_lock = [], [], 0, threading.Lock()
        self._declare_lock = threading.RLock()
        self._told = {"markers": [], "lanes": [], "gauges": [], "watches": [], "classes": []}
        self._others = []
        self._frame_start, self._thread, self._ready = None, None, None
        self._paused, self._stretch, self._stop_wished = False, None, False
        self._dropped = self._sequence = 0
        self._sink = None
        self._new_chunk()
        self._new_frame()
        if not to:
            return
        try:
            self._begin(game, target, str(to), key or os.environ.get("LAPSUS_KEY"), conditions, take, buffer_mb)
        except Exception as error:  # The game goes on, whatever is wrong with its recording.
            self._tell(f"nothing is recorded: {error}")

    def _begin(self, game, target, to, key, conditions, take, buffer_mb):
        self._lanes["main"] = 0
        self._fresh_lanes.append({"id": 0, "name": "main"})
        recorder = _calibrate()
        self._origin = _now()
        target = float(target) if _is_finite(target) and 0 < target <= 10_000 else 60.0
        known = {"build", "device", "scene", "load", "version"}
        given = dict(conditions or {})
        said = {key: _name(given.pop(key)) for key in list(given) if key in known}
        seed = given.pop("seed", None)
        head = {
            "record": "take", "lapsus": _FORMAT,
            "take": take or os.environ.get("LAPSUS_TAKE") or str(uuid.uuid4()),
            "game": _name(game), "target": target, "writer": uuid.uuid4().hex[:16],
            "started": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
            "conditions": {
                "device": _name(platform.node(), "this machine"), **said, "mode": "timing",
                "runtime": f"Python {platform.python_version()} ({platform.python_implementation()})",
                "probe": f"lapsus.py {VERSION}", "recorder": recorder,
                **({"seed": seed} if _is_finite(seed) else {}),
                **({"more": _scalars(given)} if given else {}),
            },
        }
        if _is_address(to):
            self._sink = _Stream(to, key, head, int(buffer_mb) << 20, self._tell, self._wish_stop, self._all_declared)
        else:
            self._sink = _File(to, head)
        self._last_picture = -_PICTURE_NS
        self._collect = self._marker_of("gc", "runtime", "collect")
        self._send = self._marker_of("recorder.send", "recorder", "work")
        self._collected, self._collect_start = [], 0
        self._on, self._process = True, os.getpid()
        gc.callbacks.append(self._on_collection)
        atexit.register(self.close)
        self._close_on(signal.SIGTERM)
        if hasattr(signal, "SIGHUP"):
            self._close_on(signal.SIGHUP)

    def _close_on(self, number):
        """Delivers what is left when the game is ended by a signal of which it takes no heed itself."""
        is_heard = threading.current_thread() is threading.main_thread()
        if not is_heard or signal.getsignal(number) is not signal.SIG_DFL:
            return

        def end(*_):
            self.close()
            signal.signal(number, signal.SIG_DFL)
            os.kill(os.getpid(), number)

        signal.signal(number, end)

    # ---- declared once ----

    def marker(self, name, group="", kind="work", tags=(), watches=()):
        """A place in the code, never an entity. @returns its number, to enter it by"""
        return self._marker_of(name, group, kind, tags, watches, _place_of_caller)

    def _marker_of(self, name, group, kind, tags=(), watches=(), place=lambda: None):
        name, group = _name(name), str(group)[:_MOST_NAME]
        if kind not in KINDS:
            self._problem("kinds of markers are not known", str(kind))
            kind = "work"
        key = (name, group, kind)
        with self._declare_lock:
            number = self._markers.get(key)
            if number is not None:
                return number
            if len(self._markers) >= _MOST_MARKERS - 1 and name != _FOLDED:
                return self._marker_of(_FOLDED, "", "work")
            number = self._markers[key] = len(self._markers)
            said = {"id": number, "name": name, "group": group, "kind": kind}
            if tags:
                said["tags"] = [_name(tag) for tag in tags][:16]
            watches = [watch for watch in watches if self._is_one_of(self._watches, watch)]
            if watches:
                said["watches"] = watches
            at = place()
            if at is not None:
                said["at"] = at
            self._fresh_markers.append(said)
            return number

    def _declared(self, table, fresh, name, most, **more):
        name = _name(name)
        with self._declare_lock:
            number = table.get(name)
            if number is None:
                if len(table) >= most - 1 and name != _FOLDED:
                    return self._declared(table, fresh, _FOLDED, most)
                number = table[name] = len(table)
                fresh.append({"id": number, "name": name, **more})
            return number

    @staticmethod
    def _is_one_of(table, number):
        return isinstance(number, int) and 0 <= number < len(table)

    def _gauge_of(self, name, **more):
        return self._declared(self._gauges, self._fresh_gauges, name, _MOST_NAMES, **more)

    def gauge_id(self, name, unit=""):
        return self._gauge_of(name, **({"unit": str(unit)} if unit else {}))

    def watch_id(self, name):
        return self._declared(self._watches, self._fresh_watches, name, _MOST_NAMES)

    def class_id(self, name, marker=None):
        more = {"marker": marker} if self._is_one_of(self._markers, marker) else {}
        return self._declared(self._classes, self._fresh_classes, name, _MOST_NAMES, **more)

    def lane(self, name):
        """The lane of another thread, on which that thread enters and leaves."""
        number = self._declared(self._lanes, self._fresh_lanes, name, _MOST_LANES)
        for lane in self._others:
            if lane._number == number:
                return lane
        lane = Lane(self, number)
        lane._name = next(known for known, id_ in self._lanes.items() if id_ == number)
        self._others.append(lane)
        return lane

    def trial(self, name, variants, frames=60):
        """`if SEEK.is_("near"):` where two ways of doing the same part."""
        variants = list(dict.fromkeys(_name(variant) for variant in variants))[:16]
        trial = Trial(self, variants, frames)
        if len(variants) >= 2:
            trial._gauge = self._gauge_of(name, variants=variants)
            self._trials.append(trial)
        else:
            self._problem("trials have fewer than two variants", _name(name))
        return trial

    def updater(self, number, every_ms=0):
        if not self._is_one_of(self._classes, number):
            self._problem("updaters are of no class")
            number = self.class_id("(no class)")
        return Updater(self, number, every_ms)

    def mark(self, name=None, group="", kind="work"):
        """A decorator: each call of the function is a run of the marker."""
        def decorate(function):
            marker = self._marker_of(name or function.__qualname__, group, kind, place=lambda: _place_of(function))

            @functools.wraps(function)
            def marked(*args, **kwargs):
                self.enter(marker)
                try:
                    return function(*args, **kwargs)
                finally:
                    self.leave()
            return marked
        return decorate

    # ---- said in a frame ----

    def gauge(self, number, value):
        """Its value in this frame; the last one counts."""
        if not self._on:
            return
        if _is_finite(value) and self._is_one_of(self._gauges, number):
            self._frame_gauges[number] = float(value)
        else:
            self._problem("values were not numbers", f"gauge {number}")

    def moment(self, name, data=None):
        if not self._on:
            return
        moment = {"name": _name(name), "at": _now() - self._origin}
        kept = _scalars(data)
        if data is not None and (not isinstance(data, dict) or len(kept) < len(data)):
            self._problem("data of moments were left out", moment["name"])
        if kept:
            moment["data"] = kept
        self._frame_moments.append(moment)

    def picture(self, data):
        """Of the screen: a PNG, JPEG or WebP as bytes, at most 320 pixels wide and 48 kB. Two a second are kept."""
        now = _now()
        if not self._on or self._thread is None or now - self._last_picture < _PICTURE_NS:
            return
        self._last_picture = now
        kept = bytes(data) if isinstance(data, (bytes, bytearray, memoryview)) else b""
        if len(kept) > _PICTURE_BYTES or not 0 < _picture_width(kept) <= _PICTURE_WIDTH:
            self._problem("pictures could not be made, or were too large")
        elif len(self._chunk_pictures) < _MOST_PICTURES:
            self._chunk_pictures.append({"at": now - self._origin, "bytes": array("B", kept)})

    def steps(self, count):
        """Fixed steps run in this frame."""
        if isinstance(count, int) and 0 <= count < 2**32:
            self._frame_steps = count
        else:
            self._problem("steps were not whole numbers")

    def watch(self, number, value):
        """Looks at a watched value: looks and changes are counted."""
        if not self._on:
            return
        if not self._is_one_of(self._watches, number):
            self._problem("watched values are none")
            return
        looks = self._frame_watches.setdefault(number, [0, 0])
        looks[0] += 1
        if number not in self._watched:
            self._watched[number] = value
            return
        try:
            has_changed = bool(self._watched[number] != value)
        except Exception:
            has_changed = self._watched[number] is not value
        if has_changed:
            looks[1] += 1
            self._watched[number] = value

    def born(self, number, size=0):
        if self._on and self._has_class(number):
            lives = self._frame_lives.setdefault(number, [0, 0, 0])
            lives[0] += 1
            lives[2] += size if _is_finite(size) and size > 0 else 0

    def _has_class(self, number):
        if self._is_one_of(self._classes, number):
            return True
        self._problem("lives are of no class")
        return False

    def died(self, number):
        if self._on and self._has_class(number):
            self._frame_lives.setdefault(number, [0, 0, 0])[1] += 1

    def dispatch(self, marker):
        """Hands work to another thread. @returns the job's number, for `begin_job` there and `enter(JOIN, job)` here"""
        with self._job_lock:
            self._job_count += 1
            job = self._job_count
        self._job_event(job, 0, 0, marker)
        return job

    def _job_event(self, job, event, lane, marker):
        if self._on and isinstance(job, int) and 0 < job < 2**32 and self._is_one_of(self._markers, marker):
            at = _now() - self._origin
            with self._job_lock:
                if len(self._jobs) < _MOST_JOB_EVENTS:
                    self._jobs.append((job, event, lane, marker, at))

    # ---- frames ----

    def frame(self):
        """At the top of each turn of the loop: closes the last frame, opens the next."""
        if not self._on:
            return
        try:
            self._next_frame()
        except Exception as error:
            self._tell(f"the recording ends: {error!r}")
            self.stop()

    def pause(self):
        """Ends the open frame where it stands; there is none until the next `frame()`. For a loop that rests."""
        if not self._on or self._frame_start is None:
            return
        try:
            self._close_frame(_now())
            self._new_frame()
            self._frame_start, self._paused = None, True
            # What is said from here on belongs to the chunk after the pause.
            if self._frames["start"]:
                self._send_chunk()
        except Exception as error:
            self._tell(f"the recording ends: {error!r}")
            self._on = False

    def _next_frame(self):
        if self._stop_wished:
            self.stop()
            return
        now = _now()
        if self._frame_start is None:
            # The loop may run on another thread than what began the recording.
            if self._thread != threading.get_ident():
                if self._ready is not None:
                    self._ready.close()
                self._thread, self._ready = threading.get_ident(), _ReadyTime()
            self._ready.taken()
            # What was said in a pause belongs to the frame after it, which begins a stretch.
            if self._paused:
                self._stretch = {"cause": "pause", "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())}
            else:
                self._new_frame()
            self._paused = False
        else:
            self._close_frame(now)
            self._new_frame()
        self._clear()
        self._frame_start = now
        begun = self._frames["start"]
        if begun and (now - self._origin - begun[0] >= _CHUNK_NS or self._chunk_spans >= _CHUNK_SPANS):
            with self.span(self._send):
                self._send_chunk()
        for trial in self._trials:
            trial._turn()

    def _new_frame(self):
        self._frame_gauges, self._frame_moments, self._frame_steps = {}, [], 0
        self._frame_watches, self._frame_lives = {}, {}

    def _new_chunk(self):
        self._frames = {"start": array("q"), "duration": array("q"), "steps": array("I"), "taken": array("q")}
        self._columns = {}
        self._chunk_gauges, self._chunk_watches, self._chunk_lives = {}, {}, {}
        self._chunk_updaters, self._chunk_moments, self._chunk_pictures, self._chunk_spans = [], [], [], 0

    def _close_frame(self, now):
        while self._open:
            self.leave()
            self._repaired += 1
        self._skipped = 0
        self._put_collections()
        taken = self._ready.taken()
        if self._sink.is_full():
            # Whole frames are left out, never parts of one.
            self._dropped += 1
            return
        at = len(self._frames["start"])
        self._frames["start"].append(self._frame_start - self._origin)
        self._frames["duration"].append(now - self._frame_start)
        self._frames["steps"].append(self._frame_steps)
        self._frames["taken"].append(taken)
        self._add_spans(0, (self._marker, self._start, self._duration, self._depth, self._effect, self._key))
        for lane in self._others:
            with lane._lock:
                done, lane._done = lane._done, None
                taken_of_lane, lane._taken_ns = lane._taken_ns, min(0, lane._taken_ns)
            if taken_of_lane >= 0:
                self.gauge(self.gauge_id(f"taken: {lane._name}", "ms"), taken_of_lane / 1e6)
            if done is not None:
                self._add_spans(lane._number, done)
        for _, column in self._columns.values():
            column[0].extend([0] * (at + 1 - len(column[0])))
        for number, value in self._frame_gauges.items():
            self._sample(self._chunk_gauges, number, ("I", "d"), at, value)
        for number, (looks, changes) in self._frame_watches.items():
            self._sample(self._chunk_watches, number, ("I", "I", "I"), at, looks, changes)
        for number, (born, died, size) in self._frame_lives.items():
            self._sample(self._chunk_lives, number, ("I", "I", "I", "d"), at, born, died, size)
        for number in self._updaters_changed:
            self._chunk_updaters.append((number, at, self._counts(number)))
        self._updaters_changed.clear()
        self._chunk_moments += self._frame_moments

    @staticmethod
    def _sample(samples, number, types, *values):
        columns = samples.get(number)
        if columns is None:
            columns = samples[number] = [array(code) for code in types]
        for column, value in zip(columns, values):
            column.append(value)

    def _counts(self, number):
        all_ = self._updaters.get(number, ())
        enabled = [one for one in all_ if one._enabled]
        idle = [sum(1 for one in enabled if why in one._idle) for why in ("unseen", "far", "asleep")]
        every = sum(one._every for one in enabled) / len(enabled) if enabled else 0.0
        return [len(all_), len(enabled), *idle, every]

    def _add_spans(self, lane, columns):
        known = self._columns.get(lane)
        if known is None:
            count = array("I", [0] * (len(self._frames["start"]) - 1))
            known = self._columns[lane] = (lane, [count] + [array(column.typecode) for column in columns])
        if columns[0] and max(columns[0]) >= len(self._markers):
            none = self._marker_of("(no marker)", "", "work")
            for i, marker in enumerate(columns[0]):
                if marker >= none:
                    columns[0][i] = none
            self._problem("markers were none")
        own = known[1]
        own[0].append(len(columns[0]))
        for kept, new in zip(own[1:], columns):
            kept.extend(new)
        self._chunk_spans += len(columns[0])

    def _on_collection(self, phase, _info):
        # It may come between any two steps of this recorder: nothing but a note is made here.
        if not self._on or threading.get_ident() != self._thread:
            return
        if phase == "start":
            self._collect_start = _now()
        elif self._collect_start:
            self._collected.append((self._collect_start, _now()))
            self._collect_start = 0

    def _put_collections(self):
        """Puts collections inside the runs that they paused."""
        collected, self._collected = self._collected, []
        for start, end in collected:
            if self._frame_start is None or start < self._frame_start:
                continue
            at = len(self._start)
            while at > 0 and self._start[at - 1] > start:
                at -= 1
            depth = 0
            for i in range(at - 1, -1, -1):
                if self._start[i] + self._duration[i] >= end:
                    depth = self._depth[i] + 1
                    break
            if depth > _MOST_DEPTH:
                continue
            for column, value in (
                (self._marker, self._collect), (self._start, start), (self._duration, end - start),
                (self._depth, depth), (self._effect, UNSAID), (self._key, 0),
            ):
                column.insert(at, value)

    # ---- records ----

    def _next_sequence(self):
        self._sequence += 1
        return self._sequence

    def _send_chunk(self):
        fresh = {
            "markers": self._fresh_markers, "lanes": self._fresh_lanes, "gauges": self._fresh_gauges,
            "watches": self._fresh_watches, "classes": self._fresh_classes,
        }
        with self._declare_lock:
            said = {key: list(items) for key, items in fresh.items() if items}
            for key, items in fresh.items():
                self._told[key] += items
                items.clear()
        if said:
            self._sink.put(self._sequence + 1, {"record": "declare", "sequence": self._next_sequence(), **said})
        frames = self._frames
        if max(frames["steps"], default=0) == 0:
            del frames["steps"]
        if max(frames["taken"], default=-1) < 0:
            del frames["taken"]
        origin = self._origin
        chunk = {
            "record": "chunk", "sequence": self._next_sequence(), "frames": frames,
            "lanes": [_lane_spans(lane, columns, origin) for lane, columns in self._columns.values() if columns[1]],
            "gauges": [{"gauge": number, "frame": frame, "value": value}
                       for number, (frame, value) in self._chunk_gauges.items()],
            "watches": [{"watch": number, "frame": frame, "looks": looks, "changes": changes}
                        for number, (frame, looks, changes) in self._chunk_watches.items()],
            "lives": [{"class": number, "frame": frame, "born": born, "died": died, "bytes": size}
                      for number, (frame, born, died, size) in self._chunk_lives.items()],
            "updaters": self._updater_columns(),
            "moments": self._chunk_moments,
        }
        if self._chunk_pictures:
            chunk["pictures"] = self._chunk_pictures
        if self._stretch is not None:
            chunk["stretch"], self._stretch = self._stretch, None
        with self._job_lock:
            jobs, self._jobs = self._jobs, []
        if jobs:
            columns = list(zip(*jobs))
            names = (("job", "I"), ("event", "B"), ("lane", "I"), ("marker", "I"), ("at", "q"))
            chunk["jobs"] = {name: array(code, column) for (name, code), column in zip(names, columns)}
        self._add_losses(chunk)
        if self._repaired:
            chunk["repaired"], self._repaired = self._repaired, 0
        self._sink.put(self._sequence, chunk)
        self._new_chunk()

    def _all_declared(self):
        """Everything that has been declared so far, for a take that goes on with another."""
        with self._declare_lock:
            return {key: list(items) for key, items in self._told.items() if items}

    def _updater_columns(self):
        by_class = {}
        for number, frame, counts in self._chunk_updaters:
            by_class.setdefault(number, []).append((frame, counts))
        names = ("instances", "enabled", "unseen", "far", "asleep", "every")
        return [
            {"class": number, "frame": array("I", [frame for frame, _ in rows]),
             **{name: array("d" if name == "every" else "I", [counts[i] for _, counts in rows])
                for i, name in enumerate(names)}}
            for number, rows in by_class.items()
        ]

    def _add_losses(self, record):
        if self._dropped:
            record["dropped"], self._dropped = self._dropped, 0
        with self._problem_lock:
            problems, self._problems = self._problems, {}
        if problems:
            record["problems"] = [
                {"what": what, **({"about": about} if about else {}), "count": count}
                for (what, about), count in list(problems.items())[:64]
            ]

    def _problem(self, what, about=""):
        with self._problem_lock:
            if len(self._problems) < 64 or (what, about) in self._problems:
                self._problems[what, about] = self._problems.get((what, about), 0) + 1

    # ---- the end ----

    def _wish_stop(self):
        """Said on another thread than that of the loop, whose next `frame()` heeds it."""
        self._stop_wished = True

    def stop(self):
        """Records no more, and ends the open frame; the game goes on. What was recorded is delivered by `close()`."""
        self.pause()
        self._on = False
        if self._on_collection in gc.callbacks:
            gc.callbacks.remove(self._on_collection)

    def close(self):
        """Ends the take, and delivers what is left; a server that is silent is waited for at most two seconds."""
        sink, self._sink = self._sink, None
        # A child that was forked has neither the thread that delivers, nor any right to the file.
        if sink is None or os.getpid() != self._process:
            return
        self._sink = sink
        try:
            self.stop()
            if len(self._frames["start"]):
                self._send_chunk()
            end = {"record": "end", "sequence": self._next_sequence()}
            self._add_losses(end)
            sink.put(self._sequence, end)
            sink.close()
        except Exception as error:
            self._tell(f"the recording did not end well: {error!r}")
        finally:
            self.stop()
            self._sink = None
            if self._ready is not None:
                self._ready.close()
            atexit.unregister(self.close)


def _lane_spans(lane, columns, origin):
    count, marker, start, duration, depth, effect, key = columns
    spans = {
        "lane": lane, "count": count, "marker": marker,
        "start": array("q", [ns - origin for ns in start]), "duration": duration, "depth": depth,
    }
    if any(effect):
        spans["effect"] = effect
    if any(key):
        spans["key"] = key
    return spans


def _picture_width(data):
    """Pixels a line of a PNG, JPEG or WebP; 0 of what is none."""
    if len(data) >= 24 and data[:8] == b"\x89PNG\r\n\x1a\n" and data[12:16] == b"IHDR":
        return int.from_bytes(data[16:20], "big")
    if len(data) >= 25 and data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        kind = data[12:16]
        if kind == b"VP8L":
            return (int.from_bytes(data[21:23], "little") & 0x3FFF) + 1
        if len(data) < 30:
            return 0
        if kind == b"VP8 ":
            return int.from_bytes(data[26:28], "little") & 0x3FFF
        return int.from_bytes(data[24:27], "little") + 1 if kind == b"VP8X" else 0
    if data[:2] != b"\xff\xd8":
        return 0
    at = 2
    # Segments until the one that begins the picture; behind DA and D9 there is none.
    while at + 9 <= len(data) and data[at] == 0xFF and data[at + 1] not in (0xDA, 0xD9):
        if 0xC0 <= data[at + 1] <= 0xCF and data[at + 1] not in (0xC4, 0xC8, 0xCC):
            return int.from_bytes(data[at + 7 : at + 9], "big")
        at += 2 + int.from_bytes(data[at + 2 : at + 4], "big")
    return 0


class _ReadyTime:
    """How long this thread stood ready while the system ran something else, where Linux tells it."""

    def __init__(self):
        self._file, self._last = None, 0
        self.thread = threading.get_ident()
        if sys.platform.startswith("linux"):
            try:
                self._file = os.open("/proc/thread-self/schedstat", os.O_RDONLY)
            except OSError:
                pass

    def taken(self):
        """ns since the last call; -1 where it is not known."""
        if self._file is None:
            return -1
        try:
            ready = int(os.pread(self._file, 100, 0).split()[1])
        except (OSError, ValueError, IndexError):
            os.close(self._file)
            self._file = None
            return -1
        before, self._last = self._last, ready
        return ready - before

    def close(self):
        if self._file is not None:
            os.close(self._file)
        self._file = None


class _AlwaysOn:
    _on = True


def _calibrate():
    """What recording costs on this machine: the quickest of some rounds, ns."""
    calls, best, inside, clock = 2_000, 1 << 60, 1 << 60, 1 << 60
    trial = Lane(_AlwaysOn(), 0)
    for _ in range(5):
        trial._clear()
        start = _now()
        for _ in range(calls):
            trial.enter(0)
            trial.leave()
        best = min(best, (_now() - start) // calls)
        inside = min(inside, sum(trial._duration) // calls)
        start = _now()
        for _ in range(calls):
            _now()
        clock = min(clock, (_now() - start) // calls)
    steps, last = [], _now()
    until = last + 20_000_000
    while len(steps) < 200 and last < until:
        now = _now()
        if now > last:
            steps.append(now - last)
        last = now
    return {
        "spanNs": best, "clockReadNs": clock, "clockResolutionNs": min(steps, default=20_000_000),
        "insideNs": min(inside, best),
    }


# ---- where records go ----

class _File:
    def __init__(self, path, head):
        # Whole records at once: a child that is forked is to have nothing of them to write again.
        self._file = open(path, "wb", buffering=0)
        self._file.write(_record(head, first=True))

    def is_full(self):
        return False

    def put(self, _sequence, record):
        self._file.write(_record(record))

    def close(self):
        self._file.close()


def _is_address(to):
    if to.startswith(("http://", "https://")):
        return True
    host, _, port = to.split(",")[0].rpartition(":")
    return host != "" and port.isdigit() and "/" not in host and "\\" not in host


class _End(Exception):
    """Nothing more is recorded; `left` says what becomes of what is not acknowledged: docs/format.md, "Answers"."""

    def __init__(self, left, words):
        super().__init__(words)
        self.left = left


class _Behind(Exception):
    """The server has less than it had acknowledged, or something else than was sent: it is sent again."""


class _Waiting:
    __slots__ = ("sequence", "data", "chain", "done_s")

    def __init__(self, sequence, data):
        self.sequence, self.data, self.chain, self.done_s = sequence, data, 0, 0.0


class _Stream:
    """Delivers records by HTTP from a thread of its own: each is kept until the server has stored it."""

    def __init__(self, to, key, head, most_bytes, tell, stop, declared):
        self._addresses = [one if "://" in one else "http://" + one for one in to.split(",")]
        self._at, self._key, self._take, self._fields = 0, key, head["take"], head
        self._head, self._declared, self._after = _record(head, first=True), declared, 0
        self._writer, self._most, self._tell, self._stop = head["writer"], most_bytes, tell, stop
        self._waiting, self._bytes, self._closing, self._over = [], 0, False, False
        # What is acknowledged, for a while; the last record that is, and the last whose chain is the server's.
        self._done, self._done_bytes, self._acknowledged, self._sent, self._equal = [], 0, 0, 0, 0
        self._last_chain, self._said = 0, set()
        self._news = threading.Condition()
        self._connection = None
        self._thread = threading.Thread(target=self._run, name="lapsus", daemon=True)
        self._thread.start()

    def is_full(self):
        return self._bytes > self._most

    def put(self, sequence, record):
        one = _Waiting(sequence, _record(record))
        with self._news:
            if self._over:
                return
            self._link(one)
            self._waiting.append(one)
            self._bytes += len(one.data)
            self._news.notify()

    def close(self, patience_s=2.0):
        with self._news:
            self._closing = True
            self._news.notify()
        self._thread.join(patience_s)
        with self._news:
            left, self._over = [] if self._over else list(self._waiting), True
        if left:
            self._tell(f"{len(left)} records are not delivered; {self._spool(left)}")

    def _link(self, one):
        """The chain of records: CRC-32 of the chain before, four bytes, and the record."""
        one.chain = self._last_chain = zlib.crc32(one.data, zlib.crc32(struct.pack(">I", self._last_chain)))

    def _run(self):
        pause_s, told = 0.0, False
        while True:
            with self._news:
                if self._over or (not self._waiting and self._closing):
                    return
                if not self._waiting:
                    self._news.wait(1.0)
                if pause_s:
                    self._news.wait(pause_s)
                records = self._next()
            if not records or self._over:
                continue
            try:
                self._deliver(records)
                pause_s, told = 0.0, False
            except _Behind:
                pause_s = min(5.0, max(0.25, 2 * pause_s))
            except _End as why:
                self._end(why)
                return
            except Exception as error:
                if not told:
                    self._say(f"{self._addresses[self._at]} does not take what is recorded: {error}; records are kept")
                told = True
                self._hang_up()
                self._at = (self._at + 1) % len(self._addresses)
                # At the end there is little time.
                pause_s = 0.25 if self._closing else min(5.0, max(0.25, 2 * pause_s))

    def _say(self, words):
        """Each thing once."""
        if words not in self._said:
            self._said.add(words)
            self._tell(words)

    def _end(self, why):
        with self._news:
            left, self._waiting, self._bytes, self._over = self._waiting, [], 0, True
        self._stop()
        kept = self._spool(left, ".refused" if why.left == "set-aside" else "") if left and why.left != "drop" else ""
        self._tell(f"the recording ends: {why}{'; ' + kept if kept else ''}")

    def _next(self):
        records, size = [], 0
        for record in self._waiting:
            if records and size + len(record.data) > _BODY_BYTES:
                break
            records.append(record)
            size += len(record.data)
        return records

    def _deliver(self, records):
        """docs/format.md, "Answers", says what each answer means."""
        self._sent = max(self._sent, records[-1].sequence)
        status, answer = self._post(b"".join([self._head] + [one.data for one in records]))
        ack, code = answer.get("ack"), answer.get("code")
        why = answer.get("detail") or f"status {status}"
        for note in answer.get("notes") or ():
            self._tell(str(note))
        if code == "discarded" or status == 410:
            raise _End("drop", why)
        if code == "wrong-key" or status == 401:
            raise _End("keep", why)
        if isinstance(ack, int) and not isinstance(ack, bool):
            self._heard(ack, answer.get("chain"))
        if status == 200:
            for order in answer.get("orders") or ():
                if isinstance(order, dict) and order.get("order") == "stop":
                    self._stop()
        elif code in _BROKEN:
            raise _End("set-aside", why)
        elif status == 409 and code is None:
            raise OSError("it is busy with this take")
        else:
            raise OSError(why)

    def _heard(self, ack, chain):
        with self._news:
            if ack > self._sent:
                raise _End("keep", "there is another recording under the same identity")
            if ack < self._acknowledged:
                self._go_back(ack)
                raise _Behind()
            now = time.monotonic()
            while self._waiting and self._waiting[0].sequence <= ack:
                one = self._waiting.pop(0)
                one.done_s = now
                self._bytes -= len(one.data)
                self._done.append(one)
                self._done_bytes += len(one.data)
            self._acknowledged = ack
            if self._differs(ack, chain):
                self._say("what has arrived is not what was sent; it is sent again, as a take that goes on with this one")
                self._go_back(self._equal, anew=True)
                raise _Behind()
            while self._done and (now - self._done[0].done_s > _KEPT_S or self._done_bytes > _KEPT_BYTES):
                self._done_bytes -= len(self._done.pop(0).data)

    def _differs(self, ack, chain):
        own = self._done[-1] if self._done and self._done[-1].sequence == ack else None
        if not isinstance(chain, int) or own is None:
            return False
        if own.chain != chain:
            return True
        self._equal = ack
        return False

    def _go_back(self, ack, anew=False):
        """Sends again from the record after `ack`, as far as it is there; else goes on in a new take."""
        again = [one for one in self._done if one.sequence > ack]
        is_whole = bool(again) and again[0].sequence == ack + 1
        self._waiting = again + self._waiting
        self._bytes += sum(len(one.data) for one in again)
        self._done, self._done_bytes = [], 0
        self._acknowledged = ack
        if anew or not is_whole:
            self._go_on_anew()

    def _go_on_anew(self):
        first = self._waiting[0].sequence if self._waiting else self._sent + 1
        old, self._take = self._take, f"{self._take[:50]}-{uuid.uuid4().hex[:8]}"
        self._after = self._acknowledged = self._equal = first - 2
        self._fields = {**self._fields, "take": self._take, "continues": old, "after": self._after}
        self._head = _record(self._fields, first=True)
        declare = {"record": "declare", "sequence": first - 1, **self._declared()}
        self._waiting.insert(0, _Waiting(first - 1, _record(declare)))
        self._last_chain = 0
        for one in self._waiting:
            self._link(one)
        self._bytes = sum(len(one.data) for one in self._waiting)
        self._say(f"the server has less than it had acknowledged: the recording goes on as take {self._take}")

    def _post(self, body):
        url = urllib.parse.urlsplit(self._addresses[self._at])
        if self._connection is None:
            kind = http.client.HTTPSConnection if url.scheme == "https" else http.client.HTTPConnection
            self._connection = kind(url.hostname, url.port, timeout=10)
        headers = {"Content-Type": "application/cbor-seq", "Content-Encoding": "gzip"}
        if self._key:
            headers["Authorization"] = "Bearer " + self._key
        path = url.path.rstrip("/") + "/ingest/" + urllib.parse.quote(self._take, safe="")
        self._connection.request("POST", path, gzip.compress(body, 1), headers)
        response = self._connection.getresponse()
        text = response.read(1 << 20)
        try:
            answer = json.loads(text)
        except ValueError:
            answer = None
        if not isinstance(answer, dict) or (response.status == 200 and not isinstance(answer.get("ack"), int)):
            raise OSError("the answer is not that of a Lapsus")
        return response.status, answer

    def _hang_up(self):
        if self._connection is not None:
            self._connection.close()
        self._connection = None

    def _spool(self, left, ending=""):
        """Leaves records where Lapsus finds them: docs/format.md, "Spool files"."""
        state = os.environ.get("XDG_STATE_HOME") or os.path.join(os.path.expanduser("~"), ".local", "state")
        folder = os.environ.get("LAPSUS_SPOOL") or os.path.join(state, "lapsus", "spool")
        url = urllib.parse.urlsplit(self._addresses[0])
        name = f"{url.hostname}_{url.port or 80}~{self._take}~{self._writer}~{left[0].sequence}.spool"
        path = os.path.join(folder, name)
        try:
            os.makedirs(folder, mode=0o700, exist_ok=True)
            if self._key:
                self._write(path + ".key", [self._key.encode()])
            # Whole under its name, or not there at all.
            self._write(path + ".new", [self._head] + [one.data for one in left])
            os.replace(path + ".new", path + ending)
            return f"they are kept in {path}{ending}"
        except OSError as error:
            return f"they are lost: {error}"

    @staticmethod
    def _write(path, pieces):
        """For nobody else to read."""
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
            for piece in pieces:
                file.write(piece)

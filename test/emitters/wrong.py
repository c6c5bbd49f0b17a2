"""A game that says everything wrong: nothing of it may be raised into the game."""

import os
import sys

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../emitters/python"))
import lapsus  # noqa: E402


class Broken:
    def __str__(self):
        raise ValueError("no text")

    def __bool__(self):
        raise ValueError("no truth")

    def __ne__(self, _):
        raise ValueError("no comparison")


probe = lapsus.Probe(Broken(), target="many", to=sys.argv[1], conditions=["not", "a", "dict"] and {"seed": "x", "odd": Broken()})
UPDATE = probe.marker("update", kind="nonsense", watches=[99, "x"])
probe.marker(Broken())
probe.leave()
for frame in range(3):
    probe.frame()
    for marker in (12345, -1, "x", None, 1.5, 1 << 40):
        probe.enter(marker)
        probe.leave(Broken())
    probe.enter(UPDATE, key=-1)
    probe.leave()
    if frame == 0:
        probe.leave()
        probe.enter(UPDATE)
        probe.watch(77, 1)
        probe.born(55)
        probe.moment("odd", {"good": 1, "bad": float("nan"), "worse": Broken()})
        probe.picture(b"RIFF....WEBPVP8X.....")
        probe.picture("no bytes")
    probe.gauge("x", 1)
    probe.gauge(0, float("nan"))
    probe.gauge(99, 1)
    probe.steps("x")
    watch = probe.watch_id("broken")
    probe.watch(watch, Broken())
    probe.watch(watch, Broken())
    probe.updater("x").idle("bored")
    probe.trial("one", ["only"]).is_("none")
    probe.begin_job("x", UPDATE)
    probe.end_job(None, None)
probe.close()
probe.frame()
probe.enter(UPDATE)
probe.leave()
probe.close()
print("the game goes on")

"""A game that does little: frames of 10 ms, for so many ms; or 40 of them, with a rest of 0.3 s in between and at the end. Says how many there were."""
import os
import sys
import time

sys.path.insert(0, os.path.join(os.path.dirname(__file__), "..", "..", "emitters", "python"))
sys.dont_write_bytecode = True
import lapsus

probe = lapsus.Probe("Pulse", to=sys.argv[1])
BEAT = probe.marker("beat")
until, frames = time.monotonic() + int(sys.argv[2]) / 1000, 0
while time.monotonic() < until or (sys.argv[3:] and frames < 40):
    probe.frame()
    with probe.span(BEAT):
        time.sleep(0.01)
    frames += 1
    if sys.argv[3:] == ["pause"] and frames == 20:
        probe.pause()
        probe.moment("rest")
        time.sleep(0.3)
probe.stop() if sys.argv[3:] else None
time.sleep(0.3 if sys.argv[3:] else 0)
probe.close()
print(frames)

"""A little game that records itself: python3 bats.py night.lapsus, or an address; then how many frames, a seed, and a
small picture of the screen."""

import json
import os
import sys
import threading
import time

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../emitters/python"))
import lapsus  # noqa: E402

BATS = 40
to, frames, seed = sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 300, int(sys.argv[3]) if len(sys.argv) > 3 else 1

screen = open(sys.argv[4], "rb").read() if len(sys.argv) > 4 else None


def dice(sides):
    """From 0 on; the same in every language (Park and Miller)."""
    global seed
    seed = seed * 16807 % 2147483647
    return seed % sides


probe = lapsus.Probe("Bats in Python", target=60, to=to, conditions={"build": "release", "seed": seed})
UPDATE = probe.marker("bats.update", group="simulation")
BAT = probe.marker("bat.update", group="simulation")
LOOK = probe.marker("look", tags=["search"])
CHECK = probe.marker("belt.check")
HUNT = probe.marker("hunt")
ROUTE = probe.marker("route")
WAIT = probe.marker("wait", kind="wait:refresh")
bats, mood, moth = probe.gauge_id("bats"), probe.watch_id("mood"), probe.class_id("moth", marker=BAT)
moths = [probe.updater(moth) for _ in range(3)]
worker = probe.lane("worker")
way = probe.trial("hunt", ["every pair", "every other pair"], frames=10)

counts = {
    "frames": frames, "bats.update": 0, "bat.update": 0, "look": 0, "belt.check": 0, "hunt": 0, "route": 0, "wait": 0,
    "moved": 0, "yes": 0, "bats": 0, "bells": 0, "steps": 0, "born": 0, "died": 0, "looks": 0, "changes": 0, "others": 0,
    "huntInnerNs": 0, "huntOuterNs": 0,
}


def route(job):
    worker.begin_job(job, ROUTE)
    sum(range(100))
    worker.end_job(job, ROUTE)


for frame in range(frames):
    probe.frame()
    steps = 1 + dice(3)
    probe.steps(steps)
    counts["steps"] += steps
    with probe.span(UPDATE):
        counts["bats.update"] += 1
        for bat in range(BATS):
            probe.enter(BAT)
            counts["bat.update"] += 1
            if dice(4) == 0:
                with probe.span(LOOK):
                    counts["look"] += 1
            moved = dice(3) != 0
            counts["moved"] += moved
            probe.leave(moved)
    for belt in range(1, 4):
        probe.enter(CHECK, belt)
        answer = dice(2) == 0
        counts["belt.check"] += 1
        counts["yes"] += answer
        probe.leave(answer)
    outer = time.perf_counter_ns()
    probe.enter(HUNT)
    inner = time.perf_counter_ns()
    counts["others"] += way.is_("every other pair")
    sum(range(0, 20000, 2 if way.is_("every other pair") else 1))
    counts["huntInnerNs"] += time.perf_counter_ns() - inner
    probe.leave(True)
    counts["huntOuterNs"] += time.perf_counter_ns() - outer
    counts["hunt"] += 1
    probe.gauge(bats, BATS + frame % 7)
    counts["bats"] += BATS + frame % 7
    if frame % 10 == 0:
        probe.moment("bell", {"shift": frame // 10})
        counts["bells"] += 1
    if screen is not None:
        probe.picture(screen)
    for _ in range(2):
        probe.watch(mood, frame // 5)
        counts["looks"] += 1
    counts["changes"] += frame > 0 and frame % 5 == 0
    for _ in range(dice(3)):
        probe.born(moth)
        counts["born"] += 1
    for _ in range(dice(2)):
        probe.died(moth)
        counts["died"] += 1
    if frame == 5:
        moths[0].enable(False)
    if frame == 8:
        moths[1].idle("asleep")
    if frame % 16 == 0:
        job = probe.dispatch(ROUTE)
        thread = threading.Thread(target=route, args=(job,))
        thread.start()
        thread.join()
        counts["route"] += 1
    with probe.span(WAIT):
        time.sleep(0.001)
        counts["wait"] += 1
probe.close()
print(json.dumps(counts))

"""A game whose loop runs on another thread than what began the recording."""
import os
import sys
import threading

sys.path.insert(0, os.path.join(os.path.dirname(__file__), "..", "..", "emitters", "python"))
sys.dont_write_bytecode = True
import lapsus

probe = lapsus.Probe("Elsewhere", to=sys.argv[1])


def loop():
    for _ in range(100):
        probe.frame()
        sum(range(100_000))
    probe.close()


thread = threading.Thread(target=loop)
thread.start()
thread.join()

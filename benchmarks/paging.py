"""Paging through a shoot in the real window, no growth of memory or widgets: `python -m benchmarks.paging FOLDER N`."""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from bruto.app.main import application
from bruto.app.window import Window
from bruto.develop.pipeline import Developer
from bruto.tasks import Task


def resident_mb(name: str = "VmRSS") -> float:
    status = Path("/proc/self/status").read_text()
    return int(next(line.split()[1] for line in status.splitlines() if line.startswith(name))) / 1024


def main(folder: str, times: int) -> dict:
    """Page through all shots `times` times in all, fast, then wait; returns what was found after each round."""
    import gc

    app = application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    window.open_paths([folder])
    window.set_task(Task.CORRECT)
    shots = window.shoot.shots
    rounds = []
    for k in range(times):
        window.shoot.select(shots[k % len(shots)])
        end = time.monotonic() + (0.25 if k % 3 else 0.9)
        while time.monotonic() < end:
            app.processEvents()
            time.sleep(0.004)
        if k % len(shots) == len(shots) - 1 or k == times - 1:
            alive = sum(isinstance(o, Developer) for o in gc.get_objects())
            rounds.append(
                {
                    "mb": round(resident_mb()), "developers": alive, "widgets": len(app.allWidgets()),
                    "edits": len(window.correct.edits),
                }
            )  # fmt: skip
            print(json.dumps(rounds[-1]), file=sys.stderr, flush=True)
    window.confirm = lambda *_: True
    window.close()
    return {"shots": len(shots), "times": times, "rounds": rounds, "peak_mb": round(resident_mb("VmHWM"))}


if __name__ == "__main__":
    print(json.dumps(main(sys.argv[1], int(sys.argv[2]))))

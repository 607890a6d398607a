"""A folder of 1,000 shots (2,000 files) in the real window: list, thumbnails, scrolling, memory."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
SHOTS = 1000

_DRIVE = """
import os, sys, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
from bruto.app.main import application
from bruto.app.window import Window
from bruto.tasks import Task
app = application()
window = Window()
window.resize(1280, 800)
window.show()
window.set_task(Task.INTAKE)
app.processEvents()
began = time.perf_counter()
window.open_paths([sys.argv[1]])
app.processEvents()
window.grab()
listed = time.perf_counter() - began
board, thumbs = window.intake.board, window.intake.board.cards.thumbs
bar, stalls, started = board.verticalScrollBar(), [], time.perf_counter()
first = len(thumbs)
while len(thumbs) < len(window.shoot.shots) and time.perf_counter() - started < 120:
    step = time.perf_counter()
    bar.setValue((bar.value() + 90) % max(1, bar.maximum()))
    board.viewport().repaint()
    app.processEvents()
    stalls.append(time.perf_counter() - step)
    time.sleep(0.016)
took = time.perf_counter() - started
peak = [line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")][0]
stalls.sort()
import json
print(json.dumps({
    "shots": len(window.shoot.shots), "listed_s": listed, "thumbnails_per_s": (len(thumbs) - first) / took,
    "measured_meanwhile": len(window.shoot.reports), "scroll_step_p95_ms": 1e3 * stalls[int(0.95 * len(stalls))],
    "scroll_step_worst_ms": 1e3 * stalls[-1], "peak_mb": int(peak) / 1024,
}))
window.close()
"""


def make(folder: Path, shots: int = SHOTS) -> None:
    """Write shots with previews of real size (1008 x 756) in singles, bursts and brackets."""
    sys.path.insert(0, str(ROOT))
    from tests.shoot.generated import Day

    day = Day(folder, 5, (1008, 756), 1008)
    views = [day.scene() for _ in range(12)]
    k = 0
    while k < shots:
        group = (1, 1, 1, 5, 3)[k % 5]
        for n in range(min(group, shots - k)):
            seconds = 1 / 250 * 4.0 ** (n - 1) if group == 3 else 1 / 250
            day.shot(views[k % 12], 100, seconds, stems="following" if k % 2 else "same", pause=0.5)
            k += 1
        day.wait(60)


def folder_of_1000() -> dict[str, Any]:
    """Seconds until the list is usable, thumbnails a second while the board is scrolled and shots are measured, the
    longest step of scrolling, and peak memory.
    """
    with tempfile.TemporaryDirectory(prefix="bruto-folder-") as name:
        make(Path(name))
        environment = {**os.environ, "XDG_CACHE_HOME": f"{name}/.cache", "XDG_DATA_HOME": f"{name}/.data"}
        done = subprocess.run(
            [sys.executable, "-c", _DRIVE, name], capture_output=True, text=True, check=True, cwd=ROOT, env=environment
        )
    return json.loads(done.stdout.splitlines()[-1])


if __name__ == "__main__":
    print(json.dumps(folder_of_1000(), indent=1))

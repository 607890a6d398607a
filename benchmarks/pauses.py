"""Longest pauses of the interface thread while everything runs: measuring, rendering, merging and delivering, 12 MP."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from bruto.tasks import Task

SECONDS = 25.0
FRAMES = 4


def pauses() -> dict[str, Any]:
    """Milliseconds between two turns of the event loop: 99th percentile and longest; and of a change of theme."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from bruto.app.main import application
    from bruto.app.window import Window
    from bruto.export.preset import ExportPreset
    from bruto.output_planner import Outputs
    from bruto.simphone.capture_files import simulate

    with tempfile.TemporaryDirectory(prefix="bruto-pauses-") as name:
        folder = Path(name)
        burst = [s["files"][0] for s in simulate("pans", folder, megapixels=12, count=FRAMES, seed=2)]
        for k in range(6):
            shutil.copy2(burst[0], folder / f"more-{k}.dng")
        app = application()
        window = Window()
        window.resize(1280, 800)
        window.show()
        window.open_paths([str(folder)])
        window.set_task(Task.CORRECT)
        end = time.monotonic() + 60
        while (window.correct.developer is None or not window.session.idle()) and time.monotonic() < end:
            app.processEvents()
            time.sleep(0.002)
        files = [Path(f) for f in burst]
        window.session.merging.start(files, "mean", Outputs(files).in_folder(folder, "merged.dng"))
        window.session.export_shots(folder / "finished", ".jpg", ExportPreset(), list(window.shoot.shots))
        edit = window.correct.edit
        assert edit is not None
        gaps, began, last, k = [], time.perf_counter(), time.perf_counter(), 0
        while time.perf_counter() - began < SECONDS:
            app.processEvents()
            now = time.perf_counter()
            gaps.append(now - last)
            last = now
            k += 1
            if k % 25 == 0:  # a hand that drags, and looks at other shots now and then
                edit.change("exposure", final=False, exposure=0.5 + 0.4 * float(np.sin(k / 60)))
            if k % 1500 == 0:
                window.step(1 if k % 3000 else -1)
                edit = window.correct.edit or edit
            time.sleep(0.002)
        gaps = gaps[2:]
        theme = []
        for _ in range(4):
            start = time.perf_counter()
            window.top.toggle_theme()
            app.processEvents()
            window.grab()
            theme.append(time.perf_counter() - start)
        window.confirm = lambda *_: True  # type: ignore[assignment]
        window.close()
    return {
        "p99_ms": 1e3 * float(np.percentile(gaps, 99)), "longest_ms": 1e3 * max(gaps),
        "over_150_ms": sum(g > 0.15 for g in gaps), "theme_s": float(np.median(theme)),
    }  # fmt: skip


if __name__ == "__main__":
    print(pauses())

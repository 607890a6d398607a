"""Speed and memory: ratios against other libraries on the same file in the same run, and what the window takes.

`./run bench` (or `bruto bench --json`). Absolute times are information only; the ratios are what counts.
"""

from __future__ import annotations

import io
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.folder import folder_of_1000
from benchmarks.pauses import pauses

ROOT = Path(__file__).resolve().parents[1]
ROUNDS = 3


def _seconds(work: Callable[[], Any]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _raw_file(folder: Path, megapixels: int) -> Path:
    """A mosaic of the pans at noon; 48 MP are four of 12 side by side (for speed the content matters little)."""
    from bruto.container.dng_reader import read_dng
    from bruto.container.dng_writer import DngTags, write_dng
    from bruto.simphone.capture_files import simulate

    made = Path(simulate("pans", folder, megapixels=12, seed=1)[0]["files"][0])
    if megapixels == 12:
        return made
    frame = read_dng(made)
    m = frame.meta
    large = folder / "large.dng"
    tags = DngTags(
        black=m.black, white=m.white, bits=12, calibrations=m.calibrations, as_shot_neutral=m.as_shot_neutral,
        cfa=m.cfa, noise_profile=m.noise_profile, gain_maps=m.gain_maps, iso=m.iso, exposure_s=m.exposure_s,
    )  # fmt: skip
    write_dng(large, np.tile(frame.codes, (2, 2)), tags, np.zeros((120, 160, 3), np.uint8))
    return large


def develop_ratio(path: Path, rounds: int = ROUNDS) -> dict[str, float]:
    """Raw file to finished JPEG with the default recipe, over rawpy's AHD and a JPEG of the same quality."""
    import rawpy
    from PIL import Image

    from bruto.develop.recipe import Recipe
    from bruto.export.preset import ExportPreset
    from bruto.export.queue import export_shot

    out = path.with_suffix(".out.jpg")

    def mine() -> None:
        export_shot(path, out, Recipe(), ExportPreset(), overwrite=True)

    def theirs() -> None:
        with rawpy.imread(str(path)) as raw:
            rgb = raw.postprocess(demosaic_algorithm=rawpy.DemosaicAlgorithm.AHD, use_camera_wb=True)
        Image.fromarray(rgb).save(io.BytesIO(), "JPEG", quality=92, subsampling=0)

    mine()
    pairs = [(_seconds(mine), _seconds(theirs)) for _ in range(rounds)]
    own, other = (statistics.median(p[k] for p in pairs) for k in (0, 1))
    return {"ratio": own / other, "seconds": own, "rawpy_seconds": other}


def compare_ratio(path: Path, rounds: int = 3) -> dict[str, float]:
    """Comparing a raw with its picture (registration and all measures), and finding the phone's look, over developing
    the raw to a file in the same run.
    """
    from bruto.align.registration import register_codes
    from bruto.compare.match.solver import match
    from bruto.compare.metrics import COMPARE_EDGE, compare
    from bruto.compare.regions import places_of
    from bruto.compare.sources import Developed, side_of
    from bruto.container.picture import read_picture
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.source import open_source
    from bruto.export.preset import ExportPreset
    from bruto.export.queue import export_shot

    recipe, phone = Recipe(exposure=0.4), path.with_suffix(".jpg")
    picture = read_picture(phone).pixels
    developer = Developer(open_source(path))

    def develop() -> None:
        export_shot(path, path.with_suffix(".out.jpg"), recipe, ExportPreset(), overwrite=True)

    def comparing() -> None:
        first = side_of(path, recipe, None, developer).whole(COMPARE_EDGE)
        places_of(*(found := compare(first, side_of(phone).whole(COMPARE_EDGE))).labs, found.valid)

    def look() -> None:
        alignment = register_codes(Developed(developer, recipe).whole(COMPARE_EDGE), picture)
        match(developer, picture, alignment, recipe)

    for work in (develop, comparing, look):
        work()
    rows = [tuple(_seconds(work) for work in (develop, comparing, look)) for _ in range(rounds)]
    own, compared, matched = (statistics.median(r[k] for r in rows) for k in range(3))
    return {"compare_ratio": compared / own, "match_ratio": matched / own, "compare_seconds": compared,
            "match_seconds": matched, "develop_seconds": own}  # fmt: skip


def measure_ratio(path: Path, rounds: int = 7) -> dict[str, float]:
    """Measuring a decoded 12 MP raw over decoding it."""
    from bruto.container.dng_reader import read_dng
    from bruto.sensor.measurement import measure

    frame = read_dng(path)
    measure(frame)
    pairs = [(_seconds(lambda: measure(frame)), _seconds(lambda: read_dng(path))) for _ in range(rounds)]
    own, decode = (statistics.median(p[k] for p in pairs) for k in (0, 1))
    return {"ratio": own / decode, "seconds": own, "decode_seconds": decode}


def _peak(code: str, *arguments: object) -> float:
    """Peak memory in MB of a fresh process that runs `code` with `argv`."""
    # the peak in /proc starts anew with the program; getrusage would carry over what this process needed
    peak = "[line.split()[1] for line in open('/proc/self/status') if line.startswith('VmHWM')][0]"
    script = f"import sys\n{code}\nprint(int({peak}) / 1024)"
    done = subprocess.run(
        [sys.executable, "-c", script, *map(str, arguments)], capture_output=True, text=True, check=True, cwd=ROOT
    )  # fmt: skip
    return float(done.stdout.split()[-1])


DEVELOP = "from bruto.cli import main\nmain(['develop', sys.argv[1], '-o', sys.argv[2]])"
MERGE = "from bruto.cli import main\nmain(['merge', 'noise', *sys.argv[2:], '-o', sys.argv[1]])"


def memory(path: Path, large: Path, folder: Path) -> dict[str, float]:
    """Peak memory of whole commands, MB."""
    from bruto.simphone.capture_files import simulate

    burst = [s["files"][0] for s in simulate("pans", folder / "burst", megapixels=12, count=4, seed=2)]
    return {
        "develop_12mp": _peak(DEVELOP, path, folder / "a.jpg"),
        "develop_48mp": _peak(DEVELOP, large, folder / "b.jpg"),
        "merge_4_of_12mp": _peak(MERGE, folder / "m.dng", *burst),
    }


def interactive(path: Path) -> dict[str, Any]:
    """From a change of value to its picture on a 1280 x 800 window, 12 MP, milliseconds."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from bruto.app.main import application
    from bruto.app.window import Window

    app = application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    window.open_paths([str(path)])

    def settle() -> None:
        while not window.worker.idle():
            app.processEvents()
            time.sleep(0.001)
        app.processEvents()

    end = time.monotonic() + 60
    while window.correct.developer is None and time.monotonic() < end:
        app.processEvents()
    settle()
    edit = window.correct.edit
    assert edit is not None

    def series(field: str, values: list[float]) -> list[float]:
        taken = []
        for k, value in enumerate(values):
            before = window.correct.stage.base
            piece = window.correct.stage.piece
            began = time.perf_counter()
            edit.change(field, final=k == len(values) - 1, **{field: value})
            stage = window.correct.stage
            while (stage.piece is piece) if window.correct.renderer.feed.needs_piece() else (stage.base is before):
                app.processEvents()
                time.sleep(0.0003)  # as an event loop does, instead of holding the interpreter
            taken.append((time.perf_counter() - began) * 1e3)
            settle()
        return taken[2:]

    def p95(values: list[float]) -> float:
        return float(np.percentile(values, 95))

    steps = [float(v) for v in np.linspace(0.1, 1.4, 42)]
    result = {
        "point_p95_ms": p95(series("exposure", steps)), "neighbourhood_p95_ms": p95(series("luminance_noise", steps)),
    }  # fmt: skip
    window.correct.stage.set_one_to_one()
    settle()
    result["point_at_1_to_1_p95_ms"] = p95(series("exposure", steps))
    result["neighbourhood_at_1_to_1_p95_ms"] = p95(series("sharpness", steps))
    window.close()
    return result


def demo_start() -> dict[str, float]:
    """Seconds from starting the program to a usable window on the demo shoot (made before)."""
    from bruto.app.demo_day import demo_folder
    from bruto.simphone.demo import make_demo

    make_demo(demo_folder())
    program = Path(sys.executable).with_name("bruto")
    with tempfile.TemporaryDirectory() as folder:
        began = time.perf_counter()
        done = subprocess.run(
            [program, "demo", "--screenshot", f"{folder}/a.png"], capture_output=True, text=True, check=True,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        whole = time.perf_counter() - began
    words = done.stdout.split()
    return {"usable_s": float(words[words.index("after") + 1]), "until_closed_s": whole}


def run_all(say: Callable[[str], None], quality: bool = False) -> dict[str, Any]:
    """All measures as one object; progress goes to `say`."""
    with tempfile.TemporaryDirectory(prefix="bruto-bench-") as name:
        folder = Path(name)
        say("preparing 12 and 48 MP raws (traced once, then kept) …")
        small, large = _raw_file(folder, 12), _raw_file(folder, 48)
        results: dict[str, Any] = {}
        for key, text, work in (
            ("develop_12mp", "developing 12 MP", lambda: develop_ratio(small)),
            ("develop_48mp", "developing 48 MP", lambda: develop_ratio(large, 1)),
            ("interactive", "changing values in the window", lambda: interactive(small)),
            ("pauses", "pausing while everything runs", pauses),
            ("demo", "starting the demo", demo_start),
            ("measure_12mp", "measuring 12 MP", lambda: measure_ratio(small)),
            ("compare_12mp", "comparing 12 MP, and finding the phone's look", lambda: compare_ratio(small)),
            ("folder", "opening a folder of 1000 shots", folder_of_1000),
            ("memory_mb", "measuring memory", lambda: memory(small, large, folder)),
        ):
            say(text + " …")
            results[key] = work()
            say(f"  {results[key]}")
    results["cores"] = len(os.sched_getaffinity(0))
    results["peak_of_this_process_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    if quality:
        from benchmarks.quality import run_all as quality_of

        results["quality"] = quality_of(say)
    return results

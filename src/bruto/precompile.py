"""Compile the kernels once, so that the first start is as quick as every other.

On both cores at once, and again only those whose sources changed.

Compiled kernels are cached beside the package. The compiler's own cache looks at the file of a kernel, not at those
whose functions are built into it; the stamp here knows both, and throws away what has grown old.
"""

from __future__ import annotations

import ast
import compileall
import hashlib
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import platformdirs

ROOT = Path(__file__).parent
SIZE = (504, 378)
PARTS = ("develop", "rest")


def _kernel_modules() -> dict[str, Path]:
    """Modules with compiled functions, by their dotted name."""
    found = {}
    for path in sorted(ROOT.rglob("*.py")):
        if "njit" in path.read_text("utf-8") and path != Path(__file__):
            found[".".join(["bruto", *path.relative_to(ROOT).with_suffix("").parts])] = path
    return found


def _digests() -> dict[str, str]:
    """For each module with kernels a digest of its source and of those that may be built into it."""
    modules = _kernel_modules()
    texts = {name: path.read_text("utf-8") for name, path in modules.items()}
    uses: dict[str, set[str]] = {}
    for name, text in texts.items():
        imports = {node.module or "" for node in ast.walk(ast.parse(text)) if isinstance(node, ast.ImportFrom)}
        uses[name] = imports & modules.keys()
    result = {}
    for name in modules:
        reached, todo = {name}, [name]
        while todo:
            for other in uses[todo.pop()] - reached:
                reached.add(other)
                todo.append(other)
        digest = hashlib.sha256(f"{ROOT}|{sys.version}".encode())
        for other in sorted(reached):
            digest.update(texts[other].encode())
        result[name] = digest.hexdigest()[:20]
    return result


def _forget(path: Path) -> None:
    """Throw away what is compiled of a module."""
    for old in (path.parent / "__pycache__").glob(f"{path.stem}.*.nb[ic]"):
        old.unlink(missing_ok=True)


def main() -> int:
    """Warm everything up unless that was done for these sources."""
    place = hashlib.sha256(str(ROOT).encode()).hexdigest()[:8]
    stamp = Path(platformdirs.user_cache_dir("bruto")) / f"warm-{place}.json"
    wanted = _digests()
    try:
        known = json.loads(stamp.read_text())
    except (OSError, ValueError):
        known = {}
    if os.access(ROOT, os.W_OK) and "NUMBA_CACHE_DIR" not in os.environ and not any(ROOT.rglob("*.nbi")):
        known = {}  # the stamp is of another checkout that lay here
    compileall.compile_dir(str(ROOT), quiet=2)  # also where an import may not write: else each start would do it again
    if known == wanted:
        return 0
    modules = _kernel_modules()
    for name, path in modules.items():
        if known.get(name) != wanted[name]:
            _forget(path)
    sys.stderr.write("compiling the kernels (once, about two minutes)\n")
    command = [sys.executable, "-m", "bruto.precompile"]
    environment = {**os.environ, "OMP_NUM_THREADS": "1"}  # compiling is the work; both run at once
    running = [subprocess.Popen([*command, part], env=environment) for part in PARTS]
    codes = [process.wait() for process in running]
    if any(codes):
        return 1
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(json.dumps(wanted))
    return 0


def _develop() -> None:
    """Compile what developing needs, on a made-up raw: no scene is to be traced for it."""
    import numpy as np

    from bruto.container.dng_reader import read_dng
    from bruto.container.dng_writer import write_dng
    from bruto.container.linearisation import linearise
    from bruto.container.raw_frame import RawFrame
    from bruto.develop.demosaic import demosaic
    from bruto.develop.linear_preview import plain_view
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.recipe_values import SWAP_RED_BLUE, Curves, LocalTone
    from bruto.develop.rectangle import Rectangle
    from bruto.develop.source import source_of_raw
    from bruto.develop.steps.local_contrast import fine_local_contrast
    from bruto.simphone.capture_files import sample_tags

    demosaic(np.zeros((8, 8), np.float32), "RGGB")  # takes longest, and the other process needs it, too
    random = np.random.default_rng(1)
    w, h = SIZE
    codes = (random.uniform(0.02, 0.9, (h, w)) * 900 + 64).astype(np.uint16)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.dng"
        write_dng(path, codes, sample_tags(), np.zeros((90, 120, 3), np.uint8))
        frame = read_dng(path)
        developer = Developer(source_of_raw(path, frame))
        field = LocalTone(columns=1, rows=1, lights=2, gains=(0.1, 0.1))
        recipe = Recipe(local_contrast_fine=1.2, local_contrast_medium=1.1, haze=20, chroma=1.2, local_tone=field)
        curves = Curves(joint=((0.0, 0.0), (0.5, 0.6), (1.0, 1.0)))
        finish = recipe.changed(vignette=-0.5, corner_color=0.1, channel_matrix=SWAP_RED_BLUE, curves=curves)
        developer.view(recipe, 2)
        developer.view(finish, 2)
        fine_local_contrast(np.ones((16, 16, 3), np.float32), 1.2, 5040.0, (1e-4, 1e-6))  # left out where it is small
        developer.view(recipe, 1, Rectangle(10, 10, 200, 100))
        developer.render(recipe)
        developer.render(recipe, space="linear")
        developer.render(recipe, bits=16)
        plain_view(developer, 0.0, 2)
        linearise(RawFrame(frame.codes.astype("float32"), frame.meta))


def _rest() -> None:
    """Compile what the simulated phone, measuring, suggesting, merging, comparing and the best noise reduction need."""
    import numpy as np

    from bruto.compare.maps import difference_map, lab_of_codes
    from bruto.container.dng_reader import read_dng
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe
    from bruto.develop.source import open_source
    from bruto.develop.suggest.suggester import suggest_all, take_all
    from bruto.merge.merger import merge
    from bruto.sensor.measurement import measure
    from bruto.simphone.capture_files import simulate

    labs = lab_of_codes(np.zeros((8, 8, 3), np.uint8))
    difference_map(labs, labs)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        simulate("pans", folder, size=(252, 190))
        shots = simulate("card", folder, size=SIZE, count=2)
        steps = simulate("card", folder, size=SIZE, bracket=(-1.0, 1.0), seed=2)
        files: list[str | Path] = [s["files"][0] for s in shots]
        measure(read_dng(files[0]))
        best = Recipe(noise_best=True, luminance_noise=1.0, chroma_noise=1.0)
        Developer(open_source(shots[0]["files"][1])).render(best)
        merge("mean", files, folder / "merged.dng")
        measure(read_dng(folder / "merged.dng"))
        Developer(open_source(folder / "merged.dng")).render(best)
        merge("bracket", [s["files"][0] for s in steps], folder / "bracket.dng")
        Developer(open_source(folder / "bracket.dng")).render(best)
        developer = Developer(open_source(files[0]))
        developer.render(take_all(Recipe(), suggest_all(developer)).changed(noise_best=True))
        merge("long", files, folder / "long.dng")
        still = simulate("card", folder, size=SIZE, count=2, seed=3, static=True)
        merge("mean", [s["files"][0] for s in still], folder / "still.dng")


def _nights() -> None:
    """Compile what merging frames of a night needs."""
    from bruto.merge.merger import merge

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        night = _night(folder)
        merge("trails", night, folder / "trails.dng")
        merge("sky", night, folder / "sky.dng")


def _night(folder: Path) -> list[Path]:
    """Frames of made-up stars that turn about a pole."""
    from dataclasses import replace

    import numpy as np

    from bruto.container.dng_writer import write_dng
    from bruto.merge.sky.sky_rotation import SkyRotation
    from bruto.simphone.capture_files import sample_tags
    from bruto.simphone.night import _splash

    w, h = SIZE
    random = np.random.default_rng(2)
    turning = SkyRotation(np.array([0.0, -0.3, 0.954]), 380.0, 0.0, SIZE)
    stars = turning.directions(random.uniform(-200, 700, (300, 2)))
    tags = replace(sample_tags(), iso=1600.0, exposure_s=20.0)
    ground = np.repeat(np.repeat(random.uniform(0, 0.2, (h // 6, w // 6)), 6, 0), 6, 1)[: h // 3]
    files = []
    for k in range(10):
        light = random.normal(0.03, 0.001, (h, w, 3)).astype(np.float32)
        light[-len(ground) :, : ground.shape[1]] += ground[..., None].astype(np.float32)
        places = np.nan_to_num(turning.places(turning.turned(stars, 300.0 * k)), nan=-1e3)
        _splash(light, places[:, 0], places[:, 1], np.full((len(places), 3), 0.4), 0.8)
        codes = np.clip(light[..., 1] * float(tags.white[0]) + float(tags.black.mean()), 0, float(tags.white[0]))
        path = folder / f"night{k}.dng"
        taken = f"2026:06:21 23:{5 * k:02d}:00"
        write_dng(path, codes.astype(np.uint16), replace(tags, taken=taken), np.zeros((90, 120, 3), np.uint8))
        files.append(path)
    return files


if __name__ == "__main__":
    if sys.argv[1:] == ["develop"]:
        _develop()
        _nights()  # so that both processes end at about the same time
    elif sys.argv[1:] == ["rest"]:
        _rest()
    else:
        sys.exit(main())

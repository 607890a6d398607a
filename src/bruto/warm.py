"""Compile the kernels and make what is made once, so that the first start is as quick as every other.

Compiled kernels are cached beside the package; a stamp with the sources' digest tells whether anything changed.
"""

from __future__ import annotations

import hashlib
import sys
import tempfile
from pathlib import Path

import platformdirs


def _digest() -> str:
    root = Path(__file__).parent
    digest = hashlib.sha256(str(root).encode())
    for path in sorted(root.rglob("*.py")):
        digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def main() -> int:
    """Warm everything up unless that was done for these sources."""
    stamp = Path(platformdirs.user_cache_dir("bruto")) / "warm"
    if stamp.is_file() and stamp.read_text() == _digest():
        return 0
    sys.stderr.write("compiling the kernels (once)\n")
    from bruto.container.dng_reader import read_dng
    from bruto.container.rawframe import RawFrame, linearise
    from bruto.develop.engine import Developer, Rect
    from bruto.develop.plain import plain_view
    from bruto.develop.recipe import Recipe
    from bruto.develop.source import open_source
    from bruto.develop.suggest import suggest_all, take_all
    from bruto.merge.stack import merge_exposure, merge_noise
    from bruto.sensor.report import measure
    from bruto.simphone.capture import simulate

    with tempfile.TemporaryDirectory() as folder:
        shots = simulate("card", Path(folder), size=(504, 378), count=2)
        files: list[str | Path] = [s["files"][0] for s in shots]
        developer = Developer(open_source(files[0]))
        recipe = take_all(Recipe(), suggest_all(developer))
        developer.render(recipe.changed(relief_fine=1.2, relief_medium=1.1, noise_best=True))
        developer.render(recipe)
        developer.render(recipe, space="linear")
        developer.render(recipe, bits=16)
        developer.view(recipe, 2)
        developer.view(recipe, 1, Rect(10, 10, 200, 100))
        plain_view(developer, 0.0, 2)
        frame = read_dng(files[0])
        linearise(RawFrame(frame.codes.astype("float32"), frame.meta))
        measure(frame)
        Developer(open_source(shots[0]["files"][1])).render(recipe)
        merge_noise(files, Path(folder) / "merged.dng")
        measure(read_dng(Path(folder) / "merged.dng"))
        Developer(open_source(Path(folder) / "merged.dng")).render(recipe)
        steps = simulate("card", Path(folder), size=(504, 378), bracket=(-1.0, 1.0), seed=2)
        merge_exposure([s["files"][0] for s in steps], Path(folder) / "bracket.dng")
        Developer(open_source(Path(folder) / "bracket.dng")).render(recipe)
        simulate("pans", Path(folder), size=(252, 190))
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(_digest())
    return 0


if __name__ == "__main__":
    sys.exit(main())

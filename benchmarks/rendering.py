"""What a shot opens with, against finished photographs of any folder: `python -m benchmarks.rendering FOLDER`.

Each photograph is sent backwards through a sensor (`tests.photographs`), opened as a raw, and rendered by default and
with its suggestions: how far its lightness and its coarse colour are from the photograph, and what has become black or
white that was not. `--unrendered` leaves out the phone's own rendering, `--stops` exposes wrongly, `--pictures` writes
photograph, default and suggested picture side by side.
"""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from skimage.color import deltaE_ciede2000, rgb2lab
from tests.hand import sensor_at
from tests.photographs import LIGHT, source_of

from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggester import suggest_all, take_all

GEOMETRY = ("horizon", "verticals", "horizontals")
ISO = (50.0, 100.0, 200.0, 400.0)
"""Taken in turn."""
COARSE_PX = 48
"""Length of a picture at arm's length, pixels."""


def coarse(picture: NDArray[Any]) -> NDArray[np.float64]:
    """L*a*b* of what is left of a picture at arm's length."""
    light = decode_srgb(picture / 255.0).astype(np.float32)
    scale = COARSE_PX / max(light.shape[:2])
    return rgb2lab(encode_srgb(cv2.resize(light, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)))


def measures(wanted: NDArray[Any], picture: NDArray[Any]) -> dict[str, float]:
    """Mean L* and coarse Delta E 2000 from the photograph; percent that became black (L* < 2) or white (> 98)."""
    seen, found = coarse(wanted), coarse(picture)
    found = cv2.resize(found, seen.shape[1::-1])
    old, new = (rgb2lab(cv2.resize(np.uint8(p), wanted.shape[1::-1]) / 255.0)[..., 0] for p in (wanted, picture))
    return {
        "l": float(found[..., 0].mean() - seen[..., 0].mean()),
        "de": float(deltaE_ciede2000(seen, found).mean()),
        "crushed": 100 * float(((new < 2) & (old > 4)).mean()),
        "white": 100 * float(((new > 98) & (old < 95)).mean()),
    }


def trial(path: Path, iso: float, rendered: bool, stops: float, pictures: Path | None) -> dict[str, dict[str, float]]:
    """Default and suggested picture of one photograph."""
    codes = np.asarray(Image.open(path).convert("RGB"))
    codes = codes[: codes.shape[0] // 2 * 2, : codes.shape[1] // 2 * 2]
    light = decode_srgb(codes / 255.0).astype(np.float32)
    with TemporaryDirectory() as folder:
        source = source_of(Path(folder), light, sensor_at(iso), scale=LIGHT * 2.0**stops)
        if not rendered and source.frame is not None:
            source = replace(source, frame=replace(source.frame, preview=None))
        developer = Developer(source)
        found = {f: s for f, s in suggest_all(developer).items() if f not in GEOMETRY}
        shown = [developer.render(recipe) for recipe in (Recipe(), take_all(Recipe(), found))]
    if pictures is not None:
        sized = [cv2.resize(np.uint8(p), codes.shape[1::-1]) for p in (codes, *shown)]
        Image.fromarray(np.hstack(sized)).save(pictures / f"{path.stem}.png")
    return {name: measures(codes, picture) for name, picture in zip(("default", "suggested"), shown, strict=True)}


def main() -> None:
    """Print a line for each photograph and what the bars ask."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--unrendered", action="store_true", help="without the phone's own rendering")
    parser.add_argument("--stops", type=float, default=0.0, help="EV by which each is wrongly exposed")
    parser.add_argument("--pictures", type=Path, help="folder for photograph, default and suggested side by side")
    asked = parser.parse_args()
    rows = []
    for k, path in enumerate(sorted(p for p in asked.folder.iterdir() if p.suffix.lower() in (".png", ".jpg"))):
        found = trial(path, ISO[k % len(ISO)], not asked.unrendered, asked.stops, asked.pictures)
        rows.append(found)
        columns = [f"{name}: " + ", ".join(f"{m} {v:.1f}" for m, v in values.items()) for name, values in found.items()]
        print(f"{path.name:32}", "; ".join(columns), flush=True)
    off = np.abs([row["suggested"]["l"] for row in rows])
    worse = [row["suggested"]["de"] - row["default"]["de"] for row in rows]
    print(
        f"{len(rows)} photographs: L* off by {np.percentile(off, 75):.1f} (75 %), {off.max():.1f} at worst; "
        f"Delta E {np.median([row['suggested']['de'] for row in rows]):.1f} in the median; "
        f"{sum(w > 1 for w in worse)} worse than the default by more than 1, {max(worse):.1f} at worst; newly crushed "
        f"{max(row['suggested']['crushed'] - row['default']['crushed'] for row in rows):.1f} %, "
        f"white {max(row['suggested']['white'] - row['default']['white'] for row in rows):.1f} % at most"
    )


if __name__ == "__main__":
    main()

"""How far colour jumps where channels begin to be clipped: `python -m benchmarks.clipped_edges FOLDER`.

Each photograph is exposed so that parts of it are clipped, and so that nothing is; both are rendered equally bright.
What the error of colour (a*b*) jumps by from one side of an edge to the other, means of some pixels on both sides, is
given as Delta E 2000: all of it, and without mere paleness, which is no false hue.
"""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from skimage.color import deltaE_ciede2000
from tests.photographs import Sensor, source_of

from bruto.color.spaces import decode_srgb, picture_to_lab
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe

SCALES = (0.45, 1.6)
"""Light of white on the sensor: nothing clipped, and much."""
NEAR_PX, LEAST_PX, TALLEST, WIDEST = 2.5, 100, 900, 1200


def near(error: NDArray[np.float32], where: NDArray[np.uint8]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Mean of an error (h, w, 2) around each pixel, of those of a mask alone, and their share."""
    share = cv2.GaussianBlur(where.astype(np.float32), (0, 0), NEAR_PX)
    return cv2.GaussianBlur(error * where[..., None], (0, 0), NEAR_PX) / np.maximum(share, 1e-4)[..., None], share


def jumps(path: Path) -> NDArray[np.float64] | None:
    """Median, 95 and 99 % of all jumps of a photograph, then of false hue; None without clipped edges."""
    codes = np.asarray(Image.open(path).convert("RGB"))[:TALLEST, :WIDEST]
    codes = codes[: codes.shape[0] // 2 * 2, : codes.shape[1] // 2 * 2]
    light = np.ascontiguousarray(decode_srgb(codes / 255.0).astype(np.float32))
    shown = []
    for scale in SCALES:
        with TemporaryDirectory() as folder:
            developer = Developer(source_of(Path(folder), light, Sensor(a=2e-4, b=1e-7), 3, scale))
        shown.append(picture_to_lab(developer.render(Recipe(exposure=-np.log2(scale) - 1.0))).astype(np.float32))
    full = np.repeat(np.repeat((developer.clipped > 0).astype(np.uint8), 2, axis=0), 2, axis=1)
    h, w = (min(n) for n in zip(full.shape, shown[0].shape[:2], strict=True))
    full = cv2.morphologyEx(full[:h, :w], cv2.MORPH_OPEN, np.ones((7, 7)))
    wanted, found = (s[:h, :w] for s in shown)
    inside, share = near((found - wanted)[..., 1:], full)
    outside, rest = near((found - wanted)[..., 1:], 1 - full)
    edge = (full > 0) & (cv2.erode(full, np.ones((3, 3))) == 0) & (share > 0.2) & (rest > 0.2)
    if edge.sum() < LEAST_PX:
        return None
    own, lightness = cv2.GaussianBlur(wanted, (0, 0), NEAR_PX)[edge][:, 1:], found[..., 0][edge]
    moved = own + (inside - outside)[edge]
    paler = own * np.clip((moved * own).sum(axis=1) / np.maximum((own * own).sum(axis=1), 1e-6), 0, 1)[:, None]
    both = [deltaE_ciede2000(*(np.c_[lightness, ab] for ab in (a, moved))) for a in (own, paler)]
    return np.concatenate([np.percentile(jump, [50, 95, 99]) for jump in both])


def main() -> None:
    """Print a line for each photograph, and their mean."""
    found = []
    for path in sorted(Path(sys.argv[1]).iterdir()):
        values = jumps(path)
        if values is not None:
            found.append(values)
            print(f"{path.stem[:24]:24}", *(f"{v:5.1f}" for v in values), flush=True)
    print(f"{len(found)} photographs, mean: ", *(f"{v:5.2f}" for v in np.mean(found, axis=0)))
    print("median of them: ", *(f"{v:5.2f}" for v in np.median(found, axis=0)))


if __name__ == "__main__":
    main()

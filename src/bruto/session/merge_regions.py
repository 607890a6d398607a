"""Where one frame and what was merged of many differ most: noise that is gone, something that moved, lights."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import picture_to_lab
from bruto.compare.regions import Region

EDGE = 1400
"""Long edge at which places are looked for, pixels."""
BLOCK = 40
"""Pixels a side of a block there."""
APART = 4
"""Blocks that two places lie apart at least."""
FINE = 1.6
"""Standard deviation in pixels of what counts as fine."""
MOVED = 6.0
"""Difference of lightness, L*, without what is fine, from which something moved or was filled in."""
MOST = 4


def _fine(light: NDArray[np.float32]) -> NDArray[np.float32]:
    return light - cv2.GaussianBlur(light, (0, 0), FINE)


def _blocks(values: NDArray[np.float32]) -> NDArray[np.float32]:
    h, w = (n // BLOCK for n in values.shape)
    return values[: h * BLOCK, : w * BLOCK].reshape(h, BLOCK, w, BLOCK).mean(axis=(1, 3))


def merge_regions(one: NDArray[np.uint8], merged: NDArray[np.uint8]) -> tuple[Region, ...]:
    """Return up to `MOST` places of two developed pictures (H, W, 3) of one frame, with what is to be seen there.

    Parameters
    ----------
    one
        First picture (H, W, 3).
    merged
        Merged picture (H, W, 3).

    Returns
    -------
    tuple[Region, ...]
        Up to `MOST` places of two developed pictures (H, W, 3) of one frame, with what is to be seen there.
    """
    scale = min(1.0, EDGE / max(one.shape))
    h, w = round(one.shape[0] * scale), round(one.shape[1] * scale)
    # noise is reported at 1:1, in the middle of each block's place: an average would hide it
    step = max(1, round(1 / scale))
    lightness = [picture_to_lab(p[::step, ::step][:h, :w])[..., 0].astype(np.float32) for p in (one, merged)]
    if min(lightness[0].shape) < 2 * BLOCK:
        return ()
    noise = [np.sqrt(_blocks(_fine(p) ** 2)) for p in lightness]
    coarse = [cv2.GaussianBlur(p, (0, 0), 3.0) for p in lightness]
    moved = _blocks(np.abs(coarse[0] - coarse[1]))
    level = _blocks(lightness[1])
    rows, columns = moved.shape
    found: list[tuple[int, int]] = []
    places: list[Region] = []

    def take(score: NDArray[Any], kind: str, sentence: str) -> None:
        score = score.copy()
        for y, x in found:
            score[max(0, y - APART) : y + APART + 1, max(0, x - APART) : x + APART + 1] = -np.inf
        y, x = divmod(int(np.argmax(score)), columns)
        if not np.isfinite(score[y, x]) or score[y, x] <= 0:
            return
        found.append((y, x))
        ratio = noise[0][y, x] / max(float(noise[1][y, x]), 0.05)
        text = sentence.format(one=noise[0][y, x], merged=noise[1][y, x], ratio=ratio, moved=moved[y, x])
        places.append(Region(kind, (x + 0.5) / columns, (y + 0.5) / rows, text))

    if moved.max() > MOVED:
        take(
            np.where(moved > MOVED, moved, -np.inf),
            "changed",
            tr("something is in only one of them: they differ by {moved:.0f} L*."),
        )
    gone = noise[0] - noise[1]
    template = tr("fine structure is {one:.1f} L* in one frame, {merged:.1f} L* merged.")
    take(np.where(level < 35, gone, -np.inf), "dark", template)
    detail = np.where(noise[1] > 1.2 * np.median(noise[1]), noise[1] * (np.abs(gone) + 0.2), -np.inf)
    take(detail, "detail", template)
    take(np.where(level >= 35, gone, -np.inf), "light", template)
    return tuple(places[:MOST])

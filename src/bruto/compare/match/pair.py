"""A raw and a phone's picture on one small grid: what the parts of the match are fitted on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.catalog import tr
from bruto.compare.maps import CODES, TO_XYZ, difference_map, lab_of_light
from bruto.container.orientation import as_stored
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.steps.kernel_rows import WEIGHTS
from bruto.develop.steps.working_light import to_working
from bruto.errors import BrutoError

GRID_EDGE = 1008
"""Long edge at which tone and colour are fitted, pixels."""
LIMITS = (1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0)
"""Standard deviations on the grid by which both may be blurred, pixels: what is finer than the picture's own texture
limit is noise, or texture that the phone smeared, and no matter of tone or colour.
"""
SHARPENED = 3.0
"""Pixels of the raw at full size below which a phone's sharpening and its halos reach: no matter of tone or colour."""
FOLLOWS, FOLLOWS_COLOR = 0.9, 0.7
"""Correlation of both in L* and in a*, b*, between a limit and twice it, from which the picture still shows the scene.
"""
BLOCKS, TEST_SHARE = (18, 24), 0.25
"""Rows and columns of blocks, and the share of them that no fit sees."""
FULL, EMPTY = 250 / 255, 4 / 255
"""Code of a picture beyond which a channel counts as clipped, and below which all three count as lost."""
SRGB_WEIGHTS = TO_XYZ[1].astype(np.float32)
LEAST_PLACES = 400
"""Usable places of the grid below which nothing is fitted."""


@dataclass(frozen=True)
class Pair:
    """A raw and the phone's picture of the same moment, on one grid.

    `target` (H, W, 3) is the picture as linear sRGB on the raw's grid, as the raw is stored, blurred by its texture
    limit `limit` (pixels of the grid); `valid` (H, W) is where it shows anything.
    """

    developer: Developer
    factor: float
    target: NDArray[np.float32]
    valid: NDArray[np.bool_]
    usable: NDArray[np.bool_]
    """And is clipped in neither."""
    test_blocks: NDArray[np.bool_]
    """The blocks that are kept out of every fit."""
    limit: float
    first: NDArray[np.float32]
    """The raw by the recipe that was compared, linear sRGB, not blurred."""
    second: NDArray[np.float32]
    """The picture, not blurred."""

    @property
    def used(self) -> NDArray[np.bool_]:
        """Where fits look."""
        return self.usable & ~self.test_blocks

    @cached_property
    def lab(self) -> NDArray[np.float32]:
        """CIELAB of the target."""
        return lab_of_light(self.target)

    def seen(self, recipe: Recipe) -> NDArray[np.float32]:
        """Compute the developed raw as linear sRGB on the grid, blurred like the target.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float32]
            The developed raw as linear sRGB on the grid, blurred like the target.
        """
        return blurred(CODES[self.developer.view(recipe, self.factor)], self.limit)

    def light(self, recipe: Recipe) -> NDArray[np.float32]:
        """Compute the scene light (H, W), EV from grey, before any exposure of the recipe.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float32]
            Scene light (H, W), EV from grey, before any exposure of the recipe.
        """
        developer = self.developer
        rgb = blurred(developer.light(recipe, self.factor), self.limit)
        working = to_working(np.ascontiguousarray(rgb), developer.balanced_matrix(developer.neutral(recipe)))
        gain = 2.0**developer.source.meta.baseline_exposure
        return np.log2(np.maximum(working @ WEIGHTS * np.float32(gain), 1e-6) / 0.18).astype(np.float32)

    def errors(self, recipe: Recipe) -> NDArray[np.float32]:
        """Compute the CIEDE2000 (H, W) between the developed raw and the target.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        NDArray[np.float32]
            CIEDE2000 (H, W) between the developed raw and the target.
        """
        return difference_map(lab_of_light(self.seen(recipe)), self.lab)


def blurred(picture: NDArray[np.float32], limit: float) -> NDArray[np.float32]:
    """Compute a picture without what is finer than a limit, pixels.

    Parameters
    ----------
    picture
        Picture (H, W, 3).
    limit
        Upper limit.

    Returns
    -------
    NDArray[np.float32]
        A picture without what is finer than a limit, pixels.
    """
    return cv2.GaussianBlur(np.ascontiguousarray(picture), (0, 0), limit)


def texture_limit(first: NDArray[np.float32], second: NDArray[np.float32], where: NDArray[np.bool_]) -> float:
    """Compute the finest of `LIMITS` at which the second picture (linear sRGB) still follows the first.

    The last where none.

    Parameters
    ----------
    first
        First picture.
    second
        Second picture.
    where
        Mask of the pixels that count.

    Returns
    -------
    float
        The finest of `LIMITS` at which the second picture (linear sRGB) still follows the first.
    """
    labs = [cv2.cvtColor(p, cv2.COLOR_LRGB2Lab) for p in (first, np.ascontiguousarray(second))]
    for limit in LIMITS:
        one, other = (blurred(lab, limit) - blurred(lab, 2 * limit) for lab in labs)
        follows = []
        for k in range(3):
            a, b = one[..., k][where], other[..., k][where]
            follows.append(float((a * b).sum() / np.sqrt(max(float((a * a).sum() * (b * b).sum()), 1e-12))))
        if follows[0] >= FOLLOWS and (follows[1] + follows[2]) / 2 >= FOLLOWS_COLOR:
            return limit
    return LIMITS[-1]


def pair_of(developer: Developer, picture: NDArray[np.uint8], alignment: Alignment, recipe: Recipe) -> Pair:
    """Bring a picture (H, W, 3; sRGB codes, oriented) onto the grid of a raw.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    alignment
        Where the raw's oriented frame lies in the picture.
    recipe
        The frame and white that are compared.

    Returns
    -------
    Pair
        See `Pair`.

    Raises
    ------
    BrutoError
        Where too little can be compared.
    """
    meta = developer.source.meta
    long_edge = max(developer.source.size)
    factor = max(2.0, long_edge / GRID_EDGE) if long_edge > 1.3 * GRID_EDGE else 1.0
    light = developer.light(recipe, factor) if factor > 1 else developer.light(recipe, 2)
    first = developer.view(recipe, factor)
    shape = first.shape[:2]
    if light.shape[:2] != shape:
        light = cv2.resize(light, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
    size = (shape[1], shape[0]) if meta.orientation < 5 else (shape[0], shape[1])
    scale = max(size) / max(picture.shape[:2])
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else picture
    mx, my = alignment.at_size(size, (small.shape[1], small.shape[0])).maps()
    moved = cv2.remap(CODES[small], mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    valid = (mx >= 1) & (my >= 1) & (mx <= small.shape[1] - 2) & (my <= small.shape[0] - 2)
    codes = cv2.remap(small, mx, my, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    lost = (codes >= round(255 * FULL)).any(axis=2) | (codes <= round(255 * EMPTY)).all(axis=2)
    target, valid, lost = (as_stored(p, meta.orientation) for p in (np.clip(moved, 0, 1), valid, lost))
    # light beyond the white level cannot be seen by a phone that stops there; a little around it is mixed with it
    lost = lost | (light.max(axis=2) >= 0.98)
    lost = cv2.dilate(lost.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    usable = valid & ~lost
    if usable.sum() < LEAST_PLACES:
        raise BrutoError(tr("Too little of both pictures is unclipped, so nothing can be matched."))
    rows, columns = (np.arange(n) * b // n for n, b in zip(shape, BLOCKS, strict=True))
    test_blocks = np.random.default_rng(1).random(BLOCKS) < TEST_SHARE
    limit = max(texture_limit(CODES[first], target, usable), SHARPENED / factor)
    return Pair(
        developer, factor, blurred(target, limit), valid, usable, test_blocks[rows[:, None], columns[None, :]], limit,
        CODES[first], target,
    )  # fmt: skip

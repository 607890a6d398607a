"""Sharpness, fine and medium relief and noise reduction by which a raw's detail becomes as crisp as a picture's.

Some places with edges and texture are developed at full size and split into bands; the part of each of the picture's
bands that follows the raw's says how much it was raised or smeared.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.color.spaces import lightness
from bruto.compare.maps import CODES
from bruto.compare.match.pair import SRGB_WEIGHTS
from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.rectangle import Rectangle, stored_rect

PLACES, SIDE = 4, 224
"""Places that are looked at, and their sides, pixels of the raw."""
EDGES = (0.0, 1.0, 2.0, 4.0)
"""Standard deviations between which the bands lie, pixels of the raw."""
STRONG = 85.0
"""Percentile of what both bands have in common from which a place counts as an edge."""
TRIED = {"sharpness": 0.5, "local_contrast_fine": 0.3, "local_contrast_medium": 0.25}
"""Fields that shape the bands, and the changes by which their effect is measured."""
LIMITS = {"sharpness": (-0.8, 1.9), "local_contrast_fine": (0.3, 2.2), "local_contrast_medium": (0.5, 1.8)}
CHEAP = (0.002, 0.004, 0.02)
"""Cost of a change of each field against an error of a band (of its logarithm): sharpness is tried first."""
ROUNDS = 3
MOST_NOISE = 2.5
"""Luminance noise that is asked for at most, times the measured noise."""


@dataclass(frozen=True)
class Bands:
    """How strong the structure of a picture is beside the raw's, by its fineness."""

    edges: tuple[float, ...]
    """The picture's share of the raw's bands at edges, 1 = as strong, finest first."""
    texture: tuple[float, ...]
    """The same of weak structure."""
    grain: tuple[float, float]
    """Fine L* in the flattest places, of the raw and of the picture."""


def places_of(developer: Developer, alignment: Alignment) -> list[Rectangle]:
    """Return the squares of the oriented frame with much structure, apart from each other.

    That the picture shows whole.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    alignment
        Mapping from the first picture to the second.

    Returns
    -------
    list[Rectangle]
        Squares of the oriented frame with much structure, apart from each other, that the picture shows whole.
    """
    w, h = developer.source.meta.oriented_size
    side = min(SIDE, w // 2, h // 2)
    light = developer.level(8 if max(w, h) > 1500 else 2).mean(axis=2)
    light = orient(light, developer.source.meta.orientation)
    scale = w / light.shape[1]
    fine = np.log2(np.maximum(light, 1e-4))
    structure = cv2.blur(
        np.abs(cv2.Laplacian(np.ascontiguousarray(fine), cv2.CV_32F)), (max(3, int(side / scale)),) * 2
    )
    structure[light > 0.9] = 0
    full = alignment.at_size((w, h), alignment.second_size)
    found: list[Rectangle] = []
    order = np.argsort(structure[::4, ::4].ravel())[::-1]
    for at in order:
        y, x = divmod(int(at), structure[::4, ::4].shape[1])
        left = int(np.clip(x * 4 * scale - side / 2, 0, w - side))
        top = int(np.clip(y * 4 * scale - side / 2, 0, h - side))
        if any(abs(left - r.x) < 1.5 * side and abs(top - r.y) < 1.5 * side for r in found):
            continue
        corners = full.apply(np.array([[left, top], [left + side, top + side]], float))
        if (corners < 0).any() or (corners > np.array(full.second_size) - 1).any():
            continue
        found.append(Rectangle(left, top, side, side))
        if len(found) == PLACES:
            break
    return found


def _split(star: NDArray[np.float32]) -> list[NDArray[np.float32]]:
    levels = [star if not s else cv2.GaussianBlur(star, (0, 0), s) for s in EDGES]
    return [a - b for a, b in pairwise(levels)]


class Detail:
    """A picture's bands at some places, beside those of the raw under any recipe."""

    def __init__(
        self, developer: Developer, picture: NDArray[np.uint8], alignment: Alignment, places: list[Rectangle]
    ) -> None:
        self.developer, self.places = developer, places
        self.orientation = developer.source.meta.orientation
        full = alignment.at_size(developer.source.meta.oriented_size, (picture.shape[1], picture.shape[0]))
        stars = []
        for r in places:
            maps = full.maps(r.x, r.y, r.width, r.height)
            moved = cv2.remap(picture, *maps, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
            stars.append(_star(moved))
        self.theirs = _bands(stars)

    def bands(self, recipe: Recipe) -> Bands:
        """Find how strong the picture's bands are beside the raw's.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.

        Returns
        -------
        Bands
            How strong the picture's bands are beside the raw's.
        """
        recipe = unframed(recipe)
        size, stars = self.developer.size(recipe), []
        for place in self.places:
            stored = stored_rect(place, self.orientation, size)
            stars.append(_star(orient(self.developer.view(recipe, 1, stored), self.orientation)))
        one, other = _bands(stars), self.theirs
        edges: list[float] = []
        texture: list[float] = []
        guide = np.abs(one[2])
        low, middle = np.percentile(guide[::3], (30, 70))
        for a, b in zip(one, other, strict=True):
            agree = a * b  # noise of one is strong by itself too, but not in both
            for into, there in (
                (edges, agree > np.percentile(agree[::3], STRONG)), (texture, (guide > low) & (guide < middle)),
            ):  # fmt: skip
                into.append(float((a[there] * b[there]).sum() / max(float((a[there] ** 2).sum()), 1e-6)))
        flat = guide < np.percentile(guide[::3], 20)
        ours, theirs = (1.4826 * float(np.median(np.abs(x[0][flat]))) for x in (one, other))
        return Bands(tuple(edges), tuple(texture), (ours, theirs))


def _star(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    """L* of a picture."""
    return lightness(CODES[rgb] @ SRGB_WEIGHTS).astype(np.float32)


def _bands(stars: list[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
    """Each band of all pictures in a row, without their borders."""
    split = [_split(star) for star in stars]
    return [np.concatenate([bands[k][8:-8, 8:-8].ravel() for bands in split]) for k in range(len(EDGES) - 1)]


def _error(bands: Bands) -> NDArray[Any]:
    return -np.log(np.clip(bands.edges, 0.05, 20))


def match_detail(
    developer: Developer, picture: NDArray[np.uint8], alignment: Alignment, recipe: Recipe
) -> tuple[Recipe, tuple[Bands, Bands] | None]:
    """Return the recipe with the detail of a picture, and the bands before and after.

    Unchanged where there is too little.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    alignment
        Mapping from the first picture to the second.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    tuple[Recipe, tuple[Bands, Bands] | None]
        The recipe with the detail of a picture, and the bands before and after.
    """
    places = places_of(developer, alignment)
    if len(places) < 2:
        return recipe, None

    detail = Detail(developer, picture, alignment, places)
    bands = detail.bands
    now = before = bands(recipe)
    ours, theirs = before.grain
    if theirs < 0.8 * ours:
        recipe = recipe.changed(
            luminance_noise=round(min(MOST_NOISE, recipe.luminance_noise + 0.6 * (ours / max(theirs, 0.05) - 1)), 2)
        )
        now = bands(recipe)
    start = np.array([getattr(recipe, name) for name in TRIED])
    error = _error(now)
    slopes = np.stack(
        [(_error(bands(recipe.changed(**{name: float(v + step)}))) - error) / step
         for (name, step), v in zip(TRIED.items(), start, strict=True)],
        axis=1,
    )  # fmt: skip
    cost = slopes.T @ slopes + np.diag(CHEAP)
    best, base, least = (recipe, now), start, float(np.abs(error).sum())
    change = np.clip(-np.linalg.solve(cost, slopes.T @ error), -0.8, 0.8)
    for _ in range(ROUNDS):
        values = [round(float(np.clip(v, *LIMITS[name])), 2) for name, v in zip(TRIED, base + change, strict=True)]
        changed = recipe.changed(**dict(zip(TRIED, values, strict=True)))
        after = bands(changed)
        error = _error(after)
        if np.abs(error).sum() < least:
            best, base, least = (changed, after), np.array(values), float(np.abs(error).sum())
            change = np.clip(-np.linalg.solve(cost, slopes.T @ error), -0.8, 0.8)
        else:  # too far
            change = change / 2
    return best[0], (before, best[1])

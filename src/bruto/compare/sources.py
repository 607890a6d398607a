"""The two sides of a comparison: any raw under any values, or any finished picture.

Made by one function for the window and for the command line.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray
from typing_extensions import override

from bruto.align.registration import Alignment
from bruto.compare.maps import difference_map, lab_of_codes
from bruto.compare.metrics import StoredSide
from bruto.compare.push import pushed
from bruto.container.dng_reader import is_raw
from bruto.container.orientation import orient
from bruto.container.picture import PictureFile, is_picture, read_picture
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.develop.sensor_image import COARSEST
from bruto.develop.source import open_source, source_of_picture
from bruto.develop.suggest.suggester import suggest_all, take_all

UNTOUCHED = {
    "luminance_noise": 0.0, "chroma_noise": 0.0, "sharpness": 0.0, "chroma": 1.0,
}  # fmt: skip
"""Values at which a finished picture comes out of the pipeline as it went in."""


class Side(Protocol):
    """One side: `size` (width, height; pixels) of the oriented frame."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the whole picture, pixels."""

    def whole(self, edge: int) -> NDArray[np.uint8]:
        """Compute all of it (H, W, 3; sRGB codes, oriented), its long edge `edge` to twice that, if it has so much.

        Parameters
        ----------
        edge
            Long edge, pixels.

        Returns
        -------
        NDArray[np.uint8]
            The whole picture (H, W, 3), sRGB codes, oriented.
        """

    def part(self, rect: Rectangle) -> NDArray[np.uint8]:
        """Compute a rectangle at full size.

        Parameters
        ----------
        rect
            Rectangle in output pixels.

        Returns
        -------
        NDArray[np.uint8]
            A rectangle at full size.
        """


@dataclass(frozen=True)
class Developed(Side):
    """A file under values, in the frame that was recorded."""

    developer: Developer
    recipe: Recipe

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the whole picture, pixels."""
        return self.developer.source.meta.oriented_size

    @override
    def whole(self, edge: int) -> NDArray[np.uint8]:
        factor = 1.0
        while max(self.size) / (factor * 2) >= edge and factor < COARSEST:
            factor *= 2
        return orient(self.developer.view(unframed(self.recipe), factor), self.developer.source.meta.orientation)

    @override
    def part(self, rect: Rectangle) -> NDArray[np.uint8]:
        recipe, orientation = unframed(self.recipe), self.developer.source.meta.orientation
        stored = stored_rect(rect, orientation, self.developer.size(recipe))
        return np.ascontiguousarray(orient(self.developer.view(recipe, 1, stored), orientation))


@dataclass(frozen=True)
class Finished(Side):
    """A finished picture (H, W, 3; sRGB codes, oriented) as it is."""

    pixels: NDArray[np.uint8]
    path: Path | None = None
    """Of its file, None where it has none."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the whole picture, pixels."""
        return self.pixels.shape[1], self.pixels.shape[0]

    @override
    def whole(self, edge: int) -> NDArray[np.uint8]:
        return self.pixels

    @override
    def part(self, rect: Rectangle) -> NDArray[np.uint8]:
        return self.pixels[rect.y : rect.y + rect.height, rect.x : rect.x + rect.width]


def side_of(
    path: str | Path, recipe: Recipe | None = None, push: Recipe | None = None, developer: Developer | None = None
) -> Side:
    """Return a file as it is compared.

    A raw is developed with `recipe`, or with all its suggestions where that is None; a finished picture is taken as
    it is. A `push` acts on both by the same pipeline.

    Parameters
    ----------
    path
        File to read.
    recipe
        The edit, every value in its own unit.
    push
        The change applied to both sides.
    developer
        The file, where it is open.

    Returns
    -------
    Side
        A file as it is compared.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    path = Path(path)
    if developer is None and is_picture(path) and not is_raw(path):
        if push is None or push == Recipe():
            return Finished(read_picture(path).pixels, path)
        developer = Developer(open_source(path))
    developer = developer or Developer(open_source(path))
    if developer.source.kind == "picture" and recipe is None:
        recipe = Recipe().changed(**UNTOUCHED)
    elif recipe is None:
        recipe = take_all(Recipe(), suggest_all(developer))
    if push is not None:
        recipe = pushed(recipe, push, developer.as_shot())
    return Developed(developer.asked(recipe), recipe)


def stored(side: Side) -> StoredSide | None:
    """Find what the file of a side takes; None where it has no file of its own, or that is gone.

    Parameters
    ----------
    side
        The side concerned.

    Returns
    -------
    StoredSide | None
        What the file of a side takes.
    """
    path = side.developer.source.path if isinstance(side, Developed) else None
    if isinstance(side, Finished):
        path = side.path
    try:
        return None if path is None else StoredSide(path.stat().st_size, side.size[0] * side.size[1])
    except OSError:
        return None


def side_of_pixels(path: Path, pixels: NDArray[np.uint8], push: Recipe | None = None) -> Side:
    """Return a finished picture out of a file, such as its preview, as it is compared.

    The picture is (H, W, 3), sRGB codes, oriented.

    Parameters
    ----------
    path
        File to read.
    pixels
        Pixels (H, W, 3).
    push
        The change applied to both sides.

    Returns
    -------
    Side
        The side of a comparison that shows it.
    """
    if push is None or push == Recipe():
        return Finished(pixels)
    picture = PictureFile(profile="sRGB", size=(pixels.shape[1], pixels.shape[0]), kind="picture", pixels=pixels)
    recipe = pushed(Recipe().changed(**UNTOUCHED), push)
    return Developed(Developer(source_of_picture(path, picture)), recipe)


@dataclass(frozen=True)
class SharpPair:
    """A rectangle of both at the first one's full size.

    `first`, `second` (h, w, 3) uint8 sRGB, `difference` (h, w) CIEDE2000, at `rect` of the oriented frame.
    """

    first: NDArray[np.uint8]
    second: NDArray[np.uint8]
    difference: NDArray[np.float32]
    rect: Rectangle
    valid: NDArray[np.bool_] | None = None
    """(h, w): where the second has something; None where it has everywhere."""


def sharp_pair(first: Side, second: Side, alignment: Alignment, rect: Rectangle) -> SharpPair:
    """Return a rectangle of the first side, and the second brought onto it, pixel by pixel.

    Parameters
    ----------
    first
        First of the two sides.
    second
        Second of the two sides.
    alignment
        From `metrics.compare` of the two, at whatever size.
    rect
        In pixels of the first one's frame.

    Returns
    -------
    SharpPair
        A rectangle of the first side, and the second brought onto it, pixel by pixel.
    """
    one = first.part(rect)
    width, height = second.size
    mx, my = alignment.at_size(first.size, second.size).maps(rect.x, rect.y, rect.width, rect.height)
    left, top = (int(np.clip(np.floor(m.min()) - 3, 0, n - 1)) for m, n in ((mx, width), (my, height)))
    right, bottom = (int(np.clip(np.ceil(m.max()) + 4, o + 1, n)) for m, n, o in
                     ((mx, width, left), (my, height, top)))  # fmt: skip
    source = second.part(Rectangle(left, top, right - left, bottom - top))
    moved = cv2.remap(
        source, mx - np.float32(left), my - np.float32(top), cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    valid = (mx >= 0) & (my >= 0) & (mx <= width - 1) & (my <= height - 1)
    return SharpPair(one, moved, difference_map(lab_of_codes(one), lab_of_codes(moved)), rect, valid)

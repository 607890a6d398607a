"""What a develop step is. Steps of both kinds stand in the ordered lists of `order`; the pipeline knows no others.

A **raw step** changes balanced camera RGB as it was recorded, before the picture is cut and turned; it may look at
neighbours. A **point step** changes one pixel at a time, in place, on bands of rows that stay in the processor's
cache, so that one step after another costs about what one fused loop would.

A step says which `fields` of the recipe it reads. What is kept of earlier work is found again by their values, and a
step whose fields an area changes runs for the area once more. `prepare` is called once a picture, and gives None where
nothing is to be done.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from bruto.develop.recipe import Recipe
from bruto.develop.source import Source
from bruto.develop.steps.profile_look import ProfileLook


class RecordedImage(Protocol):
    """The recorded frame as steps see it; see `recorded.RecordedImage`."""

    source: Source

    @property
    def clipped(self) -> NDArray[np.uint8]:
        """Clipped channels (bits 1, 2, 4) of each quad of the frame."""

    @property
    def is_cut(self) -> bool:
        """Whether the phone stored no noise below black."""

    def level(self, factor: float) -> NDArray[np.float32]:
        """Compute the balanced camera RGB of the whole frame at 1/factor.

        Parameters
        ----------
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.float32]
            Balanced camera RGB of the whole frame at 1/factor.
        """

    def small(self) -> NDArray[np.float32]:
        """Working-space light of the whole frame at about 1400 px, before exposure."""

    def noise_at(self, factor: float) -> NDArray[np.float64]:
        """Compute a, b of each balanced channel at 1/factor.

        Parameters
        ----------
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.

        Returns
        -------
        NDArray[np.float64]
            a, b of each balanced channel at 1/factor.
        """


class Mapping(Protocol):
    """How coarse fields over the recorded frame are read over the picture; see `frame.Geometry`."""

    def field(self, grid: NDArray[np.float32]) -> NDArray[np.float32]:
        """Compute a coarse field (h, w) over the recorded frame as one over the picture.

        Parameters
        ----------
        grid
            Values on a coarse grid.

        Returns
        -------
        NDArray[np.float32]
            A coarse field (h, w) over the recorded frame as one over the picture.
        """


@dataclass(frozen=True)
class CoarseField:
    """Something measured once over the whole recorded frame, on a small grid, that point steps read between cells."""

    name: str
    make: Callable[[RecordedImage], Any]
    """From the recorded frame."""
    over: Callable[[Any, Mapping], Any]
    """The same over a picture that was turned or warped."""


@dataclass(frozen=True)
class StepInput:
    """What a point step may know when it prepares.

    `look` of the camera profile over the picture; `bits` a channel; `diagonal` of the recorded frame, pixels.
    """

    matrix: NDArray[np.float64]
    """Matrix (3, 3) from balanced camera RGB to linear Rec. 2020, with the gain of the exposure."""
    exposure: float
    """Log2 of that gain, EV, of which `user_exposure` is the recipe's."""
    user_exposure: float
    look: ProfileLook | None
    space: str
    """Of the output."""
    bits: int
    diagonal: float
    coarse: Callable[[CoarseField], Any]
    """A coarse field over the picture."""


class TilePosition(NamedTuple):
    """Where a tile of `factor` full-size pixels a pixel lies.

    `origin` (x, y; pixels of the tile) and `frame` (width, height; full-size pixels): for fields over the frame;
    `own_origin` and `own_frame`: the same in the picture that is shown, whose edges and grain are meant.
    """

    factor: float
    origin: tuple[float, float]
    frame: tuple[int, int]
    clip_step: float
    """From pixels of the tile to cells of the map of clipped channels."""
    clip_origin: tuple[float, float]
    """From pixels of the tile to cells of the map of clipped channels."""
    own_origin: tuple[float, float]
    own_frame: tuple[int, int]
    """In the picture that is shown, whose edges and grain are meant."""


def placed(factor: float, origin: tuple[float, float], frame: tuple[int, int]) -> TilePosition:
    """Return a tile of a frame that is shown as it was recorded.

    Parameters
    ----------
    factor
        Reduction: pixels of the frame per pixel of the result; 1 is full size.
    origin
        Top left corner, pixels.
    frame
        Width and height of the frame, pixels.

    Returns
    -------
    TilePosition
        A tile of a frame that is shown as it was recorded.
    """
    return TilePosition(factor, origin, frame, factor / 2, origin, origin, frame)


class Tile:
    """Pixels that point steps run over.

    Lines (height, 3 width) before and after, the map of clipped channels and the place; `pixels`: y and x of the
    first pixel centre, and from a pixel to a relative place in the frame, for y and x.
    """

    __slots__ = ("clip", "clipped", "out", "pixels", "place", "rgb")

    def __init__(self, rgb: NDArray[Any], clipped: NDArray[np.uint8], place: TilePosition, out: NDArray[Any]) -> None:
        self.rgb, self.clipped, self.place, self.out = rgb, clipped, place, out
        factor, (x, y), (width, height) = place.factor, place.origin, place.frame
        self.pixels = (
            np.float32(y + 0.5),
            np.float32(x + 0.5),
            np.float32(factor / height),
            np.float32(factor / width),
        )
        x, y = place.clip_origin
        self.clip = np.float32(place.clip_step), np.float32(y), np.float32(x)


class Band:
    """Some rows of a tile, from `top` on.

    Planes `x`, `y`, `z` (rows, width; float32) in the working space, or as cone response of OKLab where `cones` says
    so. Steps count rows from the tile's first one, so that a band reads what the whole tile would.
    """

    __slots__ = ("cones", "planes", "tile", "top", "x", "y", "z")

    def __init__(self, tile: Tile, top: int, planes: NDArray[np.float32]) -> None:
        self.tile, self.top = tile, top
        self.planes = self.x, self.y, self.z = planes[0], planes[1], planes[2]
        self.cones = False


class RawPosition(NamedTuple):
    """Where the pixels that a raw step gets lie in the recorded frame."""

    factor: float
    area: tuple[float, float, float, float]
    """Relative left, top, right and bottom, in the recorded frame, of pixels at 1/`factor`."""


class RawStep:
    """Base of steps on camera RGB: without further words, one that does nothing."""

    name = ""
    fields: tuple[str, ...] = ()

    def prepare(self, recipe: Recipe, recorded: RecordedImage, factor: float, file: bool) -> Any:
        """Find what `apply` needs at 1/factor, None where nothing is to be done.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        recorded
            The frame as recorded, before any recipe.
        factor
            Reduction: pixels of the frame per pixel of the result; 1 is full size.
        file
            For a file, not for the screen.

        Returns
        -------
        Any
            What `apply` needs at 1/factor, None where nothing is to be done.
        """
        return None

    def apply(self, rgb: NDArray[np.float32], prepared: Any, place: RawPosition) -> NDArray[np.float32]:
        """Compute the balanced camera RGB (H, W, 3) changed: a new array, or the same where nothing changes.

        Parameters
        ----------
        rgb
            Linear RGB (H, W, 3), float32, 1 = sensor saturation.
        prepared
            What `prepare` returned.
        place
            Where the tile lies in the raw frame.

        Returns
        -------
        NDArray[np.float32]
            Balanced camera RGB (H, W, 3) changed.
        """
        raise NotImplementedError


class PointStep:
    """Base of steps on single pixels."""

    name = ""
    fields: tuple[str, ...] = ()

    def prepare(self, recipe: Recipe, scene: StepInput) -> Any:
        """Find what `apply` needs; None where nothing is to be done.

        Parameters
        ----------
        recipe
            The edit, every value in its own unit.
        scene
            What a step may know of the frame.

        Returns
        -------
        Any
            What `apply` needs.
        """
        return None

    def idle(self) -> Any:
        """Find what is prepared where nothing is to be done, but in an area.

        Other than None only where `apply` leaves the planes in another basis.
        """
        return None

    def apply(self, band: Band, prepared: Any) -> None:
        """Change a band's planes in place.

        Parameters
        ----------
        band
            Rows of the tile as three planes, changed in place.
        prepared
            What `prepare` returned.
        """
        raise NotImplementedError

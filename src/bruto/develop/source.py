"""What the engine develops: linear light with its metadata, from a raw file or from a finished picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.spaces import decode_srgb
from bruto.container.dng_reader import is_raw, read_dng
from bruto.container.linearisation import linearise, shading_grid
from bruto.container.orientation import turned
from bruto.container.picture import PICTURE_KINDS, PictureFile, is_picture, picture_meta, read_picture
from bruto.container.raw_frame import Linear, RawFrame, RawMeta, check_size
from bruto.develop.recipe import Recipe
from bruto.errors import FileProblem
from bruto.phones.card import PLAIN
from bruto.phones.card_learning import learnt_noise
from bruto.sensor.noise import NoiseEstimate, estimate_noise, file_noise

GREY = 0.18
MORE_THAN_NOISE = 1.4
"""Times the noise at grey of other shots from which what is measured is texture."""


@dataclass(frozen=True)
class Source:
    """Linear light and what is known of it.

    `noise` (3, 2): a, b of each unbalanced channel before the shading gain; `shading` (h, w): shading gain over the
    frame; `meta` may have another orientation and another crop than the file, see `as_asked`.
    """

    path: Path
    kind: str
    """"mosaic", "linear" or "picture"."""
    linear: Linear
    """See `rawframe.Linear`."""
    meta: RawMeta
    noise: NDArray[np.float64]
    noise_from: str
    """"file", "picture" or "learnt" (from other shots of the phone)."""
    shading: NDArray[np.float32]
    frame: RawFrame | None = None
    """The file as it was read."""
    picture: PictureFile | None = None
    """The file as it was read."""
    orientation: int = 1
    """Exif orientation of a picture's file."""

    @property
    def neutral(self) -> NDArray[np.float64]:
        """As-shot neutral, green = 1."""
        return self.meta.as_shot_neutral / self.meta.as_shot_neutral[1]

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the default crop as recorded, unoriented."""
        h, w = self.linear.data.shape[:2]
        return w, h


def _is_busy(seen: NoiseEstimate, known: tuple[float, float]) -> bool:
    """Whether a picture has too little that is flat for its noise to be determined.

    It says so, or it tells far more noise than other shots of the phone at its ISO.
    """
    a, b = seen.model[1]
    more = np.sqrt((a * GREY + b) / max(known[0] * GREY + known[1], 1e-12))
    return bool(seen.interval[1, 0] < PLAIN or more > MORE_THAN_NOISE)


def source_of_raw(path: Path, frame: RawFrame, whole_area: bool = False) -> Source:
    """Return a source from a decoded raw.

    Parameters
    ----------
    path
        File to read.
    frame
        Raw as stored.
    whole_area
        With what its default crop leaves out.

    Returns
    -------
    Source
        A source from a decoded raw.
    """
    meta = replace(frame.meta, default_crop=frame.meta.active_area) if whole_area else frame.meta
    check_size(meta)
    linear = linearise(RawFrame(frame.codes, meta))
    noise, origin = file_noise(meta), "file"
    if noise is None:
        plain = linearise(RawFrame(frame.codes, replace(meta, gain_maps=())))
        seen = estimate_noise(plain)
        noise, origin = seen.model, "picture"
        known = learnt_noise(meta)
        if known is not None and _is_busy(seen, known):
            noise, origin = np.tile(np.asarray(known, np.float64), (3, 1)), "learnt"
    return Source(path, meta.kind, linear, meta, noise, origin, shading_grid(meta), frame=frame)


def has_more(source: Source) -> bool:
    """Check whether the file holds picture outside of its default crop.

    Parameters
    ----------
    source
        What is developed.

    Returns
    -------
    bool
        True where the file holds picture outside of its default crop.
    """
    return source.frame is not None and source.frame.meta.default_crop != source.frame.meta.active_area


def _asked(source: Source, recipe: Recipe) -> tuple[tuple[int, int, int, int], int]:
    """Crop and orientation that a recipe asks for."""
    recipe = recipe.effective()
    known = source.frame.meta if source.frame is not None else source.meta
    orientation = source.orientation if source.frame is None else known.orientation
    return known.active_area if recipe.whole_area else known.default_crop, turned(orientation, recipe.turns)


def is_as_asked(source: Source, recipe: Recipe) -> bool:
    """Check whether a source is turned and cut as a recipe asks.

    Parameters
    ----------
    source
        What is developed.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    bool
        True where a source is turned and cut as a recipe asks.
    """
    return _asked(source, recipe) == (source.meta.default_crop, source.meta.orientation)


def as_asked(source: Source, recipe: Recipe) -> Source:
    """Return the source turned by quarters and with the area that a recipe asks for; itself where it is so already.

    Parameters
    ----------
    source
        What is developed.
    recipe
        The edit, every value in its own unit.

    Returns
    -------
    Source
        The source turned by quarters and with the area that a recipe asks for.
    """
    crop, orientation = _asked(source, recipe)
    if source.frame is not None and source.meta.default_crop != crop:
        source = source_of_raw(source.path, source.frame, recipe.effective().whole_area)
    if orientation == source.meta.orientation:
        return source
    return replace(source, meta=replace(source.meta, orientation=orientation))


def source_of_picture(path: Path, picture: PictureFile) -> Source:
    """Return a source from a finished picture: its code values linearised, its noise estimated.

    Nothing beyond white is left in it.

    Parameters
    ----------
    path
        File to read.
    picture
        The finished picture.

    Returns
    -------
    Source
        A source from a finished picture.
    """
    table = decode_srgb(np.arange(256) / 255.0).astype(np.float32)
    data = table[picture.pixels]
    h, w = data.shape[:2]
    full = picture.pixels >= 254
    bits = (full[..., 0] * 1 + full[..., 1] * 2 + full[..., 2] * 4).astype(np.uint8)
    quads = np.zeros(((h + 1) // 2, (w + 1) // 2), np.uint8)
    quads[: h // 2, : w // 2] = (
        bits[0 : h // 2 * 2 : 2, 0 : w // 2 * 2 : 2] & bits[1 : h // 2 * 2 : 2, 1 : w // 2 * 2 : 2]
    )
    meta = picture_meta(picture)
    check_size(meta)
    linear = Linear(data, quads, "", 1.0)
    return Source(
        path,
        "picture",
        linear,
        meta,
        estimate_noise(linear).model,
        "picture",
        np.ones((1, 1), np.float32),
        picture=picture,
        orientation=meta.orientation,
    )


def open_source(path: str | Path, frame: RawFrame | None = None) -> Source:
    """Open any file that can be developed.

    Parameters
    ----------
    path
        File to read.
    frame
        Of a raw that was decoded already.

    Returns
    -------
    Source
        See `Source`.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = Path(path)
    if is_raw(path):
        return source_of_raw(path, read_dng(path) if frame is None else frame)
    if is_picture(path):
        return source_of_picture(path, read_picture(path))
    if path.is_dir() or not path.exists():
        read_dng(path)  # raises with the reason
    raise FileProblem(
        tr(
            "{path} is neither a DNG nor a picture that Bruto can open ({PICTURE_KINDS}).",
            path=path,
            PICTURE_KINDS=PICTURE_KINDS,
        )
    )

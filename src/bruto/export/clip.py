"""A sequence as a clip (H.264 in MP4): every frame developed alike, one after the other, its flicker evened out.

Exposures of a sequence differ a little from frame to frame, as apertures, lamps and thin clouds do; what changes slowly
(dusk, the moon) is meant. Each frame is brought to the running median of its neighbours' light.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.dng_reader import read_dng
from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, unframed
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all, take_all
from bruto.errors import BrutoError, Cancelled
from bruto.storage.atomic_write import Target, published

AROUND = 7
"""Frames on each side whose light a frame is brought to."""
MOST_EV = 0.6
"""Largest correction of a frame's flicker: what is beyond is no flicker."""
QUALITY = "18"
"""Constant rate factor of the encoder: the lower the better; 18 is hard to tell from the picture."""
TRIED = 5
"""Frames about the middle that are tried for values."""
RATES = (1.0, 120.0)
"""Frames a second that a clip may have."""


@dataclass(frozen=True)
class Clip:
    """A clip that was written: `frames` in it, and those `left_out` with a reason."""

    output: Path
    frames: int
    seconds: float
    size: tuple[int, int]
    left_out: tuple[tuple[str, str], ...]
    flicker_ev: float
    """The largest correction."""


def level_of(path: Path) -> float:
    """Compute the light of a raw in EV: the median of its sites above black, on a coarse grid.

    Parameters
    ----------
    path
        File to write.

    Returns
    -------
    float
        Light of a raw in EV.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    frame = read_dng(path)
    step = max(1, min(frame.codes.shape[:2]) // 400) | 1  # odd, so that all colours of a mosaic are met
    codes = frame.codes[::step, ::step].astype(np.float32)
    black, white = float(np.mean(frame.meta.black)), float(np.min(frame.meta.white))
    return float(np.log2(max(float(np.median(codes)) - black, 1e-3 * (white - black)) / (white - black)))


def flicker(levels: Sequence[float]) -> NDArray[np.float64]:
    """Compute the exposure in EV that brings each frame of a sequence to its neighbours.

    Parameters
    ----------
    levels
        Mean light of each frame.

    Returns
    -------
    NDArray[np.float64]
        Exposure in EV that brings each frame of a sequence to its neighbours.

    Examples
    --------
    >>> flicker([0.0, 0.0, 0.3, 0.0, 0.0]).round(2).tolist()
    [0.0, 0.0, -0.3, 0.0, 0.0]
    """
    values = np.asarray(levels, float)
    found = np.empty(len(values))
    for k in range(len(values)):
        reach = min(AROUND, k, len(values) - 1 - k)  # as many on both sides, so that a slow change stays
        found[k] = np.median(values[k - reach : k + reach + 1]) - values[k]
    return np.clip(found, -MOST_EV, MOST_EV)


def usual_recipe(files: Sequence[Path], values: Callable[[Path], Recipe | None]) -> Recipe:
    """Return values for a sequence.

    Those of its first frame that was edited (`values` knows them), else the suggestions for the frame in the middle.

    Parameters
    ----------
    files
        Files in order.
    values
        Values of each file by its path; None: its suggestions.

    Returns
    -------
    Recipe
        Values for a sequence.

    Raises
    ------
    BrutoError
        Where no frame can be read.
    """
    for file in files:
        own = values(file)
        if own is not None:
            return own
    problem: BrutoError | None = None
    for file in sorted(files, key=lambda f: abs(files.index(f) - len(files) // 2))[:TRIED]:
        try:
            return take_all(Recipe(), suggest_all(Developer(open_source(file))))
        except BrutoError as error:
            problem = error
    assert problem is not None
    raise problem


def _size(width: int, height: int, long_edge: int) -> tuple[int, int]:
    scale = min(1.0, long_edge / max(width, height))
    return max(2, round(width * scale) // 2 * 2), max(2, round(height * scale) // 2 * 2)


def make_clip(
    files: Sequence[Path],
    output: Target,
    recipe: Recipe,
    *,
    rate: float = 24.0,
    long_edge: int = 1920,
    progress: Callable[[float, str], None] = lambda share, text: None,
    cancelled: Callable[[], bool] = lambda: False,
) -> Clip:
    """Develop frames by one recipe into a clip.

    Parameters
    ----------
    files
        Raws in the order in which they are shown.
    output
        Where it goes, an MP4.
    recipe
        Values for all of them, but for the exposure that evens out flicker.
    rate
        Frames a second.
    long_edge
        Of the clip, pixels, at most.
    progress
        Called with the share done, 0 to 1, and what is being done.
    cancelled
        Returns whether to stop.

    Returns
    -------
    Clip
        The clip as it was written.

    Raises
    ------
    BrutoError
        Where fewer than two frames can be read, or nothing can be written; `Cancelled` when it was stopped.
    """
    import av  # it takes long to load

    if output.path.suffix.lower() != ".mp4":
        raise BrutoError(
            tr("A clip is an MP4 file; choose a name that ends in .mp4 instead of '{name}'.", name=output.path.name)
        )
    if not RATES[0] <= rate <= RATES[1]:
        raise BrutoError(
            tr(
                "A clip has {RATES:g} to {RATES2:g} frames per second, not {rate:g}.",
                RATES=RATES[0],
                RATES2=RATES[1],
                rate=rate,
            )
        )
    levels: list[float] = []
    good: list[Path] = []
    bad: list[tuple[str, str]] = []
    for k, file in enumerate(files):
        if cancelled():
            raise Cancelled(tr("The clip was stopped; nothing was written."))
        progress(0.2 * (k + 0.5) / len(files), tr("measuring {name}", name=file.name))
        try:
            levels.append(level_of(file))
            good.append(file)
        except BrutoError as error:
            bad.append((file.name, str(error)))
    if len(good) < 2:
        raise BrutoError(tr("A clip needs at least two frames that can be read."))
    corrections = flicker(levels)
    plain = unframed(recipe)
    size = (0, 0)
    shown = 0
    with published(output) as temporary, av.open(str(temporary), "w", format="mp4") as container:
        stream = container.add_stream("libx264", rate=Fraction(rate).limit_denominator(1001))
        stream.pix_fmt = "yuv420p"
        stream.options = {"crf": QUALITY, "preset": "medium"}
        for k, (file, correction) in enumerate(zip(good, corrections, strict=True)):
            if cancelled():
                raise Cancelled(tr("The clip was stopped; nothing was written."))
            progress(0.2 + 0.8 * (k + 0.5) / len(good), tr("developing {name}", name=file.name))
            try:
                picture = _picture(file, plain.changed(exposure=plain.exposure + float(correction)), long_edge)
            except BrutoError as error:
                bad.append((file.name, str(error)))
                continue
            if size == (0, 0):
                size = _size(picture.shape[1], picture.shape[0], long_edge)
                stream.width, stream.height = size
            if picture.shape[1::-1] != size:
                picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
            for packet in stream.encode(av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")):
                container.mux(packet)
            shown += 1
        for packet in stream.encode():
            container.mux(packet)
    return Clip(output.path, shown, shown / rate, size, tuple(bad), float(np.abs(corrections).max()))


def _picture(file: Path, recipe: Recipe, long_edge: int) -> NDArray[np.uint8]:
    """Compute a frame developed at about the size of the clip, turned as it was held."""
    developer = Developer(open_source(file))
    scale = 2 if max(developer.source.size) >= 2 * long_edge else 1
    return np.asarray(orient(developer.view(recipe, scale), developer.source.meta.orientation))

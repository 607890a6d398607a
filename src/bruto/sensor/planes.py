"""A frame as planes of one colour each, with the light that every stored code stands for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.container.linearisation import linearise
from bruto.container.raw_frame import CFA_LETTERS, Linear, RawFrame, shifted_cfa

_STEPS = 50_000
"""Codes from black to saturation that stand for light without a table: corrected frames and floats."""
_OFFSET = 8_000
_FLOAT_STEPS = {np.dtype(np.float16): 2048.0, np.dtype(np.float32): 2.0**24}
"""Steps in the upper half of the range of floats: 11 and 24 bits of precision (IEEE 754)."""


@dataclass(frozen=True)
class Plane:
    """Sites of one colour inside the default crop."""

    codes: NDArray[np.uint16]
    """(h, w) uint16 view."""
    light: NDArray[np.float32]
    """Float32 of each code, 1 = saturation, without shading gains."""
    full: int
    """The first code that counts as clipped."""
    channel: int
    """0, 1, 2."""


def planes_of(frame: RawFrame) -> list[Plane]:
    """Return four planes of a mosaic (by site) or three of a linear frame.

    In stored codes where these have a fixed meaning; frames whose codes do not (floats, corrections by place) are
    put into codes of equal steps.

    Parameters
    ----------
    frame
        Raw as stored.

    Returns
    -------
    list[Plane]
        Four planes of a mosaic (by site) or three of a linear frame, in stored codes where these have a fixed
        meaning.
    """
    meta = frame.meta
    x0, y0, w, h = meta.default_crop
    plain = frame.codes.dtype.kind == "u" and not (
        meta.code_corrections or meta.light_corrections or meta.black_rows is not None or meta.black_columns is not None
    )
    if not plain:
        return _by_light(frame)
    codes = frame.codes[y0 : y0 + h, x0 : x0 + w]
    if codes.dtype != np.uint16:
        codes = codes.astype(np.uint16)
    table = meta.linearisation
    top = len(table) - 1 if table is not None else 65535
    values = table.astype(np.float64) if table is not None else np.arange(65536, dtype=np.float64)
    values = np.concatenate([values, np.full(65536 - len(values), values[top])])
    white = np.broadcast_to(meta.white, (3,) if len(meta.white) in (1, 3) else meta.white.shape)

    def plane(part: NDArray[Any], black: float, channel: int) -> Plane:
        full = int(np.searchsorted(values, white[channel])) if np.all(np.diff(values) >= 0) else 65536
        light = ((values - black) / max(white[channel] - black, 1e-9)).astype(np.float32)
        return Plane(part, light, full, channel)

    if meta.kind == "linear":
        return [plane(codes[..., k], float(meta.black[k]), k) for k in range(3)]
    ax, ay = meta.active_area[:2]
    cfa = shifted_cfa(meta.cfa, (x0 - ax) % 2, (y0 - ay) % 2)
    black = np.roll(meta.black, (-((y0 - ay) % 2), -((x0 - ax) % 2)), (0, 1)).ravel()
    return [plane(codes[s // 2 :: 2, s % 2 :: 2], float(black[s]), CFA_LETTERS.index(cfa[s])) for s in range(4)]


def _by_light(frame: RawFrame) -> list[Plane]:
    return planes_of_light(linearise(RawFrame(frame.codes, replace(frame.meta, gain_maps=(), vignettes=()))))


def planes_of_light(linear: Linear) -> list[Plane]:
    """Return the planes of light that has left its stored codes, in equal steps fine enough for its noise.

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    list[Plane]
        Planes of light that has left its stored codes, in equal steps fine enough for its noise.
    """
    codes = np.clip(np.rint(linear.data * _STEPS) + _OFFSET, 0, 65535).astype(np.uint16)
    light = ((np.arange(65536) - _OFFSET) / _STEPS).astype(np.float32)
    full = _OFFSET + _STEPS
    if codes.ndim == 3:
        return [Plane(codes[..., k], light, full, k) for k in range(3)]
    return [Plane(codes[s // 2 :: 2, s % 2 :: 2], light, full, CFA_LETTERS.index(linear.cfa[s])) for s in range(4)]


def levels(frame: RawFrame, counts: list[NDArray[np.int64]], planes: list[Plane]) -> tuple[int, float]:
    """Find how many stored codes occur, and effective bits.

    Log2((white - black) / smallest step between values that occur).

    Steps are those of light: behind a linearisation table its values count. Floats have the bits of their precision.

    Parameters
    ----------
    frame
        Raw as stored.
    counts
        Histograms of stored codes.
    planes
        Planes of one colour each.

    Returns
    -------
    tuple[int, float]
        How many stored codes occur, and effective bits.
    """
    if frame.codes.dtype.kind == "f":
        return len(np.unique(frame.codes[::4, ::4])), float(np.log2(_FLOAT_STEPS.get(frame.codes.dtype, 2.0**24)))
    total = np.bincount(frame.codes.ravel(), minlength=2) if planes[0].light[1] == np.float32(-7999 / _STEPS) else None
    every = total if total is not None else np.sum(counts, axis=0)
    used = np.flatnonzero(every)
    table = frame.meta.linearisation
    values = np.unique(table[np.minimum(used, len(table) - 1)].astype(np.float64) if table is not None else used)
    black, white = float(np.mean(frame.meta.black)), float(np.mean(frame.meta.white))
    if table is not None:
        values = values[values >= black]
    step = float(np.diff(values).min()) if len(values) > 1 else 1.0
    return len(used), float(np.log2(max((white - black) / step, 1.0)))

"""Length and direction of a movement during the exposure, from the stripes that it leaves in the spectrum."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.parallel import CORES, map_threads
from bruto.sensor.planes import Plane

TILE = 128
"""Side of a tile, pixels."""
TILES = 49
SURE = 0.75
"""Share of the unexplained spectrum that may be left when a movement counts as found (scenes without one leave more
than 0.83, with one of 5 px or more less than 0.68).
"""
LONG_PX, SURE_LONG = 23.0, 0.7
"""From this length on less may be left: noise resembles narrow stripes more than wide ones (it leaves 0.71)."""
SHORTEST_PX = 3.5
"""Movements below this cannot be told from the lens's own blur."""
DEEP, DEEP_SHORT = 0.37, 0.27
"""Depth of the stripes, 1 = those of an even movement without noise, from which a movement counts as found, from
7 px and below (scenes without one reach 0.34 by chance, those with one have 0.40 to 0.83, short ones 0.32).
"""
LONG_BY_AXIS_PX = 17.0
"""From here on the terms for lines take stripes of a movement along the axes for their own and shorten it."""
PLAIN, PLAINLY_DEEP, PLAIN_LONGEST_PX = 0.55, 0.6, 20.0
"""The same for movements along rows or columns, which lines of a scene resemble (lines look like 21 px and more)."""
WIDE_EDGES, WIDER = 0.85, 1.5
"""Blur of edges across the rows (or columns), px, and its ratio to that across the others, from which a movement along
them is looked for with less evidence from the spectrum (shots without one have 0.6 px at most).
"""
WORTH_A_LOOK = 0.22
"""Depth of the stripes along an axis from which the edges are looked at."""
FAINT, FAINTLY_DEEP = 0.92, 0.15
"""Share left of the spectrum and depth that such a movement needs."""
SHORTENED = 0.33
"""A tile's window smears the stripes, and scenes have more power at lower frequencies: long movements read shorter by
this share of their length over the tile's (0.27 in white noise, 0.3 to 0.7 in scenes).
"""
_HIGHEST = 0.36
"""Cycles a pixel up to which a demosaiced tile is believed."""
_FILL = 0.02
"""What noise and edges of tiles leave in the zeros of a spectrum."""


@dataclass(frozen=True)
class MotionBlur:
    """A straight even movement during the exposure.

    `length_px`, and `degrees` from the right, counter-clockwise, 0 to 180, in the stored picture.
    """

    length_px: float
    degrees: float


def telling_places(green: Plane, step: int) -> list[tuple[int, int]]:
    """Return the corners (y, x) in pixels of the `TILES` tiles with most structure for their brightness.

    Nothing in them is clipped, and they overlap by half at most.

    Parameters
    ----------
    green
        Plane of every `step`-th site.
    step
        Step.

    Returns
    -------
    list[tuple[int, int]]
        Corners (y, x) in pixels of the `TILES` tiles with most structure for their brightness and nothing clipped,
        which overlap by half at most.
    """
    side = TILE // step
    thin = max(1, min(side // 32, min(green.codes.shape) // 500))
    light = cv2.GaussianBlur(green.light[green.codes[::thin, ::thin]], (0, 0), 1.0)
    half, per = side // 2 // thin, side // thin
    energy = np.zeros(light.shape, np.float32)
    energy[:, 1:] += (light[:, 1:] - light[:, :-1]) ** 2
    energy[1:] += (light[1:] - light[:-1]) ** 2
    ys, xs = np.arange(0, light.shape[0] - per, half), np.arange(0, light.shape[1] - per, half)
    if not len(ys) or not len(xs):
        return []

    def sums(p: NDArray[Any]) -> NDArray[Any]:
        table = cv2.integral(p)
        a, b = np.ix_(ys, xs), np.ix_(ys + per, xs + per)
        return table[b] + table[a] - table[np.ix_(ys, xs + per)] - table[np.ix_(ys + per, xs)]

    relative = sums(energy) / (sums(light) ** 2 / per**2 + 1e-6)
    relative[sums((light > 0.97).astype(np.uint8)) > 0] = -1
    order = np.argsort(relative, axis=None)[::-1][: 6 * TILES]
    scores = [
        (float(relative.flat[k]), int(ys[k // len(xs)]) * thin * step, int(xs[k % len(xs)]) * thin * step)
        for k in order
        if relative.flat[k] >= 0
    ]
    chosen: list[tuple[int, int]] = []
    for _, y, x in scores:
        if all(abs(y - a) >= TILE // 2 or abs(x - b) >= TILE // 2 for a, b in chosen):
            chosen.append((y, x))
        if len(chosen) == TILES:
            break
    return chosen


class _Frequencies:
    """Frequencies of a tile that are looked at, the smooth terms a scene's spectrum may have.

    And the stripes of movements of all lengths and directions.
    """

    def __init__(self) -> None:
        window = np.hanning(TILE)
        self.window = (window[:, None] * window[None]).astype(np.float32)
        self.energy = np.float32((self.window**2).sum())
        shape = (TILE, TILE // 2 + 1)
        fy, fx = (np.broadcast_to(f, shape) for f in (np.fft.fftfreq(TILE)[:, None], np.fft.rfftfreq(TILE)[None]))
        radius = np.hypot(fy, fx)
        axis = 1.5 / TILE  # edges along rows and columns, and the tile's own border
        self.seen = (radius > 2.5 / TILE) & (radius < _HIGHEST) & (np.abs(fy) > axis) & (np.abs(fx) > axis)
        self.broad = (radius > 0.02) & (radius < 0.08)
        self.x, self.y = fx[self.seen], fy[self.seen]
        f, angle = radius[self.seen], np.arctan2(-self.y, self.x)
        self.weight = np.sqrt(1 / f).astype(np.float32)
        log = np.log(f)
        terms = [np.ones_like(f), log, f, f * f]
        terms += [fn(k * angle) for k in (2, 4) for fn in (np.cos, np.sin)] + [
            log * np.cos(2 * angle),
            log * np.sin(2 * angle),
        ]
        terms += [
            np.exp(-((q / s) ** 2)) for q in (self.x, self.y) for s in (0.02, 0.05, 0.12)
        ]  # vertical and level lines
        self.lines = 6  # the last so many terms
        self.smooth = np.stack(terms, axis=1)
        lengths = np.concatenate([np.arange(2, 10, 0.5), np.arange(10, 31, 1.0)])
        grid = np.meshgrid(lengths, np.arange(0, 180, 5.0), indexing="ij")
        self.lengths, self.degrees = (g.ravel() for g in grid)
        self.stripes = self.stripes_of(self.lengths, self.degrees)
        near = np.abs((self.degrees + 45) % 90 - 45) <= 15
        self.along_axes = near & (self.lengths >= 6) & (self.lengths <= PLAIN_LONGEST_PX + 2)

    def stripes_of(self, lengths: NDArray[Any], degrees: NDArray[Any]) -> NDArray[np.float32]:
        """Log power of the spectra of straight movements: log sinc^2 (N, frequencies)."""
        u = np.radians(degrees)[:, None]
        along = self.x * np.cos(u) - self.y * np.sin(u)
        return np.log(np.sinc(lengths[:, None] * along) ** 2 + _FILL).astype(np.float32)


@lru_cache(maxsize=1)
def _frequencies() -> _Frequencies:
    return _Frequencies()


def motion(
    tiles: list[NDArray[np.float32]],
    noise: tuple[float, float],
    widths: Callable[[], tuple[float | None, float | None]] | None = None,
) -> MotionBlur | None:
    """Return the movement that blurred tiles (`TILE` x `TILE` light) share, or None.

    An even movement of length L multiplies the spectrum by sinc(L f) along its direction. The mean logarithm of the
    tiles' power spectra is fitted by terms that scenes have anyway (slope, lens blur, preferred directions, vertical
    and level lines) and by one such pattern of stripes; the length and direction that explain most are taken if they
    explain enough. A movement along the rows or columns looks much like such lines: it is sought once more without
    the terms for them, and then must be plainer, or be borne out by the edges: `widths` gives what
    `blur.edge_widths` finds, and is asked only then.

    Parameters
    ----------
    tiles
        Tiles of the green plane.
    noise
        A, b of variance a x + b.
    widths
        Edge widths along both axes, found only where they matter; None where unknown.

    Returns
    -------
    MotionBlur | None
        The movement that blurred tiles (`TILE` x `TILE` light) share, or None.
    """
    f = _frequencies()
    found = _mean_spectrum(tiles, noise, f)
    if found is None:
        return None
    best, depth, length, degrees = _stripes_in(*found, f.smooth, f)
    sure = best < (SURE if length <= LONG_PX else SURE_LONG)
    sure = sure and depth >= (DEEP if length > 7 else DEEP_SHORT) and length >= SHORTEST_PX
    off_axis = abs((degrees + 45) % 90 - 45)
    if not sure or (length > LONG_BY_AXIS_PX and off_axis <= 10):
        plain = _stripes_in(*found, f.smooth[:, : -f.lines], f, f.along_axes)
        plainly = plain[0] < PLAIN and plain[1] >= PLAINLY_DEEP
        if not sure and not (plainly and 7 < plain[2] <= PLAIN_LONGEST_PX):
            if widths is None or plain[1] < WORTH_A_LOOK:
                return None
            return _along_axis(*found, widths(), f)
        if not sure or (plainly and plain[2] > length):
            _, _, length, degrees = plain
    return MotionBlur(length * (1 + SHORTENED * length / TILE), degrees % 180)


def _along_axis(
    y_spectrum: NDArray[Any], weight: NDArray[np.float32], widths: tuple[float | None, float | None], f: _Frequencies
) -> MotionBlur | None:
    """Return a movement nearly along the rows or columns whose stripes alone are not plain enough, or None.

    The edges across it must be clearly wider than those along it; their width bounds its length from both sides (an
    even movement of length L spreads them by L / sqrt(12) or, where it is long, by more than is read).
    """
    x, y = widths
    if x is None or y is None or max(x, y) < WIDE_EDGES or max(x, y) < WIDER * min(x, y):
        return None
    found = y_spectrum, weight
    least = (12 * (x * x - y * y if x > y else y * y - x * x)) ** 0.5
    axis = 0 if x > y else 90
    off = (f.degrees - axis + 90) % 180 - 90
    along = (np.abs(off) <= 12) & (f.lengths >= max(SHORTEST_PX, 0.8 * least))
    near = along & (f.lengths <= 2.7 * least)
    if not near.any():
        return None
    best, depth, length, degrees = _stripes_in(*found, f.smooth[:, : -f.lines], f, along)
    if best < PLAIN and depth >= PLAINLY_DEEP:
        return MotionBlur(length * (1 + SHORTENED * length / TILE), degrees % 180)
    best, depth, length, degrees = _stripes_in(*found, f.smooth, f, near)
    if best > FAINT or depth < FAINTLY_DEEP:
        return None
    if depth < DEEP_SHORT:  # so faint, the stripes do not tell the direction: it lies between theirs and the axis
        degrees = axis + ((degrees - axis + 90) % 180 - 90) / 2
    return MotionBlur(length * (1 + SHORTENED * length / TILE), degrees % 180)


def _mean_spectrum(
    tiles: list[NDArray[np.float32]], noise: tuple[float, float], f: _Frequencies
) -> tuple[NDArray[np.float64], NDArray[np.float32]] | None:
    """Mean logarithm of the tiles' power at the frequencies that are looked at, and their weights."""
    from scipy.fft import rfft2  # takes long to import; the window is shown before

    if not tiles:
        return None
    logs, seen = [], []
    means = [float(tile.mean()) for tile in tiles]
    centred = np.stack([(tile - mean) * f.window for tile, mean in zip(tiles, means, strict=True)])
    for spectrum, mean in zip(rfft2(centred, workers=CORES), means, strict=True):
        power = (spectrum.real**2 + spectrum.imag**2) / f.energy
        floor = (noise[0] * max(mean, 0.0) + noise[1]) * 0.45
        power = cv2.GaussianBlur(power, (0, 0), 0.7, borderType=cv2.BORDER_REFLECT)
        level = float(power[f.broad].mean())
        if level < 8 * floor or level < 1e-12:
            continue
        power = power[f.seen]
        logs.append(np.log(np.maximum(power - floor, max(0.3 * floor, 1e-15)) / level))
        seen.append(power > 2 * floor)
    if len(logs) < 4:
        return None
    count = np.sum(seen, axis=0)
    y = np.where(seen, logs, 0).sum(axis=0) / np.maximum(count, 1)
    return y, np.where(count >= 3, f.weight * np.sqrt(count / len(logs)), 0).astype(np.float32)


def _stripes_in(
    y: NDArray[Any],
    weight: NDArray[np.float32],
    smooth: NDArray[Any],
    f: _Frequencies,
    only: NDArray[np.bool_] | None = None,
) -> tuple[float, float, float, float]:
    """Share of the spectrum left unexplained by the best stripes, their depth, length (px) and direction (degrees).

    `only`: which of the stripes are tried.
    """
    q = np.linalg.qr(smooth * weight[:, None])[0].astype(np.float32)
    y = (y * weight).astype(np.float32)
    y -= q @ (q.T @ y)
    whole = max(float(y @ y), 1e-12)

    def left(stripes: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        rest, depth = np.empty(len(stripes), np.float32), np.empty(len(stripes), np.float32)
        for k in range(0, len(stripes), 256):  # bands keep the temporaries small
            r = stripes[k : k + 256] * weight
            r -= (r @ q) @ q.T
            square, both = np.einsum("ij,ij->i", r, r), r @ y
            amount = np.clip(both / np.maximum(square, 1e-9), 0, 1)
            rest[k : k + 256] = (whole - 2 * amount * both + amount**2 * square) / whole
            depth[k : k + 256] = amount
        return rest, depth

    tried = slice(None) if only is None else only
    rest, amount = left(f.stripes[tried])
    k = int(rest.argmin())
    best, depth, length, degrees = (float(v[k]) for v in (rest, amount, f.lengths[tried], f.degrees[tried]))
    for dl, da in ((0.5, 2.5), (0.2, 1.0)):
        steps = np.meshgrid(np.arange(-2, 3) * dl, np.arange(-2, 3) * da)
        lengths, angles = np.maximum(length + steps[0].ravel(), 1.0), degrees + steps[1].ravel()
        rest, amount = left(f.stripes_of(lengths, angles))
        k = int(rest.argmin())
        if rest[k] < best:
            best, depth, length, degrees = (float(v[k]) for v in (rest, amount, lengths, angles))
    return best, depth, length, degrees


def green_tiles(planes: list[Plane], pattern: str, places: list[tuple[int, int]]) -> list[NDArray[np.float32]]:
    """Return the green light of tiles at places, interpolated along edges where the mosaic has none.

    Parameters
    ----------
    planes
        Planes of one colour each.
    pattern
        Bayer pattern.
    places
        Positions of the handles.

    Returns
    -------
    list[NDArray[np.float32]]
        Green light of tiles at places, interpolated along edges where the mosaic has none.
    """
    if not pattern:
        plane = next(p for p in planes if p.channel == 1)
        return [plane.light[plane.codes[y : y + TILE, x : x + TILE]] for y, x in places]
    code = getattr(cv2, f"COLOR_Bayer{pattern}2RGB_EA")

    def tile(place: tuple[int, int]) -> NDArray[np.float32]:
        y, x = place[0] // 2, place[1] // 2
        mosaic = np.empty((TILE, TILE), np.float32)
        for site, plane in enumerate(planes):
            part = plane.codes[y : y + TILE // 2, x : x + TILE // 2]
            mosaic[site // 2 :: 2, site % 2 :: 2] = plane.light[part]
        codes = np.clip(mosaic * 16384 + 256, 0, 65535).astype(np.uint16)
        return (cv2.cvtColor(codes, code)[..., 1].astype(np.float32) - 256) * np.float32(1 / 16384)

    return map_threads(tile, places)

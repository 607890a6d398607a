"""The places of a pair that are worth a look: where the two differ most in detail, tint, halos, clipping and noise."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.compare.measures import HIGH, LOW

SIDE = 96
"""Sides of a place on the compared grid, pixels."""
STEP = 24
FLAT, EDGE = 1.2, 6.0
"""Change of smoothed L* a pixel below which a place is flat, and from which it is an edge."""
DARK = 8.0
"""L* up to which noise passes for structure."""


@dataclass(frozen=True)
class Region:
    """`kind` of difference; `sentence`, with `{first}` and `{second}` for the pictures."""

    kind: str
    x: float
    """Its middle on the compared grid, relative to the grid's width and height."""
    y: float
    """Its middle on the compared grid, relative to the grid's width and height."""
    sentence: str


@dataclass(frozen=True)
class _Maps:
    """CIELAB of both, what is finer than about 4 px of their L*, where both show something, and how steep it is."""

    one: NDArray[np.float32]
    other: NDArray[np.float32]
    fine: tuple[NDArray[np.float32], NDArray[np.float32]]
    valid: NDArray[np.float32]
    steep: NDArray[np.float32]

    @cached_property
    def quiet(self) -> list[NDArray[np.float32]]:
        """Grain of both about every step (see `_quiet`)."""
        flat = (self.valid > 0) & (self.steep < FLAT)
        return [_quiet(f, flat) for f in self.fine]

    @property
    def even(self) -> NDArray[np.bool_]:
        """About which steps there is enough that is flat to tell grain."""
        return self.quiet[0] > 0

    @property
    def grain(self) -> list[NDArray[np.float32]]:
        """The same as `quiet`, but where nothing near is flat the picture's own."""
        return [np.where(self.even, q, np.median(q[self.even]) if self.even.any() else 0) for q in self.quiet]

    def mean(self, values: NDArray[Any]) -> NDArray[np.float32]:
        """Compute the mean of squares at every step."""
        whole = cv2.blur(np.ascontiguousarray(values, np.float32), (SIDE, SIDE), borderType=cv2.BORDER_REPLICATE)
        return whole[::STEP, ::STEP]

    def strength(self, values: NDArray[Any], where: NDArray[Any]) -> NDArray[np.float32]:
        """Root of the mean square, of places that count."""
        return np.sqrt(np.maximum(self.mean(values * values * where), 0))


Scored = tuple[NDArray[Any], Callable[[int], str]]
"""How much both differ at every step, and what is said of one of them."""


def _stronger(
    one: NDArray[Any], other: NDArray[Any], if_first: str, if_second: str, where: NDArray[Any] | float = 1.0
) -> Scored:
    """Where one is stronger than the other, and the sentence for each case."""
    return np.abs(one - other) * where, lambda k: if_first if one.flat[k] > other.flat[k] else if_second


def _detail(m: _Maps) -> Scored:
    one, other = (
        np.sqrt(np.maximum(m.mean(f * f * m.valid) - grain * grain, 0))
        for f, grain in zip(m.fine, m.grain, strict=True)
    )
    seen = m.mean((np.minimum(m.one[..., 0], m.other[..., 0]) > DARK) * m.valid) > 0.5
    return _stronger(
        one,
        other,
        tr("The {first} has finer structure here; it is smeared in the {second}."),
        tr("The {second} is crisper here, from sharpening or from detail."),
        seen,
    )


def _tint(m: _Maps) -> Scored:
    chroma = np.minimum(np.hypot(m.one[..., 1], m.one[..., 2]), np.hypot(m.other[..., 1], m.other[..., 2]))
    grey = m.valid * (chroma < 10) * (m.one[..., 0] > 8)
    share = np.maximum(m.mean(grey), 1e-3)
    a, b = (m.mean((m.other[..., k] - m.one[..., k]) * grey) / share for k in (1, 2))
    score = np.hypot(a, b) * (share > 0.2)
    names = (
        (0, tr("redder")),
        (60, tr("yellower")),
        (150, tr("greener")),
        (240, tr("bluer")),
        (320, tr("more magenta")),
    )

    def sentence(k: int) -> str:
        hue = float(np.degrees(np.arctan2(b.flat[k], a.flat[k]))) % 360
        name = min(names, key=lambda n: abs((hue - n[0] + 180) % 360 - 180))[1]
        return tr("Near-greys are {name} in the {{second}}, by {flat:.0f} in a*b*.", name=name, flat=score.flat[k])

    return score, sentence


def _halo(m: _Maps) -> Scored:
    edges = m.valid * cv2.dilate((m.steep > EDGE).astype(np.float32), np.ones((7, 7)))
    one, other = (m.strength(f, edges) for f in m.fine)
    return _stronger(
        one,
        other,
        tr("Edges are sharper in the {first} and soft in the {second}."),
        tr("Edges are drawn harder in the {second}; look for light and dark lines along them."),
    )


def _clipping(m: _Maps) -> Scored:
    lost = [((p[..., 0] >= HIGH) | (p[..., 0] <= LOW)) * m.valid for p in (m.one, m.other)]
    one, other = (m.mean(l) for l in lost)
    bright = m.mean(m.one[..., 0]) > 50
    score = np.abs(one - other)

    def sentence(k: int) -> str:
        where = tr("bright") if bright.flat[k] else tr("dark")
        holds, loses = ("{first}", "{second}") if other.flat[k] > one.flat[k] else ("{second}", "{first}")
        return tr(
            "The {holds} still has {where} detail that the {loses} has lost.", holds=holds, where=where, loses=loses
        )

    return score, sentence


def _noise(m: _Maps) -> Scored:
    one, other = m.grain
    first = tr("The {first} shows more grain in even tones.")
    second = tr("The {second} shows more grain in even tones.")
    return _stronger(one, other, first, second, m.even)


def _quiet(fine: NDArray[np.float32], flat: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return the standard deviation of fine lightness in the lower quarter of the cells about every step.

    The quieter cells, and a median, as in `MeasuredSide.grain`: texture, sharpened or not, is no grain. 0 where less
    than half of the cells are flat.
    """
    height, width = (-(-n // STEP) for n in fine.shape)
    if min(fine.shape) < STEP:
        return np.zeros((height, width), np.float32)
    rows, columns = (n // STEP for n in fine.shape)
    cut = (slice(rows * STEP), slice(columns * STEP))
    cells = (rows, STEP, columns, STEP)
    used = flat[cut].reshape(cells).mean(axis=(1, 3)) > 0.8
    size = np.where(flat[cut], np.abs(fine[cut]), np.nan).reshape(cells).swapaxes(1, 2).reshape(rows, columns, -1)
    found = np.full((rows, columns), np.inf, np.float32)
    found[used] = 1.4826 * np.nanmedian(size[used], axis=-1)
    about = SIDE // STEP
    wide = np.pad(found, ((about // 2, about - about // 2), (about // 2, about - about // 2)), constant_values=np.inf)
    near = np.sort(np.lib.stride_tricks.sliding_window_view(wide, (about, about)).reshape(rows + 1, columns + 1, -1))
    enough = np.isfinite(near[..., about * about // 2 - 1])
    return np.where(enough, near[..., about * about // 8 - 1], 0)[:height, :width]


KINDS: tuple[tuple[str, Callable[[_Maps], Scored], float], ...] = (
    ("detail", _detail, 0.25), ("tint", _tint, 1.5), ("halo", _halo, 0.3), ("clipping", _clipping, 0.01),
    ("noise", _noise, 0.2),
)  # fmt: skip
"""Kinds of difference, how each is found, and the least of it that is worth a look."""


OWN = "own"
"""Kind of a place that was chosen by hand."""
LEAST_L, LEAST_AB, LEAST_RATIO = 1.0, 1.5, 1.15
"""Differences of L*, of a*b*, and ratio of fine structure from which they are reported."""


def place_at(one: NDArray[np.float32], other: NDArray[np.float32], x: float, y: float) -> Region:
    """Return a place of two pictures (H, W, 3; CIELAB) on one grid, and how they differ there.

    `x`, `y` as in `Region`.

    Parameters
    ----------
    one
        First picture, CIELAB (H, W, 3).
    other
        Second picture, of the same size.
    x
        Middle of the place, share of the width.
    y
        Middle of the place, share of the height.

    Returns
    -------
    Region
        The place, with a sentence of how both differ in it.
    """
    height, width = one.shape[:2]
    side = min(SIDE, height, width)
    row, column = (int(np.clip(round(p * n) - side // 2, 0, n - side)) for p, n in ((y, height), (x, width)))
    parts = [np.ascontiguousarray(p[row : row + side, column : column + side]) for p in (one, other)]
    means = [p.reshape(-1, 3).mean(axis=0) for p in parts]
    fine = [float((p[..., 0] - cv2.GaussianBlur(p[..., 0], (0, 0), 2.0)).std()) for p in parts]
    light = float(means[1][0] - means[0][0])
    color = float(np.hypot(*(means[1][1:] - means[0][1:])))
    sentence = []
    if abs(light) >= LEAST_L:
        sentence.append(
            tr("is {value} by {light:.0f} L*", value=tr("brighter") if light > 0 else tr("darker"), light=abs(light))
        )
    ratio = max(fine[1], 0.02) / max(fine[0], 0.02)
    if max(ratio, 1 / ratio) >= LEAST_RATIO:
        sentence.append(tr("has {ratio:.1f} times the fine structure", ratio=ratio))
    if color >= LEAST_AB:
        sentence.append(tr("differs in colour by {color:.0f} a*b*", color=color))
    templates = {2: tr("{a} and {b}"), 3: tr("{a}, {b} and {c}")}
    parts_of_it = dict(zip("abc", sentence, strict=False))
    listed = templates[len(sentence)].format(**parts_of_it) if len(sentence) > 1 else "".join(sentence)
    text = tr("The {{second}} {listed} here.", listed=listed)
    return Region(OWN, x, y, text if sentence else tr("The two look alike here."))


def places_of(one: NDArray[np.float32], other: NDArray[np.float32], valid: NDArray[np.bool_]) -> list[Region]:
    """Return up to five places where two pictures (H, W, 3; CIELAB) on one grid differ most, one for each kind.

    Parameters
    ----------
    one
        First picture, CIELAB (H, W, 3).
    other
        Second picture, of the same size.
    valid
        Mask of pixels that both pictures show.

    Returns
    -------
    list[Region]
        The places, at most one of each kind.
    """
    inner = cv2.erode(valid.astype(np.uint8), np.ones((SIDE // 2, SIDE // 2), np.uint8)).astype(np.float32)
    smooth = [cv2.GaussianBlur(np.ascontiguousarray(p[..., 0]), (0, 0), 1.5) for p in (one, other)]
    steep = np.maximum(*(
        np.hypot(cv2.Sobel(s, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(s, cv2.CV_32F, 0, 1, scale=1 / 8))
        for s in smooth
    ))  # fmt: skip
    fine = tuple(
        np.ascontiguousarray(p[..., 0]) - cv2.GaussianBlur(np.ascontiguousarray(p[..., 0]), (0, 0), 2.0)
        for p in (one, other)
    )
    maps = _Maps(one, other, fine, inner, steep)
    whole = maps.mean(valid) > 0.98
    found: list[Region] = []
    height, width = valid.shape
    for kind, of, least in KINDS:
        score, sentence = of(maps)
        score = np.where(whole, score, 0.0)
        for k in np.argsort(score.ravel())[::-1][:400]:
            if score.flat[k] < least:
                break
            row, column = divmod(int(k), score.shape[1])
            x, y = column * STEP / width, row * STEP / height
            if all(abs(x - p.x) * width > SIDE or abs(y - p.y) * height > SIDE for p in found):
                found.append(Region(kind, x, y, sentence(int(k))))
                break
    return found

"""How a frame has moved against another of the same camera: shift and turn, from all of its pixels at once.

Gauss-Newton over an image pyramid with the inverse compositional form (Baker, Matthews 2004), on square roots of
light, whose noise is even; what does not follow counts less (Cauchy weights). Blocks of the frame then tell what moves
with it, how far the found motion is off, and what is left to move locally: the shutter that rolls, things near by.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on

BLOCK = 24
"""Pixels a side of the blocks of a level."""
SMALLEST = 80
"""Short side of the smallest level, pixels."""
SMOOTH = 0.8
"""Standard deviation in pixels by which the finest level is smoothed."""
CAUCHY = 2.385
"""Standard deviations at which a residual counts half (95 % efficient for normal ones)."""
ENOUGH = 0.004
"""Movement of the corners in pixels of a level, below which no further step is made."""
STEPS, LAST_STEPS = 12, 2
"""Steps at a level, and at the finest one, at most."""
MOST_TURN = 0.3
"""Turn of one step, radians, that is no hand's."""
CORRELATED = 8.0
"""Neighbours whose smoothed noise counts as that of one place."""
KNOWN = 0.25
"""Error of a block's shift, in pixels of the finest level, up to which the block is asked whether it follows."""
FOLLOWS = 0.75
"""Shift of a block against the motion, pixels of the finest level, up to which it follows."""
UNEXPLAINED = 16.0
"""Times the usual squared residual above which a block shows something else, where its own contrast is no excuse."""
OWN_CONTRAST = 0.3
LOCAL_LEVEL, NEAR_PX = 2, 1.5
"""Level at which local movement is looked for first, and how far a block may be off at each, pixels of the level."""
LOCAL_BLOCKS, LOCAL_PX, LOCAL_ERROR = 1.2, 2.0, 0.08
"""Blocks over which local movement is smoothed, how much is expected, and how far sampling alone misleads a block,
pixels of a level.
"""
LEAST_LOCAL, MUCH_LESS, MOST_AS_ONE = 0.06, 0.5, 0.95
"""Local movement in pixels of the finest level (rms), and share of the squared shifts that may be left, from which it
is believed; share of the blocks that move as the whole, from which it is not looked for.
"""

_XX, _XY, _YY, _XT, _YT, _TT, _XG, _YG, _TG, _GG, _BX, _BY, _BT, _BG, _R, _N = range(16)
_UXX, _UXY, _UYY, _UBX, _UBY, _UX, _UY, _U = range(16, 24)
_SUMS = 24


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _sums(first, gx, gy, second, move, local, gain, narrow, block, far, out):
    """Return the sums of each block (rows, columns, `_SUMS`) for one step; `move` (2, 3).

    Places of the first, from its middle, to those of the second, from its middle; `narrow`: 1 / squared residual
    that counts half; turns are counted in pixels at a distance of 1 / `far`; `local` (rows, columns, 2): what is
    added in each block.
    """
    h, w = first.shape
    rows, columns = out.shape[:2]
    cx, cy = np.float32((w - 1) / 2), np.float32((h - 1) / 2)
    m00, m01, m02, m10, m11, m12 = move[0, 0], move[0, 1], move[0, 2], move[1, 0], move[1, 1], move[1, 2]
    for r in prange(rows):
        for c in range(columns):
            zero = np.float32(0)
            lx, ly = local[r, c, 0] + cx, local[r, c, 1] + cy
            xx, xy, yy, xt, yt, tt = zero, zero, zero, zero, zero, zero
            xg, yg, tg, gg, bx, by, bt, bg = zero, zero, zero, zero, zero, zero, zero, zero
            rr, n, uxx, uxy, uyy, ubx, uby = zero, zero, zero, zero, zero, zero, zero
            ux, uy, ud = zero, zero, zero
            for y in range(r * block, min(r * block + block, h)):
                v = np.float32(y) - cy
                for x in range(c * block, min(c * block + block, w)):
                    u = np.float32(x) - cx
                    px, py = m00 * u + m01 * v + m02 + lx, m10 * u + m11 * v + m12 + ly
                    if not (0 <= px < w - 1 and 0 <= py < h - 1):
                        continue
                    ix, iy = int(px), int(py)
                    fx, fy = px - np.float32(ix), py - np.float32(iy)
                    top = second[iy, ix] + (second[iy, ix + 1] - second[iy, ix]) * fx
                    low = second[iy + 1, ix] + (second[iy + 1, ix + 1] - second[iy + 1, ix]) * fx
                    own = first[y, x]
                    d = top + (low - top) * fy - gain * own
                    a, b = gx[y, x], gy[y, x]
                    t = (u * b - v * a) * far
                    k = np.float32(1) / (np.float32(1) + d * d * narrow)
                    ka, kb, kt, kd = k * a, k * b, k * t, k * d
                    xx += ka * a
                    xy += ka * b
                    yy += kb * b
                    xt += ka * t
                    yt += kb * t
                    tt += kt * t
                    xg += ka * own
                    yg += kb * own
                    tg += kt * own
                    gg += k * own * own
                    bx += ka * d
                    by += kb * d
                    bt += kt * d
                    bg += kd * own
                    rr += d * d
                    n += np.float32(1)
                    uxx += a * a
                    uxy += a * b
                    uyy += b * b
                    ubx += a * d
                    uby += b * d
                    ux += a
                    uy += b
                    ud += d
            s = out[r, c]
            s[0], s[1], s[2], s[3], s[4], s[5] = xx, xy, yy, xt, yt, tt
            s[6], s[7], s[8], s[9], s[10], s[11], s[12], s[13] = xg, yg, tg, gg, bx, by, bt, bg
            s[14], s[15], s[16], s[17], s[18], s[19], s[20] = rr, n, uxx, uxy, uyy, ubx, uby
            s[21], s[22], s[23] = ux, uy, ud


@dataclass(frozen=True)
class Pyramid:
    """A frame as it is aligned: planes from fine to coarse, and slopes of each along x and y."""

    planes: tuple[NDArray[np.float32], ...]
    slopes: tuple[tuple[NDArray[np.float32], NDArray[np.float32]], ...] = ()


def pyramid(light: NDArray[np.float32], floor: float, with_slopes: bool = False) -> Pyramid:
    """Return the pyramid of linear light (H, W).

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.
    floor
        Light at which noise of reading and of photons are alike, b / a.
    with_slopes
        Whether slopes are kept as well.

    Returns
    -------
    Pyramid
        Pyramid of linear light (H, W).
    """
    root = np.sqrt(np.maximum(light, 0) + np.float32(max(floor, 1e-6)))
    planes = [cv2.GaussianBlur(root, (0, 0), SMOOTH)]
    while min(planes[-1].shape) >= 2 * SMALLEST:
        planes.append(cv2.pyrDown(planes[-1]))
    if not with_slopes:
        return Pyramid(tuple(planes))
    slopes = [tuple(cv2.Scharr(p, cv2.CV_32F, dx, dy, scale=1 / 32) for dx, dy in ((1, 0), (0, 1))) for p in planes]
    return Pyramid(tuple(planes), tuple(slopes))


@dataclass(frozen=True)
class RigidMotion:
    """`turn` (radians) and `shift` (2,).

    A place p of the first, from its middle, lies at R p + shift in the second, in pixels of the finest level;
    `local` (rows, columns, 2): what is added to it in blocks of `BLOCK` pixels where parts of the frame moved on
    their own, None where they did not.
    """

    turn: float
    shift: NDArray[np.float64]
    error: float
    """Of that at the corners, from two halves of the blocks."""
    spread: float
    """Rms shift of blocks against it, of which `share` follow it, of `blocks` that can tell."""
    share: float
    blocks: int
    local: NDArray[np.float32] | None

    @property
    def matrix(self) -> NDArray[np.float64]:
        """Return the motion as a 2 × 3 matrix, pixels of the finest level."""
        c, s = math.cos(self.turn), math.sin(self.turn)
        return np.array([[c, -s, self.shift[0]], [s, c, self.shift[1]]])


def _step(s: NDArray[np.float64], reach: float) -> NDArray[np.float64] | None:
    """Shift, turn (radians) and gain by which a motion is wrong, from sums."""
    matrix = np.array([
        [s[_XX], s[_XY], s[_XT], s[_XG]], [s[_XY], s[_YY], s[_YT], s[_YG]],
        [s[_XT], s[_YT], s[_TT], s[_TG]], [s[_XG], s[_YG], s[_TG], s[_GG]],
    ])  # fmt: skip
    scale = np.sqrt(np.maximum(np.diag(matrix), 1e-30))
    try:
        found = np.linalg.solve(matrix / np.outer(scale, scale), s[[_BX, _BY, _BT, _BG]] / scale) / scale
    except np.linalg.LinAlgError:
        return None
    found[2] /= reach
    return found if np.isfinite(found).all() else None


def _reach(plane: NDArray[Any]) -> float:
    """Distance of a plane's corners from its middle, pixels."""
    return math.hypot(*plane.shape) / 2


@dataclass
class _Found:
    """A motion as it is refined."""

    turn: float = 0.0
    shift: NDArray[np.float64] = field(default_factory=lambda: np.zeros(2))
    gain: float = 1.0
    narrow: float = 0.0
    """1 / squared residual that counts half."""

    def sums(
        self, first: Pyramid, second: Pyramid, level: int, local: NDArray[np.float32] | None = None
    ) -> NDArray[np.float64]:
        """Compute the sums of the blocks of a level; `local`.

        What is added to the motion in each, pixels of the level.
        """
        plane = first.planes[level]
        h, w = plane.shape
        shape = (-(-h // BLOCK), -(-w // BLOCK))
        out = np.empty((*shape, _SUMS))
        local = np.zeros((*shape, 2), np.float32) if local is None else local
        c, s = math.cos(self.turn), math.sin(self.turn)
        move = np.array([[c, -s, self.shift[0]], [s, c, self.shift[1]]], np.float32)
        _sums(
            plane, *first.slopes[level], second.planes[level], move, local, np.float32(self.gain),
            np.float32(self.narrow), BLOCK, np.float32(1 / _reach(plane)), out,
        )  # fmt: skip
        return out

    def follow(self, step: NDArray[Any]) -> None:
        """Go on by the inverse of a step."""
        self.turn -= float(step[2])
        c, s = math.cos(self.turn), math.sin(self.turn)
        self.shift = self.shift - np.array([c * step[0] - s * step[1], s * step[0] + c * step[1]])
        self.gain += float(step[3])


def _usual(sums: NDArray[Any]) -> float:
    """Compute the usual squared residual of a place: the median of the blocks."""
    full = sums[..., _N] > BLOCK * BLOCK / 4
    return float(np.median(sums[full][:, _R] / sums[full][:, _N])) if full.any() else 0.0


def find_motion(first: Pyramid, second: Pyramid) -> RigidMotion | None:
    """Find the motion of the second against the first (with its slopes), of planes of one size.

    None where none is found.

    Parameters
    ----------
    first
        The first of them.
    second
        The second of them.

    Returns
    -------
    RigidMotion | None
        The motion of the second against the first (with its slopes), of planes of one size.
    """
    found = _Found()
    top = len(first.planes) - 1
    for level in range(top, -1, -1):
        if level < top:
            found.shift = 2 * found.shift
        plane = first.planes[level]
        reach = _reach(plane)
        for k in range(STEPS if level or not top else LAST_STEPS):
            sums = found.sums(first, second, level)
            usual = _usual(sums)
            if usual <= 0:
                return None
            first_time, found.narrow = found.narrow == 0, 1 / (CAUCHY**2 * usual)
            step = _step(sums.sum(axis=(0, 1)), reach)
            if step is None or abs(step[2]) > MOST_TURN:
                return None
            found.follow(step)
            if math.hypot(*found.shift) > min(plane.shape) / 2:
                return None
            if k and not first_time and math.hypot(step[0], step[1]) + abs(step[2]) * reach < ENOUGH:
                break
    local = _local(first, second, found)
    return _judged(first, second, found, local)


def _smooth(shifts: NDArray[Any], weight: NDArray[Any]) -> NDArray[np.float32]:
    """Shifts of blocks (rows, columns, 2) as a smooth field: means by weight, drawn to none where little is known."""
    total = cv2.GaussianBlur(weight, (0, 0), LOCAL_BLOCKS, borderType=cv2.BORDER_REFLECT)
    mean = cv2.GaussianBlur(shifts * weight[..., None], (0, 0), LOCAL_BLOCKS, borderType=cv2.BORDER_REFLECT)
    return (mean / (total + 1 / LOCAL_PX**2)[..., None]).astype(np.float32)


def _asked(sums: NDArray[Any]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Shift of each block that is left, and 1 / its variance where the block shows the same in both."""
    moved, variance = shifts_of(sums)
    residual = sums[..., _R] / np.maximum(sums[..., _N], 1)
    slope = (sums[..., _UXX] + sums[..., _UYY]) / np.maximum(sums[..., _N], 1)
    like = residual < np.maximum(UNEXPLAINED * _usual(sums), OWN_CONTRAST * slope)
    near = like & (variance < KNOWN**2) & (np.hypot(moved[..., 0], moved[..., 1]) < NEAR_PX)
    return moved, np.where(near, 1 / (variance + LOCAL_ERROR**2), 0.0)


def _as_one(first: Pyramid, second: Pyramid, found: _Found) -> bool:
    """Whether all of a frame moves as a whole, at a quick look at a coarser level."""
    level = min(1, len(first.planes) - 1)
    sums = replace(found, shift=found.shift / 2**level).sums(first, second, level)
    moved, weight = _asked(sums)
    known = shifts_of(sums)[1] < KNOWN**2
    if not weight.any() or (weight[known] > 0).mean() < MOST_AS_ONE:
        return not weight.any()
    rms = math.sqrt(float((weight[..., None] * _smooth(moved, weight) ** 2).sum() / weight.sum() / 2))
    return rms < LEAST_LOCAL / 2**level


def _local(first: Pyramid, second: Pyramid, found: _Found) -> NDArray[np.float32] | None:
    """Find what parts of the frame have moved against the whole, from coarse to fine; None where it is nothing."""
    if _as_one(first, second, found):
        return None
    start = min(LOCAL_LEVEL, len(first.planes) - 1)
    field: NDArray[np.float32] | None = None
    for level in range(start, -1, -1):
        at = replace(found, shift=found.shift / 2**level)
        h, w = first.planes[level].shape
        columns, rows = -(-w // BLOCK), -(-h // BLOCK)
        field = (
            np.zeros((rows, columns, 2), np.float32) if field is None
            else 2 * cv2.resize(field, (columns, rows), interpolation=cv2.INTER_LINEAR)
        )  # fmt: skip
        for _ in range(2):
            moved, weight = _asked(at.sums(first, second, level, field))
            if not weight.any():
                return None
            field = field - _smooth(moved, weight)
    assert field is not None
    moved, weight = _asked(found.sums(first, second, 0))
    if not weight.any():
        return None
    before = float((weight * (moved**2).sum(axis=2)).sum())
    rms = math.sqrt(float((weight[..., None] * field**2).sum() / weight.sum() / 2))
    moved, weight = _asked(found.sums(first, second, 0, field))
    after = float((weight * (moved**2).sum(axis=2)).sum())
    return field if rms > LEAST_LOCAL and after < MUCH_LESS * before else None


def shifts_of(sums: NDArray[Any]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Compute the shift of each block (rows, columns, 2), and the variance of it.

    Infinite where the block shows nothing.

    Parameters
    ----------
    sums
        Normal equations of the blocks.

    Returns
    -------
    tuple[NDArray[np.float64], NDArray[np.float64]]
        Shift of each block (rows, columns, 2), and the variance of it.
    """
    count = np.maximum(sums[..., _N], 1)
    gx, gy, off = (sums[..., k] / count for k in (_UX, _UY, _U))
    # a difference of the whole block's light is no movement: a lens that shades, a cloud
    xx, xy, yy = sums[..., _UXX] - count * gx * gx, sums[..., _UXY] - count * gx * gy, sums[..., _UYY] - count * gy * gy
    bx, by = sums[..., _UBX] - count * gx * off, sums[..., _UBY] - count * gy * off
    determinant = np.maximum(xx * yy - xy * xy, 1e-30)
    moved = np.stack([(yy * bx - xy * by) / determinant, (xx * by - xy * bx) / determinant], axis=-1)
    least = (xx + yy) / 2 - np.sqrt(((xx - yy) / 2) ** 2 + xy * xy)
    full = sums[..., _N] > BLOCK * BLOCK / 4
    noise = float(np.percentile((sums[..., _R] / count)[full], 20)) if full.any() else 0.0
    with np.errstate(divide="ignore"):
        variance = np.where(full & (least > 0), CORRELATED * noise / np.maximum(least, 1e-30), np.inf)
    return moved, variance


def _judged(first: Pyramid, second: Pyramid, found: _Found, local: NDArray[np.float32] | None) -> RigidMotion:
    reach = _reach(first.planes[0])
    sums = found.sums(first, second, 0, local)
    moved, variance = shifts_of(sums)
    rows, columns = variance.shape
    last = _step(sums.sum(axis=(0, 1)), reach)
    if last is not None:  # these sums are good for one more step
        found.follow(last)
        h, w = first.planes[0].shape
        v, u = (((np.arange(n) + 0.5) * BLOCK - m / 2) for n, m in ((rows, h), (columns, w)))
        moved[..., 0] -= last[0] - last[2] * v[:, None]
        moved[..., 1] -= last[1] + last[2] * u[None]
    odd = (np.add.outer(np.arange(rows) // 2, np.arange(columns) // 2) % 2).astype(bool)
    halves = [_step(sums[half].sum(axis=0), reach) for half in (odd, ~odd)]
    h, w = first.planes[0].shape
    error = 9.0
    if halves[0] is not None and halves[1] is not None:
        d = halves[0] - halves[1]
        # mean square over the corners: shift and turn
        error = 0.5 * math.sqrt(max((d[0] ** 2 + d[1] ** 2 + d[2] ** 2 * (h * h + w * w) / 4) / 2, 0.0))
    known = variance < KNOWN**2
    residual = sums[..., _R] / np.maximum(sums[..., _N], 1)
    usual = _usual(sums)
    # at full contrast a block that is one pixel off differs by its slopes
    slope = (sums[..., _UXX] + sums[..., _UYY]) / np.maximum(sums[..., _N], 1)
    like = residual < np.maximum(UNEXPLAINED * usual, OWN_CONTRAST * slope)
    follows = known & like & (np.hypot(moved[..., 0], moved[..., 1]) < FOLLOWS)
    share = float(follows.sum() / max(known.sum(), 1))
    spread = float(np.sqrt(np.mean(moved[follows] ** 2))) if follows.any() else 0.0
    return RigidMotion(found.turn, found.shift, error, spread, share, int(known.sum()), local)


def still_share(first: Pyramid, second: Pyramid, shift: float) -> tuple[float, int]:
    """Compute the share of the blocks with structure in which the second has not moved.

    That is: moved by less than `shift` pixels of the finest level. Also how many blocks can tell.

    Parameters
    ----------
    first
        The first of them.
    second
        The second of them.
    shift
        Shift, pixels.

    Returns
    -------
    tuple[float, int]
        Share of the blocks with structure in which the second has not moved, by less than `shift` pixels of the
        finest level, and how many blocks can tell.
    """
    level = min(1, len(first.planes) - 1)
    moved, variance = shifts_of(_Found().sums(first, second, level))
    shift /= 2**level
    known = variance < (shift / 2) ** 2
    if not known.any():
        return 0.0, 0
    return float((np.hypot(moved[..., 0], moved[..., 1])[known] < shift).mean()), int(known.sum())

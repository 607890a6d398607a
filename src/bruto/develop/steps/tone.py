"""Tone: five handles map scene light (EV) to lightness (L*), on an edge-preserving base so that local detail survives.

The curve between handles is monotone (Fritsch, Carlson 1980, in (EV, L*)). Medium and broad relief and the look of a
camera profile act here too, as all of them read the light before and change the light after it.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import luminance_of, working_to_lms
from bruto.develop.interpolation import MonotoneCurve
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Tone
from bruto.develop.steps.base_layer import GREY, TONE_BASE, Base
from bruto.develop.steps.fast_math import exp2_of, log2_of, root_of
from bruto.develop.steps.kernel_rows import WEIGHTS, across_row, at_least_two
from bruto.develop.steps.local_contrast import MEDIUM_BASE
from bruto.develop.steps.profile_look import ProfileLook, look_row, no_look
from bruto.develop.steps.step import Band, PointStep, StepInput

EV_LOW, EV_HIGH, EV_STEPS = -16.0, 10.0, 26 * 1024 + 1
"""Range and length of the lookup tables: 1024 a stop, so that the nearest entry is within 0.04 %."""
PALE_FROM, PALE_TO, PALE_SLOPE = 0.5, 0.8, 0.4
"""Output light between which colour begins to depend on the tone curve's slope, and slope below which it pales."""
BEND = 0.85
"""Output light from which detail bends towards white, at the lowest."""

_LMS = working_to_lms().astype(np.float32)
_FROM_LMS = np.linalg.inv(working_to_lms()).astype(np.float32)


def curve(tone: Tone) -> MonotoneCurve:
    """Return the L* as a monotone function of EV through the handles; straight to 0 below black, to 100 above white.

    Parameters
    ----------
    tone
        The five tone handles.

    Returns
    -------
    MonotoneCurve
        L* as a monotone function of EV through the handles.
    """
    handles = tone.handles()
    ev = [h.ev for h in handles]
    light = [h.lightness for h in handles]
    points = [(ev[0] - 4.0, 0.0), *zip(ev, light, strict=True), (ev[-1] + 2.0, min(100.0, light[-1] + 0.75))]
    points = [(x, y) for x, y in points if -20 < x < 14]
    xs, ys = zip(*points, strict=True)
    return MonotoneCurve(xs, np.maximum.accumulate(ys))


@lru_cache(maxsize=8)
def tables(tone: Tone, contrast: float = 1.0) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Compute the lookup tables over EV.

    Log2 of output luminance over grey, and how strongly local detail is carried over.

    `contrast` stretches scene light about grey before the handles map it. Detail follows the curve's slope half way,
    between 0.75 and 1.4: lifted shadows and pulled highlights keep their texture.

    Parameters
    ----------
    tone
        The five tone handles.
    contrast
        Contrast; 1 changes nothing.

    Returns
    -------
    tuple[NDArray[np.float32], NDArray[np.float32]]
        Lookup tables over EV.
    """
    ev = np.linspace(EV_LOW, EV_HIGH, EV_STEPS)
    c = curve(tone)
    stretched = ev * contrast
    inside = np.clip(stretched, c.x[0], c.x[-1])
    out = np.maximum(luminance_of(c(inside)), 1e-5)
    log = np.log2(out / GREY)
    log = np.where(stretched < c.x[0], log[0] + (stretched - c.x[0]), log)
    slope = np.gradient(log, ev)
    keep = np.clip(0.5 + 0.5 * slope, 0.75, 1.4)
    return log.astype(np.float32), keep.astype(np.float32)


@lru_cache(maxsize=8)
def color_table(tone: Tone, contrast: float = 1.0) -> NDArray[np.float32]:
    """Compute the share of colour (0..1) that light keeps, over EV.

    Near white, where the curve presses stops into few tones, colours that differ little would stand side by side
    as patches; they pale, as those of film do whose layers are clipped.

    Parameters
    ----------
    tone
        The five tone handles.
    contrast
        Contrast; 1 changes nothing.

    Returns
    -------
    NDArray[np.float32]
        Share of colour (0..1) that light keeps, over EV.
    """
    log, _ = tables(tone, contrast)
    ev = np.linspace(EV_LOW, EV_HIGH, EV_STEPS)
    slope = np.gradient(log.astype(float), ev)
    bright = np.clip((log - math.log2(PALE_FROM / GREY)) / math.log2(PALE_TO / PALE_FROM), 0, 1)
    end = np.searchsorted(ev * contrast, tone.white.ev) - 1  # beyond it the curve tells nothing
    slope[end:] = slope[end]
    share = 1 - bright * (1 - np.clip(slope / PALE_SLOPE, 0, 1))
    return cv2.GaussianBlur(share.astype(np.float32)[None], (0, 0), 200, borderType=cv2.BORDER_REPLICATE)[0]


@njit(cache=True, fastmath=True, error_model="numpy")
def _paled(x, y, z, grey, share):
    """Lower the chroma of working light to `share` of it at constant OKLab hue and luminance `grey`.

    Mixed with white in linear light, orange would turn pink on its way (Abney's effect).
    """
    even = root_of(grey) * (np.float32(1) - share)
    l = even + share * root_of(_LMS[0, 0] * x + _LMS[0, 1] * y + _LMS[0, 2] * z)
    m = even + share * root_of(_LMS[1, 0] * x + _LMS[1, 1] * y + _LMS[1, 2] * z)
    s = even + share * root_of(_LMS[2, 0] * x + _LMS[2, 1] * y + _LMS[2, 2] * z)
    l, m, s = l * l * l, m * m * m, s * s * s
    x = _FROM_LMS[0, 0] * l + _FROM_LMS[0, 1] * m + _FROM_LMS[0, 2] * s
    y = _FROM_LMS[1, 0] * l + _FROM_LMS[1, 1] * m + _FROM_LMS[1, 2] * s
    z = _FROM_LMS[2, 0] * l + _FROM_LMS[2, 1] * m + _FROM_LMS[2, 2] * s
    scale = grey / max(WEIGHTS[0] * x + WEIGHTS[1] * y + WEIGHTS[2] * z, np.float32(1e-6))
    return x * scale, y * scale, z * scale


@njit(cache=True, fastmath=True, error_model="numpy")
def _row(x, y, z, light, gain, place_y, start_x, step_x, weights, exposure, curve, reference, color, base_a, base_b,
         relief, medium_a, medium_b, broad, medium_gain, uses_look, look, raw_scale, baseline_scale):  # fmt: skip
    """Tone, relief and the camera's look on one row of working light, in place; `light`: its luminance."""
    w = len(x)
    w0, w1, w2 = weights[0], weights[1], weights[2]
    a, b = np.empty(w, np.float32), np.empty(w, np.float32)
    index = np.empty(w, np.uint32)
    per_ev = np.float32((EV_STEPS - 1) / (EV_HIGH - EV_LOW))
    last = np.float32(EV_STEPS - 2)
    across_row(base_a, base_b, place_y, start_x, step_x, a, b)
    if relief:
        c, d = np.empty(w, np.float32), np.empty(w, np.float32)
        across_row(medium_a, medium_b, place_y, start_x, step_x, c, d)
        for j in range(w):
            ev = log2_of(light[j] * np.float32(1 / 0.18))
            base = a[j] * (ev - exposure) + b[j] + exposure
            medium = c[j] * (ev - exposure) + d[j] + exposure
            place = min(max((base - np.float32(EV_LOW)) * per_ev, np.float32(0)), last)
            index[j] = np.uint32(np.int32(place + np.float32(0.5)))
            a[j] = broad * (medium - base) + medium_gain * (ev - medium)
    else:
        for j in range(w):
            ev = log2_of(light[j] * np.float32(1 / 0.18))
            base = a[j] * (ev - exposure) + b[j] + exposure
            place = min(max((base - np.float32(EV_LOW)) * per_ev, np.float32(0)), last)
            index[j] = np.uint32(np.int32(place + np.float32(0.5)))
            a[j] = ev - base
    for j in range(w):
        k = index[j]
        b[j] = curve[k, 0]
        gain[j] = curve[k, 0] + curve[k, 1] * a[j]
    if uses_look:  # tone reads the light before the look, and acts on the light after it
        for j in range(w):
            k = index[j]
            if len(reference) > 0:
                gain[j] -= reference[k, 0] + reference[k, 1] * a[j]
                b[j] = np.float32(-1)
            else:
                gain[j] -= log2_of(light[j] * np.float32(1 / 0.18))
        look_row(x, y, z, place_y, start_x, step_x, look, raw_scale, baseline_scale)
        for j in range(w):
            light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
            gain[j] += log2_of(light[j] * np.float32(1 / 0.18))
    bright = False
    for j in range(w):
        gain[j] = np.float32(0.18) * exp2_of(gain[j])
        bright |= gain[j] > np.float32(BEND)
    if bright:  # shoulder: detail above the bright end of the base bends instead of breaking; the base itself is kept
        for j in range(w):
            start = min(max(np.float32(0.18) * exp2_of(b[j]), np.float32(BEND)), np.float32(0.995))
            span = np.float32(1) - start
            over = max(gain[j] - start, np.float32(0))
            bent = start + span * (np.float32(1) - exp2_of(over * np.float32(-1.44269504) / span))
            gain[j] = bent if over > np.float32(0) else gain[j]
    for j in range(w):
        ratio = gain[j] / light[j]
        x[j] *= ratio
        y[j] *= ratio
        z[j] *= ratio
    if len(color) > 1:
        for j in range(w):
            if color[index[j]] < np.float32(1):
                x[j], y[j], z[j] = _paled(x[j], y[j], z[j], gain[j], color[index[j]])


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _tone(xs, ys, zs, top, place, weights, exposure, curve, reference, color, base_a, base_b,
          relief, medium_a, medium_b, broad, medium_gain, uses_look, look, raw_scale, baseline_scale):  # fmt: skip
    """Rows of working light (rows, width), in place; `place`: see `Tile.pixels`."""
    w = xs.shape[1]
    w0, w1, w2 = weights[0], weights[1], weights[2]
    light, gain = np.empty(w, np.float32), np.empty(w, np.float32)
    start_x, step_x = place[1] * place[3], place[3]
    for k in range(xs.shape[0]):
        x, y, z = xs[k], ys[k], zs[k]
        for j in range(w):
            light[j] = max(w0 * x[j] + w1 * y[j] + w2 * z[j], np.float32(1e-6))
        _row(x, y, z, light, gain, (np.float32(top + k) + place[0]) * place[2], start_x, step_x, weights, exposure,
             curve, reference, color, base_a, base_b, relief, medium_a, medium_b, broad, medium_gain, uses_look, look,
             raw_scale, baseline_scale)  # fmt: skip


class PreparedTone(NamedTuple):
    """What the kernel is called with after the band's planes and places, in its order."""

    weights: NDArray[np.float32]
    exposure: np.float32
    curve: NDArray[np.float32]
    reference: NDArray[np.float32]
    color: NDArray[np.float32]
    base_a: NDArray[np.float32]
    base_b: NDArray[np.float32]
    relief: bool
    medium_a: NDArray[np.float32]
    medium_b: NDArray[np.float32]
    broad: np.float32
    medium_gain: np.float32
    uses_look: bool
    look: ProfileLook
    raw_scale: np.float32
    baseline_scale: np.float32


def prepared_tone(
    tone: Tone,
    contrast: float,
    base: Base,
    exposure: float,
    user_exposure: float = 0.0,
    look: ProfileLook | None = None,
    medium: Base | None = None,
    relief: tuple[float, float] = (1.0, 1.0),
) -> PreparedTone:
    """Return the tone on light under an `exposure` (EV, of which `user_exposure` is the recipe's).

    Parameters
    ----------
    tone
        The five tone handles.
    contrast
        Contrast; 1 changes nothing.
    base
        Over the picture.
    exposure
        Exposure in force, EV.
    user_exposure
        Exposure set by the user, EV.
    look
        Look that the camera profile brings.
    medium
        Over the picture.
    relief
        Gains of broad and medium structure, which need `medium`.

    Returns
    -------
    PreparedTone
        Tone on light under an `exposure` (EV, of which `user_exposure` is the recipe's).
    """
    # with a tone curve of its own the look is what the default handles stand for, and moved ones act on top of it
    own_curve = look is not None and look.curve.size > 0
    under = medium if medium is not None else base
    return PreparedTone(
        WEIGHTS,
        np.float32(exposure),
        np.stack(tables(tone, contrast), axis=1),
        np.stack(tables(Tone()), axis=1) if own_curve else np.zeros((0, 2), np.float32),
        np.ones(1, np.float32) if own_curve else color_table(tone, contrast),
        at_least_two(base.a),
        at_least_two(base.b),
        relief != (1.0, 1.0) and medium is not None,
        at_least_two(under.a),
        at_least_two(under.b),
        np.float32(relief[0]),
        np.float32(relief[1]),
        look is not None,
        look or no_look(),
        np.float32(2.0**-exposure),
        np.float32(2.0**-user_exposure),
    )


class ToneMapping(PointStep):
    """The handles, contrast, broad and medium relief, and the profile's look."""

    name = "tone"
    fields = ("tone", "contrast", "local_contrast_broad", "local_contrast_medium", "exposure", "profile", "base_look")

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> PreparedTone:
        relief = (recipe.local_contrast_broad, recipe.local_contrast_medium)
        medium = scene.coarse(MEDIUM_BASE) if relief != (1.0, 1.0) else None
        return prepared_tone(
            recipe.tone, recipe.contrast, scene.coarse(TONE_BASE), scene.exposure, scene.user_exposure, scene.look,
            medium, relief,
        )  # fmt: skip

    @override
    def apply(self, band: Band, prepared: PreparedTone) -> None:
        _tone(*band.planes, band.top, band.tile.pixels, *prepared)

"""Colour in OKLab as tables: chroma, quiet colours, hue nodes, tints by tone, monochrome.

The step looks up the nearest of `HUES` steps around the ring and of `LIGHTS` steps of OKLab L. All changes
keep what they do not name: hue nodes turn hue at constant lightness and chroma, chroma at constant hue and lightness
(OKLab, Ottosson 2020).
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from typing_extensions import override

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import OKLAB_FROM_LMS, lightness, luminance_of, working_to_lms
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HueNode, SplitTint
from bruto.develop.steps.fast_math import exp2_of, root_of
from bruto.develop.steps.kernel_rows import product_row
from bruto.develop.steps.step import Band, PointStep, StepInput

HUES, LIGHTS = 2880, 1024
MUTED_CHROMA = 0.06
"""OKLCh chroma at which the effect on quiet colours has fallen to 1/e (muted foliage and stone lie below)."""
FULL_CHROMA = 0.2
"""OKLCh chroma that counts as a full colour for the lightness of hue nodes."""


class LabStage(NamedTuple):
    """`by_hue` (HUES + 1, 4): cosine and sine of the turn, gain of chroma, change of OKLab L at `FULL_CHROMA`.

    `by_light` (LIGHTS + 2, 2): what is added to a and b.
    """

    chroma: np.float32
    """Gains."""
    quiet: np.float32
    """Gains."""
    monochrome: bool
    nodes: bool
    """Whether the tables do anything."""
    split_tint: bool
    """Whether the tables do anything."""
    by_hue: NDArray[np.float32]
    by_light: NDArray[np.float32]


@lru_cache(maxsize=16)
def lab_stage(
    chroma: float, quiet: float, monochrome: bool, nodes: tuple[HueNode, ...], split_tint: SplitTint
) -> LabStage:
    """Return the tables for the recipe's colour rows.

    Parameters
    ----------
    chroma
        Gain of chroma.
    quiet
        Gain of muted colours.
    monochrome
        Whether the picture is black and white.
    nodes
        Hue nodes.
    split_tint
        Tints of shadows, midtones and highlights.

    Returns
    -------
    LabStage
        Tables for the recipe's colour rows.
    """
    table = _tint_table(split_tint)
    return LabStage(
        np.float32(chroma),
        np.float32(quiet),
        monochrome,
        any(n.shift or n.chroma != 1 or n.lightness for n in nodes),
        bool(np.abs(table).max() > 0),
        by_hue(nodes),
        table,
    )


def node_weight(node: HueNode, hue: NDArray[Any]) -> NDArray[np.float64]:
    """Find how much a node acts on hues (degrees): a raised cosine, 1 at its centre, 0 from its width on.

    Parameters
    ----------
    node
        The hue node.
    hue
        Hues, degrees (OKLCh).

    Returns
    -------
    NDArray[np.float64]
        How much a node acts on hues (degrees): a raised cosine, 1 at its centre, 0 from its width on.
    """
    off = np.abs((np.asarray(hue, float) - node.hue + 180) % 360 - 180)
    return np.where(off < node.width, 0.5 + 0.5 * np.cos(np.pi * off / node.width), 0.0)


def by_hue(nodes: tuple[HueNode, ...]) -> NDArray[np.float32]:
    """Compute the table over hue (see `LabStage`).

    Where nodes overlap, turns and lightness add and gains multiply.

    Parameters
    ----------
    nodes
        Hue nodes.

    Returns
    -------
    NDArray[np.float32]
        Table over hue (see `LabStage`).
    """
    hue = np.arange(HUES + 1) * (360 / HUES)
    turn, gain, light = np.zeros(HUES + 1), np.ones(HUES + 1), np.zeros(HUES + 1)
    for node in nodes:
        w = node_weight(node, hue)
        turn += w * node.shift
        gain *= 1 + w * (node.chroma - 1)
        light += w * node.lightness
    # L* near 50 stands for the change of OKLab's L: both are cube roots of light
    step = np.cbrt(luminance_of(50 + light)) - np.cbrt(luminance_of(50.0))
    angle = np.radians(turn)
    return np.stack([np.cos(angle), np.sin(angle), gain, step], axis=1).astype(np.float32)


def zone_weights(l: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any]]:
    """Find how much the dark, middle and bright tints act at OKLab L: they overlap and sum to one.

    Black and white stay.

    Parameters
    ----------
    l
        Lightness.

    Returns
    -------
    tuple[NDArray, NDArray, NDArray]
        How much the dark, middle and bright tints act at OKLab L.
    """
    star = np.clip(lightness(l**3) / 100, 0, 1)
    dark = np.clip(1 - star / 0.5, 0, 1) ** 1.5
    bright = np.clip((star - 0.5) / 0.5, 0, 1) ** 1.5
    middle = np.clip(1 - dark - bright, 0, 1)
    ends = np.clip(star / 0.08, 0, 1) * np.clip((1 - star) / 0.05, 0, 1)
    return dark * ends, middle * ends, bright * ends


def _tint_table(split_tint: SplitTint) -> NDArray[np.float32]:
    """Find what is added to a and b by OKLab L."""
    out = np.zeros((LIGHTS + 2, 2))
    zones = (split_tint.shadows, split_tint.midtones, split_tint.highlights)
    for weight, zone in zip(zone_weights(np.arange(LIGHTS + 2) / LIGHTS), zones, strict=True):
        angle = np.radians(zone.hue)
        out += (weight * zone.amount)[:, None] * np.array([np.cos(angle), np.sin(angle)])
    return out.astype(np.float32)


@njit(cache=True, fastmath=True, error_model="numpy")
def _roots_row(x):
    """Cube roots with their signs."""
    for j in range(len(x)):
        x[j] = root_of(x[j])


@njit(inline="always")
def _turn_of(a, b):
    """Angle of (a, b) as a share of a full turn, 0 to 1, within 2e-5 (minimax polynomial of the arc tangent)."""
    wide, high = abs(a), abs(b)
    q = min(wide, high) / (max(wide, high) + np.float32(1e-12))
    s = q * q
    t = ((np.float32(-0.0464964749) * s + np.float32(0.15931422)) * s - np.float32(0.327622764)) * s * q + q
    t = np.float32(1.57079637) - t if high > wide else t
    t = np.float32(3.14159274) - t if a < np.float32(0) else t
    t = np.float32(6.28318548) - t if b < np.float32(0) else t
    return min(max(t * np.float32(0.159154937), np.float32(0)), np.float32(1))


@njit(cache=True, fastmath=True, error_model="numpy")
def _row(x, y, z, lab, m, n):
    """Bring a row of working light to OKLab and change it there.

    `m`: working space to cone response; `n`: its roots to OKLab.
    """
    product_row(m, x, y, z)
    for plane in (x, y, z):
        _roots_row(plane)
    product_row(n, x, y, z)
    if lab.nodes:
        table = lab.by_hue
        turn = np.empty(len(x), np.int32)
        for j in range(len(x)):
            turn[j] = np.int32(_turn_of(y[j], z[j]) * np.float32(HUES) + np.float32(0.5))
        for j in range(len(x)):
            a, b, k = y[j], z[j], turn[j]
            c = math.sqrt(a * a + b * b)
            cosine, sine, gain, step = table[k, 0], table[k, 1], table[k, 2], table[k, 3]
            y[j] = gain * (a * cosine - b * sine)
            z[j] = gain * (a * sine + b * cosine)
            x[j] += step * min(c * np.float32(1 / FULL_CHROMA), np.float32(1.5))
    if lab.monochrome:
        for j in range(len(x)):
            y[j] = z[j] = np.float32(0)
    elif lab.quiet != np.float32(1):
        chroma, quiet = lab.chroma, lab.quiet - np.float32(1)
        for j in range(len(x)):
            c = math.sqrt(y[j] * y[j] + z[j] * z[j])
            gain = chroma * (np.float32(1) + quiet * exp2_of(c * np.float32(-1.442695 / MUTED_CHROMA)))
            y[j] *= gain
            z[j] *= gain
    else:
        chroma = lab.chroma
        for j in range(len(x)):
            y[j] *= chroma
            z[j] *= chroma
    if lab.split_tint:
        split_tint = lab.by_light
        for j in range(len(x)):
            k = np.int32(min(max(x[j], np.float32(0)), np.float32(1)) * np.float32(LIGHTS) + np.float32(0.5))
            y[j] += split_tint[k, 0]
            z[j] += split_tint[k, 1]


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def _color(x, y, z, lab, to_lms, from_lms, lab_to_lms):
    """Rows of working light (rows, width) to cone response of OKLab, in place."""
    for k in range(x.shape[0]):
        a, b, c = x[k], y[k], z[k]
        _row(a, b, c, lab, to_lms, from_lms)
        product_row(lab_to_lms, a, b, c)
        for j in range(len(a)):
            a[j] = a[j] * a[j] * a[j]
            b[j] = b[j] * b[j] * b[j]
            c[j] = c[j] * c[j] * c[j]


_TO_LMS = working_to_lms().astype(np.float32)
_FROM_LMS = OKLAB_FROM_LMS.astype(np.float32)
_LAB_TO_LMS = np.linalg.inv(OKLAB_FROM_LMS).astype(np.float32)


class ColorStep(PointStep):
    """Chroma, quiet colours, hue nodes, tints by tone, monochrome. Leaves cone response, which the output reads."""

    name = "color"
    fields = ("chroma", "muted_chroma", "monochrome", "hue_nodes", "split_tint")

    @override
    def prepare(self, recipe: Recipe, scene: StepInput) -> LabStage | None:
        values = (recipe.chroma, recipe.muted_chroma, recipe.monochrome, recipe.hue_nodes, recipe.split_tint)
        return lab_stage(*values) if values != (1.0, 1.0, False, (), SplitTint()) else None

    @override
    def idle(self) -> LabStage:
        """Return the table that changes nothing."""
        return lab_stage(1.0, 1.0, False, (), SplitTint())

    @override
    def apply(self, band: Band, prepared: LabStage) -> None:
        _color(*band.planes, prepared, _TO_LMS, _FROM_LMS, _LAB_TO_LMS)
        band.cones = True

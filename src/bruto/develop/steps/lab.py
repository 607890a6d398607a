"""Colour in OKLab as tables: chroma, quiet colours, hue nodes, balance by zone, monochrome.

The point pass looks up the nearest of `HUES` steps around the ring and of `LIGHTS` steps of OKLab L. All changes
keep what they do not name: hue nodes turn hue at constant lightness and chroma, chroma at constant hue and lightness
(OKLab, Ottosson 2020).
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from bruto.color.spaces import lightness, luminance_of
from bruto.develop.values import Balance, HueNode

HUES, LIGHTS = 2880, 1024
QUIET_CHROMA = 0.06
"""OKLCh chroma at which the effect on quiet colours has fallen to 1/e (muted foliage and stone lie below)."""
FULL_CHROMA = 0.2
"""OKLCh chroma that counts as a full colour for the lightness of hue nodes."""


class LabStage(NamedTuple):
    """`by_hue` (HUES + 1, 4): cosine and sine of the turn, gain of chroma, change of OKLab L at `FULL_CHROMA`;
    `by_light` (LIGHTS + 2, 2): what is added to a and b; `chroma`, `quiet`: gains; `nodes`, `tints`: whether the
    tables do anything.
    """

    chroma: np.float32
    quiet: np.float32
    monochrome: bool
    nodes: bool
    tints: bool
    by_hue: NDArray[np.float32]
    by_light: NDArray[np.float32]


@lru_cache(maxsize=16)
def lab_stage(chroma: float, quiet: float, monochrome: bool, nodes: tuple[HueNode, ...], balance: Balance) -> LabStage:
    """Tables for the recipe's colour rows."""
    tints = _tints(balance)
    return LabStage(
        np.float32(chroma),
        np.float32(quiet),
        monochrome,
        any(n.shift or n.chroma != 1 or n.lightness for n in nodes),
        bool(np.abs(tints).max() > 0),
        by_hue(nodes),
        tints,
    )


def node_weight(node: HueNode, hue: NDArray) -> NDArray[np.float64]:
    """How much a node acts on hues (degrees): a raised cosine, 1 at its centre, 0 from its width on."""
    off = np.abs((np.asarray(hue, float) - node.hue + 180) % 360 - 180)
    return np.where(off < node.width, 0.5 + 0.5 * np.cos(np.pi * off / node.width), 0.0)


def by_hue(nodes: tuple[HueNode, ...]) -> NDArray[np.float32]:
    """Table over hue (see `LabStage`). Where nodes overlap, turns and lightness add and gains multiply."""
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


def _tints(balance: Balance) -> NDArray[np.float32]:
    """What is added to a and b by OKLab L: dark, middle and bright overlap and sum to one; black and white stay."""
    l = np.arange(LIGHTS + 2) / LIGHTS
    star = np.clip(lightness(l**3) / 100, 0, 1)
    dark = np.clip(1 - star / 0.5, 0, 1) ** 1.5
    bright = np.clip((star - 0.5) / 0.5, 0, 1) ** 1.5
    middle = np.clip(1 - dark - bright, 0, 1)
    ends = np.clip(star / 0.08, 0, 1) * np.clip((1 - star) / 0.05, 0, 1)
    out = np.zeros((LIGHTS + 2, 2))
    for weight, zone in ((dark, balance.dark), (middle, balance.middle), (bright, balance.bright)):
        angle = np.radians(zone.hue)
        out += (weight * ends * zone.amount)[:, None] * np.array([np.cos(angle), np.sin(angle)])
    return out.astype(np.float32)

"""Where a raw is clipped: shares by channel and combination, maps, and the headroom."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from bruto.container.raw_frame import CFA_LETTERS, RawFrame
from bruto.sensor.blocks import clipped_quads
from bruto.sensor.noise import Blocks
from bruto.sensor.planes import Plane

CLIP_COUNTS = 0.01
"""Share in percent from which a frame counts as clipped (headroom 0)."""


def clipped_percent(frame: RawFrame, planes: list[Plane], counts: list[NDArray[np.int64]]) -> dict[str, float]:
    """Return the percent of sites clipped by channel, and of quads with clipped channels.

    Sites of r, g, b; 2 x 2 quads with any, one, two and all channels clipped.

    Parameters
    ----------
    frame
        Raw as stored.
    planes
        Planes of one colour each.
    counts
        Histograms of stored codes.

    Returns
    -------
    dict[str, float]
        Percent of sites clipped by channel (r, g, b), and of 2 x 2 quads with any, one, two and all channels clipped.
    """
    result = {}
    for k, letter in enumerate(CFA_LETTERS):
        mine = [(p, c) for p, c in zip(planes, counts, strict=True) if p.channel == k]
        sites = sum(int(c.sum()) for _, c in mine)
        result[letter.lower()] = 100 * sum(int(c[p.full :].sum()) for p, c in mine) / max(sites, 1)
    bits = _combinations(frame, planes)
    share = 100 / max(int(bits.sum()), 1)
    numbers = np.array([bin(k).count("1") for k in range(8)])
    result["any"] = float(bits[1:].sum()) * share
    for name, n in (("one", 1), ("two", 2), ("all", 3)):
        result[name] = float(bits[numbers == n].sum()) * share
    return result


def _combinations(frame: RawFrame, planes: list[Plane]) -> NDArray[np.int64]:
    """How many quads have each combination of clipped channels (bit sums 0..7)."""
    if frame.meta.kind == "mosaic" and planes[0].codes.base is not None and planes[0].codes.base.ndim == 2:
        x0, y0, w, h = frame.meta.default_crop
        codes = frame.codes[y0 : y0 + h, x0 : x0 + w]
        if codes.dtype == np.uint16 and np.shares_memory(codes, planes[0].codes):
            return clipped_quads(codes, np.array([p.full for p in planes]), np.array([p.channel for p in planes]))
    if frame.meta.kind == "linear":
        bits = np.zeros(planes[0].codes.shape, np.uint8)
        for p in planes:
            bits |= ((p.codes >= p.full) << p.channel).astype(np.uint8)
        h, w = (side // 2 * 2 for side in planes[0].codes.shape)
        quads = bits[:h:2, :w:2] | bits[1:h:2, :w:2] | bits[:h:2, 1:w:2] | bits[1:h:2, 1:w:2]
    else:
        h, w = min(p.codes.shape[0] for p in planes), min(p.codes.shape[1] for p in planes)
        quads = np.zeros((h, w), np.uint8)
        for p in planes:
            quads |= ((p.codes[:h, :w] >= p.full) << p.channel).astype(np.uint8)
    return np.bincount(quads.ravel(), minlength=8)


def headroom(blocks: list[Blocks], clipped: dict[str, float]) -> float:
    """Compute log2(white / 99.9th percentile of 8 x 8 same-channel block means), least over planes, EV.

    0 when 0.01 % clips.

    Means of blocks are light of the scene; single hot sites are not.

    Parameters
    ----------
    blocks
        Block statistics of each colour plane.
    clipped
        Clip mask (H, W): bits for red, green, blue.

    Returns
    -------
    float
        log2(white / 99.9th percentile of 8 x 8 same-channel block means), least over planes, EV.
    """
    if clipped["any"] >= CLIP_COUNTS:
        return 0.0
    tops = [float(np.percentile(b.mean, 99.9)) for b in blocks if b.mean.size]
    return max(0.0, math.log2(1 / max(max(tops), 1e-6))) if tops else 0.0

"""Whether a raw is worth its space: what it still has that the phone's picture has lost, against the megabytes."""

from __future__ import annotations

import numpy as np

from bruto.catalog import tr
from bruto.compare.maps import CODES
from bruto.compare.measures import HIGH, LOW
from bruto.compare.metrics import Comparison

AREA, TEXTURE, TINT = 0.1, 75.0, 8.0
"""Percent of the area, percent of texture kept and OKLab tint (x 1000) from which a loss of the picture counts."""


def lost(c: Comparison) -> tuple[float, float, float]:
    """Find what the second picture has lost and the first still has.

    Bright and dark places, percent of the area, and how many stops the first spreads over them.

    Parameters
    ----------
    c
        The comparison.

    Returns
    -------
    tuple[float, float, float]
        What the second picture has lost and the first still has.
    """
    one, other = (lab[..., 0] for lab in c.labs)
    bright = c.valid & (other >= HIGH) & (one < HIGH - 1)
    dark = c.valid & (other <= LOW) & (one > LOW + 1)
    total = max(int(c.valid.sum()), 1)
    stops = 0.0
    for there in (bright, dark):
        if there.sum() > 200:
            light = CODES[c.first[there]].mean(axis=1)
            low, high = np.percentile(np.maximum(light, 1e-4), (5, 95))
            stops = max(stops, float(np.log2(high / low)))
    return 100 * float(bright.sum()) / total, 100 * float(dark.sum()) / total, stops


def reasons(c: Comparison) -> list[str]:
    """Find what the picture has lost and the raw still has, in phrases; none: the raw holds hardly more.

    Parameters
    ----------
    c
        Of the raw with its picture, in this order.

    Returns
    -------
    list[str]
        What the picture has lost and the raw still has, in phrases.
    """
    bright, dark, stops = lost(c)
    found = []
    for what, area in (("bright", bright), ("dark", dark)):
        if area >= AREA:
            found.append(tr("{what} detail in {area:.1f} % of the area", what=what, area=area))
    if found and stops >= 0.2:
        found[-1] = tr("{detail} (over {stops:.1f} EV)", detail=found[-1], stops=stops)
    texture = c.b["texture_kept_percent"]
    if texture < TEXTURE:
        found.append(tr("{texture:.0f} % of the faint texture", texture=100 - texture))
    if c.b["dark_tint"] > c.a["dark_tint"] + TINT:
        found.append(tr("the neutral colour of dark greys"))
    return found


def worth(c: Comparison, raw_bytes: int, picture_bytes: int) -> str:
    """Return a verdict in a sentence: keep the raw, or not, and why.

    Parameters
    ----------
    c
        Of the raw with its picture, in this order.
    raw_bytes
        Size of the raw, bytes.
    picture_bytes
        Size of the picture, bytes.

    Returns
    -------
    str
        A verdict in a sentence.
    """
    found = reasons(c)
    size = tr("{raw_bytes:.1f} MB", raw_bytes=raw_bytes / 1000000.0)
    times = (
        tr("{raw_bytes:.0f} × the picture", raw_bytes=raw_bytes / max(picture_bytes, 1))
        if picture_bytes
        else tr("no picture")
    )
    if found:
        listed = found[0] if len(found) == 1 else ", ".join(found[:-1]) + " and " + found[-1]
        return tr(
            "Keep the raw ({size}, {times}): the picture has lost {listed}.", size=size, times=times, listed=listed
        )
    return tr("This raw ({size}, {times}) holds hardly more than its picture as both are now.", size=size, times=times)

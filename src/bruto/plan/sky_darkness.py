"""How dark a sky is, by one frame of it whose exposure is known."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.equipment import saturation_per
from bruto.plan.skylight import luminance, magnitudes
from bruto.sensor.scene_range import green_light

ERROR_MAG = 0.4
"""Of a phone's ISO: makers may state it up to a third of a stop off (ISO 12232, 6.2), and colour filters do not see as
the V band does (about 0.1 magnitudes for a night sky).
"""
LEAST_S = 0.5
"""Exposure from which a frame may be one of a night sky, seconds."""
CLASSES = (
    (21.75, tr("natural, no lamps nearby")),
    (21.5, tr("dark countryside")),
    (20.5, "country"),
    (19.5, tr("edge of a town")),
    (18.0, "town"),
    (0.0, "city"),
)
"""From how many magnitudes per square arc second on a sky is so called."""


@dataclass(frozen=True)
class Darkness:
    """`magnitudes` per square arc second (V, about) with their likely `error`.

    `share` of the frame that was taken as sky.
    """

    magnitudes: float
    error: float
    level: float
    """Of saturation."""
    share: float
    called: str
    """In words."""

    def as_json(self) -> dict[str, Any]:
        """As the command line tells it."""
        return {
            "magnitudes": round(self.magnitudes, 2), "error_mag": round(self.error, 2),
            "cd_m2": luminance(self.magnitudes), "level": round(self.level, 6),
            "sky_percent": round(100 * self.share, 1), "called": self.called,
        }  # fmt: skip


def called(magnitude: float) -> str:
    """Say what a sky of that darkness is called.

    Parameters
    ----------
    magnitude
        Apparent magnitude.

    Returns
    -------
    str
        What a sky of that darkness is called.

    Examples
    --------
    >>> called(21.9), called(18.4)
    ('natural, no lamps nearby', 'town')
    """
    return next(name for least, name in CLASSES if magnitude >= least)


def darkness_of(path: str | Path, f_number: float | None = None) -> Darkness:
    """Return the darkness of the sky in a raw.

    It is told by its even, lighter part, which is taken as sky, and by ISO, time and aperture as the file tells them
    (`f_number` where it tells none).

    Raises ------ BrutoError Where the file tells no exposure, or holds no sky that could be measured.

    Parameters
    ----------
    path
        File to read.
    f_number
        F-number of the lens.

    Returns
    -------
    Darkness
        The darkness of the sky in a raw.
    """
    light, meta = green_light(Path(path))
    stop = f_number or meta.f_number
    if not (meta.iso and meta.exposure_s and stop):
        raise BrutoError(tr("{name} gives no ISO, time and aperture.", name=Path(path).name))
    if meta.exposure_s < LEAST_S:
        raise BrutoError(
            tr(
                "{name} was exposed for less than {LEAST_S:g} s; that is too short for a dark sky.",
                name=Path(path).name,
                LEAST_S=LEAST_S,
            )
        )
    upper = light[: max(light.shape[0] * 2 // 3, 1)]
    edges = np.linspace(0, 1, 17)
    rows, columns = (np.unique((edges * n).astype(int)) for n in upper.shape)
    cells = np.array([
        [np.median(upper[a:b, c:d]) for c, d in pairwise(columns)]
        for a, b in pairwise(rows)
    ])  # fmt: skip
    usual = float(np.percentile(cells, 70))
    sky = (cells > 0.6 * usual) & (cells < 1.6 * usual)
    level, share = float(np.median(cells[sky])) if sky.any() else 0.0, float(sky.mean())
    if level <= 0 or share < 0.2:
        raise BrutoError(tr("{name} shows no even sky to measure. Point up, without lamps.", name=Path(path).name))
    if level > 0.9:
        raise BrutoError(tr("The sky of {name} is clipped. Use a shorter time or a lower ISO.", name=Path(path).name))
    cd_m2 = level / (saturation_per(stop) * meta.iso * meta.exposure_s)
    noise = float(np.std(np.log(cells[sky]))) / math.sqrt(max(int(sky.sum()), 1))
    found = magnitudes(cd_m2)
    return Darkness(found, math.hypot(ERROR_MAG, 1.086 * noise), level, share, called(found))

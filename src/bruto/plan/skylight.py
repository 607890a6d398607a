"""How light it is under the sky at a moment: on the ground in lux, and the sky itself in candela a square metre."""

from __future__ import annotations

import math
from datetime import datetime

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.almanac import moon, moon_brightens, moon_lit, sun
from bruto.plan.place import Place

_SUN = (
    (20.0, (3.74, 3.97, -4.07, 1.47)), (5.0, (3.05, 13.28, -45.98, 64.33)), (-0.8, (2.88, 22.26, -207.64, 1034.30)),
    (-5.0, (2.88, 21.81, -258.11, -858.36)), (-12.0, (2.70, 12.17, -431.69, -1899.83)),
    (-18.0, (13.84, 262.72, 1447.42, 2797.93)),
)  # fmt: skip
"""From a height on (degrees): logarithm of lux on level ground under the sun and the clear sky, by powers of the height
over 90 (P. M. Janiczek and J. A. DeYoung, U.S. Naval Observatory Circular 171, 1987).
"""
_MOON = (
    (20.0, (-1.95, 4.06, -4.24, 1.56)), (5.0, (-2.58, 12.58, -42.58, 59.06)), (-0.8, (-2.79, 24.27, -252.95, 1321.29)),
)  # fmt: skip
"""The same for a full moon."""
STARLIGHT_LUX = 8e-4
"""On level ground under a clear night sky without a moon (same source)."""
DARK_SKY = 21.6
"""Of a natural sky near the zenith, magnitudes per square arc second in V (Krisciunas and Schaefer 1991)."""
MAGNITUDE_0_CD_M2 = 1.08e5
"""Luminance of a sky of magnitude 0 per square arc second in V."""


def _lux(table: tuple[tuple[float, tuple[float, ...]], ...], altitude: float) -> float:
    for low, powers in table:
        if altitude >= low:
            x = altitude / 90
            return float(10 ** sum(c * x**k for k, c in enumerate(powers)))
    return 0.0


def sun_lux(altitude: float) -> float:
    """Compute the lux on level ground under the sun and the clear sky by the sun's height, degrees.

    0 from 18° under the horizon.

    Parameters
    ----------
    altitude
        Altitude above the horizon, degrees.

    Returns
    -------
    float
        Lux on level ground under the sun and the clear sky by the sun's height, degrees.

    Examples
    --------
    >>> round(sun_lux(90), -3), round(sun_lux(0)), round(sun_lux(-6), 1), sun_lux(-20)
    (129000.0, 759, 3.4, 0.0)
    """
    return _lux(_SUN, altitude)


def moon_lux(altitude: float, lit: float) -> float:
    """Compute the lux on level ground under the moon by its height (degrees) and the share of its disc that is lit.

    Parameters
    ----------
    altitude
        Altitude above the horizon, degrees.
    lit
        Lit share of the moon, 0 to 1.

    Returns
    -------
    float
        Lux on level ground under the moon by its height (degrees) and the share of its disc that is lit.

    Examples
    --------
    >>> round(moon_lux(90, 1.0), 2), moon_lux(-5, 1.0)
    (0.27, 0.0)
    """
    phase = math.degrees(math.acos(min(max(2 * lit - 1, -1.0), 1.0)))
    return _lux(_MOON, altitude) * 10 ** (-8.68e-3 * phase - 2.2e-9 * phase**4)


def ground_lux(place: Place, moment: datetime) -> float:
    """Compute the lux on open level ground under a clear sky.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.

    Returns
    -------
    float
        Lux on open level ground under a clear sky.
    """
    return (
        sun_lux(sun(place, moment).altitude) + moon_lux(moon(place, moment).altitude, moon_lit(moment)) + STARLIGHT_LUX
    )


def luminance(magnitudes: float) -> float:
    """Compute the luminance of a sky, cd/m2, from magnitudes per square arc second.

    Parameters
    ----------
    magnitudes
        Sky brightness, magnitudes per square arc second.

    Returns
    -------
    float
        Luminance of a sky, cd/m2, from magnitudes per square arc second.

    Examples
    --------
    >>> round(luminance(21.6) * 1e4, 2)
    2.47
    """
    return MAGNITUDE_0_CD_M2 * 10 ** (-0.4 * magnitudes)


def magnitudes(cd_m2: float) -> float:
    """Compute the magnitudes per square arc second of a sky from its luminance.

    Parameters
    ----------
    cd_m2
        Luminance, cd/m².

    Returns
    -------
    float
        Magnitudes per square arc second of a sky from its luminance.

    Raises
    ------
    BrutoError
        Of none.
    """
    if not (math.isfinite(cd_m2) and cd_m2 > 0):
        raise BrutoError(tr("The luminance of a sky is more than 0 cd/m², not {cd_m2:g}.", cd_m2=cd_m2))
    return -2.5 * math.log10(cd_m2 / MAGNITUDE_0_CD_M2)


def sky_cd_m2(
    place: Place, moment: datetime, darkness: float | None = None, altitude: float = 90.0, azimuth: float = 0.0
) -> float:
    """Compute the luminance of the clear sky at a place of it (degrees).

    What is natural or what `darkness` (magnitudes per square arc second, without a moon) tells of the place, with
    the moon's and the twilight's light.

    The twilight is spread over the whole sky as if it was even: near the sun's side it is lighter, on the other
    darker.

    Parameters
    ----------
    place
        Place on the earth, with its time zone.
    moment
        Point in time, with time zone.
    darkness
        Sky brightness without a moon, magnitudes per square arc second.
    altitude
        Altitude above the horizon, degrees.
    azimuth
        Azimuth, degrees clockwise from north.

    Returns
    -------
    float
        Luminance of the clear sky at a place of it (degrees): what is natural or what `darkness` (magnitudes per
        square arc second, without a moon) tells of the place, with the moon's and the twilight's light.
    """
    dark = luminance(DARK_SKY if darkness is None else darkness)
    by_moon = luminance(DARK_SKY) * (10 ** (0.4 * moon_brightens(place, moment, altitude, azimuth)) - 1)
    twilight = max(0.0, sun_lux(sun(place, moment).altitude) - sun_lux(-18.0)) / math.pi
    return dark + by_moon + twilight

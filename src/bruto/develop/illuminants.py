"""Named lights for white balance, by their chromaticity (CIE 1931, 2 degrees).

CIE standard illuminants and illuminants of common lamps (CIE 015:2018, tables 1 to 11).
"""

from __future__ import annotations

from functools import cache

from bruto.color.temperature import kelvin_duv_of

NAMED: dict[str, tuple[str, tuple[float, float]]] = {
    "tungsten lamp": ("A", (0.44758, 0.40745)),
    "warm LED": ("LED-B1", (0.4560, 0.4078)),
    "neutral LED": ("LED-B3", (0.3756, 0.3723)),
    "cool LED": ("LED-B5", (0.3118, 0.3236)),
    "white tube": ("FL2", (0.3721, 0.3751)),
    "three-band tube": ("FL11", (0.3805, 0.3769)),
    "sodium street lamp": ("HP1", (0.5330, 0.4150)),
    "low sun": ("D50", (0.34567, 0.35850)),
    "noon sun and sky": ("D55", (0.33243, 0.34744)),
    "daylight, overcast": ("D65", (0.31272, 0.32903)),
    "open shade": ("D75", (0.29903, 0.31488)),
}
"""Title, the name of the illuminant and its chromaticity (x, y)."""


@cache
def values_of(title: str) -> tuple[float, float]:
    """Compute the temperature (K) and Duv of a named light, as the recipe holds them.

    Parameters
    ----------
    title
        Title for people.

    Returns
    -------
    tuple[float, float]
        Temperature (K) and Duv of a named light, as the recipe holds them.

    Raises
    ------
    KeyError
        For an unknown one.
    """
    kelvin, duv = kelvin_duv_of(*NAMED[title][1])
    return float(round(kelvin)), round(duv, 4)


def named(kelvin: float | None, duv: float | None) -> str | None:
    """Return the title of the light that values stand for, None if it is none of them.

    Parameters
    ----------
    kelvin
        Colour temperature, kelvin.
    duv
        Distance from the Planckian locus, CIE 1960.

    Returns
    -------
    str | None
        The title of the light that values stand for, None if it is none of them.
    """
    return next((title for title in NAMED if values_of(title) == (kelvin, duv)), None)

"""Kinds of planned shot: what each is taken of and how, and its cautions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from bruto.catalog import tr
from bruto.plan.almanac import GALACTIC_CENTRE

CAUTIONS: dict[str, str] = {
    "sun": tr("Never look at the sun through a lens or a filter, and do not point the phone at it for long."),
    "night": tr("Tell someone where you are and when you will be back. Look at paths and water by daylight first."),
    "water": tr("Watch tides, waves and slippery ground, and keep away from the edge in the dark."),
    "battery": tr("Cold drains batteries. Keep a power bank warm, dry and safe from pressure."),
    "ground": tr("Ask before you enter private ground. Local rules come first."),
    "road": tr("Do not stand on a road or beside rails. Wear something visible in the dark."),
    "drone": tr("Fly only where local rules allow it, within sight, and not over people."),
}
"""Cautions where they apply; local rules and people who know the place go before it."""


@dataclass(frozen=True)
class Kind:
    """`frames` that are usual, and what becomes of several.

    `merged` "mean", "lighten", "bracket" or "" for nothing; `scene` of the simulated phone that looks most like
    it.
    """

    title: str
    cautions: tuple[str, ...] = ()
    light: Literal["sky", "ground", "inside"] = "ground"
    """What the exposure is for: the night's "sky", open "ground", or rooms "inside"."""
    support: Literal["tripod", "hand"] = "hand"
    """How it is usually held."""
    frames: int = 1
    merged: Literal["", "mean", "lighten", "bracket"] = ""
    gear: str = ""
    scene: str = "pans"


KINDS: dict[str, Kind] = {
    "stars": Kind(tr("Stars, one frame"), ("night", "battery"), "sky", "tripod", gear="tripod"),
    "trail": Kind(tr("Star trail"), ("night", "battery"), "sky", "tripod", 240, "lighten", tr("tripod, power bank")),
    "field": Kind(tr("Star field for merging"), ("night", "battery"), "sky", "tripod", 16, "mean", "tripod"),
    "dusk": Kind(tr("Dusk, handheld"), (), "ground", "hand", 8, "mean", scene="sluice"),
    "window": Kind(tr("Bright window indoors"), (), "inside", "hand", 3, "bracket", scene="boiling-house"),
    "water": Kind(tr("Moving water"), ("water",), "ground", "tripod", 16, "mean", "tripod", "sluice"),
    "infrared": Kind(tr("Infrared"), ("sun",), "ground", "tripod", gear=tr("tripod, filter, black tape")),
    "close": Kind(tr("Close-up"), (), "ground", "hand", scene="crystals"),
    "sun": Kind(tr("Towards the sun"), ("sun",), "ground", "hand", 3, "bracket"),
    "other": Kind(tr("A shot")),
}
TARGETS: dict[str, tuple[str, tuple[float, float] | None]] = {
    "": (tr("Centre of the Milky Way"), GALACTIC_CENTRE),
    "pole": (tr("Celestial pole"), None),
}
"""What is followed over the night: its name, and its right ascension and declination, degrees, J2000; None of the pole,
which stands.
"""


def kind_of(name: str) -> Kind:
    """Return a kind by its name; one that is not known is a plain shot.

    Parameters
    ----------
    name
        Identifier, as stored in a plan.

    Returns
    -------
    Kind
        A kind by its name.
    """
    return KINDS.get(name, KINDS["other"])


def cautions_of(kind: str, dismissed: Sequence[str] = ()) -> list[str]:
    """Find the cautions of a kind, less what the user does not want to read again.

    Parameters
    ----------
    kind
        Which kind, by its identifier.
    dismissed
        Cautions that the user dismissed.

    Returns
    -------
    list[str]
        Cautions of a kind, less what the user does not want to read again.
    """
    return [CAUTIONS[c] for c in kind_of(kind).cautions if c not in dismissed]

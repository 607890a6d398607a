"""Kinds of wish: what each is taken of and how, and what is said where it can hurt somebody."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from bruto.plan.almanac import GALACTIC_CENTRE

CAUTIONS: dict[str, str] = {
    "sun": "Never look at the sun through a lens or a filter; do not point the phone at it for long.",
    "night": "Tell somebody where you are and when you come back; look at paths and water by day.",
    "water": "Mind tides, waves and slippery ground; keep away from the edge in the dark.",
    "battery": "Cold empties batteries; keep a power bank warm, dry and away from what can press it.",
    "ground": "Ask before you enter private ground; local rules go before any picture.",
    "road": "Do not stand on a road or beside rails; be seen in the dark.",
    "drone": "Fly only where local rules allow it, in sight, and not over people.",
}
"""What is said where it applies; local rules and people who know the place go before it."""


@dataclass(frozen=True)
class Kind:
    """`light`: what the exposure is for: the night's "sky", open "ground", or rooms "inside"; `support`: how it is
    usually
    held; `frames` that are usual, and what becomes of several: `merged` "mean", "lighten", "bracket" or "" for nothing;
    `scene` of the simulated phone that looks most like it.
    """

    title: str
    cautions: tuple[str, ...] = ()
    light: Literal["sky", "ground", "inside"] = "ground"
    support: Literal["tripod", "hand"] = "hand"
    frames: int = 1
    merged: Literal["", "mean", "lighten", "bracket"] = ""
    gear: str = ""
    scene: str = "pans"


KINDS: dict[str, Kind] = {
    "stars": Kind("Stars, one frame", ("night", "battery"), "sky", "tripod", gear="tripod"),
    "trail": Kind("Star trail", ("night", "battery"), "sky", "tripod", 240, "lighten", "tripod, power bank"),
    "field": Kind("Star field, to be merged", ("night", "battery"), "sky", "tripod", 16, "mean", "tripod"),
    "dusk": Kind("Dusk, in the hand", (), "ground", "hand", 8, "mean", scene="sluice"),
    "window": Kind("Bright window inside", (), "inside", "hand", 3, "bracket", scene="boiling-house"),
    "water": Kind("Moving water", ("water",), "ground", "tripod", 16, "mean", "tripod", "sluice"),
    "infrared": Kind("Infrared", ("sun",), "ground", "tripod", gear="tripod, filter, black tape"),
    "close": Kind("Close up", (), "ground", "hand", scene="crystals"),
    "sun": Kind("Towards the sun", ("sun",), "ground", "hand", 3, "bracket"),
    "other": Kind("A shot"),
}
TARGETS: dict[str, tuple[str, tuple[float, float] | None]] = {
    "": ("Centre of the Milky Way", GALACTIC_CENTRE),
    "pole": ("Pole of the sky", None),
}
"""What is followed over the night: its name, and its right ascension and declination, degrees, J2000; None of the pole,
which stands.
"""


def kind_of(name: str) -> Kind:
    """A kind by its name; one that is not known is a plain shot."""
    return KINDS.get(name, KINDS["other"])


def cautions_of(kind: str, dismissed: Sequence[str] = ()) -> list[str]:
    """What is said with a kind, less what the user does not want to read again."""
    return [CAUTIONS[c] for c in kind_of(kind).cautions if c not in dismissed]

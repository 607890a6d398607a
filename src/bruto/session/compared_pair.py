"""What stands in the two wells of a comparison, and what was found of them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from bruto.align.registration import Alignment
from bruto.compare.metrics import Comparison
from bruto.compare.regions import Region
from bruto.compare.sources import Side

CORRECTED, DEFAULTS, PHONE, PREVIEW, MATCHED, VERSION, OTHER = (
    "corrected", "defaults", "phone", "preview", "matched", "version", "shot",
)  # fmt: skip


def source_id(kind: str, name: str) -> str:
    """Name what stands in a well for the tally: its kind, and of a version or another shot its name.

    Parameters
    ----------
    kind
        What a side is: corrected, defaults, phone, preview, matched, version or shot.
    name
        Name as the user sees it.

    Returns
    -------
    str
        Name what stands in a well for the tally.

    Examples
    --------
    >>> source_id("phone", ""), source_id("version", "soft"), source_id("shot", "/photos/pans/frame-0002.dng")
    ('phone', 'version:soft', 'shot:frame-0002')
    """
    return f"{kind}:{Path(name).stem if kind == OTHER else name}" if name else kind


@dataclass(frozen=True)
class SourceChoice:
    """What may stand in a well: its `kind`, the name of a version or the path of a shot, and its title."""

    kind: str
    name: str
    title: str


@dataclass(frozen=True)
class ComparedPair:
    """A comparison of two sides with their titles, and the `places` worth a look."""

    comparison: Comparison
    first: Side
    second: Side
    ids: tuple[str, str]
    titles: tuple[str, str]
    places: tuple[Region, ...]
    worth: str = ""
    """Whether the raw is, where it stands beside its picture."""
    equal_ev: float = 0.0
    """How far the second was pushed to be as bright as the first."""

    @property
    def alignment(self) -> Alignment:
        """How the first picture is mapped onto the second."""
        return self.comparison.alignment

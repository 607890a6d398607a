"""Verdicts on shots: four levels, from what may go to the best of all, and their standard ratings.

One list, read by the board, the list of shots, the menus and the commands. XMP (ISO 16684-1) has -1 for rejected and 0
to 5; a rating that another program gave within a level's range stays as it is.
"""

from __future__ import annotations

from dataclasses import dataclass

from bruto.catalog import tr

REJECTED, UNRATED = -1, 0
"""Ratings of the standard."""


@dataclass(frozen=True)
class Verdict:
    """`low` to."""

    id: str
    """Its name in files."""
    title: str
    """How it is shown."""
    mark: str
    """How it is shown."""
    meaning: str
    """What it says."""
    low: int
    stars: int
    """The ratings that mean it, of which `stars` is written."""

    @property
    def text(self) -> str:
        """Mark and title."""
        return f"{self.mark} {self.title}"


VERDICTS: tuple[Verdict, ...] = (
    Verdict("discard", tr("Discard"), "✕", tr("can go to the wastebasket"), REJECTED, REJECTED),
    Verdict("spare", tr("Spare"), "○", tr("use only if nothing better turns up"), 1, 2),
    Verdict("keep", tr("Keep"), "✓", tr("to be corrected and exported"), 3, 4),
    Verdict("best", tr("Best"), "▲", tr("the ones to show first"), 5, 5),
)
BY_ID = {v.id: v for v in VERDICTS}
KEEP_OR_BEST = ("keep", "best")
OLD_IDS = {"reject": "discard", "pick": "keep"}
"""Those that are delivered as the kept ones."""


def of_stars(stars: int) -> str:
    """Return the verdict that a rating means; "" for none.

    Parameters
    ----------
    stars
        Stars by their directions.

    Returns
    -------
    str
        The verdict that a rating means.

    Examples
    --------
    >>> of_stars(-1), of_stars(0), of_stars(3), of_stars(5)
    ('discard', '', 'keep', 'best')
    """
    if stars < UNRATED:
        return "discard"
    return next((v.id for v in VERDICTS if v.low > 0 and v.low <= stars <= v.stars), "")


def stars_for(verdict: str, before: str, now: int, settings: int | None) -> tuple[int | None, int | None]:
    """Return the rating to write for a new verdict (None leaves the one that is there), and the one to remember.

    Parameters
    ----------
    verdict
        Verdict: discard, spare, keep, best, or "" for none.
    before
        The verdict until now.
    now
        The rating in the file.
    settings
        The rating that another program had given before Bruto wrote one, which comes back when the verdict is
        taken back.

    Returns
    -------
    tuple[int | None, int | None]
        The rating to write for a new verdict (None leaves the one that is there), and the one to remember.

    Examples
    --------
    >>> stars_for("keep", "", 0, None)
    (4, 0)
    >>> stars_for("", "keep", 4, 0)
    (0, None)
    >>> stars_for("keep", "", 3, None)  # means the same: it stays
    (None, 3)
    """
    written = of_stars(now) == before or (before == "keep" and now == BY_ID["best"].stars)  # once written for a pick
    ours = before in BY_ID and settings is not None and written and now != settings
    other = settings if ours else now
    if not verdict:
        return (other if ours else UNRATED if now == REJECTED else None), None
    if of_stars(now) == verdict:
        return None, other
    if other is not None and of_stars(other) == verdict:
        return other, other
    return BY_ID[verdict].stars, other

"""Two pictures without their names, so that only what is seen decides; and how often which was preferred."""

from __future__ import annotations

import secrets

from bruto.catalog import tr


class BlindTest:
    """Hide which picture is which, and keep a tally of what was preferred.

    Attributes
    ----------
    exchanged
        None while names are shown, else whether the second picture is shown as A.
    tally
        How often what was preferred to what. Its keys are made of the identifiers of both, never of their titles:
        "first > second", or "first = second" in alphabetical order where no difference was seen.
    """

    def __init__(self) -> None:
        self.exchanged: bool | None = None
        self.tally: dict[str, int] = {}

    def hide(self, on: bool) -> None:
        """Hide the names, in an order that nobody knows, or show them.

        Parameters
        ----------
        on
            Whether it is switched on.
        """
        self.exchanged = secrets.randbelow(2) == 1 if on else None

    def names(self, titles: tuple[str, str]) -> tuple[str, str]:
        """Return what both pictures are called on the stage.

        Parameters
        ----------
        titles
            Titles of both.

        Returns
        -------
        tuple[str, str]
            The values in the order of the summary.
        """
        return titles if self.exchanged is None else ("A", "B")

    def prefer(self, ids: tuple[str, str], titles: tuple[str, str], which: int | None) -> str:
        """Count a preference, show the names again and say what they were.

        Parameters
        ----------
        ids
            Identifiers of the first and the second picture, for the tally.
        titles
            Their titles, for the sentence.
        which
            0 for A, 1 for B, None where no difference was seen.

        Returns
        -------
        str
            A sentence with both titles.

        Examples
        --------
        >>> blind = BlindTest(); blind.exchanged = True
        >>> blind.prefer(("raw", "picture"), ("the raw", "the picture"), 0), blind.tally
        ('You preferred the picture to the raw.', {'picture > raw': 1})
        """
        order = (1, 0) if self.exchanged else (0, 1)
        self.exchanged = None
        if which is None:
            text = tr("A was {titles}, B was {titles2}.", titles=titles[order[0]], titles2=titles[order[1]])
            key = f"{min(ids)} = {max(ids)}"
        else:
            better, other = order[which], order[1 - which]
            text = tr("You preferred {titles} to {titles2}.", titles=titles[better], titles2=titles[other])
            key = f"{ids[better]} > {ids[other]}"
        self.tally[key] = self.tally.get(key, 0) + 1
        return text

    def tally_text(self, ids: tuple[str, str], titles: tuple[str, str]) -> str:
        """Say the tally of two pictures, "" where there is none.

        Parameters
        ----------
        ids
            Identifiers of both.
        titles
            Titles of both.

        Returns
        -------
        str
            Text for people, "" where there is none.
        """
        one, other = ids
        a, b = self.tally.get(f"{one} > {other}", 0), self.tally.get(f"{other} > {one}", 0)
        same = self.tally.get(f"{min(ids)} = {max(ids)}", 0)
        if not a + b + same:
            return ""
        return tr(
            "Blind so far: {titles} {a}, {titles2} {b}, no difference {same}.",
            titles=titles[0],
            a=a,
            titles2=titles[1],
            b=b,
            same=same,
        )

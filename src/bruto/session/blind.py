"""Two pictures without their names, so that only what is seen decides; and how often which was preferred."""

from __future__ import annotations

import secrets


class Blind:
    """`exchanged`: None while names are shown, else whether the second is shown as A; `tally`: how often what was
    preferred to what.
    """

    def __init__(self) -> None:
        self.exchanged: bool | None = None
        self.tally: dict[str, int] = {}

    def hide(self, on: bool) -> None:
        """Hide names, in an order that nobody knows, or show them."""
        self.exchanged = secrets.randbelow(2) == 1 if on else None

    def names(self, titles: tuple[str, str]) -> tuple[str, str]:
        """What both are called on the stage."""
        return titles if self.exchanged is None else ("A", "B")

    def prefer(self, titles: tuple[str, str], which: int | None) -> str:
        """A (0) or B (1) is preferred, or neither (None): kept in the tally, names are shown, and said what they were.

        >>> blind = Blind(); blind.exchanged = True
        >>> blind.prefer(("raw", "picture"), 0)
        'You preferred picture to raw.'
        """
        names = titles[::-1] if self.exchanged else titles
        self.exchanged = None
        if which is None:
            text, key = f"A was {names[0]}, B was {names[1]}.", f"{min(names)} = {max(names)}"
        else:
            text = f"You preferred {names[which]} to {names[1 - which]}."
            key = f"{names[which]} > {names[1 - which]}"
        self.tally[key] = self.tally.get(key, 0) + 1
        return text

    def said(self, titles: tuple[str, str]) -> str:
        """The tally of two, in words; "" where there is none."""
        one, other = titles
        a, b = self.tally.get(f"{one} > {other}", 0), self.tally.get(f"{other} > {one}", 0)
        same = self.tally.get(f"{min(titles)} = {max(titles)}", 0)
        return f"So far, without names: {one} {a}, {other} {b}, no difference {same}." if a + b + same else ""

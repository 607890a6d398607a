"""What a suggestion is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

EDGE = 560
"""Long edge of the picture that is looked at, pixels, at most."""


@dataclass(frozen=True)
class Suggestion:
    """`field` of the recipe, suggested `value`, the `evidence` as a sentence, and the measured `number` behind it."""

    field: str
    value: Any
    evidence: str
    number: float


def factor_looked_at(size: tuple[int, int]) -> int:
    """Compute how many times smaller the picture is that is looked at.

    Parameters
    ----------
    size
        Width and height of the frame, pixels.

    Returns
    -------
    int
        4 and more; a power of 2, whose picture is kept with the frame.

    Examples
    --------
    >>> factor_looked_at((4032, 3024)), factor_looked_at((8064, 6048))
    (8, 16)
    """
    factor = 4
    while max(size) / factor > EDGE:
        factor *= 2
    return factor

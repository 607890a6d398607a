"""What may be believed of the numbers and texts that a file tells of its capture: finite, positive, within what can be.

Everything outside counts as not known, so that nothing behind divides by it or shows it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, kw_only=True)
class CaptureFacts:
    """What any file may say of its capture: `taken` as Exif writes it."""

    iso: float | None = None
    exposure_s: float | None = None
    f_number: float | None = None
    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken: str = ""
    make: str = ""
    model: str = ""
    software: str = ""
    description: str = ""
    merged: str = ""
    """See `container.merged`; texts are "" and numbers None where it says nothing."""


ISO, EXPOSURE_S, F_NUMBER = (1.0, 1e7), (1e-7, 1e6), (0.3, 200.0)
FOCAL_MM, FOCAL_35MM, ZOOM = (0.1, 10_000.0), (1.0, 50_000.0), (0.01, 1000.0)
"""Least and greatest that are believed: ISO number, seconds, f-number, millimetres, millimetres, ratio."""
NEUTRAL = (0.005, 200.0)
"""Share of a channel in a neutral, or gain between channels."""
LONGEST_TEXT = 4000
"""Letters that are kept of a text."""


def believed(value: Any, bounds: tuple[float, float]) -> float | None:
    """Compute a number within bounds, else None.

    Parameters
    ----------
    value
        Value as stored.
    bounds
        Lowest and highest believable value.

    Returns
    -------
    float | None
        A number within bounds, else None.

    Examples
    --------
    >>> believed("12.5", (1, 100)), believed(float("nan"), (1, 100)), believed(1e-30, (0.3, 200))
    (12.5, None, None)
    """
    if value is None or isinstance(value, bool):
        return None
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError, OverflowError):
        return None
    return number if math.isfinite(number) and bounds[0] <= number <= bounds[1] else None


def text_of(value: Any) -> str:
    r"""Return a text of a file on one line: control signs are blanks, what is too long is cut.

    Parameters
    ----------
    value
        Value as stored.

    Returns
    -------
    str
        A text of a file on one line.

    Examples
    --------
    >>> text_of("a\x00b ")
    'a'
    """
    if isinstance(value, (bytes, bytearray)):
        value = bytes(value).decode("utf-8", "replace")
    if not isinstance(value, str):
        return ""
    plain = "".join(c if c.isprintable() else " " for c in value.split("\0")[0][: 2 * LONGEST_TEXT])
    return plain.strip()[:LONGEST_TEXT]

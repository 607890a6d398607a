"""Description of a field of the recipe wherever it is shown; it stands with the field only."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import GetJsonSchemaHandler
from pydantic.fields import FieldInfo
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from bruto.catalog import tr

NO_NEUTRAL = object()
"""Stands for the neutral value of a field that has none: it cannot be left out."""
GROUPS: tuple[tuple[str, str, bool], ...] = (
    ("light", tr("Light"), True),
    ("white", tr("White and profile"), True),
    ("noise", tr("Noise"), True),
    ("sharpness", tr("Sharpness"), True),
    ("tone", tr("Tone"), True),
    ("local_contrast", tr("Haze and local contrast"), False),
    ("color", tr("Colour"), False),
    ("hues", tr("Hue ring"), False),
    ("curves", tr("Curves"), False),
    ("split_tint", tr("Split tint"), False),
    ("frame", tr("Frame"), False),
    ("finish", tr("Corners and grain"), False),
)
"""Name and title of each group of fields in working order, and whether it is open at first."""


def decimals(step: float) -> int:
    """Compute the digits behind the point that a step needs.

    Parameters
    ----------
    step
        Step of the field in its unit.

    Returns
    -------
    int
        Digits behind the point that a step needs.

    Examples
    --------
    >>> decimals(50), decimals(0.05), decimals(0.0005)
    (0, 2, 4)
    """
    return max(0, len(f"{step:.6f}".rstrip("0").split(".")[1]))


@dataclass(frozen=True)
class FieldUi:
    """`title`, `unit`, `step` (0 where it is no plain number of the ledger) and `group`, see `GROUPS`."""

    title: str
    unit: str = ""
    step: float = 0.0
    group: str = ""
    neutral: Any = NO_NEUTRAL
    """The value at which the field does nothing."""
    signed: bool = False
    """Whether positive numbers carry a plus."""
    track: tuple[float, float] | None = None
    """The part of its range that a drag covers."""
    mired: bool = False
    """Equal drags are equal steps of the reciprocal."""
    phrase: Callable[[Any], str] | None = None
    """What it does, from the whole recipe, "" where there is nothing to say (else title, value and unit, where it is
    not neutral).
    """

    def text(self, value: float) -> str:
        """Return a value with the digits that its step needs and a true minus sign, without its unit.

        Parameters
        ----------
        value
            Value of the field, in its unit.

        Returns
        -------
        str
            A value with the digits that its step needs and a true minus sign, without its unit.

        Examples
        --------
        >>> FieldUi("Level", "°", 0.1, signed=True).text(-2.0)
        '−2.0'
        """
        sign = "+" if self.signed and value else ""
        return f"{value:{sign}.{decimals(self.step)}f}".replace("-", "−")

    def __get_pydantic_json_schema__(self, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        found = handler(core)
        extra = {"title": self.title, "unit": self.unit, "step": self.step, "group": self.group}
        found.update({k: v for k, v in extra.items() if v})
        return found


def shown(info: FieldInfo) -> FieldUi | None:
    """Find the description of a field; None of one that is never seen.

    Parameters
    ----------
    info
        Declaration of the field.

    Returns
    -------
    FieldUi | None
        Description of a field.
    """
    return next((m for m in info.metadata if isinstance(m, FieldUi)), None)


def limits(info: FieldInfo) -> tuple[float, float]:
    """Compute the range of a field; an open upper end counts as reached.

    Parameters
    ----------
    info
        Declaration of the field.

    Returns
    -------
    tuple[float, float]
        Range of a field.
    """

    def of(name: str) -> float | None:
        return next((float(v) for m in info.metadata if (v := getattr(m, name, None)) is not None), None)

    high = of("le")
    if high is None:
        high = of("lt")
    return of("ge") or 0.0, 1.0 if high is None else high

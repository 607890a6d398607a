"""Values of tags as the TIFF library gives them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import FileProblem

COPY_AGAIN = tr("Copy it again from the phone.")


def tag_value(page: Any, tag: int, default: Any = None) -> Any:
    """Return the value of a tag, as the file holds it.

    Parameters
    ----------
    page
        Directory of the TIFF structure.
    tag
        Tag by its number.
    default
        Value where there is none.

    Returns
    -------
    Any
        Its value, or the default.
    """
    entry = page.tags.get(tag)
    return default if entry is None else entry.value


def floats_of(value: Any) -> NDArray[np.float64]:
    """Return the numbers of a value; rationals, which come as flat numerator, denominator pairs, stay so.

    Parameters
    ----------
    value
        Value as stored.

    Returns
    -------
    NDArray[np.float64]
        Rationals come as flat numerator, denominator pairs.
    """
    return np.atleast_1d(np.asarray(value, float)).ravel()


def rational_of(page: Any, tag: int, default: Any = None) -> Any:
    """Return the numbers of a tag; those written as rationals are divided.

    Parameters
    ----------
    page
        Directory of the TIFF structure.
    tag
        Tag by its number.
    default
        Value where there is none.

    Returns
    -------
    Any
        Array (n,) of float64, or the default; infinite or not a number where a denominator is 0.
    """
    entry = page.tags.get(tag)
    if entry is None:
        return default
    values = floats_of(entry.value)
    if entry.dtype in (5, 10):
        with np.errstate(divide="ignore", invalid="ignore"):
            values = values[0::2] / values[1::2]
    if not np.isfinite(values).all():
        raise FileProblem(tr("Tag {tag} ({name}) divides by zero; the file is damaged.", tag=tag, name=entry.name))
    return values


def within(values: NDArray[Any], bounds: tuple[float, float]) -> bool:
    """Return whether all values are finite and believable.

    Parameters
    ----------
    values
        Numbers as read from the file.
    bounds
        Lowest and highest believable value.

    Returns
    -------
    bool
        True where all of them lie within the bounds, ends included.
    """
    return bool(np.isfinite(values).all() and values.min() >= bounds[0] and values.max() <= bounds[1])

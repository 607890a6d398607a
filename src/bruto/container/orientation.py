"""Exif orientation: how a stored picture is turned and mirrored to be looked at."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

_CLOCKWISE = {1: 6, 6: 3, 3: 8, 8: 1, 2: 7, 7: 4, 4: 5, 5: 2}
_BACK = {5: 5, 6: 8, 7: 7, 8: 6}


def orient(picture: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Turn a stored picture by its Exif orientation (1-8), so that it can be looked at.

    Parameters
    ----------
    picture
        Picture (H, W, 3).
    orientation
        Exif orientation, 1 to 8.

    Returns
    -------
    NDArray
        Turn a stored picture by its Exif orientation (1-8), so that it can be looked at.
    """
    if orientation in (2, 4, 5, 7):
        picture = picture[:, ::-1]
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    return np.rot90(picture, turns) if turns else picture


def turned(orientation: int, quarters: int) -> int:
    """Compute the Exif orientation of a picture that is turned clockwise by so many quarters.

    Parameters
    ----------
    orientation
        Exif orientation, 1 to 8.
    quarters
        Quarter turns clockwise.

    Returns
    -------
    int
        The Exif orientation of a picture that is turned clockwise by so many quarters.

    Examples
    --------
    >>> turned(1, 1), turned(6, 3), turned(2, 2)
    (6, 1, 4)
    """
    for _ in range(quarters % 4):
        orientation = _CLOCKWISE.get(orientation, 6)
    return orientation


def place_as_stored(x: float, y: float, orientation: int) -> tuple[float, float]:
    """Find where a place of an oriented picture (shares of its width and height) lies in the stored one.

    Parameters
    ----------
    x
        Share of the oriented width, 0..1.
    y
        Share of the oriented height, 0..1.
    orientation
        Exif orientation, 1 to 8.

    Returns
    -------
    tuple[float, float]
        Where a place of an oriented picture (shares of its width and height) lies in the stored one.

    Examples
    --------
    >>> place_as_stored(0.25, 0.5, 6)
    (0.5, 0.75)
    """
    for _ in range({3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)):
        x, y = 1 - y, x
    return (1 - x if orientation in (2, 4, 5, 7) else x), y


def as_stored(picture: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Compute a picture that can be looked at, laid as one of that orientation is stored: undoes `orient`.

    Parameters
    ----------
    picture
        Picture (H, W, 3).
    orientation
        Exif orientation, 1 to 8.

    Returns
    -------
    NDArray
        A picture that can be looked at, laid as one of that orientation is stored.

    Examples
    --------
    >>> as_stored(orient(np.arange(6).reshape(2, 3), 7), 7).tolist()
    [[0, 1, 2], [3, 4, 5]]
    """
    return orient(picture, _BACK.get(orientation, orientation))

"""The crop of a recipe, which lies in the recorded frame, as a rectangle of the picture shown, and back."""

from __future__ import annotations

from bruto.develop.frame_geometry import Geometry


def crop_of(shown: Geometry, x0: float, y0: float, x1: float, y1: float) -> tuple[float, float, float, float]:
    """Compute a rectangle of an oriented picture (relative, 0..1) as the recipe's crop.

    Parameters
    ----------
    shown
        The picture.
    x0
        Left edge.
    y0
        Top edge.
    x1
        Right edge.
    y1
        Bottom edge.

    Returns
    -------
    tuple[float, float, float, float]
        A rectangle of an oriented picture (relative, 0..1) as the recipe's crop.
    """
    w, h = shown.oriented_size
    edge = max(shown.meta.square_size)
    return tuple(
        round((v - 0.5) * n / edge + o / edge, 5)
        for v, n, o in ((x0, w, shown.origin[0]), (y0, h, shown.origin[1]), (x1, w, shown.origin[0]),
                        (y1, h, shown.origin[1]))
    )  # type: ignore[return-value]  # fmt: skip


def relative_crop(shown: Geometry, crop: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    """Compute a crop of the recipe as rectangle of an oriented picture (relative).

    Parameters
    ----------
    shown
        The picture.
    crop
        Left, top, right and bottom.

    Returns
    -------
    tuple[float, float, float, float]
        A crop of the recipe as rectangle of an oriented picture (relative).
    """
    w, h = shown.oriented_size
    edge = max(shown.meta.square_size)
    return tuple(
        (v * edge - o) / n + 0.5 for v, n, o in zip(crop, (w, h, w, h), (*shown.origin, *shown.origin), strict=True)
    )  # type: ignore[return-value]

"""Level and tilts, from the lines of the picture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.orientation import orient
from bruto.develop.analysis.lines import CameraPose, camera_pose, facade_turn, find_lines
from bruto.develop.perspective import focal_px
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggestion import Suggestion

LINES_EDGE = 1400
"""Long edge of the picture that lines are looked for in, pixels, at most."""


LEAST_ROLL, MOST_ROLL = 0.25, 12.0
"""Leans that are seen and not meant, degrees."""


LEAST_VERTICALS, MOST_VERTICALS = 0.6, 12.0
"""Tilts that are seen and not meant, degrees."""


def lines_view(developer: Developer) -> tuple[NDArray[np.float32], float]:
    """Make the small picture that lines are looked for in.

    Parameters
    ----------
    developer
        The decoded picture and its cached stages.

    Returns
    -------
    tuple[NDArray[np.float32], float]
        Light (h, w) of the oriented frame, and its focal length, pixels.
    """
    factor = 2
    while max(developer.source.size) / factor > LINES_EDGE:
        factor *= 2
    meta = developer.source.meta
    light = developer.light(Recipe(), factor)[..., 1]
    return np.ascontiguousarray(orient(light, meta.orientation)), focal_px(meta) / factor


def suggest_frame(light: NDArray[np.float32], focal: float) -> list[Suggestion]:
    """Suggest the level and verticals from the lines of the picture; a phone pose down or up on purpose is left so.

    Parameters
    ----------
    light, focal
        See `lines_view`.

    Returns
    -------
    list[Suggestion]
        Level and verticals from the lines of the picture.
    """
    lines, edge = find_lines(light), max(light.shape)
    return [*_pose(camera_pose(lines, focal, edge)), _square(facade_turn(lines, focal, edge))]


def _square(turn: float | None) -> Suggestion:
    """How a facade was faced is measured; whether it should be squared is the picture's own matter."""
    if turn is None:
        return Suggestion("horizontals", 0.0, tr("no horizontal lines that show how the facade was faced"), 0.0)
    side = tr("right") if turn > 0 else tr("left")
    text = tr("horizontal lines show {turn:+.1f}° (facing {side}); set it to square up a facade", turn=turn, side=side)
    return Suggestion("horizontals", 0.0, text, turn)


def _pose(pose: CameraPose | None) -> list[Suggestion]:
    if pose is None:
        text = tr("no lines that show how the phone was held")
        return [Suggestion("horizon", 0.0, text, 0.0), Suggestion("verticals", 0.0, text, 0.0)]
    kind = tr("horizontal lines") if pose.verticals is None and pose.level_lines else tr("vertical lines")
    side = tr("clockwise") if pose.roll < 0 else tr("anticlockwise")
    roll = round(pose.roll, 1) if LEAST_ROLL <= abs(pose.roll) <= MOST_ROLL else 0.0
    lean = tr(
        "{lines} {kind}, {share:.0f} % of them, lean {roll:.1f}°",
        lines=pose.lines,
        kind=kind,
        share=100 * pose.share,
        roll=abs(pose.roll),
    )
    text = f"{lean} {side}" if roll else tr("{lean}: level enough", lean=lean)
    if abs(pose.roll) > MOST_ROLL:
        text = tr("{lean}: tilted on purpose", lean=lean)
    found = [Suggestion("horizon", roll, text, pose.roll)]
    if pose.verticals is None:
        text = tr("no verticals far enough apart to show a tilt")
        return [*found, Suggestion("verticals", 0.0, text, 0.0)]
    where = tr("up") if pose.verticals > 0 else tr("down")
    text = tr(
        "{lines} verticals show that the phone was tilted {verticals:.1f}° {where}",
        lines=pose.lines,
        verticals=abs(pose.verticals),
        where=where,
    )
    if abs(pose.verticals) > MOST_VERTICALS:
        return [
            *found,
            Suggestion("verticals", 0.0, tr("{text}: on purpose, so left alone", text=text), pose.verticals),
        ]
    amount = round(pose.verticals, 1) if abs(pose.verticals) >= LEAST_VERTICALS else 0.0
    return [
        *found,
        Suggestion("verticals", amount, text if amount else tr("{text}: straight enough", text=text), pose.verticals),
    ]

"""Level and tilts, from the lines of the picture."""

from __future__ import annotations

import numpy as np

from bruto.container.orientation import orient
from bruto.develop.analysis.lines import CameraPose, camera_pose, facade_turn, find_lines
from bruto.develop.frame_geometry import focal_px
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggestion import Suggestion

LINES_EDGE = 1400
"""Long edge of the picture that lines are looked for in, pixels, at most."""


LEAST_ROLL, MOST_ROLL = 0.25, 12.0
"""Leans that are seen and not meant, degrees."""


LEAST_VERTICALS, MOST_VERTICALS = 0.6, 12.0
"""Tilts that are seen and not meant, degrees."""


def suggest_frame(developer: Developer) -> list[Suggestion]:
    """Level and verticals from the lines of the picture; a phone pose down or up on purpose is left so."""
    factor = 2
    while max(developer.source.size) / factor > LINES_EDGE:
        factor *= 2
    meta = developer.source.meta
    light = developer.light(Recipe(), factor)[..., 1]
    oriented = np.ascontiguousarray(orient(light, meta.orientation))
    lines, focal, edge = find_lines(oriented), focal_px(meta) / factor, max(oriented.shape)
    return [*_pose(camera_pose(lines, focal, edge)), _square(facade_turn(lines, focal, edge))]


def _square(turn: float | None) -> Suggestion:
    """How a facade was faced is measured; whether it should be squared is the picture's own matter."""
    if turn is None:
        return Suggestion("horizontals", 0.0, "no level lines that tell how a facade was faced", 0.0)
    side = "right" if turn > 0 else "left"
    text = f"level lines tell {turn:+.1f}° (looked to the {side}); set it to square a facade"
    return Suggestion("horizontals", 0.0, text.replace("-", "−"), turn)


def _pose(pose: CameraPose | None) -> list[Suggestion]:
    if pose is None:
        text = "no lines that say how the phone was pose"
        return [Suggestion("horizon", 0.0, text, 0.0), Suggestion("verticals", 0.0, text, 0.0)]
    kind = "level lines" if pose.verticals is None and pose.level_lines else "plumb lines"
    side = "clockwise" if pose.roll < 0 else "anticlockwise"
    roll = round(pose.roll, 1) if LEAST_ROLL <= abs(pose.roll) <= MOST_ROLL else 0.0
    lean = f"{pose.lines} {kind}, {100 * pose.share:.0f} % of such, lean {abs(pose.roll):.1f}°"
    text = f"{lean} {side}" if roll else f"{lean}: level enough"
    if abs(pose.roll) > MOST_ROLL:
        text = f"{lean}: turned on purpose"
    found = [Suggestion("horizon", roll, text, pose.roll)]
    if pose.verticals is None:
        text = "no plumb lines far enough apart to tell a tilt"
        return [*found, Suggestion("verticals", 0.0, text, 0.0)]
    where = "up" if pose.verticals > 0 else "down"
    text = f"{pose.lines} plumb lines say that the phone looked {abs(pose.verticals):.1f}° {where}"
    if abs(pose.verticals) > MOST_VERTICALS:
        return [*found, Suggestion("verticals", 0.0, f"{text}: on purpose, left so", pose.verticals)]
    amount = round(pose.verticals, 1) if abs(pose.verticals) >= LEAST_VERTICALS else 0.0
    return [*found, Suggestion("verticals", amount, text if amount else f"{text}: straight enough", pose.verticals)]

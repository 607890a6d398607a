"""Level and tilts, from the lines of the picture."""

from __future__ import annotations

import numpy as np

from bruto.container.orientation import orient
from bruto.develop.analysis.lines import Held, facade_turn, find_lines, how_held
from bruto.develop.frame import focal_px
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.suggest.suggestion import Suggestion

LINES_EDGE = 1400
"""Long edge of the picture that lines are looked for in, pixels, at most."""


LEAST_LEVEL, MOST_LEVEL = 0.25, 12.0
"""Leans that are seen and not meant, degrees."""


LEAST_VERTICALS, MOST_VERTICALS = 0.6, 12.0
"""Tilts that are seen and not meant, degrees."""


def suggest_frame(developer: Developer) -> list[Suggestion]:
    """Level and verticals from the lines of the picture; a phone held down or up on purpose is left so."""
    factor = 2
    while max(developer.source.size) / factor > LINES_EDGE:
        factor *= 2
    meta = developer.source.meta
    light = developer.light(Recipe(), factor)[..., 1]
    oriented = np.ascontiguousarray(orient(light, meta.orientation))
    lines, focal, edge = find_lines(oriented), focal_px(meta) / factor, max(oriented.shape)
    return [*_held(how_held(lines, focal, edge)), _square(facade_turn(lines, focal, edge))]


def _square(turn: float | None) -> Suggestion:
    """How a facade was faced is measured; whether it should be squared is the picture's own matter."""
    if turn is None:
        return Suggestion("horizontals", 0.0, "no level lines that tell how a facade was faced", 0.0)
    side = "right" if turn > 0 else "left"
    text = f"level lines tell {turn:+.1f}° (looked to the {side}); set it to square a facade"
    return Suggestion("horizontals", 0.0, text.replace("-", "−"), turn)


def _held(held: Held | None) -> list[Suggestion]:
    if held is None:
        text = "no lines that say how the phone was held"
        return [Suggestion("level", 0.0, text, 0.0), Suggestion("verticals", 0.0, text, 0.0)]
    kind = "level lines" if held.verticals is None and held.level_lines else "plumb lines"
    side = "clockwise" if held.level < 0 else "anticlockwise"
    level = round(held.level, 1) if LEAST_LEVEL <= abs(held.level) <= MOST_LEVEL else 0.0
    lean = f"{held.lines} {kind}, {100 * held.share:.0f} % of such, lean {abs(held.level):.1f}°"
    text = f"{lean} {side}" if level else f"{lean}: level enough"
    if abs(held.level) > MOST_LEVEL:
        text = f"{lean}: turned on purpose"
    found = [Suggestion("level", level, text, held.level)]
    if held.verticals is None:
        text = "no plumb lines far enough apart to tell a tilt"
        return [*found, Suggestion("verticals", 0.0, text, 0.0)]
    where = "up" if held.verticals > 0 else "down"
    text = f"{held.lines} plumb lines say that the phone looked {abs(held.verticals):.1f}° {where}"
    if abs(held.verticals) > MOST_VERTICALS:
        return [*found, Suggestion("verticals", 0.0, f"{text}: on purpose, left so", held.verticals)]
    amount = round(held.verticals, 1) if abs(held.verticals) >= LEAST_VERTICALS else 0.0
    return [*found, Suggestion("verticals", amount, text if amount else f"{text}: straight enough", held.verticals)]

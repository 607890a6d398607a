"""Point steps with values that no recipe can say, for tests of single ones: plain tone, a matrix of one's own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bruto.develop.bands import Planned, run
from bruto.develop.recipe_values import IDENTITY, Tone
from bruto.develop.steps import step_order
from bruto.develop.steps.base_layer import Base
from bruto.develop.steps.color import LabStage
from bruto.develop.steps.haze import Haze, prepared_haze
from bruto.develop.steps.highlights import Ratios, no_ratios
from bruto.develop.steps.output import prepared_output
from bruto.develop.steps.step import TilePosition, placed
from bruto.develop.steps.tone import EV_HIGH, EV_LOW, EV_STEPS, prepared_tone
from bruto.develop.steps.working_light import PreparedLight

__all__ = ["PointParams", "neutral_tables", "placed", "point_pass"]
STEPS = {s.name: s for s in step_order.POINT_STEPS}


def neutral_tables() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Tone tables that change nothing."""
    return np.linspace(EV_LOW, EV_HIGH, EV_STEPS).astype(np.float32), np.ones(EV_STEPS, np.float32)


@dataclass(frozen=True)
class PointParams:
    """`matrix` from camera RGB; `log_table`, `keep_table`: see `tone.tables`; the others as the steps prepare them."""

    matrix: NDArray[np.float64]
    exposure: float
    log_table: NDArray[np.float32]
    keep_table: NDArray[np.float32]
    space: str
    color_table: NDArray[np.float32] | None = None
    tone: bool = True
    lab: LabStage | None = None
    medium: Base | None = None
    relief: tuple[float, float] = (1.0, 1.0)
    haze: Haze | None = None
    haze_amount: float = 0.0
    channel_matrix: tuple[float, ...] = IDENTITY
    curves: NDArray[np.float32] | None = None
    vignette: float = 0.0
    grain: float = 0.0
    grain_size: float = 1.2
    ratios: Ratios | None = None


def point_pass(
    rgb: NDArray[np.float32],
    clipped: NDArray[np.uint8],
    base: Base | None,
    p: PointParams,
    place: TilePosition,
    bits: int = 8,
) -> NDArray:
    """Balanced camera RGB (H, W, 3) to codes."""
    flat = Base(np.ones((2, 2), np.float32), np.zeros((2, 2), np.float32))
    tone = None
    if p.tone:
        tone = prepared_tone(Tone(), 1.0, base or flat, p.exposure, medium=p.medium, relief=p.relief)
        color = np.ones(1, np.float32) if p.color_table is None else p.color_table
        tone = tone._replace(curve=np.stack([p.log_table, p.keep_table], axis=1), color=color)
    prepared = {
        "light": PreparedLight(np.asarray(p.matrix, np.float32), p.ratios or no_ratios()),
        "haze removal": prepared_haze(p.haze, 100 * p.haze_amount, p.exposure) if p.haze and p.tone else None,
        "tone": tone,
        "edge light": np.float32(p.vignette) if p.vignette else None,
        "channels": None if p.channel_matrix == IDENTITY else np.asarray(p.channel_matrix, np.float32).reshape(3, 3),
        "curves": p.curves,
        "color": p.lab,
        "output": prepared_output(p.space, bits, p.grain, p.grain_size),
    }
    plan = [Planned(STEPS[name], found) for name, found in prepared.items() if found is not None]
    return run(plan, rgb, clipped, place, bits)

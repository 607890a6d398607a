"""The steps of a development, in order.

One more step: its file beside this one, its field in the recipe, and a line here.
"""

from __future__ import annotations

from bruto.develop.steps.channel_matrix import ChannelMatrix
from bruto.develop.steps.color import ColorStep
from bruto.develop.steps.corner_color import CornerColor
from bruto.develop.steps.curves import FreeCurves
from bruto.develop.steps.haze import HazeRemoval
from bruto.develop.steps.local_contrast import FineLocalContrast
from bruto.develop.steps.local_tone import LocalToneField
from bruto.develop.steps.noise_step import NoiseReduction
from bruto.develop.steps.output import Output
from bruto.develop.steps.sharpness import Sharpness
from bruto.develop.steps.step import PointStep, RawStep
from bruto.develop.steps.tone import ToneMapping
from bruto.develop.steps.vignette import CornerVignette
from bruto.develop.steps.working_light import Light

NOISE_REDUCTION = NoiseReduction()
RAW_STEPS: tuple[RawStep, ...] = (NOISE_REDUCTION, FineLocalContrast(), Sharpness())
"""Before the picture is cut and turned."""
POINT_STEPS: tuple[PointStep, ...] = (
    Light(),
    HazeRemoval(),
    ToneMapping(),
    LocalToneField(),
    CornerVignette(),
    CornerColor(),
    ChannelMatrix(),
    FreeCurves(),
    ColorStep(),
    Output(),
)
"""After it, from camera RGB to codes."""
COLOR_ONLY = ("light", "output")
"""Names of the point steps of a picture without any rendering: colour, and nothing else."""

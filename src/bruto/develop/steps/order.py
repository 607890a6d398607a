"""The steps of a development, in order. One more step: its file beside this one, its field in the recipe, and a line
here.
"""

from __future__ import annotations

from bruto.develop.steps.colour import Colour
from bruto.develop.steps.curves import FreeCurves
from bruto.develop.steps.edge_light import EdgeLight
from bruto.develop.steps.edge_tint import EdgeTint
from bruto.develop.steps.haze import HazeRemoval
from bruto.develop.steps.light import Light
from bruto.develop.steps.local_tone import LocalToneField
from bruto.develop.steps.mixing import Mixing
from bruto.develop.steps.noise import NoiseReduction
from bruto.develop.steps.output import Output
from bruto.develop.steps.relief import FineRelief
from bruto.develop.steps.sharpness import Sharpness
from bruto.develop.steps.step import PointStep, RawStep
from bruto.develop.steps.tone import ToneMapping

NOISE_REDUCTION = NoiseReduction()
RAW_STEPS: tuple[RawStep, ...] = (NOISE_REDUCTION, FineRelief(), Sharpness())
"""Before the picture is cut and turned."""
POINT_STEPS: tuple[PointStep, ...] = (
    Light(),
    HazeRemoval(),
    ToneMapping(),
    LocalToneField(),
    EdgeLight(),
    EdgeTint(),
    Mixing(),
    FreeCurves(),
    Colour(),
    Output(),
)
"""After it, from camera RGB to codes."""
COLOUR_ONLY = ("light", "output")
"""Names of the point steps of a picture without any rendering: colour, and nothing else."""

"""The twelve exercises in the order in which they are learnt best."""

from __future__ import annotations

import numpy as np

from bruto.practice import exposure_exercises, noise_exercises
from bruto.practice.rounds import Exercise, Round

ORDER = (
    "raw", "lamp", "preview", "lost", "iso", "frames", "handheld", "size", "interval", "edge", "phone", "infrared",
)  # fmt: skip
EXERCISES: dict[str, Exercise] = {k: (exposure_exercises.EXERCISES | noise_exercises.EXERCISES)[k] for k in ORDER}


def a_round(name: str, seed: int) -> Round:
    """Return a round of an exercise; the same seed gives the same one.

    Raises ------ KeyError Of a name that is none of `EXERCISES`.

    Parameters
    ----------
    name
        Name of the exercise.
    seed
        Seed of the random generator.

    Returns
    -------
    Round
        A round of an exercise.
    """
    return EXERCISES[name].make(np.random.default_rng([seed, ORDER.index(name)]))

"""A phone's noise by ISO: one model for sensor, plan, logbook and card, which says where it is from."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from bruto.catalog import tr
from bruto.errors import BrutoError


class NoiseSource(StrEnum):
    """Where a noise model is from."""

    TYPICAL = "typical"
    """Of a small sensor in general: nothing is known of the phone."""
    GIVEN = "given"
    """What the user said."""
    FILE = "file"
    """What one raw says of itself."""
    CARD = "card"
    """Of the phone's card, which learnt it from files."""
    LEARNT = "learnt"
    """Of measured shots in the logbook."""


@dataclass(frozen=True)
class NoiseModel:
    """Variance a x + b of light x (1 = saturation) by ISO: a = `photons` ISO, b = `fixed` + `amplified` ISO^2."""

    photons: float
    fixed: float
    amplified: float
    source: NoiseSource = NoiseSource.GIVEN
    error: float = 1.0
    """Usual factor by which single shots differ from it, 1 where it is not known."""

    def at(self, iso: float) -> tuple[float, float]:
        """Compute a and b at an ISO.

        Parameters
        ----------
        iso
            ISO speed.

        Returns
        -------
        tuple[float, float]
            a and b at an ISO.
        """
        return self.photons * iso, self.fixed + self.amplified * iso * iso

    def snr(self, x: float, iso: float) -> float:
        """Compute the signal over noise of light x at an ISO, in one pixel.

        Parameters
        ----------
        x
            Light, share of saturation.
        iso
            ISO speed.

        Returns
        -------
        float
            Signal over noise of light x at an ISO, in one pixel.
        """
        a, b = self.at(iso)
        return x / math.sqrt(max(a * max(x, 0.0) + b, 1e-30))


def model_of(
    known: Mapping[float, tuple[float, float]], source: NoiseSource = NoiseSource.GIVEN, error: float = 1.0
) -> NoiseModel:
    """Return a model through a, b that were measured at some ISOs.

    Parameters
    ----------
    known
        Noise by ISO: a and b.
    source
        Where they are from.
    error
        Usual factor by which single shots differ from it.

    Returns
    -------
    NoiseModel
        A model through a, b that were measured at some ISOs.

    Examples
    --------
    >>> model = model_of({100.0: (1e-4, 2e-6), 400.0: (4e-4, 17e-6)})
    >>> [round(v * 1e6) for v in model.at(200.0)]
    [200, 5]
    """
    from scipy.optimize import nnls  # takes long to import

    some = {i: (a, b) for i, (a, b) in known.items() if i > 0 and a > 0 and b >= 0 and math.isfinite(a + b)}
    if not some:
        raise BrutoError(tr("This phone's noise is not known. Open some of its raws once, or give a and b at an ISO."))
    photons = float(np.exp(np.median([math.log(a / i) for i, (a, _) in some.items()])))
    b = np.array([max(v[1], 1e-12) for v in some.values()])
    if len(some) == 1:
        iso = next(iter(some))
        return NoiseModel(photons, 0.0, float(b[0]) / iso**2, source, error)
    design = np.array([[1.0, i * i] for i in some]) / b[:, None]
    scale = design.max(axis=0)
    found, _ = nnls(design / scale, np.ones(len(b)))
    fixed, amplified = found / scale
    return NoiseModel(photons, float(fixed), float(amplified), source, error)

"""Measures the noise of cosine coefficients on pure noise; writes src/bruto/develop/data/noise.npz."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bruto.develop.noise_coefficients import PLACE, RATIOS, measured

OUT = Path(__file__).resolve().parents[1] / "src/bruto/develop" / PLACE


def main() -> None:
    rows = [[measured(red, blue) for blue in RATIOS] for red in RATIOS]
    found = {name: np.array([[place[name] for place in row] for row in rows]) for name in rows[0][0]}
    OUT.parent.mkdir(exist_ok=True)
    np.savez(OUT, **found)


if __name__ == "__main__":
    main()

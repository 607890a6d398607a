"""Measures the noise of cosine coefficients on pure noise; writes src/bruto/develop/data/noise.npz."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bruto.develop.noise_coefficients import KINDS, PLACE, measured

OUT = Path(__file__).resolve().parents[1] / "src/bruto/develop" / PLACE


def main() -> None:
    found = {}
    for kind in KINDS:
        for half in (True, False):
            found[f"{kind} {half} fine"], found[f"{kind} {half} coarse"] = measured(kind, half)
    OUT.parent.mkdir(exist_ok=True)
    np.savez(OUT, **found)


if __name__ == "__main__":
    main()

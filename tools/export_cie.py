"""Write the CIE tables the colour code needs (needs colour-science; run once, the result ships).

CIE 1931 2 degree colour-matching functions and the daylight components S0, S1, S2 (CIE 015:2018), 380-780 nm in 5 nm
steps.
"""

from pathlib import Path

import colour
import numpy as np

WAVELENGTHS = np.arange(380, 785, 5)


def main() -> None:
    shape = colour.SpectralShape(380, 780, 5)
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    components = colour.colorimetry.SDS_BASIS_FUNCTIONS_CIE_ILLUMINANT_D_SERIES
    basis = np.stack([components[name].copy().align(shape).values for name in ("S0", "S1", "S2")], axis=1)
    out = Path(__file__).parents[1] / "src/bruto/color/data/cie1931.npz"
    np.savez_compressed(out, wavelengths=WAVELENGTHS, cmfs=cmfs.values, daylight=basis)
    print(out, cmfs.values.shape, basis.shape)


if __name__ == "__main__":
    main()

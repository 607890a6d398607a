"""How compiled kernels are set up; imported by every module that has one, before Numba is.

Numba's `omp` layer is the one that may be entered from several threads at once.
"""

from __future__ import annotations

import os
import sys

os.environ.setdefault("OMP_WAIT_POLICY", "passive")  # read when Numba loads its layer

import numba

numba.config.THREADING_LAYER = "omp"


def _without_linear_algebra() -> None:
    """Load the part of Numba that looks for SciPy's linear algebra without it.

    No kernel here multiplies matrices by it, and it takes longer to load than all of them.
    """
    if "scipy.linalg" in sys.modules or "numba.np.arraymath" in sys.modules:
        return
    sys.modules["scipy.linalg"] = None  # type: ignore[assignment]  # an import of it fails, which Numba allows for
    try:
        import numba.np.arraymath  # noqa: F401
    except ImportError:
        pass
    finally:
        del sys.modules["scipy.linalg"]


_without_linear_algebra()

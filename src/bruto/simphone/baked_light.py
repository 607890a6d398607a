"""The slow light of a scene, baked beforehand: skylight and bounced light as illuminance over a wide view."""

from __future__ import annotations

from importlib.resources import files

import imagecodecs
import numpy as np
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on  # noqa: F401  sets up what kernels run on
from bruto.catalog import tr
from bruto.errors import BrutoError

LOG_FLOOR = 1e-3


def write_light(light: NDArray[np.float32]) -> bytes:
    """Make the baked illuminance, log-coded in 16 bits and packed losslessly (JPEG XL).

    Parameters
    ----------
    light
        Linear light, 1 = sensor saturation.

    Returns
    -------
    bytes
        Baked illuminance, log-coded in 16 bits and packed losslessly (JPEG XL).
    """
    code = np.clip(np.log2(np.maximum(light, LOG_FLOOR) / LOG_FLOOR) / 32 * 65535, 0, 65535).astype(np.uint16)
    return bytes(imagecodecs.jpegxl_encode(code & 0xFFF8, lossless=True, effort=7))


def read_light(name: str) -> NDArray[np.float32] | None:
    """Read the baked illuminance of a scene in lux, (h, w, 3); None before it is baked.

    Parameters
    ----------
    name
        Identifier of a scene.

    Returns
    -------
    NDArray[np.float32] | None
        The baked illuminance of a scene in lux, (h, w, 3); None before it is baked.
    """
    source = files("bruto.simphone") / f"data/{name}.light"
    if not source.is_file():
        return None
    code = imagecodecs.jpegxl_decode(source.read_bytes())
    if code.ndim != 3:
        raise BrutoError(tr("The baked light of scene '{name}' is damaged. Install Bruto again.", name=name))
    return (np.exp2(code.astype(np.float32) * (32 / 65535)) * LOG_FLOOR).astype(np.float32)

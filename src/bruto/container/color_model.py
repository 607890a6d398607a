"""From camera colour to the working space by the DNG model.

DNG 1.7, chapter 6, "Mapping Camera Color Space to CIE XYZ".
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.color.adaptation import bradford
from bruto.color.spaces import D50_XYZ, xy_to_xyz, xyz_d50_to_working
from bruto.color.temperature import kelvin_duv_of, xy_of
from bruto.container.profile import Calibration
from bruto.container.raw_frame import RawMeta

_LIGHT_SOURCE_KELVIN = {
    1: 5500.0,
    2: 4150.0,
    3: 2850.0,
    4: 5500.0,
    9: 5500.0,
    10: 6500.0,
    11: 7500.0,
    12: 6430.0,
    13: 5000.0,
    14: 4150.0,
    15: 3450.0,
    17: 2856.0,
    18: 4874.0,
    19: 6774.0,
    20: 5500.0,
    21: 6504.0,
    22: 7504.0,
    23: 5003.0,
    24: 3200.0,
}
"""Correlated colour temperatures of Exif LightSource codes (Exif 3.0; DNG 1.7 CalibrationIlluminant), K."""
_PLAIN = Calibration(
    21,
    np.linalg.inv(
        np.array(
            [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
        )
    ),
)
"""Stand-in for files without any matrix: sensor colour taken as linear sRGB."""


def _weights(calibrations: tuple[Calibration, ...], kelvin: float, xy: tuple[float, float]) -> NDArray[np.float64]:
    """Share of each calibration for a white.

    Between two by reciprocal temperature; among three by the inverse square of the distance of their chromaticities
    (Shepard 1968), which also tells lights of one temperature apart.
    """
    kelvins = [_LIGHT_SOURCE_KELVIN.get(c.illuminant, 6504.0) for c in calibrations]
    if len(calibrations) == 1:
        return np.ones(1)
    if len(calibrations) == 2:
        low, high = min(kelvins), max(kelvins)
        if high <= low:
            return np.array([1.0, 0.0])
        weight = float(np.clip((1 / kelvin - 1 / high) / (1 / low - 1 / high), 0, 1))
        return np.array([weight, 1 - weight]) if kelvins[0] == low else np.array([1 - weight, weight])
    places = np.array([xy_of(k, 0.0) for k in kelvins])
    distance = ((places - np.array(xy)) ** 2).sum(axis=1)
    weights = 1 / np.maximum(distance, 1e-12)
    return weights / weights.sum()


def calibration_weights(meta: RawMeta, neutral: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the share of each of the file's calibrations for a camera neutral; they sum to 1.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    neutral
        Camera neutral, green = 1.

    Returns
    -------
    NDArray[np.float64]
        Share of each of the file's calibrations for a camera neutral.
    """
    x, y = neutral_to_xy(meta, neutral)
    kelvin, _ = kelvin_duv_of(x, y)
    return _weights(meta.calibrations or (_PLAIN,), float(np.clip(kelvin, 1000, 100000)), (x, y))


def _mixed(
    meta: RawMeta, kelvin: float, xy: tuple[float, float]
) -> tuple[NDArray[Any], NDArray[Any] | None, NDArray[Any]]:
    """Colour matrix, forward matrix (None where one is missing) and unit calibration for a white."""
    found = meta.calibrations or (_PLAIN,)
    w = _weights(found, kelvin, xy)
    color = sum(k * c.color for k, c in zip(w, found, strict=True))
    forward = None
    if all(c.forward is not None for c in found):
        forward = sum(k * c.forward for k, c in zip(w, found, strict=True))
    unit: NDArray[Any] = np.eye(3)
    if all(c.camera_calibration is not None for c in found):
        unit = sum(k * c.camera_calibration for k, c in zip(w, found, strict=True))
    return np.asarray(color), None if forward is None else np.asarray(forward), unit


def _xyz_to_camera(meta: RawMeta, kelvin: float, xy: tuple[float, float]) -> NDArray[np.float64]:
    color, _, unit = _mixed(meta, kelvin, xy)
    return np.diag(meta.analog_balance) @ unit @ color


def neutral_to_xy(meta: RawMeta, neutral: NDArray[Any]) -> tuple[float, float]:
    """Compute the chromaticity of the white that a camera neutral stands for (the specification's iteration).

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    neutral
        Camera neutral, green = 1.

    Returns
    -------
    tuple[float, float]
        Chromaticity of the white that a camera neutral stands for (the specification's iteration).
    """
    x, y = 0.3457, 0.3585
    for _ in range(30):
        kelvin, _ = kelvin_duv_of(x, y)
        camera = _xyz_to_camera(meta, float(np.clip(kelvin, 1000, 100000)), (x, y))
        xyz = np.linalg.solve(camera, np.asarray(neutral, float))
        xyz = np.maximum(xyz, 1e-6)
        new = (float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum()))
        if abs(new[0] - x) + abs(new[1] - y) < 1e-8:
            break
        x, y = new
    return x, y


def xy_to_neutral(meta: RawMeta, x: float, y: float) -> NDArray[np.float64]:
    """Compute the camera neutral (green = 1) of a white's chromaticity.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    x
        CIE 1931 x.
    y
        CIE 1931 y.

    Returns
    -------
    NDArray[np.float64]
        Camera neutral (green = 1) of a white's chromaticity.
    """
    kelvin, _ = kelvin_duv_of(x, y)
    camera = _xyz_to_camera(meta, float(np.clip(kelvin, 1000, 100000)), (x, y)) @ xy_to_xyz(x, y)
    camera = np.maximum(camera, 1e-4)
    return camera / camera[1]


def camera_to_working(meta: RawMeta, neutral: NDArray[Any]) -> NDArray[np.float64]:
    """Compute the matrix (3, 3) from camera RGB to linear Rec. 2020.

    The neutral maps to equal values, green of the neutral to 1.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    neutral
        Camera neutral, green = 1.

    Returns
    -------
    NDArray[np.float64]
        Matrix (3, 3) from camera RGB to linear Rec. 2020.
    """
    neutral = np.asarray(neutral, float) / neutral[1]
    x, y = neutral_to_xy(meta, neutral)
    kelvin, _ = kelvin_duv_of(x, y)
    kelvin = float(np.clip(kelvin, 1000, 100000))
    _, forward, unit = _mixed(meta, kelvin, (x, y))
    if forward is not None:
        to_reference = np.linalg.inv(np.diag(meta.analog_balance) @ unit)
        to_d50 = forward @ np.diag(1 / (to_reference @ neutral)) @ to_reference
    else:
        to_xyz = np.linalg.inv(_xyz_to_camera(meta, kelvin, (x, y)))
        white = to_xyz @ neutral
        to_d50 = bradford(white / white[1], D50_XYZ) @ to_xyz / white[1]
    matrix = xyz_d50_to_working() @ to_d50
    return matrix / (matrix @ neutral)[:, None]  # white exactly neutral, at 1

"""RGB spaces, CIELAB and OKLab.

The working space is linear Rec. 2020 with D65 (ITU-R BT.2020-2). All matrices are derived from primaries and whites, so
that they agree with each other to the last digit.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.color.adaptation import bradford
from bruto.errors import BrutoError

D65_XY = (0.3127, 0.3290)
D50_XYZ = np.array([0.96422, 1.0, 0.82521])
"""White of the profile connection space (ICC.1:2022)."""
LUMINANCE_2020 = np.array([0.2627002120112671, 0.6779980715188708, 0.05930171646986196])
"""Rec. 2020 luminance weights."""


def xy_to_xyz(x: float, y: float) -> NDArray[np.float64]:
    """Compute the XYZ with Y = 1 of a chromaticity.

    Parameters
    ----------
    x
        CIE 1931 x.
    y
        CIE 1931 y, above 0.

    Returns
    -------
    NDArray[np.float64]
        XYZ with Y = 1 of a chromaticity.
    """
    return np.array([x / y, 1.0, (1 - x - y) / y])


D65_XYZ = xy_to_xyz(*D65_XY)


@dataclass(frozen=True)
class RgbSpace:
    """An RGB space: primaries (3, 2) and the name of its encoding."""

    name: str
    title: str
    primaries: tuple[tuple[float, float], ...]
    encoding: str

    def to_xyz(self) -> NDArray[np.float64]:
        """Linear RGB to XYZ of D65 (3, 3)."""
        columns = np.stack([xy_to_xyz(*p) for p in self.primaries], axis=1)
        return columns * np.linalg.solve(columns, D65_XYZ)


SPACES = {
    "srgb": RgbSpace("srgb", "sRGB", ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)), "srgb"),
    "display-p3": RgbSpace("display-p3", "Display P3", ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)), "srgb"),
    "rec2020": RgbSpace("rec2020", "Rec. 2020", ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)), "srgb"),
}
"""Output spaces; all use the sRGB curve (IEC 61966-2-1), which their ICC profiles state."""


def space(name: str) -> RgbSpace:
    """Return the space of that name.

    Parameters
    ----------
    name
        Identifier of an output space: srgb, display-p3 or rec2020.

    Returns
    -------
    RgbSpace
        The space of that name.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    if name not in SPACES:
        raise BrutoError(
            tr(
                "There is no output space '{name}'. Choose one of {SPACES} or linear.",
                name=name,
                SPACES=", ".join(SPACES),
            )
        )
    return SPACES[name]


@cache
def working_to_xyz() -> NDArray[np.float64]:
    """Linear Rec. 2020 to XYZ of D65."""
    return SPACES["rec2020"].to_xyz()


@cache
def working_to(name: str) -> NDArray[np.float64]:
    """Compute the matrix (3, 3) from linear Rec. 2020 to another linear space.

    Parameters
    ----------
    name
        Identifier of an output space: srgb, display-p3 or rec2020.

    Returns
    -------
    NDArray[np.float64]
        Matrix (3, 3) from linear Rec. 2020.
    """
    return np.linalg.inv(space(name).to_xyz()) @ working_to_xyz()


@cache
def xyz_d50_to_working() -> NDArray[np.float64]:
    """XYZ of D50 to linear Rec. 2020 by Bradford."""
    return np.linalg.inv(working_to_xyz()) @ bradford(D50_XYZ, D65_XYZ)


def encode_srgb(linear: NDArray[Any]) -> NDArray[Any]:
    """Compute the sRGB code (0..1) of linear light 0..1 (IEC 61966-2-1).

    Parameters
    ----------
    linear
        Linear light, 1 = white.

    Returns
    -------
    NDArray
        Linear 0..1 to sRGB code 0..1 (IEC 61966-2-1).
    """
    linear = np.clip(linear, 0, 1)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)


def decode_srgb(code: NDArray[Any]) -> NDArray[Any]:
    """Compute the linear light 0..1 of an sRGB code 0..1 (IEC 61966-2-1).

    Parameters
    ----------
    code
        Picture codes, 0 to 1.

    Returns
    -------
    NDArray
        sRGB code 0..1 to linear 0..1 (IEC 61966-2-1).
    """
    return np.where(code <= 0.04045, code / 12.92, ((np.maximum(code, 0) + 0.055) / 1.055) ** 2.4)


def xyz_to_lab(xyz: NDArray[Any], white: NDArray[Any] = D65_XYZ) -> NDArray[np.float64]:
    """Compute the CIELAB of XYZ (..., 3) (CIE 015:2018).

    Parameters
    ----------
    xyz
        XYZ values (…, 3).
    white
        White point, XYZ.

    Returns
    -------
    NDArray[np.float64]
        CIELAB of XYZ (..., 3) (CIE 015:2018).
    """
    t = np.asarray(xyz, float) / white
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def lightness(luminance: NDArray[Any] | float) -> NDArray[Any]:
    """Compute the CIE L* of relative luminance, 1 = white.

    Parameters
    ----------
    luminance
        Luminance (H, W), linear, 1 = white.

    Returns
    -------
    NDArray
        CIE L* of relative luminance, 1 = white.
    """
    y = np.asarray(luminance, float)
    return np.where(y > (6 / 29) ** 3, 116 * np.cbrt(y) - 16, y * 903.2962963)


def luminance_of(lightness_star: NDArray[Any] | float) -> NDArray[Any]:
    """Compute the relative luminance of CIE L*.

    Parameters
    ----------
    lightness_star
        CIE lightness L*, 0 to 100.

    Returns
    -------
    NDArray
        Relative luminance of CIE L*.
    """
    l = np.asarray(lightness_star, float)
    return np.where(l > 8, ((l + 16) / 116) ** 3, l / 903.2962963)


OKLAB_LMS_FROM_XYZ = np.array(
    [
        [0.8189330101, 0.3618667424, -0.1288597137],
        [0.0329845436, 0.9293118715, 0.0361456387],
        [0.0482003018, 0.2643662691, 0.6338517070],
    ]
)
OKLAB_FROM_LMS = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
"""OKLab (Ottosson 2020), XYZ of D65 to cone response, and its cube root to L, a, b."""


def working_to_lms() -> NDArray[np.float64]:
    """Compute the matrix (3, 3) from linear working space to the cone response of OKLab (Ottosson 2020).

    Returns
    -------
    NDArray[np.float64]
        Matrix on columns of working space; white becomes (1, 1, 1) within 0.0005.
    """
    return OKLAB_LMS_FROM_XYZ @ working_to_xyz()


def picture_to_lab(picture: NDArray[np.uint8], name: str = "srgb") -> NDArray[np.float64]:
    """Compute the CIELAB (D65) of an encoded 8-bit picture (..., 3).

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    name
        Identifier of an output space: srgb, display-p3 or rec2020.

    Returns
    -------
    NDArray[np.float64]
        CIELAB (D65) of an encoded 8-bit picture (..., 3).
    """
    table = decode_srgb(np.arange(256) / 255.0)
    return xyz_to_lab(table[picture] @ space(name).to_xyz().T)


def lowest(rgb: NDArray[Any]) -> NDArray[Any]:
    """Compute the least of three channels (..., 3); many times faster than `min` along the last axis.

    Parameters
    ----------
    rgb
        Linear RGB.

    Returns
    -------
    NDArray
        Least of three channels (..., 3); many times faster than `min` along the last axis.
    """
    return np.minimum(np.minimum(rgb[..., 0], rgb[..., 1]), rgb[..., 2])


def highest(rgb: NDArray[Any]) -> NDArray[Any]:
    """Compute the largest of three channels (..., 3).

    Parameters
    ----------
    rgb
        Linear RGB.

    Returns
    -------
    NDArray
        Largest of three channels (..., 3).
    """
    return np.maximum(np.maximum(rgb[..., 0], rgb[..., 1]), rgb[..., 2])

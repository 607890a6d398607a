"""The look that a camera profile brings: hue and saturation map, local gains, look table and tone curve.

All of it works in linear ROMM RGB of D50 (ISO 22028-2), in the order of DNG 1.7, chapters 5 and 6: the hue and
saturation map belongs to the colour and comes before exposure; the *base look* (local gain table, look table, tone
curve) comes after it. Tables turn hue and scale saturation and value of HSV between their points; the gain table is
read by place and by a weighted sum of the channels under the baseline exposure, whatever the recipe's exposure; the
curve takes the largest and the smallest channel, and the middle one keeps its share between them, so hue stays.
Negative light, which is noise about black, passes around the tables.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.color.spaces import encode_srgb, xyz_d50_to_working
from bruto.container.profile import CameraProfile, HueSatMap
from bruto.container.raw_frame import RawMeta
from bruto.develop.interpolation import natural_spline

ROMM_TO_XYZ_D50 = np.array(
    [[0.7976749, 0.1351917, 0.0313534], [0.2880402, 0.7118741, 0.0000857], [0.0000000, 0.0000000, 0.8252100]]
)
"""Linear ROMM RGB to XYZ of D50 (ISO 22028-2:2013)."""
CURVE_STEPS = 4096
_EMPTY = np.zeros((0, 1, 2, 3), np.float32)


class ProfileLook(NamedTuple):
    """What the point pass needs of a profile; tables of length 0 are absent.

    `to_romm`, `from_romm` (3, 3): working space to ROMM and back; `hue_sat`, `table` (values, hues, saturations, 3);
    `gains` (V, H, N); `weights` (5,) of R, G, B, least and largest; `gamma`; `curve` (CURVE_STEPS + 2,) over the square
    root of light.
    """

    to_romm: NDArray[np.float32]
    from_romm: NDArray[np.float32]
    hue_sat: NDArray[np.float32]
    hue_sat_coded: bool
    """Whether their value axis is sRGB-coded."""
    table: NDArray[np.float32]
    table_coded: bool
    """Whether their value axis is sRGB-coded."""
    gains: NDArray[np.float32]
    place: NDArray[np.float32]
    """Offset and step of x, then of y, from a relative place in the frame to the gain table's points."""
    weights: NDArray[np.float32]
    gamma: float
    curve: NDArray[np.float32]
    code: NDArray[np.float32]
    """The sRGB code over the same axis."""


def curve_table(points: NDArray[Any]) -> NDArray[np.float32]:
    """Compute a profile's tone curve (N, 2) over the square root of light.

    The natural cubic spline through its points (DNG 1.7, ProfileToneCurve), which is held between 0 and 1 and
    never falls.

    Parameters
    ----------
    points
        Points (N, 2), pixels.

    Returns
    -------
    NDArray[np.float32]
        A profile's tone curve (N, 2) over the square root of light.
    """
    x = np.linspace(0, 1, CURVE_STEPS + 1) ** 2
    values = natural_spline(points[:, 0], points[:, 1], np.clip(x, points[0, 0], points[-1, 0]))
    values = np.maximum.accumulate(np.clip(values, 0, 1)).astype(np.float32)
    return np.append(values, values[-1])


def look_of(profile: CameraProfile, hue_sat: HueSatMap | None, meta: RawMeta, base_look: bool) -> ProfileLook | None:
    """Return the tables of a profile, with its hue and saturation map for the light.

    Without its base look where that is dropped.

    None where nothing is left to do.

    Parameters
    ----------
    profile
        Camera profile.
    hue_sat
        Hue and saturation map of the profile.
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    base_look
        Whether the profile's look is used.

    Returns
    -------
    ProfileLook | None
        Tables of a profile, with its hue and saturation map for the light.
    """
    table = profile.look if base_look else None
    gains = profile.gain_table if base_look else None
    curve = profile.tone_curve if base_look else None
    if hue_sat is None and table is None and gains is None and curve is None:
        return None
    from_romm = xyz_d50_to_working() @ ROMM_TO_XYZ_D50
    from_romm /= from_romm.sum(axis=1, keepdims=True)  # its white to the last digit
    place = np.array([0, 1, 0, 1], np.float32)
    grid = np.zeros((0, 1, 1), np.float32)
    if gains is not None:
        grid = gains.gains
        ax, ay, aw, ah = meta.active_area
        x0, y0, w, h = meta.default_crop
        step = np.maximum(np.abs(gains.spacing), 1e-6)
        place = np.array(
            [
                ((x0 - ax) / aw - gains.origin[1]) / step[1],
                w / aw / step[1],
                ((y0 - ay) / ah - gains.origin[0]) / step[0],
                h / ah / step[0],
            ],
            np.float32,
        )
    return ProfileLook(
        np.linalg.inv(from_romm).astype(np.float32),
        from_romm.astype(np.float32),
        _EMPTY if hue_sat is None else np.ascontiguousarray(hue_sat.table),
        hue_sat is not None and hue_sat.encoding == 1,
        _EMPTY if table is None else np.ascontiguousarray(table.table),
        table is not None and table.encoding == 1,
        np.ascontiguousarray(grid),
        place,
        np.array((0, 0, 0, 0, 0) if gains is None else gains.weights, np.float32),
        1.0 if gains is None else float(gains.gamma),
        np.zeros(0, np.float32) if curve is None else curve_table(curve),
        _coded(),
    )


def gains_over(
    look: ProfileLook,
    places: Callable[[NDArray[Any], NDArray[Any]], tuple[NDArray[Any], NDArray[Any]]],
    size: tuple[int, int],
    sensor_size: tuple[int, int],
) -> ProfileLook:
    """Return the look with its gain table over a picture that was turned or warped: read anew on a finer grid.

    Parameters
    ----------
    look
        Look that the camera profile brings.
    places
        From pixels of the picture of a `size` (width, height) to pixels of the recorded frame.
    size
        Width and height, pixels.
    sensor_size
        Width and height of the sensor, pixels.

    Returns
    -------
    ProfileLook
        The look with its gain table over a picture that was turned or warped.
    """
    from scipy.ndimage import map_coordinates  # takes long to import; the window is shown before

    rows, columns = (min(4 * n, 128) for n in look.gains.shape[:2])
    gx, gy = np.meshgrid(np.linspace(0, size[0] - 1, columns), np.linspace(0, size[1] - 1, rows))
    sx, sy = places(gx, gy)
    x = look.place[0] + look.place[1] * (sx + 0.5) / sensor_size[0]
    y = look.place[2] + look.place[3] * (sy + 0.5) / sensor_size[1]
    gains = np.stack(
        [map_coordinates(look.gains[..., k], [y, x], order=1, mode="nearest") for k in range(look.gains.shape[2])],
        axis=2,
    )
    # the new points lie on the picture's corner pixels
    step_x, step_y = (columns - 1) / max(size[0] - 1, 1), (rows - 1) / max(size[1] - 1, 1)
    place = np.array([-0.5 * step_x, size[0] * step_x, -0.5 * step_y, size[1] * step_y], np.float32)
    return look._replace(gains=np.ascontiguousarray(gains, np.float32), place=place)


def no_look() -> ProfileLook:
    """Stands for a look in a pass that uses none."""
    e = np.eye(3, dtype=np.float32)
    grid = np.zeros((0, 1, 1), np.float32)
    rest = np.zeros(4, np.float32), np.zeros(5, np.float32), 1.0, np.zeros(0, np.float32), np.zeros(2, np.float32)
    return ProfileLook(e, e, _EMPTY, False, _EMPTY, False, grid, *rest)


def _coded() -> NDArray[np.float32]:
    code = encode_srgb(np.linspace(0, 1, CURVE_STEPS + 1) ** 2).astype(np.float32)
    return np.append(code, code[-1])


@njit(cache=True, fastmath=True, error_model="numpy")
def _along(table, value):
    """Return a table over the square root of light; beyond 1 its last value."""
    place = np.sqrt(min(max(value, np.float32(0)), np.float32(1))) * np.float32(CURVE_STEPS)
    k = int(place)
    return table[k] + (table[k + 1] - table[k]) * (place - np.float32(k))


@njit(cache=True, fastmath=True, error_model="numpy")
def _light_of_code(code):
    if code <= np.float32(0.04045):
        return code / np.float32(12.92)
    return ((code + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)


@njit(cache=True, fastmath=True, error_model="numpy")
def _mapped(r, g, b, table, coded, code, scale):
    """HSV by a table (values, hues, saturations, 3); `scale`: from this light to the table's value axis."""
    v = max(r, g, b)
    low = min(r, g, b)
    if v <= np.float32(1e-9):
        return r, g, b
    span = v - low
    s = span / v
    h = np.float32(0)
    if span > np.float32(0):
        if v == r:
            h = (g - b) / span
            if h < np.float32(0):
                h += np.float32(6)
        elif v == g:
            h = np.float32(2) + (b - r) / span
        else:
            h = np.float32(4) + (r - g) / span
    values, hues, saturations = table.shape[:3]
    ph = h * np.float32(hues / 6.0)
    h0 = min(int(ph), hues - 1)
    fh = ph - np.float32(h0)
    h1 = h0 + 1 if h0 + 1 < hues else 0
    ps = s * np.float32(saturations - 1)
    s0 = min(int(ps), saturations - 2)
    fs = ps - np.float32(s0)
    limited = min(v * scale, np.float32(1))
    v0, v1, fv = 0, 0, np.float32(0)
    if values > 1:
        pv = (_along(code, limited) if coded else limited) * np.float32(values - 1)
        v0 = min(int(pv), values - 2)
        v1 = v0 + 1
        fv = pv - np.float32(v0)
    turn = np.float32(0)
    s_gain = np.float32(0)
    v_gain = np.float32(0)
    for k in range(8):
        weight = (fv if k & 4 else 1 - fv) * (fh if k & 2 else 1 - fh) * (fs if k & 1 else 1 - fs)
        if weight > np.float32(0):
            vi, hi, si = (v1 if k & 4 else v0), (h1 if k & 2 else h0), (s0 + 1 if k & 1 else s0)
            turn += weight * table[vi, hi, si, 0]
            s_gain += weight * table[vi, hi, si, 1]
            v_gain += weight * table[vi, hi, si, 2]
    h += turn * np.float32(1 / 60.0)
    h -= np.float32(6) * np.floor(h / np.float32(6))
    s = min(max(s * s_gain, np.float32(0)), np.float32(1))
    if coded and values > 1:  # the value's gain counts on the coded axis
        new = _light_of_code(min(_along(code, limited) * v_gain, np.float32(1)))
        v *= new / limited
    else:
        v *= v_gain
    sector = min(int(h), 5)
    f = h - np.float32(sector)
    p, q, t = v * (1 - s), v * (1 - s * f), v * (1 - s * (1 - f))
    if sector == 0:
        return v, t, p
    if sector == 1:
        return q, v, p
    if sector == 2:
        return p, v, t
    if sector == 3:
        return p, q, v
    if sector == 4:
        return t, p, v
    return v, p, q


@njit(cache=True, fastmath=True, error_model="numpy")
def _local_gain(r, g, b, x, y, gains, weights, gamma, scale):
    """Return the gain table at a place (in points) for a pixel."""
    rows, columns, points = gains.shape
    light = weights[0] * r + weights[1] * g + weights[2] * b + weights[3] * min(r, g, b) + weights[4] * max(r, g, b)
    light = min(max(light * scale, np.float32(0)), np.float32(1))
    if gamma != 1.0:
        light = light ** np.float32(gamma)
    at = min(light * np.float32(points), np.float32(points - 1))
    n0 = int(at)
    n1 = min(n0 + 1, points - 1)
    fn = at - np.float32(n0)
    y = min(max(y, np.float32(0)), np.float32(rows - 1))
    x = min(max(x, np.float32(0)), np.float32(columns - 1))
    y0, x0 = int(y), int(x)
    y1, x1 = min(y0 + 1, rows - 1), min(x0 + 1, columns - 1)
    fy, fx = y - np.float32(y0), x - np.float32(x0)
    low = (gains[y0, x0, n0] * (1 - fx) + gains[y0, x1, n0] * fx) * (1 - fy) + (
        gains[y1, x0, n0] * (1 - fx) + gains[y1, x1, n0] * fx
    ) * fy
    high = (gains[y0, x0, n1] * (1 - fx) + gains[y0, x1, n1] * fx) * (1 - fy) + (
        gains[y1, x0, n1] * (1 - fx) + gains[y1, x1, n1] * fx
    ) * fy
    return low + (high - low) * fn


@njit(cache=True, fastmath=True, error_model="numpy")
def _curved(r, g, b, curve):
    high, low = max(r, g, b), min(r, g, b)
    new_high, new_low = _along(curve, high), _along(curve, low)
    span = high - low
    if span <= np.float32(1e-9):
        return new_high, new_high, new_high
    gain = (new_high - new_low) / span
    return new_low + (r - low) * gain, new_low + (g - low) * gain, new_low + (b - low) * gain


@njit(cache=True, fastmath=True, nogil=True, error_model="numpy")
def look_row(x, y, z, v, u0, u_step, look, raw_scale, baseline_scale):
    """Put one row of working-space light through the look, in place.

    Parameters
    ----------
    x
        Red of the working space (n,), changed.
    y
        Green of the working space (n,), changed.
    z
        Blue of the working space (n,), changed.
    v
        Relative height of the row in the frame.
    u0
        Of its first pixel, and from one to the next.
    u_step
        Of its first pixel, and from one to the next.
    look
        Look that the camera profile brings.
    raw_scale
        From this light to that before any exposure.
    baseline_scale
        To that under the baseline exposure.
    """
    m, back = look.to_romm, look.from_romm
    py = look.place[2] + v * look.place[3]
    for j in range(len(x)):
        r = m[0, 0] * x[j] + m[0, 1] * y[j] + m[0, 2] * z[j]
        g = m[1, 0] * x[j] + m[1, 1] * y[j] + m[1, 2] * z[j]
        b = m[2, 0] * x[j] + m[2, 1] * y[j] + m[2, 2] * z[j]
        dr, dg, db = min(r, np.float32(0)), min(g, np.float32(0)), min(b, np.float32(0))
        r, g, b = r - dr, g - dg, b - db
        if look.hue_sat.shape[0]:
            r, g, b = _mapped(r, g, b, look.hue_sat, look.hue_sat_coded, look.code, raw_scale)
        if look.gains.shape[0]:
            px = look.place[0] + (u0 + u_step * np.float32(j)) * look.place[1]
            gain = _local_gain(r, g, b, px, py, look.gains, look.weights, look.gamma, baseline_scale)
            r, g, b = r * gain, g * gain, b * gain
        if look.table.shape[0]:
            r, g, b = _mapped(r, g, b, look.table, look.table_coded, look.code, np.float32(1))
        if look.curve.shape[0]:
            r, g, b = _curved(r, g, b, look.curve)
        r, g, b = r + dr, g + dg, b + db
        x[j] = back[0, 0] * r + back[0, 1] * g + back[0, 2] * b
        y[j] = back[1, 0] * r + back[1, 1] * g + back[1, 2] * b
        z[j] = back[2, 0] * r + back[2, 1] * g + back[2, 2] * b

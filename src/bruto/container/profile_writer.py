"""Camera profiles written: as tags of a DNG, or as a file of their own."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.container.ifd import write_ifd
from bruto.container.profile import (
    CALIBRATION,
    COLOR,
    DCP_MAGIC,
    FORWARD,
    HUE_SAT_DATA,
    ILLUMINANT,
    CameraProfile,
    GainTableMap,
)


def gain_table_body(table: GainTableMap, order: str, version: int = 1, kind: int = 3) -> bytes:
    """Return the body of tag 52525 or 52544 as `parse_gain_table` reads it.

    `kind` of version 2: 0 to 3 are 8 bit, 16 bit, half and single.

    Parameters
    ----------
    table
        The gain table.
    order
        Byte order, "<" or ">".
    version
        Version of the table.
    kind
        Data type by its TIFF number.

    Returns
    -------
    bytes
        Body of tag 52525 or 52544 as `parse_gain_table` reads it.
    """
    v, h, n = table.gains.shape
    head = struct.pack(order + "2I4dI5f", v, h, *table.spacing, *table.origin, n, *table.weights)
    if version == 1:
        return head + table.gains.astype(order + "f4").tobytes()
    low, high = float(table.gains.min()), float(table.gains.max())
    gains: NDArray[Any] = table.gains
    if kind < 2:
        full = (1 << (8 * (kind + 1))) - 1
        gains = np.rint((gains - low) / max(high - low, 1e-9) * full)
    body = gains.astype(order + ("u1", "u2", "f2", "f4")[kind]).tobytes()
    return head + struct.pack(order + "I3f", kind, table.gamma, low, high) + body


def _rationals(values: Any) -> list[int]:
    return [n for v in np.ravel(values) for n in (round(float(v) * 1_000_000), 1_000_000)]


def profile_entries(profile: CameraProfile, order: str) -> list[tuple[int, int, Any]]:
    """Return the directory entries of a profile, for files and embedded ones.

    Parameters
    ----------
    profile
        Camera profile.
    order
        Byte order, "<" or ">".

    Returns
    -------
    list[tuple[int, int, Any]]
        Directory entries of a profile, for files and embedded ones.
    """
    entries: list[tuple[int, int, Any]] = [(50936, 2, profile.name.encode() + b"\0")]
    for tag, text in ((50932, profile.signature), (50942, profile.copyright)):
        if text:
            entries.append((tag, 2, text.encode() + b"\0"))
    for k, c in enumerate(profile.calibrations[:3]):
        entries += [(COLOR[k], 10, _rationals(c.color)), (ILLUMINANT[k], 3, [c.illuminant])]
        if c.forward is not None:
            entries.append((FORWARD[k], 10, _rationals(c.forward)))
        if c.camera_calibration is not None:
            entries.append((CALIBRATION[k], 10, _rationals(c.camera_calibration)))
    for k, m in enumerate(profile.hue_sat):
        values, hues, saturations = m.table.shape[:3]
        if k == 0:
            entries += [(50937, 4, [hues, saturations, values]), (51107, 4, [m.encoding])]
        entries.append((HUE_SAT_DATA[k], 11, m.table.ravel()))
    if profile.look is not None:
        values, hues, saturations = profile.look.table.shape[:3]
        entries += [
            (50981, 4, [hues, saturations, values]),
            (50982, 11, profile.look.table.ravel()),
            (51108, 4, [profile.look.encoding]),
        ]
    if profile.tone_curve is not None:
        entries.append((50940, 11, np.asarray(profile.tone_curve, np.float32).ravel()))
    if profile.gain_table is not None:
        version = 1 if profile.gain_table.gamma == 1 else 2
        entries.append((52525 if version == 1 else 52544, 7, gain_table_body(profile.gain_table, order, version)))
    if profile.baseline_offset:
        entries.append((51109, 10, _rationals(profile.baseline_offset)))
    return entries


def profile_bytes(profile: CameraProfile, order: str = "<") -> bytes:
    """Return a profile as a `.dcp` file holds it, and as it is embedded.

    Parameters
    ----------
    profile
        Camera profile.
    order
        Byte order, "<" or ">".

    Returns
    -------
    bytes
        A profile as a `.dcp` file holds it, and as it is embedded.
    """
    mark = b"II" if order == "<" else b"MM"
    head = mark + struct.pack(order + "HI", DCP_MAGIC, 8)
    return head + write_ifd(profile_entries(profile, order), order, 8)

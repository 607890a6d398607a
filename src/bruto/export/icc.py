"""ICC profiles of the output spaces, built from their primaries.

ICC.1:2022, version 4 matrix / TRC display profiles.
"""

from __future__ import annotations

import struct
from functools import cache

import numpy as np

from bruto.color.adaptation import bradford
from bruto.color.spaces import D65_XYZ, space

ICC_D50 = np.array([0.9642, 1.0, 0.8249])
"""The illuminant of the profile connection space (ICC.1:2022, 7.2.16): its bytes are prescribed."""


def _s15(values) -> bytes:
    return b"".join(struct.pack(">i", round(float(v) * 65536)) for v in np.ravel(values))


def _text(text: str) -> bytes:
    data = text.encode("utf-16-be")
    return b"mluc" + bytes(4) + struct.pack(">2I", 1, 12) + b"enUS" + struct.pack(">2I", len(data), 28) + data


@cache
def profile(name: str) -> bytes:
    """Return the ICC profile of a colour space.

    "srgb", "display-p3" and "rec2020" have the sRGB curve, "linear" the Rec. 2020 primaries and a straight curve.

    Parameters
    ----------
    name
        Identifier of the space.

    Returns
    -------
    bytes
        The profile, as it is embedded in files.
    """
    linear = name == "linear"
    chosen = space("rec2020" if linear else name)
    adapt = bradford(D65_XYZ, ICC_D50)
    columns = adapt @ chosen.to_xyz()
    if linear:
        curve = b"para" + bytes(4) + struct.pack(">2H", 0, 0) + _s15([1.0])
    else:
        # IEC 61966-2-1 as parametric curve type 3: g, a, b, c, d
        curve = (
            b"para" + bytes(4) + struct.pack(">2H", 3, 0) + _s15([2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045])
        )
    kind = " linear" if linear else (" with sRGB curve" if name == "rec2020" else "")
    title = chosen.title + kind
    xyz = b"XYZ " + bytes(4)
    tags = [
        (b"desc", _text(title)),
        (b"cprt", _text("No copyright, use freely")),
        (b"wtpt", xyz + _s15(ICC_D50)),
        (b"chad", b"sf32" + bytes(4) + _s15(adapt)),
        *((tag, xyz + _s15(columns[:, k])) for k, tag in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))),
        (b"rTRC", curve),
        (b"gTRC", curve),
        (b"bTRC", curve),
    ]
    table, body = struct.pack(">I", len(tags)), b""
    start = 128 + 4 + 12 * len(tags)
    for tag, data in tags:
        table += tag + struct.pack(">2I", start + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    size = start + len(body)
    header = struct.pack(">I4sI4s4s4s", size, bytes(4), 0x04400000, b"mntr", b"RGB ", b"XYZ ")
    header += (
        struct.pack(">6H", 2026, 1, 1, 0, 0, 0)
        + b"acsp"
        + bytes(4 * 4)
        + bytes(8)
        + struct.pack(">I", 0)
        + _s15(ICC_D50)
        + bytes(4 + 16 + 28)
    )
    return header + table + body

"""What Bruto says of a merged raw in the file's private data (DNG 1.7, tag DNGPrivateData): how it was merged."""

from __future__ import annotations

from typing import Any

import numpy as np

from bruto.container.capture_facts import text_of

TAG = 50740
_HEAD = b"Bruto\0merged="
_WORDS = ("mean of", "median of", "bracket of")
"""How descriptions began in files that were merged before there was the tag."""


def private_of(merged: str) -> bytes:
    """Return the private data that say how a file was merged, as "mean of 8 frames".

    Parameters
    ----------
    merged
        How the frames were merged.

    Returns
    -------
    bytes
        Private data that say how a file was merged, as "mean of 8 frames".

    Examples
    --------
    >>> merged_of(private_of("mean of 8 frames"))
    'mean of 8 frames'
    """
    return _HEAD + merged.encode("utf-8", "replace")


def merged_of(value: Any, software: str = "", description: str = "") -> str:
    """Say how a file was merged, from its private data; "" of any other file.

    Parameters
    ----------
    value
        Value as stored.
    software
        Software that wrote the file.
    description
        Description in the file.

    Returns
    -------
    str
        How a file was merged, from its private data.
    """
    if isinstance(value, np.ndarray) and value.dtype == np.uint8:
        value = value[:400].tobytes()
    if isinstance(value, list | tuple):
        value = bytes(v for v in value[:400] if isinstance(v, int) and 0 <= v < 256)
    if isinstance(value, bytes | bytearray) and bytes(value).startswith(_HEAD):
        return text_of(bytes(value)[len(_HEAD) : 400])
    if software.startswith("Bruto ") and description.startswith(_WORDS):
        return description.split(":")[0]
    return ""

"""Decoding one strip or tile of a raw image, whatever its compression, with its size checked before memory is taken."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import FileProblem

NONE, LOSSLESS_JPEG, DEFLATE, OLD_DEFLATE, LOSSY_JPEG, JPEG_XL = 1, 7, 8, 32946, 34892, 52546
"""TIFF Compression (TIFF 6.0; DNG 1.7, chapter 3)."""
COMPRESSIONS = {
    NONE: "none",
    LOSSLESS_JPEG: tr("lossless JPEG"),
    DEFLATE: "deflate",
    OLD_DEFLATE: "deflate",
    LOSSY_JPEG: tr("lossy JPEG"),
    JPEG_XL: tr("JPEG XL"),
}
PREDICTOR_STEP = {2: 1, 3: 1, 34892: 2, 34893: 4, 34894: 2, 34895: 4}
"""Distance of differences: TIFF 6.0 predictor 2, TIFF Technical Note 3 predictor 3, DNG 1.7 X2 and X4 forms of both."""
_FLOATING_PREDICTORS = (3, 34894, 34895)


@dataclass(frozen=True)
class SegmentLayout:
    """How the samples of a segment are stored.

    `bits` a sample; `samples` a pixel (1 or 3).
    """

    compression: int
    bits: int
    samples: int
    floating: bool = False
    """IEEE numbers."""
    byteorder: str = "<"
    """"<" or ">"."""
    predictor: int = 1
    """Tag 317."""
    interleave: tuple[int, int] = (1, 1)
    """Row and column factors of DNG 1.7 (tags 50975, 52547), applied within a segment."""

    @property
    def dtype(self) -> np.dtype:
        """Of decoded samples, native byte order."""
        if self.floating:
            return np.dtype(np.float16 if self.bits == 16 else np.float32)
        return np.dtype(np.uint8 if self.bits <= 8 else np.uint16)


def decode_segment(data: bytes, layout: SegmentLayout, rows: int, columns: int) -> NDArray[Any]:
    """Compute (rows, columns) or (rows, columns, 3) samples.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    layout
        How the samples are stored.
    rows
        Number of rows.
    columns
        Number of columns.

    Returns
    -------
    NDArray
        (rows, columns) or (rows, columns, 3) samples.

    Raises
    ------
    FileProblem
        Codecs raise errors of their own.
    """
    if layout.compression == NONE:
        decoded = _plain(data, layout, rows, columns)
    elif layout.compression in (DEFLATE, OLD_DEFLATE):
        decoded = _plain(_inflated(data, layout, rows, columns), layout, rows, columns)
    elif layout.compression == LOSSLESS_JPEG:
        decoded = _lossless(data, layout.samples)
    elif layout.compression == LOSSY_JPEG:
        decoded = imagecodecs.jpeg8_decode(data)
    else:
        decoded = imagecodecs.jpegxl_decode(data)
    shape = (rows, columns) if layout.samples == 1 else (rows, columns, layout.samples)
    if layout.samples == 1 and decoded.size == rows * columns:
        decoded = decoded.reshape(shape)  # two interleaved components come as half the columns twice
    if decoded.ndim != len(shape) or any(have < want for have, want in zip(decoded.shape, shape, strict=True)):
        raise FileProblem(tr("it has the wrong size"))
    decoded = decoded[:rows, :columns]
    return _woven(decoded, layout.interleave) if layout.interleave != (1, 1) else decoded


def _lossless(data: bytes, samples: int) -> NDArray[Any]:
    """Compute the samples of a lossless JPEG.

    The quicker decoder cannot read some valid streams, such as those of a single row.
    """
    if samples == 1:
        try:
            return imagecodecs.ljpeg_decode(data)
        except imagecodecs.LjpegError:
            pass
    return imagecodecs.jpeg8_decode(data)


def _row_bytes(layout: SegmentLayout, columns: int) -> int:
    return (columns * layout.samples * layout.bits + 7) // 8


def _inflated(data: bytes, layout: SegmentLayout, rows: int, columns: int) -> bytes:
    """Deflate without letting a bomb unfold: no more than the segment can hold."""
    expected = rows * _row_bytes(layout, columns)
    return zlib.decompressobj().decompress(data, expected)


def _plain(data: bytes, layout: SegmentLayout, rows: int, columns: int) -> NDArray[Any]:
    """Compute the samples stored as numbers or packed bits, differences undone."""
    need = rows * _row_bytes(layout, columns)
    if len(data) < need:
        raise FileProblem(tr("it holds {data_count} bytes where {need} are needed", data_count=len(data), need=need))
    shape = (rows, columns, layout.samples)
    data = data[:need]
    step = PREDICTOR_STEP.get(layout.predictor, 0)
    if layout.floating and layout.predictor in _FLOATING_PREDICTORS:
        if layout.bits not in (16, 32):
            raise FileProblem(
                tr("{bits}-bit floating point with differences is a form Bruto does not read", bits=layout.bits)
            )
        # the predictor stores bytes from the most significant on, whatever the file's order
        stored = np.frombuffer(data, f">f{layout.bits // 8}").reshape(shape)
        found = imagecodecs.floatpred_decode(stored, axis=-2, dist=step).astype(layout.dtype)
    elif layout.floating and layout.bits == 24:
        found = imagecodecs.float24_decode(data, byteorder=">" if layout.byteorder == ">" else "<").reshape(shape)
    elif layout.bits in (8, 16, 32):
        kind = "f" if layout.floating else "u"
        found = np.frombuffer(data, f"{layout.byteorder}{kind}{layout.bits // 8}").reshape(shape)
        found = found.astype(found.dtype.newbyteorder("="))
    else:  # packed, most significant bit first, rows filled up to whole bytes
        packed = imagecodecs.packints_decode(data, layout.dtype, layout.bits, runlen=columns * layout.samples)
        found = packed.reshape(shape)
    if step and layout.predictor not in _FLOATING_PREDICTORS:
        found = found.copy()
        for k in range(step):  # differences wrap around, as they were made
            found[:, k::step] = np.cumsum(found[:, k::step], axis=1, dtype=found.dtype)
    return found[..., 0] if layout.samples == 1 else found


def _woven(fields: NDArray[Any], interleave: tuple[int, int]) -> NDArray[Any]:
    """Rows and columns put back between each other: fields are stored one after the other."""
    out = fields
    for axis, factor in enumerate(interleave):
        if factor <= 1:
            continue
        target = np.empty_like(out)
        start = 0
        for k in range(factor):
            place: list[slice] = [slice(None)] * out.ndim
            place[axis] = slice(k, None, factor)
            count = target[tuple(place)].shape[axis]
            source: list[slice] = [slice(None)] * out.ndim
            source[axis] = slice(start, start + count)
            target[tuple(place)] = out[tuple(source)]
            start += count
        out = target
    return out

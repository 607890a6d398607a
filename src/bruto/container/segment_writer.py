"""Coding the samples of a raw image into strips or tiles, in every form that `segments` decodes."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from bruto.container.segments import DEFLATE, JPEG_XL, LOSSLESS_JPEG, LOSSY_JPEG, NONE, PREDICTOR_STEP
from bruto.parallel import map_threads

TILE = 256


@dataclass(frozen=True)
class SampleStorage:
    """How samples are stored; see `segments.SegmentLayout`.

    `components` of a lossless JPEG (a mosaic may be coded as two); `lossless` False codes JPEG XL with loss.
    """

    compression: int = LOSSLESS_JPEG
    bits: int = 16
    tile: tuple[int, int] | None = (TILE, TILE)
    """Rows and columns, None for strips of `strip_rows`."""
    strip_rows: int = 32
    byteorder: str = "<"
    predictor: int = 1
    components: int = 1
    lossless: bool = True
    floating: bool = False
    interleave: tuple[int, int] = (1, 1)
    big: bool = False
    """BigTIFF."""
    sub_ifd: bool = True
    """The raw image stands in a sub-IFD, the preview in IFD 0."""

    @staticmethod
    def usual(codes: NDArray[Any], bits: int) -> SampleStorage:
        """Return the lossless JPEG for integers, deflate with the floating-point predictor for floats.

        Parameters
        ----------
        codes
            Stored codes.
        bits
            Bits per sample.

        Returns
        -------
        SampleStorage
            Lossless JPEG for integers, deflate with the floating-point predictor for floats.
        """
        if codes.dtype.kind == "f":
            return SampleStorage(DEFLATE, codes.dtype.itemsize * 8, predictor=3, floating=True)
        return SampleStorage(LOSSLESS_JPEG, bits, components=1 if codes.ndim == 2 else 3)


def encode_segments(codes: NDArray[Any], how: SampleStorage) -> list[bytes]:
    """Return the coded strips or tiles in row order; ragged tiles are filled by repetition.

    Works on all cores.

    Parameters
    ----------
    codes
        Stored codes.
    how
        How samples are stored; by default the usual way.

    Returns
    -------
    list[bytes]
        Coded strips or tiles in row order.
    """
    h, w = codes.shape[:2]
    th, tw = how.tile or (how.strip_rows, w)
    places = [(y, x) for y in range(0, h, th) for x in range(0, w, tw)]

    def code(place: tuple[int, int]) -> bytes:
        y, x = place
        part = codes[y : y + th, x : x + tw]
        if how.tile is not None:
            missing = [(0, th - part.shape[0]), (0, tw - part.shape[1])] + [(0, 0)] * (codes.ndim - 2)
            if missing[0][1] or missing[1][1]:
                part = np.pad(part, missing, mode="edge")
        return encode_segment(np.ascontiguousarray(part), how)

    return map_threads(code, places)


def encode_segment(part: NDArray[Any], how: SampleStorage) -> bytes:
    """Return one segment of (rows, columns) or (rows, columns, 3) samples.

    Parameters
    ----------
    part
        Samples of the strip or tile.
    how
        How samples are stored; by default the usual way.

    Returns
    -------
    bytes
        One segment of (rows, columns) or (rows, columns, 3) samples.
    """
    if how.interleave != (1, 1):
        for axis, factor in enumerate(how.interleave):
            fields = [np.take(part, range(k, part.shape[axis], factor), axis) for k in range(factor)]
            part = np.ascontiguousarray(np.concatenate(fields, axis))
    if how.compression == NONE:
        return _numbers(part, how)
    if how.compression == DEFLATE:
        return _deflated(part, how)
    if how.compression == JPEG_XL:
        options = {"lossless": True} if how.lossless else {"distance": 0.3}
        return bytes(imagecodecs.jpegxl_encode(part, **options))
    if how.compression == LOSSY_JPEG:
        return bytes(imagecodecs.jpeg8_encode(part, level=98))
    if part.ndim == 2 and how.components == 1:
        return bytes(imagecodecs.ljpeg_encode(part, bitspersample=how.bits))
    shaped = part if part.ndim == 3 else part.reshape(part.shape[0], -1, how.components)
    space = "rgb" if how.components == 3 else "unknown"
    coded = imagecodecs.jpeg8_encode(
        shaped, lossless=True, predictor=1, bitspersample=how.bits, colorspace=space, outcolorspace=space
    )
    return bytes(coded)


def _numbers(part: NDArray[Any], how: SampleStorage) -> bytes:
    if how.floating and how.bits == 24:
        single = part.astype(np.float32)
        return bytes(imagecodecs.float24_encode(single, byteorder="<" if how.byteorder == "<" else ">"))
    if how.bits in (8, 16, 32):
        return part.astype(part.dtype.newbyteorder(how.byteorder)).tobytes()  # type: ignore[arg-type]
    return bytes(imagecodecs.packints_encode(part.ravel(), how.bits, runlen=part.size // part.shape[0]))


def _deflated(part: NDArray[Any], how: SampleStorage) -> bytes:
    cube = part if part.ndim == 3 else part[..., None]
    step = PREDICTOR_STEP.get(how.predictor, 0)
    if how.floating and step:
        big = np.ascontiguousarray(cube.astype(cube.dtype.newbyteorder(">")))
        return zlib.compress(bytes(imagecodecs.floatpred_encode(big, axis=-2, dist=step)), 6)
    if step:
        difference = cube.copy()
        difference[:, step:] = cube[:, step:] - cube[:, :-step]
        cube = difference
    return zlib.compress(_numbers(cube, how), 6)

"""Writing DNG files: mosaics and linear frames, in every form in which they are read, with preview, colour.

Profiles, masks, corrections, Exif and place.

Structure: IFD 0 holds the JPEG preview and the tags of the whole file, a sub-IFD the raw image in tiles, others the
masks; or, where asked, IFD 0 holds the raw image and a sub-IFD the preview. Pixels come last, so that a file cut short
is always noticed.
"""

from __future__ import annotations

import io
import struct
from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bruto.container.dng_tags import LONG, SHORT, DngTags, Entry, file_entries, raw_entries
from bruto.container.exif_ifd import exif_entries, gps_entries
from bruto.container.ifd import write_ifd
from bruto.container.profile_writer import profile_bytes
from bruto.container.raw_frame import SemanticMask
from bruto.container.segment_writer import SampleStorage, encode_segments
from bruto.container.segments import LOSSLESS_JPEG, LOSSY_JPEG
from bruto.storage.atomic_write import Target, published

LONG8 = 16
__all__ = ["DngTags", "SampleStorage", "write_dng"]


def _jpeg(preview: NDArray[np.uint8]) -> bytes:
    stream = io.BytesIO()
    Image.fromarray(preview).save(stream, "JPEG", quality=88, subsampling=0)
    return stream.getvalue()


def _raw_image(codes: NDArray[Any], how: SampleStorage) -> list[Entry]:
    height, width = codes.shape[:2]
    samples = 1 if codes.ndim == 2 else 3
    found: list[Entry] = [
        (254, LONG, [0]),
        (256, LONG, [width]),
        (257, LONG, [height]),
        (258, SHORT, [how.bits] * samples),
        (259, SHORT, [how.compression]),
        (262, SHORT, [32803 if samples == 1 else 34892]),
        (277, SHORT, [samples]),
        (284, SHORT, [1]),
        (339, SHORT, [3 if how.floating else 1] * samples),
    ]
    if how.predictor != 1:
        found.append((317, SHORT, [how.predictor]))
    if how.interleave != (1, 1):
        found += [(50975, LONG, [how.interleave[0]]), (52547, LONG, [how.interleave[1]])]
    if how.tile is None:
        found.append((278, LONG, [how.strip_rows]))
    else:
        found += [(322, LONG, [how.tile[1]]), (323, LONG, [how.tile[0]])]
    return found


def _preview_image(preview: NDArray[np.uint8]) -> list[Entry]:
    h, w = preview.shape[:2]
    return [
        (254, LONG, [1]),
        (256, LONG, [w]),
        (257, LONG, [h]),
        (258, SHORT, [8, 8, 8]),
        (259, SHORT, [LOSSLESS_JPEG]),  # the same number stands for baseline JPEG
        (262, SHORT, [6]),
        (277, SHORT, [3]),
        (278, LONG, [h]),
        (284, SHORT, [1]),
        (530, SHORT, [1, 1]),
    ]


def _mask_image(mask: SemanticMask) -> list[Entry]:
    return [
        (254, LONG, [0x10004]),
        (256, LONG, [mask.width]),
        (257, LONG, [mask.height]),
        (258, SHORT, [8]),
        (259, SHORT, [LOSSY_JPEG]),
        (262, SHORT, [52527]),
        (277, SHORT, [1]),
        (278, LONG, [mask.height]),
        (284, SHORT, [1]),
        (52526, 2, mask.name.encode() + b"\0"),
    ]


def _version(tags: DngTags, how: SampleStorage) -> int:
    """Least minor version of a reader: half floats came with 1.4, masks and local gains with 1.6, JPEG XL with 1.7."""
    if how.compression == 52546:
        return 7
    if tags.masks or len(tags.calibrations) > 2 or (tags.profile is not None and tags.profile.gain_table is not None):
        return 6
    return 4 if how.floating or how.compression in (8, 34892) else 3


def write_dng(
    path: Target | str | Path,
    codes: NDArray[Any],
    tags: DngTags,
    preview: NDArray[np.uint8],
    how: SampleStorage | None = None,
) -> None:
    """Write a DNG: samples, their description, and a preview.

    Parameters
    ----------
    path
        File to read.
    codes
        (H, W) mosaic or (H, W, 3) linear, uint8, uint16, or float16 / float32 where 1.0 is saturation.
    tags
        Tags to write.
    preview
        (h, w, 3) uint8 sRGB.
    how
        How samples are stored; by default the usual way.

    Raises
    ------
    FileProblem
        Where the file cannot be written; nothing is left behind then.
    """
    if how is None:
        how = SampleStorage.usual(codes, tags.bits)
    order, big = how.byteorder, how.big
    word = LONG8 if big else LONG
    parts, jpeg = encode_segments(codes, how), _jpeg(preview)
    shown = [m for m in tags.masks if m.data is not None]
    masks = [bytes(imagecodecs.jpeg8_encode(np.ascontiguousarray(m.data), level=90)) for m in shown]
    profiles = [profile_bytes(p, order) for p in tags.extra_profiles]
    raw = _raw_image(codes, how) + raw_entries(tags, codes.shape, order)
    common = file_entries(tags, order, _version(tags, how))
    offsets, counts = (273, 279) if how.tile is None else (324, 325)

    def built(at: dict[str, int]) -> list[tuple[str, bytes]]:
        """All directories for the places of everything; called twice, as their sizes do not depend on the places."""
        starts = np.cumsum([0, *[len(p) for p in parts[:-1]]]) + at.get("parts", 0)
        image = [*raw, (offsets, word, starts), (counts, word, [len(p) for p in parts])]
        picture = [*_preview_image(preview), (273, word, [at.get("jpeg", 0)]), (279, word, [len(jpeg)])]
        children = [at.get(f"child{k}", 0) for k in range(1 + len(masks))]
        first = [*common, (330, 13 if not big else LONG8, children), (34665, word, [at.get("exif", 0)])]
        if tags.gps is not None:
            first.append((34853, word, [at.get("gps", 0)]))
        if profiles:
            first.append((50933, LONG, [at.get(f"profile{k}", 0) for k in range(len(profiles))]))
        bodies = [("ifd0", first + (picture if how.sub_ifd else image)), ("child0", image if how.sub_ifd else picture)]
        for k, (mask, blob) in enumerate(zip(shown, masks, strict=True)):
            strip = [(273, word, [at.get(f"mask{k}", 0)]), (279, word, [len(blob)])]
            bodies.append((f"child{k + 1}", _mask_image(mask) + strip))
        bodies.append(("exif", exif_entries(tags)))
        if tags.gps is not None:
            bodies.append(("gps", gps_entries(tags.gps)))
        return [(name, write_ifd(entries, order, at.get(name, 0), big)) for name, entries in bodies]

    head = (b"II" if order == "<" else b"MM") + (
        struct.pack(order + "3HQ", 43, 8, 0, 16) if big else struct.pack(order + "HI", 42, 8)
    )
    at: dict[str, int] = {}
    place = len(head)
    for name, body in built({}):
        at[name] = place
        place += len(body) + len(body) % 2
    for name, body in (
        *((f"profile{k}", b) for k, b in enumerate(profiles)),
        *((f"mask{k}", b) for k, b in enumerate(masks)),
        ("jpeg", jpeg),
    ):
        at[name] = place
        place += len(body) + len(body) % 2
    at["parts"] = place
    with published(path) as temporary, temporary.open("wb") as stream:
        stream.write(head)
        for body in (*(b for _, b in built(at)), *profiles, *masks, jpeg):
            stream.write(body + b"\0" * (len(body) % 2))
        stream.writelines(parts)

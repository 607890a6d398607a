"""Finished pictures in: the phone's JPEG, HEIC, AVIF, PNG or TIFF, with orientation and colour profile."""

from __future__ import annotations

import contextlib
import ctypes
import functools
import io
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps

from bruto.catalog import tr
from bruto.container.capture_facts import ZOOM, CaptureFacts, believed, text_of
from bruto.container.exif_tags import EXIF_IFD, MODIFIED, ORIENTATION, ZOOM_RATIO, captured
from bruto.container.raw_frame import RawMeta
from bruto.errors import BrutoError, FileProblem
from bruto.storage.safe_read import available_memory, check_readable, open_regular

PICTURE_SUFFIXES = {".jpg", ".jpeg", ".heic", ".heif", ".hif", ".avif", ".png", ".tif", ".tiff"}
PICTURE_KINDS = "JPEG, HEIC, AVIF, PNG, TIFF"
_HEIF = {".heic", ".heif", ".hif"}
_GAIN_MAP_MARKS = (b"hdrgm:", b"iso:std:iso:ts:21496", b"HDRGainMap", b"hdrgainmap")
"""What announces a gain map for bright screens (ISO 21496-1 and its forerunners), near the head of a file."""
_HEAD_BYTES = 1 << 18
_FORMATS = ("JPEG", "PNG", "TIFF", "AVIF")
"""Decoders that a file may reach; the library has many more."""
MAX_PIXELS = 400_000_000
MAX_EDGE = 65_500
"""Pixels along a side at most; JPEG ends there."""
Image.MAX_IMAGE_PIXELS = MAX_PIXELS
warnings.filterwarnings("ignore", category=UserWarning, module=r"PIL\.")  # damaged Exif is no news to the user


@dataclass(frozen=True)
class PictureFacts(CaptureFacts):
    """What a picture file says of itself."""

    profile: str
    """Name of its colour profile."""
    size: tuple[int, int]
    """Width and height as looked at."""
    kind: str
    modified: str = ""
    """When a program last changed it."""
    zoom: float | None = None
    gain_map: bool = False
    """Whether it brings a gain map for bright screens."""
    xmp: bytes = field(default=b"", repr=False)
    exif: bytes = field(default=b"", repr=False)


@dataclass(frozen=True)
class PictureFile(PictureFacts):
    """A decoded picture: `pixels` (H, W, 3) uint8 in sRGB, oriented, and what its Exif says."""

    pixels: NDArray[np.uint8] = field(default_factory=lambda: np.zeros((0, 0, 3), np.uint8), repr=False)


def is_picture(path: str | Path) -> bool:
    """Whether a file's name says it is a finished picture."""
    return Path(path).suffix.lower() in PICTURE_SUFFIXES


def decode_jpeg(data: bytes, edge: int | None = None) -> NDArray[np.uint8]:
    """Compute the pixels (H, W, 3) of an embedded preview, at no less than `edge` pixels where that is quicker.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    edge
        Long edge, pixels.

    Returns
    -------
    NDArray[np.uint8]
        Pixels (H, W, 3) of an embedded preview, at no less than `edge` pixels where that is quicker.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            if edge:
                image.draft("RGB", (edge, edge))
            return np.asarray(ImageOps.exif_transpose(image).convert("RGB"))
    except Exception as error:
        raise FileProblem(tr("the embedded preview cannot be decoded; it is damaged.")) from error


@contextmanager
def _open(path: Path) -> Iterator[Image.Image]:
    """Return a picture opened by a stream of its own.

    Given a name, the library would map the file into memory, which ends the process where it becomes shorter
    meanwhile.
    """
    formats = list(_FORMATS)
    with open_regular(path) as stream:
        head = stream.read(12)
        if path.suffix.lower() in _HEIF or (head[4:8] == b"ftyp" and head[8:12] not in (b"avif", b"avis")):
            import pillow_heif  # slow to import, and few folders need it

            pillow_heif.register_heif_opener()
            formats.append("HEIF")
        stream.seek(0)
        _check_claim(path, stream)
        with Image.open(stream, formats=formats) as image:
            w, h = image.size
            if not (0 < w <= MAX_EDGE and 0 < h <= MAX_EDGE):
                raise FileProblem(
                    tr(
                        "{path} claims {w} × {h} pixels, more than can be real; the file is damaged.",
                        path=path,
                        w=w,
                        h=h,
                    )
                )
            yield image


BYTES_DECODED = 14
"""Memory that decoding a pixel takes at most: as stored, turned and as RGB."""


def check_memory(path: str | Path, pixels: int, bytes_per_pixel: int) -> None:
    """Refuse a picture that does not fit into the memory that is free now.

    Parameters
    ----------
    path
        File to read.
    pixels
        Number of pixels.
    bytes_per_pixel
        Bytes that decoding needs per pixel.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    need, free = pixels * bytes_per_pixel, available_memory()
    if need > 0.8 * free:
        raise FileProblem(
            tr(
                "reading {path} needs about {need:.1f} GB of memory and {free:.1f} GB are free. Close other "
                "programs, or check whether the file is damaged.",
                path=path,
                need=need / 1000000000.0,
                free=free / 1000000000.0,
            )
        )


@functools.cache
def _quiet_tiff_library() -> None:
    """Keep the library that decodes TIFF for Pillow from printing its complaints on stderr.

    Ours is one line, and says more.
    """
    with contextlib.suppress(OSError, AttributeError):
        for line in Path("/proc/self/maps").read_text().splitlines():
            if "libtiff" in line:
                library = ctypes.CDLL(line.split(maxsplit=5)[5])
                library.TIFFSetErrorHandler(None)
                library.TIFFSetWarningHandler(None)
                return


def _check_claim(path: Path, stream: BinaryIO) -> None:
    """Every part that a TIFF lists must lie in the file, before anything is decoded; raises `FileProblem`."""
    if path.suffix.lower() not in (".tif", ".tiff"):
        return
    _quiet_tiff_library()
    size = stream.seek(0, 2)
    stream.seek(0)
    try:
        with tifffile.TiffFile(stream) as tif:
            page = tif.pages[0]
            parts = list(zip(page.dataoffsets, page.databytecounts, strict=False))
            w, h = int(page.imagewidth), int(page.imagelength)
    except Exception as error:  # a damaged structure can fail anywhere in the library
        raise FileProblem(tr("{path} is damaged: its structure cannot be read. Copy it again.", path=path)) from error
    finally:
        stream.seek(0)
    if w > MAX_EDGE or h > MAX_EDGE:
        raise FileProblem(
            tr("{path} claims {w} × {h} pixels, more than can be real; the file is damaged.", path=path, w=w, h=h)
        )
    if not parts or any(offset + count > size for offset, count in parts):
        raise FileProblem(tr("{path} is cut short: part of the picture is missing. Copy it again.", path=path))


def _facts(path: Path, image: Image.Image) -> PictureFacts:
    exif = image.getexif()
    sub = exif.get_ifd(EXIF_IFD)
    icc = image.info.get("icc_profile")
    name = "sRGB (assumed)"
    if icc:
        try:
            name = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(icc))).strip() or "embedded"
        except (OSError, ImageCms.PyCMSError):
            name = "damaged; sRGB assumed"
    facts = captured(exif.get, sub.get)
    facts["software"] = facts["software"] or text_of(image.info.get("Software"))
    turned = exif.get(ORIENTATION, 1) in (5, 6, 7, 8)
    xmp = image.info.get("xmp", b"")
    with open_regular(path) as stream:
        head = stream.read(_HEAD_BYTES)
    aux = image.info.get("aux", {})
    return PictureFacts(
        name,
        (image.height, image.width) if turned else (image.width, image.height),
        str(image.format or path.suffix[1:]).upper(),
        **facts,
        modified=text_of(exif.get(MODIFIED)),
        zoom=believed(sub.get(ZOOM_RATIO), ZOOM),
        gain_map=any(mark in head for mark in _GAIN_MAP_MARKS) or any("gainmap" in str(k).lower() for k in aux),
        xmp=xmp.encode() if isinstance(xmp, str) else bytes(xmp),
        exif=image.info.get("exif", b""),
    )


@contextmanager
def _explained(path: Path) -> Iterator[None]:
    """Whatever goes wrong inside becomes one `FileProblem`."""
    try:
        yield
    except BrutoError:
        raise
    except Image.DecompressionBombError as error:
        raise FileProblem(tr("{path} claims more pixels than can be real; the file is damaged.", path=path)) from error
    except MemoryError as error:
        raise FileProblem(tr("{path} does not fit into memory.", path=path)) from error
    except Exception as error:
        raise FileProblem(
            tr(
                "{path} cannot be read as a picture. It may be cut short or of another type. Copy it from the phone "
                "again.",
                path=path,
            )
        ) from error


def read_picture_facts(path: str | Path) -> PictureFacts:
    """Find what a picture file says of itself, without decoding its pixels.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    PictureFacts
        What a picture file says of itself, without decoding its pixels.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = check_readable(path)
    with _explained(path), _open(path) as image:
        return _facts(path, image)


def small_picture(path: str | Path, edge: int) -> NDArray[np.uint8]:
    """Compute a picture at about `edge` pixels (h, w, 3) uint8 sRGB, oriented; quick where the coding allows.

    Parameters
    ----------
    path
        File to read.
    edge
        Long edge, pixels.

    Returns
    -------
    NDArray[np.uint8]
        A picture at about `edge` pixels (h, w, 3) uint8 sRGB, oriented.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = check_readable(path)
    with _explained(path), _open(path) as opened:
        opened.draft("RGB", (edge, edge))
        check_memory(path, opened.width * opened.height, BYTES_DECODED)
        image = ImageOps.exif_transpose(opened)
        image.thumbnail((edge, edge), Image.Resampling.BILINEAR, reducing_gap=2.0)
        return np.asarray(_in_srgb(image, opened.info.get("icc_profile")))


def _in_srgb(image: Image.Image, icc: bytes | None) -> Image.Image:
    """Pixels converted from the profile they were written for; a damaged profile counts as sRGB."""
    rgb = image.convert("RGB")
    if not icc or image.mode not in ("RGB", "RGBA", "L"):
        return rgb
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        if "srgb" not in ImageCms.getProfileDescription(profile).lower():
            ImageCms.profileToProfile(rgb, profile, ImageCms.createProfile("sRGB"), inPlace=True)
    except (OSError, ImageCms.PyCMSError):
        pass
    return rgb


def read_picture(path: str | Path) -> PictureFile:
    """Read a picture file, converted to sRGB by its profile.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    PictureFile
        See `PictureFile`.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = check_readable(path)
    with _explained(path), _open(path) as opened:
        facts = _facts(path, opened)
        check_memory(path, opened.width * opened.height, BYTES_DECODED)
        image = ImageOps.exif_transpose(opened)
        pixels = np.asarray(_in_srgb(image, opened.info.get("icc_profile")))
    return PictureFile(**facts.__dict__, pixels=pixels)


def picture_meta(picture: PictureFacts) -> RawMeta:
    """Find what is known of a finished picture, in the form a raw's metadata has; its limits stand in `warnings`.

    Parameters
    ----------
    picture
        The finished picture.

    Returns
    -------
    RawMeta
        What is known of a finished picture, in the form a raw's metadata has.
    """
    w, h = picture.size
    return RawMeta(
        kind="picture",
        width=w,
        height=h,
        bits_container=8,
        compression="picture",
        cfa="",
        black=np.zeros(3),
        white=np.full(3, 255.0),
        active_area=(0, 0, w, h),
        default_crop=(0, 0, w, h),
        iso=picture.iso,
        exposure_s=picture.exposure_s,
        f_number=picture.f_number,
        focal_mm=picture.focal_mm,
        focal_35mm=picture.focal_35mm,
        taken=picture.taken,
        make=picture.make,
        model=picture.model,
        software=picture.software,
        description=picture.description,
        warnings=(
            tr(
                "This is a finished picture: 8 bits, with the phone's tone and noise reduction. What it lost cannot "
                "be recovered."
            ),
            *(
                (tr("It contains a gain map for bright screens, which Bruto does not use."),)
                if picture.gain_map
                else ()
            ),
        ),
    )

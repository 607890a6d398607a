"""Finished pictures in: the phone's JPEG, PNG or TIFF, with orientation and colour profile."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps

from bruto.container.rawframe import RawMeta
from bruto.errors import BrutoError, FileProblem
from bruto.files import check_readable

PICTURE_SUFFIXES = {".jpg", ".jpeg", ".png", ".tif", ".tiff"}
MAX_PIXELS = 400_000_000
Image.MAX_IMAGE_PIXELS = MAX_PIXELS


@dataclass(frozen=True)
class PictureFile:
    """A decoded picture: `pixels` (H, W, 3) uint8 in sRGB, oriented, and what its Exif says."""

    pixels: NDArray[np.uint8]
    profile: str
    iso: float | None = None
    exposure_s: float | None = None
    f_number: float | None = None
    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken: str = ""
    make: str = ""
    model: str = ""
    exif: bytes = field(default=b"", repr=False)


def is_picture(path: str | Path) -> bool:
    """Whether a file's name says it is a finished picture."""
    return Path(path).suffix.lower() in PICTURE_SUFFIXES


def _number(value: Any) -> float | None:
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return number if np.isfinite(number) else None


def decode_jpeg(data: bytes) -> NDArray[np.uint8]:
    """Pixels (H, W, 3) of an embedded preview; raises `FileProblem`."""
    try:
        with Image.open(io.BytesIO(data)) as image:
            return np.asarray(ImageOps.exif_transpose(image).convert("RGB"))
    except Exception as error:
        raise FileProblem(f"the preview in the file cannot be decoded ({error}).") from error


def read_picture(path: str | Path) -> PictureFile:
    """Read a picture file, converted to sRGB by its profile. Raises `FileProblem`."""
    path = check_readable(path)
    try:
        with Image.open(path) as opened:
            image: Image.Image = opened
            exif = image.getexif()
            sub = exif.get_ifd(34665)
            raw_exif = image.info.get("exif", b"")
            icc = image.info.get("icc_profile")
            image = ImageOps.exif_transpose(image)
            name = "sRGB (assumed)"
            if icc and image.mode in ("RGB", "RGBA", "L"):
                profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
                name = ImageCms.getProfileDescription(profile).strip() or "embedded"
                if "srgb" not in name.lower():
                    srgb = ImageCms.createProfile("sRGB")
                    ImageCms.profileToProfile(image := image.convert("RGB"), profile, srgb, inPlace=True)
            pixels = np.asarray(image.convert("RGB"))
    except BrutoError:
        raise
    except Image.DecompressionBombError as error:
        raise FileProblem(f"{path} claims more pixels than can be real; the file is damaged.") from error
    except MemoryError as error:
        raise FileProblem(f"{path} does not fit into memory.") from error
    except Exception as error:
        raise FileProblem(
            f"{path} cannot be read as a picture ({error}). It may be cut short or of another kind; copy it again "
            f"from the phone."
        ) from error
    return PictureFile(
        pixels,
        name,
        iso=_number(sub.get(34855)),
        exposure_s=_number(sub.get(33434)),
        f_number=_number(sub.get(33437)),
        focal_mm=_number(sub.get(37386)),
        focal_35mm=_number(sub.get(41989)),
        taken=str(sub.get(36867) or exif.get(306) or ""),
        make=str(exif.get(271) or ""),
        model=str(exif.get(272) or ""),
        exif=raw_exif,
    )


def picture_meta(picture: PictureFile) -> RawMeta:
    """What is known of a finished picture, in the form a raw's metadata has; its limits stand in `warnings`."""
    h, w = picture.pixels.shape[:2]
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
        warnings=(
            "This is a finished picture: 8 bits, with the phone's own tone and noise reduction. What it lost cannot "
            "come back.",
        ),
    )

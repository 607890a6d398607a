"""Simulated captures as files: the raw with its tags, and the phone's own picture."""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bruto.catalog import tr
from bruto.container.dng_writer import DngTags, SampleStorage, write_dng
from bruto.container.exif_ifd import exif_block
from bruto.errors import BrutoError
from bruto.simphone import processed_raw
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture import _HOURS, FIRST_SHOT, Capture, Exposure, Phone, calibrations, gain_maps, picture_of
from bruto.simphone.optics import Mishap
from bruto.storage.atomic_write import usable_folder, write_new
from bruto.storage.file_names import free_names, numbered


def tags_of(capture: Capture, stamp: str) -> DngTags:
    """Return the tags of a mosaic raw.

    Parameters
    ----------
    capture
        What the simulated phone took.
    stamp
        Time of the capture, as Exif writes it.

    Returns
    -------
    DngTags
        Tags of a mosaic raw.
    """
    lens = sm.LENSES[capture.lens]
    return DngTags(
        black=np.full((2, 2), float(sm.BLACK)),
        white=np.full(1, float(sm.WHITE)),
        bits=sm.BITS,
        calibrations=calibrations(),
        as_shot_neutral=capture.neutral,
        cfa="RGGB",
        noise_profile=np.tile(capture.noise, (3, 1)),
        gain_maps=gain_maps(capture.lens),
        make=sm.MAKE,
        model=sm.MODEL,
        software=f"{sm.MODEL} camera 1.0",
        taken=stamp,
        iso=capture.exposure.iso,
        exposure_s=capture.exposure.seconds,
        f_number=lens.f_number,
        focal_mm=lens.focal_mm,
        focal_35mm=lens.focal_35mm,
        description=capture.scene.title,
    )


def sample_tags() -> DngTags:
    """Tags of a mosaic raw of the main lens as the phone writes them, for samples that show no scene."""
    lens = sm.LENSES["main"]
    return DngTags(
        black=np.full((2, 2), float(sm.BLACK)),
        white=np.full(1, float(sm.WHITE)),
        bits=sm.BITS,
        calibrations=calibrations(),
        as_shot_neutral=np.array([0.5, 1.0, 0.6]),
        cfa="RGGB",
        noise_profile=np.tile([1e-4, 1e-6], (3, 1)),
        gain_maps=gain_maps("main"),
        make=sm.MAKE,
        model=sm.MODEL,
        iso=100.0,
        exposure_s=0.01,
        f_number=lens.f_number,
        focal_mm=lens.focal_mm,
        focal_35mm=lens.focal_35mm,
    )


def _write_processed(path: Path, capture: Capture, tags: DngTags, finished: NDArray[np.uint8]) -> None:
    """Write the processed raw: turned as the sensor lies in a phone held across, with look and mask."""
    assert capture.light is not None
    h, w = capture.codes.shape[:2]
    mask = processed_raw.sky_mask(capture.scene, w, h, sm.LENSES[capture.lens].focal_35mm)
    assert mask.data is not None
    turned = replace(mask, width=mask.height, height=mask.width, data=np.ascontiguousarray(np.rot90(mask.data)))
    light = np.ascontiguousarray(np.rot90(capture.light))
    tags = replace(
        tags,
        black=np.full(3, float(processed_raw.BLACK)),
        white=np.full(3, float(processed_raw.WHITE)),
        cfa="",
        noise_profile=np.array([capture.noise]),
        gain_maps=(),
        orientation=6,
        linearisation=processed_raw.linearisation_table(),
        baseline_exposure=processed_raw.BASELINE_EXPOSURE,
        noise_reduction_applied=processed_raw.NOISE_REDUCTION_APPLIED,
        profile=processed_raw.look(light),
        gain_table_with_raw=capture.gain_table_with_raw,
        masks=(turned,),
    )
    how = SampleStorage(7, sm.BITS, components=3, byteorder=">")
    codes = np.ascontiguousarray(np.rot90(capture.codes))
    write_dng(path, codes, tags, np.ascontiguousarray(np.rot90(finished)), how)


def save(
    capture: Capture, path: Path, taken: datetime, *, picture: bool = True, picture_suffix: str = ".jpg"
) -> list[Path]:
    """Write the DNG and, beside it, the phone's picture (JPEG, or HEIC or AVIF by suffix); returns the files.

    Parameters
    ----------
    capture
        What the simulated phone took.
    path
        File to read.
    taken
        Time of the capture.
    picture
        Whether it is a finished picture.
    picture_suffix
        Suffix of the phone's picture.

    Returns
    -------
    list[Path]
        What was found, in order.
    """
    finished = picture_of(capture)
    h, w = finished.shape[:2]
    tags = tags_of(capture, taken.strftime("%Y:%m:%d %H:%M:%S"))
    if capture.light is not None:
        _write_processed(path, capture, tags, finished)
    else:
        write_dng(path, capture.codes, tags, cv2.resize(finished, (w // 4, h // 4), interpolation=cv2.INTER_AREA))
    made = [path]
    if picture:
        target = path.with_suffix(picture_suffix)
        write_new(target, picture_bytes(finished, tags, picture_suffix))
        made.append(target)
    return made


def picture_bytes(finished: NDArray[np.uint8], tags: DngTags, suffix: str = ".jpg") -> bytes:
    """Return a finished picture as the phone's file, with its Exif.

    Parameters
    ----------
    finished
        The phone's own picture (H, W, 3).
    tags
        Tags to write.
    suffix
        Suffix of the file name, with its point.

    Returns
    -------
    bytes
        A finished picture as the phone's file, with its Exif.
    """
    head = {271: tags.make, 272: tags.model, 305: tags.software, 306: tags.taken, 270: tags.description}
    exif = exif_block(head, tags)
    stream = io.BytesIO()
    if suffix in (".heic", ".heif"):
        import pillow_heif

        pillow_heif.register_heif_opener()
    kind = {".heic": "HEIF", ".heif": "HEIF", ".avif": "AVIF"}.get(suffix, "JPEG")
    Image.fromarray(finished).save(stream, kind, quality=92, exif=exif)
    return stream.getvalue()


def simulate(
    scene: str,
    folder: Path,
    *,
    megapixels: int = 12,
    iso: float | None = None,
    shutter: float | None = None,
    ev: float = 0.0,
    count: int = 1,
    bracket: tuple[float, ...] = (),
    kind: str = "mosaic",
    seed: int = 1,
    static: bool = False,
    size: tuple[int, int] | None = None,
    lens: str = "main",
    mishap: Mishap | None = None,
    picture_suffix: str = ".jpg",
) -> list[dict[str, Any]]:
    """Take shots of a scene into a folder and return what was written, with each frame's truth.

    `count` frames make a handheld burst (`static` for a tripod); `bracket` gives exposure steps in EV instead.

    Parameters
    ----------
    scene
        Identifier of a simulated scene.
    folder
        Folder concerned.
    megapixels
        Resolution of the simulated phone: 3, 12 or 48.
    iso
        ISO speed.
    shutter
        Exposure time, seconds; metered by default.
    ev
        Exposure change, EV.
    count
        Number of shots.
    bracket
        Exposure steps, EV.
    kind
        Mosaic or linear.
    seed
        Seed of the random generator.
    static
        Whether the phone is on a tripod.
    size
        Width and height, pixels.
    lens
        Main, wide or tele.
    mishap
        What goes wrong in the capture.
    picture_suffix
        Suffix of the phone's picture.

    Returns
    -------
    list[dict]
        What was found, in order.

    Raises
    ------
    BrutoError
        For settings the phone does not have.
    """
    if kind not in ("mosaic", "linear"):
        raise BrutoError(tr("The phone writes mosaic or linear raws, not '{kind}'.", kind=kind))
    if not 1 <= count <= 500:
        raise BrutoError(tr("A burst has 1 to 500 frames, not {count}.", count=count))
    phone = Phone(scene, megapixels, size=size, lens=lens, mishap=mishap)
    base = phone.meter(ev)
    base = Exposure(
        iso or base.iso, (shutter * 2.0**ev if shutter else base.seconds if not iso else base.seconds * base.iso / iso)
    )
    if not (sm.ISOS[0] <= base.iso <= sm.ISOS[-1] and 1e-5 <= base.seconds <= 60):
        raise BrutoError(
            tr(
                "The phone offers ISO {ISOS} to {ISOS2} and 1/100000 s to 60 s, not ISO {iso:g} at {seconds:g} s.",
                ISOS=sm.ISOS[0],
                ISOS2=sm.ISOS[-1],
                iso=base.iso,
                seconds=base.seconds,
            )
        )
    folder = usable_folder(folder)
    steps = bracket or (0.0,) * count
    start = FIRST_SHOT + timedelta(hours=_HOURS.get(scene, 0.0), seconds=seed % 50)
    results = []
    for k, step in enumerate(steps):
        exposure = Exposure(base.iso, base.seconds * 2.0**step)
        transform = phone.shake(seed, k, 0.0 if static else (0.4 if bracket else 1.0))
        capture = phone.shoot(exposure, seed=seed * 1000 + k, transform=transform, kind=kind)
        stem = f"{scene}-{seed:03d}" + (f"-{k + 1:02d}" if len(steps) > 1 else "")
        raw = free_names(folder, lambda n, s=stem: [numbered(s + x, n) for x in (".dng", picture_suffix)])[0]  # type: ignore[misc]
        moment = start + timedelta(seconds=k * (0.5 if not bracket else 1.0))
        made = save(capture, raw, moment, picture_suffix=picture_suffix)
        results.append(
            {
                "files": [str(p) for p in made],
                "iso": exposure.iso,
                "exposure_s": exposure.seconds,
                "ev": step,
                "noise": {"a": capture.noise[0], "b": capture.noise[1]},
                "transform": transform.tolist(),
                "true_neutral": capture.true_neutral.tolist(),
            }
        )
    return results

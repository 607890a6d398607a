"""Frames of a set for merging: read, checked against each other, aligned."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.align.registration import Alignment, register
from bruto.align.rigid import BLOCK, Pyramid, RigidMotion, find_motion, pyramid, still_share
from bruto.catalog import tr
from bruto.container.dng_reader import is_raw, read_dng, read_dng_meta
from bruto.container.linearisation import linearise
from bruto.container.picture import is_picture, picture_meta, read_picture
from bruto.container.raw_frame import Linear, RawFrame, RawMeta
from bruto.develop.source import open_source
from bruto.errors import BrutoError
from bruto.merge.hot_pixels import without_hot
from bruto.merge.rejection import Rejection, RejectionKind
from bruto.sensor.noise import estimate_noise, file_noise
from bruto.storage.safe_read import FileAction, content_key, explain, whole_digest

ROUGH_PX = 0.6
"""Error of the alignment, in pixels, above which a frame is left out."""
LEAST_SHARE = 0.25
"""Share of tracked details that must move together."""
STILL_PX = 0.12
"""Movement of the corners, in pixels, below which a frame counts as unmoved: resampling would cost more sharpness."""

STILL_SHIFT, STILL_SHARE, LEAST_BLOCKS = 0.075, 0.4, 24
"""Pixels of the half-size plane below which a block stands still, the share of such blocks that tells of a tripod, and
how many blocks have to know.
"""
PLANE_ROWS = 384
AGREE = 0.5
"""Share of the blocks that have to follow a motion; else it is looked for by features."""


@dataclass(frozen=True)
class Frame:
    """One frame: linear light before the shading gain, and its noise (3, 2). `neutral`: as shot, green = 1."""

    path: Path
    linear: Linear
    meta: RawMeta
    noise: NDArray[np.float64]
    preview: bytes | None

    @property
    def neutral(self) -> NDArray[np.float64]:
        """As-shot neutral of the camera, green = 1."""
        return self.meta.as_shot_neutral / self.meta.as_shot_neutral[1]

    def with_data(self, data: NDArray[np.float32]) -> Frame:
        """Return the same frame with other light at its sites.

        Parameters
        ----------
        data
            Samples, changed in place.

        Returns
        -------
        Frame
            The same frame with other light at its sites.
        """
        return replace(self, linear=replace(self.linear, data=data))

    @property
    def exposure(self) -> float:
        """Light gathered times gain, seconds x ISO / f-number squared."""
        return exposure_of(self.meta, self.path)


def exposure_of(meta: RawMeta, path: Path) -> float:
    """Compute the light gathered times gain, seconds x ISO / f-number squared.

    Parameters
    ----------
    meta
        Metadata of the raw: levels, matrices, exposure, orientation.
    path
        File to read.

    Returns
    -------
    float
        Light gathered times gain, seconds x ISO / f-number squared.

    Raises
    ------
    BrutoError
        Where the file says neither.
    """
    if not meta.exposure_s or not meta.iso:
        raise BrutoError(tr("{path}: the file gives no exposure time and ISO, which this merge needs.", path=path))
    return meta.exposure_s * meta.iso / (meta.f_number or 1.0) ** 2


def meta_of(path: str | Path) -> RawMeta:
    """Find what is known of a raw, or of a finished picture, without its pixels.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    RawMeta
        What is known of a raw, or of a finished picture, without its pixels.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    if is_picture(path) and not is_raw(path):
        return picture_meta(read_picture(path))
    return read_dng_meta(path).meta


def load_frame(path: str | Path) -> Frame:
    """Read one frame without its shading gain, which is carried over to the result instead.

    A finished picture becomes the light that its codes stand for.

    Parameters
    ----------
    path
        File to read.

    Returns
    -------
    Frame
        See `Frame`.
    """
    if is_picture(path) and not is_raw(path):
        made = open_source(path)
        return Frame(Path(path), made.linear, made.meta, made.noise, None)
    raw = read_dng(path)
    plain = replace(raw.meta, gain_maps=())
    linear = linearise(RawFrame(raw.codes, plain))
    noise = file_noise(raw.meta)
    noise = estimate_noise(linear).model if noise is None else noise
    if linear.data.ndim == 2:
        linear = replace(linear, data=without_hot(linear.data, noise))
    return Frame(Path(path), linear, raw.meta, noise, raw.preview)


def doubles(paths: list[Path]) -> dict[int, int]:
    """Find which files are another one before them, by their place in the list.

    The same file under another name, or a copy of the same bytes.

    Parameters
    ----------
    paths
        Files in order.

    Returns
    -------
    dict[int, int]
        Which files are another one before them, by their place in the list.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    first: dict[tuple[int, int], int] = {}
    alike: dict[tuple[int, str], list[int]] = {}
    found: dict[int, int] = {}
    for k, path in enumerate(paths):
        try:
            state = path.stat()
            own = (state.st_dev, state.st_ino)
            if own in first:
                found[k] = first[own]
                continue
            first[own] = k
            near = alike.setdefault((state.st_size, content_key(path)), [])
            own_digest = whole_digest(path) if near else ""
            for other in near:
                if whole_digest(paths[other]) == own_digest:
                    found[k] = other
                    break
            else:
                near.append(k)
        except OSError as error:
            raise explain(error, path, FileAction.READ) from error
    return found


def check_alike(first: Frame, other: Frame) -> str | None:
    """Find why a frame cannot be merged with the first, or None.

    Parameters
    ----------
    first
        The first of them.
    other
        The other one.

    Returns
    -------
    str | None
        Why a frame cannot be merged with the first, or None.
    """
    if other.linear.data.shape != first.linear.data.shape:
        return Rejection(RejectionKind.OTHER_KIND, tr("different size or kind of raw"))
    return unlike(first.meta, other.meta)


def unlike(first: RawMeta, other: RawMeta) -> str | None:
    """Find by their metadata why a frame cannot be merged with the first, or None.

    Parameters
    ----------
    first
        Of the first of them.
    other
        Of the other one.

    Returns
    -------
    str | None
        Why a frame cannot be merged with the first, or None.
    """
    why = ""
    if (other.kind, other.width, other.height) != (first.kind, first.width, first.height):
        why = tr("different size or kind of raw")
    elif other.orientation != first.orientation:
        why = tr("different orientation")
    elif other.model != first.model or (other.focal_mm or 0) != (first.focal_mm or 0):
        why = tr("different camera or lens")
    return Rejection(RejectionKind.OTHER_KIND, why) if why else None


def brightness(frame: Frame, gain: float = 1.0, top: float | None = None) -> NDArray[np.float32]:
    """Compute the half-size brightness for alignment, (H / 2, W / 2), times a gain.

    Parameters
    ----------
    frame
        Frame of the set.
    gain
        Gain; 1 changes nothing.
    top
        Light at which every site is cut, after the gain, so that edges of what is clipped lie where they do in a
        frame that is not.

    Returns
    -------
    NDArray[np.float32]
        Half-size brightness for alignment, (H / 2, W / 2), times a gain.
    """
    data = frame.linear.data
    if top is not None:
        data = np.minimum(data, np.float32(top / gain))
    if data.ndim == 2:
        h, w = data.shape[0] // 2 * 2, data.shape[1] // 2 * 2
        half = cv2.resize(data[:h, :w], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    else:
        half = cv2.resize(data[..., 1], (data.shape[1] // 2, data.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return half * np.float32(gain)


def noise_floor(frame: Frame) -> float:
    """Compute the light at which the noise of reading equals that of photons, b / a.

    Parameters
    ----------
    frame
        Frame of the set.

    Returns
    -------
    float
        Light at which the noise of reading equals that of photons, b / a.
    """
    a, b = (float(frame.noise[:, k].mean()) for k in (0, 1))
    return b / max(a, 1e-9)


def align(
    reference: NDArray[np.float32],
    other: NDArray[np.float32],
    size: tuple[int, int],
    floor: float = 1e-3,
    known: Pyramid | None = None,
) -> Alignment:
    """Return the alignment of full-size frames (width, height) from half-size brightness.

    Where a good part of the picture has not moved at all the frame stands still, whatever water and people do in the
    rest of it.

    Parameters
    ----------
    reference
        Reference frame.
    other
        Second array.
    size
        Width and height, pixels.
    floor
        See `noise_floor`.
    known
        The reference's pyramid, where it was made before.

    Returns
    -------
    Alignment
        Alignment of full-size frames (width, height) from half-size brightness.
    """
    first = pyramid(reference, floor, True) if known is None else known
    second = pyramid(other, floor)
    share, blocks = still_share(first, second, STILL_SHIFT)
    if share >= STILL_SHARE and blocks >= LEAST_BLOCKS:
        return Alignment(np.eye(3), 0.0, STILL_SHIFT / 2, blocks, size, size, STILL_SHIFT / math.sqrt(blocks), share)
    motion = find_motion(first, second)
    if motion is not None and motion.share >= AGREE and motion.blocks >= LEAST_BLOCKS:
        found = _of_motion(motion, size)
    else:
        found = register(reference, other, "rigid")
        # the half-size grid: full pixel x has its centre at (x + 0.5) / 2 - 0.5: relative coordinates are the same
        found = replace(
            found, residual_px=found.residual_px * 2, model_px=found.model_px * 2, first_size=size, second_size=size
        )
    w, h = size
    corners = np.array([[0, 0], [w - 1, 0], [0, h - 1], [w - 1, h - 1]], float)
    if np.abs(found.apply(corners) - corners).max() < max(STILL_PX, 3 * found.model_px):
        return replace(found, homography=np.eye(3), local=None)  # on a tripod: nothing is gained by resampling
    return found


def _of_motion(motion: RigidMotion, size: tuple[int, int]) -> Alignment:
    """Return a motion of half-size planes as an alignment of full frames."""
    matrix, edge = motion.matrix, max(size)
    homography = np.vstack([np.column_stack([matrix[:, :2], 2 * matrix[:, 2] / edge]), [0, 0, 1]])
    local = None if motion.local is None else (2 * motion.local / edge).astype(np.float32)
    return Alignment(
        homography, 0.0, 2 * motion.spread, motion.blocks, size, size, 2 * motion.error, motion.share, local,
        2 * BLOCK / edge,
    )  # fmt: skip


def is_still(alignment: Alignment | None) -> bool:
    """Check whether a frame needs no resampling.

    Parameters
    ----------
    alignment
        Mapping from the first picture to the second.

    Returns
    -------
    bool
        True where a frame needs no resampling.
    """
    if alignment is None:
        return True
    return alignment.local is None and alignment.radial == 0 and np.array_equal(alignment.homography, np.eye(3))


def standing(size: tuple[int, int]) -> Alignment:
    """Return the alignment of frames that stand still.

    Parameters
    ----------
    size
        Width and height, pixels.

    Returns
    -------
    Alignment
        That of a tripod.
    """
    return Alignment(np.eye(3), 0.0, STILL_SHIFT / 2, 0, size, size)


def rough(alignment: Alignment) -> str | None:
    """Find why an alignment cannot be trusted, or None.

    Parameters
    ----------
    alignment
        Mapping from the first picture to the second.

    Returns
    -------
    str | None
        Why an alignment cannot be trusted, or None.
    """
    if alignment.model_px > ROUGH_PX or alignment.share < LEAST_SHARE:
        return tr(
            "does not match the first frame ({share:.0f} % of its details agree, error {model_px:.1f} px)",
            share=alignment.share * 100,
            model_px=alignment.model_px,
        )
    return None

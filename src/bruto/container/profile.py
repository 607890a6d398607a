"""Camera profiles: the colour and base look a file, or a separate `.dcp` file, brings with it (DNG 1.7, chapters 4, 6).

A profile holds calibrations, hue/saturation maps for each illuminant, a look table, a tone curve and a gain table map.
Here they are read and written as data; `develop.steps.look` applies them.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.container.ifd import byte_order, read_ifd
from bruto.errors import BrutoError, FileProblem
from bruto.storage.safe_read import read_bounded

DCP_MAGIC = 0x4352
"""Version number in the head of a profile file where a TIFF has 42 (DNG 1.7, "Camera Profile Files")."""
LARGEST_PROFILE = 64 << 20
"""Largest profile file that is read, bytes; real ones have some hundreds of kilobytes."""
MAX_TABLE = 1 << 22
LARGEST_NUMBER = 1e5
"""Magnitude of a number in a profile that is believed; degrees are the largest that are real."""
MAX_GAIN = 1e4
"""The same for the gains of a local gain table."""
COLOR, ILLUMINANT = (50721, 50722, 52531), (50778, 50779, 52529)
CALIBRATION, FORWARD = (50723, 50724, 52530), (50964, 50965, 52532)
"""Tags of the first, second and third calibration (DNG 1.7 has three)."""
HUE_SAT_DATA = (50938, 50939, 52537)


@dataclass(frozen=True)
class Calibration:
    """One set of colour matrices (DNG 1.7, chapter 6).

    `camera_calibration` (3, 3), or None.
    """

    illuminant: int
    """Exif LightSource code (17 = standard illuminant A, 21 = D65)."""
    color: NDArray[np.float64]
    """XYZ to camera (3, 3)."""
    forward: NDArray[np.float64] | None = None
    """Balanced camera to XYZ of D50 (3, 3), or None."""
    camera_calibration: NDArray[np.float64] | None = None


@dataclass(frozen=True)
class HueSatMap:
    """Hue shift (degrees), saturation and value scale on a grid: `table` (values, hues, saturations, 3) float32."""

    table: NDArray[np.float32]
    encoding: int = 0
    """0 linear, 1 sRGB-encoded value axis."""


@dataclass(frozen=True)
class GainTableMap:
    """Local gains by place and brightness (ProfileGainTableMap, tags 52525 and 52544).

    `gains` (V, H, N) float32.
    """

    spacing: tuple[float, float]
    """V, H relative to the image."""
    origin: tuple[float, float]
    """V, H relative to the image."""
    weights: tuple[float, ...]
    """Of R, G, B, min and max for the input."""
    gains: NDArray[np.float32]
    gamma: float = 1.0
    """Of the input (1 in the first version)."""


@dataclass(frozen=True)
class CameraProfile:
    """How a camera's colours become those of the world: matrices by light, tables, and a tone curve.

    `tone_curve` (N, 2): input and output, 0..1.
    """

    name: str
    calibrations: tuple[Calibration, ...] = ()
    hue_sat: tuple[HueSatMap, ...] = ()
    look: HueSatMap | None = None
    tone_curve: NDArray[np.float64] | None = None
    gain_table: GainTableMap | None = None
    baseline_offset: float = 0.0
    """EV added to the baseline exposure."""
    signature: str = ""
    copyright: str = ""
    source: str = "file"
    """"file" (the file's own), "embedded" (another one in it) or a path."""

    @property
    def holds(self) -> list[str]:
        """What it brings besides matrices, in words."""
        found = []
        if self.hue_sat:
            t = self.hue_sat[0].table.shape
            found.append(tr("hue and saturation map {t} × {t2} × {t3}", t=t[1], t2=t[2], t3=t[0]))
        if self.look is not None:
            t = self.look.table.shape
            found.append(tr("look table {t} × {t2} × {t3}", t=t[1], t2=t[2], t3=t[0]))
        if self.tone_curve is not None:
            found.append(tr("tone curve of {tone_curve_count} points", tone_curve_count=len(self.tone_curve)))
        if self.gain_table is not None:
            v, h, n = self.gain_table.gains.shape
            low, high = float(self.gain_table.gains.min()), float(self.gain_table.gains.max())
            found.append(
                tr("local gain table {h} × {v} × {n}, gains {low:.2f} to {high:.2f}", h=h, v=v, n=n, low=low, high=high)
            )
        return found


def _numbers(tags: Mapping[int, Any], tag: int) -> NDArray[np.float64] | None:
    value = tags.get(tag)
    if value is None or isinstance(value, (bytes, str)):
        return None
    with np.errstate(invalid="ignore"):  # damaged files hold any bits; what is no number is refused below
        found = np.asarray(value, float).ravel()
    return found if found.size and np.isfinite(found).all() and np.abs(found).max() <= LARGEST_NUMBER else None


def _text(value: Any) -> str:
    if isinstance(value, np.ndarray):
        value = value.astype(np.uint8).tobytes()
    if isinstance(value, bytes):
        return value.split(b"\0")[0].decode("utf-8", "replace")
    return str(value or "")


def signature_agrees(tags: Any, camera: str) -> bool:
    """Check whether the calibration of the unit belongs to the file's own profile: both signatures say the same.

    Parameters
    ----------
    tags
        Tags to write.
    camera
        Signature of the camera.

    Returns
    -------
    bool
        True where the calibration of the unit belongs to the file's own profile.
    """
    entry = tags.get(50932)
    return _text(None if entry is None else entry.value) == camera


def _usable(matrix: NDArray[np.float64]) -> bool:
    """Whether nine numbers are a colour matrix that can be turned round."""
    return bool(np.abs(matrix).max() < 100 and abs(np.linalg.det(matrix.reshape(3, 3))) > 1e-6)


def parse_calibrations(tags: Mapping[int, Any], camera_calibration: bool = True) -> tuple[Calibration, ...]:
    """Parse one to three calibrations.

    Parameters
    ----------
    tags
        Tags to write.
    camera_calibration
        Whether the unit's own calibration may be used (the signatures of camera and profile agree).

    Returns
    -------
    tuple[Calibration, ...]
        One to three calibrations.
    """
    found = []
    for k in range(3):
        color = _numbers(tags, COLOR[k])
        if color is None or len(color) != 9 or not _usable(color):
            continue
        forward = _numbers(tags, FORWARD[k])
        camera = _numbers(tags, CALIBRATION[k]) if camera_calibration else None
        code = _numbers(tags, ILLUMINANT[k])
        found.append(
            Calibration(
                int(code[0]) if code is not None else (17, 21, 21)[k],
                color.reshape(3, 3),
                forward.reshape(3, 3) if forward is not None and len(forward) == 9 and _usable(forward) else None,
                camera.reshape(3, 3) if camera is not None and len(camera) == 9 and _usable(camera) else None,
            )
        )
    return tuple(found)


def _table(dims: NDArray[Any] | None, data: NDArray[Any] | None, encoding: NDArray[Any] | None) -> HueSatMap | None:
    if dims is None or data is None:
        return None
    hues, saturations, values = (int(v) for v in dims[:3]) if len(dims) >= 3 else (*(int(v) for v in dims[:2]), 1)
    if min(hues, saturations, values) < 1 or saturations < 2 or hues * saturations * values > MAX_TABLE:
        raise FileProblem(tr("a profile's colour table has an impossible size; the file is damaged."))
    if len(data) != hues * saturations * values * 3:
        raise FileProblem(
            tr(
                "a profile's colour table holds {data_count} numbers instead of {hues}; the file is damaged.",
                data_count=len(data),
                hues=hues * saturations * values * 3,
            )
        )
    return HueSatMap(
        data.reshape(values, hues, saturations, 3).astype(np.float32), 0 if encoding is None else int(encoding[0])
    )


def parse_gain_table(data: bytes, order: str, version: int = 1) -> GainTableMap:
    """Parse the body of tag 52525 (version 1) or 52544 (version 2), in the file's byte order.

    Parameters
    ----------
    data
        Bytes as stored in the file.
    order
        Byte order, "<" or ">".
    version
        Version of the table.

    Returns
    -------
    GainTableMap
        Body of tag 52525 (version 1) or 52544 (version 2), in the file's byte order.

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    head = 64 if version == 1 else 80
    if len(data) < head:
        raise FileProblem(tr("a local gain table is cut short; the file is damaged."))
    v, h = struct.unpack_from(order + "2I", data)
    sv, sh, ov, oh = struct.unpack_from(order + "4d", data, 8)
    (n,) = struct.unpack_from(order + "I", data, 40)
    weights = struct.unpack_from(order + "5f", data, 44)
    count = v * h * n
    kind, gamma, low, high = 3, 1.0, 0.0, 1.0
    if version == 2:
        kind, gamma, low, high = struct.unpack_from(order + "I3f", data, 64)
    sizes = {0: "u1", 1: "u2", 2: "f2", 3: "f4"}
    if kind not in sizes:
        raise FileProblem(tr("a local gain table has data of type {kind}, which Bruto does not read.", kind=kind))
    dtype = np.dtype(order + sizes[kind])
    if not 0 < count <= MAX_TABLE or head + dtype.itemsize * count > len(data):
        raise FileProblem(tr("a local gain table claims {v} × {h} × {n} points; the file is damaged.", v=v, h=h, n=n))
    gains = np.frombuffer(data, dtype, count, head).astype(np.float32)
    if kind < 2:  # integers span from the least to the greatest gain
        gains = low + (high - low) * gains / np.float32((1 << (8 * dtype.itemsize)) - 1)
    if not np.isfinite(gains).all() or not np.isfinite((sv, sh, ov, oh, gamma, *weights)).all() or gamma <= 0:
        raise FileProblem(tr("a local gain table holds impossible numbers; the file is damaged."))
    if np.abs(gains).max() > MAX_GAIN or max(abs(v) for v in (sv, sh, ov, oh, gamma, *weights)) > MAX_GAIN:
        raise FileProblem(tr("a local gain table holds impossible numbers; the file is damaged."))
    return GainTableMap((sv, sh), (ov, oh), tuple(weights), gains.reshape(v, h, n).astype(np.float32), float(gamma))


def parse_profile(
    tags: Mapping[int, Any], order: str, source: str = "file", camera_signature: str = ""
) -> CameraProfile:
    """Parse a profile from the tags of a directory.

    Parameters
    ----------
    tags
        Tags to write.
    order
        Byte order, "<" or ">".
    source
        Where the profile comes from, for messages.
    camera_signature
        Calibration signature of the camera.

    Returns
    -------
    CameraProfile
        A profile from the tags of a directory.

    Raises
    ------
    FileProblem
        Where its tables are damaged.
    """
    signature = _text(tags.get(50932))
    dims = _numbers(tags, 50937)
    maps = [_table(dims, _numbers(tags, tag), _numbers(tags, 51107)) for tag in HUE_SAT_DATA]
    curve = _numbers(tags, 50940)
    if curve is not None:
        curve = curve[: len(curve) // 2 * 2].reshape(-1, 2)
        if len(curve) < 2 or (np.diff(curve[:, 0]) <= 0).any() or curve.min() < -1e-6 or curve.max() > 1 + 1e-6:
            raise FileProblem(tr("a profile's tone curve does not rise from 0 to 1; the file is damaged."))
    gain_table = None
    for tag, version in ((52544, 2), (52525, 1)):
        body = tags.get(tag)
        if body is not None and gain_table is None:
            gain_table = parse_gain_table(bytes(body), order, version)
    offset = _numbers(tags, 51109)
    return CameraProfile(
        name=_text(tags.get(50936)) or (tr("File's own profile") if source == "file" else Path(source).stem),
        calibrations=parse_calibrations(tags, signature == camera_signature),
        hue_sat=tuple(m for m in maps if m is not None),
        look=_table(_numbers(tags, 50981), _numbers(tags, 50982), _numbers(tags, 51108)),
        tone_curve=curve,
        gain_table=gain_table,
        baseline_offset=0.0 if offset is None else float(np.clip(offset[0], -20, 20)),
        signature=signature,
        copyright=_text(tags.get(50942)),
        source=source,
    )


def parse_embedded_profile(stream: bytes, offset: int, camera_signature: str = "") -> CameraProfile:
    """Parse one of the extra profiles of a DNG (tag 50933); its own head says its byte order, offsets count from it.

    Parameters
    ----------
    stream
        Bytes of the embedded profile.
    offset
        Where the profile lies, bytes.
    camera_signature
        Calibration signature of the camera.

    Returns
    -------
    CameraProfile
        One of the extra profiles of a DNG (tag 50933); its own head says its byte order, offsets count from it.
    """
    order = byte_order(stream, offset)
    if offset + 8 > len(stream):
        raise FileProblem(tr("an embedded profile is outside the file; the file is damaged."))
    magic, first = struct.unpack_from(order + "HI", stream, offset + 2)
    if magic != DCP_MAGIC:
        raise FileProblem(tr("an embedded profile does not begin like one; the file is damaged."))
    return parse_profile(read_ifd(stream, first, order, offset), order, "embedded", camera_signature)


def read_profile(path: str | Path, camera_signature: str = "") -> CameraProfile:
    """Read a separate profile file (`.dcp`).

    Parameters
    ----------
    path
        File to read.
    camera_signature
        Calibration signature of the camera.

    Returns
    -------
    CameraProfile
        A separate profile file (`.dcp`).

    Raises
    ------
    FileProblem
        Where the file cannot be read or written.
    """
    path = Path(path)
    data = read_bounded(path, LARGEST_PROFILE)
    try:
        order = byte_order(data)
        magic, first = struct.unpack_from(order + "HI", data, 2)
        if magic != DCP_MAGIC:
            raise FileProblem(tr("it is not a camera profile. Choose a .dcp file."))
        return parse_profile(read_ifd(data, first, order), order, str(path), camera_signature)
    except BrutoError as error:
        raise FileProblem(f"{path}: {error}") from error
    except (OSError, struct.error, ValueError) as error:
        raise FileProblem(
            tr("{path} cannot be read as a camera profile ({error}). Copy it again.", path=path, error=error)
        ) from error

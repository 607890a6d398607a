"""Merging frames into one better raw, by any of the methods: files in, a linear DNG out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.catalog import tr
from bruto.color.spaces import space
from bruto.container.dng_writer import DngTags, write_dng
from bruto.container.picture import decode_jpeg
from bruto.container.profile import Calibration
from bruto.container.provenance import SOFTWARE
from bruto.errors import BrutoError
from bruto.merge.frames import Frame, brightness, doubles
from bruto.merge.live_preview import LivePicture
from bruto.merge.methods import method_of
from bruto.merge.methods.method import Combined, Method
from bruto.merge.planes import plane_gain_maps
from bruto.merge.reader import Progress, Reader
from bruto.merge.result import FrameVerdict, MergeResult
from bruto.output_planner import Outputs
from bruto.storage.atomic_write import NameTaken, Target

D65 = 21
"""Exif code of the illuminant."""
PICTURES = tr(
    "These are finished pictures, not raws. What the phone clipped, smoothed and sharpened stays, so "
    "there is less to gain than from raws."
)
PEDESTAL = 2048
"""Black level of merged integer files, so that noise below black is kept."""
WHITE = 65535


def _target(files: Sequence[str | Path], output: Target | str | Path, overwrite: bool) -> Target:
    """Where a merge may write; raises `BrutoError` before any work is done."""
    if isinstance(output, Target):
        return output
    if Path(output).suffix.lower() != ".dng":
        raise BrutoError(
            tr("A merge writes a raw: choose a name that ends in .dng instead of '{name}'.", name=Path(output).name)
        )
    return Outputs(files, overwrite=overwrite).file(output)


def _written(
    target: Target, renamed: Callable[[], Target] | None, codes: NDArray[Any], tags: DngTags, preview: NDArray[np.uint8]
) -> Target:
    """Write the result; under another name where a file took its name meanwhile and `renamed` gives one."""
    while True:
        try:
            write_dng(target, codes, tags, preview)
            return target
        except NameTaken:
            if renamed is None:
                raise
            target = renamed()


def _different(paths: list[Path]) -> tuple[list[Path], list[FrameVerdict]]:
    """Files that differ, and verdicts of those that are given twice, as themselves or as copies."""
    same = doubles(paths)
    left = [p for k, p in enumerate(paths) if k not in same]
    if len(left) < 2:
        raise BrutoError(
            tr("A merge needs at least two different raw files.")
            if same
            else tr("A merge needs at least two raw files.")
        )
    found = [
        FrameVerdict(str(paths[k]), False, tr("the same picture as {name}", name=paths[n].name))
        for k, n in same.items()
    ]
    return left, found


def _tags(first: Frame, found: Combined, sources: list[str], how: str) -> DngTags:
    m = first.meta
    floating = found.light.dtype == np.float16
    return DngTags(
        black=np.zeros(3) if floating else np.full(3, float(PEDESTAL)),
        white=np.full(3, 1.0 if floating else float(WHITE)),
        bits=16,
        calibrations=_calibrations(first),
        as_shot_neutral=m.as_shot_neutral,
        noise_profile=found.noise,
        baseline_exposure=m.baseline_exposure + found.baseline,
        gain_maps=plane_gain_maps(m),
        orientation=m.orientation,
        make=m.make,
        model=m.model,
        software=SOFTWARE,
        description=f"{how}: {', '.join(sources)}"[:500],
        merged=how,
        taken=m.taken,
        iso=m.iso,
        exposure_s=m.exposure_s,
        f_number=m.f_number,
        focal_mm=m.focal_mm,
        focal_35mm=m.focal_35mm,
        source_files=tuple(sources),
    )


def _calibrations(first: Frame) -> tuple[Calibration, ...]:
    """Return the matrices of the frames; of finished pictures that of sRGB."""
    if first.meta.kind != "picture":
        return first.meta.calibrations
    return (Calibration(D65, color=np.linalg.inv(space("srgb").to_xyz()).astype(np.float64)),)


def _preview(first: Frame) -> NDArray[np.uint8]:
    if first.preview is not None:
        try:
            return decode_jpeg(first.preview)
        except BrutoError:
            pass
    data = brightness(first)
    small = cv2.resize(data, (max(16, data.shape[1] // 4), max(16, data.shape[0] // 4)), interpolation=cv2.INTER_AREA)
    return np.repeat((255 * np.clip(small * 2, 0, 1) ** 0.45).astype(np.uint8)[..., None], 3, axis=2)


@njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _coded(light, span, pedestal, top, out):
    """Whole numbers of light above a pedestal (H, 3 W) from lines of colours, or from planes (3, H, W)."""
    for y in prange(out.shape[0]):
        line = out[y]
        for c in range(3):
            of = light[c, y]
            for x in range(len(of)):
                line[3 * x + c] = np.uint16(min(max(of[x] * span + pedestal, np.float32(0)), top))


def _codes(light: NDArray[Any]) -> NDArray[Any]:
    """Compute the merged light (H, W, 3) or (3, H, W) as it is written.

    Half floats as they are, else integers above a pedestal.
    """
    if light.dtype == np.float16:
        return light
    planes = light if light.shape[0] == 3 and light.shape[2] != 3 else np.moveaxis(light, 2, 0)
    _, h, w = planes.shape
    codes = np.empty((h, w, 3), np.uint16)
    span, half = np.float32(WHITE - PEDESTAL), np.float32(PEDESTAL + 0.5)  # whole numbers are cut: the nearest is meant
    _coded(planes[:], span, half, np.float32(WHITE), codes.reshape(h, -1))
    return codes


def merge(
    method: str | Method,
    files: Sequence[str | Path],
    output: Target | str | Path,
    *,
    overwrite: bool = False,
    renamed: Callable[[], Target] | None = None,
    progress: Progress = lambda share, text: None,
    cancelled: Callable[[], bool] | None = None,
    enough: Callable[[], bool] | None = None,
    seen: Callable[[LivePicture], None] | None = None,
) -> MergeResult:
    """Merge frames into a new linear DNG.

    Parameters
    ----------
    method : one of `methods.METHODS`, or its key.
    files : raws of one scene, in any order that the method can use.
    output : a target that was planned, or a path, which is planned here.
    overwrite : another existing file may be replaced (an original never is).
    renamed : gives another target where a file took the name while the merge ran.
    progress : called with the share that is done, and what is being done.
    cancelled : asked often whether to stop.
    enough : asked before each frame whether those that were read are enough.
    seen : shown small pictures of what is merged so far, about one a second.

    Returns
    -------
    What became of each frame, and what was gained.

    Raises
    ------
    BrutoError
        Where fewer than two frames can be merged, or nothing can be written; `Cancelled` when it was stopped.
    """
    how = method_of(method) if isinstance(method, str) else method
    target = _target(files, output, overwrite)
    paths, same = _different([Path(f) for f in files])
    ordered, reference = how.order(paths)
    reader = Reader(ordered, reference, target.path.parent, how.common, progress, cancelled, enough, seen)
    found = how.combine(reader)
    codes = _codes(found.light)
    reader.check()
    progress(0.93, "writing")
    names = [Path(v.file).name for v in reader.used]
    tags = _tags(reader.reference, found, names, f"{how.key} of {len(names)} frames")
    target = _written(target, renamed, codes, tags, _preview(reader.reference))
    moved = [v for v in reader.used if v.file != str(reader.reference.path)]
    rms = float(np.sqrt(np.mean([v.model_px**2 for v in moved]))) if moved else 0.0
    progress(1.0, "done")
    warnings = (*found.warnings, *((PICTURES,) if reader.reference.meta.kind == "picture" else ()))
    return MergeResult(
        target.path, (*reader.verdicts, *same), rms, found.gain, found.expected, found.range_ev, warnings,
        found.stops, found.gains, found.border,
    )  # fmt: skip

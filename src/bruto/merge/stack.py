"""Merging frames into one better raw: bursts (less noise) and brackets (more range).

Burst: frames are demosaiced, brought onto the first by a rigid motion, and averaged with weights that fall where a
frame differs from the first by more than the noise explains (moving things), or the middle value is taken. Bracket:
radiance is the average of the frames' radiances with weights 1 / variance from the noise model, clipped light left
out, which is the maximum-likelihood estimate for Gaussian noise (Granados et al. 2010).
"""

from __future__ import annotations

import math
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from bruto.align.registration import Alignment
from bruto.container.dng_writer import DngTags, write_dng
from bruto.container.picture import decode_jpeg
from bruto.container.provenance import SOFTWARE
from bruto.errors import BrutoError, Cancelled
from bruto.files import explain
from bruto.merge.frames import (
    Frame,
    align,
    brightness,
    check_alike,
    doubles,
    load_frame,
    plane_gain_maps,
    rough,
    warped_band,
)
from bruto.publish import NameTaken, Target
from bruto.storage.outputs import Outputs

BAND = 384
PEDESTAL = 2048
"""Black level of merged integer files, so that noise below black is kept."""
WHITE = 65535
FULL_FROM, FULL_AT = 0.86, 0.95
"""Share of saturation from which a bracket frame's weight falls, and at which it is nothing."""
FULL_REACH = 11
"""Width in pixels around a full site in which demosaiced values are not trusted."""
EXPOSURE_TRUST = 0.12
"""Deviation from the stated ratio of exposures up to which the ratio found in the pictures is believed."""
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class FrameVerdict:
    """What became of a frame: `used`, else `reason`; shift in pixels and turn in degrees against the first."""

    file: str
    used: bool
    reason: str = ""
    shift_px: tuple[float, float] = (0.0, 0.0)
    turn_deg: float = 0.0
    residual_px: float = 0.0
    model_px: float = 0.0


@dataclass(frozen=True)
class MergeResult:
    """`noise_gain`: how much lower the noise of the result is (standard deviation of one frame over the result's);
    `rms_px`: error left in the alignment's model, over all frames."""

    output: Path
    frames: tuple[FrameVerdict, ...]
    rms_px: float
    noise_gain: float
    expected_gain: float
    range_ev: float = 0.0
    warnings: tuple[str, ...] = field(default=())

    def as_json(self) -> dict:
        used = [f for f in self.frames if f.used]
        return {
            "output": str(self.output),
            "frames_used": len(used),
            "frames_rejected": [{"file": f.file, "reason": f.reason} for f in self.frames if not f.used],
            "registration": {
                "rms_px": round(self.rms_px, 4),
                "frames": [
                    {
                        "file": f.file,
                        "shift_px": [round(v, 3) for v in f.shift_px],
                        "turn_deg": round(f.turn_deg, 4),
                        "track_residual_px": round(f.residual_px, 4),
                        "model_px": round(f.model_px, 4),
                    }
                    for f in used
                ],
            },
            "gain": {"noise": round(self.noise_gain, 4), "expected": round(self.expected_gain, 4)},
            "range_ev": round(self.range_ev, 2),
            "warnings": list(self.warnings),
        }


def _noop(_: float, __: str) -> None:
    return None


def _target(files: Sequence[str | Path], output: Target | str | Path, overwrite: bool) -> Target:
    """Where a merge may write; raises `BrutoError` before any work is done."""
    if isinstance(output, Target):
        return output
    if Path(output).suffix.lower() != ".dng":
        raise BrutoError(f"A merge writes a raw: let the name end in .dng, not '{Path(output).name}'.")
    return Outputs(files, overwrite=overwrite).file(output)


def _written(
    target: Target, renamed: Callable[[], Target] | None, codes: NDArray, tags: DngTags, preview: NDArray[np.uint8]
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
            "A merge needs at least two different raw files." if same else "A merge needs at least two raw files."
        )
    found = [FrameVerdict(str(paths[k]), False, f"the same picture as {paths[n].name}") for k, n in same.items()]
    return left, found


def _verdict(frame: Frame, alignment: Alignment | None) -> FrameVerdict:
    if alignment is None:
        return FrameVerdict(str(frame.path), True)
    w, h = alignment.first_size
    centre = np.array([[(w - 1) / 2, (h - 1) / 2]])
    shift = (alignment.apply(centre) - centre)[0]
    turn = math.degrees(math.atan2(alignment.homography[1, 0], alignment.homography[0, 0]))
    return FrameVerdict(
        str(frame.path),
        True,
        shift_px=(float(shift[0]), float(shift[1])),
        turn_deg=turn,
        residual_px=alignment.residual_px,
        model_px=alignment.model_px,
    )


def _stop(cancelled: Callable[[], bool] | None) -> None:
    if cancelled is not None and cancelled():
        raise Cancelled("The merge was stopped; nothing was written.")


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _accumulate(band, reference, a, b, inside, all_inside, total, weights, squares):
    """Add a band with weights that fall where its 3 x 3 mean differs from the reference by more than noise."""
    h, w = band.shape[:2]
    for y in prange(h):
        for x in range(w):
            if not all_inside and not inside[y, x]:
                continue
            excess = np.float32(0)
            for c in range(3):
                d = np.float32(0)
                level = np.float32(0)
                n = np.float32(0)
                for j in range(max(0, y - 1), min(h, y + 2)):
                    for i in range(max(0, x - 1), min(w, x + 2)):
                        d += band[j, i, c] - reference[j, i, c]
                        level += reference[j, i, c]
                        n += 1
                d /= n
                variance = 2 * (a[c] * max(level / n, np.float32(0)) + b[c])
                # neighbours are correlated by the demosaicing: nine count as about three; small shifts of edges are
                # allowed for
                room = variance / 3 + (np.float32(0.05) * level / n) ** 2
                excess = max(excess, d * d / room)
            weight = np.float32(1)
            if excess > 9:
                weight = np.float32(math.exp(-(excess - 9) / 6))
            for c in range(3):
                total[y, x, c] += weight * band[y, x, c]
            weights[y, x] += weight
            squares[y, x] += weight * weight


def _align_all(
    first: Frame,
    others: list[Path],
    progress: Progress,
    cancelled: Callable[[], bool] | None,
) -> tuple[list[tuple[Path, Alignment]], list[FrameVerdict]]:
    """Load and align every other frame; frames that do not fit are named with the reason."""
    base = brightness(first)
    h, w = first.linear.data.shape[:2]
    kept: list[tuple[Path, Alignment]] = []
    verdicts: list[FrameVerdict] = []
    for k, path in enumerate(others):
        _stop(cancelled)
        progress(0.3 * (k + 1) / (len(others) + 1), f"aligning {path.name}")
        try:
            frame = load_frame(path)
            reason = check_alike(first, frame)
            if reason is None:
                alignment = align(base, brightness(frame), (w, h))
                reason = rough(alignment)
        except Cancelled:
            raise
        except BrutoError as error:
            reason = str(error)
        if reason is not None:
            verdicts.append(FrameVerdict(str(path), False, reason))
            continue
        verdicts.append(_verdict(frame, alignment))
        kept.append((path, alignment))
    return kept, verdicts


def _tags(first: Frame, noise: NDArray, *, floating: bool, baseline: float, sources: list[str], what: str) -> DngTags:
    m = first.meta
    return DngTags(
        black=np.zeros(3) if floating else np.full(3, float(PEDESTAL)),
        white=np.full(3, 1.0 if floating else float(WHITE)),
        bits=16,
        calibrations=m.calibrations,
        as_shot_neutral=m.as_shot_neutral,
        noise_profile=noise,
        baseline_exposure=baseline,
        gain_maps=plane_gain_maps(m),
        orientation=m.orientation,
        make=m.make,
        model=m.model,
        software=SOFTWARE,
        description=what,
        taken=m.taken,
        iso=m.iso,
        exposure_s=m.exposure_s,
        f_number=m.f_number,
        focal_mm=m.focal_mm,
        focal_35mm=m.focal_35mm,
        source_files=tuple(sources),
    )


def _preview(first: Frame) -> NDArray[np.uint8]:
    if first.preview is not None:
        try:
            return decode_jpeg(first.preview)
        except BrutoError:
            pass
    data = brightness(first)
    small = cv2.resize(data, (max(16, data.shape[1] // 4), max(16, data.shape[0] // 4)), interpolation=cv2.INTER_AREA)
    return np.repeat((255 * np.clip(small * 2, 0, 1) ** 0.45).astype(np.uint8)[..., None], 3, axis=2)


def merge_noise(
    files: list[str | Path],
    output: Target | str | Path,
    *,
    method: str = "mean",
    overwrite: bool = False,
    renamed: Callable[[], Target] | None = None,
    progress: Progress = _noop,
    cancelled: Callable[[], bool] | None = None,
) -> MergeResult:
    """Merge a burst at equal settings into a linear DNG with less noise.

    `method`: "mean" (weighted, moving things kept from the first frame) or "median". Any number of frames; memory
    holds one frame and the sums ("median" spools aligned frames to a temporary file beside the output). `overwrite`:
    another existing file may be replaced (an original never is); `renamed`: gives another target where a file took the
    name while the merge ran. Raises `BrutoError`.
    """
    if method not in ("mean", "median"):
        raise BrutoError(f"A burst is merged by mean or median, not '{method}'.")
    target = _target(files, output, overwrite)
    paths, same = _different([Path(f) for f in files])
    first = load_frame(paths[0])
    aligned, verdicts = _align_all(first, paths[1:], progress, cancelled)
    verdicts = [_verdict(first, None), *verdicts, *same]
    if not aligned:
        raise BrutoError(
            "No frame could be merged with the first: "
            + "; ".join(f"{Path(v.file).name}: {v.reason}" for v in verdicts if not v.used)
        )
    h, w = first.linear.data.shape[:2]
    a, b = first.noise[:, 0].astype(np.float32), first.noise[:, 1].astype(np.float32)
    if method == "median":
        merged, gain = _median(first, aligned, target.path, progress, cancelled)
    else:
        reference = np.empty((h, w, 3), np.float32)
        for top in range(0, h, BAND):
            reference[top : top + BAND] = warped_band(first, None, top, min(h, top + BAND))[0]
        total, weights, squares = reference.copy(), np.ones((h, w), np.float32), np.ones((h, w), np.float32)
        for k, (path, alignment) in enumerate(aligned):
            frame = load_frame(path)
            progress(0.3 + 0.6 * (k + 1) / len(aligned), f"merging {frame.path.name}")
            for top in range(0, h, BAND):
                _stop(cancelled)
                bottom = min(h, top + BAND)
                band, inside = warped_band(frame, alignment, top, bottom)
                rows = slice(top, bottom)
                mask = np.zeros((1, 1), bool) if inside is None else inside
                _accumulate(
                    band, reference[rows], a, b, mask, inside is None, total[rows], weights[rows], squares[rows]
                )
        del reference
        total /= weights[..., None]
        gain = float(np.median(weights[::4, ::4] / np.sqrt(squares[::4, ::4])))
        merged = total
    used = [v for v in verdicts if v.used]
    noise = first.noise / gain**2
    codes = np.empty((h, w, 3), np.uint16)
    for top in range(0, h, BAND):
        rows = slice(top, top + BAND)
        codes[rows] = np.clip(np.rint(merged[rows] * (WHITE - PEDESTAL) + PEDESTAL), 0, WHITE)
    del merged
    _stop(cancelled)
    progress(0.93, "writing")
    sources = [Path(v.file).name for v in used]
    target = _written(
        target,
        renamed,
        codes,
        _tags(
            first,
            noise,
            floating=False,
            baseline=first.meta.baseline_exposure,
            sources=sources,
            what=f"{method} of {len(used)} frames: " + ", ".join(sources)[:400],
        ),
        _preview(first),
    )
    rms = float(np.sqrt(np.mean([v.model_px**2 for v in used[1:]]))) if len(used) > 1 else 0.0
    progress(1.0, "done")
    return MergeResult(target.path, tuple(verdicts), rms, gain, math.sqrt(len(used)))


def _median(
    first: Frame,
    aligned: list[tuple[Path, Alignment]],
    output: Path,
    progress: Progress,
    cancelled: Callable[[], bool] | None,
) -> tuple[NDArray[np.float32], float]:
    """Middle value of all aligned frames, and the gain of a median (asymptotically sqrt(2 / pi) of the mean's)."""
    h, w = first.linear.data.shape[:2]
    count = len(aligned) + 1
    try:
        with tempfile.TemporaryFile(dir=output.parent) as spool:
            for k in range(count):
                frame = load_frame(aligned[k - 1][0]) if k else first
                alignment = aligned[k - 1][1] if k else None
                progress(0.3 + 0.4 * (k + 1) / count, f"aligning {frame.path.name}")
                for top in range(0, h, BAND):
                    _stop(cancelled)
                    band, inside = warped_band(frame, alignment, top, min(h, top + BAND))
                    if inside is not None:
                        band[~inside] = np.nan
                    spool.write(band.astype(np.float16).tobytes())
            merged = np.empty((h, w, 3), np.float32)
            size = h * w * 6
            for top in range(0, h, 64):
                _stop(cancelled)
                rows = min(64, h - top)
                stack = np.empty((count, rows, w, 3), np.float32)
                for k in range(count):
                    spool.seek(k * size + top * w * 6)
                    stack[k] = np.frombuffer(spool.read(rows * w * 6), np.float16).reshape(rows, w, 3)
                merged[top : top + rows] = np.nanmedian(stack, axis=0)
                progress(0.7 + 0.2 * (top + rows) / h, "taking the middle values")
    except OSError as error:
        raise explain(error, output, "keep temporary frames beside") from error
    efficiency = {2: 1.0, 3: 0.743, 4: 0.838, 5: 0.697, 6: 0.776, 7: 0.679, 8: 0.743}.get(count, 0.637 + 0.6 / count)
    return merged, math.sqrt(count * efficiency)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _radiance(bands, full, exposures, a, b, floor_weight, out, achieved):
    """Weighted mean radiance of frames (N, h, w, 3), each divided by its relative exposure."""
    n, h, w = bands.shape[:3]
    for y in prange(h):
        for x in range(w):
            for c in range(3):
                # first estimate: every unclipped frame by its exposure, the variance-optimal choice in bright light
                top = np.float32(0)
                low = np.float32(0)
                for k in range(n):
                    weight = full[k, y, x] * exposures[k]
                    top += weight * bands[k, y, x, c] / exposures[k]
                    low += weight
                if low <= 0:
                    out[y, x, c] = bands[0, y, x, c] / exposures[0]
                    continue
                estimate = max(top / low, np.float32(0))
                top = np.float32(0)
                low = np.float32(0)
                for k in range(n):
                    e = exposures[k]
                    variance = (a[k, c] * e * estimate + b[k, c]) / (e * e)
                    weight = full[k, y, x] / variance
                    top += weight * bands[k, y, x, c] / e
                    low += weight
                out[y, x, c] = top / low


def merge_exposure(
    files: list[str | Path],
    output: Target | str | Path,
    *,
    overwrite: bool = False,
    renamed: Callable[[], Target] | None = None,
    progress: Progress = _noop,
    cancelled: Callable[[], bool] | None = None,
) -> MergeResult:
    """Merge a bracket into a half-float linear DNG; 1.0 = saturation of the shortest frame. Raises `BrutoError`.

    Files may come in any order; exposure is read from them. The frame of middle exposure is the reference of the
    alignment.
    """
    target = _target(files, output, overwrite)
    paths, same = _different([Path(f) for f in files])
    if len(paths) > 15:
        raise BrutoError(
            f"A bracket has at most 15 frames, not {len(paths)}. Merge frames of equal exposure as a burst first."
        )
    loaded = sorted((load_frame(p) for p in paths), key=lambda f: f.exposure)
    middle = loaded[len(loaded) // 2]
    if loaded[-1].exposure / loaded[0].exposure < 1.2:
        raise BrutoError("These frames have the same exposure: merge them as a burst (noise) instead.")
    base = brightness(middle)
    h, w = middle.linear.data.shape[:2]
    frames: list[tuple[Frame, Alignment | None]] = []
    verdicts = list(same)
    for k, frame in enumerate(loaded):
        _stop(cancelled)
        progress(0.3 * (k + 1) / len(loaded), f"aligning {frame.path.name}")
        if frame is middle:
            frames.append((frame, None))
            verdicts.append(_verdict(frame, None))
            continue
        reason = check_alike(middle, frame)
        alignment = None
        if reason is None:
            try:
                ratio = middle.exposure / frame.exposure
                top = min(1.0, ratio)  # both are cut at the light that the brighter one still holds
                alignment = align(np.minimum(base, top), np.minimum(brightness(frame, ratio), top), (w, h))
                reason = rough(alignment)
            except BrutoError as error:
                reason = str(error)
        if reason is not None:
            verdicts.append(FrameVerdict(str(frame.path), False, reason))
        else:
            frames.append((frame, alignment))
            verdicts.append(_verdict(frame, alignment))
    if len(frames) < 2:
        raise BrutoError(
            "No frame could be merged with the middle one: "
            + "; ".join(f"{Path(v.file).name}: {v.reason}" for v in verdicts if not v.used)
        )
    shortest, longest = frames[0][0], frames[-1][0]
    exposures = _true_exposures([f for f, _ in frames]).astype(np.float32)
    a = np.stack([f.noise[:, 0] for f, _ in frames]).astype(np.float32)
    b = np.stack([f.noise[:, 1] for f, _ in frames]).astype(np.float32)
    out = np.empty((h, w, 3), np.float16)
    for top in range(0, h, BAND):
        _stop(cancelled)
        bottom = min(h, top + BAND)
        bands = np.empty((len(frames), bottom - top, w, 3), np.float32)
        full = np.empty((len(frames), bottom - top, w), np.float32)
        for k, (frame, alignment) in enumerate(frames):
            bands[k], inside = warped_band(frame, alignment, top, bottom)
            peak = cv2.dilate(bands[k].max(axis=2), np.ones((FULL_REACH, FULL_REACH), np.uint8))
            full[k] = np.clip((FULL_AT - peak) / (FULL_AT - FULL_FROM), 0, 1)
            if inside is not None:
                full[k][~inside] = 0
        # where even the shortest frame is full, it is all there is
        full[0] = np.where(full.max(axis=0) <= 0, 1e-6, full[0])
        result = np.empty((bottom - top, w, 3), np.float32)
        _radiance(bands, full, exposures, a, b, np.float32(0), result, result)
        out[top:bottom] = np.clip(result, -0.01, 60000)
        progress(0.3 + 0.6 * bottom / h, "merging")
    noise = _noise_of_bracket(exposures, a, b)
    ratio = float(middle.exposure / shortest.exposure)
    sources = [f.path.name for f, _ in frames]
    progress(0.93, "writing")
    target = _written(
        target,
        renamed,
        out,
        _tags(
            middle,
            noise,
            floating=True,
            baseline=middle.meta.baseline_exposure + math.log2(ratio),
            sources=sources,
            what=f"bracket of {len(frames)} frames: " + ", ".join(sources),
        ),
        _preview(middle),
    )
    used = [v for v in verdicts if v.used and v.residual_px > 0]
    dark = (b[:, 1] / exposures**2) ** -1
    gain = float(np.sqrt(dark.sum() / dark[0]))
    progress(1.0, "done")
    return MergeResult(
        target.path,
        tuple(verdicts),
        float(np.sqrt(np.mean([v.model_px**2 for v in used]))) if used else 0.0,
        gain,
        gain,
        range_ev=math.log2(longest.exposure / shortest.exposure) + math.log2(1 / max(math.sqrt(float(b[-1, 1])), 1e-6)),
    )


def _true_exposures(frames: list[Frame]) -> NDArray[np.float64]:
    """Exposure of each frame over the first's (rising order), measured in the pictures where files state rounded times.

    Neighbours in exposure are compared by block means that both hold well; the median of their ratios is taken.
    """
    stated = np.array([f.exposure for f in frames])
    found = [1.0]
    blocks = []
    for frame in frames:
        light = brightness(frame)
        h, w = light.shape
        small = cv2.resize(light, (max(1, w // 16), max(1, h // 16)), interpolation=cv2.INTER_AREA)
        top = cv2.resize(
            cv2.dilate(light, np.ones((17, 17), np.uint8)), small.shape[::-1], interpolation=cv2.INTER_NEAREST
        )
        blocks.append((small, top))
    for k in range(1, len(frames)):
        ratio = stated[k] / stated[k - 1]
        (dark, _), (bright, top) = blocks[k - 1], blocks[k]
        floor = 30 * math.sqrt(float(frames[k - 1].noise[1, 1]))
        good = (top < 0.8) & (dark > floor) & (bright > 0)
        if good.sum() >= 60:
            measured = float(np.median(bright[good] / dark[good]))
            if abs(measured / ratio - 1) < EXPOSURE_TRUST:
                ratio = measured
        found.append(found[-1] * ratio)
    return np.array(found)


def bracket_variance(x: NDArray, exposures: NDArray, a: NDArray, b: NDArray) -> NDArray:
    """Least variance (Cramer-Rao bound) of radiance x (1 = saturation of the shortest) from frames not full there;
    one channel.
    """
    information = np.zeros_like(np.asarray(x, float))
    for e, ak, bk in zip(exposures, a, b, strict=True):
        information += np.where(x * e < FULL_AT, e * e / (ak * e * x + bk), 0)
    return 1 / np.maximum(information, 1e-12)


def _noise_of_bracket(exposures: NDArray, a: NDArray, b: NDArray) -> NDArray[np.float64]:
    """a, b of each channel fitted to the merged variance over the range that is used most (in logarithms)."""
    x = np.geomspace(1e-4, 0.9, 60)
    result = []
    for c in range(3):
        v = bracket_variance(x, exposures, a[:, c], b[:, c])
        design = np.stack([x / v, 1 / v], axis=1)
        from scipy.optimize import nnls

        result.append(nnls(design, np.ones(len(x)))[0])
    return np.maximum(np.array(result), [1e-9, 1e-12])

"""A night of many frames: `./run bench --quality`, or `python -m benchmarks.nights [FRAMES [MEGAPIXELS] | field]` for
these figures alone.

Frames of the simulated night, whose truth is known: how long trails take over decoding, how much memory, which frames
are judged rightly by the previews and by the raws, and how far arcs dip where clouds were.
"""

from __future__ import annotations

import json
import multiprocessing
import resource
import sys
import time
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.container.raw_frame import RawFrame
from bruto.merge.merger import merge
from bruto.merge.sky.frame_assessment import plan
from bruto.merge.sky.night_judge import overview
from bruto.simphone.capture import Exposure
from bruto.simphone.night import NightEvent, NightFrame, NightPhone, save_frame
from bruto.simphone.sensor_model import SIZES

EXPOSURE = Exposure(1600.0, 15.0)
BRIGHTEST = 4.8
"""Magnitude up to which arcs are looked at."""
BESIDE = 12
"""Pixels of an arc to each side of a gap with which what bridges it is compared."""


def happening(count: int) -> NightEvent:
    """A tenth of the night under clouds, two aircraft, a satellite, two lost frames, a moved one, two test shots."""
    clouds = (count // 3, count // 3 + count // 10)
    return NightEvent(
        clouds=(clouds,), aircraft=(count // 5, count * 4 // 5),
        satellites=(count // 2,), lost=(count * 6 // 10, count * 62 // 100), shaken=(count * 7 // 10,),
        tests=2, lamp=True,
    )  # fmt: skip


def dips(
    light: NDArray[Any], phone: NightPhone, frames: list[NightFrame], used: set[int]
) -> tuple[list[float], list[float]]:
    """How far below its median each bright arc falls (hundredth of its length), as seen from a little away; and how
    far where it was bridged (none of the frames `used` was exposed) below the arc to both sides of there, means of
    `BESIDE` pixels.
    """
    good = [f for f in frames if f.bad != "test shot"]
    times = np.arange(good[0].start + 7.5, good[-1].start + 7.5, 2.0)
    seconds = EXPOSURE.seconds
    open_at = np.zeros(len(times), bool)
    for f in frames:
        if f.number in used:
            open_at |= (times >= f.start - 1.5) & (times <= f.start + seconds + 1.5)
    grey = light.sum(axis=2).astype(np.float32)
    even = cv2.GaussianBlur(grey - cv2.blur(np.minimum(grey, 1.5 * np.median(grey)), (41, 41)), (0, 0), 1.5)
    at = [phone.places(t) for t in times]
    size, whole, bridged = np.array([phone.width, phone.height]), [], []
    for k in np.nonzero(phone.magnitudes < BRIGHTEST)[0]:
        if not all(ahead[k] for _, ahead in at):
            continue
        alternative = np.array([places[k] for places, _ in at])
        if not (
            (alternative > 10).all()
            and (alternative < size - 10).all()
            and alternative[:, 1].max() < 0.36 * phone.height
        ):
            continue
        steps = np.linalg.norm(np.diff(alternative, axis=0), axis=1)
        if steps.sum() < 30:
            continue
        x, y = (alternative[:, i].astype(np.float32)[None] for i in (0, 1))
        profile = cv2.remap(even, x, y, cv2.INTER_LINEAR)[0]
        edge = len(profile) // 20
        inner = profile[edge:-edge]
        whole.append(float(1 - np.percentile(inner, 1) / np.median(inner)))
        near = max(2, round(BESIDE / steps.mean()))
        change = np.flatnonzero(np.diff(open_at.astype(int)))
        for a, b in pairwise(change):
            if open_at[a + 1] or a < edge + near or b + near > len(profile) - edge:
                continue
            beside = np.concatenate([profile[a - near + 1 : a + 1], profile[b + 1 : b + 1 + near]]).mean()
            bridged.append(float(1 - np.mean(profile[a + 1 : b + 1]) / beside))
    return whole, bridged


def _merged(files: list[Path], out: Path, notice: Any) -> None:
    began = time.perf_counter()
    result = merge("trails", files, out)
    notice.put({
        "seconds": time.perf_counter() - began, "peak_gb": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6,
        "used": [Path(f.file).name for f in result.frames if f.used],
    })  # fmt: skip


def nights(count: int = 36, megapixels: int = 12) -> dict[str, Any]:
    """Figures of a night of so many frames."""
    with TemporaryDirectory(prefix="bruto-night-") as name:
        folder = Path(name)
        phone = NightPhone(megapixels, happening=happening(count))
        frames = phone.frames(count, EXPOSURE)
        begin = datetime(2026, 6, 21, 23)
        files = [
            save_frame(phone.take(f), folder / f"sky-{f.number + 1:03d}.dng", begin + timedelta(seconds=f.start))
            for f in frames
        ]
        began = time.perf_counter()
        for file in files[: min(count, 40)]:
            read_dng(file)
        decode = (time.perf_counter() - began) / min(count, 40) * len(files)
        began = time.perf_counter()
        seen = plan(files)
        for _ in overview(seen, lambda: None):
            pass
        looked = time.perf_counter() - began
        context = multiprocessing.get_context("spawn")  # its own memory is measured
        notice: Any = context.Queue()
        process = context.Process(target=_merged, args=(files, folder / "out.dng", notice))
        process.start()
        merged = notice.get()
        process.join()
        used = {f.number for file, f in zip(files, frames, strict=True) if file.name in merged["used"]}
        arcs, gaps = dips(linearise(read_dng(folder / "out.dng")).data, phone, frames, used)
        bad = {file.name for file, f in zip(files, frames, strict=True) if f.bad}
        by_preview = {s.path.name for s in seen if s.why}
        by_raw = {f.name for f in files} - set(merged["used"])
        return {
            "frames": len(files), "pixels": SIZES[megapixels], "decode_s": decode, "trails_s": merged["seconds"],
            "over_decoding": merged["seconds"] / decode, "peak_gb": merged["peak_gb"], "previews_judged_s": looked,
            "bad": len(bad), "found_by_preview": len(bad & by_preview), "lost_by_preview": len(by_preview - bad),
            "found_by_raw": len(bad & by_raw), "lost_by_raw": len(by_raw - bad), "arcs": len(arcs),
            "dip_median": float(np.median(arcs)) if arcs else None, "dip_worst": max(arcs, default=None),
            "gaps": len(gaps), "gap_dip_median": float(np.median(gaps)) if gaps else None,
            "gap_dip_worst": max(gaps, default=None),
        }  # fmt: skip


def widths(light: NDArray[Any], places: NDArray[Any], reach: int = 5) -> NDArray[Any]:
    """Root of the mean squared distance of each star's light from its middle, pixels."""
    found, offsets = [], np.arange(-reach, reach + 1)
    for x, y in np.rint(places).astype(int):
        part = light[y - reach : y + reach + 1, x - reach : x + reach + 1].sum(axis=2).astype(float)
        ring = np.concatenate([part[0], part[-1], part[:, 0], part[:, -1]])
        part = np.maximum(part - np.median(ring) - 2 * ring.std(), 0)
        total = max(float(part.sum()), 1e-12)
        cx, cy = (part.sum(axis=0) * offsets).sum() / total, (part.sum(axis=1) * offsets).sum() / total
        found.append(float(np.sqrt((part * ((offsets[None] - cx) ** 2 + (offsets[:, None] - cy) ** 2)).sum() / total)))
    return np.array(found)


def field(count: int = 12, size: tuple[int, int] = (2016, 1512)) -> dict[str, Any]:
    """A star field of frames between which the sky turns by 0.4 degrees: stars' widths, noise of the sky, seconds."""
    from tests.truth import ideal_rgb

    from bruto.merge.frames import load_frame
    from bruto.merge.planes import color_band

    with TemporaryDirectory(prefix="bruto-field-") as name:
        folder = Path(name)
        phone = NightPhone(size=size, seed=3, happening=NightEvent(satellites=(4,)))
        frames = phone.frames(count, EXPOSURE, 0.4 * 86164.0905 / 360 - EXPOSURE.seconds)
        begin = datetime(2026, 6, 21, 23)
        files = [
            save_frame(phone.take(f), folder / f"sky-{f.number + 1:03d}.dng", begin + timedelta(seconds=f.start))
            for f in frames
        ]
        began = time.perf_counter()
        result = merge("sky", list(files), folder / "out.dng")
        took = time.perf_counter() - began
        merged = linearise(replace_gains(read_dng(folder / "out.dng"))).data
        middle = frames[count // 2]
        one = color_band(load_frame(files[count // 2]), 0, size[1])
        true = ideal_rgb(phone.take(middle))
        places, ahead = phone.places(middle.start + EXPOSURE.seconds / 2)
        good = ahead & (phone.magnitudes < 5.4) & (phone.magnitudes > 2)
        good &= ((places > 40) & (places < [size[0] - 40, 0.33 * size[1]])).all(axis=1)
        ratio = widths(merged, places[good]) / widths(one, places[good])
        m = round((phone._whole[1] - size[0]) / 2)
        sky = cv2.erode(phone._sky[m:-m, m:-m], np.ones((81, 81), np.uint8)) > 0.99
        level = cv2.blur(true, (41, 41))
        sky &= (np.abs(true - level) < 0.03 * level).all(axis=2)
        sky[:60], sky[:, :60], sky[:, -60:] = False, False, False
        gain = float((one - true)[sky].std() / (merged - true)[sky].std())
        return {
            "frames": count, "used": sum(f.used for f in result.frames), "seconds": took,
            "turning_rms_px": result.rms_px,
            "stars": int(np.isfinite(ratio).sum()), "width_over_one": float(np.nanmedian(ratio)),
            "sky_gain": gain, "of_root_n": gain / count**0.5,
        }  # fmt: skip


def replace_gains(frame: RawFrame) -> RawFrame:
    """A frame without its lens-shading gain."""
    return RawFrame(frame.codes, replace(frame.meta, gain_maps=()))


if __name__ == "__main__":
    print(json.dumps(field() if sys.argv[1:] == ["field"] else nights(*map(int, sys.argv[1:3])), indent=1))

"""What merging reaches: `./run bench --quality`, or `python -m benchmarks.merging` for these figures alone.

Frames whose movement and light are known, of photographs and of the simulated phone, merged by us and by OpenCV.
"""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from tests.hand import MARGIN, OVER, SIZE, collage, record, seen_from, sensor_at, shaken
from tests.photographs import Sensor, codes_of
from tests.truth import plain_linear

from bruto.container.dng_reader import read_dng
from bruto.container.linearisation import linearise
from bruto.develop.demosaic import demosaic
from bruto.merge.frames import align, load_frame
from bruto.merge.merger import merge
from bruto.merge.planes import color_band
from bruto.simphone.capture import Exposure, Phone

SCENES = ("sluice", "pans", "card", "boiling-house", "crystals")
COUNT = 16
BORDER = 96
EDGE_DEG = 6.0
"""Slant of the edges whose sharpness is measured."""


# -- movement


def _off(found: Any, truth: NDArray[Any]) -> float:
    """Error of an alignment, rms over the frame, pixels of one axis."""
    w, h = found.first_size
    grid = np.array([[x, y] for x in np.linspace(0, w - 1, 9) for y in np.linspace(0, h - 1, 9)])
    true = grid @ truth[:, :2].T + truth[:, 2]
    inside = ((true >= 0) & (true <= [w - 1, h - 1])).all(axis=1)
    return float(np.sqrt(((found.apply(grid) - true)[inside] ** 2).mean()))


def alignment(isos: Sequence[float] = (100, 400, 1600, 3200), frames: int = 4) -> dict[str, Any]:
    """Errors of the alignment for shakes up to 40 px and 1.5 degrees, pixels; each of so many frames."""
    errors: dict[str, list[float]] = {}
    light = collage()
    for iso in isos:
        sensor = sensor_at(iso)

        def half(codes: NDArray[Any], sensor: Sensor = sensor) -> NDArray[np.float32]:
            data = (codes.astype(np.float32) - np.float32(sensor.black)) / np.float32(sensor.white - sensor.black)
            return cv2.resize(data, (SIZE[0] // 2, SIZE[1] // 2), interpolation=cv2.INTER_AREA)

        first = half(codes_of(seen_from(light, shaken(1, 0)), sensor, 1))
        for k in range(1, frames + 1):
            truth = shaken(int(iso), k)
            other = half(codes_of(seen_from(light, truth), sensor, 50 + k))
            errors.setdefault("photographs", []).append(_off(align(first, other, SIZE, sensor.b / sensor.a), truth))
        for scene in SCENES:
            phone = Phone(scene, 3)
            metered = phone.meter()
            exposure = Exposure(iso, metered.seconds * metered.iso / iso)
            reference = phone.shoot(exposure, seed=1)
            floor = reference.noise[1] / reference.noise[0]
            planes = Sensor(black=256.0)
            first_of_scene = half(reference.codes, planes)
            for k in range(1, frames + 1):
                truth = shaken(int(iso), k)
                other = half(phone.shoot(exposure, seed=10 + k, transform=truth).codes, planes)
                errors.setdefault(scene, []).append(_off(align(first_of_scene, other, SIZE, floor), truth))
    every = [v for rows in errors.values() for v in rows]
    return {
        "pairs": len(every), "median_px": float(np.median(every)), "worst_px": max(every),
        "worst_of": {k: max(v) for k, v in errors.items()},
    }  # fmt: skip


# -- noise, sharpness and ghosts of a burst


def with_edges(light: NDArray[np.float32]) -> tuple[NDArray[np.float32], list[tuple[slice, slice, bool]]]:
    """Light with four slanted edges laid into it, and where they are in a frame: rows, columns, whether along x."""
    out, places = light.copy(), []
    for k, (level, along) in enumerate(((0.6, False), (0.6, True), (0.3, False), (0.3, True))):
        y, x = 300 + (k % 2) * 500, 300 + (k // 2) * 800
        size = 200
        area = np.s_[(y + MARGIN) * OVER : (y + size + MARGIN) * OVER, (x + MARGIN) * OVER : (x + size + MARGIN) * OVER]
        yy, xx = np.mgrid[0 : size * OVER, 0 : size * OVER].astype(np.float32) - size * OVER / 2
        across = (yy if along else xx) + math.tan(math.radians(EDGE_DEG)) * (xx if along else yy)
        edge = 1 / (1 + np.exp(-np.clip(across / (0.35 * OVER), -40, 40)))
        out[area] = (level * (0.25 + 0.75 * edge))[..., None]
        places.append((slice(y + 40, y + 160), slice(x + 40, x + 160), along))
    return out, places


def mtf50(green: NDArray[Any], along: bool) -> float:
    """Frequency in cycles a pixel at which a slanted edge keeps half its contrast (ISO 12233, edges in rows)."""
    data = green.T if along else green
    rows, columns = data.shape
    x = np.arange(columns)
    slope = -math.tan(math.radians(EDGE_DEG))
    middle = (columns - 1) / 2 + slope * (np.arange(rows) - (rows - 1) / 2)
    fine = 4
    bins = np.round((x[None] - middle[:, None]) * fine).astype(int)
    reach = 20 * fine
    keep = np.abs(bins) <= reach
    count = np.bincount((bins + reach)[keep], minlength=2 * reach + 1)
    profile = np.bincount((bins + reach)[keep], data[keep], 2 * reach + 1) / np.maximum(count, 1)
    spread = np.diff(profile) * np.hanning(2 * reach)
    found = np.abs(np.fft.rfft(spread, 4096))
    frequency = np.fft.rfftfreq(4096, 1 / fine)
    found = found / found[0] / np.maximum(np.sinc(frequency / fine), 0.1)
    k = int(np.argmax(found < 0.5))
    return float(np.interp(0.5, [found[k], found[k - 1]], [frequency[k], frequency[k - 1]]))


def movers(light: NDArray[np.float32], k: int) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """A frame with three things that move through it, and where they are: a lamp, a dark post, and a picture."""
    out, where = light.copy(), np.zeros(light.shape[:2], bool)
    yy, xx = np.mgrid[0 : light.shape[0], 0 : light.shape[1]]
    disc = (yy - 1200) ** 2 + (xx - 150 - 70 * k) ** 2 < 28**2
    post = (abs(xx - 1700 + 55 * k) < 12) & (abs(yy - 700) < 150)
    out[disc], out[post] = 0.9, 0.02
    y, x = 120 + 12 * k, 500 + 45 * k
    out[y : y + 80, x : x + 80] = light[900:980, 900:980]
    where |= disc | post
    where[y : y + 80, x : x + 80] = True
    return out, where


def _ideal(light: NDArray[np.float32], sensor: Sensor) -> NDArray[np.float32]:
    """Camera RGB of a frame without noise, by the same demosaicing."""
    codes = codes_of(light, sensor, -1).astype(np.float32)
    data = (codes - np.float32(sensor.black)) / np.float32(sensor.white - sensor.black)
    gains = np.array(sensor.gains)
    return np.asarray(demosaic(data, sensor.cfa, gains, averaged=True) / gains.astype(np.float32), np.float32)


Merger = Callable[[list[Path], Path], NDArray[np.float32]]


def ours(method: str = "mean") -> Merger:
    def run(files: list[Path], out: Path) -> NDArray[np.float32]:
        merge(method, list(files), out, overwrite=True)
        return plain_linear(read_dng(out))

    return run


def by_opencv(files: list[Path], out: Path) -> NDArray[np.float32]:
    """The same by OpenCV: edge-aware demosaicing, frames laid on the first by their correlation, their mean."""
    total, first, criteria = None, None, (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 50, 1e-5)
    for file in files:
        frame = read_dng(file)
        rgb = cv2.cvtColor(frame.codes, cv2.COLOR_BayerRGGB2RGB_EA).astype(np.float32)
        small = cv2.resize(rgb[..., 1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        if total is None or first is None:
            total, first = rgb, small
            continue
        _, warp = cv2.findTransformECC(first, small, np.eye(2, 3, dtype=np.float32), cv2.MOTION_EUCLIDEAN, criteria)
        warp[:, 2] = warp[:, 2] * 2 + 0.5 - warp[:, :2] @ np.array([0.5, 0.5], np.float32)
        total += cv2.warpAffine(
            rgb, warp, rgb.shape[1::-1], flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
    assert total is not None
    m = frame.meta
    black, white = float(np.mean(m.black)), float(np.mean(m.white))
    mean = (total / len(files) - black) / (white - black)
    cv2.imwrite(str(out.with_suffix(".tif")), np.clip(mean * 60000 + 2048, 0, 65535).astype(np.uint16))
    return mean


def _rms(difference: NDArray[Any], where: NDArray[Any]) -> float:
    return float(np.sqrt(np.mean(difference[where] ** 2)))


def burst(iso: float, amount: float, run: Merger, moving: bool = False, count: int = COUNT) -> dict[str, float]:
    """Gain over one frame, and its share of the root of the number of frames; loss of MTF50; error in moved areas over
    one frame's. Noise is what differs between two bursts of the same movement: what demosaicing does is in both.
    """
    sensor = sensor_at(iso)
    light, edges = with_edges(collage())
    lights = [seen_from(light, shaken(3, k, amount)) for k in range(count)]
    touched = np.zeros(lights[0].shape[:2], bool)
    if moving:
        own = [movers(seen, k) for k, seen in enumerate(lights)]
        for k, (_, where) in enumerate(own):
            back = cv2.warpAffine(
                where.astype(np.uint8), shaken(3, k, amount), SIZE, flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
            )
            touched |= back > 0
        lights = [seen for seen, _ in own]
    merged, single = [], []
    with TemporaryDirectory(prefix="bruto-burst-") as name:
        folder = Path(name)
        for seed in (7, 8):
            files = record(folder, lights, sensor, seed)
            merged.append(run(files, folder / "out.dng"))
            single.append(color_band(load_frame(files[0]), 0, SIZE[1]))
        # what one frame shows of an edge, its noise averaged away
        ones = [*single, *(color_band(load_frame(f), 0, SIZE[1]) for f in record(folder, lights[:1] * 6, sensor, 9))]
        one = np.mean(ones, axis=0)
    ideal = _ideal(lights[0], sensor)
    inner = np.zeros(touched.shape, bool)
    inner[BORDER:-BORDER, BORDER:-BORDER] = True
    good = inner & (ideal.max(axis=2) < 0.8)
    still = good & ~touched
    gain = float((single[0] - single[1])[still].std() / (merged[0] - merged[1])[still].std())
    mean = (merged[0] + merged[1]) / 2
    sharp = [mtf50(mean[r, c, 1], a) / mtf50(one[r, c, 1], a) for r, c, a in edges]
    found = {
        "gain": gain, "of_root_n": gain / math.sqrt(count), "mtf50_loss": 1 - float(np.mean(sharp)),
        "error_over_one": _rms(merged[0] - ideal, still) / _rms(single[0] - ideal, still),
    }  # fmt: skip
    if moving:
        area = good & touched
        found["moved_error"] = _rms(merged[0] - ideal, area) / _rms(single[0] - ideal, area)
    return {k: round(v, 3) for k, v in found.items()}


# -- brackets


def _static(
    scene: str, steps: tuple[float, ...], static: bool, folder: Path
) -> tuple[list[dict[str, Any]], NDArray[Any], NDArray[Any]]:
    """Shots of a bracket, its exposures over the shortest, and its light in units of that one's saturation."""
    from tests.truth import ideal_rgb

    from bruto.simphone.capture_files import simulate

    shots = simulate(scene, folder, megapixels=3, bracket=steps, seed=6, static=static)
    rising = sorted(shots, key=lambda shot: shot["ev"])
    reference = rising[len(rising) // 2]
    capture = Phone(scene, 3).shoot(
        Exposure(reference["iso"], reference["exposure_s"]), seed=6001, transform=np.array(reference["transform"])
    )
    exposures = np.array([2.0 ** (s["ev"] - rising[0]["ev"]) for s in rising])
    return rising, exposures, ideal_rgb(capture) / float(exposures[len(rising) // 2])


def _over_bound(
    merged: NDArray[Any], true: NDArray[Any], exposures: NDArray[Any], noise: dict[str, Any]
) -> dict[str, float]:
    """Error of green over the least possible, over all places and in the worst stretch of two stops, of places where no
    frame is about to clip and no edge is near; and errors in EV.
    """
    inner = np.s_[40:-40, 40:-40]
    light, x, found = true[inner].max(axis=2), true[inner][..., 1], merged[inner][..., 1]
    kernel = np.ones((13, 13), np.uint8)
    near = cv2.dilate(light, kernel)
    smooth = near < 1.6 * np.maximum(cv2.erode(light, kernel), 1e-5)
    for e in exposures:  # a weight that fades out counts for the bound as a whole
        smooth &= (near * e < 0.72) | (light * e > 1.05)
    smooth &= (x > 1e-5) & (near < 0.9)
    seen = np.stack([light * e < 0.95 for e in exposures])
    information = np.zeros(x.shape)
    for e, there in zip(exposures, seen, strict=True):
        information += there * e * e / (noise["a"] * e * x + noise["b"])
    ratio = (found - x) ** 2 * information
    stops = np.floor(np.log2(np.maximum(x, 1e-6)) / 2)
    bands = [
        float(np.sqrt(ratio[smooth & (stops == s)].mean()))
        for s in np.unique(stops)
        if (smooth & (stops == s)).sum() > 400
    ]
    good = (x > 1.6e-4) & (light < 0.9)
    error = np.abs(np.log2(np.maximum(found[good], 1e-6) / x[good]))
    return {
        "over_bound": float(np.sqrt(ratio[smooth].mean())), "worst_band": max(bands),
        "range_ev": float(np.log2(x[smooth].max() / x[smooth].min())),
        "median_ev": float(np.median(error)), "p95_ev": float(np.percentile(error, 95)),
    }  # fmt: skip


def bracket(scene: str, steps: tuple[float, ...], static: bool, opencv: bool = False) -> dict[str, float]:
    """What a bracket reaches; of OpenCV the errors in EV at its best brightness."""
    with TemporaryDirectory(prefix="bruto-bracket-") as name:
        folder = Path(name)
        rising, exposures, true = _static(scene, steps, static, folder / "shots")
        files = [Path(s["files"][0]) for s in rising]
        began = time.perf_counter()
        if opencv:
            merged = _debevec(files, exposures)
            inner = np.s_[40:-40, 40:-40]
            good = (true[inner][..., 1] > 1.6e-4) & (true[inner].max(axis=2) < 0.9)
            error = np.log2(np.maximum(merged[inner][..., 1][good], 1e-6) / true[inner][..., 1][good])
            error = np.abs(error - np.median(error))
            found = {"median_ev": float(np.median(error)), "p95_ev": float(np.percentile(error, 95))}
        else:
            merge("bracket", list(files), folder / "out.dng")
            merged = plain_linear(read_dng(folder / "out.dng"))
            found = _over_bound(merged, true, exposures, rising[0]["noise"])
        found["seconds"] = time.perf_counter() - began
    return {k: round(v, 3) for k, v in found.items()}


def _debevec(files: list[Path], exposures: NDArray[Any]) -> NDArray[np.float32]:
    """Radiance (H, W, 3) by OpenCV from its own pictures of the frames."""
    pictures = []
    for file in files:
        frame = read_dng(file)
        rgb = cv2.cvtColor(frame.codes, cv2.COLOR_BayerRGGB2RGB_EA).astype(np.float32)
        black, white = float(np.mean(frame.meta.black)), float(np.mean(frame.meta.white))
        pictures.append((255 * np.clip((rgb - black) / (white - black), 0, 1) ** (1 / 2.2)).round().astype(np.uint8))
    cv2.createAlignMTB().process(pictures, pictures)
    times = exposures.astype(np.float32)
    response = cv2.createCalibrateDebevec().process(pictures, times)
    return cv2.createMergeDebevec().process(pictures, times, response)


def speed(megapixels: int = 12, count: int = 8) -> dict[str, Any]:
    """Seconds of merging a burst, of reading and demosaicing its frames, and of OpenCV's merge."""
    from bruto.simphone.capture_files import simulate

    with TemporaryDirectory(prefix="bruto-burst-") as name:
        folder = Path(name)
        shots = simulate("sluice", folder / "burst", megapixels=megapixels, count=count, iso=1600.0, seed=3)
        files = [Path(s["files"][0]) for s in shots]
        took: dict[str, float] = {}

        def timed(title: str, work: Callable[[], Any]) -> None:
            best = math.inf
            for _ in range(2):
                began = time.perf_counter()
                work()
                best = min(best, time.perf_counter() - began)
            took[title] = best

        def read() -> None:
            for file in files:
                raw = linearise(read_dng(file))
                demosaic(raw.data, raw.cfa)

        def read_by_rawpy() -> None:
            import rawpy

            for file in files:
                with rawpy.imread(str(file)) as raw:
                    raw.postprocess(output_bps=16)

        timed("read_and_demosaic_s", read)
        timed("merge_s", lambda: merge("mean", list(files), folder / "out.dng", overwrite=True))
        timed("opencv_s", lambda: by_opencv(files, folder / "other.dng"))
        timed("read_and_demosaic_rawpy_s", read_by_rawpy)
    return {
        **{k: round(v, 2) for k, v in took.items()},
        "over_reading": round(took["merge_s"] / took["read_and_demosaic_s"], 2),
        "over_rawpy": round(took["merge_s"] / took["read_and_demosaic_rawpy_s"], 2),
        "over_opencv": round(took["merge_s"] / took["opencv_s"], 2),
    }


def merging(say: Callable[[str], None] = lambda text: None) -> dict[str, Any]:
    """All figures as one object."""
    found: dict[str, Any] = {}
    for key, work in (
        ("alignment", alignment),
        ("static, ISO 400", lambda: burst(400, 0.0, ours())),
        ("static, ISO 1600", lambda: burst(1600, 0.0, ours())),
        ("handheld, ISO 400", lambda: burst(400, 1.0, ours())),
        ("handheld, ISO 1600", lambda: burst(1600, 1.0, ours())),
        ("handheld, ISO 3200, moving things", lambda: burst(3200, 0.6, ours(), True)),
        ("handheld, ISO 400, moving things", lambda: burst(400, 0.6, ours(), True)),
        ("opencv, handheld, ISO 400, moving things", lambda: burst(400, 0.6, by_opencv, True)),
        ("opencv, handheld, ISO 1600", lambda: burst(1600, 1.0, by_opencv)),
        ("bracket of 3, static", lambda: bracket("boiling-house", (-3.0, 0.0, 3.0), True)),
        ("bracket of 5, static", lambda: bracket("boiling-house", (-4.0, -2.0, 0.0, 2.0, 4.0), True)),
        ("bracket of 3, handheld", lambda: bracket("boiling-house", (-3.0, 0.0, 3.0), False)),
        ("bracket of 5, handheld", lambda: bracket("sluice", (-4.0, -2.0, 0.0, 2.0, 4.0), False)),
        ("opencv, bracket of 3, handheld", lambda: bracket("boiling-house", (-3.0, 0.0, 3.0), False, True)),
        ("speed", speed),
    ):
        found[key] = work()
        say(f"{key}: {found[key]}")
    return found


if __name__ == "__main__":
    print(json.dumps(merging(lambda text: print(text, flush=True)), indent=1))

"""What a raw really holds: the measured facts of one frame, and the advice that follows from them."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.picture import decode_jpeg
from bruto.container.rawframe import CFA_LETTERS, Linear, RawFrame, linearise, shifted_cfa
from bruto.errors import BrutoError
from bruto.sensor.noise import dynamic_range_ev, estimate_noise, file_noise, shadow_lift_ev, signal_at_snr

CLIP_COUNTS = 0.01
"""Share in percent from which a frame counts as clipped (headroom 0)."""
ESTIMATOR_BLUR = 0.6**2 + 1 / 3
"""Variance (px^2) that the blur estimator adds: its first Gaussian and the central difference."""
PREVIEW_FULL = 254
"""8-bit code from which a preview pixel counts as clipped."""


@dataclass(frozen=True)
class Advice:
    """One piece of advice: `topic` (one word), `text` (a sentence), and its number."""

    topic: str
    text: str
    value: float
    unit: str


@dataclass(frozen=True)
class SensorReport:
    """Measured facts.

    `clipped_percent`: r, g, b of their sites, any and all of 2 x 2 quads; `headroom_ev`: how much brighter the shot
    could have been; `levels_used`: codes that occur; `effective_bits`; `noise` (a, b) of green and `noise_source`;
    `dynamic_range_ev`: to signal = noise; `shadow_lift_ev` at 1:1 and `shadow_lift_screen_ev` at 1280 px, to signal /
    noise 4; `edge_blur_px`: standard deviation of the blur of edges, or None where there are none;
    `middle_ev`: the middle of the scene from grey.
    """

    clipped_percent: dict[str, float]
    headroom_ev: float
    levels_used: int
    effective_bits: float
    noise: tuple[float, float]
    noise_source: str
    noise_measured: tuple[float, float]
    dynamic_range_ev: float
    shadow_lift_ev: float
    shadow_lift_screen_ev: float
    edge_blur_px: float | None
    middle_ev: float
    preview_clipped_percent: dict[str, float] | None
    advice: tuple[Advice, ...] = field(default=())


def _site_planes(frame: RawFrame) -> list[tuple[str, NDArray, float, float]]:
    """(colour, codes, black, white) of each mosaic site or linear plane inside the default crop."""
    meta = frame.meta
    x0, y0, w, h = meta.default_crop
    codes = frame.codes[y0 : y0 + h, x0 : x0 + w]
    white = np.broadcast_to(meta.white, (3,) if len(meta.white) in (1, 3) else meta.white.shape)
    if meta.kind == "linear":
        return [(CFA_LETTERS[k], codes[..., k], float(meta.black[k]), float(white[k])) for k in range(3)]
    ax, ay = meta.active_area[:2]
    cfa = shifted_cfa(meta.cfa, (x0 - ax) % 2, (y0 - ay) % 2)
    black = np.roll(meta.black, (-((y0 - ay) % 2), -((x0 - ax) % 2)), (0, 1)).ravel()
    return [
        (cfa[s], codes[s // 2 :: 2, s % 2 :: 2], float(black[s]), float(white[CFA_LETTERS.index(cfa[s])]))
        for s in range(4)
    ]


def clipping(clipped: NDArray[np.uint8], planes: list[tuple[str, NDArray, float, float]]) -> dict[str, float]:
    """Percent of sites full by channel, and of quads with any and with all channels full."""
    result = {}
    for k, colour in enumerate(CFA_LETTERS):
        parts = [(p >= white).mean() for c, p, _, white in planes if c == colour]
        result[colour.lower()] = 100 * float(np.mean(parts))
        del k
    result["any"] = 100 * float((clipped > 0).mean())
    result["all"] = 100 * float((clipped == 7).mean())
    return result


def headroom(planes: list[tuple[str, NDArray, float, float]], clipped: dict[str, float]) -> float:
    """log2(white / 99.9th percentile of 8 x 8 same-channel block means), the least over channels; 0 when 0.01 %
    clips.
    """
    if clipped["any"] >= CLIP_COUNTS:
        return 0.0
    tops = []
    for _, p, black, white in planes:
        h, w = p.shape[0] // 8 * 8, p.shape[1] // 8 * 8
        if not h or not w:
            continue
        means = cv2.resize(p[:h, :w].astype(np.float32), (w // 8, h // 8), interpolation=cv2.INTER_AREA)
        tops.append((float(np.percentile(means, 99.9)) - black) / (white - black))
    return float(max(0.0, math.log2(1 / max(max(tops), 1e-6)))) if tops else 0.0


def levels(frame: RawFrame, planes: list[tuple[str, NDArray, float, float]]) -> tuple[int, float]:
    """How many codes occur, and effective bits: log2((white - black) / smallest step between codes that occur)."""
    if frame.codes.dtype.kind == "f":
        values = np.unique(frame.codes[::4, ::4])
        return len(values), 11.0 if frame.codes.dtype == np.float16 else 24.0
    counts = np.bincount(frame.codes.ravel(), minlength=2)
    used = np.flatnonzero(counts)
    step = int(np.diff(used).min()) if len(used) > 1 else 1
    _, _, black, white = planes[0]
    return len(used), math.log2(max((white - black) / step, 1.0))


def edge_blur(luminance: NDArray[np.float32], noise_sigma: float) -> float | None:
    """Blur (standard deviation, pixels) of strong edges, from gradients at two scales.

    For an edge blurred by s, blurring again by t lowers the gradient's peak by s / sqrt(s^2 + t^2) (Zhuo, Sim 2011).
    Strong edges with nothing else near are used; soft shadows read too wide and fine texture too narrow, and their
    middle is taken. Returns None with fewer than 40 such edges.
    """
    t = 1.2
    log = np.sqrt(np.maximum(luminance, 0) + 1e-4)
    first = cv2.GaussianBlur(log, (0, 0), 0.6)
    second = cv2.GaussianBlur(first, (0, 0), t)

    def gradient(p: NDArray) -> NDArray:
        return np.hypot(cv2.Sobel(p, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(p, cv2.CV_32F, 0, 1, scale=1 / 8))

    g1, g2 = gradient(first), gradient(second)
    peak = g1 >= cv2.dilate(g1, np.ones((3, 3))) - 1e-9
    lonely = cv2.blur(g1, (31, 31)) < 0.36 * g1
    strong = g1 > max(12 * noise_sigma, float(np.percentile(g1[::3, ::3], 97)))
    picked = peak & strong & lonely
    picked[:10], picked[-10:], picked[:, :10], picked[:, -10:] = False, False, False, False
    if int(picked.sum()) < 40:
        return None
    ratio = g1[picked] / np.maximum(g2[picked], 1e-9)
    s2 = t * t / np.maximum(ratio**2 - 1, 1e-3)
    return float(np.sqrt(max(float(np.percentile(s2, 45)) - ESTIMATOR_BLUR, 0.02)))


def full_green(linear: Linear) -> NDArray[np.float32]:
    """Green at every pixel (H, W), interpolated along edges where the mosaic has none."""
    if linear.data.ndim == 3:
        return np.ascontiguousarray(linear.data[..., 1])
    codes = np.clip(linear.data * 16384 + 256, 0, 65535).astype(np.uint16)
    pattern = {
        "RGGB": cv2.COLOR_BayerRGGB2RGB_EA,
        "BGGR": cv2.COLOR_BayerBGGR2RGB_EA,
        "GRBG": cv2.COLOR_BayerGRBG2RGB_EA,
        "GBRG": cv2.COLOR_BayerGBRG2RGB_EA,
    }
    green = cv2.cvtColor(codes, pattern[linear.cfa])[..., 1].astype(np.float32)
    return (green - 256) * np.float32(1 / 16384)


def measure(frame: RawFrame) -> SensorReport:
    """Measure a raw frame. Definitions stand with each function; noise figures are of green at one photosite."""
    linear = linearise(frame)
    planes = _site_planes(frame)
    clipped = clipping(linear.clipped, planes)
    head = headroom(planes, clipped)
    used, bits = levels(frame, planes)
    measured = estimate_noise(linearise(RawFrame(frame.codes, replace(frame.meta, gain_maps=()))), frame.meta)
    stated = file_noise(frame.meta)
    noise, source = (stated, "file") if stated is not None else (measured, "picture")
    a, b = (float(v) for v in noise[1])
    long_edge = max(frame.meta.default_crop[2:])
    green = full_green(linear)
    blur = edge_blur(green, math.sqrt(a) / 2)
    small = cv2.resize(green, (max(8, green.shape[1] // 8), max(8, green.shape[0] // 8)), interpolation=cv2.INTER_AREA)
    middle = float(np.median(np.log2(np.maximum(small, 2e-5) / 0.18))) + frame.meta.baseline_exposure
    preview = _preview_clipping(frame)
    report = SensorReport(
        clipped,
        head,
        used,
        bits,
        (a, b),
        source,
        (float(measured[1, 0]), float(measured[1, 1])),
        dynamic_range_ev(a, b),
        shadow_lift_ev(a, b),
        shadow_lift_ev(a, b, long_edge),
        blur,
        middle,
        preview,
    )
    return SensorReport(**{**report.__dict__, "advice": advise(report, frame)})


def _preview_clipping(frame: RawFrame) -> dict[str, float] | None:
    if frame.preview is None:
        return None
    try:
        full = decode_jpeg(frame.preview) >= PREVIEW_FULL
    except BrutoError:
        return None
    return {"any": 100 * float(full.any(axis=2).mean()), "all": 100 * float(full.all(axis=2).mean())}


def _thirds(ev: float) -> str:
    """Exposure change in thirds of a stop, as a dial shows it.

    >>> _thirds(-0.7)
    '−⅔'
    """
    n = round(abs(ev) * 3)
    whole, part = divmod(n, 3)
    sign = "+" if ev > 0 else "−"
    return f"{sign}{whole or ''}{('', '⅓', '⅔')[part]}" if n else "0"


def advise(report: SensorReport, frame: RawFrame) -> tuple[Advice, ...]:
    """Plain advice from the measured facts."""
    found = []
    c = report.clipped_percent
    if c["any"] >= CLIP_COUNTS:
        kinds = [name for key, name in (("r", "red"), ("g", "green"), ("b", "blue")) if c[key] >= CLIP_COUNTS]
        if c["all"] >= 0.5:
            change = -1.0 if c["all"] > 3 else -2 / 3
            found.append(
                Advice(
                    "exposure",
                    f"{c['all']:.1f} % is full in all channels and cannot come back; dial {_thirds(change)} EV.",
                    change,
                    "EV",
                )
            )
        else:
            change = -1 / 3 if c["any"] < 2 else -2 / 3
            names = ", ".join(kinds[:-1]) + (" and " if len(kinds) > 1 else "") + kinds[-1] if kinds else "single sites"
            text = (
                f"{names.capitalize()} {'is' if len(kinds) == 1 else 'are'} full in {c['any']:.2f} %; most can "
                f"be rebuilt. "
            )
            found.append(Advice("exposure", f"{text}Dial {_thirds(change)} EV to keep it.", change, "EV"))
    elif report.headroom_ev > 0.5:
        ev = math.floor(report.headroom_ev * 3) / 3
        found.append(
            Advice(
                "exposure",
                f"Nothing is full: {_thirds(ev)} EV more light would still fit and lower the noise.",
                ev,
                "EV",
            )
        )
    else:
        found.append(Advice("exposure", "The exposure uses the sensor's range; keep it.", 0.0, "EV"))
    preview = report.preview_clipped_percent
    if preview is not None and preview["any"] > c["any"] + 1:
        found.append(
            Advice(
                "preview",
                f"The preview inside the file shows {preview['any']:.1f} % lost, the raw {c['any']:.1f} %: judged "
                f"by it, the warning comes early.",
                preview["any"] - c["any"],
                "%",
            )
        )
    a, b = report.noise
    grey = 100 * math.sqrt(a * 0.18 + b) / 0.18
    found.append(
        Advice(
            "noise",
            f"At grey the noise is {grey:.1f} % of the signal; shadows can be lifted {report.shadow_lift_ev:.1f} EV "
            f"at 1:1, "
            f"{report.shadow_lift_screen_ev:.1f} EV at screen size.",
            grey,
            "%",
        )
    )
    ma, mb = report.noise_measured
    x = signal_at_snr(a, b, 10)
    ratio = math.sqrt((ma * x + mb) / max(a * x + b, 1e-12))
    if report.noise_source == "file" and not 0.6 < ratio < 1.6:
        found.append(
            Advice(
                "noise",
                f"The file states less or more noise than the picture shows (picture / file {ratio:.2f}).",
                ratio,
                "×",
            )
        )
    if report.edge_blur_px is not None and report.edge_blur_px > 2.2:
        found.append(
            Advice(
                "sharpness",
                f"Edges are {report.edge_blur_px:.1f} px soft: focus or shake. Take it again, braced or faster.",
                report.edge_blur_px,
                "px",
            )
        )
    if frame.meta.kind == "linear":
        found.append(
            Advice(
                "kind",
                "This is a processed raw: already demosaiced and merged by the phone; its noise is what was left.",
                0.0,
                "",
            )
        )
    return tuple(found)

"""What `measure` says against what is known of 45 simulated captures: `python -m benchmarks.measures` writes
`docs/measure-accuracy.md`.

Three scenes, three lenses, ISO 50 to 6400, at 3 MP (traced once, then kept); noise is estimated from the picture alone.
"""

from __future__ import annotations

import math
import sys
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import write_dng
from bruto.container.raw_frame import RawFrame
from bruto.sensor.measurement import measure
from bruto.sensor.noise import blocks_of, picture_noise
from bruto.sensor.planes import planes_of
from bruto.simphone import sensor_model as sm
from bruto.simphone.capture import Capture, Exposure, Phone, picture_of
from bruto.simphone.capture_files import tags_of
from bruto.simphone.optics import Mishap

ROOT = Path(__file__).resolve().parents[1]
SCENES, ISOS = ("pans", "boiling-house", "sluice"), (50, 200, 800, 3200, 6400)
MOTIONS = (5, 8, 12, 18, 25)


@dataclass
class Row:
    """One capture's figures; errors are found minus true."""

    name: str
    sigma: list[float]
    covered: float
    headroom: tuple[float, float]
    clipped: tuple[float, float]
    bits: float


def _phi(x: np.ndarray) -> np.ndarray:
    from scipy.special import ndtr

    return ndtr(x)


def true_clipped(capture: Capture) -> float:
    """Expected percent of quads with any full site, its noise included."""
    a, b = capture.noise
    rest = np.ones((capture.ideal.shape[0] // 2, capture.ideal.shape[1] // 2))
    for site in range(4):
        light = capture.ideal[site // 2 :: 2, site % 2 :: 2].astype(float)
        half_code = 0.5 / (sm.WHITE - sm.BLACK)
        rest *= 1 - _phi((light - 1 + half_code) / np.sqrt(a * np.minimum(light, 1.2) + b))
    return 100 * float(1 - rest.mean())


def true_headroom(capture: Capture) -> float:
    """Of the brightest true area: the 99.9th percentile of noise-free 8 x 8 means of one colour."""
    tops = []
    for site in range(4):
        p = np.minimum(capture.ideal[site // 2 :: 2, site % 2 :: 2], 1)
        h, w = p.shape[0] // 8 * 8, p.shape[1] // 8 * 8
        tops.append(np.percentile(p[:h, :w].reshape(h // 8, 8, w // 8, 8).mean(axis=(1, 3)), 99.9))
    return max(0.0, math.log2(1 / max(max(tops), 1e-6)))


def captures(folder: Path) -> Iterator[tuple[str, Capture, RawFrame]]:
    """Name, truth and the file as read back."""
    for lens in sm.LENSES:
        for scene in SCENES:
            phone = Phone(scene, 3, lens=lens)
            base = phone.meter()
            for k, iso in enumerate(ISOS):
                capture = phone.shoot(Exposure(float(iso), base.seconds * base.iso / iso), seed=100 + k)
                path = folder / "a.dng"
                write_dng(
                    path, capture.codes, tags_of(capture, "2026:06:21 12:00:00"), picture_of(capture)[::4, ::4].copy()
                )
                yield f"{scene}, {lens}, ISO {iso}", capture, read_dng(path)


def row_of(name: str, capture: Capture, frame: RawFrame) -> Row:
    """The figures of one capture."""
    blind = RawFrame(frame.codes, replace(frame.meta, noise_profile=None), frame.preview)
    report = measure(blind)
    blocks = blocks_of(planes_of(blind))
    noise = picture_noise(blocks)
    a, b = capture.noise
    errors, covered = [], []
    for channel in range(3):
        means = np.concatenate([q.mean[q.full == 0].ravel() for q in blocks if q.channel == channel])
        for x in np.maximum(np.percentile(means, (5, 25, 50, 75, 95)), 0):
            ratio = math.sqrt((noise.model[channel, 0] * x + noise.model[channel, 1]) / (a * x + b))
            errors.append(ratio - 1)
            low, high = noise.interval[channel]
            covered.append(low <= 1 / ratio <= high)
    return Row(
        name,
        errors,
        float(np.mean(covered)),
        (report.headroom_ev, true_headroom(capture)),
        (report.clipped_percent["any"], true_clipped(capture)),
        report.effective_bits - math.log2(sm.WHITE - sm.BLACK),
    )


def motions() -> list[tuple[str, float, float, float | None, float | None]]:
    """Scene, true length and direction, found length and direction."""
    random = np.random.default_rng(5)
    found = []
    with tempfile.TemporaryDirectory() as name:
        for scene in SCENES:
            phone = Phone(scene, 3)
            capture = phone.shoot(seed=1)
            path = Path(name) / "a.dng"
            write_dng(path, capture.codes, tags_of(capture, "2026:06:21 12:00:00"), np.zeros((9, 12, 3), np.uint8))
            meta = read_dng(path).meta
            for length in (0, *MOTIONS):
                degrees = float(random.uniform(0, 180))
                phone.mishap, phone._blurred = Mishap(motion_px=length, motion_deg=degrees), None
                r = measure(RawFrame(phone.shoot(seed=int(length)).codes, meta))
                found.append((scene, float(length), degrees, r.motion_px, r.motion_degrees))
    return found


def table(rows: list[Row], moved: list[tuple[str, float, float, float | None, float | None]]) -> str:
    """The document."""
    sigma = np.abs([e for r in rows for e in r.sigma])
    head = [abs(r.headroom[0] - r.headroom[1]) for r in rows if r.clipped[0] < 0.01]
    share = [abs(r.clipped[0] - r.clipped[1]) for r in rows]
    lengths = [abs(f - t) for _, t, _, f, _ in moved if t and f is not None]
    missed = sum(t > 0 and f is None for _, t, _, f, _ in moved)
    false = sum(t == 0 and f is not None for _, t, _, f, _ in moved)
    noise_covered, still = np.mean([r.covered for r in rows]), sum(t == 0 for _, t, *_ in moved)
    exact, bits = sum(r.bits == 0 for r in rows), max(abs(r.bits) for r in rows)
    lines = [
        "# How well the measures agree with what is known",
        "",
        f"Made by `python -m benchmarks.measures` on {len(rows)} simulated captures of 3 megapixels: three scenes, "
        "three lenses, ISO 50 to 6400. Noise is estimated from the picture alone, at five levels (5th to 95th "
        "percentile) of each channel. The true share of full quads counts what noise lifts over the white level.",
        "",
        "| measure | agreed | worst |",
        "|---|---|---|",
        f"| standard deviation of noise | median {100 * np.median(sigma):.1f} % off | {100 * sigma.max():.1f} % |",
        f"| its interval | holds the truth in {100 * noise_covered:.0f} % of levels | |",
        f"| headroom ({len(head)} with nothing full) | median {np.median(head):.3f} EV off | {max(head):.3f} EV |",
        f"| full quads | median {np.median(share):.3f} points off | {max(share):.3f} points |",
        f"| effective bits | {exact} of {len(rows)} exact | {bits:.3f} |",
        f"| movement, 5 to 25 px | median {np.median(lengths):.1f} px off | {max(lengths):.1f} px; {missed} missed |",
        f"| still shots said to have moved | {false} of {still} | |",
        "",
        "| capture | noise, worst of its levels | headroom found / true, EV | full found / true, % |",
        "|---|---|---|---|",
    ]
    for r in rows:
        worst = max(r.sigma, key=abs)
        lines.append(
            f"| {r.name} | {100 * worst:+.1f} % | {r.headroom[0]:.2f} / {r.headroom[1]:.2f} | "
            f"{r.clipped[0]:.3f} / {r.clipped[1]:.3f} |"
        )
    lines += ["", "| scene | movement, px and direction | found |", "|---|---|---|"]
    for scene, length, degrees, px, at in moved:
        found = "none" if px is None else f"{px:.1f} px, {at:.0f}°"
        lines.append(f"| {scene} | {f'{length:.0f} px, {degrees:.0f}°' if length else 'none'} | {found} |")
    return "\n".join(lines) + "\n"


def main() -> int:
    with tempfile.TemporaryDirectory() as name:
        rows = []
        for what, capture, frame in captures(Path(name)):
            rows.append(row_of(what, capture, frame))
            sys.stderr.write(f"{what}\n")
    text = table(rows, motions())
    (ROOT / "docs/measure-accuracy.md").write_text(text, "utf-8")
    sys.stdout.write("\n".join(text.split("\n")[4:14]) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())

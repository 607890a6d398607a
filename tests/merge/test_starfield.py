"""Star fields against the simulated sky: sharp stars, less noise, a sharp ground, no seam; what cannot be merged."""

from __future__ import annotations

import json
import math
import unittest
from dataclasses import replace
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from numpy.typing import NDArray
from typer.testing import CliRunner

from bruto.cli import app
from bruto.cli.merge import add_merges
from bruto.container.dng_reader import read_dng
from bruto.errors import BrutoError
from bruto.merge.frames import load_frame
from bruto.merge.merger import merge
from bruto.merge.planes import color_band
from bruto.merge.sky.sky_light import sky_light
from bruto.simphone.night import NightEvent, NightFrame, NightPhone
from tests.merge.test_night import EXPOSURE, recorded
from tests.truth import ideal_rgb, plain_linear

SIZE = (1512, 1134)
COUNT = 12
PAUSE = 0.4 * 86164.0905 / 360 - EXPOSURE.seconds
"""Seconds after a frame, so that the sky turns by 0.4 degrees from one to the next."""
HAPPENING = NightEvent(satellites=(4,), shaken=(8,))
LEAST_MAGNITUDE, MOST_MAGNITUDE = 2.0, 5.2


@cache
def field() -> tuple[NightPhone, list[NightFrame], list[Path], Path, object]:
    """Twelve frames, a satellite in two and one of them shaken, and what was merged of them."""
    folder = Path(unittest.enterModuleContext(TemporaryDirectory()))
    phone = NightPhone(size=SIZE, seed=3, happening=HAPPENING)
    frames = phone.frames(COUNT, EXPOSURE, PAUSE)
    files = recorded(phone, frames, folder)
    out = folder / "field.dng"
    return phone, frames, files, out, merge("sky", list(files), out)


def reference() -> int:
    """Number of the frame on whose grid the others lie."""
    return COUNT // 2


def ideal() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The reference frame without noise, and the share of sky."""
    phone, frames, *_ = field()
    m = round((phone._whole[1] - SIZE[0]) / 2)
    return ideal_rgb(phone.take(frames[reference()])), phone._sky[m:-m, m:-m]


def widths(light: NDArray[np.float32], places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Root of the mean squared distance of each star's light from its middle, pixels."""
    found = []
    offsets = np.arange(-5, 6)
    for x, y in places:
        ix, iy = round(x), round(y)
        part = light[iy - 5 : iy + 6, ix - 5 : ix + 6].sum(axis=2).astype(float)
        ring = np.concatenate([part[0], part[-1], part[:, 0], part[:, -1]])
        part = np.maximum(part - np.median(ring) - 2 * ring.std(), 0)
        if part.sum() <= 0:
            found.append(np.nan)
            continue
        cx, cy = (part.sum(axis=0) * offsets).sum() / part.sum(), (part.sum(axis=1) * offsets).sum() / part.sum()
        square = (offsets[None] - cx) ** 2 + (offsets[:, None] - cy) ** 2
        found.append(math.sqrt((part * square).sum() / part.sum()))
    return np.array(found)


def bright_stars(number: int) -> NDArray[np.float64]:
    """Places of bright stars of a frame in its middle, far from the ground."""
    phone, frames, *_ = field()
    places, ahead = phone.places(frames[number].start + EXPOSURE.seconds / 2)
    good = ahead & (phone.magnitudes < MOST_MAGNITUDE) & (phone.magnitudes > LEAST_MAGNITUDE)
    good &= ((places > 40) & (places < [SIZE[0] - 40, 0.33 * SIZE[1]])).all(axis=1)
    return places[good]


class StarField(unittest.TestCase):
    def test_all_good_frames_are_used(self) -> None:
        _, frames, _, _, result = field()
        self.assertEqual([not f.bad for f in frames], [f.used for f in result.frames])  # type: ignore[attr-defined]
        self.assertGreater(result.noise_gain, 0.95 * 11**0.5)  # type: ignore[attr-defined]

    def test_stars_stay_points(self) -> None:
        _, _, files, out, _ = field()
        merged = plain_linear(read_dng(out))
        one = color_band(load_frame(files[reference()]), 0, SIZE[1])
        places = bright_stars(reference())
        ratio = widths(merged, places) / widths(one, places)
        ratio = ratio[np.isfinite(ratio)]
        self.assertGreater(len(ratio), 8)
        self.assertLess(float(np.median(ratio)), 1.10)

    def test_the_skys_noise_falls(self) -> None:
        _, _, files, out, _ = field()
        merged, one = plain_linear(read_dng(out)), color_band(load_frame(files[reference()]), 0, SIZE[1])
        true, sky = ideal()
        inner = (cv2.erode(sky, np.ones((61, 61), np.uint8)) > 0.99) & (
            cv2.dilate(true.max(axis=2), np.ones((9, 9))) < 0.2
        )
        inner[:40], inner[:, :40], inner[:, -40:] = False, False, False
        level = cv2.blur(true, (41, 41))
        inner &= (np.abs(true - level) < 0.03 * level).all(axis=2)  # no stars
        self.assertGreater(inner.mean(), 0.1)
        gain = float((one - true)[inner].std() / (merged - true)[inner].std())
        self.assertGreater(gain, 0.85 * 11**0.5)

    def test_the_satellite_is_gone(self) -> None:
        """What a frame has more by the satellite is known; the merged sky has nothing of it."""
        phone, frames, _, out, _ = field()
        merged = plain_linear(read_dng(out)).sum(axis=2)
        sky = ideal()[0].sum(axis=2)
        crossed = [f for f in frames if "satellite" in f.marks]
        self.assertEqual(len(crossed), 2)
        for f in crossed:
            line = ideal_rgb(phone.take(f)).sum(axis=2) - ideal_rgb(phone.take(replace(f, marks=()))).sum(axis=2)
            seen_from = f.start - frames[reference()].start
            self.assertGreater(abs(seen_from), 0)
            lit = line > 0.5 * line.max()  # the sky has turned meanwhile: look where it is and where it was
            self.assertGreater(lit.sum(), 200)
            self.assertLess(abs(float(np.median((merged - sky)[lit]))), 0.05 * float(line[lit].mean()))

    def test_the_ground_is_sharp_and_no_seam_is_seen(self) -> None:
        *_, out, _ = field()
        merged = plain_linear(read_dng(out))
        true, sky = ideal()
        ground = cv2.erode((sky < 0.01).astype(np.uint8), np.ones((25, 25), np.uint8)) > 0
        fine = [
            cv2.GaussianBlur(p[..., 1], (0, 0), 0.7) - cv2.GaussianBlur(p[..., 1], (0, 0), 3.0) for p in (merged, true)
        ]
        kept = float((fine[0] * fine[1])[ground].sum() / (fine[1] ** 2)[ground].sum())
        self.assertGreater(kept, 0.95)
        # beside the border of sky and ground light is as right as in the whole of the picture, stars left out
        border = cv2.dilate((sky > 0.5).astype(np.uint8), np.ones((15, 15), np.uint8)) != cv2.erode(
            (sky > 0.5).astype(np.uint8), np.ones((15, 15), np.uint8)
        )
        border[:, :60], border[:, -60:] = False, False  # where frames turn out of the picture
        shown = border.astype(np.uint8)
        places, ahead = field()[0].places(field()[1][reference()].start + EXPOSURE.seconds / 2)
        for x, y in places[ahead]:
            if 0 <= x < SIZE[0] and 0 <= y < SIZE[1]:
                cv2.circle(shown, (round(x), round(y)), 9, 0, -1)
        border = shown > 0
        soft = [cv2.GaussianBlur(p, (0, 0), 2.5).sum(axis=2) for p in (merged, true)]
        error = np.abs(soft[0] - soft[1]) / cv2.dilate(soft[1], np.ones((31, 31), np.uint8))  # of what is seen there
        self.assertGreater(border.sum(), 5000)
        self.assertLess(float(np.median(error[border])), 0.02)
        self.assertLess(float(np.percentile(error[border], 99)), 0.12)

    def test_by_command_with_a_chosen_ground_and_an_even_sky(self) -> None:
        _, _, files, _, _ = field()
        with TemporaryDirectory() as name:
            out = Path(name) / "even.dng"
            add_merges()
            ran = CliRunner().invoke(app, [
                "merge", "sky", *map(str, files[:6]), "-o", str(out), "--ground", str(files[1]), "--gradient", "remove",
                "--json",
            ])  # fmt: skip
            self.assertEqual(ran.exit_code, 0, ran.output)
            notice = json.loads(ran.stdout)
            self.assertEqual(notice["frames_used"], 6)
            even = plain_linear(read_dng(out))
        _, sky = ideal()
        mask = (cv2.erode(sky, np.ones((41, 41), np.uint8)) > 0.99).astype(np.float32)
        shading = np.ones(3)
        found = sky_light(np.ascontiguousarray(np.moveaxis(even, 2, 0)), mask, shading)
        assert found is not None
        kept = sky_light(np.ascontiguousarray(np.moveaxis(plain_linear(read_dng(field()[3])), 2, 0)), mask, shading)
        assert kept is not None
        self.assertLess(found.ev, kept.ev)
        frame = color_band(load_frame(files[1]), 0, SIZE[1])
        bottom = slice(int(0.8 * SIZE[1]), None)
        self.assertLess(float(np.abs(even[bottom] - frame[bottom]).mean()), 1e-3)  # the ground of that frame alone

    def test_the_border_is_corrected_by_strokes(self) -> None:
        """Where a stroke says that the ground is, stars stand as they do in its mean; elsewhere nothing changes."""
        _, _, files, _, _ = field()
        with TemporaryDirectory() as name:
            folder = Path(name)
            stroke = {"adds": False, "reach": 0.04, "points": [[0.2, 0.12], [0.8, 0.12]]}
            (folder / "border.json").write_text(json.dumps({"strokes": [stroke]}))
            add_merges()
            made = {}
            for out, more in (("plain", []), ("painted", ["--border", str(folder / "border.json")])):
                to = str(folder / f"{out}.dng")
                ran = CliRunner().invoke(app, ["merge", "sky", *map(str, files[:4]), "-o", to, *more])
                self.assertEqual(ran.exit_code, 0, ran.output)
                made[out] = plain_linear(read_dng(to))
            apart = np.abs(made["painted"] - made["plain"]).max(axis=2)
            ys, xs = np.mgrid[0 : SIZE[1], 0 : SIZE[0]]
            away = np.hypot(np.maximum(np.abs(xs - SIZE[0] / 2) - 0.3 * SIZE[0], 0), ys - 0.12 * SIZE[1])
            # the sky turns: what a frame shows under the stroke is missing a little beside it
            self.assertEqual(float(apart[away > 0.12 * SIZE[0]].max()), 0.0)
            inside = away < 0.02 * SIZE[0]
            self.assertGreater(float(apart[inside].max()), 0.05)  # a star that moved stands in the ground as it passed
            self.assertGreater(float((apart[inside] > 0).mean()), 0.99)
            (folder / "border.json").write_text('{"strokes": [{"reach": 9}]}')
            to = str(folder / "no.dng")
            ran = CliRunner().invoke(app, ["merge", "sky", *map(str, files[:4]), "-o", to, "--border",
                                           str(folder / "border.json")])  # fmt: skip
            self.assertNotEqual(ran.exit_code, 0)
            self.assertIn("stroke 1: 'reach'", str(ran.exception) + ran.output)
            self.assertFalse(Path(to).exists())


class Refused(unittest.TestCase):
    def test_no_stars_are_no_field(self) -> None:
        phone = NightPhone(size=(504, 378), seed=3)
        phone._lux = phone._lux * 0
        frames = phone.frames(3, EXPOSURE, PAUSE)
        with TemporaryDirectory() as name:
            files = recorded(phone, frames, Path(name))
            with self.assertRaisesRegex(BrutoError, "too few"):
                merge("sky", list(files), Path(name) / "out.dng")
            self.assertFalse((Path(name) / "out.dng").exists())

"""Measures and equal brightness against values that are known by making, and the page about a whole shoot."""

from __future__ import annotations

import csv
import json
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from skimage import data
from typer.testing import CliRunner

from bruto.cli import app
from bruto.color.spaces import decode_srgb, encode_srgb
from bruto.compare.brightness import apart_ev, equalled, found_push, push_to, typical_light
from bruto.compare.measures import MEASURES, MeasuredSide
from bruto.compare.metrics import aligned, compare, measured, sentences
from bruto.compare.push import further
from bruto.compare.raw_worth import reasons
from bruto.compare.regions import place_at
from bruto.compare.shoot_report import lines_of, shoot_html, summary
from bruto.compare.sources import Finished, side_of, side_of_pixels, stored
from bruto.develop.recipe import Recipe
from tests.shots import MIDDLE, SMALL, copy_of, taken

BY_KEY = {m.key: m for m in MEASURES}


def seen(l: np.ndarray, valid: np.ndarray | None = None) -> MeasuredSide:
    """A grey picture of some L*, flat everywhere."""
    everywhere = np.ones(l.shape, bool) if valid is None else valid
    return MeasuredSide(np.stack([l, 0 * l, 0 * l], axis=2).astype(np.float32), everywhere, everywhere, everywhere)


class Measured(unittest.TestCase):
    def test_steps_have_their_height(self) -> None:
        slope = np.repeat(np.linspace(30, 70, 1600)[None], 500, axis=0)
        of = BY_KEY["steps_l"].of
        for height in (0.5, 1.0, 2.0, 3.0):
            self.assertAlmostEqual(of(seen(np.round(slope / height) * height)), height, delta=0.15 * height)
        self.assertLess(of(seen(slope)), 0.35)
        grain = np.random.default_rng(0).normal(0, 0.4, slope.shape)
        self.assertEqual(of(seen(np.round((slope + grain) / 0.4) * 0.4)), 0.0)  # grain hides steps

    def test_small_lights_are_counted(self) -> None:
        random = np.random.default_rng(1)
        of = BY_KEY["small_lights"].of
        for count in (0, 30, 200):
            l = np.full((900, 1200), 8.0)
            places = random.permutation(30 * 40)[:count]
            for k in places:
                l[15 + 30 * (k // 40) % 870, 15 + 30 * (k % 40)] += 900
            lamps = np.minimum(cv2.GaussianBlur(l, (0, 0), 1.2), 95) + random.normal(0, 1, l.shape)
            self.assertAlmostEqual(of(seen(lamps)), count, delta=0.05 * count)
            self.assertEqual(of(seen(cv2.GaussianBlur(lamps, (0, 0), 5))), 0)  # merged
        self.assertEqual(of(seen(np.full((300, 300), 60.0) + random.normal(0, 2, (300, 300)))), 0)

    def test_coarse_grain_is_not_fine_grain(self) -> None:
        noise = np.random.default_rng(2).normal(0, 1, (800, 1000))
        coarse = cv2.GaussianBlur(noise, (0, 0), 5)
        coarse *= 2 / coarse.std()
        of = BY_KEY["coarse_l"].of
        found = [of(seen(50 + n)) for n in (noise, coarse, 2 * coarse)]
        self.assertLess(found[0], 0.25 * found[1])
        self.assertAlmostEqual(found[2] / found[1], 2.0, delta=0.3)

    def test_files_and_bits(self) -> None:
        with TemporaryDirectory() as name:
            picture = np.ascontiguousarray(data.chelsea())
            paths = [Path(name) / f"{q}.jpg" for q in (95, 20)]
            for path, quality in zip(paths, (95, 20), strict=True):
                cv2.imwrite(str(path), picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
            one, other = (side_of(p) for p in paths)
            c = measured(aligned(one.whole(2016), other.whole(2016)), (stored(one), stored(other)))
            found = c.as_json()
            pixels = picture.shape[0] * picture.shape[1]
            for side, path in zip("ab", paths, strict=True):
                self.assertEqual(found[side]["file_bytes"], path.stat().st_size)
                self.assertAlmostEqual(found[side]["bits_per_pixel"], 8 * path.stat().st_size / pixels, places=2)
            rows = {r[0]: r[3] for r in sentences(c)}
            times = paths[0].stat().st_size / paths[1].stat().st_size
            self.assertEqual(rows["File, MB"], f"The raw takes {times:.1f} times the storage of the phone's picture.")
            self.assertIn("compression becomes visible", rows["Bits per pixel"])
            self.assertIsNone(stored(Finished(picture)))
            paths[1].unlink()
            self.assertIsNone(stored(other))
            self.assertNotIn("File, MB", {r[0] for r in sentences(compare(picture, picture))})


class Brightness(unittest.TestCase):
    def test_stops_between_two_are_found(self) -> None:
        light = decode_srgb(data.coffee() / 255.0) * 0.4
        one = np.round(255 * encode_srgb(light)).astype(np.uint8)
        for ev in (-1.5, -0.4, 0.7):
            other = np.round(255 * encode_srgb(np.clip(light * 2.0**-ev, 0, 1))).astype(np.uint8)
            everywhere = np.ones(one.shape[:2], bool)
            self.assertAlmostEqual(apart_ev(one, other, everywhere), ev, delta=0.04)
            self.assertAlmostEqual(np.log2(typical_light(one) / typical_light(other)), ev, delta=0.25)

    def test_a_push_that_tone_makes_less_of(self) -> None:
        self.assertAlmostEqual(found_push(lambda ev: 1.2 - 0.6 * ev), 2.0, delta=0.05)
        self.assertAlmostEqual(found_push(lambda ev: -0.8 - ev), -0.8, delta=0.03)
        self.assertLessEqual(abs(found_push(lambda ev: 40.0)), 6.0)  # what cannot be reached
        self.assertEqual(found_push(lambda ev: 0.01), 0.0)

    def test_a_raw_and_its_picture(self) -> None:
        for scene in ("pans", "card"):
            raw, picture = (Path(p) for p in taken(scene, size=MIDDLE, seed=2)[0]["files"][:2])
            one, other = side_of(raw, Recipe(exposure=0.8)), side_of(picture)
            pair = aligned(one.whole(2016), other.whole(2016))
            before = apart_ev(pair.first, pair.second, pair.valid)
            side, found, ev = equalled(pair, other, lambda ev, p=picture: side_of(p, None, Recipe(exposure=ev)))
            self.assertGreater(abs(before), 0.1)
            self.assertEqual(np.sign(ev), np.sign(before))
            self.assertLess(abs(apart_ev(found.first, found.second, found.valid)), 0.05)
            self.assertEqual(side.size, other.size)
            side, ev = push_to(0.1, other, lambda ev, p=picture: side_of(p, None, Recipe(exposure=ev)), 500)
            self.assertAlmostEqual(typical_light(side.whole(500)), 0.1, delta=0.008)

    def test_a_preview_is_pushed_like_a_picture(self) -> None:
        pixels = np.ascontiguousarray(data.coffee()[:300, :400] // 2)
        plain, lifted = (side_of_pixels(Path("preview"), pixels, p) for p in (None, Recipe(exposure=1.0)))
        np.testing.assert_array_equal(plain.whole(400), pixels)
        ratio = np.median(
            decode_srgb(lifted.whole(400) / 255.0)[pixels > 30] / decode_srgb(pixels / 255.0)[pixels > 30]
        )
        self.assertAlmostEqual(float(ratio), 2.0, delta=0.25)
        self.assertEqual(further(Recipe(exposure=1.0), 0.5).exposure, 1.5)
        self.assertEqual(further(Recipe(exposure=7.0), 5.0).exposure, 8.0)


class OwnPlace(unittest.TestCase):
    def test_what_differs_there_is_said(self) -> None:
        lab = np.zeros((300, 400, 3), np.float32)
        lab[..., 0] = 50 + np.random.default_rng(0).normal(0, 2, (300, 400))
        other = lab.copy()
        other[:150, :, 0] += 6
        other[150:, :200, 0] = 50 + 2 * (lab[150:, :200, 0] - 50)
        other[150:, 200:, 1] += 5
        self.assertEqual(place_at(lab, other, 0.5, 0.2).sentence, "The {second} is brighter by 6 L* here.")
        self.assertEqual(place_at(lab, other, 0.2, 0.8).sentence, "The {second} has 2.0 times the fine structure here.")
        self.assertEqual(place_at(lab, other, 0.8, 0.8).sentence, "The {second} differs in colour by 5 a*b* here.")
        self.assertEqual(place_at(lab, lab, 1.0, 1.0).sentence, "The two look alike here.")


class WholeShoot(unittest.TestCase):
    def test_each_pair_has_its_line(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            copy_of(taken("pans", size=SMALL, seed=2)[0]["files"], folder)
            copy_of(taken("card", size=SMALL)[0]["files"], folder)
            raws = sorted(folder.glob("*.dng"), reverse=True)  # by the time that they were taken
            before = {p: p.read_bytes() for p in folder.iterdir()}
            out = folder / "all.csv"
            run = CliRunner().invoke(app, ["compare", str(folder), "--report", str(out), "--json"])
            self.assertEqual(run.exit_code, 0, run.output)
            found = json.loads(run.stdout)
            self.assertEqual([s["shot"] for s in found["shots"]], [p.stem for p in raws])
            rows = list(csv.DictReader(out.read_text().splitlines()))
            self.assertEqual(len(rows), 2 * len(raws))
            for raw, line in zip(raws, found["shots"], strict=True):
                picture = raw.with_suffix(".jpg")
                self.assertEqual(line["bytes"], [raw.stat().st_size, picture.stat().st_size])
                c = compare(side_of(raw).whole(2016), side_of(picture).whole(2016))
                self.assertAlmostEqual(line["raw"]["noise_l"], c.a["noise_l"], places=5)
                self.assertEqual(line["keep"], bool(reasons(c)))
            kept = sum(s["keep"] for s in found["shots"])
            self.assertTrue(found["summary"].startswith(f"{kept} of {len(raws)} raws"), found["summary"])
            self.assertEqual({p: p.read_bytes() for p in before}, before)
            again = CliRunner().invoke(app, ["compare", str(folder), "--report", str(raws[0]) + ".csv"])
            self.assertEqual(again.exit_code, 0)
            refused = CliRunner().invoke(app, ["compare", str(folder), "--report", str(out)])
            self.assertNotEqual(refused.exit_code, 0)  # it is there already

    def test_what_cannot_be_compared_is_named_and_stop_keeps_the_rest(self) -> None:
        raw, picture = taken("card", size=MIDDLE)[0]["files"][:2]
        strange = Finished(np.random.default_rng(0).integers(0, 255, (400, 500, 3)).astype(np.uint8))
        pairs = [
            ("good <b>", lambda: (side_of(raw), side_of(picture))),
            ("strange", lambda: (side_of(raw), strange)),
            ("never", lambda: self.fail("stopped before")),
        ]
        notice: list[str] = []
        lines, problems = lines_of(pairs, lambda _, name: notice.append(name), lambda: len(notice) == 2)
        self.assertEqual([line.name for line in lines], ["good <b>"])
        self.assertRegex(problems[0], "^strange: .*aligned")
        page = shoot_html(lines, problems, "one & two")
        for text in ("good &lt;b&gt;", "one &amp; two", "Not compared", summary(lines)):
            self.assertIn(text, page)
        self.assertNotIn("<b>good <b>", page)
        self.assertIn("No raw with a picture", summary([]))

    def test_one_file_alone_is_refused_in_words(self) -> None:
        raw = taken("card", size=MIDDLE)[0]["files"][0]
        run = CliRunner().invoke(app, ["compare", str(raw)])
        self.assertIn("with what?", str(run.exception))
        with TemporaryDirectory() as name:
            self.assertIn("holds no raw", str(CliRunner().invoke(app, ["compare", name]).exception))

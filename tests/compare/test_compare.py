"""Registration against known motion, measures against known differences."""

from __future__ import annotations

import csv
import re
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import numpy as np
from PIL import Image
from typer.testing import CliRunner

from bruto.align.registration import normalised, register
from bruto.cli import app
from bruto.color.difference import delta_e00
from bruto.color.spaces import encode_srgb, picture_to_lab
from bruto.compare.edges import edge_overshoot, edge_width, edges_of
from bruto.compare.maps import difference_map, lab_of_codes
from bruto.compare.measures import MEASURES, oklab_of_lab
from bruto.compare.metrics import compare, sentences
from bruto.compare.push import ADDED, RAW_ONLY, SCALED, TAKEN, cannot_act, pushed
from bruto.compare.raw_worth import lost, worth
from bruto.compare.regions import places_of
from bruto.compare.sources import Developed, Finished, sharp_pair, side_of
from bruto.container.orientation import orient
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import FRAME_FIELDS, Recipe
from bruto.develop.recipe_values import Handle, Tone
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.develop.source import open_source
from bruto.errors import BrutoError
from bruto.simphone.capture import Phone
from bruto.simphone.phone_processing import phone_map
from tests.shots import MIDDLE, copy_of, raw_of, taken


def for_comparison(path: str | Path, push: Recipe | None = None) -> np.ndarray:
    """All of a side at full size."""
    return side_of(path, None, push).whole(1 << 20)


def scene(name: str = "pans") -> np.ndarray:
    """Luminance of a scene, (756, 1008) float32 around 0..1."""
    y = np.asarray(Phone(name, size=MIDDLE).truth[..., 1], np.float32)
    m = (y.shape[0] - MIDDLE[1]) // 2
    y = y[m : m + MIDDLE[1], m : m + MIDDLE[0]]
    return np.minimum(y / np.percentile(y, 99), 1.5).astype(np.float32)


def moved(image: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """The image as seen after a motion: pixel q of the result shows pixel p with q = matrix p."""
    return cv2.warpPerspective(image, matrix, image.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


def rigid(dx: float, dy: float, degrees: float) -> np.ndarray:
    w, h = MIDDLE
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    cx, cy = (w - 1) / 2, (h - 1) / 2
    return np.array([[c, -s, cx - c * cx + s * cy + dx], [s, c, cy - s * cx - c * cy + dy], [0, 0, 1]])


def grid() -> np.ndarray:
    x, y = np.meshgrid(np.linspace(60, MIDDLE[0] - 60, 9), np.linspace(60, MIDDLE[1] - 60, 7))
    return np.stack([x.ravel(), y.ravel()], axis=1)


def through(matrix: np.ndarray, p: np.ndarray) -> np.ndarray:
    q = np.column_stack([p, np.ones(len(p))]) @ matrix.T
    return q[:, :2] / q[:, 2:]


class Registration(unittest.TestCase):
    def test_handheld_motion(self) -> None:
        """At most 0.15 px rms over the frame, with noise and another exposure."""
        random = np.random.default_rng(1)
        for name, dx, dy, turn in (("pans", 1.3, -0.7, 0.05), ("card", -5.2, 3.1, -0.2), ("sluice", 14.4, 9.9, 0.8)):
            image = scene(name)
            matrix = rigid(dx, dy, turn)
            noisy = [
                i + random.normal(0, 0.01, i.shape).astype(np.float32) for i in (image, 0.6 * moved(image, matrix))
            ]
            found = register(noisy[0], noisy[1], "rigid")
            error = found.apply(grid()) - through(matrix, grid())
            self.assertLess(np.sqrt((error**2).mean()), 0.15, name)
            self.assertLess(found.model_px, 0.15)

    def test_perspective(self) -> None:
        image = scene("card")
        matrix = rigid(6, -4, 1.0) @ np.array([[1.01, 0.004, 0], [-0.003, 0.99, 0], [6e-6, -4e-6, 1]])
        found = register(image, moved(image, matrix), "homography")
        error = found.apply(grid()) - through(matrix, grid())
        self.assertLess(np.sqrt((error**2).mean()), 0.25)

    def test_the_phones_crop_and_distortion(self) -> None:
        """The phone's picture within 0.5 px of where it really lies."""
        for name in ("pans", "card"):
            shot = taken(name, size=MIDDLE)[0]
            raw = for_comparison(shot["files"][0])
            phone = for_comparison(shot["files"][1])
            greys = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY).astype(np.float32) / 255 for p in (raw, phone)]
            found = register(greys[0], greys[1], "lens")
            mx, my = phone_map(*MIDDLE)
            where = grid()
            # a place of the finished picture, looked up in the raw, must come back to itself
            ix, iy = where.astype(int).T
            raw_places = np.stack([mx[iy, ix], my[iy, ix]], axis=1)
            error = found.apply(raw_places) - np.stack([ix, iy], axis=1)
            self.assertLess(np.sqrt((error**2).mean()), 0.5, name)

    def test_maps_are_the_model(self) -> None:
        image = scene("card")
        found = register(image, moved(image, rigid(3, 2, 0.3)), "lens")
        mx, my = found.maps(100, 50, 64, 48)
        expected = found.apply(np.array([[100, 50], [163, 97], [120, 70]]))
        np.testing.assert_allclose(
            [(mx[0, 0], my[0, 0]), (mx[47, 63], my[47, 63]), (mx[20, 20], my[20, 20])], expected, atol=0.02
        )

    def test_crops_turns_and_zooms_of_a_photograph(self) -> None:
        from skimage import data

        photo = cv2.resize(data.coffee(), (1200, 800), interpolation=cv2.INTER_CUBIC)
        zoomed = cv2.resize(photo[200:600, 300:900], (1200, 800), interpolation=cv2.INTER_CUBIC)
        for name, other, share in (
            ("wide", photo[62:737], 0.84), ("square", photo[:, 200:1000], 0.67), ("tall", photo[:, 400:850], 0.37),
            ("turned", np.ascontiguousarray(np.rot90(photo)), 1.0), ("zoomed", zoomed, 0.25),
        ):  # fmt: skip
            with self.subTest(name):
                found = compare(photo, np.ascontiguousarray(other))
                self.assertLess(found.alignment.residual_px, 0.35)
                self.assertAlmostEqual(found.valid.mean(), share, delta=0.02)
                self.assertLess(found.delta_e00_median, 0.3)

    def test_pairs_that_are_none_are_refused_in_words(self) -> None:
        from skimage import data

        photo = cv2.resize(data.coffee(), (1200, 800))
        for other in (
            cv2.resize(data.chelsea(), (900, 900)), np.full((500, 700, 3), 90, np.uint8), photo[:3, :5], photo[:1, :1],
        ):  # fmt: skip
            with self.assertRaisesRegex(BrutoError, r"^The (two|first) picture"):
                compare(photo, np.ascontiguousarray(other))

    def test_unlike_pictures_are_refused(self) -> None:
        with self.assertRaisesRegex(BrutoError, "too little|could not be aligned"):
            register(np.full((300, 400), 0.2, np.float32), scene(), "rigid")
        noise = np.random.default_rng(1).uniform(0, 1, (756, 1008)).astype(np.float32)
        with self.assertRaises(BrutoError):
            register(scene("pans"), noise, "homography")

    def test_brightness_does_not_matter(self) -> None:
        image = scene("pans")
        a, b = normalised(image), normalised(image * 0.25)
        self.assertLess(np.abs(a.astype(int) - b).mean(), 8)


def picture(light: np.ndarray) -> np.ndarray:
    code = np.clip(encode_srgb(np.clip(light, 0, 1)) * 255 + 0.5, 0, 255).astype(np.uint8)
    return np.repeat(code[..., None], 3, 2) if code.ndim == 2 else code


class Measures(unittest.TestCase):
    def setUp(self) -> None:
        self.light = 0.02 + 0.7 * scene("card")
        self.plain = picture(self.light)

    def test_equal_pictures_do_not_differ(self) -> None:
        c = compare(self.plain, self.plain)
        self.assertLess(c.delta_e00_median, 0.05)
        self.assertLess(c.alignment.model_px, 0.02)
        self.assertEqual(c.a["lost_highlights_percent"], c.b["lost_highlights_percent"])

    def test_noise_is_measured_in_lightness(self) -> None:
        random = np.random.default_rng(5)
        noisy = np.clip(self.plain + random.normal(0, 6, self.plain.shape[:2])[..., None], 0, 255).astype(np.uint8)
        c = compare(self.plain, noisy)
        self.assertGreater(c.b["noise_l"], c.a["noise_l"] + 1)
        self.assertAlmostEqual(c.b["noise_l"], 6 * 100 / 255, delta=0.8)
        self.assertIn("second shows more grain", {r[0]: r[3] for r in sentences(c, "first", "second")}["Grain, σ L*"])

    def test_smear_halo_color_and_loss_are_seen(self) -> None:
        smeared = cv2.GaussianBlur(self.plain, (0, 0), 1.2)
        self.assertLess(compare(self.plain, smeared).b["texture_l"], 0.8 * compare(self.plain, smeared).a["texture_l"])
        detail = self.plain.astype(np.float32) - cv2.GaussianBlur(self.plain, (0, 0), 1.6)
        haloed = np.clip(self.plain + 1.6 * detail, 0, 255).astype(np.uint8)
        c = compare(self.plain, haloed)
        self.assertGreater(c.b["edge_overshoot_percent"], c.a["edge_overshoot_percent"] + 4)
        burnt = compare(self.plain, picture(self.light * 2.2))
        self.assertGreater(burnt.b["lost_highlights_percent"], burnt.a["lost_highlights_percent"] + 1)
        self.assertGreater(burnt.delta_l_mean, 10)
        tinted = self.plain.astype(int) + [14, 0, -14]
        lifted = compare(self.plain, (30 + self.plain * (225 / 255)).astype(np.uint8))
        self.assertGreater(lifted.b["deepest_l"], lifted.a["deepest_l"] + 4)
        rows = {r[0]: r[3] for r in sentences(lifted, "first", "second")}
        self.assertEqual(rows["Darkest 1 %, L*"], "The second lifts black to grey.")
        self.assertGreater(compare(self.plain, np.clip(tinted, 0, 255).astype(np.uint8)).b["mean_chroma"], 6)

    def test_overshoot_of_a_known_step(self) -> None:
        step = np.full((200, 400), 30.0, np.float32)
        for k in range(8):
            step[:, 20 + 48 * k : 44 + 48 * k] = 70.0
        soft = cv2.GaussianBlur(step, (0, 0), 1.0)
        valid = np.ones(step.shape, bool)
        self.assertLess(edge_overshoot(edges_of(soft, valid)), 0.02)
        over = soft + 1.2 * (soft - cv2.GaussianBlur(soft, (0, 0), 1.5))
        self.assertAlmostEqual(edge_overshoot(edges_of(over, valid)), float((over.max() - 70) / 40), delta=0.05)

    def test_raw_and_phone_differ_as_people_say(self) -> None:
        """The raw keeps more texture, the phone's picture has stronger halos."""
        shot = taken("pans", size=MIDDLE, seed=2)[0]
        c = compare(for_comparison(shot["files"][0]), for_comparison(shot["files"][1]))
        self.assertLess(c.alignment.model_px, 0.2)
        self.assertGreater(c.b["edge_overshoot_percent"], c.a["edge_overshoot_percent"])
        self.assertGreater(c.delta_e00_median, 1)
        rows = sentences(c)
        self.assertTrue(all(len(r) == 4 and r[3].endswith(".") for r in rows))
        self.assertEqual(len({r[0] for r in rows}), len(rows))


class Sharp(unittest.TestCase):
    def test_pieces_lie_on_each_other_at_full_size(self) -> None:
        """Aligned on half-size pictures, shown at full size: edges of both fall together, whatever the orientation."""
        shot = taken("pans", size=MIDDLE, seed=2)[0]
        source = open_source(shot["files"][0])
        phone = for_comparison(shot["files"][1])
        recipe = Recipe()
        for orientation in (1, 6):
            developer = Developer(replace(source, meta=replace(source.meta, orientation=orientation)))
            picture = np.ascontiguousarray(orient(phone, orientation))
            small = [
                cv2.resize(p, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
                for p in (developer.render(recipe), picture)
            ]
            alignment = compare(small[0], small[1]).alignment
            rect = Rectangle(300, 250, 260, 200)
            pair = sharp_pair(Developed(developer, recipe), Finished(picture), alignment, rect)
            self.assertEqual(pair.first.shape, (200, 260, 3))
            self.assertEqual(pair.second.shape, (200, 260, 3))
            np.testing.assert_array_equal(pair.first, developer_rect(developer, recipe, rect, orientation))
            greys = [cv2.cvtColor(p, cv2.COLOR_RGB2GRAY).astype(np.float32) for p in (pair.first, pair.second)]
            high = [g - cv2.GaussianBlur(g, (0, 0), 3) for g in greys]
            (dx, dy), _ = cv2.phaseCorrelate(high[0], high[1])
            self.assertLess(np.hypot(dx, dy), 0.4, f"orientation {orientation}")


def developer_rect(developer: Developer, recipe: Recipe, rect: Rectangle, orientation: int) -> np.ndarray:
    return orient(developer.view(recipe, 1, stored_rect(rect, orientation, developer.source.size)), orientation)


class Push(unittest.TestCase):
    def test_the_same_push_changes_both(self) -> None:
        shot = taken("pans", size=MIDDLE, seed=2)[0]
        for file in shot["files"]:
            plain = for_comparison(file).astype(float)
            for push, least in ((Recipe(exposure=1.5), 15), (Recipe(tone=lifted(20)), 2)):
                pushed_one = for_comparison(file, push)
                self.assertEqual(plain.shape, pushed_one.shape)
                self.assertGreater(pushed_one.mean(), plain.mean() + least)
            grey = for_comparison(file, Recipe(chroma=0.0)).astype(int)
            self.assertLess(np.abs(grey[..., 0] - grey[..., 2]).mean(), 2)

    def test_a_push_adds_to_what_is_there(self) -> None:
        own = Recipe(exposure=0.5, chroma=1.2, temperature=5000.0)
        both = pushed(own, Recipe(exposure=1.0, chroma=2 * Recipe().chroma, temperature=6500.0))
        self.assertEqual((both.exposure, both.chroma, both.temperature), (1.5, 2.4, 5000.0))
        self.assertEqual(pushed(own, Recipe()), own)
        mine = Recipe(tone=Tone(shadow=Handle(ev=-3.5, lightness=20.0), white=Handle(ev=4.0, lightness=99.0)))
        tone = pushed(mine, Recipe(tone=lifted(10))).tone
        self.assertEqual((tone.shadow.ev, tone.shadow.lightness, tone.white), (-3.5, 30.0, mine.tone.white))
        steep = pushed(mine, Recipe(tone=lifted(85))).tone  # handles go on rising
        self.assertEqual(sorted(h.lightness for h in steep.handles()), [h.lightness for h in steep.handles()])
        self.assertEqual(pushed(Recipe(exposure=7.5), Recipe(exposure=4.0)).exposure, 8.0)  # as far as it goes
        self.assertEqual(cannot_act(Recipe(noise_best=True, horizon=2.0)), ["best in files", "level"])

    def test_every_field_has_a_way_to_act_or_is_named(self) -> None:
        known = {*ADDED, *SCALED, *TAKEN, *RAW_ONLY, *FRAME_FIELDS, "tone", "temperature", "tint"}
        left = set(Recipe.model_fields) - known - {"schema_version", "engine", "bypassed"}
        self.assertEqual(left, set())

    def test_a_picture_is_shown_as_it_is(self) -> None:
        shot = taken("pans", size=MIDDLE, seed=2)[0]
        with Image.open(shot["files"][1]) as image:
            np.testing.assert_array_equal(for_comparison(shot["files"][1]), np.asarray(image))
        self.assertEqual(for_comparison(raw_of("pans", size=MIDDLE, seed=2)).shape, (MIDDLE[1], MIDDLE[0], 3))


def lifted(by: float) -> Tone:
    """Tone with lighter shadows."""
    tone = Tone()
    return tone.model_copy(update={"shadow": Handle(ev=-3.0, lightness=14.5 + by)})


class Maps(unittest.TestCase):
    def test_they_are_the_formulas(self) -> None:
        random = np.random.default_rng(3)
        one, other = (random.integers(0, 256, (60, 80, 3)).astype(np.uint8) for _ in range(2))
        other[:20] = np.clip(one[:20].astype(int) + random.integers(-3, 4, (20, 80, 3)), 0, 255)
        one[:5] = other[:5] = one[:5, :, :1]  # without colour
        labs = [picture_to_lab(p) for p in (one, other)]
        np.testing.assert_allclose(lab_of_codes(one), labs[0], atol=2e-3)
        np.testing.assert_allclose(
            difference_map(*(lab.astype(np.float32) for lab in labs)), delta_e00(*labs), atol=2e-3
        )


class Places(unittest.TestCase):
    """One fault made in one corner of a picture is found there, and told for what it is."""

    def setUp(self) -> None:
        self.plain = picture(0.02 + 0.5 * scene("card"))
        self.valid = np.ones(self.plain.shape[:2], bool)

    def found(self, kind: str, changed: np.ndarray) -> tuple[float, float, str]:
        places = places_of(lab_of_codes(self.plain), lab_of_codes(changed), self.valid)
        (place,) = [p for p in places if p.kind == kind]
        return place.x, place.y, place.sentence.format(first="raw", second="picture")

    def test_each_kind(self) -> None:
        h, w = self.plain.shape[:2]
        corner = (slice(h // 2, h), slice(0, w // 2))
        smeared = self.plain.copy()
        smeared[corner] = cv2.GaussianBlur(self.plain, (0, 0), 2.5)[corner]
        x, y, text = self.found("detail", smeared)
        self.assertTrue(x < 0.55 and y > 0.45, (x, y))
        self.assertIn("it is smeared in the picture", text)
        tinted = self.plain.astype(int)
        tinted[corner] += [0, 14, 0]
        x, y, text = self.found("tint", np.clip(tinted, 0, 255).astype(np.uint8))
        self.assertTrue(x < 0.55 and y > 0.45, (x, y))
        self.assertIn("greener in the picture", text)
        noisy = self.plain.astype(float)
        noisy[corner] += np.random.default_rng(1).normal(0, 8, noisy[corner].shape[:2])[..., None]
        x, y, text = self.found("noise", np.clip(noisy, 0, 255).astype(np.uint8))
        self.assertTrue(x < 0.55 and y > 0.45, (x, y))
        self.assertIn("picture shows more grain", text)
        burnt = self.plain.copy()
        burnt[corner] = np.clip(burnt[corner].astype(int) * 3, 0, 255)
        x, y, text = self.found("clipping", burnt)
        self.assertTrue(x < 0.55 and y > 0.45, (x, y))
        self.assertIn("The raw still has", text)

    def test_sharpened_texture_is_no_grain(self) -> None:
        """Noise halved and texture drawn out in fields between even ones, as a phone does."""
        random, fields = np.random.default_rng(2), (np.indices((480, 720)).sum(axis=0) // 60 % 2).astype(np.float32)
        texture = cv2.GaussianBlur(random.standard_normal(fields.shape).astype(np.float32), (0, 0), 0.7)
        texture *= fields / texture.std()
        pair = []
        for strength, noise in ((0.5, 0.6), (2.0, 0.3)):
            light = 50 + strength * texture + noise * random.standard_normal(fields.shape)
            pair.append(np.stack([light, 0 * light, 0 * light], axis=2).astype(np.float32))
        said = {p.kind: p.sentence for p in places_of(*pair, np.ones(fields.shape, bool))}
        self.assertIn("{first} shows more grain", said["noise"])
        self.assertIn("{second} is crisper", said["detail"])

    def test_noise_in_black_is_no_structure(self) -> None:
        random = np.random.default_rng(4)
        light = np.where(np.arange(720) < 360, 3.0, 50.0) + np.zeros((480, 1))
        noisy, plain = (light + s * random.standard_normal(light.shape) * (light < 8) for s in (1.5, 0.1))
        pair = [np.stack([p, 0 * p, 0 * p], axis=2).astype(np.float32) for p in (noisy, plain)]
        places = places_of(*pair, np.ones(light.shape, bool))
        self.assertNotIn("detail", [p.kind for p in places if p.x < 0.4])

    def test_pictures_of_any_size_are_looked_at(self) -> None:
        random = np.random.default_rng(3)
        for size in ((1, 1), (5, 200), (23, 23), (24, 24), (200, 23), (97, 130)):
            one, other = (random.normal(50, 5, (*size, 3)).astype(np.float32) for _ in range(2))
            for place in places_of(one, other, np.ones(size, bool)):
                self.assertTrue(0 <= place.x <= 1 and 0 <= place.y <= 1, size)

    def test_equal_pictures_have_none(self) -> None:
        plain = lab_of_codes(self.plain)
        self.assertEqual(places_of(plain, plain, self.valid), [])


class Worth(unittest.TestCase):
    def test_what_the_picture_lost_is_named_with_its_area(self) -> None:
        light = 0.03 + 0.9 * np.minimum(scene("card"), 1)
        plain = picture(light)
        burnt = picture(np.where(light > 0.55, 1.0, light))
        area = 100 * float(((light > 0.55) & (light < 0.95)).mean())
        c = compare(plain, burnt)
        bright, dark, stops = lost(c)
        self.assertAlmostEqual(bright, area, delta=0.25 * area)
        self.assertLess(dark, 0.2)
        self.assertAlmostEqual(stops, np.log2(0.93 / 0.57), delta=0.35)
        text = worth(c, 20_000_000, 2_000_000)
        self.assertRegex(text, r"^Keep the raw \(20\.0 MB, 10 × the picture\): the picture has lost bright detail in")
        self.assertIn("holds hardly more", worth(compare(plain, plain), 20_000_000, 2_000_000))


class Report(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.raw, self.phone = copy_of(taken("pans", size=MIDDLE, seed=2)[0]["files"], self.folder)

    def run_compare(self, *more: str) -> Any:
        return CliRunner().invoke(app, ["compare", str(self.raw), str(self.phone), *more])

    def test_html_has_all_in_one_file(self) -> None:
        out = self.folder / "a.html"
        done = self.run_compare("--report", str(out))
        self.assertEqual(done.exit_code, 0, done.output)
        text = out.read_text()
        for words in ("Measured", "Regions that differ most", "Lost highlights", self.raw.name, "The picture"):
            self.assertIn(words, text)
        self.assertGreaterEqual(text.count("data:image/jpeg;base64,"), 5)
        self.assertNotRegex(text, r'(src|href)="(?!data:)')
        self.assertEqual(self.run_compare("--report", str(out)).exit_code, 1)  # it is there already
        self.assertEqual(self.run_compare("--report", str(out), "--overwrite").exit_code, 0)

    def test_pdf_is_one_page(self) -> None:
        out = self.folder / "a.pdf"
        self.assertEqual(self.run_compare("--report", str(out)).exit_code, 0)
        data = out.read_bytes()
        self.assertTrue(data.startswith(b"%PDF"))
        counts = re.findall(rb"/Count (\d+)", data)
        self.assertEqual(counts, [b"1"])

    def test_csv_and_other_kinds(self) -> None:
        out = self.folder / "a.csv"
        self.assertEqual(self.run_compare("--report", str(out)).exit_code, 0)
        with out.open(newline="") as stream:
            rows = list(csv.reader(stream))
        self.assertEqual(rows[0], ["measure", self.raw.name, self.phone.name, "in words"])
        self.assertEqual(len(rows), len(MEASURES) + 4)  # the difference, and what the files take
        float(rows[1][1])
        done = self.run_compare("--report", str(self.folder / "a.txt"))
        self.assertEqual(done.exit_code, 1)
        self.assertIn(".html, .pdf or .csv", str(done.exception))

    def test_names_of_files_are_data(self) -> None:
        odd = self.folder / "<img src=x onerror=y>.jpg"
        self.phone.rename(odd)
        self.phone = odd
        out = self.folder / "b.html"
        self.assertEqual(self.run_compare("--report", str(out)).exit_code, 0)
        self.assertNotIn("<img src=x", out.read_text())


class Copies(unittest.TestCase):
    """One picture, and copies with one fault each: every measure tells its own, in the right direction and size."""

    def setUp(self) -> None:
        light = 0.02 + 0.6 * scene("pans")
        grain = np.random.default_rng(4).normal(0, 0.004, light.shape)
        self.plain = picture(np.clip(light * (1 + grain), 0, 1))

    def both(self, changed: np.ndarray, key: str) -> tuple[float, float]:
        c = compare(self.plain, np.clip(changed, 0, 255).astype(np.uint8))
        return c.a[key], c.b[key]

    def test_a_smoothed_copy_keeps_edges_and_loses_texture(self) -> None:
        smooth = cv2.bilateralFilter(self.plain, 9, 30, 3)
        first, second = self.both(smooth, "texture_kept_percent")
        self.assertEqual(first, 100)
        self.assertLess(second, 65)
        self.assertGreater(self.both(self.plain, "texture_kept_percent")[1], 90)

    def test_a_tinted_copy(self) -> None:
        """The median of dark greys moves as far as OKLab says of the tint."""
        tint = self.plain.astype(float) + [0, 7, 0]
        first, second = self.both(tint, "dark_tint")
        grey = np.full((1, 3), 60.0)
        expected = np.hypot(*(oklab_of_lab(picture_to_lab((grey + [0, 7, 0]).astype(np.uint8)))[0, 1:])) * 1000
        self.assertLess(first, 2)
        self.assertAlmostEqual(second, expected, delta=0.35 * expected)

    def test_a_blotched_copy(self) -> None:
        noise = np.random.default_rng(5).normal(0, 1, (*self.plain.shape[:2], 2)).astype(np.float32)
        coarse = cv2.GaussianBlur(noise, (0, 0), 7.0)
        coarse *= 6 / coarse.std()
        changed = self.plain + np.stack([coarse[..., 0], -coarse.sum(axis=2) / 2, coarse[..., 1]], axis=2)
        first, second = self.both(changed, "blotch")
        self.assertLess(first, 0.2)
        self.assertGreater(second, first + 0.8)

    def test_widths_of_known_edges(self) -> None:
        """10 to 90 % of a blurred step lie 2.563 standard deviations apart."""
        step = np.full((200, 400), 30.0, np.float32)
        for k in range(8):
            step[:, 20 + 48 * k : 44 + 48 * k] = 70.0
        valid = np.ones(step.shape, bool)
        for sigma in (1.0, 1.6, 2.4):
            found = edge_width(edges_of(cv2.GaussianBlur(step, (0, 0), sigma), valid))
            self.assertAlmostEqual(found, 2.563 * sigma, delta=0.15 * 2.563 * sigma)

    def test_a_copy_with_fringes(self) -> None:
        """Red a pixel to the left, blue a pixel to the right."""
        fringed = self.plain.copy()
        fringed[..., 0] = np.roll(self.plain[..., 0], -1, 1)
        fringed[..., 2] = np.roll(self.plain[..., 2], 1, 1)
        first, second = self.both(fringed, "fringes")
        self.assertGreater(second, first + 3)

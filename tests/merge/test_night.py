"""A night of the simulated phone, whose every frame and star is known: judged, and merged into trails."""

from __future__ import annotations

import json
import shutil
import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
import rawpy
from typer.testing import CliRunner

from bruto.cli import app
from bruto.cli.merge import add_merges
from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import write_dng
from bruto.container.quick_metadata import read_quick_metadata
from bruto.errors import BrutoError, Cancelled
from bruto.merge.merger import merge
from bruto.merge.methods.trails import TRAILS, TrailOptions, combine
from bruto.merge.result import MergeResult
from bruto.simphone.capture import Exposure
from bruto.simphone.capture_files import sample_tags
from bruto.simphone.night import SIDEREAL, NightEvent, NightFrame, NightPhone, save_frame
from tests.truth import plain_linear

SIZE = (1008, 756)
EXPOSURE = Exposure(1600.0, 15.0)
BEGIN = datetime(2026, 6, 21, 23, 0, 0)
WHAT = NightEvent(
    clouds=((22, 34),), aircraft=(6,), satellites=(12,), lost=(17, 18), shaken=(40,), tests=2, lamp=True
)  # fmt: skip
COUNT = 52


def recorded(phone: NightPhone, frames: list[NightFrame], folder: Path) -> list[Path]:
    """The frames as files."""
    return [
        save_frame(phone.take(f), folder / f"sky-{f.number + 1:03d}.dng", BEGIN + timedelta(seconds=f.start))
        for f in frames
    ]


@cache
def night() -> tuple[NightPhone, list[NightFrame], list[Path], MergeResult, np.ndarray]:
    """The night and its trails, made once for all tests of this module."""
    folder = Path(unittest.enterModuleContext(TemporaryDirectory()))
    phone = NightPhone(size=SIZE, happening=WHAT)
    frames = phone.frames(COUNT, EXPOSURE)
    files = recorded(phone, frames, folder)
    result = merge("trails", files, folder / "trails.dng")
    return phone, frames, files, result, plain_linear(read_dng(result.output))


class Sky(unittest.TestCase):
    phone: NightPhone

    def setUp(self) -> None:
        self.phone, self.frames, self.files, self.result, self.light = night()
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.out = self.result.output


class Truth(Sky):
    def test_the_sky_turns_about_the_pole(self) -> None:
        """Straight from the geometry: angles to the pole stay, and the turn is that of a sidereal day."""
        pole = self.phone.pole / np.linalg.norm(self.phone.pole)
        one, other = self.phone.directions(0.0), self.phone.directions(3600.0)
        np.testing.assert_allclose(one @ pole, other @ pole, atol=1e-12)
        flat = [d - np.outer(d @ pole, pole) for d in (one, other)]
        cosine = (flat[0] * flat[1]).sum(axis=1) / (flat[0] ** 2).sum(axis=1)
        np.testing.assert_allclose(np.arccos(np.clip(cosine, -1, 1)), 3600 * SIDEREAL, atol=1e-6)

    def test_a_star_brings_the_light_of_its_magnitude(self) -> None:
        """Two stars of one colour: the light in the frame goes by the magnitude."""
        frame = next(f for f in self.frames if not f.bad and not f.marks)
        ideal = self.phone.take(frame).ideal
        places, ahead = self.phone.places(frame.start + 7.5)
        w, h = SIZE
        inside = ahead & (places > 30).all(axis=1) & (places < [w - 30, 0.3 * h]).all(axis=1)
        green = (ideal[0::2, 1::2] + ideal[1::2, 0::2]) / 2
        notice = []
        for k in np.nonzero(inside & (self.phone.magnitudes < 5.6))[0]:
            near = np.linalg.norm(places - places[k], axis=1)
            if (near < 16).sum() > 1:
                continue
            x, y = (places[k] / 2).astype(int)
            part = green[y - 6 : y + 7, x - 6 : x + 7]
            notice.append((self.phone.magnitudes[k], part.sum() - 169 * np.median(part)))
        self.assertGreater(len(notice), 5)
        magnitudes, light = np.array(notice).T
        slope = np.polyfit(magnitudes, -2.5 * np.log10(light), 1)[0]
        self.assertAlmostEqual(slope, 1.0, delta=0.15)


class BurstAssessment(Sky):
    def test_bad_frames_are_found_and_good_ones_kept(self) -> None:
        found = {Path(f.file).name: f for f in self.result.frames}
        for frame, file in zip(self.frames, self.files, strict=True):
            verdict = found[file.name]
            self.assertEqual(verdict.used, not frame.bad, f"{file.name}: {frame.bad} {verdict.reason}")
        for name, words in ((0, "test shot: ISO 3200, 5 s"), (1, "test shot: ISO 800")):
            self.assertIn(words, found[self.files[name].name].reason)
        reasons = {f.bad: found[p.name].reason for f, p in zip(self.frames, self.files, strict=True) if f.bad}
        self.assertRegex(reasons["cloud"], r"^clouds over \d+ % of the sky$")
        self.assertRegex(reasons["shaken"], r"^moved: \d+ % of the sharpness")

    def test_stars_that_go_slowly_do_not_make_a_frame_look_moved(self) -> None:
        """Near the pole a star hardly moves, but is elsewhere in the first and last of frames judged together."""
        folder = Path(self.enterContext(TemporaryDirectory()))
        phone = NightPhone(size=SIZE, happening=NightEvent(shaken=(3, 4, 5, 6)))
        files = recorded(phone, phone.frames(20, EXPOSURE), folder)
        found = merge("sky", files, folder / "sky.dng").frames
        self.assertEqual([k for k, f in enumerate(found) if f.reason.startswith("moved")], [3, 4, 5, 6])
        self.assertEqual(sum(f.used for f in found), 16)

    def test_what_is_said_of_the_result(self) -> None:
        used = sum(f.used for f in self.result.frames)
        self.assertAlmostEqual(self.result.equivalent_stops, np.log2(used), places=3)
        self.assertEqual(self.result.warnings, ())
        self.assertEqual(read_dng(self.out).meta.merged, f"trails of {used} frames")
        self.assertEqual(
            read_quick_metadata(self.out).merged, f"trails of {used} frames"
        )  # so that it is no frame of its own set
        with rawpy.imread(str(self.out)) as raw:
            self.assertEqual(raw.raw_image_visible.shape[:2], SIZE[::-1])

    def test_files_that_do_not_fit_are_named_and_the_rest_goes_on(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            files = [Path(shutil.copy2(p, folder)) for p in self.files[4:20]]
            files[3].write_bytes(files[3].read_bytes()[:3000])
            files[5].write_bytes(b"no raw")
            result = merge("trails", files[::-1], folder / "o.dng")  # in any order
            left = {Path(f.file).name for f in result.frames if not f.used}
            self.assertEqual(left, {files[3].name, files[5].name})
            with self.assertRaises(BrutoError):
                merge("trails", [files[5], files[3]], folder / "p.dng")
            with self.assertRaises(Cancelled):
                merge("trails", files, folder / "q.dng", cancelled=lambda: True)
            self.assertFalse((folder / "q.dng").exists())


class Margins(Sky):
    def test_margins_about_the_picture_change_nothing(self) -> None:
        """As other makers store it: sites without light about the active area, a crop inside it."""
        chosen = [p for f, p in zip(self.frames, self.files, strict=True) if f.bad in ("", "cloud")][14:40]
        left, top, w, h = 10, 6, *SIZE
        padded = []
        for path in chosen:
            raw = read_dng(path)
            codes = np.full((h + 16, w + 24), 256, np.uint16)
            codes[top : top + h, left : left + w] = raw.codes
            m = raw.meta
            tags = replace(
                sample_tags(), taken=m.taken, iso=m.iso, exposure_s=m.exposure_s, as_shot_neutral=m.as_shot_neutral,
                noise_profile=m.noise_profile, gain_maps=(), active_area=(4, 2, w + 16, h + 10),
                default_crop=(left - 4, top - 2, w, h),
            )  # fmt: skip
            padded.append(self.folder / path.name)
            write_dng(padded[-1], codes, tags, np.zeros((90, 120, 3), np.uint8))
        found = []
        for files in (chosen, padded):
            out = self.folder / f"of-{len(found)}.dng"
            result = merge("trails", files, out)
            self.assertEqual(result.warnings, ())
            found.append(plain_linear(read_dng(out)))
        self.assertEqual(found[0].shape, found[1].shape)
        inner = (slice(20, -20), slice(20, -20))
        stars = found[0][inner].max(axis=2) > 0.15
        self.assertGreater(stars.sum(), 200)
        apart = np.abs(found[0][inner] - found[1][inner])
        self.assertLess(float(apart[stars].mean()), 0.1 * float(found[0][inner][stars].mean()))


class Trails(Sky):
    def alternatives(self, brightest: float = 5.2) -> list[np.ndarray]:
        """Ways of bright stars over the whole night, (N, 2) each second one."""
        good = [f for f in self.frames if f.bad != "test shot"]
        times = np.arange(good[0].start + 7.5, good[-1].start + 7.5, 2.0)
        w, h = SIZE
        at = [self.phone.places(t) for t in times]
        found = []
        for k in np.argsort(self.phone.magnitudes):
            if self.phone.magnitudes[k] > brightest:
                break
            alternative = np.array([places[k] for places, ahead in at if ahead[k]])
            if len(alternative) < len(times) or not (
                (alternative > 10).all() and (alternative < [w - 10, 0.34 * h]).all()
            ):
                continue
            if np.linalg.norm(alternative[-1] - alternative[0]) > 18:
                found.append(alternative)
        return found

    def profile(self, light: np.ndarray, alternative: np.ndarray, whole: bool = False) -> np.ndarray:
        grey = light.sum(axis=2).astype(np.float32)
        even = cv2.GaussianBlur(grey - cv2.blur(np.minimum(grey, 2 * np.median(grey)), (41, 41)), (0, 0), 1.5)
        found = cv2.remap(even, *(alternative[:, k].astype(np.float32)[None] for k in (0, 1)), cv2.INTER_LINEAR)[0]
        edge = 0 if whole else len(found) // 15
        if not edge:
            return found
        return found[edge:-edge]

    def test_arcs_are_whole(self) -> None:
        alternatives = self.alternatives()
        self.assertGreaterEqual(len(alternatives), 3)
        dips = [
            1 - np.percentile(p, 2) / np.median(p)
            for p in (self.profile(self.light, alternative) for alternative in alternatives)
        ]
        self.assertLess(float(np.median(dips)), 0.25)  # of few and coarse pixels: noise has its share
        left = self.folder / "left.dng"
        merge(_with(bridge=False), self.files, left)
        broken = plain_linear(read_dng(left))
        whole, gaps = (
            [self.clouded(light, alternative) for alternative in alternatives] for light in (self.light, broken)
        )
        self.assertGreater(float(np.median(whole)), 0.8)
        self.assertLess(float(np.median(gaps)), 0.75)

    def clouded(self, light: np.ndarray, alternative: np.ndarray) -> float:
        """Brightness of an arc while the clouds were there, against all of it."""
        profile = self.profile(light, alternative, whole=True)
        good = [f for f in self.frames if f.bad != "test shot"]
        cloud = [f.start for f in good if f.bad == "cloud"]
        times = good[0].start + 7.5 + 2.0 * np.arange(len(profile))
        there = (times > cloud[1]) & (times < cloud[-1])
        return float(profile[there].mean() / np.median(profile))

    def test_aircraft_go_and_stay_as_wanted(self) -> None:
        kept = self.folder / "kept.dng"
        merge(_with(remove=False), self.files, kept)
        more = (plain_linear(read_dng(kept)) - self.light).sum(axis=2)
        line = more > 8 * 1.4826 * np.median(np.abs(more))
        above, below = line[: SIZE[1] // 3].sum(), line[SIZE[1] // 2 :].sum()
        self.assertGreater(above, 300)  # where it flew
        self.assertLess(below, 0.1 * above)

    def test_the_ground_is_cleaner_and_the_lamp_no_brighter(self) -> None:
        frame = next(f for f in self.frames if not f.bad and not f.marks)
        capture = self.phone.take(frame)
        ideal = capture.ideal
        ground = (slice(480, 740), slice(20, 600))
        green = self.light[ground][..., 1]
        true = cv2.GaussianBlur(ideal[ground].astype(np.float32), (0, 0), 2)
        one = (capture.codes[ground].astype(float) - 256) / 3839
        sites = (slice(0, None, 2), slice(1, None, 2))  # green ones
        single = (one - ideal[ground])[sites].std()
        many = (green - ideal[ground])[sites].std()
        used = sum(f.used for f in self.result.frames)
        self.assertGreater(single / many, 0.7 * used**0.5)
        self.assertEqual(true.shape, green.shape)
        lamp = (slice(370, 420), slice(850, 930))
        self.assertLess(self.light[lamp].max(), 1.1 * max(ideal[lamp].max(), 1.0))

    def test_the_first_frames_fade(self) -> None:
        faded = self.folder / "faded.dng"
        merge(_with(fade=1.0), self.files, faded)
        light = plain_linear(read_dng(faded))
        for alternative in self.alternatives(4.6):
            profile = self.profile(light, alternative)
            third = len(profile) // 3
            self.assertLess(np.median(profile[:third]), 0.7 * np.median(profile[-third:]))

    def test_the_command_line(self) -> None:
        add_merges()
        files = [str(p) for p in self.files[2:16]]
        out = self.folder / "cli.dng"
        run = CliRunner().invoke(app, ["merge", "trails", *files, "-o", str(out), "--gaps", "leave", "--json"])
        self.assertEqual(run.exit_code, 0, run.output)
        self.assertEqual(json.loads(run.stdout)["frames_used"], 14)
        run = CliRunner().invoke(app, ["merge", "trails", *files, "-o", str(out), "--aircraft", "maybe"])
        self.assertIn("--aircraft must be remove or keep", str(run.exception))


def _with(**options: object) -> object:
    """The method with other options."""
    chosen = TrailOptions(**options)  # type: ignore[arg-type]
    return replace(TRAILS, combine=lambda reader: combine(reader, chosen))

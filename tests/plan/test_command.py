"""`bruto plan …`: what the contract names is there, and wrong input is told."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import unittest
from contextlib import redirect_stdout
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from typer.testing import CliRunner

from bruto.cli import app
from bruto.cli.main import main
from bruto.cli.plan.options import number, numbers
from bruto.container.dng_writer import write_dng
from bruto.errors import BrutoError
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.simphone.capture_files import sample_tags
from tests.shots import SMALL, raw_of


def run(*arguments: object) -> dict:
    """As the program does it, from its beginning."""
    out = io.StringIO()
    with redirect_stdout(out):
        code = main(["plan", *map(str, arguments), "--json"])
    assert code == 0, f"{arguments}: {code}"
    return json.loads(out.getvalue())


class Contract(unittest.TestCase):
    def test_as_a_process(self) -> None:
        """Commands are loaded by their first word: each group of them in a process of its own."""
        for group, names in (("plan", ("stars", "interval", "night", "day", "ladder", "bracket", "lowlight", "size",
                                       "depth", "filter", "space", "battery", "exposure", "darkness", "new", "list")),
                             ("log", ("list", "learn", "ask", "export", "import")),
                             ("merge", ("noise", "exposure", "long", "trails", "sky"))):  # fmt: skip
            ran = subprocess.run(
                [sys.executable, "-m", "bruto.cli", group, "--help"], capture_output=True, text=True, check=False
            )
            self.assertEqual(ran.returncode, 0, ran.stderr)
            for name in names:
                self.assertIn(f" {name} ", ran.stdout)

    def test_battery(self) -> None:
        found = run("battery", 4, "--per-hour", 12)
        self.assertEqual((found["left_percent"], found["enough"], found["lasts_hours"]), (52.0, True, 7.08))
        self.assertFalse(run("battery", 8, "--per-hour", 11, "--charge", 90)["enough"])
        with TemporaryDirectory() as folder:
            book = Path(folder) / "book.sqlite"
            with self.assertRaisesRegex(BrutoError, "--per-hour"):
                CliRunner().invoke(app, ["plan", "battery", "4", "--book", str(book)], catch_exceptions=False)
            with Logbook(book) as opened:
                opened.put([LogRecord(key=str(k), shoot=str(k), name="a") for k in range(2)])
                opened.note_shoot("0", None, (100.0, 60.0, 4.0))
                opened.note_shoot("1", None, (90.0, 62.0, 2.0))
            learnt = run("battery", 5, "--book", book)  # 10 and 14 % an hour
            self.assertEqual((learnt["per_hour_percent"], learnt["left_percent"]), (12.0, 40.0))
            self.assertEqual((learnt["spread_percent"], learnt["enough"]), (14.7, True))

    def test_stars(self) -> None:
        found = run(
            "stars", "--focal-35mm", 26, "--f-number", 1.9, "--pixel-um", 1.95, "--focal-mm", 5.9, "--declination", 40,
            "--offered", "1/3,1,4,8,13,20",
        )  # fmt: skip
        self.assertEqual([r["name"] for r in found["rules"]], ["500", "aperture-pitch"])
        self.assertEqual([o["seconds"] for o in found["offered"]][:2], [1 / 3, 1.0])
        self.assertEqual(found["offered"][-2]["within"], ["500", "aperture-pitch"])
        self.assertEqual(set(found["stack"]) >= {"frames", "seconds"}, True)

    def test_night_and_day(self) -> None:
        where = ("--latitude", 41, "--longitude", 8.5, "--date", "2026-12-05", "--zone", "CET")
        found = run("night", *where, "--target", "10.68,41.27")
        self.assertGreaterEqual(
            set(found["sun"]),
            {"set", "rise", "civil_end", "nautical_end", "astronomical_end", "astronomical_begin", "civil_begin"},
        )
        self.assertGreaterEqual(set(found["moon"]), {"rise", "set", "illuminated_percent"})
        self.assertEqual(set(found["dark"][0]), {"from", "to"})
        self.assertGreaterEqual(
            set(found["galactic_centre"]), {"rise", "set", "highest", "altitude_deg", "azimuth_deg"}
        )
        self.assertEqual(set(found["track"][0]), {"time", "altitude_deg", "azimuth_deg"})
        self.assertTrue(found["track"][0]["time"].endswith("+01:00"))
        self.assertGreater(found["target"]["altitude_deg"], 85)
        day = run("day", *where, "--facade", 270)
        self.assertEqual(set(day["facade"]["light"][0]), {"from", "to"})
        polar = run("night", "--latitude", 80, "--longitude", 0, "--date", "2026-06-21")
        self.assertEqual((polar["sun"]["set"], polar["sun"]["civil_end"], polar["dark"]), (None, None, []))

    def test_interval_by_frames(self) -> None:
        begin, tags = datetime(2026, 6, 21, 23), sample_tags()
        with TemporaryDirectory() as name:
            at = 0.0
            for k in range(12):
                at += 16.4 if k != 7 else 2 * 16.4
                taken = (begin + timedelta(seconds=at)).strftime("%Y:%m:%d %H:%M:%S")
                seconds = 2.0 if k == 0 else 15.0  # the first is a test shot
                write_dng(
                    Path(name) / f"sky-{k:02d}.dng", np.full((32, 32), 300, np.uint16),
                    replace(tags, taken=taken, exposure_s=seconds), np.zeros((8, 8, 3), np.uint8),
                )  # fmt: skip
            found = run("interval", "--exposure", 15, "--frames", name, "--duration", 3600)
        self.assertAlmostEqual(found["pause_s"], 1.4, delta=0.15)
        self.assertEqual(found["missed"], [{"after": "sky-06.dng", "frames": 1}])
        self.assertIn(found["frames"], (218, 219, 220))
        plain = run("interval", "--exposure", "1/2", "--pause", 0.5, "--duration", 10)
        self.assertEqual((plain["interval_s"], plain["frames"], plain["missed"]), (1.0, 10, []))

    def test_what_a_raw_tells(self) -> None:
        raw = raw_of("sluice", size=SMALL)
        found = run("bracket", raw)
        self.assertEqual(found["frames"], len(found["ev"]))
        self.assertEqual(found["single_frame_suffices"], found["frames"] == 1)
        self.assertTrue(run("ladder", "--level", 0.05, "--iso", 400, "--shutter", 4, "--phone-from", raw)["try"])
        self.assertEqual(
            len(run("lowlight", "--level", 0.05, "--iso", 400, "--shutter", "1/4", "--phone-from", raw)["answers"]), 3
        )
        self.assertTrue(run("exposure", "--iso", 100, "--shutter", "1/50", "--phone-from", raw)["equivalent"])
        self.assertTrue(run("stars", "--phone-from", raw)["offered"])
        self.assertAlmostEqual(run("filter", "--plain", raw, "--filtered", raw)["stops_lost"], 0.0)

    def test_the_others(self) -> None:
        self.assertEqual(run("size", "--zoom", 2)["width"], 2016)
        self.assertLess(
            run("size", "--binned", "1e-4:1e-6", "--full", "4e-4:16e-6")["noise"]["full_snr_equal_size"], 1e3
        )
        depth = ("depth", "--focal-mm", 5.9, "--focal-35mm", 26, "--f-number", 1.9, "--distance")
        self.assertIsNone(run(*depth, 20)["far_m"])
        self.assertFalse(run("space", "--frames", 1000, "--free-gb", 2)["fits"])
        self.assertEqual(run("filter", "--holder", 37, "--thread", 52)["rings_mm"][0][0], 37)

    def test_what_is_wrong_is_told(self) -> None:
        for arguments, text in (
            (("stars",), "--focal-35mm"), (("stars", "--focal-35mm", 0), "equivalent"),
            (("stars", "--focal-35mm", 26, "--offered", "1/0"), "not a number"),
            (("interval", "--exposure", 3), "--pause"), (("interval", "--exposure", -3, "--pause", 1),
                "not −3 s"),
            (("interval", "--exposure", 3, "--frames", "/nowhere"), "nowhere"),
            (("night", "--latitude", 91, "--longitude", 0, "--date", "2026-01-01"), "latitude"),
            (("night", "--latitude", 0, "--longitude", 0, "--date", "soon"), "date"),
            (("day", "--latitude", 0, "--longitude", 0, "--date", "2026-01-01", "--zone", "X/Y"), "zone"),
            (("bracket",), "test raw"), (("filter",), "--shutter"),
            (("exposure", "--iso", 100, "--shutter", 1), "known"),
        ):  # fmt: skip
            ran = CliRunner().invoke(app, ["plan", *map(str, arguments)])
            with self.subTest(arguments):
                self.assertIsInstance(ran.exception, BrutoError)
                self.assertIn(text, str(ran.exception))

    def test_a_plan_from_its_beginning_to_what_became_of_it(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            plan = folder / "plan.json"
            ran = CliRunner().invoke(app, ["plan", "new", "-o", str(plan)])
            self.assertEqual(ran.exit_code, 0, ran.output)
            for out in ("list.html", "list.pdf"):
                found = run("list", plan, "-o", folder / out, "--night")
                self.assertEqual(found["output"], str(folder / out))
            self.assertIn("Dark", (folder / "list.html").read_text())
            self.assertEqual((folder / "list.pdf").read_bytes()[:5], b"%PDF-")
            tags = sample_tags()
            for k, seconds in enumerate((15.0, 15.0, 1 / 4000)):
                write_dng(
                    folder / f"s-{k}.dng", np.full((32, 32), 300, np.uint16),
                    replace(tags, exposure_s=seconds, iso=1600.0, focal_35mm=26.0,
                            taken="2026:06:21 23:41:00"), np.zeros((8, 8, 3), np.uint8),
                )  # fmt: skip
            matches = run("list", plan, "--shots", folder)
            self.assertEqual(
                [b["state"] for b in matches["matches"]], ["missing", "missing", "missing", "done", "missing"]
            )
            nowhere = folder / "nowhere.json"
            nowhere.write_text(json.dumps(json.loads(plan.read_text()) | {"latitude": 0, "longitude": 0}))
            ran = CliRunner().invoke(app, ["plan", "list", str(nowhere)])
            self.assertIn("has no place", str(ran.exception))
            known = run("list", nowhere, "--shots", folder)  # what was taken is known without a place
            self.assertEqual((known["matches"], known["forecasts"]), (matches["matches"], []))
            ran = CliRunner().invoke(app, ["plan", "list", str(plan), "-o", str(plan)])
            self.assertIsInstance(ran.exception, BrutoError)  # the plan is not written over
            ran = CliRunner().invoke(app, ["plan", "list", str(plan), "-o", str(folder / "list.html")])
            self.assertIn("--overwrite", str(ran.exception))

    def test_numbers(self) -> None:
        self.assertEqual(
            (number("1/50"), number("2.5 s"), numbers("1/3, 1"), numbers("")), (0.02, 2.5, (1 / 3, 1.0), ())
        )
        for bad in ("", "a", "1/0", "1,2"):
            with self.assertRaises(BrutoError):
                number(bad)


if __name__ == "__main__":
    unittest.main()

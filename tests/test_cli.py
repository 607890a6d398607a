"""The command line as a contract: exit codes, JSON fields, one clear line for every bad input, nothing left
half-done.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import resource
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
import tifffile
from PIL import Image

from bruto.cli import main
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_files import save_recipe
from bruto.logbook.database import usual_logbook
from bruto.logbook.questions import answered
from bruto.logbook.records import LogRecord
from bruto.logbook.store import Logbook
from bruto.shoot.sidecar import Sidecar, save_sidecar
from bruto.shoot.verdicts import KEEP_OR_BEST
from tests.extent import share
from tests.shots import SMALL, copy_of, raw_of, raws_of, taken

INSPECT = {
    "kind", "width", "height", "bits_container", "levels_used", "compression", "cfa", "black", "white", "active_area",
    "default_crop", "orientation", "iso", "exposure_s", "f_number", "focal_mm", "focal_35mm", "taken", "make", "model",
    "preview", "maps", "opcodes", "warnings",
}  # fmt: skip
MEASURE = {
    "clipped_percent", "headroom_ev", "effective_bits", "noise", "dynamic_range_ev", "shadow_lift_ev",
    "preview_clipped_percent", "advice",
}  # fmt: skip


def run(*arguments: object) -> tuple[int, str, str]:
    """Exit code, stdout and stderr of a command."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main([str(a) for a in arguments])
    return code, out.getvalue(), err.getvalue()


class Commands(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.raw = raw_of("card", size=SMALL)
        self.phone = self.raw.with_suffix(".jpg")

    def json(self, *arguments: object) -> dict:
        code, out, err = run(*arguments, "--json")
        self.assertEqual((code, err), (0, ""))
        self.assertEqual(out.count("\n"), 1)
        return json.loads(out)

    def test_inspect(self) -> None:
        data = self.json("inspect", self.raw)
        self.assertLessEqual(INSPECT, set(data))
        self.assertEqual((data["kind"], data["width"], data["height"], data["cfa"]), ("mosaic", *SMALL, "RGGB"))
        self.assertEqual((data["black"], data["white"]), ([256.0] * 4, [4095.0]))
        self.assertEqual(data["preview"], {"width": SMALL[0] // 4, "height": SMALL[1] // 4})
        code, out, _ = run("inspect", self.raw)
        self.assertEqual(code, 0)
        self.assertIn("Vessar", out)

    def test_measure(self) -> None:
        data = self.json("measure", self.raw)
        self.assertLessEqual(MEASURE, set(data))
        self.assertEqual(set(data["clipped_percent"]), {"r", "g", "b", "any", "one", "two", "all"})
        self.assertLessEqual({"a", "b", "source"}, set(data["noise"]))
        self.assertEqual(set(data["advice"][0]), {"topic", "text", "value", "unit"})
        self.assertIn("dynamic range", run("measure", self.raw)[1])

    def test_develop_in_every_way(self) -> None:
        for name, extra, check in (
            ("a.jpg", (), (SMALL, "JPEG")), ("b.png", ("--auto",), (SMALL, "PNG")),
            ("c.jpg", ("--neutral", "--space", "display-p3"), (SMALL, "JPEG")),
            ("d.jpg", ("--long-edge", 200), ((200, 150), "JPEG")),
        ):  # fmt: skip
            code, _, err = run("develop", self.raw, "-o", self.folder / name, *extra)
            self.assertEqual((code, err), (0, ""), name)
            with Image.open(self.folder / name) as image:
                self.assertEqual((image.size, image.format), check)
        self.assertEqual(run("develop", self.raw, "-o", self.folder / "e.tif", "--bits", 16)[0], 0)
        self.assertEqual(tifffile.imread(self.folder / "e.tif").dtype, np.uint16)
        self.assertEqual(run("develop", self.raw, "-o", self.folder / "f.tif", "--space", "linear", "--neutral")[0], 0)
        self.assertEqual(tifffile.imread(self.folder / "f.tif").dtype, np.float32)

    def test_develop_uses_a_version_that_was_kept(self) -> None:
        raw = copy_of([self.raw], self.folder)[0]
        square = Recipe(aspect=1.0).model_dump(by_alias=True)
        save_sidecar(raw, Sidecar(versions={"square": square, "odd": {"exposure": 99}}))
        self.json("develop", raw, "-o", self.folder / "a.png", "--saved", "square")
        with Image.open(self.folder / "a.png") as picture:
            self.assertEqual(picture.size, (SMALL[1], SMALL[1]))
        for name, word in (("none of that name", "Saved versions: odd, square"), ("odd", "exposure")):
            code, _, err = run("develop", raw, "-o", self.folder / "b.png", "--saved", name)
            self.assertEqual(code, 1)
            self.assertIn(word, err)
            self.assertFalse((self.folder / "b.png").exists())
        self.assertEqual(run("develop", raw, "-o", self.folder / "b.png", "--saved", "odd", "--auto")[0], 2)

    def test_develop_uses_recipe_sidecar_or_default(self) -> None:
        (raw,) = copy_of([self.raw], self.folder)
        bright = self.folder / "bright.json"
        save_recipe(Recipe(exposure=2.0), bright)
        means = {}
        for name, extra in (("default", ()), ("recipe", ("--recipe", bright))):
            self.json("develop", raw, "-o", self.folder / f"{name}.png", *extra)
            means[name] = np.asarray(Image.open(self.folder / f"{name}.png")).mean()
        save_sidecar(raw, Sidecar(recipe=Recipe(exposure=1.0)))
        data = self.json("develop", raw, "-o", self.folder / "sidecar.png")
        means["sidecar"] = np.asarray(Image.open(self.folder / "sidecar.png")).mean()
        self.assertEqual(data["developed"][0]["recipe"]["exposure"], 1.0)
        self.assertLess(means["default"], means["sidecar"])
        self.assertLess(means["sidecar"], means["recipe"])

    def test_several_files_go_to_a_folder(self) -> None:
        files = raws_of("card", size=SMALL, count=2)
        data = self.json("develop", *files, self.phone, "-o", self.folder)
        self.assertEqual(len(data["developed"]), 3)
        self.assertEqual({p.suffix for p in self.folder.iterdir()}, {".jpg"})
        code, _, err = run("develop", *files, "-o", self.folder / "one.jpg")
        self.assertEqual(code, 1)
        self.assertIn("need a folder", err)

    def test_compare(self) -> None:
        data = self.json("compare", self.raw, self.phone)
        self.assertIn("residual_px", data["registration"])
        self.assertIn("delta_e00_median", data["difference"])
        self.assertEqual(set(data["a"]), set(data["b"]))
        self.assertIn("aligned within", run("compare", self.raw, self.phone)[1])

    def test_merge_and_develop_the_result(self) -> None:
        burst = raws_of("card", size=SMALL, count=3)
        data = self.json("merge", "noise", *burst, "-o", self.folder / "n.dng")
        self.assertEqual((data["frames_used"], data["frames_rejected"]), (3, []))
        self.assertIn("rms_px", data["registration"])
        self.assertGreater(data["gain"]["noise"], 1.4)
        steps = raws_of("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))
        self.json("merge", "exposure", *steps, "-o", self.folder / "e.dng")
        for name in ("n", "e"):
            self.assertEqual(self.json("inspect", self.folder / f"{name}.dng")["kind"], "linear")
            self.json("measure", self.folder / f"{name}.dng")
            self.json("develop", self.folder / f"{name}.dng", "-o", self.folder / f"{name}.jpg", "--auto")

    def test_wrong_usage_is_2(self) -> None:
        for arguments in (
            ("develop", self.raw), ("measure",), ("inspect", self.raw, "--wrong"), ("merge", "sideways"),
            ("simulate", "card", "-o", self.folder, "--bracket", "a,b"),
            ("develop", self.raw, "-o", self.folder / "a.jpg", "--auto", "--neutral"),
        ):  # fmt: skip
            code, out, err = run(*arguments)
            self.assertEqual((code, out), (2, ""), arguments)
            self.assertTrue(err)

    def test_help_names_every_command(self) -> None:
        code, out, _ = run("--help")
        self.assertEqual(code, 0)
        for name in ("inspect", "measure", "develop", "compare", "merge", "simulate", "demo", "bench"):
            self.assertIn(name, out)

    def test_simulate_says_what_it_made(self) -> None:
        code, out, err = run("simulate", "nowhere", "-o", self.folder / "s")
        self.assertEqual((code, out), (1, ""))
        self.assertIn("no scene called 'nowhere'", err)


class WithoutAWindow(unittest.TestCase):
    """What the window does, by the same calls."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        places = {"XDG_DATA_HOME": str(self.folder / "data"), "XDG_STATE_HOME": str(self.folder / "state")}
        self.enterContext(mock.patch.dict(os.environ, places))

    def test_import_copies_what_is_new_and_verifies_it(self) -> None:
        card = self.folder / "card"
        card.mkdir()
        raw = Path(shutil.copy2(raw_of("card", size=SMALL), card))
        code, out, _ = run("import", card, self.folder / "day", "--json")
        self.assertEqual((code, len(json.loads(out)["copied"])), (0, 1))
        self.assertEqual((self.folder / "day" / raw.name).read_bytes(), raw.read_bytes())
        code, out, _ = run("import", card, self.folder / "day")
        self.assertEqual(code, 0)
        self.assertIn("1 already there. Nothing was deleted.", out)
        self.assertEqual(run("import", self.folder / "none", self.folder / "day")[0], 1)

    def test_practice_asks_answers_and_keeps_the_score(self) -> None:
        names = json.loads(run("practice", "--json")[1])["exercises"]
        made = json.loads(run("practice", names[0], "--seed", 5, "--json", "--pictures", self.folder / "p")[1])
        self.assertGreaterEqual(len(made["options"]), 2)
        self.assertTrue(list((self.folder / "p").glob("*.png")))
        rights = [
            json.loads(run("practice", names[0], "--seed", 5, "--answer", k + 1, "--json")[1])["right"]
            for k in range(len(made["options"]))
        ]
        self.assertEqual(rights.count(True), 1)
        with Logbook(usual_logbook()) as book:
            self.assertEqual(book.scores()[names[0]], (1, len(rights)))
        self.assertEqual(run("practice", "none")[0], 1)

    def test_questions_are_answered_as_on_the_page(self) -> None:
        records = [
            LogRecord(
                key=str(k), shoot="a", name=f"s{k}", model="M", iso=800.0, exposure_s=13.0, verdict="keep" if k else ""
            )
            for k in range(3)
        ]
        with Logbook(usual_logbook()) as book:
            book.put(records)
        code, out, _ = run("log", "ask", "stars", "--json")
        found = json.loads(out)
        self.assertEqual((code, len(found["shots"]), found["phone"]), (0, 3, "M"))
        self.assertIn("2 of 3 are Keep or Best", found["answer"])
        self.assertEqual(found["answer"], answered(usual_logbook(), KEEP_OR_BEST, "stars").answer)
        self.assertEqual(run("log", "ask", "weather")[0], 1)


class BadInput(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.good = raw_of("card", size=SMALL)

    def fails(self, *arguments: object) -> str:
        code, out, err = run(*arguments)
        self.assertEqual((code, out), (1, ""), err)
        self.assertEqual(err.count("\n"), 1, err)
        self.assertTrue(err.startswith("bruto: "))
        self.assertNotIn("Traceback", err)
        return err

    def bad_files(self) -> list[Path]:
        data = self.good.read_bytes()
        made = {
            "zero.dng": b"", "text.dng": b"these are words, not light" * 40, "head.dng": data[:6],
            "half.dng": data[: len(data) // 2],
            "last.dng": data[:-1], "zero.jpg": b"", "cut.jpg": self.good.with_suffix(".jpg").read_bytes()[:900],
        }  # fmt: skip
        paths = []
        for name, body in made.items():
            (self.folder / name).write_bytes(body)
            paths.append(self.folder / name)
        return [*paths, self.folder, self.folder / "missing.dng"]

    def test_every_command_on_every_bad_file(self) -> None:
        out = self.folder / "out"
        out.mkdir()
        for path in self.bad_files():
            commands = [("develop", path, "-o", out / "a.jpg"), ("compare", path, self.good)]
            if path.suffix != ".jpg":
                commands += [("inspect", path), ("measure", path, "--json")]
            for command in commands:
                with self.subTest(command=command):
                    self.assertIn(path.name, self.fails(*command))
            with self.subTest(merge=path):
                self.fails("merge", "noise", self.good, path, "-o", out / "m.dng")
        self.assertEqual(list(out.iterdir()), [])

    def test_unwritable_places(self) -> None:
        text = self.fails("develop", self.good, "-o", self.folder / "none" / "a.jpg")
        self.assertIn("does not exist", text)
        self.assertIn("must end in", self.fails("develop", self.good, "-o", self.folder / "a.bmp"))
        (copy,) = copy_of([self.good.with_suffix(".jpg")], self.folder)
        self.assertIn("is the original", self.fails("develop", copy, "-o", copy))

    @unittest.skipUnless(os.geteuid() == 0, "needs to give up the rights of root")
    def test_no_permission(self) -> None:
        (raw,) = copy_of([self.good], self.folder)
        burst = raws_of("card", size=SMALL, count=2)
        raw.chmod(0)
        self.folder.chmod(0o555)
        os.seteuid(65534)
        try:
            self.assertIn("permission", self.fails("measure", raw))
            self.assertIn("permission", self.fails("develop", self.good, "-o", self.folder / "a.jpg"))
            self.assertIn(
                "permission",
                self.fails("merge", "noise", *burst, "-o", self.folder / "m.dng"),
            )
        finally:
            os.seteuid(0)
            self.folder.chmod(0o755)
        self.assertEqual([p.name for p in self.folder.iterdir()], [raw.name])

    def test_a_full_disk(self) -> None:
        """Writing stops inside the file (a limit of size stands in for the disk, and a real small disk where
        allowed).
        """
        burst = raws_of("card", size=SMALL, count=2)
        soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
        import signal

        before = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, hard))
        try:
            for name in ("a.jpg", "a.png", "a.tif"):
                self.assertIn("larger than allowed", self.fails("develop", self.good, "-o", self.folder / name))
            self.assertIn("larger than allowed", self.fails("merge", "noise", *burst, "-o", self.folder / "m.dng"))
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
            signal.signal(signal.SIGXFSZ, before)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_really_full_disk(self) -> None:
        command = ["mount", "-t", "tmpfs", "-o", "size=64k", "tmpfs", str(self.folder)]
        if os.geteuid() != 0 or subprocess.run(command, capture_output=True).returncode != 0:
            self.skipTest("a small disk cannot be mounted here")
        try:
            self.assertIn("disk is full", self.fails("develop", self.good, "-o", self.folder / "a.png"))
            burst = raws_of("card", size=SMALL, count=2)
            self.assertIn("disk is full", self.fails("merge", "noise", *burst, "-o", self.folder / "m.dng"))
            self.assertIn(
                "disk is full", self.fails("merge", "noise", "--method", "median", *burst, "-o", self.folder / "m.dng")
            )
            self.assertEqual(list(self.folder.iterdir()), [])
        finally:
            subprocess.run(["umount", str(self.folder)], check=True)

    def test_originals_keep_bytes_and_times(self) -> None:
        files = [*raws_of("card", size=SMALL, count=2), Path(taken("card", size=SMALL)[0]["files"][1])]
        before = [(Path(f).read_bytes(), Path(f).stat().st_mtime_ns) for f in files]
        run("measure", files[0])
        run("develop", *files, "-o", self.folder, "--auto")
        run("compare", files[0], files[2])
        run("merge", "noise", *files[:2], "-o", self.folder / "m.dng")
        self.assertEqual([(Path(f).read_bytes(), Path(f).stat().st_mtime_ns) for f in files], before)


class Process(unittest.TestCase):
    def test_an_unexpected_failure_is_one_line_with_the_place_of_its_log(self) -> None:
        with (
            tempfile.TemporaryDirectory() as state,
            mock.patch.dict(os.environ, {"XDG_STATE_HOME": state}),
            mock.patch("bruto.container.dng_reader.read_dng", side_effect=TypeError("int() argument")),
        ):
            code, out, err = run("inspect", raw_of("card", size=SMALL))
            self.assertEqual((code, out, err.count("\n")), (1, "", 1))
            self.assertNotRegex(err, "TypeError|int\\(\\)|Traceback")
            log = Path(state) / "bruto/errors.log"
            self.assertIn(str(log), err)
            self.assertIn("TypeError: int() argument", log.read_text())

    def test_without_a_display_one_line_says_so(self) -> None:
        for display in ("", ":4711"):
            program, folder = Path(sys.executable).with_name("bruto"), raw_of("card", size=SMALL).parent
            done = subprocess.run(
                [program, "open", folder], capture_output=True, text=True,
                env={**os.environ, "DISPLAY": display, "WAYLAND_DISPLAY": "", "QT_QPA_PLATFORM": "xcb"},
            )  # fmt: skip
            self.assertEqual((done.returncode, done.stdout, done.stderr.count("\n")), (1, "", 1), done.stderr)
            self.assertIn("display", done.stderr)

    def test_other_terminals_and_names_that_are_no_text(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            raw = os.fsencode(name) + b"/caf\xe9 \xff.dng"
            shutil.copyfile(raw_of("card", size=SMALL), raw)
            for coding in share(("latin-1", "ascii", "utf-8"), 2):
                done = subprocess.run(
                    [Path(sys.executable).with_name("bruto"), "develop", raw, "-o", name, "--neutral"],
                    capture_output=True, env={**os.environ, "PYTHONIOENCODING": coding, "PYTHONUTF8": "0"},
                )  # fmt: skip
                self.assertEqual((done.returncode, done.stderr), (0, b""), coding)
                self.assertIn(b"caf", done.stdout)
                done = subprocess.run(
                    [Path(sys.executable).with_name("bruto"), "develop", raw, "-o", name, "--neutral", "--json"],
                    capture_output=True, env={**os.environ, "PYTHONIOENCODING": coding},
                )  # fmt: skip
                notice = json.loads(done.stdout)["developed"][0]
                self.assertTrue(os.path.isfile(notice["output"]))

    def test_a_name_of_244_bytes_can_be_written(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            for length in (244, 251):
                out = Path(name) / ("n" * length + ".jpg")
                self.assertEqual(run("develop", raw_of("card", size=SMALL), "-o", out, "--neutral")[0], 0)
            code, _, err = run("develop", raw_of("card", size=SMALL), "-o", Path(name) / ("n" * 252 + ".jpg"))
            self.assertEqual(code, 1)
            self.assertIn("too long", err)
            raw = shutil.copy2(raw_of("card", size=SMALL), Path(name) / ("r" * 251 + ".dng"))
            for _ in range(2):
                self.assertEqual(run("develop", raw, "-o", name, "--neutral")[0], 0)
            self.assertEqual(len([p for p in Path(name).iterdir() if p.name.startswith("rrr")]), 3)

    def test_as_a_program(self) -> None:
        """The installed command in a process of its own: JSON alone on stdout."""
        program = Path(sys.executable).with_name("bruto")
        done = subprocess.run(
            [program, "inspect", raw_of("card", size=SMALL), "--json"], capture_output=True, text=True
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(json.loads(done.stdout)["kind"], "mosaic")
        done = subprocess.run([program, "measure", "/nonexistent.dng"], capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stdout), (1, ""))

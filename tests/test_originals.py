"""Originals are sacred: every command that writes, and every store, is sent at awkward targets; nothing that Bruto did
not make changes.
"""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import shutil
import stat
import time
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import numpy as np
from PIL import Image
from PySide6.QtGui import QColor, QImage

from bruto.app.main import _save_picture, application
from bruto.cli import main
from bruto.container.provenance import is_original, made_here
from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from bruto.export.preset import ExportPreset
from bruto.export.queue import DONE, FAILED, STOPPED, Job, Queue, export_shot
from bruto.merge.merger import merge
from bruto.output_planner import Outputs
from bruto.shoot.file_import import import_files
from bruto.shoot.folder import RECORD, ShootRecord, save_record
from bruto.shoot.sidecar import Sidecar, load_sidecar, save_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.shoot.xmp import write_rating, xmp_path
from bruto.simphone.capture_files import simulate
from tests.extent import ALL, share
from tests.shots import SMALL, taken


def state_of(folder: Path) -> dict[str, str]:
    """Every name below a folder: what it is, and a digest of its content."""
    found = {}
    for path in sorted(folder.rglob("*")):
        mode = path.lstat().st_mode
        if stat.S_ISLNK(mode):
            found[str(path)] = f"link to {os.readlink(path)}"
        elif stat.S_ISREG(mode):
            found[str(path)] = hashlib.sha256(path.read_bytes()).hexdigest()
        else:
            found[str(path)] = f"mode {stat.S_IFMT(mode)}"
    return found


class Awkward(unittest.TestCase):
    """A folder of originals and of names that lead to them, or to what is no file."""

    def setUp(self) -> None:
        base = Path(self.enterContext(TemporaryDirectory()))
        homes = {f"XDG_{k}_HOME": str(base / k) for k in ("DATA", "STATE")}
        self.enterContext(mock.patch.dict(os.environ, homes))
        self.folder = base / "day"
        self.folder.mkdir()
        raw, picture = taken("card", size=SMALL)[0]["files"]
        burst = taken("sluice", size=SMALL, count=4, iso=800.0)
        self.raw = Path(shutil.copy2(raw, self.folder / "card-001.dng"))
        self.picture = Path(shutil.copy2(picture, self.folder / "card-001.jpg"))
        self.frames = [Path(shutil.copy2(s["files"][0], self.folder)) for s in burst[:2]]
        self.other = Path(shutil.copy2(burst[2]["files"][0], self.folder / "other.dng"))
        shutil.copy2(burst[2]["files"][1], self.folder / "other.jpg")
        self.awkward: list[Path] = []
        for suffix, original in ((".jpg", self.picture), (".dng", self.other), (".tif", None), (".png", None)):
            self._names(suffix, original)
        self.before = state_of(self.folder)

    def _names(self, suffix: str, original: Path | None) -> None:
        f = self.folder
        kinds = ("foreign", "text", "link", "loop", "gone", "pipe", "null", "dir")
        made = {name: f / f"{name}{suffix}" for name in kinds}
        if suffix == ".dng":
            shutil.copy2(self.other, made["foreign"])
        else:
            Image.fromarray(np.full((8, 9, 3), 90, np.uint8)).save(made["foreign"])
        made["text"].write_text("a letter, not a picture")
        made["link"].symlink_to(original or made["foreign"])
        made["loop"].symlink_to(made["loop"].name)
        made["gone"].symlink_to("nowhere" + suffix)
        os.mkfifo(made["pipe"])
        made["null"].symlink_to("/dev/null")
        made["dir"].mkdir()
        with contextlib.suppress(PermissionError):  # a real device takes more than rights of a user
            made["node"] = f / f"node{suffix}"
            os.mknod(made["node"], stat.S_IFCHR | 0o600, os.makedev(1, 3))
        if original is not None:
            made["hard"] = f / f"hard{suffix}"
            os.link(original, made["hard"])
            made["original"] = original
            made["around"] = f / "dir.jpg" / ".." / original.name
            made["case"] = f / original.name.upper().replace(suffix.upper(), suffix)
        self.awkward += made.values()

    def run_command(self, *arguments: object) -> tuple[int, str]:
        text = io.StringIO()
        with contextlib.redirect_stderr(text), contextlib.redirect_stdout(io.StringIO()):
            code = main([str(a) for a in arguments])
        self.assertNotIn("Traceback", text.getvalue())
        return code, text.getvalue()

    def assert_untouched(self, what: object, new: bool = True) -> None:
        now = state_of(self.folder)
        changed = {k: v for k, v in self.before.items() if now.get(k) != v}
        self.assertEqual(changed, {}, f"{what} changed something")
        if not new:
            self.assertEqual(set(now), set(self.before), f"{what} left something behind")


class Commands(Awkward):
    def test_no_command_changes_what_bruto_did_not_make(self) -> None:
        count = 0
        inputs = [*self.frames, self.raw, self.folder / "dir.jpg" / ".." / self.frames[1].name]
        for target in share([*self.awkward, *inputs], 3):
            for extra in ([], ["--overwrite"]):
                if target.suffix == ".dng":
                    runs = [["merge", "noise", *self.frames, "-o", target, *extra]]
                else:
                    runs = [["develop", self.raw, "-o", target, "--neutral", *extra]]
                if target.name.startswith("dir") and target.suffix != ".dng":
                    continue  # a folder takes pictures under new names
                for run in runs:
                    replaceable = extra and target.name.startswith("text")
                    with self.subTest(run=[str(r) for r in run]):
                        code, text = self.run_command(*run)
                        self.assertEqual(code, 1, text)
                        self.assertTrue(text.startswith("bruto: ") and text.count("\n") == 1, text)
                        self.assertIn(target.name, text)
                        self.assert_untouched(run, new=False)
                        self.assertFalse(replaceable and code == 0)
                        count += 1
        for extra in ([], ["--overwrite"]):  # the picture itself, and what no picture can be
            for target in (self.picture, sidecar_path(self.raw), self.folder / "notes.txt", "/dev/null"):
                self.assertEqual(self.run_command("develop", self.picture, "-o", target, *extra)[0], 1)
                self.assert_untouched(f"develop to {target}", new=False)
                count += 1
        self.assertGreaterEqual(count, 84 if ALL else 30)
        print(f"\n{count} awkward targets of commands, nothing changed")

    def test_a_folder_gives_numbers(self) -> None:
        for k in (2, 3):
            code, text = self.run_command("develop", self.raw, "-o", self.folder, "--neutral")
            self.assertEqual(code, 0, text)
            self.assertTrue(made_here(self.folder / f"card-001-{k}.jpg"))
            self.assert_untouched("develop into the folder of the originals")
        code, _ = self.run_command("develop", self.raw, "-o", self.folder, "--neutral", "--overwrite")
        self.assertEqual(code, 0)
        self.assertFalse((self.folder / "card-001-4.jpg").exists())  # its own picture was replaced instead
        self.assert_untouched("develop --overwrite into the folder of the originals")

    def test_two_inputs_of_one_name_give_two_files(self) -> None:
        away = self.folder.parent / "away"
        away.mkdir()
        twin = Path(shutil.copy2(self.other, away / "Card-001.DNG"))
        out = self.folder.parent / "out"
        out.mkdir()
        code, text = self.run_command("develop", self.raw, twin, self.raw, "-o", out, "--neutral")
        self.assertEqual(code, 0, text)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["Card-001-2.jpg", "card-001-3.jpg", "card-001.jpg"])

    def test_what_bruto_made_is_replaced_only_when_asked(self) -> None:
        out = self.folder / "made.jpg"
        self.assertEqual(self.run_command("develop", self.raw, "-o", out, "--neutral")[0], 0)
        first = out.read_bytes()
        code, text = self.run_command("develop", self.raw, "-o", out)
        self.assertEqual((code, out.read_bytes()), (1, first))
        self.assertIn("--overwrite", text)
        self.assertEqual(self.run_command("develop", self.raw, "-o", out, "--overwrite")[0], 0)
        self.assertNotEqual(out.read_bytes(), first)
        self.assert_untouched("overwriting")

    def test_every_format_says_who_made_it(self) -> None:
        for name in ("a.jpg", "a.png", "a.tif", "a.avif", "a.jxl"):
            for keep in (True, False):
                out = self.folder / f"{keep}-{name}"
                export_shot(self.raw, out, Recipe(), ExportPreset(keep_exif=keep))
                self.assertTrue(made_here(out) and not is_original(out), name)
        self.assertFalse(made_here(self.picture) or made_here(self.raw))

    def test_the_simulated_phone_numbers_too(self) -> None:
        code, text = self.run_command("simulate", "card", "-o", self.folder, "--megapixels", "3", "--seed", "1")
        self.assertEqual(code, 0, text)
        self.assert_untouched("simulate")
        simulate("card", self.folder, size=SMALL)
        self.assert_untouched("simulate again")
        self.assertTrue((self.folder / "card-001-2.dng").is_file() and (self.folder / "card-001-3.jpg").is_file())

    def test_a_screenshot_replaces_nothing_but_screenshots(self) -> None:
        application()
        for target in self.awkward:
            if target.suffix == ".png":
                code, text = self.run_command("demo", "--screenshot", target)
                self.assertEqual(code, 1, text)
                self.assert_untouched(f"--screenshot {target}", new=False)
        out = self.folder.parent / "shot.png"
        for grey in (40, 90):
            picture = QImage(60, 40, QImage.Format.Format_RGB888)
            picture.fill(QColor(grey, grey, grey))
            _save_picture(picture, out)
            with Image.open(out) as found:
                self.assertEqual(found.convert("RGB").getpixel((5, 5)), (grey, grey, grey))
        self.assertTrue(made_here(out))

    def test_a_missing_folder_is_not_made_anew(self) -> None:
        gone = self.folder.parent / "card" / "finished"
        for run in (
            ["develop", self.raw, "-o", gone / "a.jpg"],
            ["merge", "noise", *self.frames, "-o", gone / "a.dng"],
            ["simulate", "card", "-o", gone, "--megapixels", "3"],
            ["simulate", "card", "-o", "/media/no-such-card", "--megapixels", "3"],
        ):
            code, text = self.run_command(*run)
            self.assertEqual(code, 1)
            self.assertRegex(text, "does not exist|parent folder exists")
            self.assertFalse(gone.parent.exists())


class Window(Awkward):
    """The queue, take-in and the stores, which the window works with."""

    def test_the_queue_numbers_and_refuses(self) -> None:
        queue = Queue()
        self.addCleanup(queue.close)
        jobs = [
            Job(self.raw, self.folder, p.name, Recipe(), ExportPreset()) for p in self.awkward if p.suffix != ".dng"
        ]
        for job in jobs:
            queue.add(job)
        while any(j.unfinished() for j in jobs):
            time.sleep(0.02)  # a loop without rest would hold the interpreter from the queue
        self.assertEqual({j.state for j in jobs}, {DONE}, [j.message for j in jobs if j.state != DONE])
        self.assertEqual(len({j.output for j in jobs}), len(jobs))
        self.assert_untouched(f"{len(jobs)} exports")
        print(f"\n{len(jobs)} exports to names that are taken, nothing changed")

    def test_a_file_that_appears_while_a_job_runs_is_not_replaced(self) -> None:
        out = self.folder.parent / "out"
        out.mkdir()

        def appear(share: float) -> None:
            (out / "card-001.jpg").write_bytes(b"somebody else's")

        export_shot(self.raw, out / "other.jpg", Recipe(), ExportPreset())
        with self.assertRaisesRegex(BrutoError, "with that name exists"):
            export_shot(self.raw, out / "card-001.jpg", Recipe(), ExportPreset(), progress=appear)
        self.assertEqual((out / "card-001.jpg").read_bytes(), b"somebody else's")
        outputs = Outputs()
        target = Outputs().file(out / "new.jpg")
        (out / "new.jpg").write_bytes(b"somebody else's")
        where, _ = export_shot(
            self.raw, target, Recipe(), ExportPreset(), renamed=lambda: outputs.in_folder(out, "new.jpg")
        )
        self.assertEqual((where.name, (out / "new.jpg").read_bytes()), ("new-2.jpg", b"somebody else's"))
        made = Outputs(overwrite=True).file(where)
        where.write_bytes(b"edited meanwhile, under the same name")
        with self.assertRaisesRegex(BrutoError, "another program wrote it"):
            export_shot(self.raw, made, Recipe(), ExportPreset())
        self.assertEqual(where.read_bytes(), b"edited meanwhile, under the same name")

    def test_a_merge_whose_name_is_taken_meanwhile_gets_a_number(self) -> None:
        out = self.folder.parent / "out"
        out.mkdir()
        target = Outputs(self.frames).in_folder(out, "m.dng")

        def appear(share: float, text: str) -> None:
            (out / "m.dng").write_bytes(b"somebody else's")

        with self.assertRaisesRegex(BrutoError, "with that name exists"):
            merge("mean", list(self.frames), target, progress=appear)
        again = Outputs(self.frames)
        found = merge(
            "mean", list(self.frames), target, progress=appear, renamed=lambda: again.in_folder(out, "m.dng")
        )  # fmt: skip
        self.assertEqual((found.output.name, (out / "m.dng").read_bytes()), ("m-2.dng", b"somebody else's"))
        self.assertTrue(made_here(found.output))
        merge("mean", list(self.frames), found.output, overwrite=True)
        self.assertEqual(len(list(out.iterdir())), 2)

    def test_taking_in_over_names_that_are_taken(self) -> None:
        card = self.folder.parent / "card"
        card.mkdir()
        for path in self.awkward:
            if path.suffix != ".tif" and ".." not in path.parts:
                (card / path.name).write_bytes(b"from the card: " + path.name.encode())
        result = import_files(card, self.folder)
        self.assertEqual((result.failed, len(result.copied)), ([], len(list(card.iterdir()))))
        self.assert_untouched(f"taking in {len(result.copied)} files")
        print(f"\n{len(result.copied)} files taken in over names that are taken, nothing changed")

    def test_stores_write_over_nothing_that_is_not_theirs(self) -> None:
        count = 0
        for kind in ("link", "pipe", "dir", "text", "hard"):
            for place, save in (
                (sidecar_path(self.raw), lambda: save_sidecar(self.raw, Sidecar(note="x"), Sidecar())),
                (xmp_path(self.raw), lambda: write_rating(self.raw, stars=5, note="x")),
                (self.folder / RECORD, lambda: save_record(self.folder, ShootRecord())),
            ):
                {
                    "link": lambda p: p.symlink_to(self.picture), "pipe": os.mkfifo, "dir": Path.mkdir,
                    "text": lambda p: p.write_text("a letter"), "hard": lambda p: os.link(self.picture, p),
                }[kind](place)  # fmt: skip
                self.before = state_of(self.folder)
                with self.subTest(kind=kind, place=place.name):
                    try:
                        save()
                    except (BrutoError, OSError):
                        self.assert_untouched(save, new=False)
                    else:  # a letter under this name is put aside
                        content = place.read_bytes()
                        self.assertTrue(kind in ("text", "hard") and content not in (b"a letter", b""))
                        aside = [p for p in self.folder.iterdir() if "damaged" in p.name]
                        self.assertTrue(any(p.read_bytes() in (b"a letter", self.picture.read_bytes()) for p in aside))
                        self.before.pop(str(place))
                        self.assert_untouched(save)
                    count += 1
                for path in (place, *(p for p in self.folder.iterdir() if "damaged" in p.name)):
                    path.rmdir() if path.is_dir() and not path.is_symlink() else path.unlink(missing_ok=True)
        self.assertEqual(count, 15)

    def test_unfinished_deliveries_come_back_stopped(self) -> None:
        queue = Queue()
        jobs = [Job(self.raw, self.folder, f"out-{k}.jpg", Recipe(exposure=0.5), ExportPreset()) for k in range(6)]
        for job in jobs:
            queue.add(job)
        queue.close()
        left = [j for j in jobs if j.state != DONE]
        self.assertTrue(left)
        self.assertEqual(Queue().restore(), 0)  # this process is there still
        (kept,) = (Path(os.environ["XDG_STATE_HOME"]) / "bruto/queue").iterdir()
        host, pid, _ = kept.stem.split("-")
        kept.rename(kept.with_name(f"{host}-{pid}-1.json"))  # of a process that began at another time
        again = Queue()
        self.addCleanup(again.close)
        self.assertEqual(again.restore(), len(left))
        self.assertEqual(Queue().restore(), 0)  # each is taken by one window
        self.assertEqual({(j.name, j.state) for j in again.jobs}, {(j.name, STOPPED) for j in left})
        self.assertEqual(again.jobs[0].recipe.exposure, 0.5)
        for job in again.jobs:
            again.retry(job)
        while again.unfinished():
            time.sleep(0.02)
        self.assertEqual({j.state for j in again.jobs}, {DONE})
        self.assertEqual(len(list(self.folder.glob("out-*.jpg"))), 6)
        self.assert_untouched("going on with exports")

    def test_a_card_that_was_taken_out(self) -> None:
        queue = Queue()
        self.addCleanup(queue.close)
        out = self.folder.parent / "mount"
        out.mkdir()
        job = Job(self.raw, out, "a.jpg", Recipe(), ExportPreset())
        target = Outputs().in_folder(out, "a.jpg")
        with self.assertRaisesRegex(BrutoError, "another disk"):
            export_shot(self.raw, replace(target, device=-1), Recipe(), ExportPreset())
        out.rmdir()
        job.state = FAILED
        queue.add(job)
        queue.retry(job)
        self.assertEqual(job.state, FAILED)
        self.assertIn("does not exist", job.message)
        self.assertFalse(out.exists())


class Sidecars(Awkward):
    def test_the_sidecar_of_a_deleted_raw_is_kept(self) -> None:
        save_sidecar(self.raw, Sidecar(note="kept"))
        self.raw.unlink()
        self.assertEqual(load_sidecar(self.raw)[0].note, "kept")

"""Writing whole or not at all: leftovers of killed programs, taken names, watched folders, hostile files."""

from __future__ import annotations

import contextlib
import errno
import os
import shutil
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock

from bruto.develop.recipe_files import load_recipe
from bruto.errors import BrutoError
from bruto.session.shoot import Shoot
from bruto.shoot.folder import RECORD
from bruto.shoot.folder_watch import FolderWatch
from bruto.shoot.sidecar_places import sidecar_path
from bruto.storage import atomic_write
from bruto.storage.atomic_write import NameTaken, Target, published, write_new
from bruto.storage.file_names import identity
from bruto.storage.temporary_files import (
    clean_folder,
    clean_leftovers,
    process_mark,
    temporary_beside,
    temporary_folder,
)
from tests.test_stores import Store


class Leftovers(Store):
    def test_those_of_a_killed_process_are_cleaned_those_of_a_living_one_stay(self) -> None:
        code = (
            "import sys, time, os\nfrom pathlib import Path\n"
            "from bruto.storage.temporary_files import temporary_beside\n"
            "with temporary_beside(Path(sys.argv[1]) / 'a.jpg') as t:\n"
            " t.write_bytes(b'half'); print('ready', flush=True); time.sleep(60)\n"
        )
        process = subprocess.Popen([sys.executable, "-c", code, self.folder], stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        process.stdout.readline()
        self.assertEqual(clean_folder(self.folder) + clean_leftovers(), 0)
        process.kill()
        process.wait()
        process.stdout.close()
        left = [p.name for p in self.folder.iterdir() if p.name.startswith(".")]
        self.assertEqual(len(left), 1)
        self.assertEqual(clean_leftovers(), 1)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["card-001.dng"])
        self.assertEqual(list((self.folder.parent / "STATE/bruto/writing").glob(f"*-{process.pid}-*")), [])

    def test_a_folder_of_a_killed_process_goes_too(self) -> None:
        left = self.folder / f".bruto-{process_mark().rpartition('-')[0]}-1-7"
        left.mkdir()
        (left / "half.dng").write_bytes(b"half")
        with temporary_folder(self.folder) as mine:
            self.assertTrue(mine.is_dir() and not left.exists())  # cleaned before the first file is written here
        self.assertEqual([p.name for p in self.folder.iterdir()], ["card-001.dng"])

    def test_none_where_the_work_fails(self) -> None:
        with self.assertRaises(RuntimeError), temporary_beside(self.folder / "a.jpg"):
            raise RuntimeError
        self.assertEqual([p.name for p in self.folder.iterdir()], ["card-001.dng"])


class Publishing(Store):
    """Putting a file under its name on file systems that can do less."""

    def test_without_renameat2_and_without_links(self) -> None:
        refuse = mock.patch("bruto.storage.atomic_write.os.link", side_effect=OSError(errno.EPERM, "no links here"))
        for links in (True, False):
            path = self.folder / f"a-{links}.jpg"
            with (
                mock.patch("bruto.storage.atomic_write._renameat2", return_value=False),
                contextlib.ExitStack() as stack,
            ):
                if not links:
                    stack.enter_context(refuse)
                write_new(path, b"mine")
                self.assertEqual(path.read_bytes(), b"mine")
                with self.assertRaises(NameTaken):
                    write_new(path, b"other")
                with self.assertRaises(NameTaken), published(self.folder / f"b-{links}.jpg") as temporary:
                    temporary.write_bytes(b"mine")
                    (self.folder / f"b-{links}.jpg").write_bytes(b"theirs")
                self.assertEqual((self.folder / f"b-{links}.jpg").read_bytes(), b"theirs")
                write_new(Target(path, identity(path)), b"newer")
                self.assertEqual(path.read_bytes(), b"newer")
        self.assertFalse([p for p in self.folder.iterdir() if p.name.startswith(".")])

    def test_what_was_changed_in_the_last_moment_is_put_back(self) -> None:
        path = self.folder / "a.jpg"
        path.write_bytes(b"old")
        known = identity(path)
        real = atomic_write._renameat2

        def late(old: Path, new: Path, flags: int) -> bool:
            if path.read_bytes() == b"old":
                path.write_bytes(b"theirs, in the last moment")
            return real(old, new, flags)

        with mock.patch("bruto.storage.atomic_write._renameat2", late), self.assertRaises(NameTaken):
            write_new(Target(path, known), b"mine")
        self.assertEqual(path.read_bytes(), b"theirs, in the last moment")
        self.assertEqual(len(list(self.folder.iterdir())), 2)


class Watching(Store):
    def test_twenty_thousand_other_files_cost_nothing_to_speak_of(self) -> None:
        for k in range(20_000):
            (self.folder / f"{k}.txt").touch()
        (self.folder / "loop.dng").symlink_to("loop.dng")
        watch = FolderWatch(self.folder)
        past = time.time() - 60
        os.utime(self.folder, (past, past))
        for _ in range(3):
            watch.poll()
        began = time.process_time()
        for _ in range(10):
            self.assertFalse(watch.poll())
        self.assertLess((time.process_time() - began) / 10, 0.02)
        shutil.copy2(self.raw, self.folder / "new.dng")
        found = [watch.poll() for _ in range(3)]
        self.assertIn(self.folder / "new.dng", [p for c in found for p in c.new])
        (self.folder / "new.dng").write_bytes(b"changed in place")
        found = [watch.poll() for _ in range(3)]
        self.assertIn(self.folder / "new.dng", [p for c in found for p in c.new])


class Hostile(Store):
    def test_one_file_never_spoils_a_folder(self) -> None:
        for name in ("pipe.dng", "pipe.jpg", "pipe.mp4"):
            os.mkfifo(self.folder / name)
        (self.folder / "loop.jpg").symlink_to("loop.jpg")
        (self.folder / "dir.dng").mkdir()
        os.mkfifo(self.folder / RECORD)
        (self.folder / "card-001.xmp").write_bytes(b"<a>" * 100_000)
        sidecar_path(self.raw).write_bytes(b"[" * 1_000_000)
        shoot = Shoot()
        shoot.open([self.folder])
        good = next(s for s in shoot.shots if s.main == self.raw)
        self.assertEqual(good.problem, "")
        self.assertTrue(all(s.problem for s in shoot.shots if s.main != self.raw))
        for pipe in (self.folder / "pipe.dng", self.folder / RECORD):
            with self.assertRaises(BrutoError):
                load_recipe(pipe)


if __name__ == "__main__":
    unittest.main()

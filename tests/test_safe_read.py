"""Writing that is never half-done, threads in order, and the demo shoot made whole or not at all."""

from __future__ import annotations

import errno
import os
import threading
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.errors import BrutoError, FileProblem
from bruto.parallel import map_threads
from bruto.simphone import demo
from bruto.storage.atomic_write import own_file, write_own
from bruto.storage.safe_read import check_readable, explain
from tests.shots import copy_of, taken


class Atomic(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.path = self.folder / "a.bin"

    def test_written_whole_with_ordinary_permissions(self) -> None:
        write_own(self.path, b"new")
        self.assertEqual(self.path.read_bytes(), b"new")
        umask = os.umask(0)
        os.umask(umask)
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o666 & ~umask)

    def test_a_failure_inside_leaves_the_old_file(self) -> None:
        write_own(self.path, b"old")
        with self.assertRaises(RuntimeError), own_file(self.path) as temporary:
            temporary.write_bytes(b"half")
            raise RuntimeError
        self.assertEqual(self.path.read_bytes(), b"old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.bin"])

    def test_no_space_while_syncing(self) -> None:
        with (
            mock.patch("bruto.storage.atomic_write.os.fsync", side_effect=OSError(errno.ENOSPC, "No space")),
            self.assertRaisesRegex(FileProblem, "disk is full"),
        ):
            write_own(self.path, b"x")
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_every_reason_says_what_to_do(self) -> None:
        for code in (errno.ENOSPC, errno.EACCES, errno.EROFS, errno.ENOENT, errno.EIO, errno.EISDIR, errno.EFBIG):
            text = str(explain(OSError(code, "x"), self.path, "write"))
            self.assertRegex(text, r"^Cannot write .*a\.bin: .*; .*\.$")

    def test_readable(self) -> None:
        self.path.write_bytes(b"x")
        self.assertEqual(check_readable(self.path), self.path)
        self.path.write_bytes(b"")
        for path, pattern in ((self.path, "empty"), (self.folder, "folder"), (self.folder / "no", "does not exist")):
            with self.assertRaisesRegex(FileProblem, pattern):
                check_readable(path)


class Threads(unittest.TestCase):
    def test_results_in_order(self) -> None:
        self.assertEqual(map_threads(lambda x: x * x, range(50)), [x * x for x in range(50)])
        self.assertEqual(map_threads(str, []), [])

    def test_the_first_error_is_raised(self) -> None:
        def work(x: int) -> int:
            if x == 3:
                raise BrutoError("three")
            return x

        with self.assertRaisesRegex(BrutoError, "three"):
            map_threads(work, range(8), 2)

    def test_kernels_may_be_entered_from_two_threads(self) -> None:
        import numpy as np

        from bruto.develop.demosaic import demosaic

        mosaic = np.random.default_rng(1).uniform(0, 1, (200, 300)).astype(np.float32)
        expected = demosaic(mosaic, "RGGB")
        found: list[np.ndarray] = []

        def run() -> None:
            for _ in range(5):
                found.append(demosaic(mosaic, "RGGB"))

        threads = [threading.Thread(target=run) for _ in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(found), 10)
        for result in found:
            np.testing.assert_array_equal(result, expected)


class Demo(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory())) / "Orrin Saltern"

    def small(self, scene: str, folder: Path, **settings) -> list[dict]:
        settings.pop("megapixels", None)
        shots = taken(scene, size=(252, 190), **settings)
        return [{**shot, "files": [str(p) for p in copy_of(shot["files"], folder)]} for shot in shots]

    def test_made_shot_by_shot_and_edits_are_kept(self) -> None:
        with mock.patch("bruto.simphone.capture_files.simulate", self.small):
            messages: list[str] = []
            demo.make_demo(self.folder, lambda share, text: messages.append(text), only_first=True)
            first = {p.name for p in self.folder.iterdir() if not p.name.startswith(".")}
            self.assertEqual(first, {"sluice-020.dng", "sluice-020.jpg"})
            demo.make_demo(self.folder)
            names = {p.name for p in self.folder.iterdir()}
            self.assertIn("pans-001.dng", names)
            self.assertIn("crystals-002.jpg", names)
            self.assertNotIn("crystals-002.dng", names)
            edit = self.folder / "pans-001.dng.bruto.json"
            edit.write_text("{}")
            messages.clear()
            demo.make_demo(self.folder, lambda share, text: messages.append(text))
            self.assertEqual(messages, [""])
            (self.folder / ".made").write_text("an older version")
            demo.make_demo(self.folder, lambda share, text: messages.append(text))
            self.assertTrue(len(messages) > len(demo.SHOTS) and edit.is_file())
            self.assertEqual({p.name for p in self.folder.iterdir()}, names | {edit.name})

    def test_the_night_comes_frame_by_frame_and_goes_on(self) -> None:
        taken: list[dict] = []

        def small(scene: str, settings: dict, folder: Path) -> list[Path]:
            taken.append(settings)
            if len(taken) == 20:
                raise KeyboardInterrupt
            path = folder / f"{scene}-{len(taken):03d}.dng"
            path.write_bytes(b"frame")
            return [path] if settings.get("frame") != 3 else []

        with mock.patch("bruto.simphone.demo_night.take", small):
            with self.assertRaises(KeyboardInterrupt):
                demo.make_demo(self.folder, night=True)
            self.assertEqual(len(demo.missing(self.folder, True)), len(demo.shots_of(True)) - 19)
            demo.make_demo(self.folder, night=True)
        self.assertEqual(demo.missing(self.folder, True), [])
        self.assertEqual(len(taken), len(demo.shots_of(True)) + 1)
        self.assertGreaterEqual(sum(scene == "sky" for scene, _ in demo.shots_of(True)), 240)
        self.assertEqual(len(demo.missing(self.folder)), len(demo.SHOTS))  # the day is another thing

    def test_an_interrupted_making_leaves_no_half_shot_and_goes_on(self) -> None:
        def interrupted(scene: str, folder: Path, **settings) -> list[dict]:
            if scene == "pans":
                raise KeyboardInterrupt
            return self.small(scene, folder, **settings)

        with mock.patch("bruto.simphone.capture_files.simulate", interrupted), self.assertRaises(KeyboardInterrupt):
            demo.make_demo(self.folder)
        names = {p.name for p in self.folder.iterdir()}
        self.assertEqual(names, {".made", "sluice-020.dng", "sluice-020.jpg", "card-001.dng", "card-001.jpg"})
        self.assertEqual(len(demo.missing(self.folder)), len(demo.SHOTS) - 2)

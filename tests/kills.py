"""Processes killed in the middle of writing: `python -m tests.kills COUNT [SEED]`.

Each time one of developing, merging, saving values, the queue, taking in and the simulated phone is killed at a random
moment. Afterwards nothing of the user's has changed, everything that has a name is whole, values are the older or the
newer ones, and the next start leaves no temporary file.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import signal
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bruto.container.dng_reader import read_dng
from bruto.container.picture import read_picture
from bruto.develop.recipe import Recipe
from bruto.export.preset import ExportPreset
from bruto.export.queue import Job, Queue, export_shot
from bruto.merge.merger import merge
from bruto.shoot.file_import import import_files
from bruto.shoot.sidecar import load_sidecar, save_sidecar
from bruto.shoot.xmp import write_rating
from bruto.simphone.capture_files import simulate
from bruto.storage.temporary_files import clean_leftovers
from tests.shots import SMALL, taken


def _digests(files: list[Path]) -> dict[Path, str]:
    return {f: hashlib.sha256(f.read_bytes()).hexdigest() for f in files}


class Kills:
    """A folder of originals, and what is killed on it."""

    def __init__(self, base: Path) -> None:
        self.base = base
        os.environ.update({f"XDG_{k}_HOME": str(base / k) for k in ("DATA", "STATE")})
        self.day, self.out, self.card = base / "day", base / "out", base / "card"
        for folder in (self.day, self.out, self.card):
            folder.mkdir()
        burst = taken("sluice", size=SMALL, count=4, iso=800.0)
        self.raws = [Path(shutil.copy2(s["files"][0], self.day)) for s in burst]
        self.pictures = [Path(shutil.copy2(s["files"][1], self.day)) for s in burst]
        for k in range(12):
            (self.card / f"taken-{k:02d}.dng").write_bytes(self.raws[k % 4].read_bytes() + bytes([k]))
        self.originals = _digests([*self.raws, *self.pictures, *self.card.iterdir()])
        self.kinds: dict[str, tuple[Callable[[int], Any], float]] = {
            "develop": (self._develop, 1.2),
            "merge": (self._merge, 2.0),
            "values": (self._values, 0.08),
            "queue": (self._queue, 1.5),
            "take in": (self._import, 0.12),
            "simulate": (self._simulate, 1.0),
        }

    def _develop(self, n: int) -> None:
        for suffix in (".jpg", ".tif", ".png"):
            export_shot(self.raws[n % 4], self.out / f"d-{n}{suffix}", Recipe(), ExportPreset())

    def _merge(self, n: int) -> None:
        merge("mean" if n % 2 else "median", list(self.raws[:2]), self.out / f"m-{n}.dng")

    def _values(self, n: int) -> None:
        for k in range(400):
            side, _ = load_sidecar(self.raws[0])
            base = side.snapshot()
            side.note = f"{n} {k} " + "x" * 20_000
            save_sidecar(self.raws[0], side, base)
            write_rating(self.raws[0], stars=k % 6, note=side.note)

    def _queue(self, n: int) -> None:
        queue = Queue()
        for k in range(3):
            queue.add(Job(self.raws[k], self.out, f"q-{n}.jpg", Recipe(), ExportPreset()))
        while queue.unfinished():
            time.sleep(0.005)
        queue.close()

    def _import(self, n: int) -> None:
        for path in self.day.glob("taken-*"):
            path.unlink()
        import_files(self.card, self.day)

    def _simulate(self, n: int) -> None:
        simulate("card", self.out, size=(252, 190), seed=n)

    def kill_one(self, number: int, random: np.random.Generator) -> str:
        """Kind of what was killed; raises `AssertionError` where something was lost."""
        kind = list(self.kinds)[number % len(self.kinds)]
        work, longest = self.kinds[kind]
        before = load_sidecar(self.raws[0])[0]
        child = os.fork()
        if child == 0:
            try:
                work(number)
            finally:
                os._exit(0)
        time.sleep(float(random.uniform(0, longest)))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        self._check(kind, before)
        return kind

    def _check(self, kind: str, before: Any) -> None:
        now = _digests(list(self.originals))
        assert now == self.originals, f"{kind}: an original changed"
        for path in self.out.iterdir():
            if path.name.startswith("."):
                continue
            if path.suffix == ".dng":
                read_dng(path)
            else:
                assert read_picture(path).pixels.size, path
            path.unlink()
        side, problem = load_sidecar(self.raws[0])
        assert not problem, problem
        assert side.revision >= before.revision, "values went back"
        assert not side.note or side.note.endswith("x"), "a note was cut"
        xmp = self.raws[0].with_suffix(".xmp")
        assert not xmp.exists() or xmp.read_bytes().endswith(b"</x:xmpmeta>\n"), "the rating was cut"
        for path in self.day.glob("taken-*"):
            assert path.read_bytes() == (self.card / path.name).read_bytes(), "a copy is not whole"
        clean_leftovers()
        left = [p for folder in (self.day, self.out, self.card) for p in folder.rglob(".bruto-*")]
        assert not left, f"{kind}: left behind {left}"
        queue = self.base / "STATE/bruto/queue"
        for path in queue.glob("*") if queue.is_dir() else ():
            json.loads(path.read_text())


def run(count: int, seed: int = 1) -> Counter[str]:
    """Kill `count` times; returns how often each kind."""
    random, done = np.random.default_rng(seed), Counter[str]()
    with tempfile.TemporaryDirectory() as name:
        kills = Kills(Path(name))
        for number in range(count):
            done[kills.kill_one(number, random)] += 1
    return done


if __name__ == "__main__":
    print(json.dumps(run(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1)))

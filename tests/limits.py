"""Disks that are full at every write and files that may not be read: `python -m tests.limits` (as root).

A small disk is filled to leave 0, 4, 8 … KB, and every writing path is tried at each step; then every file that is read
is made unreadable, one at a time, for a user without rights. Prints how many cases were tried.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bruto.container.dng_reader import read_dng
from bruto.container.picture import read_picture
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, keep, saved_recipes
from bruto.errors import BrutoError
from bruto.export.preset import ExportPreset
from bruto.export.queue import export_shot
from bruto.merge.merger import merge
from bruto.phones.card import PhoneCard, load_card, save_card
from bruto.sensor.measure_cache import measured
from bruto.shoot.file_import import import_files
from bruto.shoot.folder import load_record, open_shoot, save_record
from bruto.shoot.sidecar import load_sidecar, save_sidecar
from bruto.shoot.xmp import read_rating, write_rating
from bruto.simphone.capture_files import simulate
from tests.shots import SMALL, taken

DISK_KB = 1200
STEPS_KB = (0, 4, 8, 16, 24, 40, 64, 96, 128, 192, 256, 384, 512, 640, 800)


def state(folder: Path) -> dict[str, str]:
    """Digests of all files below a folder."""
    return {
        str(p): hashlib.sha256(p.read_bytes()).hexdigest()
        for p in folder.rglob("*")
        if p.is_file() and p.name != "fill" and not p.is_symlink()
    }


class Disk:
    """A small disk that can be filled up to some kilobytes."""

    def __init__(self, place: Path) -> None:
        self.place = place
        place.mkdir()
        subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK_KB}k", "tmpfs", place], check=True)

    def leave(self, kb: int) -> None:
        """Fill the disk until so much is free."""
        fill = self.place / "fill"
        fill.unlink(missing_ok=True)
        free = shutil.disk_usage(self.place).free
        with contextlib.suppress(OSError), fill.open("wb", buffering=0) as stream:
            stream.write(bytes(max(0, free - kb * 1024)))

    def close(self) -> None:
        subprocess.run(["umount", "-l", self.place], check=False)


def full_disk(base: Path) -> int:
    """Every writing path at every step of fullness; returns the number of cases."""
    count = 0
    burst = [Path(s["files"][0]) for s in taken("sluice", size=SMALL, count=4, iso=800.0)]
    bracket = [Path(s["files"][0]) for s in taken("boiling-house", size=SMALL, bracket=(-2.0, 0.0, 2.0))]
    disk = Disk(base / "disk")
    d = disk.place
    try:
        raw = Path(shutil.copy2(burst[0], d / "a.dng"))
        save_sidecar(raw, load_sidecar(raw)[0])
        write_rating(raw, stars=3, note="kept")
        save_record(d, load_record(d))
        os.environ.update({f"XDG_{k}_HOME": str(d / k) for k in ("DATA", "STATE", "CACHE")})
        save_card(PhoneCard("M", "Q", isos=(50.0,)))
        keep(NamedRecipe("warm", ("exposure",), Recipe()))
        card = base / "card"
        card.mkdir()
        shutil.copy2(burst[1], card / "new.dng")

        def values(n: int) -> None:
            side, _ = load_sidecar(raw)
            side.note = f"{n} " + "x" * 5000
            save_sidecar(raw, side, side.snapshot())

        works: dict[str, Callable[[int], Any]] = {
            "jpg": lambda n: export_shot(raw, d / "out.jpg", Recipe(), ExportPreset()),
            "png": lambda n: export_shot(raw, d / "out.png", Recipe(), ExportPreset()),
            "tif": lambda n: export_shot(raw, d / "out.tif", Recipe(), ExportPreset(bits=16)),
            "avif": lambda n: export_shot(raw, d / "out.avif", Recipe(), ExportPreset()),
            "jxl": lambda n: export_shot(raw, d / "out.jxl", Recipe(), ExportPreset()),
            "mean": lambda n: merge("mean", list(burst[:2]), d / "m.dng"),
            "median": lambda n: merge("median", list(burst[:2]), d / "m.dng"),
            "bracket": lambda n: merge("bracket", list(bracket), d / "b.dng"),
            "values": values,
            "rating": lambda n: write_rating(raw, stars=n % 6, note="y" * 3000),
            "record": lambda n: save_record(d, load_record(d)),
            "card": lambda n: save_card(PhoneCard("M", "Q", isos=tuple(float(v) for v in range(50, 400)))),
            "recipe": lambda n: keep(NamedRecipe("warm", ("exposure",), Recipe(exposure=n / 1000))),
            "measures": lambda n: measured(raw),
            "take in": lambda n: import_files(card, d),
            "simulate": lambda n: simulate("card", d, size=(252, 190), seed=n + 1),
        }
        for kb in STEPS_KB:
            for name, work in works.items():
                disk.leave(kb)
                before = state(d)
                with contextlib.suppress(BrutoError):
                    work(count)
                after = state(d)
                for path in before:
                    if Path(path).suffix in (".dng", ".jpg"):
                        assert after.get(path) == before[path], f"{name} at {kb} KB changed {path}"
                for path in map(Path, set(after) - set(before)):
                    if path.suffix == ".dng":
                        read_dng(path)
                    elif path.suffix in (".jpg", ".png", ".tif", ".avif"):
                        read_picture(path)
                    left = path.name.startswith(".bruto-") and path.name != ".bruto-shoot.json"
                    assert not left, f"{name} left {path}"
                disk.leave(kb)
                side, problem = load_sidecar(raw)
                assert not problem, f"{name} at {kb} KB: {problem}"
                assert not side.note or side.note.endswith("x")
                rating = read_rating(raw)
                assert rating is not None and set(rating.note) <= set("kepty"), f"{name} at {kb} KB: {rating}"
                assert load_card("M", "Q").isos and len(saved_recipes()[0]) == 1, f"{name} at {kb} KB"
                for path in map(Path, set(after) - set(before)):
                    if path.parent == d:
                        path.unlink()
                count += 1
    finally:
        disk.close()
    return count


def no_permission(base: Path) -> int:
    """Every file that is read, unreadable for a user without rights; returns the number of cases."""
    day = base / "day"
    day.mkdir()
    raw, picture = (Path(shutil.copy2(f, day)) for f in taken("card", size=SMALL)[0]["files"])
    os.environ.update({f"XDG_{k}_HOME": str(base / k) for k in ("DATA", "STATE", "CACHE")})
    out = base / "out"
    out.mkdir()
    save_sidecar(raw, load_sidecar(raw)[0])
    write_rating(raw, stars=3)
    save_record(day, load_record(day))
    save_card(PhoneCard("M", "Q", isos=(50.0,)))
    place = keep(NamedRecipe("warm", ("exposure",), Recipe()))
    measured(raw)
    subprocess.run(["chmod", "-R", "a+rwX", base], check=True)
    works: dict[str, Callable[[], Any]] = {
        "open": lambda: open_shoot([day]),
        "develop": lambda: export_shot(raw, out / "a.jpg", Recipe(), ExportPreset(), overwrite=True),
        "picture": lambda: export_shot(picture, out / "b.jpg", Recipe(), ExportPreset(), overwrite=True),
        "merge": lambda: merge("mean", [raw, picture], out / "m.dng"),
        "values": lambda: save_sidecar(raw, load_sidecar(raw)[0], load_sidecar(raw)[0]),
        "rating": lambda: write_rating(raw, stars=4),
        "record": lambda: save_record(day, load_record(day)),
        "card": lambda: save_card(load_card("M", "Q")),
        "recipe": lambda: keep(NamedRecipe("warm", ("exposure",), Recipe(exposure=1.0))),
        "measure": lambda: measured(raw),
        "take in": lambda: import_files(day, out),
    }
    for work in works.values():  # whatever is imported late could not be imported without rights
        with contextlib.suppress(BrutoError):
            work()
    for path in out.iterdir():
        path.unlink()
    subprocess.run(["chmod", "-R", "a+rwX", base], check=True)
    targets = [p for p in [*day.iterdir(), *base.glob("DATA/**/*"), *base.glob("CACHE/**/*.json")] if p.is_file()]
    count = 0
    for target in targets:
        if not target.exists():
            continue
        before = target.read_bytes()
        for name, work in works.items():
            target.chmod(0o000)
            os.seteuid(65534)
            try:
                with contextlib.suppress(BrutoError):
                    work()
            finally:
                os.seteuid(0)
            if target in (raw, picture) or target.parent == day:
                assert target.read_bytes() == before, f"{name} changed {target}"
            subprocess.run(["chmod", "-R", "a+rwX", base], check=True)
            if not target.exists():
                target.write_bytes(before)
            elif target.read_bytes() != before:
                aside = list(target.parent.glob(target.name + ".damaged*"))
                assert any(p.read_bytes() == before for p in aside) or target == place, f"{name} lost {target}"
                target.write_bytes(before)
            for path in (*out.iterdir(), *day.glob("*damaged*")):
                path.unlink()
            count += 1
    return count


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as name:
        os.chmod(name, 0o777)
        print(f"{full_disk(Path(name))} cases on a disk that is full at every step: nothing lost, nothing half-written")
        print(f"{no_permission(Path(name))} cases without the right to read: nothing lost")
    sys.exit(0)

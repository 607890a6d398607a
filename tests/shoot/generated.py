"""A generated day of 300 shots with everything that goes wrong with files, and the truth about it."""

from __future__ import annotations

import shutil
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bruto.container.dng_tags import DngTags
from bruto.container.dng_writer import write_dng
from bruto.simphone.capture import calibrations
from bruto.simphone.capture_files import picture_bytes
from bruto.storage.atomic_write import write_new

SIZE = (96, 72)
START = datetime(2026, 6, 21, 7, 0, 0)


@dataclass
class Truth:
    """`pairs`: raw file name to picture file name (None: none), `alone`: pictures without raw, `sets`: kind and raw
    names in order, `tests`: raw names of test shots, `doubles`: names of further copies, `edited`: pictures changed
    later.
    """

    pairs: dict[str, str | None] = field(default_factory=dict)
    alone: set[str] = field(default_factory=set)
    sets: list[tuple[str, tuple[str, ...]]] = field(default_factory=list)
    tests: set[str] = field(default_factory=set)
    doubles: set[str] = field(default_factory=set)
    edited: set[str] = field(default_factory=set)
    how: dict[str, str] = field(default_factory=dict)
    shots: int = 0


class Day:
    """Writes shots one after the other, numbered as a phone numbers them: raw n, picture n + 1."""

    def __init__(self, folder: Path, seed: int = 1, size: tuple[int, int] = SIZE, preview: int = 48) -> None:
        """`size` of raws and pictures, pixels; `preview`: width of the one inside a raw."""
        self.size, self.preview = size, preview
        self.folder, self.random = folder, np.random.default_rng(seed)
        self.now, self.number, self.truth = START, 100, Truth()
        self.color = calibrations()

    def scene(self) -> NDArray[np.float32]:
        """A new view: soft random light."""
        small = self.random.uniform(0.02, 0.8, (6, 8, 3)).astype(np.float32)
        return cv2.resize(small, self.size, interpolation=cv2.INTER_CUBIC).clip(0.01, 1)

    def _small(self, finished: NDArray[np.uint8]) -> NDArray[np.uint8]:
        height = self.preview * self.size[1] // self.size[0]
        return cv2.resize(finished, (self.preview, height), interpolation=cv2.INTER_AREA)

    def moved(self, scene: NDArray[np.float32]) -> NDArray[np.float32]:
        """The same view a moment later: a little elsewhere, with something new in it."""
        shift = np.array([[1, 0, self.random.normal(0, 1.5)], [0, 1, self.random.normal(0, 1.5)]], np.float32)
        view = cv2.warpAffine(scene, shift, self.size, borderMode=cv2.BORDER_REPLICATE)
        x, y = int(self.random.integers(8, self.size[0] - 8)), int(self.random.integers(8, self.size[1] - 8))
        cv2.circle(view, (x, y), 9, tuple(float(v) for v in self.random.uniform(0, 1, 3)), -1)
        return view

    def shot(
        self,
        view: NDArray[np.float32],
        iso: float = 100,
        seconds: float = 1 / 200,
        *,
        raw: bool = True,
        picture: bool = True,
        stems: str = "same",
        raw_name: str = "",
        picture_name: str = "",
        edited: bool = False,
        pause: float = 0.0,
    ) -> tuple[str | None, str | None]:
        """Take one shot at the present time; returns the names of its files. `stems`: "same" or "following"."""
        tags = DngTags(
            black=np.full((2, 2), 64.0),
            white=np.full(1, 1023.0),
            bits=10,
            calibrations=self.color,
            as_shot_neutral=np.array([0.5, 1, 0.6]),
            cfa="RGGB",
            make="Vessar",
            model="Vessar Tide 4",
            software="Vessar Tide 4 camera 1.0",
            taken=self.now.strftime("%Y:%m:%d %H:%M:%S"),
            iso=iso,
            exposure_s=seconds,
            f_number=1.9,
            focal_mm=5.9,
            focal_35mm=26.0,
        )
        light = view * np.float32(min(1.0, iso * seconds * 2))
        light = np.clip(light + self.random.normal(0, 0.004, light.shape), 0, 1).astype(np.float32)
        finished = (np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
        first = f"SHT_{self.number:04d}"
        second = first if stems == "same" else f"SHT_{self.number + 1:04d}"
        self.number += 1 if stems == "same" else 2
        raw_file = (raw_name or f"{first}.dng") if raw else None
        picture_file = (picture_name or f"{second}.jpg") if picture else None
        if raw_file:
            green = (light[..., 1] * 900 + 64).astype(np.uint16)
            write_dng(self.folder / raw_file, green, tags, self._small(finished))
        if picture_file:
            if edited:
                finished = cv2.GaussianBlur(finished, (0, 0), 1.5)
                later = (self.now + timedelta(hours=5)).strftime("%Y:%m:%d %H:%M:%S")
            data = picture_bytes(finished, replace(tags, taken=tags.taken))
            if edited:
                data = data.replace(tags.taken.encode(), later.encode(), 1)  # the first date is that of the last change
                self.truth.edited.add(picture_file)
            write_new(self.folder / picture_file, data)
        if raw_file:
            self.truth.pairs[raw_file] = picture_file
        elif picture_file:
            self.truth.alone.add(picture_file)
        self.truth.shots += 1
        self.now += timedelta(seconds=seconds + pause)
        return raw_file, picture_file

    def wait(self, seconds: float) -> None:
        self.now += timedelta(seconds=seconds)

    def finish_set(self, kind: str, names: list[str | None]) -> None:
        self.truth.sets.append((kind, tuple(n for n in names if n)))
        self.wait(400)

    def double(self, name: str, copy: str) -> None:
        shutil.copy2(self.folder / name, self.folder / copy)
        self.truth.doubles.add(copy)


def make_day(folder: Path, seed: int = 1) -> Truth:
    """300 shots: singles, bursts, brackets, ladders and trails; renamed, missing, doubled and interleaved files."""
    day = Day(folder, seed)

    def singles(count: int, **how: object) -> None:
        for _ in range(count):
            name = day.shot(day.scene(), **how)[0]  # type: ignore[arg-type]
            day.finish_set("single", [name])

    singles(20)
    singles(20, stems="following")
    singles(6, raw=False)
    singles(6, picture=False)
    singles(4, edited=True)
    for k in range(8):  # renamed after the capture: only time and settings are left
        name = day.shot(day.scene(), raw_name=f"best of morning {k}.dng", picture_name=f"share-{'abcdefgh'[k]}.jpg")[0]
        day.finish_set("single", [name])
    for k in range(4):  # doubled files
        raw, picture = day.shot(day.scene())
        assert raw and picture
        day.double(raw, raw.replace(".dng", " (1).dng"))
        if k % 2:
            day.double(picture, picture.replace(".jpg", "-copy.jpg"))
        day.finish_set("single", [raw])
    for n in (8, 5, 12):
        view = day.scene()
        day.finish_set("burst", [day.shot(day.moved(view), 1600, 1 / 30, pause=0.5)[0] for _ in range(n)])
    for n in (6, 9):  # quick bursts with following numbers: times and neighbours are ambiguous
        view = day.scene()
        frames = [day.shot(day.moved(view), 800, 1 / 60, stems="following", pause=0.3)[0] for _ in range(n)]
        day.finish_set("burst", frames)
    view = day.scene()  # a burst whose files were all renamed: only likeness tells
    frames = [
        day.shot(
            day.moved(view), 800, 1 / 60, raw_name=f"run {k}.dng", picture_name=f"p-{(k * 7) % 5}{k}.jpg", pause=0.3
        )[0]
        for k in range(5)
    ]
    day.finish_set("burst", frames)
    for _ in range(6):
        view = day.scene()
        day.finish_set("bracket", [day.shot(view, 50, t, pause=0.6)[0] for t in (1 / 1600, 1 / 250, 1 / 40)])
    view = day.scene()  # two brackets at once
    frames = [day.shot(view, 50, t, pause=0.6)[0] for t in (1 / 1600, 1 / 250, 1 / 40) * 2]
    day.truth.sets.append(("bracket", tuple(n for n in frames[:3] if n)))
    day.finish_set("bracket", frames[3:])
    view = day.scene()
    steps = [(iso, t) for iso in (400, 800, 1600, 3200) for t in (4.0, 8.0)]
    day.finish_set("ladder", [day.shot(view, iso, t, pause=15.0)[0] for iso, t in steps])
    for count, exposure, pause in ((60, 13.0, 2.0), (45, 8.0, 1.0)):
        view = day.scene()
        tests = [day.shot(view, 1600, exposure / 2, pause=40)[0], day.shot(view, 800, exposure * 2, pause=60)[0]]
        day.truth.tests |= {n for n in tests if n}
        frames = []
        for k in range(count):
            if k in (17, 31):  # a frame the phone lost
                day.wait(exposure + pause)
                continue
            frames.append(day.shot(view, 800, exposure, picture=k % 9 != 4, pause=pause)[0])
        day.finish_set("trail", frames)
    left = 300 - day.truth.shots
    singles(left // 2, stems="following")
    singles(left - left // 2)
    return day.truth

"""The demo shoot: one day at Orrin Saltern, taken shot by shot into a folder that is being watched.

`python -m bruto.simphone.demo FOLDER [night]` takes what is missing, at low priority, and tells its progress on stdout,
one JSON object a line: `{"share": 0.3, "text": "sluice"}`. It can be stopped at any moment: each file is whole or not
there, and the next start goes on.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sys
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from bruto.errors import BrutoError
from bruto.simphone.optics import TRACE_VERSION, Mishap
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.json_files import json_bytes, read_json
from bruto.storage.temporary_files import clean_leftovers, temporary_folder

DEMO_VERSION = f"8.{TRACE_VERSION}"
STAMP = ".made"
SHOTS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("sluice", {"seed": 20, "iso": 200.0}),
    ("card", {"seed": 1}),
    ("pans", {"seed": 25, "lens": "tele"}),
    ("boiling-house", {"seed": 1, "bracket": (-2.7, 0.0, 2.7)}),
    ("crystals", {"seed": 1, "kind": "linear"}),
    ("sluice", {"seed": 1, "count": 8, "iso": 1600.0}),
    ("pans", {"seed": 12, "ev": 1.3}),
    ("boiling-house", {"seed": 30, "mishap": Mishap(motion_px=9, motion_deg=20)}),
    ("sluice", {"seed": 27, "iso": 800.0}),
    ("sluice", {"seed": 34, "iso": 3200.0}),
    ("sluice", {"seed": 41, "iso": 6400.0}),
    ("sluice", {"seed": 49, "mishap": Mishap(smear=0.22)}),
    ("crystals", {"seed": 2, "ev": -0.5}),
    ("pans", {"seed": 1, "megapixels": 12}),
)
"""Scene and settings of each shot, in the order in which they are made: what takes long comes last. 3 MP where nothing
else is said; the clock of the simulated phone gives the order of the day.
"""
WITHOUT_RAW = ("crystals", 2)
"""Scene and seed of the shot of which the phone kept no raw."""


Shots = Sequence[tuple[str, dict[str, Any]]]


def shots_of(night: bool) -> Shots:
    """Return the scene and settings of the shots of the day, or of the frames of the night.

    Parameters
    ----------
    night
        Whether the frames are a night on a tripod.

    Returns
    -------
    Shots
        Scene and settings of the shots of the day, or of the frames of the night.
    """
    if not night:
        return SHOTS
    from bruto.simphone.demo_night import NIGHT  # it takes long to load

    return NIGHT


def _key(scene: str, settings: dict[str, Any]) -> str:
    plain = {k: asdict(v) if isinstance(v, Mishap) else v for k, v in settings.items()}
    text = json.dumps([DEMO_VERSION, scene, plain], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _made(folder: Path) -> dict[str, list[str]]:
    """Names of the files of each shot that is whole, by its key."""
    try:
        found = read_json(folder / STAMP).get("shots", {})
    except BrutoError:
        return {}
    if not isinstance(found, dict):
        return {}
    return {
        str(key): [str(n) for n in names]
        for key, names in found.items()
        if isinstance(names, list) and all((folder / str(n)).is_file() for n in names)
    }


def missing(folder: Path, night: bool = False) -> list[tuple[str, dict[str, Any]]]:
    """Return the shots that are not in the folder yet, in the order of making.

    Parameters
    ----------
    folder
        Folder concerned.
    night
        Whether the frames are a night on a tripod.

    Returns
    -------
    list[tuple[str, dict[str, Any]]]
        Shots that are not in the folder yet, in the order of making.
    """
    made = _made(folder)
    return [shot for shot in shots_of(night) if _key(*shot) not in made]


def make_demo(
    folder: Path,
    tell: Callable[[float, str], None] = lambda share, text: None,
    only_first: bool = False,
    night: bool = False,
) -> Path:
    """Take the shots that are missing; returns the folder.

    `tell` gets the share that is done and what is being taken.

    Parameters
    ----------
    folder
        Folder concerned.
    tell
        Called with the share done and the scene.
    only_first
        Stop once there is a shot to open.
    night
        The frames of the night instead of the shots of the day.

    Returns
    -------
    Path
        Path of the file.

    Raises
    ------
    BrutoError
        Where that cannot be done; the message says why.
    """
    own_folder(folder)
    total = len(shots_of(night))
    left = missing(folder, night)
    made = _made(folder)
    while left and not (only_first and len(left) < total):
        scene, settings = left[0]
        tell((total - len(left)) / total, scene)
        made[_key(scene, settings)] = _take(folder, scene, settings, night)
        write_own(folder / STAMP, json_bytes({"version": DEMO_VERSION, "shots": made}))
        left = left[1:]
    tell((total - len(left)) / total, "")
    return folder


def _take(folder: Path, scene: str, settings: dict[str, Any], night: bool) -> list[str]:
    """Take one shot or set; its files come into the folder one after the other, each whole."""
    names = []
    with temporary_folder(folder) as place:
        if night:
            from bruto.simphone.demo_night import take

            for file in reversed(take(scene, settings, place)):
                os.replace(file, folder / file.name)
                names.append(file.name)
            return names
        from bruto.simphone.capture_files import simulate  # it takes long to load, and often nothing is missing

        for shot in simulate(scene, place, **{"megapixels": 3, **settings}):
            files = [Path(f) for f in shot["files"]]
            if (scene, settings.get("seed")) == WITHOUT_RAW:
                files = files[1:]
            for file in reversed(files):  # the raw comes when its picture is there, so that both are one shot at once
                os.replace(file, folder / file.name)
                names.append(file.name)
    return names


def main(arguments: list[str]) -> int:
    """Run the simulated phone as a process of its own; it ends when nobody listens any more.

    Parameters
    ----------
    arguments
        Arguments of the process.

    Returns
    -------
    int
        The simulated phone as a process of its own.
    """
    with contextlib.suppress(OSError):
        os.nice(10)

    def tell(share: float, text: str) -> None:
        try:
            sys.stdout.write(json.dumps({"share": round(share, 4), "text": text}) + "\n")
            sys.stdout.flush()
        except (BrokenPipeError, ValueError):
            os._exit(0)

    clean_leftovers()
    try:
        make_demo(Path(arguments[0]), tell, night="night" in arguments[1:])
    except BrutoError as error:
        sys.stderr.write(f"{error}\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

"""The demo shoot: one day at Orrin Saltern."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bruto.simphone.capture import TRACE_VERSION, simulate
from bruto.simphone.optics import Mishap

DEMO_VERSION = f"6.{TRACE_VERSION}"
SHOTS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("pans", {"seed": 1, "megapixels": 12}),
    ("pans", {"seed": 12, "ev": 1.3}),
    ("pans", {"seed": 25, "lens": "tele"}),
    ("boiling-house", {"seed": 1, "bracket": (-2.7, 0.0, 2.7)}),
    ("boiling-house", {"seed": 30, "mishap": Mishap(motion_px=9, motion_deg=20)}),
    ("card", {"seed": 1}),
    ("crystals", {"seed": 1, "kind": "linear"}),
    ("sluice", {"seed": 1, "count": 8, "iso": 1600.0}),
    ("sluice", {"seed": 20, "iso": 200.0}),
    ("sluice", {"seed": 27, "iso": 800.0}),
    ("sluice", {"seed": 34, "iso": 3200.0}),
    ("sluice", {"seed": 41, "iso": 6400.0}),
    ("sluice", {"seed": 49, "mishap": Mishap(smear=0.22)}),
)
"""Scene and settings of each shot, in the order of the day; 3 MP where nothing else is said."""


def make_demo(folder: Path, say: Callable[[str], None] = lambda _: None) -> Path:
    """Write the demo shoot into a folder unless it is there already; returns the folder.

    It is made in a temporary folder beside and moved into place when whole.
    """
    stamp = folder / ".made"
    if stamp.is_file() and stamp.read_text() == DEMO_VERSION:
        return folder
    making = folder.with_name(folder.name + ".making")
    shutil.rmtree(making, ignore_errors=True)
    for k, (scene, settings) in enumerate(SHOTS):
        say(f"making the demo shoot (once, a few minutes), {k + 1} of {len(SHOTS) + 1}: {scene}")
        simulate(scene, making, **{"megapixels": 3, **settings})
    say(f"making the demo shoot, {len(SHOTS) + 1} of {len(SHOTS) + 1}: a picture without a raw")
    made = simulate("crystals", making, megapixels=3, seed=2, ev=-0.5)
    Path(made[0]["files"][0]).unlink()
    (making / ".made").write_text(DEMO_VERSION)
    if folder.exists():
        for file in making.iterdir():  # edits beside older files are kept
            file.replace(folder / file.name)
        making.rmdir()
    else:
        making.rename(folder)
    return folder

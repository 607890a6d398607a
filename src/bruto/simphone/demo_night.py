"""The demo's night at Orrin Saltern, frame by frame.

The water of the sluice, a ladder of settings and a star field at the wind pump, and the sky turning over the
works.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

from bruto.simphone.capture import Exposure
from bruto.simphone.night import NightEvent, NightFrame, NightPhone, save_frame
from bruto.simphone.running_water import RunningWaterPhone, race_frame

PUMP, SKY = (2016, 1512), (1008, 756)
"""Width and height of the frames at the pump, and of the long sequence, pixels."""
EXPOSURE = Exposure(1600.0, 15.0)
BEGIN = datetime(2026, 6, 21, 22, 40)
LADDER = tuple((iso, seconds) for iso in (400.0, 1600.0, 6400.0) for seconds in (4.0, 8.0, 15.0))
FIELD, RACE, TRAIL = 12, 24, 240
FIELD_PAUSE = 81.0
"""Seconds between frames of the star field."""
WHAT = NightEvent(
    clouds=((96, 118),), aircraft=(40, 171), satellites=(66, 140), lost=(152, 153), shaken=(205,), tests=2, lamp=True
)  # fmt: skip
NIGHT: tuple[tuple[str, dict[str, Any]], ...] = (
    *(("race", {"frame": k}) for k in range(RACE)),
    *(("pump", {"ladder": k}) for k in range(len(LADDER))),
    *(("pump", {"frame": k}) for k in range(FIELD)),
    *(("sky", {"frame": k}) for k in range(TRAIL)),
)
"""Every frame, in the order in which they are made."""


@cache
def _phone(scene: str) -> NightPhone:
    if scene == "pump":
        return NightPhone(size=PUMP, seed=7, happening=NightEvent(satellites=(5,)))
    return NightPhone(size=SKY, seed=3, happening=WHAT)


@cache
def _race() -> RunningWaterPhone:
    return RunningWaterPhone(SKY)


@cache
def _frames(scene: str) -> list[NightFrame]:
    if scene == "pump":
        return _phone(scene).frames(FIELD, EXPOSURE, FIELD_PAUSE)
    return _phone(scene).frames(TRAIL, EXPOSURE)


def take(scene: str, settings: dict[str, Any], folder: Path) -> list[Path]:
    """Take one frame into a folder; its files.

    Parameters
    ----------
    scene
        Identifier of a simulated scene.
    settings
        Settings of the capture.
    folder
        Folder concerned.

    Returns
    -------
    list[Path]
        What was found, in order.
    """
    k = int(settings.get("frame", settings.get("ladder", 0)))
    if scene == "race":
        phone = _race()
        metered = phone.meter()
        exposure = Exposure(50.0, metered.seconds * metered.iso / 50.0)
        return race_frame(phone, k, exposure, folder / f"race-{k + 1:02d}.dng")
    if "ladder" in settings:
        iso, seconds = LADDER[k]
        frame = NightFrame(1000 + k, 40.0 * k, Exposure(iso, seconds))
        path = folder / f"pump-ladder-{k + 1:02d}.dng"
        return [save_frame(_phone(scene).take(frame), path, BEGIN + timedelta(seconds=40.0 * k))]
    frames = _frames(scene)
    if k >= len(frames):
        return []  # a frame that was lost
    frame = frames[k]
    begin = BEGIN + timedelta(minutes=20 if scene == "pump" else 70)
    path = folder / f"{scene}-{frame.number + 1:03d}.dng"
    return [save_frame(_phone(scene).take(frame), path, begin + timedelta(seconds=frame.start))]

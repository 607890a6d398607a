"""Stars, sequences of frames, nights and days: `bruto plan stars|interval|night|day`."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import DEFAULT_MB, LikeFile, card_of, number, numbers, offers, say
from bruto.errors import BrutoError


@plan_app.command("stars", help="How long the shutter may stay open before stars draw lines.")
def _stars(
    focal_35mm: Annotated[float | None, typer.Option("--focal-35mm", help="35 mm-equivalent focal length.")] = None,
    f_number: Annotated[float | None, typer.Option("--f-number")] = None,
    pixel_um: Annotated[float | None, typer.Option("--pixel-um", help="From pixel to pixel, micrometres.")] = None,
    focal_mm: Annotated[float | None, typer.Option("--focal-mm", help="True focal length.")] = None,
    declination: Annotated[float, typer.Option(help="Of the stars, degrees; at 0 they move most.")] = 0.0,
    offered: Annotated[str | None, typer.Option(help='Times that the phone offers, such as "1/3,1,2,4".')] = None,
    total: Annotated[float, typer.Option(help="Seconds that a stack shall gather.")] = 120.0,
    like: LikeFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.stars import StarLens, pixel_pitch, stars

    seen, card = card_of(like)
    width = None
    if seen is not None:
        lens = card.lens_of(seen.focal_mm)
        focal_35mm = focal_35mm or (lens.focal_35mm if lens else seen.focal_35mm)
        focal_mm, f_number = focal_mm or seen.focal_mm, f_number or seen.f_number
        width, height = seen.size
        if pixel_um is None and focal_mm and focal_35mm:
            pixel_um = pixel_pitch(focal_mm, focal_35mm, width, height)
    if focal_35mm is None:
        raise BrutoError("Give --focal-35mm, or --like a raw of the phone.")
    found = stars(
        StarLens(focal_35mm, f_number, pixel_um, focal_mm, width), offers(offered, like, "seconds"), declination, total
    )
    lines = [f"{name}: {seconds:.1f} s" for name, seconds in found.rules.items()]
    lines += [f"to {aim}: {text}" for aim, text in found.advice.items()]
    say(found.as_json(), as_json, lines)


@plan_app.command("interval", help="How often the shutter can open, and how many frames a time holds.")
def _interval(
    exposure: Annotated[str, typer.Option(help="Of each frame, seconds.")],
    pause: Annotated[str | None, typer.Option(help="That the phone needs to save, seconds.")] = None,
    frames: Annotated[Path | None, typer.Option(help="Folder of the first frames, which tell the pause.")] = None,
    duration: Annotated[str | None, typer.Option(help="Seconds that the sequence shall last.")] = None,
    asked: Annotated[str | None, typer.Option(help="Interval that was set, seconds.")] = None,
    mb_each: Annotated[float | None, typer.Option("--mb-each", help="Megabytes of a frame.")] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.interval import as_json as listed
    from bruto.plan.interval import sequence, watched

    seconds, lasts = number(exposure), None if duration is None else number(duration)
    if (pause is None) == (frames is None):
        raise BrutoError("Give --pause, or --frames with the first frames of the sequence.")
    seen, each = None, mb_each
    names: list[str] = []
    if frames is not None:
        starts, names, size = _starts(frames, seconds)
        seen = watched(starts, seconds, None if asked is None else number(asked))
        each = each or size
        lost = seen.interval - seconds
    else:
        assert pause is not None
        lost = number(pause)
    plan = sequence(seconds, lost, lasts, (each or DEFAULT_MB) * 1e6)
    lines = [f"every {plan.interval:.2f} s: {seconds:g} s exposed, {plan.pause:.2f} s to save"]
    if plan.frames is not None:
        lines.append(f"{plan.frames} frames, about {plan.frames * (each or DEFAULT_MB) / 1000:.1f} GB")
    say(listed(plan, seen, names), as_json, [*lines, *(seen.messages if seen else ())])


def _starts(folder: Path, exposure: float) -> tuple[list[float], list[str], float]:
    """When the raws of a folder that were exposed so long were taken, seconds since the first, their names, and
    megabytes of one.
    """
    from datetime import datetime

    from bruto.container.dng_reader import is_raw
    from bruto.container.quick_metadata import read_quick_metadata
    from bruto.storage.safe_read import explain

    listed = []
    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng" and is_raw(p))
    except OSError as error:
        raise explain(error, folder, "read") from error
    for path in files:
        try:
            seen = read_quick_metadata(path)
            if not seen.exposure_s or 0.9 < seen.exposure_s / exposure < 1.1:  # others are test shots
                listed.append((datetime.strptime((seen.taken or "")[:19], "%Y:%m:%d %H:%M:%S"), path))
        except (BrutoError, ValueError):
            continue
    if len(listed) < 2:
        raise BrutoError(f"{folder.name} holds fewer than two raws of {exposure:g} s that tell when they were taken.")
    listed.sort(key=lambda each: (each[0], each[1].name))
    size = sum(p.stat().st_size for _, p in listed) / len(listed) / 1e6
    return [(t - listed[0][0]).total_seconds() for t, _ in listed], [p.name for _, p in listed], size


Latitude = Annotated[float, typer.Option(help="Degrees, north positive.")]
Longitude = Annotated[float, typer.Option(help="Degrees, east positive.")]
OnDate = Annotated[str, typer.Option("--date", help="YYYY-MM-DD; a night is from noon to noon.")]
Zone = Annotated[str, typer.Option(help="Name of the tz database; without one that of the longitude.")]


def _target(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    found = numbers(text)
    if len(found) != 2:
        raise BrutoError("A target is its right ascension and declination in degrees, such as 266.4,-29.0.")
    return found[0], found[1]


def clock(text: str | None) -> str:
    return "–" if text is None else text[11:16]


@plan_app.command("darkness", help="How dark the sky of a raw is, magnitudes per square arc second.")
def _darkness(
    file: Path,
    f_number: Annotated[float | None, typer.Option("--f-number", help="Where the file tells none.")] = None,
    place: Annotated[str, typer.Option(help="Note it in the logbook for the shots of this place.")] = "",
    book: Annotated[Path | None, typer.Option(help="Another logbook than the usual one.")] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.sky_darkness import darkness_of

    seen = darkness_of(file, f_number)
    found = {**seen.as_json(), "noted": 0}
    lines = [f"{seen.magnitudes:.1f} ± {seen.error:.1f} magnitudes per square arc second: {seen.called}"]
    if place:
        from bruto.logbook.store import Logbook, usual_logbook

        with Logbook(book or usual_logbook()) as opened:
            found["noted"] = opened.set_place(place, darkness=round(seen.magnitudes, 2))
        lines.append(f"noted for {found['noted']} shots at {place}")
    say(found, as_json, lines)


@plan_app.command("night", help="Sun, moon, pole and a target from noon to noon, and when it is dark.")
def _night(
    latitude: Latitude, longitude: Longitude, on: OnDate, zone: Zone = "",
    height: Annotated[float, typer.Option(help="Metres above the sea.")] = 0.0,
    target: Annotated[str | None, typer.Option(help="Right ascension and declination, degrees: RA,DEC.")] = None,
    as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.night import night
    from bruto.plan.place import Place, parsed_date

    where, when = Place(latitude, longitude, height, zone), parsed_date(on)
    found = night(where, when, _target(target)).as_json()
    sun, moon, aim = found["sun"], found["moon"], found["target"]
    lines = [
        f"sun: sets {clock(sun['set'])}, rises {clock(sun['rise'])} ({where.clock_name})",
        f"moon: rises {clock(moon['rise'])}, sets {clock(moon['set'])}, {moon['illuminated_percent']:.0f} % lit",
        "dark: " + (", ".join(f"{clock(d['from'])}–{clock(d['to'])}" for d in found["dark"]) or "not at all"),
        f"pole: {found['pole']['altitude_deg']:.1f}° high, bearing {found['pole']['azimuth_deg']:.0f}°",
        f"target: highest {clock(aim['highest'])} at {aim['altitude_deg']:.0f}°, bearing {aim['azimuth_deg']:.0f}°",
    ]
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    say(found, as_json, lines)


@plan_app.command("day", help="Height and direction of the sun, golden and blue hours, light on a wall.")
def _day(
    latitude: Latitude, longitude: Longitude, on: OnDate, zone: Zone = "",
    facade: Annotated[float | None, typer.Option(help="Where a wall faces, degrees from north over east.")] = None,
    as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.night import day
    from bruto.plan.place import Place, parsed_date

    if facade is not None and not (math.isfinite(facade) and 0 <= facade <= 360):
        raise BrutoError(f"A wall faces a bearing from 0 to 360 degrees, not {facade:g}.")
    where, when = Place(latitude, longitude, 0.0, zone), parsed_date(on)
    found = day(where, when, facade).as_json()
    sun = found["sun"]

    def listed(some: list[dict[str, str]]) -> str:
        return ", ".join(f"{clock(s['from'])}–{clock(s['to'])}" for s in some) or "not at all"

    lines = [
        f"sun: rises {clock(sun['rise'])}, highest {clock(sun['highest'])} at {sun['altitude_deg']:.0f}°, sets "
        f"{clock(sun['set'])} ({where.clock_name})",
        f"golden: {listed(found['golden'])}", f"blue: {listed(found['blue'])}",
    ]  # fmt: skip
    if facade is not None:
        lines.append(f"on the wall: {listed(found['facade']['light'])}")
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    say(found, as_json, lines)

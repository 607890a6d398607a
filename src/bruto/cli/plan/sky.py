"""Stars, sequences of frames, nights and days: `bruto plan stars|interval|night|day`."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from bruto.catalog import tr, trn
from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import DEFAULT_MB, PhoneFrom, card_of, number, numbers, offers, say
from bruto.errors import BrutoError


@plan_app.command("stars", help=tr("How long the shutter may stay open before stars become lines."))
def _stars(
    focal_35mm: Annotated[float | None, typer.Option("--focal-35mm", help=tr("35 mm equivalent focal length."))] = None,
    f_number: Annotated[float | None, typer.Option("--f-number")] = None,
    pixel_um: Annotated[float | None, typer.Option("--pixel-um", help=tr("Pixel pitch, micrometres."))] = None,
    focal_mm: Annotated[float | None, typer.Option("--focal-mm", help=tr("True focal length, mm."))] = None,
    declination: Annotated[
        float, typer.Option(help=tr("Declination of the stars, degrees; at 0 they move fastest."))
    ] = 0.0,
    offered: Annotated[str | None, typer.Option(help=tr('Times the phone offers, for example "1/3,1,2,4".'))] = None,
    total: Annotated[float, typer.Option(help=tr("Total exposure of a stack, seconds."))] = 120.0,
    like: PhoneFrom = None,
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
        raise BrutoError(tr("Give --focal-35mm, or --phone-from with a raw of the phone."))
    found = stars(
        StarLens(focal_35mm, f_number, pixel_um, focal_mm, width), offers(offered, like, "seconds"), declination, total
    )
    lines = [f"{name}: {seconds:.1f} s" for name, seconds in found.rules.items()]
    lines += [tr("to {aim}: {text}", aim=aim, text=text) for aim, text in found.advice.items()]
    say(found.as_json(), as_json, lines)


@plan_app.command("interval", help=tr("How often the shutter can open, and how many frames fit into a time."))
def _interval(
    exposure: Annotated[str, typer.Option(help=tr("Exposure time of each frame, seconds."))],
    pause: Annotated[str | None, typer.Option(help=tr("Time the phone needs to save a frame, seconds."))] = None,
    frames: Annotated[Path | None, typer.Option(help=tr("Folder of the first frames, which show the pause."))] = None,
    duration: Annotated[str | None, typer.Option(help=tr("Length of the sequence, seconds."))] = None,
    asked: Annotated[str | None, typer.Option(help=tr("Interval that was set, seconds."))] = None,
    mb_each: Annotated[float | None, typer.Option("--mb-each", help=tr("Megabytes per frame."))] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.interval import as_json as listed
    from bruto.plan.interval import sequence, watched

    seconds, lasts = number(exposure), None if duration is None else number(duration)
    if (pause is None) == (frames is None):
        raise BrutoError(tr("Give --pause, or --frames with the first frames of the sequence."))
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
    lines = [
        tr(
            "every {interval:.2f} s: {seconds:g} s exposed, {pause:.2f} s to save",
            interval=plan.interval,
            seconds=seconds,
            pause=plan.pause,
        )
    ]
    if plan.frames is not None:
        lines.append(
            trn(
                "{frames} frame, about {frames2:.1f} GB",
                "{frames} frames, about {frames2:.1f} GB",
                frames=plan.frames,
                frames2=plan.frames * (each or DEFAULT_MB) / 1000,
            )
        )
    say(listed(plan, seen, names), as_json, [*lines, *(seen.messages if seen else ())])


def _starts(folder: Path, exposure: float) -> tuple[list[float], list[str], float]:
    """When the raws of a folder that were exposed so long were taken, seconds since the first, their names, and
    megabytes of one.
    """
    from datetime import datetime

    from bruto.container.dng_reader import is_raw
    from bruto.container.quick_metadata import read_quick_metadata
    from bruto.storage.safe_read import FileAction, explain

    listed = []
    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng" and is_raw(p))
    except OSError as error:
        raise explain(error, folder, FileAction.READ) from error
    for path in files:
        try:
            seen = read_quick_metadata(path)
            if not seen.exposure_s or 0.9 < seen.exposure_s / exposure < 1.1:  # others are test shots
                listed.append((datetime.strptime((seen.taken or "")[:19], "%Y:%m:%d %H:%M:%S"), path))
        except (BrutoError, ValueError):
            continue
    if len(listed) < 2:
        raise BrutoError(
            tr("{name} holds fewer than two raws of {exposure:g} s with a time.", name=folder.name, exposure=exposure)
        )
    listed.sort(key=lambda each: (each[0], each[1].name))
    size = sum(p.stat().st_size for _, p in listed) / len(listed) / 1e6
    return [(t - listed[0][0]).total_seconds() for t, _ in listed], [p.name for _, p in listed], size


Latitude = Annotated[float, typer.Option(help=tr("Degrees, north positive."))]
Longitude = Annotated[float, typer.Option(help=tr("Degrees, east positive."))]
OnDate = Annotated[str, typer.Option("--date", help=tr("YYYY-MM-DD; a night runs from noon to noon."))]
Zone = Annotated[
    str, typer.Option(help=tr("Time zone of the tz database; by default the one in which the coordinates lie."))
]


def _target(text: str | None) -> tuple[float, float] | None:
    if text is None:
        return None
    found = numbers(text)
    if len(found) != 2:
        raise BrutoError(tr("Give a target as right ascension and declination in degrees, for example 266.4,-29.0."))
    return found[0], found[1]


def clock(text: str | None) -> str:
    return "–" if text is None else text[11:16]


@plan_app.command("darkness", help=tr("Sky brightness in a raw, magnitudes per square arc second."))
def _darkness(
    file: Path,
    f_number: Annotated[
        float | None, typer.Option("--f-number", help=tr("35 mm equivalent focal length, where the file gives none."))
    ] = None,
    place: Annotated[str, typer.Option(help=tr("Save it in the logbook for the shots of this place."))] = "",
    book: Annotated[Path | None, typer.Option(help=tr("A logbook other than your own."))] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.sky_darkness import darkness_of

    seen = darkness_of(file, f_number)
    found = {**seen.as_json(), "noted": 0}
    lines = [
        tr(
            "{magnitudes:.1f} ± {error:.1f} magnitudes per square arc second: {called}",
            magnitudes=seen.magnitudes,
            error=seen.error,
            called=seen.called,
        )
    ]
    if place:
        from bruto.logbook.database import usual_logbook
        from bruto.logbook.store import Logbook

        with Logbook(book or usual_logbook()) as opened:
            found["noted"] = opened.set_place(place, darkness=round(seen.magnitudes, 2))
        lines.append(
            trn(
                "saved for {noted} shot at {place}",
                "saved for {noted} shots at {place}",
                noted=found["noted"],
                place=place,
            )
        )
    say(found, as_json, lines)


@plan_app.command("night", help=tr("Sun, moon, pole and a target from noon to noon, and when it is dark."))
def _night(
    latitude: Latitude, longitude: Longitude, on: OnDate, zone: Zone = "",
    height: Annotated[float, typer.Option(help=tr("Metres above sea level."))] = 0.0,
    target: Annotated[str | None, typer.Option(help=tr("Right ascension and declination in degrees: RA,DEC."))] = None,
    as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.night import night
    from bruto.plan.place import Place, parsed_date

    where, when = Place(latitude, longitude, height, zone), parsed_date(on)
    found = night(where, when, _target(target)).as_json()
    sun, moon, aim = found["sun"], found["moon"], found["target"]
    lines = [
        tr(
            "sun: sets {clock}, rises {clock2} ({clock_name})",
            clock=clock(sun["set"]),
            clock2=clock(sun["rise"]),
            clock_name=where.clock_name,
        ),
        tr(
            "moon: rises {clock}, sets {clock2}, {illuminated_percent:.0f} % lit",
            clock=clock(moon["rise"]),
            clock2=clock(moon["set"]),
            illuminated_percent=moon["illuminated_percent"],
        ),
        "dark: " + (", ".join(f"{clock(d['from'])}–{clock(d['to'])}" for d in found["dark"]) or tr("never")),
        tr(
            "pole: altitude {altitude_deg:.1f}°, azimuth {azimuth_deg:.0f}°",
            altitude_deg=found["pole"]["altitude_deg"],
            azimuth_deg=found["pole"]["azimuth_deg"],
        ),
        tr(
            "target: highest {clock} at altitude {altitude_deg:.0f}°, azimuth {azimuth_deg:.0f}°",
            clock=clock(aim["highest"]),
            altitude_deg=aim["altitude_deg"],
            azimuth_deg=aim["azimuth_deg"],
        ),
    ]
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    say(found, as_json, lines)


@plan_app.command("day", help=tr("Altitude and azimuth of the sun, golden and blue hours, light on a wall."))
def _day(
    latitude: Latitude, longitude: Longitude, on: OnDate, zone: Zone = "",
    facade: Annotated[float | None, typer.Option(help=tr("Direction a wall faces, degrees clockwise "
                                                         "from north."))] = None,
    as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.night import day
    from bruto.plan.place import Place, parsed_date

    if facade is not None and not (math.isfinite(facade) and 0 <= facade <= 360):
        raise BrutoError(tr("A wall faces 0 to 360 degrees, not {facade:g}.", facade=facade))
    where, when = Place(latitude, longitude, 0.0, zone), parsed_date(on)
    found = day(where, when, facade).as_json()
    sun = found["sun"]

    def listed(some: list[dict[str, str]]) -> str:
        return ", ".join(f"{clock(s['from'])}–{clock(s['to'])}" for s in some) or tr("never")

    lines = [
        tr(
            "sun: rises {clock}, highest {clock2} at {altitude_deg:.0f}°, sets {clock3} ({clock_name})",
            clock=clock(sun["rise"]),
            clock2=clock(sun["highest"]),
            altitude_deg=sun["altitude_deg"],
            clock3=clock(sun["set"]),
            clock_name=where.clock_name,
        ),
        tr("golden: {listed}", listed=listed(found["golden"])),
        tr("blue: {listed}", listed=listed(found["blue"])),
    ]
    if facade is not None:
        lines.append(tr("on the wall: {listed}", listed=listed(found["facade"]["light"])))
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    say(found, as_json, lines)

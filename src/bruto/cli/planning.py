"""`bruto plan …`: the arithmetic before the shot, each answer in values that a phone offers."""

from __future__ import annotations

import math
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, OverwriteFlag, plan_app, print_page
from bruto.errors import BrutoError
from bruto.terminal import print_json, shown

MOST_VALUES = 500
LikeFile = Annotated[
    Path | None,
    typer.Option("--like", help="A raw of the phone, whose card tells its lens, times, ISOs and noise."),
]
DEFAULT_MB = 25.0
"""Megabytes of a 12 MP raw, where nothing better is known."""


def number(text: str) -> float:
    """A number, or a fraction such as 1/50; raises `BrutoError`."""
    try:
        value = float(Fraction(text.strip().removesuffix("s").strip()))
    except (ValueError, ZeroDivisionError, OverflowError) as error:
        raise BrutoError(f"'{text.strip()}' is no number: write 2.5 or 1/50.") from error
    return value


def numbers(text: str | None) -> tuple[float, ...]:
    """Numbers or fractions, parted by commas."""
    if text is None or not text.strip():
        return ()
    parts = text.split(",")
    if len(parts) > MOST_VALUES:
        raise BrutoError(f"At most {MOST_VALUES} values are taken.")
    return tuple(number(p) for p in parts)


def _say(found: dict[str, Any], as_json: bool, lines: list[str]) -> None:
    if as_json:
        print_json(found)
        return
    for line in lines:
        typer.echo(shown(line))


def _card(like: Path | None) -> tuple[Any, Any]:
    """A raw's facts and its phone's card; None for both without one."""
    if like is None:
        return None, None
    from bruto.container.glance import glance
    from bruto.phones.card import load_card

    seen = glance(like)
    return seen, load_card(seen.make, seen.model)


def _model(like: Path | None, noise: str | None) -> Any:
    """A noise model from "ISO:a:b,…", else from a card."""
    from bruto.plan.noise import model_of

    known: dict[float, tuple[float, float]] = {}
    if noise:
        for part in noise.split(","):
            values = [number(p) for p in part.split(":")]
            if len(values) != 3:
                raise BrutoError("Noise is told as ISO:a:b, such as 100:1e-4:2e-6.")
            known[values[0]] = values[1], values[2]
        return model_of(known)
    seen, card = _card(like)
    if card is not None:
        from bruto.phones.card import noise_by_iso

        known = noise_by_iso(card, seen)
    if not known and like is not None and seen.iso:
        from bruto.container.dng_reader import read_dng
        from bruto.sensor.noise import file_noise

        own = file_noise(read_dng(like).meta)
        if own is not None:
            known = {seen.iso: (float(own[1, 0]), float(own[1, 1]))}
    return model_of(known)


def _offered(text: str | None, like: Path | None, kind: str) -> tuple[float, ...]:
    """What was given, else what the phone's card offers ("isos" or "seconds")."""
    given = numbers(text)
    if given:
        return given
    _, card = _card(like)
    return () if card is None else tuple(getattr(card, kind))


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
    from bruto.plan.stars import Lens, pixel_pitch, stars

    seen, card = _card(like)
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
        Lens(focal_35mm, f_number, pixel_um, focal_mm, width), _offered(offered, like, "seconds"), declination, total
    )
    lines = [f"{name}: {seconds:.1f} s" for name, seconds in found.rules.items()]
    lines += [f"to {aim}: {text}" for aim, text in found.advice.items()]
    _say(found.as_json(), as_json, lines)


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
    from bruto.plan.interval import as_json as told
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
    _say(told(plan, seen, names), as_json, [*lines, *(seen.said if seen else ())])


def _starts(folder: Path, exposure: float) -> tuple[list[float], list[str], float]:
    """When the raws of a folder that were exposed so long were taken, seconds since the first, their names, and
    megabytes of one.
    """
    from datetime import datetime

    from bruto.container.dng_reader import is_raw
    from bruto.container.glance import glance
    from bruto.files import explain

    told = []
    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng" and is_raw(p))
    except OSError as error:
        raise explain(error, folder, "read") from error
    for path in files:
        try:
            seen = glance(path)
            if not seen.exposure_s or 0.9 < seen.exposure_s / exposure < 1.1:  # others are test shots
                told.append((datetime.strptime((seen.taken or "")[:19], "%Y:%m:%d %H:%M:%S"), path))
        except (BrutoError, ValueError):
            continue
    if len(told) < 2:
        raise BrutoError(f"{folder.name} holds fewer than two raws of {exposure:g} s that tell when they were taken.")
    told.sort(key=lambda each: (each[0], each[1].name))
    size = sum(p.stat().st_size for _, p in told) / len(told) / 1e6
    return [(t - told[0][0]).total_seconds() for t, _ in told], [p.name for _, p in told], size


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


def _clock(text: str | None) -> str:
    return "–" if text is None else text[11:16]


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
        f"sun: sets {_clock(sun['set'])}, rises {_clock(sun['rise'])} ({where.clock_name})",
        f"moon: rises {_clock(moon['rise'])}, sets {_clock(moon['set'])}, {moon['illuminated_percent']:.0f} % lit",
        "dark: " + (", ".join(f"{_clock(d['from'])}–{_clock(d['to'])}" for d in found["dark"]) or "not at all"),
        f"pole: {found['pole']['altitude_deg']:.1f}° high, bearing {found['pole']['azimuth_deg']:.0f}°",
        f"target: highest {_clock(aim['highest'])} at {aim['altitude_deg']:.0f}°, bearing {aim['azimuth_deg']:.0f}°",
    ]
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    _say(found, as_json, lines)


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

    def told(some: list[dict[str, str]]) -> str:
        return ", ".join(f"{_clock(s['from'])}–{_clock(s['to'])}" for s in some) or "not at all"

    lines = [
        f"sun: rises {_clock(sun['rise'])}, highest {_clock(sun['highest'])} at {sun['altitude_deg']:.0f}°, sets "
        f"{_clock(sun['set'])} ({where.clock_name})",
        f"golden: {told(found['golden'])}", f"blue: {told(found['blue'])}",
    ]  # fmt: skip
    if facade is not None:
        lines.append(f"on the wall: {told(found['facade']['light'])}")
    if found["sun_state"]:
        lines.insert(1, found["sun_state"])
    _say(found, as_json, lines)


Isos = Annotated[str | None, typer.Option("--isos", help='ISOs that the phone offers, such as "50,100,200".')]
Times = Annotated[str | None, typer.Option("--times", help='Times that the phone offers, such as "1/50,1/25".')]
NoiseText = Annotated[str | None, typer.Option("--noise", help="Noise of its raws: ISO:a:b, one or more by commas.")]
Level = Annotated[float, typer.Option(help="Light of a middle grey in a test shot, of saturation (0..1).")]
TestIso = Annotated[float, typer.Option("--iso", help="ISO of the test shot.")]
TestTime = Annotated[str, typer.Option("--shutter", help="Time of the test shot, seconds.")]


@plan_app.command("ladder", help="Steps of ISO and time that are worth trying in a scene.")
def _ladder(
    level: Level, iso: TestIso, shutter: TestTime, isos: Isos = None, times: Times = None, noise: NoiseText = None,
    highlights: Annotated[float, typer.Option(help="EV over grey that shall still fit.")] = 2.0,
    like: LikeFile = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.noise import ladder, rate_of

    model = _model(like, noise)
    offered, some = _offered(isos, like, "isos"), _offered(times, like, "seconds")
    if not offered or not some:
        raise BrutoError("Give --isos and --times, or --like a raw of the phone.")
    if like is not None and not times:
        some = tuple(s for s in some if s >= number(shutter) / 8)
    kept, out = ladder(model, rate_of(level, iso, number(shutter)), offered, some, highlights)
    found = {"try": [s.as_json() for s in kept], "left_out": [s.as_json() for s in out]}
    lines = [
        f"☐ ISO {s.iso:g}, {s.seconds:g} s: shadows {s.snr_shadow:.1f} × their noise, {s.room_ev:.1f} EV to full"
        for s in kept
    ]
    _say(found, as_json, [*lines, f"{len(out)} steps are left out: they cannot differ visibly, or are full."])


@plan_app.command("lowlight", help="Tripod, burst or higher ISO: what each costs in noise, blur and time.")
def _low_light(
    level: Level, iso: TestIso, shutter: TestTime, isos: Isos = None, times: Times = None, noise: NoiseText = None,
    handheld: Annotated[str, typer.Option(help="Seconds at which half of your frames are blurred.")] = "1/15",
    frames: Annotated[int, typer.Option(min=2, max=1000, help="Frames of the burst.")] = 8,
    like: LikeFile = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.noise import low_light, rate_of

    answers = low_light(
        _model(like, noise), rate_of(level, iso, number(shutter)), _offered(isos, like, "isos"),
        _offered(times, like, "seconds"), number(handheld), frames=frames,
    )  # fmt: skip
    lines = [
        f"{a.name}: ISO {a.step.iso:g}, {a.step.seconds:.3g} s × {a.frames}: shadows {a.snr_shadow:.1f} × their noise, "
        f"{100 * a.blur_chance:.0f} % blurred, {a.total_s:.1f} s"
        for a in answers
    ]
    _say({"answers": [a.as_json() for a in answers]}, as_json, lines)


@plan_app.command("bracket", help="Which steps cover a scene, or that one frame is enough.")
def _bracket(
    file: Annotated[Path | None, typer.Argument(help="A test raw of the scene.")] = None,
    highlights: Annotated[float | None, typer.Option(help="EV of the scene's lights over grey.")] = None,
    shadows: Annotated[float | None, typer.Option(help="EV of its shadows, under grey negative.")] = None,
    noise: NoiseText = None,
    iso: Annotated[float | None, typer.Option(help="ISO of the bracket.")] = None,
    widest: Annotated[float, typer.Option(min=0.3, max=6, help="Widest step, EV.")] = 3.0,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.bracketing import scene_range
    from bruto.plan.noise import bracket

    full_percent, used = 0.0, iso
    if file is not None:
        seen = scene_range(file)
        highlights = seen.highlights_ev if highlights is None else highlights
        shadows = seen.shadows_ev if shadows is None else shadows
        full_percent, used = seen.full_percent, iso or seen.iso
    if highlights is None or shadows is None or used is None:
        raise BrutoError("Give a test raw, or --highlights, --shadows, --noise and --iso.")
    steps = bracket(_model(file, noise), used, highlights, shadows, widest)
    found = {
        "frames": len(steps), "ev": [round(s, 3) for s in steps], "iso": used,
        "highlights_ev": round(highlights, 2), "shadows_ev": round(shadows, 2),
        "full_percent": round(full_percent, 3), "one_is_enough": len(steps) == 1,
        "storage_times": len(steps),
    }  # fmt: skip
    text = "One frame is enough." if len(steps) == 1 else "Steps: " + ", ".join(f"{s:+.1f} EV" for s in steps)
    more = [f"{full_percent:.2f} % of this frame are full: the lights may reach higher."] if full_percent > 0.05 else []
    _say(found, as_json, [f"The scene reaches from {shadows:+.1f} to {highlights:+.1f} EV about grey.", text, *more])


@plan_app.command("size", help="Full against binned resolution, crops and prints.")
def _size(
    width: Annotated[int, typer.Option(min=1, help="Pixels across of the lens's own frame.")] = 4032,
    height: Annotated[int, typer.Option(min=1)] = 3024,
    zoom: Annotated[float, typer.Option(help="What a crop enlarges by.")] = 1.0,
    distance: Annotated[float, typer.Option(help="From which a print is looked at, metres.")] = 0.5,
    binned: Annotated[str | None, typer.Option(help="Noise a:b of the binned mode.")] = None,
    full: Annotated[str | None, typer.Option(help="Noise a:b of the full mode at the same ISO.")] = None,
    level: Annotated[float, typer.Option(help="Light that is looked at, of saturation.")] = 0.0225,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.noise import sizes
    from bruto.plan.optics import pixels_left, print_width_m

    w, h = pixels_left(zoom, width, height)
    found: dict[str, Any] = {
        "width": w, "height": h, "megapixels": round(w * h / 1e6, 2),
        "print_width_m": round(print_width_m(w, distance), 3),
    }  # fmt: skip
    lines = [f"{w} × {h} px are left; a print {found['print_width_m']:.2f} m wide shows no pixels at {distance:g} m."]
    if (binned is None) != (full is None):
        raise BrutoError("Give the noise of both modes, --binned a:b and --full a:b.")
    if binned is not None and full is not None:
        pairs = [[number(p) for p in t.split(":")] for t in (binned, full)]
        if any(len(p) != 2 for p in pairs):
            raise BrutoError("Noise is told as a:b, such as 1e-4:2e-6.")
        made = sizes((pairs[0][0], pairs[0][1]), (pairs[1][0], pairs[1][1]), level)
        found["noise"] = {k: round(v, 4) for k, v in made.items()}
        better = made["binned_better_by"]
        which = "binned" if better > 1 else "full"
        lines.append(f"At equal output size {which} is {max(better, 1 / better):.2f} × cleaner in this light.")
    _say(found, as_json, lines)


@plan_app.command("depth", help="What is sharp, and how far a background is blurred.")
def _depth(
    focal_mm: Annotated[float, typer.Option("--focal-mm")],
    focal_35mm: Annotated[float, typer.Option("--focal-35mm")],
    f_number: Annotated[float, typer.Option("--f-number")],
    distance: Annotated[float, typer.Option(help="Where it is focused, metres.")],
    background: Annotated[float | None, typer.Option(help="Distance of the background, metres.")] = None,
    width: Annotated[int, typer.Option(min=1)] = 4032,
    height: Annotated[int, typer.Option(min=1)] = 3024,
    add_on: Annotated[float, typer.Option("--add-on", help="Factor of an add-on lens.")] = 1.0,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.optics import depth

    made = depth(focal_mm, focal_35mm, f_number, distance, background, width, height, add_on)
    far = "without end" if made.far is None else f"{made.far:.2f} m"
    lines = [f"sharp from {made.near:.2f} m to {far}; from half of {made.hyperfocal:.2f} m on when focused there"]
    if made.disc_px is not None:
        lines.append(f"a point of the background is a disc of {made.disc_px:.1f} px")
    _say(made.as_json(), as_json, lines)


@plan_app.command("filter", help="Grey filters and the same by averaging, thread rings, stops that a filter takes.")
def _filter(
    shutter: Annotated[str | None, typer.Option(help="Time without the filter, seconds.")] = None,
    stops: Annotated[float | None, typer.Option(help="Of the grey filter.")] = None,
    times: Times = None,
    holder: Annotated[float | None, typer.Option(help="Thread of the holder, mm.")] = None,
    thread: Annotated[float | None, typer.Option(help="Thread of the filter, mm.")] = None,
    before: Annotated[float, typer.Option(help="Mm from the lens to the front of the filter.")] = 10.0,
    focal_35mm: Annotated[float | None, typer.Option("--focal-35mm")] = None,
    plain: Annotated[Path | None, typer.Option(help="A raw without the filter …")] = None,
    filtered: Annotated[Path | None, typer.Option(help="… and one with it, of the same scene.")] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.optics import grey_filter, rings, shades, stops_lost

    found: dict[str, Any] = {}
    lines = []
    if plain is not None and filtered is not None:
        from bruto.plan.bracketing import level_of

        lost = stops_lost(*level_of(plain), *level_of(filtered))
        found["stops_lost"] = round(lost, 2)
        lines.append(f"the filter takes {lost:.1f} stops")
        stops = lost if stops is None else stops
    elif (plain is None) != (filtered is None):
        raise BrutoError("Two raws are needed, --plain and --filtered.")
    if shutter is not None and stops is not None:
        made = grey_filter(number(shutter), stops, numbers(times))
        found["grey"] = {
            "seconds": round(made.seconds, 5), "offered_s": made.offered, "frames": made.frames,
            "bare_frames": made.bare_frames, "bare_s": made.bare,
        }  # fmt: skip
        lines.append(f"{made.seconds:.3g} s behind the filter; or the mean of {made.bare_frames} frames without it")
    if holder is not None and thread is not None:
        some = rings(holder, thread)
        found["rings_mm"] = [list(r) for r in some]
        lines.append("rings: " + (", ".join(f"{a:g} to {b:g} mm" for a, b in some) or "none is needed"))
    if thread is not None and focal_35mm is not None:
        narrow = shades(thread, before, focal_35mm)
        found["corners_shaded_mm"] = round(narrow, 2)
        lines.append("the corners are shaded" if narrow > 0 else f"the corners stay clear, by {-narrow:.1f} mm")
    if not found:
        raise BrutoError("Give --shutter and --stops, --holder and --thread, or --plain and --filtered.")
    _say(found, as_json, [*lines, CAUTION_FILTER])


CAUTION_FILTER = "Never look at the sun through a filter or a lens; grey and infrared filters do not protect eyes."


@plan_app.command("space", help="Room and time that a sequence takes.")
def _space(
    frames: Annotated[int, typer.Option(min=0, max=10_000_000)],
    mb_each: Annotated[float, typer.Option("--mb-each", help="Megabytes of a frame.")] = DEFAULT_MB,
    free_gb: Annotated[float | None, typer.Option("--free-gb", help="Free on the phone, GB.")] = None,
    folder: Annotated[Path | None, typer.Option(help="A mounted card, of which the free room is read.")] = None,
    save: Annotated[float | None, typer.Option(help="Seconds in which the phone saves a frame.")] = None,
    as_json: JsonFlag = False,
) -> None:
    import shutil

    from bruto.plan.space import space

    free = None if free_gb is None else free_gb * 1000
    if folder is not None:
        try:
            free = shutil.disk_usage(folder).free / 1e6
        except OSError as error:
            from bruto.files import explain

            raise explain(error, folder, "read") from error
    made = space(frames, mb_each, free, save)
    lines = [f"{frames} frames take {made.storage_mb / 1000:.2f} GB; copying takes about {made.copy_s / 60:.0f} min"]
    if made.fits is not None:
        lines.append("they fit" if made.fits else f"they do not fit: {made.most} would")
    _say(made.as_json(), as_json, lines)


@plan_app.command("exposure", help="The same exposure in other steps that the phone offers.")
def _exposure(
    iso: Annotated[float, typer.Option()], shutter: Annotated[str, typer.Option(help="Seconds.")],
    ev: Annotated[float, typer.Option(help="EV more (or less) than that.")] = 0.0,
    isos: Isos = None, times: Times = None, like: LikeFile = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.exposure import Setting, equivalents
    from bruto.plan.exposure import as_json as told

    wanted = Setting(iso, number(shutter))
    found = equivalents(wanted, _offered(isos, like, "isos"), _offered(times, like, "seconds"), ev)
    lines = [f"ISO {s.setting.iso:g}, {s.setting.seconds:.4g} s ({s.ev:+.2f} EV)" for s in found]
    _say(told(wanted, found), as_json, lines)


@plan_app.command("new", help="A plan to be changed: a JSON file with a place, a date and a list of wishes.")
def _new(output: Annotated[Path, typer.Option("-o", "--output")], overwrite: OverwriteFlag = False) -> None:
    from bruto.plan.wishes import as_bytes, example
    from bruto.publish import write_new
    from bruto.storage.outputs import Outputs

    if output.suffix.lower() != ".json":
        raise BrutoError(f"A plan is a JSON file: let the name end in .json, not '{output.name}'.")
    write_new(Outputs([], overwrite=overwrite).file(output), as_bytes(example()))
    typer.echo(shown(f"{output}: change it, then print it with `bruto plan list`"))


@plan_app.command("list", help="The shot list of a plan as a page that prints, or what became of it.")
def _list(
    plan: Path,
    output: Annotated[Path | None, typer.Option("-o", "--output", help=".html or .pdf")] = None,
    night: Annotated[bool, typer.Option("--night", help="Red on black, for eyes that are used to the dark.")] = False,
    taken: Annotated[Path | None, typer.Option(help="Folder of the shots that were taken.")] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    from dataclasses import asdict

    from bruto.plan.wishes import load_plan, matched, shot_list, summary

    found = load_plan(plan)
    told: dict[str, Any] = {"name": found.name, "wishes": [asdict(w) for w in found.wishes], "output": None}
    lines = []
    if output is not None:
        _print_list(output, shot_list(found, _facts(found), night), plan, night, overwrite)
        told["output"] = str(output)
        lines.append(f"{len(found.wishes)} wishes → {output}")
    if taken is not None:
        became = matched(found, _shots(taken))
        told["became"] = [
            {"title": b.wish.title, "state": b.state, "shots": [s.name for s in b.shots], "said": b.said}
            for b in became
        ]
        told["summary"] = asdict(summary(became))
        lines += [f"{b.wish.title}: {b.state}" + (f" ({b.said})" if b.said else "") for b in became]
    if output is None and taken is None:
        lines += [f"☐ {w.title}" for w in found.wishes]
    _say(told, as_json, lines)


def _print_list(output: Path, page: str, plan: Path, night: bool, overwrite: bool) -> None:
    """Write a page as HTML or PDF."""
    from bruto.publish import write_new
    from bruto.storage.outputs import Outputs

    kind = output.suffix.lower()
    if kind not in (".html", ".pdf"):
        raise BrutoError(f"A shot list is .html or .pdf: let the name end so, not '{output.name}'.")
    target = Outputs([plan], overwrite=overwrite).file(output)
    if kind == ".pdf":
        print_page(page, target, night)
    else:
        write_new(target, page.encode("utf-8", "surrogatepass"))


def _facts(plan: Any) -> list[str]:
    """What the night or the day of a plan offers, for its page."""
    from bruto.plan.night import night
    from bruto.plan.place import parsed_date

    found = night(plan.where, parsed_date(plan.date)).as_json()
    sun, moon = found["sun"], found["moon"]
    facts = [f"Sun sets {_clock(sun['set'])}, rises {_clock(sun['rise'])}"]
    if found["sun_state"]:
        facts = [found["sun_state"][:1].upper() + found["sun_state"][1:]]
    facts.append(
        f"Moon rises {_clock(moon['rise'])}, sets {_clock(moon['set'])}, {moon['illuminated_percent']:.0f} % lit"
    )
    dark = ", ".join(f"{_clock(d['from'])}–{_clock(d['to'])}" for d in found["dark"])
    facts.append(f"Dark {dark}" if dark else "It does not become dark without the moon")
    return facts


def _shots(folder: Path) -> list[Any]:
    """What the raws of a folder tell of themselves."""
    from bruto.container.glance import glance
    from bruto.files import explain
    from bruto.plan.wishes import Shot

    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".dng")
    except OSError as error:
        raise explain(error, folder, "read") from error
    found = []
    for path in files:
        try:
            seen = glance(path)
        except BrutoError:
            continue
        found.append(Shot(path.name, seen.iso, seen.exposure_s, seen.focal_35mm))
    return found

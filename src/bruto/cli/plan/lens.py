"""Lenses, filters and room: `bruto plan depth|filter|space`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import DEFAULT_MB, Times, number, numbers, say
from bruto.errors import BrutoError


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
    say(made.as_json(), as_json, lines)


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
        from bruto.sensor.scene_range import level_of

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
    say(found, as_json, [*lines, CAUTION_FILTER])


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

    from bruto.plan.storage_need import space

    free = None if free_gb is None else free_gb * 1000
    if folder is not None:
        try:
            free = shutil.disk_usage(folder).free / 1e6
        except OSError as error:
            from bruto.storage.safe_read import explain

            raise explain(error, folder, "read") from error
    made = space(frames, mb_each, free, save)
    lines = [f"{frames} frames take {made.storage_mb / 1000:.2f} GB; copying takes about {made.copy_s / 60:.0f} min"]
    if made.fits is not None:
        lines.append("they fit" if made.fits else f"they do not fit: {made.most} would")
    say(made.as_json(), as_json, lines)

"""Lenses, filters and room: `bruto plan depth|filter|space`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import tr, trn
from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import DEFAULT_MB, Times, number, numbers, say
from bruto.errors import BrutoError


@plan_app.command("depth", help=tr("Depth of field, and how far the background is blurred."))
def _depth(
    focal_mm: Annotated[float, typer.Option("--focal-mm")],
    focal_35mm: Annotated[float, typer.Option("--focal-35mm")],
    f_number: Annotated[float, typer.Option("--f-number")],
    distance: Annotated[float, typer.Option(help=tr("Focus distance, metres."))],
    background: Annotated[float | None, typer.Option(help=tr("Distance of the background, metres."))] = None,
    width: Annotated[int, typer.Option(min=1)] = 4032,
    height: Annotated[int, typer.Option(min=1)] = 3024,
    add_on: Annotated[float, typer.Option("--add-on", help=tr("Factor of an add-on lens."))] = 1.0,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.optics import depth

    made = depth(focal_mm, focal_35mm, f_number, distance, background, width, height, add_on)
    far = tr("infinity") if made.far is None else f"{made.far:.2f} m"
    lines = [
        tr(
            "sharp from {near:.2f} m to {far}; focused at {hyperfocal:.2f} m, sharp from half of that",
            near=made.near,
            far=far,
            hyperfocal=made.hyperfocal,
        )
    ]
    if made.disc_px is not None:
        lines.append(tr("a background point becomes a disc of {disc_px:.1f} px", disc_px=made.disc_px))
    say(made.as_json(), as_json, lines)


@plan_app.command(
    "filter", help=tr("Grey filters, averaging instead of one, filter rings, and the stops a filter costs.")
)
def _filter(
    shutter: Annotated[str | None, typer.Option(help=tr("Exposure time without the filter, seconds."))] = None,
    stops: Annotated[float | None, typer.Option(help=tr("Stops of the grey filter."))] = None,
    times: Times = None,
    holder: Annotated[float | None, typer.Option(help=tr("Thread of the holder, mm."))] = None,
    thread: Annotated[float | None, typer.Option(help=tr("Thread of the filter, mm."))] = None,
    before: Annotated[float, typer.Option(help=tr("Distance from the lens to the front of the filter, mm."))] = 10.0,
    focal_35mm: Annotated[float | None, typer.Option("--focal-35mm")] = None,
    plain: Annotated[Path | None, typer.Option(help=tr("A raw without the filter…"))] = None,
    filtered: Annotated[Path | None, typer.Option(help=tr("…and one with it, of the same scene."))] = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.optics import grey_filter, rings, shades, stops_lost

    found: dict[str, Any] = {}
    lines = []
    if plain is not None and filtered is not None:
        from bruto.sensor.scene_range import level_of

        lost = stops_lost(*level_of(plain), *level_of(filtered))
        found["stops_lost"] = round(lost, 2)
        lines.append(tr("the filter costs {lost:.1f} stops", lost=lost))
        stops = lost if stops is None else stops
    elif (plain is None) != (filtered is None):
        raise BrutoError(tr("Give two raws: --plain and --filtered."))
    if shutter is not None and stops is not None:
        made = grey_filter(number(shutter), stops, numbers(times))
        found["grey"] = {
            "seconds": round(made.seconds, 5), "offered_s": made.offered, "frames": made.frames,
            "bare_frames": made.bare_frames, "bare_s": made.bare,
        }  # fmt: skip
        lines.append(
            tr(
                "{seconds:.3g} s behind the filter, or the mean of {bare_frames} frames without it",
                seconds=made.seconds,
                bare_frames=made.bare_frames,
            )
        )
    if holder is not None and thread is not None:
        some = rings(holder, thread)
        found["rings_mm"] = [list(r) for r in some]
        lines.append("rings: " + (", ".join(tr("{a:g} to {b:g} mm", a=a, b=b) for a, b in some) or tr("none needed")))
    if thread is not None and focal_35mm is not None:
        narrow = shades(thread, before, focal_35mm)
        found["corners_shaded_mm"] = round(narrow, 2)
        lines.append(
            tr("the corners are shaded")
            if narrow > 0
            else tr("the corners stay clear by {narrow:.1f} mm", narrow=-narrow)
        )
    if not found:
        raise BrutoError(tr("Give --shutter and --stops, --holder and --thread, or --plain and --filtered."))
    say(found, as_json, [*lines, CAUTION_FILTER])


CAUTION_FILTER = tr("Never look at the sun through a filter or a lens; grey and infrared filters do not protect eyes.")


@plan_app.command("space", help=tr("Storage and time a sequence takes."))
def _space(
    frames: Annotated[int, typer.Option(min=0, max=10_000_000)],
    mb_each: Annotated[float, typer.Option("--mb-each", help=tr("Megabytes per frame."))] = DEFAULT_MB,
    free_gb: Annotated[float | None, typer.Option("--free-gb", help=tr("Free storage on the phone, GB."))] = None,
    folder: Annotated[Path | None, typer.Option(help=tr("A mounted card whose free storage is read."))] = None,
    save: Annotated[float | None, typer.Option(help=tr("Seconds the phone needs to save a frame."))] = None,
    as_json: JsonFlag = False,
) -> None:
    import shutil

    from bruto.plan.storage_need import space

    free = None if free_gb is None else free_gb * 1000
    if folder is not None:
        try:
            free = shutil.disk_usage(folder).free / 1e6
        except OSError as error:
            from bruto.storage.safe_read import FileAction, explain

            raise explain(error, folder, FileAction.READ) from error
    made = space(frames, mb_each, free, save)
    lines = [
        trn(
            "{frames} frame takes {storage_mb:.2f} GB; copying takes about {copy_s:.0f} min",
            "{frames} frames take {storage_mb:.2f} GB; copying takes about {copy_s:.0f} min",
            frames=frames,
            storage_mb=made.storage_mb / 1000,
            copy_s=made.copy_s / 60,
        )
    ]
    if made.fits is not None:
        lines.append(tr("they fit") if made.fits else tr("they do not fit; {most} would", most=made.most))
    say(made.as_json(), as_json, lines)

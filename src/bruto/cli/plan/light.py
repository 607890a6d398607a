"""Exposure and noise: `bruto plan ladder|lowlight|bracket|size|exposure`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import tr, trn
from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import PhoneFrom, Times, noise_model, number, offers, say
from bruto.errors import BrutoError

Isos = Annotated[str | None, typer.Option("--isos", help=tr('ISOs the phone offers, for example "50,100,200".'))]
NoiseText = Annotated[
    str | None, typer.Option("--noise", help=tr("Noise of its raws as ISO:a:b, one or more, separated by commas."))
]
Level = Annotated[float, typer.Option(help=tr("Light of a mid-grey in a test shot, share of saturation (0..1)."))]
TestIso = Annotated[float, typer.Option("--iso", help=tr("ISO of the test shot."))]
TestTime = Annotated[str, typer.Option("--shutter", help=tr("Exposure time of the test shot, seconds."))]


@plan_app.command("ladder", help=tr("Steps of ISO and time worth trying in a scene."))
def _ladder(
    level: Level, iso: TestIso, shutter: TestTime, isos: Isos = None, times: Times = None, noise: NoiseText = None,
    highlights: Annotated[float, typer.Option(help=tr("EV above grey that must not clip."))] = 2.0,
    like: PhoneFrom = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.noise import ladder, rate_of

    model = noise_model(like, noise)
    offered, some = offers(isos, like, "isos"), offers(times, like, "seconds")
    if not offered or not some:
        raise BrutoError(tr("Give --isos and --times, or --phone-from with a raw of the phone."))
    if like is not None and not times:
        some = tuple(s for s in some if s >= number(shutter) / 8)
    worth_trying, out = ladder(model, rate_of(level, iso, number(shutter)), offered, some, highlights)
    found = {"try": [s.as_json() for s in worth_trying], "left_out": [s.as_json() for s in out]}
    lines = [
        tr(
            "☐ ISO {iso:g}, {seconds:g} s: shadows {snr_shadow:.1f} × their noise, {headroom_ev:.1f} EV to clipping",
            iso=s.iso,
            seconds=s.seconds,
            snr_shadow=s.snr_shadow,
            headroom_ev=s.headroom_ev,
        )
        for s in worth_trying
    ]
    say(
        found,
        as_json,
        [
            *lines,
            trn(
                "{out_count} step is left out: it clips or would not differ visibly.",
                "{out_count} steps are left out: they clip or would not differ visibly.",
                out_count=len(out),
            ),
        ],
    )


@plan_app.command("lowlight", help=tr("Tripod, burst or higher ISO: what each costs in noise, blur and time."))
def _low_light(
    level: Level, iso: TestIso, shutter: TestTime, isos: Isos = None, times: Times = None, noise: NoiseText = None,
    handheld: Annotated[str, typer.Option(help=tr("Exposure time at which half of your frames are blurred, "
                                                  "seconds."))] = "1/15",
    frames: Annotated[int, typer.Option(min=2, max=1000, help=tr("Number of frames of the burst."))] = 8,
    like: PhoneFrom = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.noise import low_light, rate_of

    answers = low_light(
        noise_model(like, noise), rate_of(level, iso, number(shutter)), offers(isos, like, "isos"),
        offers(times, like, "seconds"), number(handheld), frames=frames,
    )  # fmt: skip
    lines = [
        tr(
            "{name}: ISO {iso:g}, {seconds:.3g} s × {frames}: shadows {snr_shadow:.1f} × their noise, "
            "{blur_chance:.0f} % blurred, {total_s:.1f} s",
            name=a.name,
            iso=a.step.iso,
            seconds=a.step.seconds,
            frames=a.frames,
            snr_shadow=a.snr_shadow,
            blur_chance=100 * a.blur_chance,
            total_s=a.total_s,
        )
        for a in answers
    ]
    say({"answers": [a.as_json() for a in answers]}, as_json, lines)


@plan_app.command("bracket", help=tr("Which exposures cover a scene, or that one frame is enough."))
def _bracket(
    file: Annotated[Path | None, typer.Argument(help=tr("A test raw of the scene."))] = None,
    highlights: Annotated[float | None, typer.Option(help=tr("EV of the scene's highlights above grey."))] = None,
    shadows: Annotated[float | None, typer.Option(help=tr("EV of its shadows, negative below grey."))] = None,
    noise: NoiseText = None,
    iso: Annotated[float | None, typer.Option(help=tr("ISO of the bracket."))] = None,
    widest: Annotated[float, typer.Option(min=0.3, max=6, help=tr("Widest step, EV."))] = 3.0,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.noise import bracket
    from bruto.sensor.scene_range import scene_range

    clipped_percent, used = 0.0, iso
    if file is not None:
        seen = scene_range(file)
        highlights = seen.highlights_ev if highlights is None else highlights
        shadows = seen.shadows_ev if shadows is None else shadows
        clipped_percent, used = seen.clipped_percent, iso or seen.iso
    if highlights is None or shadows is None or used is None:
        raise BrutoError(tr("Give a test raw, or --highlights, --shadows, --noise and --iso."))
    steps = bracket(noise_model(file, noise), used, highlights, shadows, widest)
    found = {
        "frames": len(steps), "ev": [round(s, 3) for s in steps], "iso": used,
        "highlights_ev": round(highlights, 2), "shadows_ev": round(shadows, 2),
        "clipped_percent": round(clipped_percent, 3), "single_frame_suffices": len(steps) == 1,
        "storage_factor": len(steps),
        # as version 0.1 called them
        "full_percent": round(clipped_percent, 3), "one_is_enough": len(steps) == 1, "storage_times": len(steps),
    }  # fmt: skip
    text = (
        tr("One frame is enough.")
        if len(steps) == 1
        else tr("Steps: ") + ", ".join(tr("{s:+.1f} EV", s=s) for s in steps)
    )
    more = (
        [
            tr(
                "{clipped_percent:.2f} % of this frame are clipped: the highlights may reach higher.",
                clipped_percent=clipped_percent,
            )
        ]
        if clipped_percent > 0.05
        else []
    )
    say(
        found,
        as_json,
        [
            tr(
                "The scene reaches from {shadows:+.1f} to {highlights:+.1f} EV around grey.",
                shadows=shadows,
                highlights=highlights,
            ),
            text,
            *more,
        ],
    )


@plan_app.command("size", help=tr("Full against binned resolution, crops and prints."))
def _size(
    width: Annotated[int, typer.Option(min=1, help=tr("Width of the lens's own frame, pixels."))] = 4032,
    height: Annotated[int, typer.Option(min=1)] = 3024,
    zoom: Annotated[float, typer.Option(help=tr("Magnification of a crop."))] = 1.0,
    distance: Annotated[float, typer.Option(help=tr("Viewing distance of a print, metres."))] = 0.5,
    binned: Annotated[str | None, typer.Option(help=tr("Noise a:b of the binned mode."))] = None,
    full: Annotated[str | None, typer.Option(help=tr("Noise a:b of the full-resolution mode at the same ISO."))] = None,
    level: Annotated[float, typer.Option(help=tr("Light to judge, share of saturation."))] = 0.0225,
    as_json: JsonFlag = False,
) -> None:
    from bruto.plan.noise import sizes
    from bruto.plan.optics import pixels_left, print_width_m

    w, h = pixels_left(zoom, width, height)
    found: dict[str, Any] = {
        "width": w, "height": h, "megapixels": round(w * h / 1e6, 2),
        "print_width_m": round(print_width_m(w, distance), 3),
    }  # fmt: skip
    lines = [
        tr(
            "{w} × {h} px remain; a print {print_width_m:.2f} m wide shows no pixels at {distance:g} m.",
            w=w,
            h=h,
            print_width_m=found["print_width_m"],
            distance=distance,
        )
    ]
    if (binned is None) != (full is None):
        raise BrutoError(tr("Give the noise of both modes, --binned a:b and --full a:b."))
    if binned is not None and full is not None:
        pairs = [[number(p) for p in t.split(":")] for t in (binned, full)]
        if any(len(p) != 2 for p in pairs):
            raise BrutoError(tr("Give noise as a:b, for example 1e-4:2e-6."))
        made = sizes((pairs[0][0], pairs[0][1]), (pairs[1][0], pairs[1][1]), level)
        found["noise"] = {k: round(v, 4) for k, v in made.items()}
        better = made["binned_better_by"]
        which = "binned" if better > 1 else "full"
        lines.append(
            tr(
                "At equal output size {which} is {better:.2f} × cleaner in this light.",
                which=which,
                better=max(better, 1 / better),
            )
        )
    say(found, as_json, lines)


@plan_app.command("exposure", help=tr("The same exposure in other steps the phone offers."))
def _exposure(
    iso: Annotated[float, typer.Option()], shutter: Annotated[str, typer.Option(help=tr("Exposure time, seconds."))],
    ev: Annotated[float, typer.Option(help=tr("EV more (or less) than that."))] = 0.0,
    isos: Isos = None, times: Times = None, like: PhoneFrom = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.exposure import ExposureSetting, equivalents
    from bruto.plan.exposure import as_json as as_dict

    wanted = ExposureSetting(iso, number(shutter))
    found = equivalents(wanted, offers(isos, like, "isos"), offers(times, like, "seconds"), ev)
    lines = [
        tr("ISO {iso:g}, {seconds:.4g} s ({ev:+.2f} EV)", iso=s.setting.iso, seconds=s.setting.seconds, ev=s.ev)
        for s in found
    ]
    say(as_dict(wanted, found), as_json, lines)

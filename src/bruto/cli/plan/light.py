"""Exposure and noise: `bruto plan ladder|lowlight|bracket|size|exposure`."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, plan_app
from bruto.cli.plan.options import LikeFile, Times, noise_model, number, offers, say
from bruto.errors import BrutoError

Isos = Annotated[str | None, typer.Option("--isos", help='ISOs that the phone offers, such as "50,100,200".')]
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

    model = noise_model(like, noise)
    offered, some = offers(isos, like, "isos"), offers(times, like, "seconds")
    if not offered or not some:
        raise BrutoError("Give --isos and --times, or --like a raw of the phone.")
    if like is not None and not times:
        some = tuple(s for s in some if s >= number(shutter) / 8)
    worth_trying, out = ladder(model, rate_of(level, iso, number(shutter)), offered, some, highlights)
    found = {"try": [s.as_json() for s in worth_trying], "left_out": [s.as_json() for s in out]}
    lines = [
        f"☐ ISO {s.iso:g}, {s.seconds:g} s: shadows {s.snr_shadow:.1f} × their noise, {s.headroom_ev:.1f} EV to full"
        for s in worth_trying
    ]
    say(found, as_json, [*lines, f"{len(out)} steps are left out: they cannot differ visibly, or are full."])


@plan_app.command("lowlight", help="Tripod, burst or higher ISO: what each costs in noise, blur and time.")
def _low_light(
    level: Level, iso: TestIso, shutter: TestTime, isos: Isos = None, times: Times = None, noise: NoiseText = None,
    handheld: Annotated[str, typer.Option(help="Seconds at which half of your frames are blurred.")] = "1/15",
    frames: Annotated[int, typer.Option(min=2, max=1000, help="Frames of the burst.")] = 8,
    like: LikeFile = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.noise import low_light, rate_of

    answers = low_light(
        noise_model(like, noise), rate_of(level, iso, number(shutter)), offers(isos, like, "isos"),
        offers(times, like, "seconds"), number(handheld), frames=frames,
    )  # fmt: skip
    lines = [
        f"{a.name}: ISO {a.step.iso:g}, {a.step.seconds:.3g} s × {a.frames}: shadows {a.snr_shadow:.1f} × their noise, "
        f"{100 * a.blur_chance:.0f} % blurred, {a.total_s:.1f} s"
        for a in answers
    ]
    say({"answers": [a.as_json() for a in answers]}, as_json, lines)


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
    from bruto.plan.noise import bracket
    from bruto.sensor.scene_range import scene_range

    clipped_percent, used = 0.0, iso
    if file is not None:
        seen = scene_range(file)
        highlights = seen.highlights_ev if highlights is None else highlights
        shadows = seen.shadows_ev if shadows is None else shadows
        clipped_percent, used = seen.clipped_percent, iso or seen.iso
    if highlights is None or shadows is None or used is None:
        raise BrutoError("Give a test raw, or --highlights, --shadows, --noise and --iso.")
    steps = bracket(noise_model(file, noise), used, highlights, shadows, widest)
    found = {
        "frames": len(steps), "ev": [round(s, 3) for s in steps], "iso": used,
        "highlights_ev": round(highlights, 2), "shadows_ev": round(shadows, 2),
        "full_percent": round(clipped_percent, 3), "one_is_enough": len(steps) == 1,
        "storage_times": len(steps),
    }  # fmt: skip
    text = "One frame is enough." if len(steps) == 1 else "Steps: " + ", ".join(f"{s:+.1f} EV" for s in steps)
    more = (
        [f"{clipped_percent:.2f} % of this frame are full: the lights may reach higher."]
        if clipped_percent > 0.05
        else []
    )
    say(found, as_json, [f"The scene reaches from {shadows:+.1f} to {highlights:+.1f} EV about grey.", text, *more])


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
    say(found, as_json, lines)


@plan_app.command("exposure", help="The same exposure in other steps that the phone offers.")
def _exposure(
    iso: Annotated[float, typer.Option()], shutter: Annotated[str, typer.Option(help="Seconds.")],
    ev: Annotated[float, typer.Option(help="EV more (or less) than that.")] = 0.0,
    isos: Isos = None, times: Times = None, like: LikeFile = None, as_json: JsonFlag = False,
) -> None:  # fmt: skip
    from bruto.plan.exposure import ExposureSetting, equivalents
    from bruto.plan.exposure import as_json as as_dict

    wanted = ExposureSetting(iso, number(shutter))
    found = equivalents(wanted, offers(isos, like, "isos"), offers(times, like, "seconds"), ev)
    lines = [f"ISO {s.setting.iso:g}, {s.setting.seconds:.4g} s ({s.ev:+.2f} EV)" for s in found]
    say(as_dict(wanted, found), as_json, lines)

"""The command line: every task without a window. Exit 0 done, 1 the work failed, 2 wrong usage."""

from __future__ import annotations

import io
import json
import os
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.errors import BrutoError
from bruto.files import explain
from bruto.logged import unexpected
from bruto.publish import clean_leftovers
from bruto.terminal import ProgressLine, print_json, say, shown

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Sees what a phone's raw file really holds, develops it with a reason behind every value, compares and "
    "merges.",
)
merge_app = typer.Typer(help="Merge several raws into one better raw (a linear DNG).", no_args_is_help=True)
app.add_typer(merge_app, name="merge")

OverwriteFlag = Annotated[
    bool, typer.Option("--overwrite", help="Replace an existing file. Originals are not replaced all the same.")
]
JsonFlag = Annotated[bool, typer.Option("--json", help="Print one JSON object on stdout and nothing else.")]


@app.command()
def inspect(file: Path, as_json: JsonFlag = False) -> None:
    """Say what a raw file contains."""
    import numpy as np

    from bruto.container.dng_reader import read_dng

    frame = read_dng(file)
    m = frame.meta
    used = (
        len(np.unique(frame.codes[::1, ::1]))
        if frame.codes.dtype.kind == "f"
        else int(np.count_nonzero(np.bincount(frame.codes.ravel(), minlength=2)))
    )
    maps = [
        {
            "kind": "lens shading",
            "list": 2,
            "plane": g.plane,
            "size": list(g.gains.shape[:2]),
            "gain": [float(g.gains.min()), float(g.gains.max())],
        }
        for g in m.gain_maps
    ]
    for profile in m.profiles:
        table = profile.gain_table
        if table is not None:
            v, h, n = table.gains.shape
            maps.append(
                {
                    "kind": "local gain table",
                    "profile": profile.name,
                    "size": [v, h, n],
                    "gain": [float(table.gains.min()), float(table.gains.max())],
                }
            )
    data = {
        "kind": m.kind,
        "width": m.width,
        "height": m.height,
        "bits_container": m.bits_container,
        "levels_used": used,
        "compression": m.compression,
        "cfa": m.cfa,
        "black": m.black.ravel().tolist(),
        "white": m.white.tolist(),
        "active_area": list(m.active_area),
        "default_crop": list(m.default_crop),
        "orientation": m.orientation,
        "iso": m.iso,
        "exposure_s": m.exposure_s,
        "f_number": m.f_number,
        "focal_mm": m.focal_mm,
        "focal_35mm": m.focal_35mm,
        "taken": m.taken,
        "make": m.make,
        "model": m.model,
        "preview": {"width": m.preview_size[0], "height": m.preview_size[1]} if m.preview_size else None,
        "maps": maps,
        "opcodes": list(m.opcodes),
        "warnings": list(m.warnings),
        "as_shot_neutral": m.as_shot_neutral.tolist(),
        "baseline_exposure_ev": m.baseline_exposure,
        "noise_profile": None if m.noise_profile is None else m.noise_profile.tolist(),
    }
    if as_json:
        print_json(data)
        return
    for key, value in data.items():
        if key == "maps":
            value = ", ".join(str(q["kind"]) for q in maps) if maps else "none"
        typer.echo(shown(f"{key.replace('_', ' '):22} {value}"))


@app.command()
def measure(file: Path, as_json: JsonFlag = False) -> None:
    """Measure clipping, headroom, noise and range of a raw, with advice for the next shot."""
    from bruto.phones.card import offer_for
    from bruto.sensor.measures import measured

    r = measured(file, offer_for(file))
    data = {
        "clipped_percent": r.clipped_percent,
        "headroom_ev": r.headroom_ev,
        "effective_bits": r.effective_bits,
        "levels_used": r.levels_used,
        "noise": {
            "a": r.noise[0],
            "b": r.noise[1],
            "source": r.noise_source,
            "measured_a": r.noise_measured[0],
            "measured_b": r.noise_measured[1],
        },
        "dynamic_range_ev": r.dynamic_range_ev,
        "shadow_lift_ev": r.shadow_lift_ev,
        "shadow_lift_screen_ev": r.shadow_lift_screen_ev,
        "noise_channels": [{"a": a, "b": b} for a, b in r.noise_channels],
        "noise_interval": list(r.noise_interval),
        "edge_blur_px": r.edge_blur_px,
        "motion_px": r.motion_px,
        "motion_degrees": r.motion_degrees,
        "hot_sites": r.hot_sites,
        "veil_at_most_percent": None if r.veil_at_most is None else 100 * r.veil_at_most,
        "smear_suspected": r.smeared,
        "leak": r.leak,
        "preview_offset_ev": r.preview_offset_ev,
        "middle_ev": r.middle_ev,
        "preview_clipped_percent": r.preview_clipped_percent,
        "advice": [a.__dict__ for a in r.advice],
    }
    if as_json:
        print_json(data)
        return
    c = r.clipped_percent
    typer.echo(
        f"full            red {c['r']:.2f} %, green {c['g']:.2f} %, blue {c['b']:.2f} %, any {c['any']:.2f} %, all "
        f"{c['all']:.2f} %"
    )
    typer.echo(f"headroom        {r.headroom_ev:.2f} EV")
    typer.echo(f"levels          {r.levels_used} codes, {r.effective_bits:.2f} bits between black and white")
    typer.echo(f"noise           variance = {r.noise[0]:.3e} x + {r.noise[1]:.3e} (from the {r.noise_source})")
    typer.echo(f"dynamic range   {r.dynamic_range_ev:.1f} EV to signal = noise")
    typer.echo(
        f"shadow lift     {r.shadow_lift_ev:.1f} EV at 1:1, {r.shadow_lift_screen_ev:.1f} EV at 1280 px, to signal "
        f"/ noise 4"
    )
    for a in r.advice:
        typer.echo(f"{a.topic:15} {a.text}")


@app.command()
def develop(
    files: list[Path],
    output: Annotated[Path, typer.Option("-o", "--output", help="A file, or a folder for several.")],
    recipe: Annotated[Path | None, typer.Option(help="Recipe or sidecar (JSON).")] = None,
    kept: Annotated[str | None, typer.Option(help="Name of a version that was kept beside each file.")] = None,
    auto: Annotated[bool, typer.Option("--auto", help="Take all suggestions.")] = False,
    neutral: Annotated[
        bool, typer.Option("--neutral", help="Colour only: no tone, noise reduction or sharpening.")
    ] = False,
    space: str = "srgb",
    long_edge: int | None = None,
    bits: int = 8,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Develop raws or pictures to finished pictures. Originals are never replaced."""
    from bruto.container.ahead import read_ahead

    first = files[0]
    ahead = read_ahead(first)  # while all that follows is loaded
    from bruto.deliver.encoders import check_ticket
    from bruto.deliver.jobs import deliver
    from bruto.deliver.ticket import Ticket
    from bruto.develop.pipeline import Developer
    from bruto.develop.recipe import Recipe, load_recipe
    from bruto.develop.suggest.suggesting import suggest_all, take_all
    from bruto.shoot.sidecar import load_sidecar
    from bruto.storage.outputs import Outputs

    if sum((recipe is not None, kept is not None, auto, neutral)) > 1:
        raise typer.BadParameter("choose one of --recipe, --kept, --auto and --neutral")
    ticket = Ticket(space, bits, long_edge)
    folder = len(files) > 1 or output.is_dir()
    if folder and not output.is_dir():
        raise BrutoError(f"{output} is not a folder; several files need one to go to.")
    outputs = Outputs([*files, *([recipe] if recipe is not None else [])], overwrite=overwrite)
    suffix = ".tif" if space == "linear" else ".jpg"
    check_ticket(Path("any" + suffix) if folder else output, ticket)
    given = load_recipe(recipe) if recipe is not None else None

    def values(file: Path) -> Recipe | Callable[[Developer], Recipe]:
        if given is not None:
            return given
        if auto:
            return lambda developer: take_all(Recipe(), suggest_all(developer))
        if neutral:
            return Recipe()
        side, problem = load_sidecar(file)
        if problem:
            say(problem)
        return side.recipe if kept is None else side.version(kept)

    results, failed = [], []
    for file in files:
        began = time.perf_counter()
        try:
            target = outputs.in_folder(output, file.stem + suffix) if folder else outputs.file(output)
            where, chosen = deliver(
                file, target, values(file), ticket,
                neutral_look=neutral, ahead=ahead if file is first else None,
                progress=partial(ProgressLine(), text=shown(file.name)),
                renamed=partial(outputs.in_folder, output, file.stem + suffix) if folder else None,
            )  # fmt: skip
        except BrutoError as error:  # the others are not to blame
            if len(files) == 1:
                raise
            say(f"bruto: {error}")
            failed.append({"file": str(file), "reason": str(error)})
            continue
        results.append(
            {
                "file": str(file),
                "output": str(where),
                "seconds": time.perf_counter() - began,
                "recipe": chosen.model_dump(by_alias=True),
            }
        )
        if not as_json:
            typer.echo(shown(f"{file} → {where}"))
    if as_json:
        print_json({"developed": results, "failed": failed})
    if failed:
        raise BrutoError(f"{len(failed)} of {len(files)} files could not be developed; the others are done.")


@app.command()
def compare(
    first: Path,
    second: Path,
    push: Annotated[Path | None, typer.Option(help="Recipe applied to both.")] = None,
    report: Annotated[Path | None, typer.Option(help="One page about both: .html, .pdf or .csv.")] = None,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Compare two files of one scene: raw, merged or picture."""
    from bruto.compare.metrics import COMPARE_EDGE, sentences
    from bruto.compare.metrics import compare as compare_pictures
    from bruto.compare.push import cannot_act
    from bruto.compare.report import Compared, write_report
    from bruto.compare.sides import side_of
    from bruto.develop.recipe import load_recipe
    from bruto.storage.outputs import Outputs

    pushing = None if push is None else load_recipe(push)
    if pushing is not None and cannot_act(pushing):
        typer.echo(f"Left out of the push, as no finished picture has it: {', '.join(cannot_act(pushing))}", err=True)
    target = None
    if report is not None:
        if report.suffix.lower() not in (".html", ".pdf", ".csv"):
            raise BrutoError(f"A report ends in .html, .pdf or .csv, and not in '{report.suffix}'.")
        target = Outputs([first, second], overwrite=overwrite).file(report)
    sides = [side_of(path, values_beside(path), pushing) for path in (first, second)]
    c = compare_pictures(sides[0].whole(COMPARE_EDGE), sides[1].whole(COMPARE_EDGE))
    if target is not None:
        write_report(target, Compared(c, sides[0], sides[1], (first.name, second.name)), printed=print_page)
    if as_json:
        print_json(c.as_json())
        return
    typer.echo(f"aligned within {c.alignment.model_px:.2f} px ({c.alignment.tracks} tracks)")
    for name, x, y, text in sentences(c, first.name, second.name):
        typer.echo(shown(f"{name:26} {x:>7} {y:>7}  {text}"))


def print_page(page: str, target: Any) -> None:
    """A page as PDF, which needs Qt: loaded where it is wanted only."""
    from bruto.app.paper import print_html

    print_html(page, target)


@app.command()
def match(
    raw: Path,
    phone: Path,
    output: Annotated[Path, typer.Option("-o", "--output", help="The recipe, JSON.")],
    parts: Annotated[str, typer.Option(help="Which parts are taken: tone,white,colour,local,detail.")] = "",
    strength: Annotated[float, typer.Option(min=0, max=100, help="How far, percent.")] = 100.0,
    overwrite: OverwriteFlag = False,
    as_json: JsonFlag = False,
) -> None:
    """Find the recipe that makes a raw look like the phone's picture, and say what the phone did."""
    from bruto.align.registration import register_codes
    from bruto.compare.match.parts import PARTS, mixed, parts_of
    from bruto.compare.match.solve import match as solve
    from bruto.compare.metrics import COMPARE_EDGE
    from bruto.compare.sides import Developed, Finished, side_of
    from bruto.develop.recipe import save_recipe
    from bruto.storage.outputs import Outputs

    chosen = parts_of(parts) or tuple(PARTS)
    target = Outputs([raw, phone], overwrite=overwrite).file(output)
    ours, theirs = side_of(raw, values_beside(raw)), side_of(phone)
    if not isinstance(ours, Developed) or not isinstance(theirs, Finished):
        raise BrutoError("A raw comes first, and a finished picture second: bruto match RAW PHONE -o RECIPE.json.")
    alignment = register_codes(ours.whole(COMPARE_EDGE), theirs.pixels)
    progress = ProgressLine()
    found = solve(ours.developer, theirs.pixels, alignment, ours.recipe, progress=lambda s: progress(s, "match"))
    recipe = mixed(ours.recipe, found.recipe, chosen, strength / 100, ours.developer.as_shot())
    save_recipe(recipe, target)
    if as_json:
        print_json(found.as_json())
        return
    typer.echo(
        f"ΔE00 {found.before[0]:.1f} → {found.after[0]:.1f} (median), {found.before[1]:.1f} → {found.after[1]:.1f} "
        f"(95 %) on {found.kept_out} blocks that the fit did not see"
    )
    typer.echo(shown("The phone: " + ", ".join(d.text for d in found.did) + "."))


def values_beside(path: Path) -> Any:
    """The values beside a file, None where it was never edited."""
    from bruto.shoot.sidecar import load_sidecar

    side, _ = load_sidecar(path)
    return None if side.untouched else side.recipe


def _merged(result: Any, as_json: bool) -> None:
    if as_json:
        print_json(result.as_json())
        return
    used = sum(f.used for f in result.frames)
    gain = (
        f"{result.range_ev:.1f} EV from noise to full" if result.range_ev else f"noise {result.noise_gain:.2f} × lower"
    )
    typer.echo(
        shown(
            f"{used} of {len(result.frames)} frames → {result.output}; {gain}, aligned within "
            f"{max(result.rms_px, 0.01):.2f} px"
        )
    )
    for f in result.frames:
        if not f.used:
            typer.echo(shown(f"left out {f.file}: {f.reason}"))


def _add_merges() -> None:
    """A command for each kind of merge: methods are known only where they are wanted, as they take long to load."""
    from bruto.merge.merging import merge
    from bruto.merge.methods import commands, method_of

    def command_of(name: str, usual: str) -> Callable[..., None]:
        def command(
            files: list[Path],
            output: Annotated[Path, typer.Option("-o", "--output")],
            method: str = usual,
            overwrite: OverwriteFlag = False,
            as_json: JsonFlag = False,
        ) -> None:
            chosen = method_of(method, name)
            _merged(merge(chosen, list(files), output, overwrite=overwrite, progress=ProgressLine()), as_json)

        return command

    for name, methods in commands().items():
        text = methods[0].help
        if len(methods) > 1:
            text += f" Methods: {', '.join(m.key for m in methods)}."
        merge_app.command(name, help=text)(command_of(name, methods[0].key))


@app.command()
def simulate(
    scene: str,
    output: Annotated[Path, typer.Option("-o", "--output", help="Folder for the shots.")],
    iso: float | None = None,
    shutter: Annotated[float | None, typer.Option(help="Seconds.")] = None,
    ev: float = 0.0,
    count: int = 1,
    bracket: Annotated[str, typer.Option(help="Exposure steps in EV, such as -2,0,2; or one number for -n,0,+n.")] = "",
    kind: str = "mosaic",
    megapixels: int = 12,
    seed: int = 1,
    static: Annotated[bool, typer.Option("--static", help="On a tripod.")] = False,
    lens: Annotated[str, typer.Option(help="main, wide or tele")] = "main",
    shake: Annotated[float, typer.Option(help="Blur by the hand during the exposure, pixels.")] = 0.0,
    smear: Annotated[float, typer.Option(help="Share of light that a smeared lens spreads, 0 to 1.")] = 0.0,
    as_json: JsonFlag = False,
) -> None:
    """Take shots with the simulated phone."""
    from bruto.simphone.capture import simulate as take
    from bruto.simphone.optics import Mishap

    try:
        steps = tuple(float(v) for v in bracket.split(",")) if bracket else ()
    except ValueError:
        raise typer.BadParameter("--bracket takes numbers separated by commas") from None
    if len(steps) == 1:
        steps = (-abs(steps[0]), 0.0, abs(steps[0]))
    shots = take(
        scene,
        output,
        megapixels=megapixels,
        iso=iso,
        shutter=shutter,
        ev=ev,
        count=count,
        bracket=steps,
        kind=kind,
        seed=seed,
        static=static,
        lens=lens,
        mishap=Mishap(motion_px=shake, motion_deg=25.0, smear=smear),
    )
    if as_json:
        print_json({"shots": shots})
        return
    for shot in shots:
        typer.echo(shown("  ".join(shot["files"])))


@app.command()
def demo(
    size: Annotated[str, typer.Option(help="Window size, such as 1280x800.")] = "1280x800",
    screenshot: Annotated[
        Path | None, typer.Option(help="Save a picture of the window once it is usable, and close.")
    ] = None,
) -> None:
    """Open the window on the demo shoot."""
    from bruto.app.main import run_demo

    raise typer.Exit(run_demo(size, screenshot))


@app.command("open")
def open_window(paths: Annotated[list[Path] | None, typer.Argument()] = None) -> None:
    """Open the window on folders or files (also without the word: bruto FOLDER), or on its start page."""
    from bruto.app.main import run

    raise typer.Exit(run([str(p) for p in paths or []]))


@app.command()
def bench(
    quality: Annotated[
        bool, typer.Option("--quality", help=("Also measure errors against the simulated scenes."))
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Measure speed and memory against other libraries on the same file in the same run."""
    root = Path(__file__).parents[2]
    sys.path.insert(0, str(root))
    try:
        from benchmarks.speed import run_all
    except ImportError as error:
        raise BrutoError(
            f"The benchmarks need the project's folder and its development set-up ({error}): use ./run bench there."
        ) from error
    results = run_all(say, quality)
    if as_json:
        print_json(results)
    else:
        typer.echo(json.dumps(results, indent=1))


COMMANDS = {"inspect", "measure", "develop", "compare", "match", "merge", "simulate", "demo", "open", "bench"}


def main(arguments: list[str] | None = None) -> int:
    """Entry point; returns the exit code. Whatever happens ends in one line, never in a trace."""
    args = sys.argv[1:] if arguments is None else arguments
    if not args or (args[0] not in COMMANDS and not args[0].startswith("-")):
        args = ["open", *args]
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    clean_leftovers()
    try:
        if args[0] == "merge":
            _add_merges()
        app(args=args)
        return 0
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 0
    except BrutoError as error:
        say(f"bruto: {error}")
        return 1
    except MemoryError:
        say("bruto: there is not enough memory for this; close other programs or work on fewer files.")
        return 1
    except KeyboardInterrupt:
        say("bruto: stopped; nothing was written.")
        return 130
    except BrokenPipeError:  # whoever reads the output has heard enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        return 1
    except OSError as error:
        place = f" {error.filename}" if error.filename else ""
        say(f"bruto: {explain(error, Path(str(error.filename or '')), 'use')}" if place else f"bruto: {error}.")
        unexpected(error, "running " + " ".join(args[:1]))
        return 1
    except Exception as error:
        say(f"bruto: {unexpected(error, 'running ' + ' '.join(args[:1]))}")
        return 1


def run() -> None:
    """The command as a process: it ends at once, as all is written and memory need not be given back piece by piece."""
    code = main()
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except (OSError, ValueError):
        pass
    os._exit(code)


if __name__ == "__main__":
    run()

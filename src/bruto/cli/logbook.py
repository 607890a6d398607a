"""`bruto log …`: what the logbook holds and what is learnt from it, out as a table and in again."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.cli.base import JsonFlag, OverwriteFlag, log_app
from bruto.errors import BrutoError
from bruto.terminal import print_json, say, shown

BookFile = Annotated[Path | None, typer.Option("--book", help="Another logbook than the usual one.")]
MOST_LISTED = 10_000


def _opened(book: Path | None, begin: bool = False) -> Any:
    from bruto.logbook.store import Logbook

    found = Logbook(book, begin=begin or book is None)
    if found.problem:
        say(f"bruto: {found.problem}")
    return found


@log_app.command("list", help="Shots of the logbook, the newest first.")
def _list(
    shoot: Annotated[str | None, typer.Option(help="Only of this shoot.")] = None,
    place: Annotated[str | None, typer.Option(help="Only of this place.")] = None,
    limit: Annotated[int, typer.Option(min=1, max=MOST_LISTED)] = 50,
    offset: Annotated[int, typer.Option(min=0)] = 0,
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    only = {k: v for k, v in (("shoot", shoot), ("place", place)) if v is not None}
    with _opened(book) as log:
        records, count, shoots = log.page(offset, limit, **only), log.count(**only), log.shoots()
    if as_json:
        print_json({
            "count": count, "shots": [asdict(r) for r in records], "shoots": [asdict(s) for s in shoots]
        })  # fmt: skip
        return
    if not count:
        typer.echo("The logbook is empty: open a folder of raws, and each measured shot leaves a record.")
    for r in records:
        iso = f"ISO {r.iso:.0f}" if r.iso else "ISO –"
        time = f"{r.exposure_s:.4g} s" if r.exposure_s else "– s"
        typer.echo(shown(f"{r.taken[:16]:16}  {r.shoot[:20]:20}  {r.name[:24]:24}  {iso:>9}  {time:>9}  {r.verdict}"))
    if count > offset + len(records):
        typer.echo(f"… {count - offset - len(records)} more; --offset {offset + len(records)}")


@log_app.command("learn", help="What is learnt: noise by ISO, the hand, the viewfinder, pace, storage.")
def _learn(
    model: Annotated[str | None, typer.Option(help="Of this phone; usually the one with most shots.")] = None,
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.logbook import estimates

    with _opened(book) as log:
        every = list(log.every(**({"model": model} if model is not None else {})))
        charged = log.batteries()
    if not every:
        raise BrutoError("The logbook holds no shots of that phone." if model else "The logbook is empty.")
    phone = Counter(r.model for r in every).most_common(1)[0][0]
    mine = [r for r in every if r.model == phone]
    found: dict[str, Any] = {"phone": phone, "shots": len(mine), "noise": [], "hand": None, "missing": []}
    lines = [f"{phone}: {len(mine)} shots"]
    groups: dict[tuple, list[Any]] = {}
    for r in mine:
        groups.setdefault((r.focal_35mm, r.kind, round((r.width or 0) * (r.height or 0) / 1e6)), []).append(r)
    for (focal, kind, megapixels), some in sorted(groups.items(), key=lambda g: str(g[0])):
        try:
            made = estimates.noise(some)
        except BrutoError:
            continue
        found["noise"].append({"focal_35mm": focal, "kind": kind, "megapixels": megapixels, **made.as_json()})
        top = "none" if made.ceiling_iso is None else f"{made.ceiling_iso:.0f}"
        lines.append(
            f"noise at {focal or 0:.0f} mm, {kind}, {megapixels} MP: {made.count} shots at {len(made.by_iso)} ISOs; "
            f"shadows usable up to ISO {top}"
        )
    if not found["noise"]:
        found["missing"].append("No shot tells its noise: open some mosaic raws of this phone.")
    try:
        limit = estimates.hand(mine)
        found["hand"] = limit.as_json()
        lines.append(f"hand: half of the shots are blurred at {limit.seconds(26):.3g} s with 26 mm")
    except BrutoError as error:
        found["missing"].append(str(error))
    for name, values in (
        ("viewfinder_ev", estimates.viewfinder(mine)), ("pause_s", estimates.pace(mine)), ("bytes",
        estimates.storage(mine)),
    ):  # fmt: skip
        found[name] = {k: v.as_json() for k, v in values.items()}
        lines += [f"{name} {k}: {v.value:.4g} ± {v.spread:.2g}, {v.count} shots" for k, v in values.items()]
    rate = estimates.battery(charged)
    found["battery_percent_per_hour"] = None if rate is None else rate.as_json()
    if as_json:
        print_json(found)
        return
    for line in [*lines, *found["missing"]]:
        typer.echo(shown(line))


@log_app.command("export", help="All of the logbook as a table (.csv) or as JSON.")
def _export(
    output: Annotated[Path, typer.Option("-o", "--output")],
    overwrite: OverwriteFlag = False,
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.storage.atomic_write import write_new
    from bruto.storage.output_planner import Outputs

    kind = output.suffix.lower().lstrip(".")
    if kind not in ("csv", "json"):
        raise BrutoError(f"A logbook is exported as .csv or .json: let the name end so, not '{output.name}'.")
    with _opened(book) as log:
        text, count = log.exported(kind), log.count()
    write_new(Outputs([], overwrite=overwrite).file(output), text.encode("utf-8", "surrogatepass"))
    if as_json:
        print_json({"output": str(output), "shots": count})
    else:
        typer.echo(shown(f"{count} shots → {output}"))


@log_app.command("import", help="Take in what was exported; a shot that is known already is replaced.")
def _import(file: Path, book: BookFile = None, as_json: JsonFlag = False) -> None:
    from bruto.logbook.store import LARGEST_IMPORT
    from bruto.storage.safe_read import read_bounded

    kind = file.suffix.lower().lstrip(".")
    if kind not in ("csv", "json"):
        raise BrutoError(f"A logbook is taken in from .csv or .json, not from '{file.name}'.")
    try:
        text = read_bounded(file, LARGEST_IMPORT).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BrutoError(f"{file.name} is no text in UTF-8.") from error
    with _opened(book, begin=True) as log:
        count = log.imported(text, kind)
    if as_json:
        print_json({"shots": count})
    else:
        typer.echo(f"{count} shots were taken in.")

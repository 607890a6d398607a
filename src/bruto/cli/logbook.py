"""`bruto log …`: what the logbook holds and what is learnt from it, out as a table and in again."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import tr, trn
from bruto.cli.base import JsonFlag, OverwriteFlag, log_app
from bruto.errors import BrutoError
from bruto.terminal import print_json, say, shown

BookFile = Annotated[Path | None, typer.Option("--book", help=tr("A logbook other than your own."))]
MOST_LISTED = 10_000


def _opened(book: Path | None, begin: bool = False) -> Any:
    from bruto.logbook.store import Logbook

    found = Logbook(book, begin=begin or book is None)
    if found.problem:
        say(tr("bruto: {problem}", problem=found.problem))
    return found


@log_app.command("list", help=tr("Shots in the logbook, newest first."))
def _list(
    shoot: Annotated[str | None, typer.Option(help=tr("Only shots of this shoot."))] = None,
    place: Annotated[str | None, typer.Option(help=tr("Only shots of this place."))] = None,
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
        typer.echo(tr("The logbook is empty. Open a folder of raws: every measured shot adds a record."))
    for r in records:
        iso = tr("ISO {iso:.0f}", iso=r.iso) if r.iso else tr("ISO –")
        time = f"{r.exposure_s:.4g} s" if r.exposure_s else "– s"
        typer.echo(shown(f"{r.taken[:16]:16}  {r.shoot[:20]:20}  {r.name[:24]:24}  {iso:>9}  {time:>9}  {r.verdict}"))
    if count > offset + len(records):
        typer.echo(
            tr("… {count} more; --offset {offset}", count=count - offset - len(records), offset=offset + len(records))
        )


@log_app.command("learn", help=tr("What was learnt: noise by ISO, handheld limit, viewfinder, speed, storage."))
def _learn(
    model: Annotated[
        str | None, typer.Option(help=tr("Model of the phone; by default the one with the most shots."))
    ] = None,
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.logbook import estimates

    with _opened(book) as log:
        every = list(log.every(**({"model": model} if model is not None else {})))
        charged = log.batteries()
    if not every:
        raise BrutoError(tr("The logbook holds no shots of that phone.") if model else tr("The logbook is empty."))
    phone = Counter(r.model for r in every).most_common(1)[0][0]
    mine = [r for r in every if r.model == phone]
    found: dict[str, Any] = {"phone": phone, "shots": len(mine), "noise": [], "hand": None, "missing": []}
    lines = [trn("{phone}: {mine_count} shot", "{phone}: {mine_count} shots", mine_count=len(mine), phone=phone)]
    groups: dict[tuple[Any, ...], list[Any]] = {}
    for r in mine:
        groups.setdefault((r.focal_35mm, r.kind, round((r.width or 0) * (r.height or 0) / 1e6)), []).append(r)
    for (focal, kind, megapixels), some in sorted(groups.items(), key=lambda g: str(g[0])):
        try:
            made = estimates.noise(some)
        except BrutoError:
            continue
        found["noise"].append({"focal_35mm": focal, "kind": kind, "megapixels": megapixels, **made.as_json()})
        top = tr("none") if made.ceiling_iso is None else f"{made.ceiling_iso:.0f}"
        lines.append(
            tr(
                "noise at {focal:.0f} mm, {kind}, {megapixels} MP: {count} shots at {by_iso_count} ISOs; shadows "
                "usable up to ISO {top}",
                focal=focal or 0,
                kind=kind,
                megapixels=megapixels,
                count=made.count,
                by_iso_count=len(made.by_iso),
                top=top,
            )
        )
    if not found["noise"]:
        found["missing"].append(tr("No shot shows its noise yet. Open some mosaic raws of this phone."))
    try:
        limit = estimates.hand(mine)
        found["hand"] = limit.as_json()
        lines.append(
            tr(
                "handheld: half of the shots are blurred at {seconds:.3g} s with 26 mm (give or take a factor of "
                "{error:.2f})",
                seconds=limit.seconds(26),
                error=limit.error,
            )
        )
    except BrutoError as error:
        found["missing"].append(str(error))
    for name, values in (
        ("viewfinder_ev", estimates.viewfinder(mine)), ("pause_s", estimates.pace(mine)), ("bytes",
        estimates.storage(mine)),
    ):  # fmt: skip
        found[name] = {k: v.as_json() for k, v in values.items()}
        lines += [
            trn(
                "{name} {k}: {value:.4g} ± {error:.2g}, {count} shot",
                "{name} {k}: {value:.4g} ± {error:.2g}, {count} shots",
                count=v.count,
                name=name,
                k=k,
                value=v.value,
                error=v.error,
            )
            for k, v in values.items()
        ]
    rate = estimates.battery(charged)
    found["battery_percent_per_hour"] = None if rate is None else rate.as_json()
    if as_json:
        print_json(found)
        return
    lines.append(tr("± and the factor hold the true value nine times in ten."))
    for line in [*lines, *found["missing"]]:
        typer.echo(shown(line))


@log_app.command("ask", help=tr("Answer a question: stars, place or clean."))
def _ask(
    question: Annotated[str, typer.Argument(help=tr("stars: what worked; place: before; clean: which ISO."))],
    shoot: Annotated[str, typer.Option(help=tr("The shoot that is meant; else the newest."))] = "",
    phone: Annotated[str, typer.Option(help=tr("The phone's model; else the one with most shots."))] = "",
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.logbook.database import usual_logbook
    from bruto.logbook.questions import QUESTIONS, answered
    from bruto.shoot.verdicts import KEEP_OR_BEST

    if question not in QUESTIONS:
        known = ", ".join(QUESTIONS)
        raise BrutoError(tr("A question is one of {known}, not '{question}'.", known=known, question=question))
    found = answered(book or usual_logbook(), KEEP_OR_BEST, question, shoot, phone)
    if as_json:
        print_json({
            "question": question, "answer": found.answer, "phone": found.phone,
            "shots": [asdict(r) for r in found.shots],
        })  # fmt: skip
        return
    empty = tr("The logbook is empty. Open a folder of raws: every measured shot adds a record.")
    typer.echo(shown(found.answer or empty))


@log_app.command("export", help=tr("Export the logbook as a table (.csv) or as JSON."))
def _export(
    output: Annotated[Path, typer.Option("-o", "--output")],
    overwrite: OverwriteFlag = False,
    book: BookFile = None,
    as_json: JsonFlag = False,
) -> None:
    from bruto.logbook.exchange import export_text
    from bruto.output_planner import Outputs
    from bruto.storage.atomic_write import write_new

    kind = output.suffix.lower().lstrip(".")
    if kind not in ("csv", "json"):
        raise BrutoError(
            tr("A logbook is exported as .csv or .json; choose such a name instead of '{name}'.", name=output.name)
        )
    with _opened(book) as log:
        text, count = export_text(log, kind), log.count()
    write_new(Outputs([], overwrite=overwrite).file(output), text.encode("utf-8", "surrogatepass"))
    if as_json:
        print_json({"output": str(output), "shots": count})
    else:
        typer.echo(shown(trn("{count} shot → {output}", "{count} shots → {output}", count=count, output=output)))


@log_app.command("import", help=tr("Import an exported logbook; known shots are replaced."))
def _import(file: Path, book: BookFile = None, as_json: JsonFlag = False) -> None:
    from bruto.logbook.exchange import LARGEST_IMPORT, import_text
    from bruto.storage.safe_read import read_bounded

    kind = file.suffix.lower().lstrip(".")
    if kind not in ("csv", "json"):
        raise BrutoError(tr("A logbook is imported from .csv or .json, not from '{name}'.", name=file.name))
    try:
        text = read_bounded(file, LARGEST_IMPORT).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BrutoError(tr("{name} is not text in UTF-8.", name=file.name)) from error
    with _opened(book, begin=True) as log:
        count = import_text(log, text, kind)
    if as_json:
        print_json({"shots": count})
    else:
        typer.echo(trn("Imported {count} shot.", "Imported {count} shots.", count=count))

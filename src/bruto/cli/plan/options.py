"""What the commands of `bruto plan` have in common: numbers as they are dialled, and what a phone's card offers."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any

import typer

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.terminal import print_json, shown

MOST_VALUES = 500
PhoneFrom = Annotated[
    Path | None,
    typer.Option("--phone-from", help=tr("A raw of the phone; its card provides lens, times, ISOs and noise.")),
]
Times = Annotated[str | None, typer.Option("--times", help=tr('Times the phone offers, for example "1/50,1/25".'))]
DEFAULT_MB = 25.0
"""Megabytes of a 12 MP raw, where nothing better is known."""


def number(text: str) -> float:
    """A number, or a fraction such as 1/50; raises `BrutoError`."""
    try:
        value = float(Fraction(text.strip().removesuffix("s").strip()))
    except (ValueError, ZeroDivisionError, OverflowError) as error:
        raise BrutoError(tr("'{text}' is not a number. Write 2.5 or 1/50.", text=text.strip())) from error
    return value


def numbers(text: str | None) -> tuple[float, ...]:
    """Numbers or fractions, parted by commas."""
    if text is None or not text.strip():
        return ()
    parts = text.split(",")
    if len(parts) > MOST_VALUES:
        raise BrutoError(tr("Give at most {MOST_VALUES} values.", MOST_VALUES=MOST_VALUES))
    return tuple(number(p) for p in parts)


def say(found: dict[str, Any], as_json: bool, lines: list[str]) -> None:
    if as_json:
        print_json(found)
        return
    for line in lines:
        typer.echo(shown(line))


def card_of(like: Path | None) -> tuple[Any, Any]:
    """A raw's facts and its phone's card; None for both without one."""
    if like is None:
        return None, None
    from bruto.container.quick_metadata import read_quick_metadata
    from bruto.phones.card import load_card

    seen = read_quick_metadata(like)
    return seen, load_card(seen.make, seen.model)


def noise_model(like: Path | None, noise: str | None) -> Any:
    """A noise model from "ISO:a:b,…", else from a card."""
    from bruto.sensor.noise_model import NoiseSource, model_of

    known: dict[float, tuple[float, float]] = {}
    if noise:
        for part in noise.split(","):
            values = [number(p) for p in part.split(":")]
            if len(values) != 3:
                raise BrutoError(tr("Give noise as ISO:a:b, for example 100:1e-4:2e-6."))
            known[values[0]] = values[1], values[2]
        return model_of(known)
    seen, card = card_of(like)
    source = NoiseSource.CARD
    if card is not None:
        from bruto.phones.card_learning import noise_by_iso

        known = noise_by_iso(card, seen)
    if not known and like is not None and seen.iso:
        from bruto.container.dng_reader import read_dng
        from bruto.sensor.noise import file_noise

        own = file_noise(read_dng(like).meta)
        if own is not None:
            known, source = {seen.iso: (float(own[1, 0]), float(own[1, 1]))}, NoiseSource.FILE
    return model_of(known, source)


def offers(text: str | None, like: Path | None, kind: str) -> tuple[float, ...]:
    """What was given, else what the phone's card offers ("isos" or "seconds")."""
    given = numbers(text)
    if given:
        return given
    _, card = card_of(like)
    return () if card is None else tuple(getattr(card, kind))

"""The card of a phone, to read and to mend: its lenses, speeds, times, kinds of raw and pace."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction

from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bruto.app.widgets.build import build, fill
from bruto.app.widgets.form import Form, FormRow, form_layout, line, lines
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.logbook.estimates import ceiling
from bruto.phones.card import CardLens, PhoneCard, save_card, written
from bruto.plan.equipment import Equipment
from bruto.sensor.advice import time_text

KINDS = {"mosaic": tr("mosaic raw"), "linear": tr("processed raw")}


def seconds_text(seconds: float) -> str:
    """A time as it is typed.

    >>> seconds_text(0.0025), seconds_text(13.0)
    ('1/400', '13')
    """
    return f"1/{1 / seconds:.0f}" if seconds < 0.3 else f"{seconds:g}"


def parse_numbers(text: str, what: str, least: float, most: float) -> tuple[float, ...]:
    """Numbers and fractions between commas or blanks, ascending; raises `BrutoError` naming what is wrong."""
    values = []
    for word in text.replace(",", " ").split():
        try:
            value = float(Fraction(word))
        except (ValueError, ZeroDivisionError):
            raise BrutoError(
                tr("{what}: '{word}' is not a number such as 400 or 1/250.", what=what, word=word)
            ) from None
        if not least <= value <= most:
            raise BrutoError(
                tr("{what}: {word} is outside {least:g} to {most:g}.", what=what, word=word, least=least, most=most)
            )
        values.append(value)
    return tuple(sorted(set(values)))


def parse_lens(line: str) -> CardLens:
    """A lens from "real mm, mm at 35 mm film, f-number"; raises `BrutoError`."""
    try:
        real, film, stop = (float(Fraction(w)) for w in line.replace(",", " ").split())
        if not (0.5 <= real <= 100 and 8 <= film <= 600 and 0.7 <= stop <= 32):
            raise ValueError
    except (ValueError, ZeroDivisionError):
        raise BrutoError(tr("Lenses: '{line}' is not three numbers such as 5.9, 26, 1.9.", line=line)) from None
    return CardLens(f"{film:.0f} mm", real, film, stop)


def learnt_text(learnt: Equipment) -> str:
    """What the logbook has learnt of a phone, beside what its card tells; "" of nothing."""
    lines = []
    for name, text in (
        (
            "noise",
            tr("noise: shadows 3 EV below grey are usable up to ISO {ceiling:.0f}", ceiling=ceiling(learnt.noise) or 0),
        ),
        (
            "hand",
            tr("handheld: half of the shots are blurred at {time} at 26 mm", time=time_text(learnt.limit_35mm / 26)),
        ),
        ("mb_each", tr("storage: {mb_each:.0f} MB a shot", mb_each=learnt.mb_each)),
        ("percent_h", tr("battery: {percent_h:.0f} % an hour", percent_h=learnt.percent_h or 0)),
        (
            "viewfinder_ev",
            tr(
                "viewfinder: warns {viewfinder_ev:.1f} EV {value}",
                viewfinder_ev=abs(learnt.viewfinder_ev or 0),
                value=tr("early") if (learnt.viewfinder_ev or 0) >= 0 else tr("late"),
            ),
        ),
    ):
        if name in learnt.learnt:
            lines.append(f"{text} ({learnt.from_where(name)})")
    return "\n".join([tr("Learnt from shots in the logbook"), *lines]) if lines else ""


def range_text(card: PhoneCard, scale: str) -> str:
    """How far a scale goes, as its owner said: "50 to 6400", "to 30" or ""."""
    least, most = (card.limits or {}).get(scale, (None, None))
    ends = ["" if v is None else (seconds_text(v) if scale == "seconds" else f"{v:g}") for v in (least, most)]
    return "" if ends == ["", ""] else tr("{least} to {most}", least=ends[0], most=ends[1]).strip()


def parse_range(text: str, what: str, least: float, most: float) -> tuple[float | None, float | None]:
    """Both ends of "1/8000 to 30", "to 30", "50 to" or ""; raises `BrutoError` naming what is wrong."""
    found = re.fullmatch(r"\s*(\S*?)\s*(?:to|–)\s*(\S*)\s*", text)
    if found is None and text.strip():
        raise BrutoError(tr("{what}: give both ends, such as 50 to 6400, or one, such as to 30.", what=what))
    words = found.groups() if found is not None else ("", "")
    low, high = ((parse_numbers(word, what, least, most) or (None,))[0] for word in words)
    if low is not None and high is not None and low >= high:
        raise BrutoError(tr("{what}: the first must be less than the second.", what=what))
    return low, high


LENSES_TIP = tr("One lens per line: focal length in mm, 35 mm equivalent, f-number")


LIST_TIP = tr("Values seen in shots so far; what you type counts as all the phone offers")
RANGE_TIP = tr("How far they go; where nothing is known, what phones usually offer is assumed, and plans say so")


class CardDialog(QDialog):
    """What is typed and kept counts as the user's word: learning from files leaves it alone."""

    def __init__(self, card: PhoneCard, parent: QWidget | None = None, learnt: Equipment | None = None) -> None:
        """`learnt`: what the logbook tells of this phone."""
        super().__init__(parent)
        self.setObjectName("panel")
        self.card = card
        self.setWindowTitle(tr("Card of {title}", title=card.title))
        self.resize(560, 470)
        column = QVBoxLayout(self)
        head = Label(card.title, objectName="heading")
        about = Label(
            tr(
                "What the phone offers, learnt from its files. Advice and checks use it. What you type here is never "
                "overwritten."
            ),
            objectName="quiet",
            wordWrap=True,
        )
        fill(column, head, about)
        rows = form_layout()
        self.take_pace = build(QPushButton, "", clicked=self._take_pace, visible=False)
        self.form = Form(
            rows,
            (
                FormRow("lenses", tr("Lenses"), lines(76), LENSES_TIP),
                FormRow("isos", "ISO", line(most=4000, live=True), LIST_TIP),
                FormRow("seconds", tr("Times, s"), line(most=4000, live=True), LIST_TIP),
                FormRow(
                    "isos_range", tr("ISO range"), line(tr("not known; for example 50 to 6400"), live=True), RANGE_TIP
                ),
                FormRow(
                    "seconds_range", tr("Time range, s"), line(tr("not known; for example 1/8000 to 30"), live=True),
                    RANGE_TIP,
                ),
                FormRow(
                    "pace", tr("Time to save, s"), line(tr("not known yet; learnt from a burst or a trail"), live=True),
                    also=(self.take_pace,),
                ),
            ),
        )  # fmt: skip
        self.form.show(
            {
                "lenses": "\n".join(f"{q.focal_mm:g}, {q.focal_35mm:g}, {q.f_number or 2:g}" for q in card.lenses),
                "isos": ", ".join(f"{v:g}" for v in card.isos),
                "seconds": ", ".join(seconds_text(v) for v in card.seconds),
                "isos_range": range_text(card, "isos"),
                "seconds_range": range_text(card, "seconds"),
                "pace": "" if card.pace_s is None else f"{card.pace_s:g}",
            }
        )
        self.learnt_pace = f"{learnt.pace_s:.2g}" if learnt is not None and "pace_s" in learnt.learnt else ""
        if learnt is not None and self.learnt_pace not in ("", self.form.values()["pace"]):
            self.take_pace.setText(
                tr("Use {pace} s, {from_where}", pace=self.learnt_pace, from_where=learnt.from_where("pace_s"))
            )
            self.take_pace.show()
        column.addLayout(rows)
        modes: dict[str, list[str]] = {}
        for m in card.modes:
            modes.setdefault(f"{m.focal_mm:g} mm, {KINDS.get(m.kind, m.kind)}", []).append(f"{m.width} × {m.height}")
        sizes_seen = [tr("{name}: {sizes} px", name=name, sizes=", ".join(sizes)) for name, sizes in modes.items()]
        facts = Label(
            tr("Raws it saves\n") + "\n".join(sizes_seen) if sizes_seen else tr("No raws seen yet."),
            wordWrap=True,
            objectName="quiet",
        )
        known = Label(learnt_text(learnt) if learnt is not None else "", wordWrap=True)
        known.setVisible(bool(known.text()))
        self.problem = Label("", objectName="warning", wordWrap=True)
        foot = QHBoxLayout()
        self.keep, leave = QPushButton(tr("Save")), QPushButton(tr("Cancel"))
        self.keep.setObjectName("primary")
        self.keep.clicked.connect(self._keep)
        leave.clicked.connect(self.reject)
        fill(foot, 1, leave, self.keep)
        fill(column, facts, known, 1, self.problem, foot)

    def _take_pace(self) -> None:
        self.form.show({"pace": self.learnt_pace})

    def _keep(self) -> None:
        texts = self.form.values()
        try:
            lenses = tuple(parse_lens(x) for x in texts["lenses"].splitlines() if x.strip())
            pace = parse_numbers(texts["pace"], tr("Time to save"), 0, 600)
            seconds = parse_numbers(texts["seconds"], tr("Times"), 1e-6, 86400)
            typed = {
                "lenses": tuple(sorted(lenses, key=lambda q: q.focal_35mm)),
                "isos": parse_numbers(texts["isos"], "ISO", 1, 1_000_000),
                "seconds": seconds,
                "pace_s": pace[0] if pace else None,
            }
            shown = {"isos": tuple(self.card.isos), "lenses": self.card.lenses, "pace_s": self.card.pace_s}
            same_times = [seconds_text(v) for v in seconds] == [seconds_text(v) for v in self.card.seconds]
            limits = dict(self.card.limits or {})
            for scale, what, span in (("isos", "ISO", (1, 1_000_000)), ("seconds", tr("Times"), (1e-6, 86400))):
                if texts[f"{scale}_range"] != range_text(self.card, scale):
                    limits[scale] = parse_range(texts[f"{scale}_range"], what, *span)
            changed = {k: v for k, v in typed.items() if (not same_times if k == "seconds" else v != shown[k])}
            before = self.card
            if changed or limits != (self.card.limits or {}):
                self.card = replace(written(self.card, **changed), limits=limits or None)
                save_card(self.card, before)
        except (BrutoError, OSError) as error:
            self.problem.setText(str(error))
            return
        self.accept()

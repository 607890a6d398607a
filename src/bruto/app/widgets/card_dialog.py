"""The card of a phone, to read and to mend: its lenses, speeds, times, kinds of raw and pace."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtWidgets import (
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bruto.app.widgets.build import build
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
        column.addWidget(head)
        about = Label(
            tr(
                "What the phone offers, learnt from its files. Advice and checks use it. What you type here is never "
                "overwritten."
            ),
            objectName="quiet",
            wordWrap=True,
        )
        column.addWidget(about)
        form = QFormLayout()
        lenses = "\n".join(f"{q.focal_mm:g}, {q.focal_35mm:g}, {q.f_number or 2:g}" for q in card.lenses)
        self.lenses = QPlainTextEdit(lenses)
        self.lenses.setFixedHeight(76)
        self.lenses.setToolTip(tr("One lens per line: focal length in mm, 35 mm equivalent, f-number"))
        self.isos = QLineEdit(", ".join(f"{v:g}" for v in card.isos))
        self.seconds = QLineEdit(", ".join(seconds_text(v) for v in card.seconds))
        self.pace = build(
            QLineEdit,
            "" if card.pace_s is None else f"{card.pace_s:g}",
            placeholderText=tr("not known yet; learnt from a burst or a trail"),
        )
        for name, widget in (
            (tr("Lenses"), self.lenses),
            ("ISO", self.isos),
            (tr("Times, s"), self.seconds),
            (tr("Time to save, s"), self.pace),
        ):
            widget.setAccessibleName(name)
            form.addRow(name, widget)
        self.take_pace = QPushButton("")
        self.take_pace.hide()
        if learnt is not None and "pace_s" in learnt.learnt:
            pace = f"{learnt.pace_s:.2g}"
            if pace != self.pace.text():
                self.take_pace.setText(
                    tr("Use {pace} s, {from_where}", pace=pace, from_where=learnt.from_where("pace_s"))
                )
                self.take_pace.clicked.connect(lambda: self.pace.setText(pace))
                self.take_pace.show()
                form.addRow("", self.take_pace)
        for edit in (self.isos, self.seconds):
            edit.setCursorPosition(0)
        column.addLayout(form)
        modes: dict[str, list[str]] = {}
        for m in card.modes:
            modes.setdefault(f"{m.focal_mm:g} mm, {KINDS.get(m.kind, m.kind)}", []).append(f"{m.width} × {m.height}")
        lines = [tr("{name}: {sizes} px", name=name, sizes=", ".join(sizes)) for name, sizes in modes.items()]
        facts = Label(
            tr("Raws it saves\n") + "\n".join(lines) if lines else tr("No raws seen yet."),
            wordWrap=True,
            objectName="quiet",
        )
        column.addWidget(facts)
        known = Label(learnt_text(learnt) if learnt is not None else "", wordWrap=True)
        known.setVisible(bool(known.text()))
        column.addWidget(known)
        column.addStretch(1)
        self.problem = Label("", objectName="warning", wordWrap=True)
        column.addWidget(self.problem)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.keep, leave = QPushButton(tr("Save")), QPushButton(tr("Cancel"))
        self.keep.setObjectName("primary")
        self.keep.clicked.connect(self._keep)
        leave.clicked.connect(self.reject)
        foot.addWidget(leave)
        foot.addWidget(self.keep)
        column.addLayout(foot)

    def _keep(self) -> None:
        try:
            lenses = tuple(parse_lens(x) for x in self.lenses.toPlainText().splitlines() if x.strip())
            pace = parse_numbers(self.pace.text(), tr("Time to save"), 0, 600)
            seconds = parse_numbers(self.seconds.text(), tr("Times"), 1e-6, 86400)
            typed = {
                "lenses": tuple(sorted(lenses, key=lambda q: q.focal_35mm)),
                "isos": parse_numbers(self.isos.text(), "ISO", 1, 1_000_000),
                "seconds": seconds,
                "pace_s": pace[0] if pace else None,
            }
            shown = {"isos": tuple(self.card.isos), "lenses": self.card.lenses, "pace_s": self.card.pace_s}
            same_times = [seconds_text(v) for v in seconds] == [seconds_text(v) for v in self.card.seconds]
            changed = {k: v for k, v in typed.items() if (not same_times if k == "seconds" else v != shown[k])}
            before = self.card
            if changed:
                self.card = written(self.card, **changed)
                save_card(self.card, before)
        except (BrutoError, OSError) as error:
            self.problem.setText(str(error))
            return
        self.accept()

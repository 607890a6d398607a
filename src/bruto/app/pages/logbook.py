"""Logbook: shoots over the years at the left, what is learnt of the phone in the middle, one shoot at the right."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.widgets.log_plot import LogPlot, Scale, doublings
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain import Label
from bruto.app.widgets.question import ask_user
from bruto.logbook.learn import BLURRED_PX
from bruto.logbook.records import Record
from bruto.plan.noise import GREY, SHADOW_EV, blur_chance
from bruto.session.looking_back import QUESTIONS, LookBack, plain_iso
from bruto.shoot.verdicts import BY_ID

LEFT_WIDTH = 224
FOCAL_TOLD = 26.0
"""Equivalent focal length, mm, for which the hand's limit is drawn where none is more common."""
COLUMNS = ("Shot", "ISO", "Time", "Verdict")
MADE_UP = "Shots of the simulated phone: made up, and kept apart from yours."
EMPTY = (
    "The logbook is empty. Open a folder of raws: each shot that is measured leaves a record by itself, with its "
    "settings, noise, sharpness and verdict. No picture is kept in it."
)


def time_text(seconds: float | None) -> str:
    """A time as it is dialled.

    >>> time_text(1 / 50), time_text(2.5), time_text(None)
    ('1/50 s', '2.5 s', '–')
    """
    if not seconds:
        return "–"
    return f"1/{1 / seconds:.0f} s" if seconds < 0.4 else f"{seconds:g} s"


def _sigma(a: float, b: float) -> float:
    """Noise of the shadow that is looked into, percent of its light."""
    x = GREY * 2**SHADOW_EV
    return 100 * math.sqrt(max(a * x + b, 1e-30)) / x


def _signed(ev: int) -> str:
    """Whole EV with their sign."""
    return f"{ev:+d} EV".replace("-", "−") if ev else "0 EV"


class LogbookPage(QWidget):
    """All of it follows `session.looking_back`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.looking = self.session.looking_back
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._shoots_side())
        layout.addWidget(self._middle(), 1)
        layout.addWidget(self._shots_side())
        self.looking.changed.connect(self._show)
        self.session.shoot.opened.connect(self._folder_opened)
        self._show()

    # -- parts

    def _shoots_side(self) -> QWidget:
        holder = surface()
        holder.setFixedWidth(LEFT_WIDTH)
        column = QVBoxLayout(holder)
        column.setContentsMargins(10, 8, 6, 8)
        heading = Label("Shoots")
        heading.setObjectName("heading")
        column.addWidget(heading)
        self.made_up = Label("")
        self.made_up.setObjectName("quiet")
        self.made_up.setWordWrap(True)
        column.addWidget(self.made_up)
        self.list = QListWidget()
        self.list.setAccessibleName("Shoots")
        self.list.itemClicked.connect(self._choose)
        self.list.itemActivated.connect(self._choose)
        column.addWidget(self.list, 1)
        self.phone = QComboBox()
        self.phone.setAccessibleName("Phone")
        self.phone.activated.connect(lambda _: self.looking.ask(self.looking.question, phone=self.phone.currentText()))
        column.addWidget(self.phone)
        self.asked: dict[str, QPushButton] = {}
        for key, text in QUESTIONS.items():
            button = QPushButton(text)
            button.setCheckable(True)
            button.clicked.connect(partial(self._ask, key))
            column.addWidget(button)
            self.asked[key] = button
        self.export = QPushButton("Export all …")
        self.export.setToolTip("The whole logbook as a table (CSV) or as JSON")
        self.export.clicked.connect(self._ask_export)
        column.addWidget(self.export)
        return holder

    def _middle(self) -> QWidget:
        holder = surface()
        column = QVBoxLayout(holder)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        self.problem = Label("")
        self.problem.setObjectName("warning")
        self.problem.setWordWrap(True)
        column.addWidget(self.problem)
        self.nothing = Label(EMPTY)
        self.nothing.setWordWrap(True)
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self.nothing, 1)
        self.plots = QWidget()
        grid = QGridLayout(self.plots)
        grid.setContentsMargins(0, 0, 0, 0)
        self.noise, self.hand = LogPlot("Noise by ISO"), LogPlot("Blur by time")
        self.viewfinder, self.pace = LogPlot("Viewfinder"), LogPlot("Room on the phone")
        for k, plot in enumerate((self.noise, self.hand, self.viewfinder, self.pace)):
            grid.addWidget(plot, k // 2, k % 2)
        column.addWidget(self.plots, 1)
        self.learnt = Label("")
        self.learnt.setObjectName("quiet")
        self.learnt.setWordWrap(True)
        column.addWidget(self.learnt)
        return holder

    def _shots_side(self) -> QWidget:
        panel, column = side_panel("Shots", 6)
        self.title = Label("")
        self.title.setObjectName("heading")
        column.addWidget(self.title)
        self.answer = Label("")
        self.answer.setWordWrap(True)
        column.addWidget(self.answer)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName("Shots")
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        for k, width in enumerate((112, 48, 62)):
            self.table.setColumnWidth(k, width)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.verticalHeader().setDefaultSectionSize(24)
        column.addWidget(self.table, 1)
        self.fields: dict[str, QLineEdit] = {}
        for key, name, tip in (
            ("place", "Place", "Where this shoot was; it is written to all its shots"),
            ("gear", "Gear", "Tripod, clamp, filters: whatever was used"),
            ("note", "Note", "What is to be remembered of this shoot"),
        ):
            row = QHBoxLayout()
            label = Label(name)
            label.setFixedWidth(44)
            field = QLineEdit()
            field.setAccessibleName(name)
            field.setToolTip(tip)
            field.editingFinished.connect(partial(self._told, key))
            row.addWidget(label)
            row.addWidget(field)
            column.addLayout(row)
            self.fields[key] = field
        row = QHBoxLayout()
        self.by_hand, self.tripod = QPushButton("In the hand"), QPushButton("On a tripod")
        for button, held in ((self.by_hand, "hand"), (self.tripod, "tripod")):
            button.setToolTip("How the chosen shots were held; all that are listed where none is chosen")
            button.clicked.connect(lambda _=False, held=held: self.looking.tell(self._chosen(), held=held))
            row.addWidget(button)
        column.addLayout(row)
        self.forget = QPushButton("Delete this shoot's records …")
        self.forget.clicked.connect(self._ask_forget)
        column.addWidget(self.forget)
        return panel

    # -- what is shown

    def turned_to(self) -> None:
        """The task is chosen: read what there is."""
        self.looking.wanted = True
        self.looking.again()

    def _folder_opened(self) -> None:
        if self.isVisible():
            self.looking.again()

    def _show(self) -> None:
        state = self.looking.state
        there = bool(state.count)
        self.made_up.setText(MADE_UP if state.made_up else "")
        self.made_up.setVisible(state.made_up)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.nothing.setVisible(not there)
        for widget in (self.plots, self.learnt, self.table, self.phone):
            widget.setVisible(there)
        for widget in (
            *self.asked.values(),
            self.export,
            self.forget,
            self.by_hand,
            self.tripod,
            *self.fields.values(),
        ):
            widget.setEnabled(there)
        for key, button in self.asked.items():
            button.setChecked(key == self.looking.question)
        self.phone.clear()
        self.phone.addItems(list(state.phones))
        self.phone.setCurrentText(state.phone)
        self._list_shoots(state)
        self._list_shots(state)
        if there:
            self._plot(state)

    def _list_shoots(self, state: LookBack) -> None:
        self.list.clear()
        for shoot in state.shoots:
            size = f"{shoot.bytes / 1e9:.1f} GB" if shoot.bytes >= 1e8 else f"{shoot.bytes / 1e6:.0f} MB"
            count = f"{shoot.shots} shot{'s' if shoot.shots != 1 else ''}"
            item = QListWidgetItem(f"{shoot.end[:10] or 'no date'}\n{shoot.name}\n{count} · {size}")
            item.setData(Qt.ItemDataRole.UserRole, shoot.name)
            self.list.addItem(item)
            if shoot.name == state.shoot and not self.looking.question:
                self.list.setCurrentItem(item)

    def _list_shots(self, state: LookBack) -> None:
        self.title.setText(state.title)
        self.answer.setText(state.answer)
        self.table.setRowCount(len(state.shots))
        for k, r in enumerate(state.shots):
            verdict = BY_ID[r.verdict].text if r.verdict in BY_ID else ""
            for c, text in enumerate((r.name, f"{r.iso:.0f}" if r.iso else "–", time_text(r.exposure_s), verdict)):
                item = QTableWidgetItem(text)
                item.setToolTip(self._about(r))
                self.table.setItem(k, c, item)
        for key, field in self.fields.items():
            field.setText(self._common(state, key))
            field.setModified(False)

    @staticmethod
    def _about(r: Record) -> str:
        facts = [r.taken.replace("T", " "), f"{r.focal_35mm:.0f} mm" if r.focal_35mm else "", r.kind, r.place, r.gear]
        if r.blur_px is not None:
            facts.append(f"moved by {r.blur_px:.1f} px")
        return " · ".join(f for f in facts if f)

    @staticmethod
    def _common(state: LookBack, key: str) -> str:
        if key == "note":
            return next((s.note for s in state.shoots if s.name == state.shoot), "")
        values = {getattr(r, key) for r in state.shots}
        return str(values.pop()) if len(values) == 1 else ""

    def _plot(self, state: LookBack) -> None:
        self._plot_noise(state)
        self._plot_hand(state)
        self._plot_viewfinder(state)
        self._plot_room(state)
        told = []
        if state.pace:
            told += [f"a {kind} is saved in {v.value:.1f} s ± {v.spread:.1f}" for kind, v in state.pace.items()]
        if state.battery is not None:
            told.append(f"the battery falls by {state.battery.value:.0f} % an hour")
        text = "; ".join(told)
        self.learnt.setText(text[:1].upper() + text[1:] + "." if text else "")

    def _plot_noise(self, state: LookBack) -> None:
        if not state.groups:
            self.noise.show_nothing("No shot tells its noise yet: open some mosaic raws of this phone.")
            return
        group = state.groups[0]
        shots = [r for r in group.shots if r.iso and r.noise_a and r.noise_b is not None]
        isos = [r.iso or 1 for r in shots]
        dots = [
            (r.iso or 1, _sigma(r.noise_a or 0, r.noise_b or 0), (r.name or r.key[:12]) not in group.noise.outliers)
            for r in shots
        ]
        low, high = min(isos), max(isos)
        every = [low / 1.2 * (high * 1.44 / low) ** (k / 40) for k in range(41)]
        model = [(i, _sigma(*group.noise.model.at(i))) for i in every]
        band = [[(i, s * f) for i, s in model] for f in (group.noise.error, 1 / group.noise.error)]
        values = [d[1] for d in dots] + [s for _, s in model]
        ticks = tuple((v, f"{v:g} %") for v in (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500))
        y = Scale(min(values) / 1.3, max(values) * 1.3, ticks)
        y = Scale(y.low, y.high, tuple(t for t in ticks if y.low < t[0] < y.high))
        iso = group.noise.ceiling_iso
        said = "" if iso is None else f"shadows usable up to ISO {plain_iso(iso)}"
        self.noise.show_plot(
            doublings(low, high),
            y,
            ("ISO", f"noise at −3 EV · {group.title.split(',')[0]}"),
            dots,
            [model, *band],
            said,
        )

    def _plot_hand(self, state: LookBack) -> None:
        if state.hand is None:
            self.hand.show_nothing(state.hand_said + " Mark at the right which shots were held in the hand.")
            return
        shots = state.hand_shots
        times = [(r.exposure_s or 1) * (r.focal_35mm or FOCAL_TOLD) / FOCAL_TOLD for r in shots]
        dots = [(s, 100.0 if (r.blur_px or 0) >= BLURRED_PX else 0.0, True) for s, r in zip(times, shots, strict=True)]
        low, high = min(times), max(times)
        limit = state.hand.seconds(FOCAL_TOLD)
        every = [low * (high / low) ** (k / 60) for k in range(61)]
        curve = [(s, 100 * blur_chance(s, limit, state.hand.spread)) for s in every]
        ticks = tuple((1 / n, f"1/{n}") for n in (1000, 250, 60, 15, 4)) + ((1.0, "1 s"), (4.0, "4 s"))
        x = Scale(low / 1.2, high * 1.2, tuple(t for t in ticks if low / 1.2 < t[0] < high * 1.2))
        y = Scale(-6, 106, ((0, "0 %"), (50, "50 %"), (100, "100 %")), even=True)
        tenth = time_text(state.hand.seconds(FOCAL_TOLD, 0.1))
        said = f"half blurred at {time_text(limit)}, a tenth at {tenth}"
        self.hand.show_plot(x, y, ("time", f"blurred, at {FOCAL_TOLD:.0f} mm"), dots, [curve], said)

    def _plot_viewfinder(self, state: LookBack) -> None:
        shots = [r for g in state.groups for r in g.shots if r.viewfinder_ev is not None and r.iso]
        if not state.viewfinder or not shots:
            self.viewfinder.show_nothing("Three shots with light near full tell how early the viewfinder warns.")
            return
        learnt = max(state.viewfinder.values(), key=lambda v: v.count)
        values = [r.viewfinder_ev or 0.0 for r in shots]
        reach = max(1.0, math.ceil(max(abs(v) for v in values) + 0.2))
        isos = [r.iso or 1 for r in shots]
        x = doublings(min(isos), max(isos))
        y = Scale(-reach, reach, tuple((float(v), _signed(v)) for v in range(-int(reach), int(reach) + 1)), even=True)
        way = "early" if learnt.value >= 0 else "late"
        self.viewfinder.show_plot(
            x, y, ("ISO", "warns early (+)"), [(r.iso or 1, r.viewfinder_ev or 0.0, True) for r in shots],
            [[(x.low, learnt.value), (x.high, learnt.value)]], f"it warns {abs(learnt.value):.1f} EV {way}",
        )  # fmt: skip

    def _plot_room(self, state: LookBack) -> None:
        shots = [r for g in state.groups[:1] for r in g.shots if r.bytes and r.iso]
        if not state.storage or not shots:
            self.pace.show_nothing("What a shot takes on the phone is told once some are measured.")
            return
        name, most = max(state.storage.items(), key=lambda kv: kv[1].count)
        isos = [r.iso or 1 for r in shots]
        sizes = [(r.bytes or 0) / 1e6 for r in shots]
        top = max(sizes) * 1.15
        step = 10 ** math.floor(math.log10(top / 2))
        step *= next(f for f in (1, 2, 5, 10) if top / (f * step) <= 5)
        ticks = tuple((k * step, f"{k * step:g} MB") for k in range(math.floor(top / step) + 1))
        x = doublings(min(isos), max(isos))
        self.pace.show_plot(
            x, Scale(0, top, ticks, even=True), ("ISO", "a shot with its files"),
            [(r.iso or 1, (r.bytes or 0) / 1e6, True) for r in shots],
            [[(x.low, most.value / 1e6), (x.high, most.value / 1e6)]], f"{name}: {most.value / 1e6:.1f} MB a shot",
        )  # fmt: skip

    # -- what is done

    def _choose(self, item: QListWidgetItem) -> None:
        self.looking.ask("", shoot=str(item.data(Qt.ItemDataRole.UserRole)))

    def _ask(self, key: str) -> None:
        self.looking.ask("" if self.looking.question == key else key)

    def _chosen(self) -> list[Record]:
        rows = sorted({i.row() for i in self.table.selectedIndexes()})
        shots = self.looking.state.shots
        return [shots[k] for k in rows] or list(shots)

    def _told(self, key: str) -> None:
        field = self.fields[key]
        if not field.isModified():
            return
        field.setModified(False)
        state = self.looking.state
        if key == "note":
            if state.shoot:
                self.looking.note(state.shoot, field.text())
        else:
            self.looking.tell(list(state.shots), **{key: field.text()})

    def _ask_forget(self) -> None:
        name = self.looking.state.shoot
        if name and ask_user(
            self, f"Delete the records of {name}?", "Its files stay. What was learnt from these shots is forgotten.",
            "Delete the records", "Keep them",
        ):  # fmt: skip
            self.looking.forget(name)

    def _ask_export(self) -> None:
        start = str(Path.home() / "logbook.csv")
        name, _ = QFileDialog.getSaveFileName(self, "The whole logbook", start, "Table (*.csv);;JSON (*.json)")
        if name:
            path = Path(name)
            self.looking.export(
                path if path.suffix.lower() in (".csv", ".json") else path.with_name(path.name + ".csv")
            )

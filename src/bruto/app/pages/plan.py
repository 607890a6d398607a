"""Plan: a shoot as a list at the left, the forecast picture over the axis of time, a shot's ledger at the right."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.plan_ledger import PlanLedger
from bruto.app.pages.plan_preview import PreviewView
from bruto.app.pages.plan_rows import read_bearing
from bruto.app.pages.plan_side import PlanSide
from bruto.app.pdf import print_html
from bruto.app.widgets.empty_state import EmptyState
from bruto.app.widgets.panel import surface
from bruto.app.widgets.plain_text import ElidedLabel
from bruto.app.widgets.question import ask_user
from bruto.app.widgets.time_axis import Block, TimeAxis
from bruto.catalog import clauses, tr
from bruto.errors import BrutoError
from bruto.plan.examples import example
from bruto.plan.forecast import ShotForecast, longest_arc
from bruto.plan.shot_kinds import TARGETS, kind_of
from bruto.plan.sky_darkness import LEAST_S
from bruto.session.simulated_preview import Axis

PAPERS = {"PDF (*.pdf)": ".pdf", "Web page (*.html)": ".html"}
EMPTY = tr(
    "A plan lists the shots of a day or a night: where, when and which. For each shot Bruto recommends "
    "settings your phone offers, says why, what they cost, and shows a simulated preview. Bruto "
    "calculates sun, moon and stars on this computer; nothing is sent anywhere."
)
OTHER = tr("Other position in the sky…")


class PlanPage(QWidget):
    """All of it follows `session.plan_editor`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.plan_editor = self.session.plan_editor
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.nothing = EmptyState(
            EMPTY,
            (tr("Start a plan"), self._begin),
            (tr("Open an example"), lambda: self.document.begin(example())),
        )
        outer.addWidget(self.nothing)
        self.whole = QWidget()
        outer.addWidget(self.whole)
        layout = QHBoxLayout(self.whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.side = PlanSide(self.plan_editor)
        self.side.wanted.connect(self._wanted)
        layout.addWidget(self.side)
        layout.addWidget(self._middle(), 1)
        self.ledger = PlanLedger(self.plan_editor, host.manners)
        layout.addWidget(self.ledger)
        self.by_day = False
        self.plan_editor.changed.connect(self._show)
        self.calculation.previewed.connect(self._show_picture)
        self._show()

    def _middle(self) -> QWidget:
        holder = surface()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        parts = QSplitter()
        parts.setOrientation(Qt.Orientation.Vertical)
        parts.setChildrenCollapsible(False)
        self.preview = PreviewView()
        parts.addWidget(self.preview)
        low = surface()
        lower = QVBoxLayout(low)
        lower.setContentsMargins(0, 4, 0, 0)
        lower.setSpacing(2)
        row = QHBoxLayout()
        row.setContentsMargins(10, 0, 10, 0)
        self.spans = QButtonGroup(self)
        self.night, self.day = QPushButton(tr("Night")), QPushButton(tr("Day"))
        for button in (self.day, self.night):
            button.setCheckable(True)
            button.setObjectName("inLine")
            self.spans.addButton(button)
            row.addWidget(button)
        self.night.setChecked(True)
        self.night.clicked.connect(lambda: self._turn(False))
        self.day.clicked.connect(lambda: self._turn(True))
        self.target = QComboBox()
        self.target.setAccessibleName(tr("Target of the night"))
        self.target.setToolTip(tr("What is followed through the night and what shots of the sky point at"))
        for key, (name, _) in TARGETS.items():
            self.target.addItem(name, key)
        self.target.addItem(OTHER, None)
        self.target.activated.connect(self._target_chosen)
        row.addWidget(self.target)
        self.other = QLineEdit()
        self.other.setPlaceholderText(tr("right ascension, declination in degrees"))
        self.other.setAccessibleName(tr("Position in the sky"))
        self.other.setToolTip(tr("Right ascension and declination in degrees, for example 83.8, -5.4"))
        self.other.editingFinished.connect(self._other_typed)
        self.other.hide()
        row.addWidget(self.other, 1)
        self.wall = QLineEdit()
        self.wall.setPlaceholderText(tr("wall faces…°"))
        self.wall.setAccessibleName(tr("Direction a wall faces"))
        self.wall.setToolTip(
            tr("Direction a wall faces, degrees clockwise from north; marks when the sun shines on it")
        )
        self.wall.setFixedWidth(110)
        self.wall.editingFinished.connect(self._wall_typed)
        self.wall.hide()
        row.addWidget(self.wall)
        self.status = ElidedLabel("")
        self.status.setObjectName("quiet")
        row.addWidget(self.status, 1)
        lower.addLayout(row)
        self.axis = TimeAxis()
        self.axis.moved.connect(self._moved)
        self.axis.chosen.connect(self.document.choose)
        lower.addWidget(self.axis, 1)
        parts.addWidget(low)
        parts.setStretchFactor(0, 5)
        parts.setStretchFactor(1, 3)
        parts.setSizes([470, 260])
        column.addWidget(parts)
        return holder

    # -- what is shown

    def turned_to(self) -> None:
        """The task is chosen."""
        self.plan_editor.show_first()

    def _axis(self) -> Axis | None:
        sky = self.calculation.sky
        return None if sky is None else (sky.day if self.by_day else sky.night)

    def _show(self) -> None:
        plan = self.document.plan
        self.nothing.setVisible(plan is None)
        self.whole.setVisible(plan is not None)
        if plan is None:
            return
        self._follow_shot()
        self.side.show_plan(self.plan_editor.matches.found())
        key = plan.target if plan.target in TARGETS else None
        self.target.setCurrentIndex(self.target.findData(key) if key is not None else len(TARGETS))
        self.target.setVisible(not self.by_day)
        self.other.setVisible(not self.by_day and key is None)
        self.wall.setVisible(self.by_day)
        for field, text in (
            (self.other, plan.target if key is None else ""),
            (self.wall, "" if plan.facade is None else f"{plan.facade:.0f}°"),
        ):
            if not (field.hasFocus() and field.isModified()):
                field.setText(text)
                field.setModified(False)
        blocks = []
        for k, planned in enumerate(plan.planned_shots):
            span = self.calculation.span_of(planned)
            forecast = self.calculation.forecast(planned)
            axis = self._axis()
            if span is not None and axis is not None and span[1] > axis.begin and span[0] < axis.end:
                minded = forecast is not None and (forecast.full or forecast.fits is False)
                blocks.append(Block(k, planned.title, *span, minded=minded))
        self.axis.show_axis(self._axis(), plan.where.clock, blocks, self.document.chosen)
        self.status.setText(self.calculation.problem or self._sky_summary())
        self.ledger.show_shot(self._axis())
        if self.calculation.picture_of is not self.document.planned:
            self._wait_for_picture()

    def _follow_shot(self) -> None:
        """The axis is the one on which the chosen shot is."""
        planned, sky = self.document.planned, self.calculation.sky
        if planned is None or sky is None or self.axis._drag is not None:
            return
        span = self.calculation.span_of(planned)
        if span is None:
            return
        by_night = kind_of(planned.kind).light == "sky"
        first, second = (sky.night, sky.day) if by_night else (sky.day, sky.night)
        if first.begin <= span[0] < first.end:
            self._turn(not by_night, show=False)
        elif second.begin <= span[0] < second.end:
            self._turn(by_night, show=False)

    def _sky_summary(self) -> str:
        """What decides of the night or the day, in a line."""
        sky, plan = self.calculation.sky, self.document.plan
        if sky is None or plan is None:
            return tr("calculating the sky…")
        if plan.latitude == 0 and plan.longitude == 0 and not plan.place:
            return tr("Type the place on the left: latitude (north) and longitude (east).")
        facts = sky.facts

        def clock(moment: datetime) -> str:
            return f"{moment.astimezone(plan.where.clock):%H:%M}"

        if self.by_day:
            noon = facts.day.noon
            found = facts.day.sun_state or tr(
                "sun at {altitude:.0f}° altitude at {clock}", altitude=noon[1].altitude, clock=clock(noon[0])
            )
            if facts.day.facade is not None:
                lit = ", ".join(f"{clock(a)}–{clock(b)}" for a, b in facts.day.light)
                found = clauses(found, tr("on the wall {lit}", lit=lit) if lit else tr("never on the wall"))
            return found
        night = facts.night
        dark = ", ".join(f"{clock(a)}–{clock(b)}" for a, b in night.dark)
        moon = tr("moon {moon_lit:.0f} % lit", moon_lit=100 * night.moon_lit)
        return night.sun_state or (
            tr("dark {dark}, {moon}", dark=dark, moon=moon) if dark else tr("no moonless dark, {moon}", moon=moon)
        )

    def _wait_for_picture(self) -> None:
        if self.document.planned is None:
            self.preview.show_nothing(tr("Add a shot: a simulated preview appears here."))
        elif self.preview.whole is None:
            self.preview.show_nothing(tr("simulating…"))
        else:
            self.preview.show_waiting()

    def _show_picture(self) -> None:
        picture, planned = self.calculation.picture, self.calculation.picture_of
        if picture is None or planned is None:
            if self.calculation.problem:
                self.preview.show_nothing(self.calculation.problem)
            else:
                self._wait_for_picture()
            return
        forecast = self.calculation.forecast(planned)
        known = "noise" in self.calculation.equipment.known
        whose = tr("your phone's noise") if known else tr("the noise of a typical phone")
        gain = tr("{gain_ev:+.1f} EV", gain_ev=picture.gain_ev)
        self.preview.show_picture(
            picture.whole,
            picture.piece,
            tr("Simulated, {gain}: made-up scene, {whose}", gain=gain, whose=whose),
            self._piece_text(forecast, kind_of(planned.kind).light == "sky"),
        )

    def _piece_text(self, forecast: ShotForecast | None, sky: bool) -> str:
        if forecast is None:
            return tr("A piece at 1:1")
        status = tr("A piece at 1:1: ") if sky else tr("Grain and movement at 1:1: ")
        if sky:
            move = "" if forecast.trail is None else tr("stars move {trail:.1f} px in a frame, ", trail=forecast.trail)
            planned, plan, facts = (
                self.document.planned,
                self.document.plan,
                self.calculation.sky,
            )
            if planned is not None and planned.kind == "trail" and plan is not None and facts is not None:
                length, alternative = longest_arc(planned, plan, self.calculation.equipment, facts.facts)
                move = (
                    tr("arcs up to {length:.0f} px, starting {alternative}; ", length=length, alternative=alternative)
                    if alternative
                    else move
                )
            return tr("{status}{move}the sky has {snr:.1f} × its noise", status=status, move=move, snr=forecast.snr)
        blur = "" if forecast.blur is None else tr(", {blur:.0f} of 100 frames blurred", blur=100 * forecast.blur)
        return tr("{status}grey has {snr:.0f} × its noise{blur}", status=status, snr=forecast.snr, blur=blur)

    # -- what is done

    def _turn(self, by_day: bool, show: bool = True) -> None:
        self.by_day = by_day
        (self.day if by_day else self.night).setChecked(True)
        if show:
            self._show()

    def _moved(self, index: int, begin: datetime | None, final: bool) -> None:
        if begin is not None:
            self.document.choose(index)
            self.document.change_shot(True, at=self.plan_editor.stored("at", begin.astimezone(UTC).timestamp()))
        if final:
            self.document.settle()

    def _target_chosen(self, _: int) -> None:
        key = self.target.currentData()
        if key is not None:
            self.document.change(target=str(key))
        else:
            self.other.show()
            self.other.setFocus()

    def _other_typed(self) -> None:
        if self.other.isModified():
            self.other.setModified(False)
            self.document.change(target=self.other.text().strip())

    def _wall_typed(self) -> None:
        if not self.wall.isModified():
            return
        self.wall.setModified(False)
        text = self.wall.text().strip()
        value = read_bearing(text) if text else None
        if text and (value is None or not 0 <= value <= 360):
            self.session.say(
                tr("A direction is 0 to 360 degrees or a compass point such as SW, not '{text}'.", text=text)
            )
            return
        self.document.change(facade=value)

    def _wanted(self, what: str) -> None:
        if what == "new":
            self._begin()
        elif what == "darkness":
            self._ask_darkness()
        elif what == "delete":
            self._ask_delete()
        else:
            self._ask_paper(what == "night")

    def _begin(self) -> None:
        """A new plan, whose name and place are typed first."""
        self.plan_editor.new()
        field = self.side.texts["name"]
        field.setFocus(Qt.FocusReason.OtherFocusReason)
        field.selectAll()

    def _ask_darkness(self) -> None:
        """Of the shot that is open where it is a long exposure, else of a file."""
        shot = self.session.shoot.current
        if shot is not None and shot.raw is not None and shot.seen and (shot.seen.exposure_s or 0) >= LEAST_S:
            self.plan_editor.measure_darkness(shot.raw)
            return
        name, _ = QFileDialog.getOpenFileName(self, tr("A raw of the sky"), "", tr("Raws (*.dng *.DNG)"))
        if name:
            self.plan_editor.measure_darkness(Path(name))

    def _ask_delete(self) -> None:
        plan = self.document.plan
        if plan is not None and ask_user(
            self,
            tr("Delete the plan {name}?", name=plan.name),
            tr("Shots taken for it stay."),
            tr("Delete plan"),
            tr("Cancel"),
        ):
            self.plan_editor.delete()

    def _ask_paper(self, night: bool) -> None:
        plan = self.document.plan
        if plan is None:
            return
        start = str(Path.home() / f"{plan.date} {plan.name.replace('/', '-')}.pdf")
        name, kind = QFileDialog.getSaveFileName(self, tr("Shot list"), start, ";;".join(PAPERS))
        if not name:
            return
        path = Path(name)
        chosen = path.suffix.lower() in PAPERS.values()
        path = path if chosen else path.with_name(path.name + PAPERS.get(kind, ".pdf"))
        try:
            self.plan_editor.print_list(path, night, chosen, print_html)
        except (BrutoError, OSError) as error:
            self.session.say(str(error))

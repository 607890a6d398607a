"""Plan: a shoot as a list at the left, the forecast picture over the axis of time, a shot's ledger at the right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFileDialog,
    QSplitter,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.plan_ledger import PlanLedger
from bruto.app.pages.plan_preview import PreviewView
from bruto.app.pages.plan_side import PlanSide
from bruto.app.pages.plan_sky import PlanSky
from bruto.app.pdf import print_html
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.empty_state import EmptyState
from bruto.app.widgets.panel import surface
from bruto.app.widgets.question import ask_user
from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.plan.examples import example
from bruto.plan.sky_darkness import LEAST_S
from bruto.sensor.noise_model import NoiseSource
from bruto.session.plan_texts import piece_text

PAPERS = {"PDF (*.pdf)": ".pdf", "Web page (*.html)": ".html"}
EMPTY = tr(
    "A plan lists the shots of a day or a night: where, when and which. For each shot Bruto recommends "
    "settings your phone offers, says why, what they cost, and shows a simulated preview. Bruto "
    "calculates sun, moon and stars on this computer; nothing is sent anywhere."
)


class PlanPage(QWidget):
    """All of it follows `session.plan_editor`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.plan_editor = self.session.plan_editor
        self.document, self.calculation = self.plan_editor.document, self.plan_editor.calculation
        outer = down(self, margins=0)
        self.nothing = EmptyState(
            EMPTY,
            (tr("Start a plan"), self._begin),
            (tr("Open an example"), lambda: self.document.begin(example())),
        )
        self.whole = QWidget()
        fill(outer, self.nothing, self.whole)
        layout = across(self.whole, margins=0, gap=0)
        self.side = PlanSide(self.plan_editor)
        self.side.wanted.connect(self._wanted)
        self.ledger = PlanLedger(self.plan_editor, host.manners)
        fill(layout, self.side, (self._middle(), 1), self.ledger)
        self.plan_editor.changed.connect(self._show)
        self.calculation.previewed.connect(self._show_picture)
        self._show()

    def _middle(self) -> QWidget:
        holder = surface()
        column = down(holder, margins=0, gap=0)
        parts = build(QSplitter, orientation=Qt.Orientation.Vertical, childrenCollapsible=False)
        self.preview = PreviewView()
        self.sky = PlanSky(self.plan_editor)
        self.axis = self.sky.axis
        fill(parts, self.preview, self.sky)
        parts.setStretchFactor(0, 5)
        parts.setStretchFactor(1, 3)
        parts.setSizes([470, 260])
        column.addWidget(parts)
        return holder

    # -- what is shown

    def turned_to(self) -> None:
        """The task is chosen."""
        self.plan_editor.show_first()

    def _show(self) -> None:
        plan = self.document.plan
        self.nothing.setVisible(plan is None)
        self.whole.setVisible(plan is not None)
        if plan is None:
            return
        self.sky.follow_shot()
        self.side.show_plan(self.plan_editor.matches.found())
        self.sky.show_plan(plan)
        self.ledger.show_shot(self.sky.shown)
        if self.calculation.picture_of is not self.document.planned:
            self._wait_for_picture()

    def _wait_for_picture(self) -> None:
        if self.calculation.problem:
            self.preview.show_nothing(self.calculation.problem)
        elif self.document.planned is None:
            self.preview.show_nothing(tr("Add a shot: a simulated preview appears here."))
        elif self.preview.whole is None:
            self.preview.show_nothing(tr("simulating…"))
        else:
            self.preview.show_waiting()

    def _show_picture(self) -> None:
        picture, planned = self.calculation.picture, self.calculation.picture_of
        if picture is None or planned is None:
            self._wait_for_picture()
            return
        forecast = self.calculation.forecast(planned)
        typical = self.calculation.equipment.noise.source is NoiseSource.TYPICAL
        whose = tr("the noise of a typical phone") if typical else tr("your phone's noise")
        gain = tr("{gain_ev:+.1f} EV", gain_ev=picture.gain_ev)
        self.preview.show_picture(
            picture.whole,
            picture.piece,
            tr("Simulated, {gain}: made-up scene, {whose}", gain=gain, whose=whose),
            piece_text(self.document, self.calculation, forecast),
        )

    # -- what is done

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
        field = self.side.form.widgets["name"]
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

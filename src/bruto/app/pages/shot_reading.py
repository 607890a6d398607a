"""The reading of one shot: its light in stops, the verdict and advice in plain words, and what is in the file."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.light_bars import LightBars
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.container.raw_frame import RawMeta
from bruto.sensor.report import PictureReport, SensorReport
from bruto.shoot.intent import Finding
from bruto.shoot.ranking import Rank
from bruto.shoot.shots import Shot
from bruto.shoot.verdicts import VERDICTS

SHOWN_EV = 0.05
"""A warning that comes less early or late than this comes in time, and nothing is said of it."""
NAMES = (("r", tr("red")), ("g", tr("green")), ("b", tr("blue")))


def clipped_text(clipped: dict[str, float]) -> str:
    """Which channels are clipped, and how much, as a note."""
    parts = [f"{name} {clipped[key]:.2f}" for key, name in NAMES if clipped[key] >= 0.01]
    return tr("clipped: {channels} %", channels=", ".join(parts)) if parts else tr("nothing clipped")


def phone_text(phone: PictureReport) -> str:
    """What is clipped in the phone's picture, and whether before or after the raw."""
    full = phone.clipped_percent
    text = (
        tr("clipped: any channel {any:.2f} %, all {all:.2f} %", any=full["any"], all=full["all"])
        if full["any"] >= 0.01
        else tr("nothing clipped")
    )
    if phone.offset_ev is None:
        return text
    if phone.offset_ev >= 0:
        return tr(
            "{text}; clips {offset_ev:.1f} EV before the raw, which holds more", text=text, offset_ev=phone.offset_ev
        )
    return tr(
        "{text}; clips {offset_ev:.1f} EV after the raw: what it shows there is lost in the raw",
        text=text,
        offset_ev=-phone.offset_ev,
    )


def fact_rows(
    report: SensorReport, meta: RawMeta, learnt_ev: float | None = None, phone: PictureReport | None = None
) -> list[tuple[str, str]]:
    """The measured facts of a raw as rows of name and value with unit. `learnt_ev`: see `Shoot.viewfinder`; `phone`: of
    the phone's picture.
    """
    w, h = meta.oriented_size
    levels = f"{report.levels_used:,}".replace(",", " ")
    kind = tr("mosaic {cfa}", cfa=meta.cfa) if meta.kind == "mosaic" else tr("processed, linear")
    a, b = report.noise
    ma, mb = report.noise_measured
    at_grey = 100 * math.sqrt(a * 0.18 + b) / 0.18
    shown = 100 * math.sqrt(ma * 0.18 + mb) / 0.18
    low, high = report.noise_interval
    noise = tr(
        "{shown:.2f} % in the picture ({shown2:.2f} to {shown3:.2f})",
        shown=shown,
        shown2=shown * low,
        shown3=shown * high,
    )
    if report.noise_source == "file":
        noise = tr(
            "file {at_grey:.2f} %, picture {shown:.2f} % ({shown2:.2f} to {shown3:.2f})",
            at_grey=at_grey,
            shown=shown,
            shown2=shown * low,
            shown3=shown * high,
        )
    rows = [
        (tr("Picture"), tr("{w} × {h} px, {kind}", w=w, h=h, kind=kind)),
        (
            tr("Container"),
            tr("{bits_container} bit, {compression}", bits_container=meta.bits_container, compression=meta.compression),
        ),
        (
            tr("Levels used"),
            tr(
                "{levels}, so {effective_bits:.1f} bits",
                levels=levels,
                effective_bits=report.effective_bits,
            ),
        ),
        (tr("Black, white"), f"{float(np.mean(meta.black)):.0f}, {float(np.mean(meta.white)):.0f}"),
        (tr("Headroom"), tr("{headroom_ev:.2f} EV until the first channel clips", headroom_ev=report.headroom_ev)),
        (tr("Noise at mid-grey"), noise),
        (tr("Range"), tr("{dynamic_range_ev:.1f} EV down to signal = noise", dynamic_range_ev=report.dynamic_range_ev)),
        (
            tr("Shadow lift"),
            tr(
                "{shadow_lift_ev:.1f} EV at 1:1, {shadow_lift_screen_ev:.1f} EV at screen size",
                shadow_lift_ev=report.shadow_lift_ev,
                shadow_lift_screen_ev=report.shadow_lift_screen_ev,
            ),
        ),
    ]
    if report.edge_blur_px is not None:
        rows.append(
            (tr("Edges"), tr("{edge_blur_px:.2f} px blur (standard deviation)", edge_blur_px=report.edge_blur_px))
        )
    if report.motion_px is not None:
        rows.append(
            (
                tr("Movement"),
                tr(
                    "{motion_px:.1f} px, {motion_degrees:.0f}° from horizontal",
                    motion_px=report.motion_px,
                    motion_degrees=report.motion_degrees,
                ),
            )
        )
    if report.hot_sites:
        rows.append((tr("Hot pixels"), tr("{hot_sites}, corrected on opening", hot_sites=report.hot_sites)))
    if report.glare_at_most is not None:
        rows.append(
            (
                tr("Veiling glare"),
                tr("at most {glare_at_most:.0f} % of the light is scattered", glare_at_most=100 * report.glare_at_most),
            )
        )
    if report.preview_offset_ev is not None and abs(report.preview_offset_ev) >= SHOWN_EV:
        word = tr("early") if report.preview_offset_ev >= 0 else tr("late")
        rows.append(
            (
                tr("Viewfinder"),
                tr(
                    "warns {preview_offset_ev:.1f} EV {word} (judged by the embedded preview)",
                    preview_offset_ev=abs(report.preview_offset_ev),
                    word=word,
                ),
            )
        )
    if learnt_ev is not None:
        word = tr("early") if learnt_ev >= 0 else tr("late")
        learnt_text = (
            tr("{learnt_ev:.1f} EV {word}", learnt_ev=abs(learnt_ev), word=word)
            if abs(learnt_ev) >= SHOWN_EV
            else tr("in time")
        )
        rows.append(
            (tr("This camera app"), tr("warns {learnt_text} (median of its shots so far)", learnt_text=learnt_text))
        )
    if phone is not None:
        rows.append((tr("Phone's picture"), phone_text(phone)))
    if meta.gain_maps:
        v, h_ = meta.gain_maps[0].gains.shape[:2]
        rows.append((tr("Lens shading"), tr("gain map {h_} × {v}", h_=h_, v=v)))
    if meta.preview_size:
        rows.append(
            (
                tr("Embedded preview"),
                tr(
                    "{preview_size} × {preview_size2} px, finished by the phone",
                    preview_size=meta.preview_size[0],
                    preview_size2=meta.preview_size[1],
                ),
            )
        )
    rows.append((tr("Location"), tr("in the file") if meta.gps else tr("not in the file")))
    return rows


class Reading(QScrollArea):
    """`show_report` fills it. Emits `verdict`, `noted(note, gear)`, `gear_for_set(gear)` and `tree_wanted`."""

    verdict = Signal(str)
    noted = Signal(str, str)
    gear_for_set = Signal(str)
    tree_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = build(QWidget, objectName="panelBody")
        self.setWidget(body)
        column = down(body, margins=(10, 6, 12, 12), gap=8)
        self.raw_light = LightBars(tr("Raw, stops"))
        self.preview_light = LightBars(tr("Embedded preview"))
        self.advice = build(QFrame, objectName="row")
        self.advice_text = Label("", wordWrap=True, textInteractionFlags=Qt.TextInteractionFlag.TextSelectableByMouse)
        inside = down(self.advice, margins=(10, 8, 10, 8))
        inside.addWidget(self.advice_text)
        fill(column, self.raw_light, self.preview_light, self.advice)
        judge = across(gap=6)
        self.judges: dict[str, QPushButton] = {}
        for found in VERDICTS:
            button = build(
                QPushButton,
                found.text,
                checkable=True,
                toolTip=tr(
                    "{title}: {meaning}. Click again to remove the verdict.", title=found.title, meaning=found.meaning
                ),
                clicked=lambda _=False, v=found.id: self.verdict.emit(v),
            )
            self.judges[found.id] = button
            judge.addWidget(button)
        judge.addStretch(1)
        column.addLayout(judge)
        words = QGridLayout()
        words.setSpacing(6)
        self.note, self.gear = QLineEdit(), QLineEdit()
        for k, (edit, name, hint) in enumerate(
            (
                (self.note, tr("Note"), tr("what to remember about this shot")),
                (self.gear, tr("Gear"), tr("add-on lens, filter, tripod")),
            )
        ):
            label = Label(name, objectName="quiet")
            words.addWidget(label, k, 0)
            edit.setPlaceholderText(hint)
            edit.setAccessibleName(name)
            edit.editingFinished.connect(self._noted)
            words.addWidget(edit, k, 1, 1, 2 if edit is self.note else 1)
        self.set_button = build(
            QPushButton,
            tr("to the set"),
            toolTip=tr("Note this gear for every shot of the set"),
            clicked=lambda: self.gear_for_set.emit(self.gear.text()),
        )
        words.addWidget(self.set_button, 1, 2)
        self.rows = QWidget()
        self._grid = QGridLayout(self.rows)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(0)
        self._grid.setColumnStretch(1, 1)
        self._facts: list[tuple[Label, Label]] = []
        self.tree_button = build(
            QPushButton,
            tr("All metadata…"),
            toolTip=tr("Everything the file says about itself (Ctrl+I)"),
            clicked=self.tree_wanted.emit,
        )
        fill(column, words, self.rows, self.tree_button, 1)

    def _noted(self) -> None:
        self.noted.emit(self.note.text(), self.gear.text())

    def show_words(self, verdict: str, note: str, gear: str, in_set: bool = False) -> None:
        """What the user said of the shot; `in_set`: whether others belong to it."""
        self.set_button.setVisible(in_set)
        for value, button in self.judges.items():
            button.setChecked(value == verdict)
        for edit, text in ((self.note, note), (self.gear, gear)):
            if edit.text() != text:
                edit.setText(text)

    def show_report(
        self,
        shot: Shot | None,
        meta: RawMeta | None,
        report: SensorReport | None,
        findings: list[Finding],
        ranks: list[Rank],
        learnt_ev: float | None = None,
        alike: list[Rank] | None = None,
        phone: PictureReport | None = None,
        phone_shown: bool = False,
    ) -> None:
        """Fill everything for a shot; without a report what is known is shown.

        `alike`: single shots of the same view; `phone`: of the phone's picture, whose light stands in the preview's
        place while it is shown.
        """
        enabled = shot is not None and not shot.problem
        for widget in (*self.judges.values(), self.note, self.gear, self.tree_button):
            widget.setEnabled(enabled)
        for widget in (self.raw_light, self.preview_light):
            widget.setVisible(shot is not None and shot.raw is not None and not shot.problem)
        self._show_light(meta, report)
        self.preview_light.title = tr("Embedded preview")
        if phone is not None and phone_shown:
            self.preview_light.title = tr("Phone's picture")
            any_clipped = phone.clipped_percent["any"] >= 0.01
            note = phone_text(phone).split(";")[0]
            self.preview_light.set_light(phone.light, (math.log2(1 / 0.18),), note, any_clipped)
        self.advice_text.setText(self._advice(shot, report, findings, ranks, alike or []))
        self.advice.setVisible(bool(self.advice_text.text()))
        self._show_rows(fact_rows(report, meta, learnt_ev, phone) if report is not None and meta is not None else [])

    def _show_light(self, meta: RawMeta | None, report: SensorReport | None) -> None:
        if meta is None or report is None or meta.kind == "picture":
            for bars in (self.raw_light, self.preview_light):
                bars.set_light((), (), tr("measuring…"), False)
            return
        gains = meta.as_shot_neutral[1] / meta.as_shot_neutral
        full = tuple(float(math.log2(g / 0.18) + meta.baseline_exposure) for g in gains)
        self.raw_light.set_light(
            report.light, full, clipped_text(report.clipped_percent), report.clipped_percent["any"] >= 0.01
        )
        shown = report.preview_clipped_percent
        if shown is None:
            self.preview_light.set_light((), (), tr("no embedded preview"), False)
        else:
            note = (
                tr("clipped: any {any:.2f} %, all {all:.2f} %", any=shown["any"], all=shown["all"])
                if shown["any"] >= 0.01
                else tr("nothing clipped")
            )
            self.preview_light.set_light(report.preview_light, (math.log2(1 / 0.18),), note, shown["any"] >= 0.01)

    def _advice(
        self,
        shot: Shot | None,
        report: SensorReport | None,
        findings: list[Finding],
        ranks: list[Rank],
        alike: list[Rank],
    ) -> str:
        if shot is None:
            return ""
        if shot.problem:
            return tr("Cannot be opened\n{problem}", problem=shot.problem)
        lines = [tr("Intended and recorded: {text}", text=f.text) for f in findings]
        if report is not None:
            setting = next((a for a in report.advice if a.topic == "setting"), None)
            first = report.advice[0]
            lines.append(tr("Next time: {text}", text=first.text) + (f" {setting.text}" if setting else ""))
            lines += [a.text for a in report.advice[1:] if a.topic != "setting"]
        elif shot.raw is not None:
            lines.append(tr("Measuring…"))
        for group, title, whole in (
            (ranks, tr("In its set"), tr("the set")),
            (alike, tr("Of {alike_count} takes of this view", alike_count=len(alike)), "them"),
        ):
            mine = next((r for r in group if r.shot.main == shot.main), None)
            if mine is not None:
                best = tr(
                    "number {place} of {group_count}; best is {name}",
                    place=mine.place,
                    group_count=len(group),
                    name=group[0].shot.name,
                )
                best = tr("best of {whole}", whole=whole) if mine.place == 1 else best
                lines.append(f"{title}: {best}; {', '.join(mine.reasons)}.")
        return "\n\n".join(lines)

    def _show_rows(self, rows: list[tuple[str, str]]) -> None:
        """Fill the rows of facts; labels are used again, so that paging makes no new ones."""
        while len(self._facts) < len(rows):
            label, text = Label(""), Label("")
            label.setObjectName("factName")
            text.setObjectName("fact")
            text.setWordWrap(True)
            text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(label, len(self._facts), 0)
            self._grid.addWidget(text, len(self._facts), 1)
            self._facts.append((label, text))
        for k, (label, text) in enumerate(self._facts):
            name, value = rows[k] if k < len(rows) else ("", "")
            label.setText(name)
            text.setText(value)
            label.setVisible(k < len(rows))
            text.setVisible(k < len(rows))

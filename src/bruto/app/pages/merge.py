"""Merge: the frames of a set with their verdicts over time, the method, and the result."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QPushButton,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.clip_button import ClipButton
from bruto.app.pages.merge_choices import MethodBox, MethodChoices
from bruto.app.pages.merge_progress import MergeProgress
from bruto.app.pages.merge_views import MergeViews
from bruto.app.shot_facts import set_title
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.frame_chart import LEAST_WINDOW, FrameChart
from bruto.app.widgets.gain_plot import GainPlot
from bruto.app.widgets.panel import clear, scrolled, side_panel
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.strokes import strokes_as_json
from bruto.errors import BrutoError
from bruto.merge.methods import METHODS, method_of
from bruto.merge.methods.method import MergeSteps
from bruto.merge.methods.starfield import SKY
from bruto.merge.result import MergeResult
from bruto.output_planner import Outputs
from bruto.session.merge_jobs import LiveView, MergeView
from bruto.session.merge_texts import judged_text, outcome_text
from bruto.shoot.sets import kind_by_hand
from bruto.shoot.shots import Shot, ShotSet
from bruto.tasks import Task

MERGED_SETS = {kind for method in METHODS for kind in method.sets}
"""Kinds of set that some method is for."""


CLIP_FROM = 8
"""Frames from which a set can become a clip."""
FEW = 20
"""Frames of a night below which they are laid on each other by their stars, as trails would be short."""
MOST_SETS = 12
"""Sets that are listed to be gone to."""


class SetLinks(QWidget):
    """Sets to go to, each as a button."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.column = host, down(self, margins=0, gap=4)

    def show_sets(self, sets: Sequence[ShotSet]) -> None:
        """Other sets."""
        clear(self.column)
        for group in sets:
            button = build(
                QPushButton,
                tr("{name}: {what}", name=group.shots[0].name, what=set_title(group)),
                clicked=lambda _=False, s=group.shots[0]: self.host.choose(s),
            )
            self.column.addWidget(button)


class MergePage(QWidget):
    """The set of the current shot; a merge goes on whatever is looked at meanwhile."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session, self.merging = host, host.session, host.session.merging
        self._output = Path()
        self.group: ShotSet | None = None
        layout = across(self, margins=0, gap=0)
        middle = down(gap=0)
        self.views = MergeViews()
        self.tag, self.which, self.views_buttons = self.views.tag, self.views.which, self.views.buttons
        self.stage, self.curtain, self.places = self.views.stage, self.views.curtain, self.views.places
        self.border = self.views.border
        self.chart = FrameChart()
        fill(middle, (self.views, 1), self.chart)
        side, whole = side_panel(tr("Sequence"), 8)
        scroll, column = scrolled(8)
        whole.addWidget(scroll, 1)
        self.facts = Label("", wordWrap=True)
        self.sets = SetLinks(host)
        self.method = MethodBox()
        self.expect = Label("", objectName="quiet", wordWrap=True)
        self.choices = MethodChoices()
        self.plot = GainPlot()
        self.go = build(
            QPushButton,
            tr("Merge"),
            objectName="primary",
            toolTip=tr("Merge the chosen frames into one raw beside them"),
            clicked=self._start,
        )
        self.running = MergeProgress(self.session)
        self.running.changed.connect(self._name_go)
        self.border.hide()
        self.border.changed.connect(self._name_go)
        # what is said while frames are looked at stands below: it must not move the button from under the hand
        self.judged = Label("", wordWrap=True)
        self.suggested = build(
            QPushButton,
            tr("Exclude bad frames"),
            toolTip=tr("Use all frames except those marked red in the chart"),
            clicked=self.chart.take_suggested,
        )
        self.outcome = Label("", wordWrap=True, textInteractionFlags=Qt.TextInteractionFlag.TextSelectableByMouse)
        self.open_button = QPushButton(tr("Correct the result"))
        self.open_button.hide()
        self.open_button.clicked.connect(self._open_result)
        self.clip_button = ClipButton(host, lambda: [s.raw for s in self._chosen() if s.raw is not None])
        fill(column, self.facts, self.sets, Label(tr("How the frames are combined")), self.method, self.expect)
        fill(column, self.choices, self.plot, self.go, self.running, self.border, self.judged, self.suggested)
        fill(column, self.outcome, self.open_button, 1, self.clip_button)
        fill(layout, (middle, 1), side)
        self.chart.chosen_changed.connect(self._describe)
        self.method.currentIndexChanged.connect(self._method_changed)
        self.merging.judged.connect(self._show_judged)
        self.merging.live.connect(self._show_live)
        self.merging.finished.connect(self.finish)
        self.merging.failed.connect(lambda text: self.finish(None, text))
        self.merging.seen.connect(self._seen)
        self.session.opened.shown.connect(self._shot_changed)
        self.session.shoot.opened.connect(self._shot_changed)
        self.session.shoot.selection_changed.connect(self._shot_changed)
        self._shot_changed()

    def _shot_changed(self) -> None:
        shoot = self.session.shoot
        shot = shoot.current
        group = None if shot is None else shoot.set_of(shot)
        chosen = tuple(s for s in shoot.selection if s.raw is not None and not s.problem)
        if len(chosen) > 1 and (group is None or any(s not in group.shots for s in chosen)):
            group = ShotSet(kind_by_hand(chosen), chosen)  # what was selected by hand
        self.set_group(group)
        self._list_sets()

    def _list_sets(self) -> None:
        """Where the shot stands alone: the sets of the shoot, to go to."""
        alone = self.group is None or self.group.kind not in MERGED_SETS
        self.sets.show_sets([g for g in self.session.shoot.sets if g.kind in MERGED_SETS][:MOST_SETS] if alone else [])

    def _open_result(self) -> None:
        shot = next((s for s in self.session.shoot.shots if s.raw == self._output), None)
        if shot is not None:
            self.host.choose(shot)
            self.host.set_task(Task.CORRECT)

    def _seen(self, result: MergeResult, look: MergeView) -> None:
        """The result developed beside one of its frames, where its set is still shown."""
        if self.chart.result is result:
            self.views.show_look(look)

    def _show_live(self, look: LiveView, files: list[Path]) -> None:
        """What a running merge holds so far, where its set is shown."""
        if self.merging.running is not None and set(files) <= {s.raw for s in self.chart.shots}:
            self.views.show_live(look)

    def set_group(self, group: ShotSet | None) -> None:
        """Show a set; None or a single shot says what to choose."""
        same = (
            self.group is not None
            and group is not None
            and group.kind == self.group.kind
            and [s.name for s in group.shots] == [s.name for s in self.group.shots]
        )
        self.group = group
        if same:
            return
        self.open_button.hide()
        self.border.clear()
        self.outcome.setText("")
        usable = group is not None and group.kind in MERGED_SETS
        self.method.clear()
        if usable:
            assert group is not None
            night = group.kind == "trail"
            shown = (*group.tests, *group.shots) if night else group.shots
            self.chart.set_frames(shown, night, len(shown) - len(group.shots))
            self.merging.judge([s.raw for s in self.chart.shots if s.raw is not None], night)
            self.method.show_methods(group.kind, SKY.key if night and len(group.shots) < FEW else "")
        else:
            self.chart.set_frames(())
        self.method.setEnabled(usable)
        self._show_judged(())
        self._show_reference()
        self._method_changed()
        self.running.refresh()

    def _method_changed(self) -> None:
        """Other choices, of another method."""
        key = self.method.currentData()
        self.choices.show_choices(method_of(str(key)).choices if key else ())
        self.host.manners.attach(self)
        self._describe()

    def values(self) -> dict[str, Any]:
        """The choices that the method leaves, as they stand."""
        found = self.choices.values()
        paints, strokes = method_of(str(self.method.currentData())).paints, self.border.strokes()
        return {**found, paints: strokes_as_json(strokes)} if paints and strokes else found

    def _name_go(self) -> None:
        n = len(self._chosen())
        self.clip_button.setVisible(self.group is not None and self.group.kind in ("trail", "burst") and n >= CLIP_FROM)
        again = self.border.undo.isEnabled() and self.method.currentData() == SKY.key
        text = tr("Merge {n} frames again", n=n) if again else tr("Merge {n} frames", n=n)
        usable = self.group is not None and self.group.kind in MERGED_SETS
        self.go.setText(
            tr("{text} after this one", text=text)
            if self.merging.running is not None and usable
            else text
            if usable
            else tr("Merge")
        )
        self.go.setEnabled(usable and n >= 2)

    def _show_judged(self, frames: Sequence[Any]) -> None:
        """What is known of a night's frames, and the button that acts on it."""
        self.chart.set_judged(frames)
        self._show_thumbs()
        bad = [self.chart.why(k) for k in self.chart.bad()]
        there = bool(self.chart.shots)
        self.suggested.setVisible(there)
        self.suggested.setEnabled(bool(bad))
        self.judged.setVisible(there)
        if len(frames) < len(self.chart.shots):
            self.judged.setText(
                tr(
                    "Checking frames, {frames_count} of {shots_count}…",
                    frames_count=len(frames),
                    shots_count=len(self.chart.shots),
                )
                if there
                else ""
            )
            return
        self.judged.setText(judged_text(frames, bad))

    def _show_thumbs(self) -> None:
        self.chart.show_thumbs(self.host.thumbs.listed.thumbs, self.window().height() >= LEAST_WINDOW)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._show_thumbs()

    def _show_reference(self) -> None:
        """The first frame's preview, until there is a result."""
        if self.group is None or self.group.kind not in MERGED_SETS:
            self.views.show_nothing(
                tr("Choose a burst or a bracket on the right or in the list, or select several shots.")
            )
            return
        self.views.show_shot(self.group.shots[0])

    def _chosen(self) -> list[Shot]:
        return [s for s, used in zip(self.chart.shots, self.chart.used, strict=True) if used]

    def _describe(self) -> None:
        chosen = self._chosen()
        n = len(chosen)
        if self.group is None or self.group.kind not in MERGED_SETS:
            self.which.setText("")
            self.facts.setText(
                tr(
                    "This is a single shot. Choose a burst (same settings, seconds apart) or a bracket (stepped "
                    "exposure), or select several shots."
                )
            )
            self.expect.setText("")
            self.plot.show_gain(0, None)
            self._name_go()
            return
        self.which.setText(
            tr("{what}, {n} used", what=set_title(replace(self.group, shots=tuple(self.chart.shots))), n=n)
        )
        first = self.group.shots[0].meta
        assert first is not None
        self.facts.setText(
            tr(
                "{n} of {shots_count} used\n{width} × {height} px each, {iso}",
                n=n,
                shots_count=len(self.chart.shots),
                width=first.width,
                height=first.height,
                iso=tr("ISO {iso:.0f}", iso=first.iso) if first.iso else tr("ISO not known"),
            )
        )
        frames = [MergeSteps(s.meta.exposure_s, s.meta.iso) for s in chosen if s.meta]
        if self.method.currentData():
            method = method_of(str(self.method.currentData()))
            self.expect.setText(method.expect(frames))
            result = self.chart.result
            reached: tuple[tuple[int, float], ...] = ()
            if result is not None:
                reached = tuple((k + 1, gain) for k, gain in enumerate(result.gains))
                used = sum(f.used for f in result.frames)
                reached = reached or ((used, result.noise_gain),)
            self.plot.show_gain(n, method.gain, reached)
        self._name_go()

    def _start(self) -> None:
        chosen = self._chosen()
        if self.group is None or len(chosen) < 2:
            return
        raws = [s.raw for s in chosen if s.raw is not None]
        base = raws[0]
        kind = str(self.method.currentData())
        stem = f"{base.stem}-{kind}-of-{len(raws)}"
        try:
            target = Outputs(raws).in_folder(base.parent, stem + ".dng")
        except BrutoError as error:
            self.finish(None, str(error))
            return
        if self.merging.running is not None:
            self.merging.start(raws, kind, target, self.values())
            return
        self._output = target.path
        self.outcome.setText("")
        self.open_button.hide()
        self.views.begin_live()
        self.merging.start(raws, kind, target, self.values())
        self.running.refresh()

    def finish(self, result: MergeResult | None, problem: str = "") -> None:
        """Show the result, or what went wrong."""
        self.views.begin_live()
        self.running.refresh()
        self.outcome.setObjectName("warning" if result is None else "")
        self.outcome.style().polish(self.outcome)
        if result is None:
            self.outcome.setText(problem)
            return
        if self._is_shown(result):
            self.chart.set_result(result)
        self._describe()
        self._output = result.output
        self.outcome.setText(outcome_text(result))
        self.open_button.show()

    def _is_shown(self, result: MergeResult) -> bool:
        """Whether a result is of the set that is shown."""
        names = {s.raw.name for s in self.chart.shots if s.raw is not None}
        return all(Path(f.file).name in names for f in result.frames)

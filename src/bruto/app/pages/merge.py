"""Merge: the frames of a set with their verdicts over time, the method, and the result."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.pages.clip_button import ClipButton
from bruto.app.pages.merge_choices import MethodChoices
from bruto.app.pages.merge_views import MergeViews
from bruto.app.shot_facts import set_title
from bruto.app.widgets.frame_chart import LEAST_WINDOW, FrameChart, reference_of
from bruto.app.widgets.gain_plot import GainPlot
from bruto.app.widgets.panel import clear, scrolled, side_panel
from bruto.app.widgets.plain_text import Label
from bruto.catalog import sentences, tr, trn
from bruto.develop.strokes import strokes_as_json
from bruto.errors import BrutoError
from bruto.merge.methods import METHODS, method_of
from bruto.merge.methods.method import MergeSteps
from bruto.merge.methods.starfield import SKY
from bruto.merge.rejection import RejectionKind, kind_of_rejection
from bruto.merge.result import MergeResult
from bruto.output_planner import Outputs
from bruto.session.long_tasks import LongTask, TaskState
from bruto.session.merge_jobs import LiveView, MergeView
from bruto.session.unfinished_jobs import MERGE
from bruto.shoot.shots import Shot, ShotSet, oriented_preview
from bruto.tasks import Task

MERGED_SETS = {kind for method in METHODS for kind in method.sets}
"""Kinds of set that some method is for."""


CLIP_FROM = 8
"""Frames from which a set can become a clip."""
FEW = 20
"""Frames of a night below which they are laid on each other by their stars, as trails would be short."""
ROW = 24
"""Height of a method in the list of methods, pixels."""
MOST_SETS = 12
"""Sets that are listed to be gone to."""
MOST_NAMED = 8
"""Frames left out that are reported one by one."""
SAME_EV = 0.3
"""Exposures that differ by less are the same."""


def kind_of(shots: Sequence[Shot]) -> str:
    """What kind of set shots make that were selected by hand: a "bracket" where exposures differ, else a "burst"."""
    light = [s.seen.exposure_s * s.seen.iso for s in shots if s.seen and s.seen.exposure_s and s.seen.iso]
    return "bracket" if light and math.log2(max(light) / min(light)) > SAME_EV else "burst"


def _counted(kind: RejectionKind, count: int) -> str:
    """So many frames that are left out for one kind of reason."""
    return {
        RejectionKind.BLURRED: tr("{count} blurred", count=count),
        RejectionKind.MOVED: tr("{count} moved", count=count),
        RejectionKind.CLOUDED: tr("{count} clouded", count=count),
        RejectionKind.TEST_SHOT: trn("{count} test shot", "{count} test shots", count=count),
        RejectionKind.OTHER_SCENE: trn("{count} shows another scene", "{count} show another scene", count=count),
        RejectionKind.OTHER: trn("{count} unusable", "{count} unusable", count=count),
    }[kind]


class MergePage(QWidget):
    """The set of the current shot; a merge goes on whatever is looked at meanwhile."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session, self.merging = host, host.session, host.session.merging
        self._output = Path()
        self._listed: tuple[TaskState | None, int] = (None, 0)
        self.group: ShotSet | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        self.views = MergeViews()
        self.tag, self.which, self.views_buttons = self.views.tag, self.views.which, self.views.buttons
        self.stage, self.curtain, self.places = self.views.stage, self.views.curtain, self.views.places
        self.border = self.views.border
        middle.addWidget(self.views, 1)
        self.chart = FrameChart()
        middle.addWidget(self.chart)
        layout.addLayout(middle, 1)
        side, whole = side_panel(tr("Sequence"), 8)
        scroll, column = scrolled(8)
        whole.addWidget(scroll, 1)
        self.facts = Label("")
        self.facts.setWordWrap(True)
        column.addWidget(self.facts)
        self.sets = QVBoxLayout()
        self.sets.setSpacing(4)
        column.addLayout(self.sets)
        column.addWidget(Label(tr("How the frames are combined")))
        self.method = QComboBox()
        self.method.setAccessibleName(tr("Method"))
        column.addWidget(self.method)
        self.expect = Label("")
        self.expect.setObjectName("quiet")
        self.expect.setWordWrap(True)
        column.addWidget(self.expect)
        self.choices = MethodChoices()
        column.addWidget(self.choices)
        self.plot = GainPlot()
        column.addWidget(self.plot)
        self.go = QPushButton(tr("Merge"))
        self.go.setObjectName("primary")
        self.go.setToolTip(tr("Merge the chosen frames into one raw beside them"))
        self.go.clicked.connect(self._start)
        column.addWidget(self.go)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.hide()
        column.addWidget(self.progress)
        self.doing = Label("")
        self.doing.setObjectName("quiet")
        self.doing.setWordWrap(True)
        column.addWidget(self.doing)
        self.stop_button = QPushButton(tr("Stop without saving"))
        self.stop_button.clicked.connect(self.merging.stop)
        self.keep_button = QPushButton(tr("Stop and merge so far"))
        self.keep_button.setToolTip(tr("Read no more frames and merge those already read"))
        self.keep_button.clicked.connect(self.merging.stop_and_keep)
        for button in (self.keep_button, self.stop_button):
            button.hide()
            column.addWidget(button)
        self.waiting = QVBoxLayout()
        self.waiting.setSpacing(4)
        column.addLayout(self.waiting)
        self.border.hide()
        self.border.changed.connect(self._name_go)
        column.addWidget(self.border)
        # what is said while frames are looked at stands below: it must not move the button from under the hand
        self.judged = Label("")
        self.judged.setWordWrap(True)
        column.addWidget(self.judged)
        self.suggested = QPushButton(tr("Exclude bad frames"))
        self.suggested.setToolTip(tr("Use all frames except those marked red in the chart"))
        self.suggested.clicked.connect(self.chart.take_suggested)
        column.addWidget(self.suggested)
        self.outcome = Label("")
        self.outcome.setWordWrap(True)
        self.outcome.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.outcome)
        self.open_button = QPushButton(tr("Correct the result"))
        self.open_button.hide()
        self.open_button.clicked.connect(self._open_result)
        column.addWidget(self.open_button)
        column.addStretch(1)
        self.clip_button = ClipButton(host, lambda: [s.raw for s in self._chosen() if s.raw is not None])
        column.addWidget(self.clip_button)
        layout.addWidget(side)
        self.chart.chosen_changed.connect(self._describe)
        self.method.currentIndexChanged.connect(self._method_changed)
        self.merging.judged.connect(self._show_judged)
        self.session.tasks.changed.connect(self._went_on)
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
            group = ShotSet(kind_of(chosen), chosen)  # what was selected by hand
        self.set_group(group)
        self._list_sets()

    def _list_sets(self) -> None:
        """Where the shot stands alone: the sets of the shoot, to go to."""
        clear(self.sets)
        if self.group is not None and self.group.kind in MERGED_SETS:
            return
        for group in [g for g in self.session.shoot.sets if g.kind in MERGED_SETS][:MOST_SETS]:
            button = QPushButton(tr("{name}: {what}", name=group.shots[0].name, what=set_title(group)))
            button.clicked.connect(lambda _=False, s=group.shots[0]: self.host.choose(s))
            self.sets.addWidget(button)

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
            self.method.blockSignals(True)
            for method in METHODS:
                if group.kind in method.sets:
                    self.method.addItem(method.title, method.key)
            self.method.view().setMinimumHeight(ROW * self.method.count() + 8)  # else the last one is cut
            if night and len(group.shots) < FEW:
                self.method.setCurrentIndex(max(self.method.findData(SKY.key), 0))
            self.method.blockSignals(False)
        else:
            self.chart.set_frames(())
        self.method.setEnabled(usable)
        self._show_judged(())
        self._show_reference()
        self._method_changed()
        self._show_running()

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

    def _list_waiting(self) -> None:
        """Sets that are merged after this one."""
        clear(self.waiting)
        for one in self.merging.waiting:
            button = QPushButton(tr("Waiting: {name}", name=one.subject.name))
            button.setToolTip(tr("Remove it from the queue"))
            button.clicked.connect(lambda _=False, one=one: self.session.tasks.stop(one))
            self.waiting.addWidget(button)
        self._show_running()

    def _show_running(self) -> None:
        """Progress and its buttons stand as long as a merge runs, whichever set is shown."""
        running = self.merging.running is not None
        for widget in (self.progress, self.stop_button, self.keep_button):
            widget.setVisible(running)
        if not running:
            self.doing.setText("")
        self._name_go()

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
        kinds = [kind_of_rejection(why) for why in bad]
        counts = ", ".join(_counted(kind, kinds.count(kind)) for kind in dict.fromkeys(kinds))
        flying = sum(bool(f.lines) for f in frames)
        text = (
            tr(
                "{bad_count} of {frames_count} frames look bad: {counts}.",
                bad_count=len(bad),
                frames_count=len(frames),
                counts=counts,
            )
            if bad
            else tr("All frames look good.")
        )
        if flying:
            text = sentences(
                text, tr("An aircraft or satellite crosses {flying} of them and is removed.", flying=flying)
            )
        self.judged.setText(text)

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
        shot = self.group.shots[0]
        try:
            picture = oriented_preview(shot)
        except BrutoError:
            self.views.show_nothing("")
            return
        assert shot.meta is not None
        self.views.show_frame(picture, shot.meta.oriented_size)

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
                "{n} of {shots_count} used\n{width} × {height} px each, ISO {iso:.0f}",
                n=n,
                shots_count=len(self.chart.shots),
                width=first.width,
                height=first.height,
                iso=first.iso or 0,
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
        self.progress.setValue(0)
        self.views.begin_live()
        self.merging.start(raws, kind, target, self.values())
        self._show_running()

    def _went_on(self, task: LongTask) -> None:
        """A merge was asked for, is further, or ended."""
        if task.kind != MERGE:
            return
        if task.running:
            self.progress.setValue(round(task.share * 100))
            self.doing.setText(task.doing + task.time_left)
        if (task.state, len(self.merging.waiting)) != self._listed:
            self._listed = (task.state, len(self.merging.waiting))
            self._list_waiting()

    def finish(self, result: MergeResult | None, problem: str = "") -> None:
        """Show the result, or what went wrong."""
        self.views.begin_live()
        self._show_running()
        self.outcome.setObjectName("warning" if result is None else "")
        self.outcome.style().polish(self.outcome)
        if result is None:
            self.outcome.setText(problem)
            return
        if self._is_shown(result):
            self.chart.set_result(result)
        self._describe()
        self._output = result.output
        used = [f for f in result.frames if f.used]
        lines = [
            tr("{used_count} frames merged", used_count=len(used)),
            tr(
                "{noise_gain:.2f} × less noise than {reference_of}",
                noise_gain=result.noise_gain,
                reference_of=reference_of(result),
            ),
        ]
        if result.rms_px:
            lines.append(tr("aligned within {rms_px:.2f} px", rms_px=max(result.rms_px, 0.01)))
        if result.equivalent_stops:
            lines.append(
                tr(
                    "exposed {equivalent_stops:.1f} stops longer than one frame",
                    equivalent_stops=result.equivalent_stops,
                )
            )
        lines += result.warnings
        if result.range_ev:
            lines.append(tr("{range_ev:.1f} EV from noise to clipping", range_ev=result.range_ev))
        out = [
            tr("excluded: {name}, {reason}", name=Path(f.file).name, reason=f.reason)
            for f in result.frames
            if not f.used
        ]
        lines += out[:MOST_NAMED]
        if len(out) > MOST_NAMED:
            lines.append(tr("and {out_count} more excluded", out_count=len(out) - MOST_NAMED))
        lines.append(result.output.name)
        self.outcome.setText("\n".join(lines))
        self.open_button.show()

    def _is_shown(self, result: MergeResult) -> bool:
        """Whether a result is of the set that is shown."""
        names = {s.raw.name for s in self.chart.shots if s.raw is not None}
        return all(Path(f.file).name in names for f in result.frames)

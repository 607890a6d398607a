"""Practice: twelve exercises at the left; pictures, a question and its answers, then the truth."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QSizePolicy, QWidget

from bruto.app.host import Host
from bruto.app.pages.pages import title_of
from bruto.app.stage.image_pyramid import to_qimage
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.panel import clear, surface
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.practice.exercises import EXERCISES, ORDER
from bruto.practice.rounds import Picture

LEFT_WIDTH, GAP, LINE = 250, 10.0, 22.0
"""Pixels."""
MOST_SCALE = 2.0
"""To which small pictures are enlarged, in whole steps of a quarter, so that all of them look the same."""


class Pictures(QWidget):
    """Pictures side by side on the neutral surround, each as large as there is room, with what stands under it."""

    def __init__(self) -> None:
        super().__init__()
        self.shown: list[tuple[str, QImage]] = []
        self.empty = ""
        self.setMinimumSize(300, 160)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_pictures(self, pictures: tuple[Picture, ...], empty: str) -> None:
        """Show pictures, or say why there are none."""
        self.shown = [(p.title, to_qimage(p.pixels)) for p in pictures]
        self.empty = empty
        self.setAccessibleName("; ".join(t for t, _ in self.shown) or empty)
        self.update()

    def boxes(self) -> list[QRectF]:
        """Where the pictures stand: in one line, or in two where that makes them larger."""
        count = len(self.shown)
        best: tuple[float, int] = (0.0, count or 1)
        size = max((i.width() for _, i in self.shown), default=1), max((i.height() for _, i in self.shown), default=1)
        for rows in (1, 2):
            across = -(-count // rows)
            scale_x = (self.width() - GAP * (across + 1)) / max(across, 1) / size[0]
            scale_y = (self.height() - rows * (LINE + GAP) - GAP) / rows / size[1]
            scale = min(scale_x, scale_y, MOST_SCALE)
            if scale > best[0] * 1.05:
                best = scale, across
        scale, across = best
        scale = max(0.25, int(scale * 4) / 4) if scale >= 1 else scale
        w, h = size[0] * scale, size[1] * scale
        rows = -(-count // across)
        top = max(GAP, (self.height() - rows * (h + LINE) - (rows - 1) * GAP) / 2)
        found = []
        for k in range(count):
            r, c = divmod(k, across)
            here = min(across, count - r * across)
            left = (self.width() - here * w - (here - 1) * GAP) / 2
            found.append(QRectF(left + c * (w + GAP), top + r * (h + LINE + GAP), w, h))
        return found

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.fillRect(self.rect(), t.color("surround"))
        p.setFont(theme.font(12, True))
        p.setPen(t.color("on_surround"))
        if not self.shown:
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty)
            return
        for (title, image), box in zip(self.shown, self.boxes(), strict=True):
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, box.width() < image.width())
            scale = min(box.width() / image.width(), box.height() / image.height())
            w, h = image.width() * scale, image.height() * scale
            p.drawImage(QRectF(box.left() + (box.width() - w) / 2, box.top() + (box.height() - h) / 2, w, h), image)
            text = p.fontMetrics().elidedText(title, Qt.TextElideMode.ElideRight, int(box.width()))
            p.drawText(QRectF(box.left(), box.bottom() + 2, box.width(), LINE), Qt.AlignmentFlag.AlignHCenter, text)


class PracticePage(QWidget):
    """All of it follows `session.practice`."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.practice = host, host.session.practice
        layout = across(self, margins=0, gap=0)
        fill(layout, self._side(), (self._middle(), 1))
        self._shown_round: object = None
        self.practice.changed.connect(self._show)
        self._show()

    def _side(self) -> QWidget:
        holder = surface()
        holder.setFixedWidth(LEFT_WIDTH)
        column = down(holder, margins=(10, 8, 6, 8))
        heading = Label(tr("Exercises"), objectName="heading")
        self.sum = Label("", objectName="quiet", wordWrap=True)
        fill(column, heading, self.sum)
        self.list = build(QListWidget, accessibleName=tr("Exercises"))
        for name in ORDER:
            item = QListWidgetItem(f"{EXERCISES[name].title}\n{EXERCISES[name].asks}", self.list)
            item.setData(Qt.ItemDataRole.UserRole, name)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda k: self._choose(ORDER[k]))
        column.addWidget(self.list, 1)
        return holder

    def _middle(self) -> QWidget:
        holder = surface()
        column = down(holder, margins=0, gap=0)
        self.pictures = Pictures()
        column.addWidget(self.pictures, 1)
        low = down(margins=(16, 10, 16, 12), gap=8)
        self.question = Label("", objectName="heading", wordWrap=True)
        self.answers = across(gap=8)
        self.verdict = Label("", objectName="heading")
        self.explanation = Label("", wordWrap=True)
        self.thought = Label("", objectName="quiet", wordWrap=True)
        fill(low, self.question, self.answers, self.verdict, self.explanation, self.thought)
        row = QHBoxLayout()
        self.again, self.next, self.real = (
            QPushButton(tr("Another round")),
            QPushButton(tr("Next exercise")),
            QPushButton(""),
        )
        self.next.setObjectName("primary")
        self.again.clicked.connect(self.practice.again)
        self.next.clicked.connect(self.practice.next)
        self.real.clicked.connect(lambda: self.host.set_task(EXERCISES[self.practice.exercise].task))
        for button in (self.again, self.next, self.real):
            row.addWidget(button)
        row.addStretch(1)
        low.addLayout(row)
        column.addLayout(low)
        return holder

    # -- what is shown

    def turned_to(self) -> None:
        """The task is chosen."""
        self.practice.begin()

    def _show(self) -> None:
        now = self.practice
        exercise = EXERCISES[now.exercise]
        self.sum.setText(
            tr(
                "Predict, look, see the truth. {learnt} of {ORDER_count} answered correctly.",
                learnt=now.learnt,
                ORDER_count=len(ORDER),
            )
        )
        self.list.blockSignals(True)
        for k, name in enumerate(ORDER):
            right, tries = now.scores.get(name, (0, 0))
            score = f"  {right}/{tries}" if tries else ""
            mark = "✓ " if right else ""
            item = self.list.item(k)
            item.setText(f"{mark}{EXERCISES[name].title}{score}\n{EXERCISES[name].asks}")
            item.setToolTip(EXERCISES[name].asks)
        self.list.setCurrentRow(ORDER.index(now.exercise))
        self.list.blockSignals(False)
        made, answered = now.round, now.answer is not None
        waits = now.problem or tr(
            "The simulated phone is taking the pictures; the first of a scene takes some seconds…"
        )
        after = made.after or made.pictures if made is not None else ()
        self.pictures.show_pictures((after if answered else made.pictures) if made is not None else (), waits)
        self.question.setText(made.question if made is not None else exercise.asks)
        if (made, answered) != self._shown_round:
            self._shown_round = made, answered
            self._make_answers()
        self.verdict.setVisible(answered)
        self.explanation.setVisible(answered)
        self.thought.setVisible(answered)
        self.real.setText(tr("Try it for real: {title_of}", title_of=title_of(exercise.task)))
        if made is not None and answered:
            right = now.answer == made.right
            self.verdict.setText(
                tr("✓ Correct.") if right else tr("✗ The answer is: {options}.", options=made.options[made.right])
            )
            self.explanation.setText(made.explanation)
            self.thought.setText(exercise.thought)
        for button in (self.again, self.next):
            button.setVisible(answered or bool(now.problem))
        if answered and self.isVisible() and not self.next.hasFocus() and not self.again.hasFocus():
            self.next.setFocus()

    def _make_answers(self) -> None:
        now = self.practice
        clear(self.answers)
        self.buttons: list[QPushButton] = []
        if now.round is None:
            return
        for k, option in enumerate(now.round.options):
            button = build(QPushButton, option, checkable=True, minimumWidth=64)
            button.setChecked(now.answer == k)
            button.setEnabled(now.answer is None)
            button.clicked.connect(partial(now.give, k))
            self.answers.addWidget(button)
            self.buttons.append(button)
        spring = build(QWidget, sizePolicy=(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed))
        self.answers.addWidget(spring, 1)

    def _choose(self, name: str) -> None:
        if name != self.practice.exercise:
            self.practice.choose(name)

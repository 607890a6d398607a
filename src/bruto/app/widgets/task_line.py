"""One long task in the status line: what it is, how far it is, time left, and a button that stops it."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr


def time_left(elapsed_s: float, share: float) -> str:
    """How long work that has come this far will still take, in words; nothing while it is too early to say.

    >>> time_left(30.0, 0.25)
    ' · about 2 min left'
    """
    if share < 0.05 or share >= 1 or elapsed_s < 2:
        return ""
    left = elapsed_s * (1 - share) / share
    return (
        tr(" · about {left} min left", left=round(left / 60))
        if left >= 90
        else tr(" · about {left} s left", left=max(1, round(left)))
    )


class TaskLine(QWidget):
    """Hidden while nothing runs."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.text = Label("")
        self.button = QPushButton(tr("Stop"))
        self.button.setObjectName("inLine")
        self.button.setToolTip(tr("Stop; finished files stay"))
        self.button.setFixedHeight(24)
        self.button.clicked.connect(self._pressed)
        self.leave = QPushButton(tr("Discard"))
        self.leave.setObjectName("inLine")
        self.leave.setToolTip(tr("Do not continue; finished files stay"))
        self.leave.setFixedHeight(24)
        self.leave.clicked.connect(self.end)
        self.leave.hide()
        row.addWidget(self.text)
        row.addWidget(self.button)
        row.addWidget(self.leave)
        self.title = ""
        self.running = False
        self._stop: Callable[[], Any] | None = None
        self._go_on: Callable[[], Any] | None = None
        self._offers: list[tuple[str, Callable[[], Any]]] = []
        self._began = 0.0
        self.hide()

    def begin(self, title: str, stop: Callable[[], Any]) -> None:
        """Show a task; `stop` is called from the button, and when the window closes."""
        self.title, self._stop, self.running, self._began = title, stop, True, time.monotonic()
        self.text.setText(f"{title} …")
        self._go_on = None
        self.button.setText(tr("Stop"))
        self.button.setToolTip(tr("Stop; finished files stay"))
        self.button.setEnabled(True)
        self.leave.hide()
        self.show()

    def offer(self, text: str, go_on: Callable[[], Any]) -> None:
        """Offer to go on with what the last start has not finished."""
        if self.running or self._go_on is not None:
            self._offers.append((text, go_on))
            return
        self._go_on = go_on
        self.text.setText(text)
        self.button.setText(tr("Continue"))
        self.button.setToolTip(tr("Continue this now"))
        self.button.setEnabled(True)
        self.leave.show()
        self.show()

    def _pressed(self) -> None:
        go_on = self._go_on
        if go_on is None:
            self.stop()
            return
        self._go_on = None
        self.hide()
        go_on()
        if not self.running and self._offers:
            self.offer(*self._offers.pop(0))

    def show_progress(self, share: float, text: str) -> None:
        """How far it is, 0 to 1, and with what."""
        if self.running:
            left = time_left(time.monotonic() - self._began, share)
            name = text if len(text) <= 40 else text[:39] + "…"
            self.text.setText(f"{self.title}: {100 * share:.0f} %{left} · {name}")

    def stop(self) -> None:
        """Ask the task to stop."""
        if self.running and self._stop is not None:
            self.button.setEnabled(False)
            self._stop()

    def end(self) -> None:
        """The task has ended."""
        self.running, self._stop, self._go_on = False, None, None
        self.hide()
        if self._offers:
            self.offer(*self._offers.pop(0))

    def ended(self, then: Callable[[Any], Any]) -> Callable[[Any], None]:
        """What is to be called with the outcome, behind the end of this line."""

        def call(outcome: Any) -> None:
            self.end()
            then(outcome)

        return call

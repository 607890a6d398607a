"""The four verdicts as buttons on a bar over a stage."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.host import Host
from bruto.app.stage.stage_bar import StageBar
from bruto.app.widgets.build import across, build
from bruto.catalog import tr
from bruto.shoot.verdicts import VERDICTS


class VerdictRow(QWidget):
    """Buttons for the verdicts; `given` is called with the one that is pressed."""

    def __init__(self, given: Callable[[str], None]) -> None:
        super().__init__()
        self.buttons: dict[str, QPushButton] = {}
        row = across(self, margins=0, gap=2)
        for verdict in VERDICTS:
            button = build(
                QPushButton,
                verdict.mark,
                objectName="verdict",
                checkable=True,
                fixedSize=(24, 26),
                toolTip=tr(
                    "{title}: {meaning}. Click again to remove the verdict.",
                    title=verdict.title,
                    meaning=verdict.meaning,
                ),
                clicked=lambda _=False, v=verdict.id: given(v),
            )
            self.buttons[verdict.id] = button
            row.addWidget(button)
        self.show_verdict("")

    def show_verdict(self, now: str, of: str = "", enabled: bool = True) -> None:
        """The verdict that there is, of the shot of that name."""
        for verdict in VERDICTS:
            button = self.buttons[verdict.id]
            button.setChecked(verdict.id == now)
            button.setEnabled(enabled)
            button.setAccessibleName(tr("Verdict: {title}", title=verdict.title) + (f", {of}" if of else ""))


class VerdictButtons:
    """Buttons that show the verdict of the current shot, and give one to the shots that are selected."""

    def __init__(self, bar: StageBar, host: Host) -> None:
        self.host, self.shoot = host, host.session.shoot
        self.row = VerdictRow(self._given)
        bar.add_widget(self.row)
        for signal in (self.shoot.current_changed, self.shoot.opened):
            signal.connect(self.show)
        self.shoot.judged.connect(lambda _: self.show())
        self.shoot.measured.connect(lambda _: self.show())
        self.show()

    def _given(self, verdict: str) -> None:
        self.host.session.judge(verdict)
        self.show()

    def show(self) -> None:
        """The verdict of the shot that is shown."""
        shot = self.shoot.current
        now = "" if shot is None else self.shoot.verdicts.get(str(shot.main), "")
        self.row.show_verdict(now, enabled=shot is not None and not shot.problem)

"""The four verdicts as buttons on a bar over a stage."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from bruto.app.host import Host
from bruto.app.stage.stage_bar import StageBar
from bruto.shoot.verdicts import VERDICTS


class VerdictButtons:
    """Buttons that show and give the verdict of the shots that are selected."""

    def __init__(self, bar: StageBar, host: Host) -> None:
        self.host, self.shoot = host, host.session.shoot
        self.buttons: dict[str, QPushButton] = {}
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        bar.add_widget(holder)
        for verdict in VERDICTS:
            button = QPushButton(verdict.mark)
            button.setObjectName("verdict")
            button.setCheckable(True)
            button.setFixedSize(24, 26)
            row.addWidget(button)
            button.setAccessibleName(f"Verdict: {verdict.title}")
            button.setToolTip(f"{verdict.title}: {verdict.meaning}; once more takes it back")
            button.clicked.connect(lambda _=False, v=verdict.id: self._given(v))
            self.buttons[verdict.id] = button
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
        for name, button in self.buttons.items():
            button.setChecked(name == now)
            button.setEnabled(shot is not None and not shot.problem)

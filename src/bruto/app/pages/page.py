"""What pages about the shot that is shown have in common."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from bruto.app.host import Host
from bruto.develop.pipeline import Developer
from bruto.session.edit import Edit
from bruto.shoot.shots import Shot


class ShotPage(QWidget):
    """A page made for a host, on its session."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session, self.opened = host, host.session, host.session.opened
        self.say = host.session.say

    @property
    def shot(self) -> Shot | None:
        return self.opened.shot

    @property
    def edit(self) -> Edit | None:
        return self.opened.edit

    @property
    def developer(self) -> Developer | None:
        return self.opened.developer

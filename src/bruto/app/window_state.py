"""What the window remembers for the next one: how it looked, and where the user was in each shoot."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

from bruto.app.widgets import theme
from bruto.shoot.verdicts import KEEP_OR_BEST
from bruto.storage.settings import RecentShoot


class WindowState:
    """Reads from the window, and puts back into it."""

    def __init__(self, window: Any) -> None:
        self.window = window

    def recent(self, paths: list[str]) -> RecentShoot | None:
        return next((r for r in self.window.session.settings.recent if r.paths == paths), None)

    def note(self) -> None:
        """Where the user is in the open shoot, for the next time."""
        if not self.window.shoot.paths:
            return
        shoot = self.window.shoot
        paths = [str(Path(p).absolute()) for p in shoot.paths]
        current = shoot.current
        selected = sum(v in KEEP_OR_BEST for v in shoot.verdicts.values())
        task = self.window.task() if self.window.task() in self.window.top.task_buttons else ""
        now = RecentShoot(
            paths, shoot.title, datetime.now().isoformat(timespec="seconds"), len(shoot.shots), selected,
            "" if current is None else str(current.main.absolute()), task, not self.window.correct.stage.fit,
        )  # fmt: skip
        settings = self.window.session.settings
        settings.recent = [now, *(r for r in settings.recent if r.paths != paths)]

    def use(self) -> None:
        known = self.window.session.settings
        self.window.folded.update(known.folded)
        if known.theme == "dim" and theme.current() is theme.LIGHT:
            self.window.top.toggle_theme()
        if known.groups is not None:
            self.window.correct.ledger.set_open_groups(known.groups)
        self.window.intake.use_order(known.sort, known.only)

    def keep(self) -> None:
        known = self.window.session.settings
        self.note()
        known.theme = theme.current().name
        known.maximised = self.window.isMaximized()
        if not known.maximised:
            known.size = (self.window.width(), self.window.height())
        known.folded = dict(self.window.folded)
        known.groups = self.window.correct.ledger.open_groups()
        known.sort, known.only = self.window.intake.board.cards.sort_by, self.window.intake.board.cards.only
        self.window.session.save_settings()

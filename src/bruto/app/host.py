"""What pages and commands may ask of the window that they stand in."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Protocol

from bruto.session.session import Session
from bruto.shoot.shots import Shot
from bruto.tasks import Task


class Host(Protocol):
    """The window."""

    session: Session
    asking: Any
    """See `asking.Dialogs`."""
    manners: Any
    """See `widgets.manners.WheelGuard`."""
    commands: Any
    """See `command_menu.CommandMenu`."""
    opener: Any
    """See `opener.Opener`."""
    top: Any
    """See `top_bar.TopBar`."""
    status_bar: Any
    """See `status_bar.StatusBar`."""
    thumbs: Any
    """See `widgets.thumbs.Thumbnails`."""

    def page(self, task: Task) -> Any:
        """The page of a task, made when it is first wanted."""

    def task(self) -> Task:
        """The task that is shown."""

    def set_task(self, task: Task) -> None:
        """Turn to a task."""

    def choose(self, shot: Shot) -> None:
        """Make a shot the current one, in the list too."""

    def step(self, by: int) -> None:
        """The shot that many places further on in the list."""

    def fold(self, part: str) -> None:
        """Fold or show the list of shots, or the light strip."""

    def open_paths(self, paths: list[str | Path], title: str = "") -> bool:
        """Open folders or files; a problem becomes a message. Whether it was done."""

    def open_shoot(self, paths: list[str | Path], title: str = "") -> None:
        """Open a shoot and turn to where the user was in it, the first time to Intake."""

    def select(self, what: str) -> None:
        """Select "all" shots that are listed, or the "set" of the current one."""

    def say(self, text: str) -> None:
        """Show a message."""

    def status(self, pointer: str, timing: str, saved: str) -> None:
        """Texts of the status line; an empty one leaves what is there."""

    def close(self) -> bool:
        """End."""

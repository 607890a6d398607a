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

    def choose_folder(self) -> None:
        """Ask for a folder and open it."""

    def select(self, what: str) -> None:
        """Select "all" shots that are listed, or the "set" of the current one."""

    def find_command(self) -> Any:
        """The search for commands."""

    def show_messages(self) -> None:
        """The drawer of messages."""

    def keys_of(self, name: str) -> str:
        """The shortcut of a command, as the user has it."""

    def set_keys(self, name: str, keys: str) -> str:
        """Give a command another shortcut; returns why that cannot be, or ""."""

    def toggle_theme(self) -> None:
        """Light by day, dim by night."""

    def say(self, text: str) -> None:
        """Show a message."""

    def status(self, pointer: str, timing: str, saved: str) -> None:
        """Texts of the status line; an empty one leaves what is there."""

    def close(self) -> bool:
        """End."""

"""Merging and taking in that the last window has not finished, offered again."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from bruto.errors import BrutoError
from bruto.storage.outputs import Outputs
from bruto.storage.unfinished import keep_unfinished, take_unfinished

if TYPE_CHECKING:
    from bruto.app.window import Window

KIND = "tasks"


class Unfinished:
    """What this window is at, by its kind; kept on the disk while it lasts."""

    def __init__(self) -> None:
        self._now: dict[str, Any] = {}

    def begin(self, kind: str, **what: Any) -> None:
        """Work of a kind has begun; `what` is needed to go on with it."""
        self._now[kind] = what
        self._keep()

    def end(self, kind: str) -> None:
        """It ended, or the user stopped it."""
        self._now.pop(kind, None)
        self._keep()

    def _keep(self) -> None:
        try:
            keep_unfinished(KIND, self._now)
        except (BrutoError, OSError):
            pass  # nothing of the user's is lost by it: the work can be asked for again

    def left(self, window: Window) -> list[tuple[str, Callable[[], None]]]:
        """What earlier windows left: in words, and what goes on with it."""
        found: list[tuple[str, Callable[[], None]]] = []
        for work in take_unfinished(KIND):
            take, merge = work.get("take in"), work.get("merge")
            if isinstance(take, dict) and all(isinstance(take.get(k), str) for k in ("source", "folder")):
                found.append(_take_in(window, Path(take["source"]), Path(take["folder"])))
            if isinstance(merge, dict) and isinstance(merge.get("files"), list):
                files = [Path(f) for f in merge["files"] if isinstance(f, str)]
                if len(files) > 1:
                    found.append(_merge(window, files, str(merge.get("method")), Path(str(merge.get("output")))))
        return found


def _take_in(window: Window, source: Path, folder: Path) -> tuple[str, Callable[[], None]]:
    def go_on() -> None:
        window.open_paths([folder])
        window.take_in_from(source)

    return f"Taking in from {source.name} was not finished.", go_on


def _merge(window: Window, files: list[Path], kind: str, output: Path) -> tuple[str, Callable[[], None]]:
    def go_on() -> None:
        window.open_paths([output.parent])
        try:
            window.merging.start(files, kind, Outputs(files).in_folder(output.parent, output.name))
        except BrutoError as error:
            window.say(str(error))

    return f"Merging {len(files)} frames to {output.name} was not finished.", go_on

"""The file of a plan: begun, read, written beside other windows, deleted."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable
from pathlib import Path

import platformdirs

from bruto.plan.planned_shots import Plan, as_bytes, load_plan
from bruto.storage.atomic_write import own_folder, write_own
from bruto.storage.file_names import free_names
from bruto.storage.safe_read import FileAction, explain


def plans_folder(made_up: bool) -> Path:
    """Find where plans lie: those of the demo apart from the user's own.

    Parameters
    ----------
    made_up
        Whether the demo's plans are meant.

    Returns
    -------
    Path
        Where plans lie.
    """
    return Path(platformdirs.user_data_dir("bruto")) / ("plans-demo" if made_up else "plans")


class PlanFile:
    """`path` of the plan that is open, None of none."""

    def __init__(self, folder: Callable[[], Path]) -> None:
        """`folder`: where plans lie."""
        self.folder = folder
        self.path: Path | None = None
        self._on_disk: bytes | None = None

    def plans(self) -> list[Path]:
        """Plans that were made, the one that was changed last first."""
        with contextlib.suppress(OSError):
            return sorted(self.folder().glob("*.json"), key=lambda p: -p.stat().st_mtime)
        return []

    def begin(self, plan: Plan) -> None:
        """Keep a new plan in a file of its own.

        Parameters
        ----------
        plan
            The plan.

        Raises
        ------
        FileProblem
            Where the file cannot be read or written.
        """
        folder = self.folder()
        own_folder(folder)
        stem = re.sub(r"[^\w -]+", "", f"{plan.date} {plan.name}").strip()[:60] or "plan"
        path = free_names(folder, lambda n: [f"{stem}{'' if n == 1 else f'-{n}'}.json"])[0]
        write_own(path, as_bytes(plan))
        self.path, self._on_disk = path, as_bytes(plan)

    def open(self, path: Path) -> Plan:
        """Read a plan and stay with its file.

        Parameters
        ----------
        path
            File to read.

        Returns
        -------
        Plan
            See `Plan`.

        Raises
        ------
        BrutoError
            Where that cannot be done; the message says why.
        """
        plan = load_plan(path)
        self.path, self._on_disk = path, as_bytes(plan)
        try:
            self._on_disk = path.read_bytes()  # as it is there, which another hand may have written otherwise
        except OSError as error:
            raise explain(error, path, FileAction.READ) from error
        return plan

    def is_saved(self, plan: Plan) -> bool:
        """Check whether the file holds this plan.

        Parameters
        ----------
        plan
            The plan.

        Returns
        -------
        bool
            True where the file holds this plan.
        """
        return self.path is None or as_bytes(plan) == self._on_disk

    def write(self, plan: Plan) -> None:
        """Write the plan.

        A file that another window changed meanwhile stays, and this one gets a new name.

        Parameters
        ----------
        plan
            The plan.

        Raises
        ------
        FileProblem
            Where the file cannot be read or written.
        """
        assert self.path is not None
        path, data = self.path, as_bytes(plan)
        try:
            there: bytes | None = path.read_bytes()
        except FileNotFoundError:
            there = None
        except OSError:
            there = self._on_disk
        if there is not None and there not in (self._on_disk, data):
            path = free_names(path.parent, lambda n: [f"{path.stem}-{n + 1}.json"])[0]
        write_own(path, data)
        self.path, self._on_disk = path, data

    def delete(self) -> None:
        """Delete the file, and be with none. Raises `FileProblem`."""
        path, self.path, self._on_disk = self.path, None, None
        if path is not None:
            try:
                path.unlink(missing_ok=True)
            except OSError as error:
                raise explain(error, path, FileAction.DELETE) from error

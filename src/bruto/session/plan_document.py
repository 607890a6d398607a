"""The plan that is open as a document: its file, the chosen shot, and changes that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, replace
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.errors import BrutoError
from bruto.plan.planned_shots import Plan, PlannedShot, plan_from
from bruto.session.plan_file import PlanFile
from bruto.session.workers import Worker

MOST_STEPS = 200
"""Changes that can be undone."""


class PlanDocument:
    """`shown`: it is another plan; `changed`: from what it was before; `chosen_changed`: another shot is chosen."""

    shown = Signal()
    changed = Signal(object)
    chosen_changed = Signal()
    message = Signal(str)

    def __init__(self, folder: Callable[[], Path], worker: Worker) -> None:
        """Begin without a plan.

        Parameters
        ----------
        folder
            Returns where plans lie.
        worker
            Writes the file.
        """
        self._keeping = worker.channel("writing the plan", 40)
        self.file = PlanFile(folder)
        self.plan: Plan | None = None
        self.chosen = 0
        self.joined = False
        """Whether a drag goes on: its changes are one step."""
        self.unsaved = ""
        """Why the plan could not be written; "" where it was."""
        self._back: list[Plan] = []
        self._forward: list[Plan] = []

    @property
    def planned(self) -> PlannedShot | None:
        """The planned shot that is chosen."""
        if self.plan is None or not 0 <= self.chosen < len(self.plan.planned_shots):
            return None
        return self.plan.planned_shots[self.chosen]

    def begin(self, plan: Plan) -> None:
        """Keep a new plan in a file of its own and show it.

        Parameters
        ----------
        plan
            The plan.
        """
        self._show(lambda: self.file.begin(plan) or plan)  # type: ignore[func-returns-value]

    def open(self, path: Path) -> None:
        """Show the plan of a file; a problem becomes a message."""
        self._show(partial(self.file.open, path))

    def _show(self, found: Callable[[], Plan]) -> None:
        self.flush()
        try:
            plan = found()
        except (BrutoError, OSError) as error:
            self.message.emit(str(error))
            return
        self.plan, self.chosen, self.joined, self.unsaved = plan, 0, False, ""
        self._back, self._forward = [], []
        self.shown.emit()

    def delete(self) -> None:
        """Delete the plan and its file."""
        self._keeping.forget()
        self.plan = None
        try:
            self.file.delete()
        except BrutoError as error:
            self.message.emit(str(error))

    def choose(self, index: int) -> None:
        """Choose a planned shot.

        Parameters
        ----------
        index
            Its position in the list.
        """
        if index != self.chosen:
            self.chosen, self.joined = index, False
            self.chosen_changed.emit()

    def change(self, joined: bool = False, **fields: Any) -> bool:
        """Change fields of the plan.

        Parameters
        ----------
        joined
            Whether it is one step with the change before.
        **fields
            Fields of the plan with their values.

        Returns
        -------
        bool
            Whether they were taken; what cannot be real becomes a message.
        """
        if self.plan is None:
            return False
        wanted = replace(self.plan, **fields)
        if wanted == self.plan:
            return True
        try:
            plan_from(asdict(wanted))
        except BrutoError as error:
            self.message.emit(str(error))
            self.changed.emit(self.plan)
            return False
        if not (joined and self.joined):
            self._back = [*self._back, self.plan][-MOST_STEPS:]
        self.joined, self._forward = joined, []
        self._take(wanted)
        return True

    def change_shot(self, joined: bool = False, **fields: Any) -> bool:
        """Change fields of the chosen shot.

        Parameters
        ----------
        joined
            Whether it is one step with the change before.
        **fields
            Fields of the planned shot with their values.

        Returns
        -------
        bool
            Whether they were taken; what cannot be real becomes a message.
        """
        planned = self.planned
        if self.plan is None or planned is None:
            return False
        some = list(self.plan.planned_shots)
        some[self.chosen] = replace(planned, **fields)
        return self.change(joined, planned_shots=tuple(some))

    def remove(self) -> None:
        """Take the chosen shot out of the plan."""
        if self.plan is not None and self.planned is not None:
            planned_shots = tuple(w for k, w in enumerate(self.plan.planned_shots) if k != self.chosen)
            self.chosen = max(0, min(self.chosen, len(planned_shots) - 1))
            self.change(planned_shots=planned_shots)

    def settle(self) -> None:
        """End a drag: the next change is a step of its own."""
        if self.joined:
            self.joined = False
            self.changed.emit(self.plan)

    def undo(self) -> None:
        """Undo the last change."""
        self._step(self._back, self._forward)

    def redo(self) -> None:
        """Redo what was undone."""
        self._step(self._forward, self._back)

    def _step(self, source: list[Plan], other: list[Plan]) -> None:
        if source and self.plan is not None:
            other.append(self.plan)
            plan = source.pop()
            self.joined = False
            self.chosen = max(0, min(self.chosen, len(plan.planned_shots) - 1))
            self._take(plan)

    def _take(self, plan: Plan) -> None:
        before, self.plan = self.plan, plan
        self._keeping.ask("plan", partial(self.file.write, plan), self._written, self._not_written)
        self.changed.emit(before)

    def _written(self, _: object) -> None:
        self.unsaved = ""

    def _not_written(self, why: str) -> None:
        if why != self.unsaved:
            self.unsaved = why
            self.message.emit(why)

    def flush(self) -> None:
        """Write what is not written yet."""
        if self.plan is not None and not self.file.is_saved(self.plan):
            self._keeping.forget()
            try:
                self.file.write(self.plan)
            except (BrutoError, OSError) as error:
                self._not_written(str(error))

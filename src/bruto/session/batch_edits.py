"""Values used on several shots at once: copied ones, recipes, each shot's own suggestions; taken back as one step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from psygnal import Signal

from bruto.catalog import tr, trn
from bruto.develop.field_ui import GROUPS
from bruto.develop.history_text import APPLIED_EACH, PASTED, step_title
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe, fields_of
from bruto.develop.recipe_library import NamedRecipe
from bruto.develop.source import open_source
from bruto.develop.suggest.suggester import suggest_all
from bruto.errors import BrutoError
from bruto.session.bulk_writer import BulkWriter
from bruto.session.edit import Edit
from bruto.session.initial_edits import find_start
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.open_shots import OpenShots
from bruto.session.shoot import Shoot
from bruto.session.workers import Post
from bruto.shoot.shots import Shot

Values = dict[str, Any] | Callable[[Edit], dict[str, Any]]
NOT_COPIED = ("frame",)
"""Groups that are each shot's own and not copied unless asked for."""


def _shots(count: int) -> str:
    return trn("{count} shot", "{count} shots", count=count)


class BatchEdits:
    """`copied`: field values to be used on other shots, empty where nothing was copied."""

    message = Signal(str)
    notice = Signal(str)

    def __init__(self, shoot: Shoot, opened: OpenShots, bulk: BulkWriter, tasks: LongTasks, post: Post) -> None:
        self.shoot, self.opened, self.bulk, self.tasks, self.post = shoot, opened, bulk, tasks, post
        self.copied: dict[str, Any] = {}
        self.groups = tuple(name for name, _, _ in GROUPS if name not in NOT_COPIED)
        """Groups of the ledger that are copied."""
        self._last: tuple[str, list[Shot]] | None = None

    def _tell(self, problems: list[str], text: str) -> None:
        (self.message if problems else self.notice).emit(text)

    # -- copy and use

    def copy(self) -> None:
        """Copy the shown shot's values of the chosen groups."""
        edit, shot = self.opened.edit, self.opened.shot
        if edit is None or shot is None:
            return
        fields = tuple(f for name in self.groups for f in fields_of(name))
        self.copied = NamedRecipe(f"values of {shot.name}"[:60], fields, edit.recipe).values()
        left = [title.lower() for name, title, _ in GROUPS if name not in self.groups]
        rest = tr(", without {left}", left=", ".join(left)) if left else ""
        self.notice.emit(tr("Copied the values of {name}{rest}.", name=shot.name, rest=rest))

    def paste(self) -> None:
        """Use the copied values on all that is selected."""
        if not self.copied:
            self.message.emit(tr("Copy the values of a shot first."))
            return
        self.use(self.copied, PASTED, self.shoot.selection)

    def use(self, values: Values, what: str, shots: list[Shot]) -> None:
        """Use values, or those that each shot's edit gets, on shots.

        One step of history in each, and taken back together by `take_back`.

        Parameters
        ----------
        values
            Fields of the recipe with their new values.
        what
            Key of the step in the history.
        shots
            The shots concerned.
        """
        shots = [s for s in shots if not s.problem]

        def act(edit: Edit) -> bool:
            self._begin(edit)
            changed = edit.change(what, **(values(edit) if callable(values) else values))
            edit.save()
            return changed

        def done(count: int, problems: list[str]) -> None:
            same = len(shots) - count
            rest = tr("; {shots} had them already", shots=_shots(same)) if same > 0 and not problems else ""
            self._tell(
                problems,
                " ".join(
                    [
                        tr(
                            "Applied {step_title} to {shots}{rest}.",
                            step_title=step_title(what),
                            shots=_shots(count),
                            rest=rest,
                        ),
                        *problems[:2],
                    ]
                ),
            )

        self._last = (what, shots)
        starting, opened = self.opened.starting, self.opened.edits
        if starting.on and any(str(s.main) not in opened and starting.of(s.main) is None for s in shots):
            self.notice.emit(
                tr("Finding the suggestions of {shots} first; the values are applied on top.", shots=_shots(len(shots)))
            )
        self.bulk.change(shots, act, done)

    def _begin(self, edit: Edit) -> None:
        """Find where a shot that was never opened starts, which is where new shots start.

        On the thread that writes.
        """
        starting = self.opened.starting
        if starting.on and edit.untouched and str(edit.path) not in self.opened.edits:
            edit.start_with(find_start(edit.path))

    def take_back(self) -> None:
        """Take back what was last used on several shots, where it is still the last step."""
        if self._last is None:
            self.message.emit(tr("Nothing was pasted on a selection yet."))
            return
        what, shots = self._last
        self._last = None

        def act(edit: Edit) -> bool:
            if not edit.sidecar.history or edit.sidecar.history[-1][0] != what:
                return False
            edit.undo()
            edit.save()
            return True

        def done(count: int, problems: list[str]) -> None:
            self._tell(
                problems,
                " ".join(
                    [
                        tr("Undid {step_title} on {shots}.", step_title=step_title(what), shots=_shots(count)),
                        *problems[:2],
                    ]
                ),
            )

        self.bulk.change(shots, act, done)

    # -- each shot's own suggestions

    def suggest(self, shots: list[Shot]) -> None:
        """Measure each shot and take its own suggestions, behind the window.

        Parameters
        ----------
        shots
            The shots concerned.
        """
        shots = [s for s in shots if not s.problem]
        if not shots:
            return
        what, values = APPLIED_EACH, self.opened.values()
        self._last = (what, shots)
        task = LongTask("suggestions", tr("Finding suggestions"), subject=shots)

        def work() -> tuple[int, list[str]]:
            count, problems = 0, []
            for k, shot in enumerate(shots):
                if task.stopped():
                    break
                task.tell(k / len(shots), shot.name)
                try:  # turned and cut as the shot is: its lines and lights lie elsewhere then
                    recipe = values(shot.main) or Recipe()
                    found = suggest_all(Developer(open_source(shot.main)).asked(recipe))
                except BrutoError as error:
                    problems.append(str(error))
                    continue

                def act(edit: Edit, found: Any = found) -> bool:
                    changed = edit.adopt(what, found)
                    edit.save()
                    return changed

                self.post(partial(self.bulk.change, [shot], act, lambda *_: None))
                count += 1
            return count, problems

        def done(found: tuple[int, list[str]]) -> None:
            count, problems = found
            self._tell(
                problems,
                " ".join([tr("Applied its own suggestions to each of {shots}.", shots=_shots(count)), *problems[:2]]),
            )

        self.tasks.start(task, work, done, self.message.emit)

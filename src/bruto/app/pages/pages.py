"""The tasks of the window in working order: one list, read by the top bar, the menu and the shortcuts.

One more page is its module beside this one and an entry here. A page is a widget made with the window as its host; if
it has them, `turned_to` is called when its task is chosen, and its `stage` answers to the zoom commands.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any

from bruto.app.commands import COMMANDS, GROUPS, Command
from bruto.app.host import Host
from bruto.catalog import tr
from bruto.tasks import Task


@dataclass(frozen=True)
class Page:
    """`task`: its identifier, which its module is called too; `title`; `name` of its class, loaded when first
    needed; `keys` that turn to it;
    `commands` of its own; `with_shots`: whether the list of shots stands beside it; `in_bar`: in the top bar.
    """

    task: Task
    title: str
    name: str
    keys: str
    commands: tuple[Command, ...] = ()
    with_shots: bool = True
    in_bar: bool = True

    def make(self, host: Host) -> Any:
        """The page's widget."""
        return getattr(import_module(f"bruto.app.pages.{self.task}"), self.name)(host)


PAGES: tuple[Page, ...] = (
    Page(Task.PLAN, tr("Plan"), "PlanPage", "Ctrl+8", with_shots=False),
    Page(Task.INTAKE, tr("Intake"), "IntakePage", "Ctrl+1", with_shots=False),
    Page(Task.CORRECT, tr("Correct"), "CorrectPage", "Ctrl+2"),
    Page(Task.COMPARE, tr("Compare"), "ComparePage", "Ctrl+3"),
    Page(Task.MERGE, tr("Merge"), "MergePage", "Ctrl+4"),
    Page(Task.EXPORT, tr("Export"), "ExportPage", "Ctrl+5"),
    Page(Task.LOGBOOK, tr("Logbook"), "LogbookPage", "Ctrl+7", with_shots=False),
    Page(Task.PRACTICE, tr("Practice"), "PracticePage", "Ctrl+9", with_shots=False),
    Page(Task.SIDE_BY_SIDE, tr("Side by side"), "SideBySidePage", "Ctrl+6", in_bar=False),
    Page(Task.START, tr("Start"), "StartPage", "", with_shots=False, in_bar=False),
    Page(Task.KEYS, tr("Keys"), "KeysPage", "F1", with_shots=False, in_bar=False),
)


def title_of(task: Task) -> str:
    """The title of a task."""
    return next(p.title for p in PAGES if p.task == task)


@cache
def all_commands() -> tuple[Command, ...]:
    """Every command in the order of the menu, with one for each page."""
    turning = [Command(f"task-{p.task}", p.title, p.keys, _turn(p), "tasks") for p in PAGES if p.keys]
    found = [*COMMANDS, *(c for p in PAGES for c in p.commands), *turning]
    order = list(GROUPS)
    return tuple(sorted(found, key=lambda c: order.index(c.group)))


def _turn(page: Page) -> Any:
    return lambda host: host.set_task(page.task)

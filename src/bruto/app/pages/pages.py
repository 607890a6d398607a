"""The tasks of the window in working order: one list, read by the top bar, the menu and the shortcuts.

One more page is its module beside this one and an entry here. A page is a widget made with the window as its host; if
it has them, `turned_to` is called when its task is chosen, and its `stage` answers to the zoom commands.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Any

from bruto.app.commands import COMMANDS, GROUPS, Command
from bruto.app.host import Host


@dataclass(frozen=True)
class Page:
    """`title` of the task; `module` and `name` of its class, loaded when it is first wanted; `keys` that turn to it;
    `commands` of its own; `with_shots`: whether the list of shots stands beside it; `in_bar`: in the top bar.
    """

    title: str
    module: str
    name: str
    keys: str
    commands: tuple[Command, ...] = ()
    with_shots: bool = True
    in_bar: bool = True

    def make(self, host: Host) -> Any:
        """The page's widget."""
        return getattr(import_module(f"bruto.app.pages.{self.module}"), self.name)(host)


PAGES: tuple[Page, ...] = (
    Page("Plan", "plan", "PlanPage", "Ctrl+8", with_shots=False),
    Page("Intake", "intake", "IntakePage", "Ctrl+1", with_shots=False),
    Page("Correct", "develop", "DevelopPage", "Ctrl+2"),
    Page("Compare", "compare", "ComparePage", "Ctrl+3"),
    Page("Merge", "merge", "MergePage", "Ctrl+4"),
    Page("Deliver", "deliver", "DeliverPage", "Ctrl+5"),
    Page("Logbook", "logbook", "LogbookPage", "Ctrl+7", with_shots=False),
    Page("Practice", "practice", "PracticePage", "Ctrl+9", with_shots=False),
    Page("Side by side", "together", "TogetherPage", "Ctrl+6", in_bar=False),
    Page("Start", "start", "StartPage", "", with_shots=False, in_bar=False),
    Page("Keys", "keys", "KeysPage", "F1", with_shots=False, in_bar=False),
)


def all_commands() -> list[Command]:
    """Every command in the order of the menu, with one for each page."""
    turning = [Command(f"task-{p.title}", p.title, p.keys, _turn(p), "tasks") for p in PAGES if p.keys]
    found = [*COMMANDS, *(c for p in PAGES for c in p.commands), *turning]
    return sorted(found, key=lambda c: list(GROUPS).index(c.group))


def _turn(page: Page) -> Any:
    return lambda host: host.set_task(page.title)

"""The tasks of the window: what the top bar shows, what a start page goes back to, where an exercise leads."""

from __future__ import annotations

from enum import StrEnum


class Task(StrEnum):
    """A task by the identifier that settings and commands store; its title stands with its page."""

    PLAN = "plan"
    INTAKE = "intake"
    CORRECT = "correct"
    COMPARE = "compare"
    MERGE = "merge"
    EXPORT = "export"
    LOGBOOK = "logbook"
    PRACTICE = "practice"
    SIDE_BY_SIDE = "side_by_side"
    START = "start"
    KEYS = "keys"

"""The command line: every task without a window. Exit 0 done, 1 the work failed, 2 wrong usage."""

from __future__ import annotations

import io
import os
import sys
from pathlib import Path

import bruto.cli.clip
import bruto.cli.compare
import bruto.cli.demo
import bruto.cli.develop
import bruto.cli.importing
import bruto.cli.inspection
import bruto.cli.practice  # noqa: F401  each adds its commands
from bruto.catalog import tr
from bruto.cli.base import app
from bruto.error_log import unexpected
from bruto.errors import BrutoError
from bruto.storage.safe_read import FileAction, explain
from bruto.storage.temporary_files import clean_leftovers
from bruto.terminal import say

COMMANDS = {
    "inspect", "measure", "develop", "compare", "match", "merge", "clip", "plan", "log", "import", "practice",
    "simulate", "demo", "open", "bench",
}  # fmt: skip


RENAMED_OPTIONS = {
    "--kept": "--saved", "--like": "--phone-from", "--taken": "--shots", "--equal": "--equal-brightness",
}  # fmt: skip
"""Options of version 0.1 and what they are called now; they are understood for one more version."""


def _renamed(args: list[str]) -> list[str]:
    """Replace old names of options, and say so once for each."""
    found: list[str] = []
    for position, arg in enumerate(args):
        if arg == "--":
            return found + args[position:]
        name, equals, value = arg.partition("=")
        if name in RENAMED_OPTIONS:
            now = RENAMED_OPTIONS[name]
            say(tr("bruto: {old} is now {new}; the old name still works in this version.", old=name, new=now))
            arg = now + equals + value
        found.append(arg)
    return found


def main(arguments: list[str] | None = None) -> int:
    """Entry point; returns the exit code. Whatever happens ends in one line, never in a trace."""
    args = _renamed(sys.argv[1:] if arguments is None else arguments)
    if not args or (args[0] not in COMMANDS and not args[0].startswith("-")):
        args = ["open", *args]
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    clean_leftovers()
    try:
        if args[0] == "merge":
            from bruto.cli.merge import add_merges

            add_merges()
        if args[0] == "plan":
            import bruto.cli.plan
        if args[0] == "log":
            import bruto.cli.logbook  # noqa: F401
        app(args=args)
        return 0
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 0
    except BrutoError as error:
        say(tr("bruto: {error}", error=error))
        return 1
    except MemoryError:
        say(tr("bruto: not enough memory. Close other programs or work on fewer files."))
        return 1
    except KeyboardInterrupt:
        say(tr("bruto: stopped; nothing was written."))
        return 130
    except BrokenPipeError:  # whoever reads the output has heard enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        return 1
    except OSError as error:
        place = f" {error.filename}" if error.filename else ""
        say(
            tr("bruto: {explain}", explain=explain(error, Path(str(error.filename or "")), FileAction.USE))
            if place
            else tr("bruto: {error}.", error=error)
        )
        unexpected(error, "running " + " ".join(args[:1]))
        return 1
    except Exception as error:
        say(tr("bruto: {unexpected}", unexpected=unexpected(error, "running " + " ".join(args[:1]))))
        return 1


def run() -> None:
    """The command as a process: it ends at once, as all is written and memory need not be given back piece by piece."""
    code = main()
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except (OSError, ValueError):
        pass
    os._exit(code)

"""Everything that can be done by a word: one list, read by the menus, the shortcuts, the sheet of keys and the search
for commands.

One more command is one entry here (or in the list of its page, see `pages.pages`). Keys are grouped by what the hand
does: looking F2 to F4, choosing F5 to F8, correcting Alt and a letter; users can change each.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtGui import QGuiApplication

from bruto.app.host import Host
from bruto.catalog import tr
from bruto.session.edit import Edit
from bruto.shoot.verdicts import VERDICTS
from bruto.tasks import Task

GROUPS: dict[str, str] = {
    "shoot": tr("Shoot"),
    "choose": tr("Choose"),
    "look": tr("View"),
    "correct": tr("Correct"),
    "frame": tr("Frame"),
    "tasks": tr("Tasks"),
    "window": tr("Window"),
}
"""Subjects of commands, in the order of the menu, and their titles."""


@dataclass(frozen=True)
class Command:
    """`id`: its name in the program; `title`: in menus; `keys`: its shortcut, "" for none; `act`: what it does;
    `group`: the subject it stands under; `enabled`: whether it can be done now; `hold`: it lasts while its key is held.
    """

    id: str
    title: str
    keys: str
    act: Callable[[Host], Any]
    group: str
    enabled: Callable[[Host], bool] = lambda host: True
    hold: bool = False


def _edited(what: Callable[[Edit], Any]) -> Callable[[Host], Any]:
    """Something done to the edit of the shown shot."""

    def act(host: Host) -> None:
        edit = host.session.opened.edit
        if edit is not None:
            what(edit)

    return act


def _corrected(what: Callable[[Any], Any]) -> Callable[[Host], Any]:
    """Something done on the page Correct, while it shows a decoded shot."""

    def act(host: Host) -> None:
        if host.task() == Task.CORRECT and host.session.opened.developer is not None:
            what(host.page(Task.CORRECT))

    return act


def _read(what: Callable[[Any], Any]) -> Callable[[Host], Any]:
    """Something done on the page Intake, while it is shown."""

    def act(host: Host) -> None:
        if host.task() == Task.INTAKE:
            what(host.page(Task.INTAKE))

    return act


def _open(host: Host) -> bool:
    return host.session.opened.edit is not None


def _undo(host: Host) -> None:
    if host.task() == Task.PLAN:
        host.session.plan_editor.document.undo()
    else:
        _edited(Edit.undo)(host)


def _redo(host: Host) -> None:
    if host.task() == Task.PLAN:
        host.session.plan_editor.document.redo()
    else:
        _edited(Edit.redo)(host)


def _undoable(host: Host) -> bool:
    return host.session.plan_editor.document.plan is not None if host.task() == Task.PLAN else _open(host)


def _correcting(host: Host) -> bool:
    return host.task() == Task.CORRECT and host.session.opened.developer is not None


def _reading(host: Host) -> bool:
    return host.task() == Task.INTAKE and _shots(host)


def _shots(host: Host) -> bool:
    return bool(host.session.shoot.shots)


def _copied(host: Host) -> bool:
    return bool(host.session.copied) and _shots(host)


def _toggle_zoom(host: Host) -> None:
    stage = getattr(host.page(host.task()), "stage", None)
    if stage is not None and stage.fit:
        stage.set_one_to_one()
    elif stage is not None:
        stage.set_fit()


def _judge(verdict: str, on: bool) -> Callable[[Host], None]:
    def act(host: Host) -> None:
        host.session.judge(verdict)
        if on:
            host.step(1)

    return act


def _copy_path(host: Host) -> None:
    """The shown shot's file to the clipboard, for other programs."""
    shot = host.session.opened.shot
    if shot is not None:
        QGuiApplication.clipboard().setText(str(shot.main.absolute()))
        host.say(tr("Copied the path of {name}.", name=shot.main.name))


def _choosing() -> list[Command]:
    """A key for each verdict, and one that goes on to the next shot."""
    one = [
        Command(f"verdict-{v.id}", v.text, f"F{5 + k}", _judge(v.id, False), "choose", _shots)
        for k, v in enumerate(VERDICTS)
    ]
    on = [
        Command(
            f"verdict-{v.id}-next",
            tr("{text}, then next", text=v.text),
            f"Ctrl+F{5 + k}",
            _judge(v.id, True),
            "choose",
            _shots,
        )
        for k, v in enumerate(VERDICTS)
    ]
    return [*one, *on]


COMMANDS: tuple[Command, ...] = (
    Command("check-files", tr("Check all files"), "", lambda h: h.session.checking.start(), "shoot", _shots),
    Command("open", tr("Open a folder…"), "Ctrl+O", lambda h: h.opener.choose_folder(), "shoot"),
    Command("start", tr("Start page"), "Ctrl+0", lambda h: h.set_task(Task.START), "shoot"),
    Command("import", tr("Import from a phone or card…"), "Ctrl+T", lambda h: h.asking.import_files(), "shoot", _shots),
    Command("card", tr("Card of this phone…"), "Ctrl+K", lambda h: h.asking.show_card(), "shoot", _open),
    Command(
        "file-tree",
        tr("All metadata of this file"),
        "Ctrl+I",
        lambda h: h.page(Task.INTAKE).show_tree(),
        "shoot",
        _open,
    ),
    Command("copy-path", tr("Copy the path of this shot"), "Ctrl+Shift+C", _copy_path, "shoot", _open),
    Command(
        "wastebasket",
        tr("Move discarded shots to the wastebasket…"),
        "Ctrl+Shift+Del",
        lambda h: h.asking.discard_shots(),
        "shoot",
        _shots,
    ),
    *_choosing(),
    Command("next", tr("Next shot"), "PgDown", lambda h: h.step(1), "choose", _shots),
    Command("previous", tr("Previous shot"), "PgUp", lambda h: h.step(-1), "choose", _shots),
    Command("select-all", tr("Select all listed shots"), "Ctrl+Shift+A", lambda h: h.select("all"), "choose", _shots),
    Command("select-set", tr("Select this shot's set"), "Ctrl+Shift+S", lambda h: h.select("set"), "choose", _shots),
    Command("zoom", tr("Whole picture or 1:1"), "F2", _toggle_zoom, "look", _shots),
    Command("before", tr("Show the picture before (hold)"), "F3", lambda h: None, "look", _correcting, hold=True),
    Command(
        "beside",
        tr("Before and after side by side"),
        "F4",
        _corrected(lambda p: p.reference.set_beside(not p.stage.beside)),
        "look",
        _correcting,
    ),
    Command(
        "large", tr("Large picture or board"), "Shift+F2", _read(lambda p: p.large_button.toggle()), "look", _reading
    ),
    Command(
        "flip", tr("Switch raw, preview, phone's picture"), "Shift+F3", _read(lambda p: p.flip()), "look", _reading
    ),
    Command(
        "clipped", tr("Mark clipped places"), "Shift+F4", _read(lambda p: p.clipped_button.toggle()), "look", _reading
    ),
    Command(
        "proof",
        tr("Mark colours outside sRGB, then Display P3"),
        "Ctrl+G",
        _corrected(lambda p: p.renderer.next_proof()),
        "look",
        _correcting,
    ),
    Command("fold-shots", tr("Show or hide the shot list"), "F9", lambda h: h.fold("shots"), "look"),
    Command("fold-strip", tr("Show or hide the light strip"), "F10", lambda h: h.fold("strip"), "look"),
    Command("undo", tr("Undo"), "Ctrl+Z", _undo, "correct", _undoable),
    Command("redo", tr("Redo"), "Ctrl+Shift+Z", _redo, "correct", _undoable),
    Command("apply-all", tr("Apply all suggestions"), "Alt+A", _edited(Edit.take_all), "correct", _open),
    Command(
        "apply-selection",
        tr("Apply suggestions to the selection"),
        "Alt+Shift+A",
        lambda h: h.asking.suggest_selection(),
        "correct",
        _shots,
    ),
    Command(
        "copy-some",
        tr("Copy values of some groups…"),
        "Alt+Shift+C",
        lambda h: h.asking.choose_groups(),
        "correct",
        _open,
    ),
    Command("copy-values", tr("Copy values"), "Alt+C", lambda h: h.session.batch_edits.copy(), "correct", _open),
    Command(
        "paste-values",
        tr("Paste values to the selection"),
        "Alt+V",
        lambda h: h.session.batch_edits.paste(),
        "correct",
        _copied,
    ),
    Command(
        "undo-paste",
        tr("Undo the last paste"),
        "Alt+Z",
        lambda h: h.session.batch_edits.take_back(),
        "correct",
    ),
    Command("reset-all", tr("Reset all values"), "Ctrl+R", _edited(Edit.reset), "correct", _open),
    Command(
        "pick-white",
        tr("Pick white in the picture"),
        "Alt+W",
        _corrected(lambda p: p.tools.toggle_pick("white")),
        "correct",
        _correcting,
    ),
    Command(
        "pick-hue",
        tr("Pick a hue in the picture"),
        "Alt+H",
        _corrected(lambda p: p.tools.toggle_pick("hue")),
        "correct",
        _correcting,
    ),
    Command(
        "pick-grey",
        tr("Make a place in the picture mid-grey"),
        "Alt+G",
        _corrected(lambda p: p.tools.toggle_pick("grey")),
        "correct",
        _correcting,
    ),
    Command(
        "lift",
        tr("Set tone in the picture"),
        "Alt+T",
        _corrected(lambda p: p.tone_button.toggle()),
        "correct",
        _correcting,
    ),
    Command("recipes", tr("Recipes…"), "Ctrl+E", lambda h: h.asking.show_recipes(), "correct", _open),
    Command(
        "keep-version",
        tr("Save as a version…"),
        "Ctrl+Shift+K",
        lambda h: h.page(Task.CORRECT).versions.ask_name(),
        "correct",
        _open,
    ),
    Command("unfold", tr("Unfold all groups"), "Ctrl+U", lambda h: h.page(Task.CORRECT).ledger.unfold(), "correct"),
    Command(
        "fold-groups",
        tr("Fold all groups"),
        "Ctrl+Shift+U",
        lambda h: h.page(Task.CORRECT).ledger.fold_all(),
        "correct",
    ),
    Command(
        "find-row",
        tr("Find a correction"),
        "Ctrl+F",
        _corrected(lambda p: p.ledger.head.row_finder.setFocus()),
        "correct",
        _correcting,
    ),
    Command(
        "crop",
        tr("Crop in the picture"),
        "Alt+F",
        _corrected(lambda p: p.toggle_frame_tool("frame_button")),
        "frame",
        _correcting,
    ),
    Command(
        "level",
        tr("Level by a line"),
        "Alt+L",
        _corrected(lambda p: p.toggle_frame_tool("line_button")),
        "frame",
        _correcting,
    ),
    Command(
        "turn-right",
        tr("Rotate clockwise"),
        "Alt+Right",
        lambda h: h.page(Task.CORRECT).frame_tool.turn(1),
        "frame",
        _open,
    ),
    Command(
        "turn-left",
        tr("Rotate anticlockwise"),
        "Alt+Left",
        lambda h: h.page(Task.CORRECT).frame_tool.turn(3),
        "frame",
        _open,
    ),
    Command("find", tr("Find a command"), "Ctrl+Space", lambda h: h.commands.find(), "window"),
    Command("messages", tr("Messages"), "Ctrl+M", lambda h: h.status_bar.drawer.toggle(), "window"),
    Command("theme", tr("Light or dim theme"), "Ctrl+D", lambda h: h.top.toggle_theme(), "window"),
    Command("quit", tr("Quit"), "Ctrl+Q", lambda h: h.close(), "window"),
)

OF_SHOTS = (
    *(f"verdict-{v.id}" for v in VERDICTS), "", f"task-{Task.SIDE_BY_SIDE}", f"task-{Task.CORRECT}",
    f"task-{Task.COMPARE}",
    f"task-{Task.MERGE}", f"task-{Task.EXPORT}", "",
    "copy-values", "paste-values", "apply-selection", "", "select-set", "copy-path", "file-tree", "card",
)  # fmt: skip
"""Commands in the menu of a shot or of the shots that are selected; "" is a line between them."""
OF_STAGE = (
    "zoom", "before", "beside", "proof", "", "pick-white", "pick-hue", "pick-grey", "lift", "crop", "level",
    "turn-left", "turn-right", "", "undo", "redo", "keep-version",
)  # fmt: skip
OF_STRIP = ("apply-all", "undo", "redo", "fold-strip")

"""Everything that can be done by a word: one list, read by the menu, the shortcuts, the tooltips and the sheet of keys.

One more command is one entry here (or in the list of its page, see `pages.pages`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtGui import QGuiApplication

from bruto.app.host import Host
from bruto.session.edit import Edit


@dataclass(frozen=True)
class Command:
    """`id`: its name in the program; `title`: in menus; `keys`: its shortcut, "" for none; `act`: what it does;
    `group`: the part of the menu it stands in; `enabled`: whether it can be done now.
    """

    id: str
    title: str
    keys: str
    act: Callable[[Host], Any]
    group: str
    enabled: Callable[[Host], bool] = lambda host: True


def _edited(what: Callable[[Edit], Any]) -> Callable[[Host], Any]:
    """Something done to the edit of the shown shot."""

    def act(host: Host) -> None:
        edit = host.session.opened.edit
        if edit is not None:
            what(edit)

    return act


def _developed(what: Callable[[Any], Any]) -> Callable[[Host], Any]:
    """Something done on the page Develop, while it shows a decoded shot."""

    def act(host: Host) -> None:
        if host.task() == "Develop" and host.session.opened.developer is not None:
            what(host.page("Develop"))

    return act


def _open(host: Host) -> bool:
    return host.session.opened.edit is not None


def _toggle_zoom(host: Host) -> None:
    stage = getattr(host.page(host.task()), "stage", None)
    if stage is not None:
        stage.set_one_to_one() if stage.fit else stage.set_fit()


def _ledger(host: Host) -> None:
    host.page("Develop").ledger.unfold()


def _copy_path(host: Host) -> None:
    """The shown shot's file to the clipboard, for other programs."""
    shot = host.session.opened.shot
    if shot is not None:
        QGuiApplication.clipboard().setText(str(shot.main.absolute()))
        host.say(f"Copied: {shot.main.name} with its folder.")


COMMANDS: tuple[Command, ...] = (
    Command("open", "Open a folder…", "Ctrl+O", lambda h: h.choose_folder(), "file"),
    Command("undo", "Undo", "Ctrl+Z", _edited(Edit.undo), "values", _open),
    Command("redo", "Redo", "Ctrl+Shift+Z", _edited(Edit.redo), "values", _open),
    Command(
        "proof", "Mark what sRGB, then Display P3, cannot hold", "Ctrl+G", _developed(lambda p: p.next_proof()),
        "values",
    ),
    Command("beside", "Before beside the picture", "S", _developed(lambda p: p.toggle_beside()), "values"),
    Command(
        "keep-version", "Keep as a version…", "Ctrl+Shift+K", lambda h: h.page("Develop").versions.ask_name(), "values",
        _open,
    ),
    Command("crop", "Crop on the picture", "C", _developed(lambda p: p.toggle_frame_tool("frame_button")), "values"),
    Command("level", "Level by a line", "Shift+C", _developed(lambda p: p.toggle_frame_tool("line_button")), "values"),
    Command("turn-right", "Turn clockwise", "R", lambda h: h.page("Develop").frame_tool.turn(1), "values"),
    Command("turn-left", "Turn anticlockwise", "Shift+R", lambda h: h.page("Develop").frame_tool.turn(3), "values"),
    Command("take-all", "Take all suggestions", "T", _edited(Edit.take_all), "values", _open),
    Command("reset-all", "Reset all values", "Ctrl+R", _edited(Edit.reset), "values", _open),
    Command("pick-white", "Pick white in the picture", "W", _developed(lambda p: p.toggle_pick("white")), "values"),
    Command("pick-hue", "Pick a hue in the picture", "H", _developed(lambda p: p.toggle_pick("hue")), "values"),
    Command("lift", "Tone by hand in the picture", "D", _developed(lambda p: p.tone_button.toggle()), "values"),
    Command("recipes", "Recipes…", "Ctrl+E", lambda h: h.show_recipes(), "values"),
    Command("unfold", "Unfold all groups of the ledger", "Ctrl+U", _ledger, "values"),
    Command("zoom", "Whole picture or 1:1", "Z", _toggle_zoom, "view"),
    Command("file-tree", "Everything in this file", "Ctrl+I", lambda h: h.page("Intake").show_tree(), "view"),
    Command("card", "Card of this phone…", "Ctrl+K", lambda h: h.show_card(), "view"),
    Command("copy-path", "Copy the path of this shot", "Ctrl+Shift+C", _copy_path, "view", _open),
    Command("take-in", "Take files in from a phone or card…", "Ctrl+T", lambda h: h.take_in(), "view"),
    Command("next", "Next shot", "PgDown", lambda h: h.step(1), "view"),
    Command("previous", "Previous shot", "PgUp", lambda h: h.step(-1), "view"),
    Command("fold-shots", "Fold or show the shots", "F9", lambda h: h.fold("shots"), "view"),
    Command("fold-strip", "Fold or show the light strip", "F10", lambda h: h.fold("strip"), "view"),
    Command("theme", "Dim or light theme", "Ctrl+D", lambda h: h.toggle_theme(), "window"),
    Command("quit", "Quit", "Ctrl+Q", lambda h: h.close(), "window"),
)  # fmt: skip

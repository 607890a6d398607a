"""The commands of the window: menus by subject, shortcuts as the user has them, the search."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from bruto.app.commands import GROUPS
from bruto.app.pages.pages import all_commands
from bruto.app.widgets.command_search import CommandSearch
from bruto.catalog import tr


class CommandMenu:
    """`actions` by the id of their command, `menus` by subject; `hold_keys`: commands by a key that lasts while it
    is held;
    `shown`: the last menu that was asked for at a place.
    """

    def __init__(self, window: Any, button: QPushButton) -> None:
        self.window = window
        self.hold_keys: dict[int, str] = {}
        self.shown: QMenu | None = None
        menu = QMenu(window)
        button.setMenu(menu)
        self.actions: dict[str, QAction] = {}
        self.menus = parts = {group: menu.addMenu(title) for group, title in GROUPS.items()}
        for command in all_commands():
            action = QAction(command.title, window)
            action.triggered.connect(lambda _=False, c=command: c.act(window) if c.enabled(window) else None)
            parts[command.group].addAction(action)
            window.addAction(action)
            self.actions[command.id] = action
        self.use_keys()
        for part in (menu, *parts.values()):
            part.aboutToShow.connect(self._enable)
        menu.aboutToHide.connect(self._enable_all)

    def keys_of(self, name: str) -> str:
        """The shortcut of a command, as the user has it."""
        usual = next(c.keys for c in all_commands() if c.id == name)
        return self.window.session.settings.keys.get(name, usual)

    def set_keys(self, name: str, keys: str) -> str:
        """Give a command another shortcut; returns why that cannot be, or ""."""
        wanted = QKeySequence(keys).toString()
        if wanted:
            for other in all_commands():
                if other.id != name and QKeySequence(self.keys_of(other.id)).toString() == wanted:
                    return tr(
                        "{wanted} already belongs to “{rstrip}”. Change that one first.",
                        wanted=wanted,
                        rstrip=other.title.rstrip("…"),
                    )
            if len(wanted) == 1 and wanted.isalnum():
                return tr("A plain letter or digit would act while you type. Add Ctrl or Alt, or use a function key.")
        usual = next(c.keys for c in all_commands() if c.id == name)
        changed_keys = self.window.session.settings.keys
        changed_keys.pop(name, None)
        if wanted != QKeySequence(usual).toString():
            changed_keys[name] = wanted
        self.use_keys()
        self.window.session.save_settings()
        return ""

    def use_keys(self) -> None:
        """Shortcuts as the user has them; what lasts while a key is held is no shortcut."""
        self.hold_keys = {}
        for command in all_commands():
            sequence = QKeySequence(self.keys_of(command.id))
            if command.hold:
                if not sequence.isEmpty():
                    keys: Any = sequence
                    self.hold_keys[keys[0].toCombined()] = command.id
            else:
                self.actions[command.id].setShortcut(sequence)
        self.name_keys(self.window)

    def menu_of(self, names: tuple[str, ...], place: QPoint) -> None:
        """Show a menu of commands; "" is a line."""
        self._enable()
        menu = QMenu(self.window)
        for name in names:
            menu.addAction(self.actions[name]) if name else menu.addSeparator()
        menu.aboutToHide.connect(self._enable_all)
        self.shown = menu
        menu.popup(place)

    def find(self) -> CommandSearch:
        """The search for commands."""
        entries = [(c.id, c.title, self.keys_of(c.id), c.enabled(self.window)) for c in all_commands() if not c.hold]
        search = CommandSearch(self.window, entries, lambda name: self.actions[name].trigger())
        search.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        search.open()
        return search

    def _enable(self) -> None:
        """While the menu is open it says what can be done now; a key asks when it is pressed."""
        for command in all_commands():
            self.actions[command.id].setEnabled(command.enabled(self.window))

    def _enable_all(self) -> None:
        for action in self.actions.values():
            action.setEnabled(True)

    def name_keys(self, root: QWidget) -> None:
        """Tips name the keys as the user has them: each key in brackets is that of a command."""
        changed = {c.keys: self.keys_of(c.id) for c in all_commands() if c.keys}
        for widget in root.findChildren(QWidget):
            usual = widget.property("usual tip") or widget.toolTip()
            keys = usual[usual.rfind("(") + 1 : -1] if usual.endswith(")") else ""
            if keys in changed:
                widget.setProperty("usual tip", usual)
                now = changed[keys]
                widget.setToolTip(f"{usual[: usual.rfind('(')].rstrip()} ({now})" if now else usual[: usual.rfind("(")])

"""Develop: stage, light strip and ledger of the shot that is shown."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent

from bruto.app.host import Host
from bruto.app.ledger.ledger import Ledger
from bruto.app.ledger.rows import NAME, name_width
from bruto.app.main_thread import single_shot
from bruto.app.pages.page import ShotPage
from bruto.app.stage.correct_bar import CorrectBar
from bruto.app.stage.frame_tool import FrameTool
from bruto.app.stage.light_strip import LightStrip
from bruto.app.stage.picture_tools import PictureTools
from bruto.app.stage.reference import Reference
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import KINDS
from bruto.app.stage.versions_menu import VersionsMenu
from bruto.app.stage.view_renderer import ViewRenderer
from bruto.app.widgets.build import across, down, fill
from bruto.catalog import sentences, tr
from bruto.develop.source import has_more, is_as_asked
from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.shoot.shots import Shot, oriented_preview

SAVE_AFTER_MS, PICTURED_AFTER_MS = 600, 250
"""After the last change: when it is saved, and when the list shows it."""
NARROW, LEDGER = 1120, (372, 330)
"""Window width below which the ledger is narrower, and its widths, pixels."""


class CorrectPage(ShotPage):
    """Emits `ready` when a picture or a reason for none is shown."""

    ready = Signal()
    pictured = Signal(object, object)
    """A shot that was edited and its picture as it stands on the stage."""
    outdated = Signal(object)
    """A shot of which a developed picture, if there is one, holds no more."""

    def __init__(self, host: Host) -> None:
        super().__init__(host)
        self.versions = VersionsMenu(self)
        self._unopenable = False
        """Whether the shown shot's file turned out not to be readable: there is nothing to correct."""
        self.strip_wanted = True
        """Whether the light strip is shown where there is a shot."""
        self._save_timer = single_shot(self, SAVE_AFTER_MS, self.save)
        self._pictured_timer = single_shot(self, PICTURED_AFTER_MS, self._tell_pictured)
        layout = across(self, margins=0, gap=0)
        middle = down(gap=0)
        self.bar = CorrectBar(host, self.versions)
        self.tag, self.kind, self.tone_button = self.bar.tag, self.bar.facts, self.bar.tone
        self.fit_button, self.one_button, self.beside_button = self.bar.fit, self.bar.one, self.bar.beside
        self.stage = Stage()
        self.strip = LightStrip()
        fill(middle, self.bar, (self.stage, 1), self.strip)
        self.ledger = Ledger()
        fill(layout, (middle, 1), self.ledger)
        self.frame_tool = FrameTool(self.opened, self.stage, self.ledger.frame_part)
        self.reference = Reference(self.session, self.stage, self.versions)
        self.renderer = ViewRenderer(self.session, self.stage)
        self.tools = PictureTools(self.session, self.stage, self.ledger)
        self._connect()

    def _connect(self) -> None:
        opened, stage, ledger = self.opened, self.stage, self.ledger
        opened.shown.connect(self.show_shot)
        opened.decoded.connect(self._decoded)
        opened.failed.connect(self._failed)
        opened.suggested.connect(self._suggested)
        opened.lit.connect(lambda: self.strip.set_light(opened.light))
        opened.edited.connect(self._edited)
        opened.saved.connect(self._tell_saved)
        stage.view_changed.connect(self._view_changed)
        self.renderer.rendered.connect(self._rendered)
        self.tools.picking.connect(lambda: self.frame_tool.set(False))
        self.tools.pointed.connect(lambda text: self.host.status(text, "", ""))
        for part in (self.renderer, self.tools):
            part.status.connect(lambda text: self.host.status("", text, ""))
        self.strip.handle_moved.connect(
            lambda tone, final: self.edit and self.edit.change("tone", final=final, tone=tone)
        )
        ledger.start_chosen.connect(self._start_chosen)
        ledger.head.show_start(self.session.starting.on)
        self.frame_tool.turned.connect(self._framing_turned)
        self.reference.beside_changed.connect(self.beside_button.setChecked)
        self.fit_button.clicked.connect(lambda: stage.set_fit())
        self.one_button.clicked.connect(lambda: stage.set_one_to_one())
        self.beside_button.clicked.connect(lambda on: self.reference.set_beside(bool(on)))
        self.bar.before.pressed.connect(lambda: self.show_before(True))
        self.bar.before.released.connect(lambda: self.show_before(False))
        self.tone_button.toggled.connect(lambda on: stage.set_lifting(on))

    @property
    def framing(self) -> bool:
        """Whether all that the frame covers is shown."""
        return self.frame_tool.on

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a narrow window the ledger leaves more room to the picture."""
        self.ledger.setFixedWidth(LEDGER[self.window().width() < NARROW] + name_width() - NAME)
        super().resizeEvent(event)

    def want_strip(self, on: bool) -> None:
        """Show or fold the light strip."""
        self.strip_wanted = on
        self._show_parts()

    def _show_parts(self) -> None:
        """Without a shot to correct there is nothing to set: neither ledger nor strip."""
        there = self.edit is not None and not self._unopenable
        self.ledger.setVisible(there)
        self.strip.setVisible(there and self.strip_wanted)

    def in_tool(self) -> bool:
        """Whether clicks and drags in the picture do something."""
        return self.framing or self.stage.picking or self.tone_button.isChecked()

    def leave_tool(self) -> bool:
        """Put down the tool in use; whether there was one."""
        if self.framing:
            self.frame_tool.set(False)
        elif self.stage.picking:
            self.tools.stop_picking()
        elif self.tone_button.isChecked():
            self.tone_button.setChecked(False)
        else:
            return False
        return True

    # -- opening

    def show_shot(self) -> None:
        """The session shows another shot: its preview at once, then the raw."""
        self.ledger.frame_part.frame_button.setChecked(False)
        self._pictured_timer.stop()
        self._save_timer.stop()
        shot, edit = self.opened.shot, self.opened.edit
        key = None if shot is None else shot.main
        self.renderer.turn_to(key)
        self.tools.turn_to(key)
        self._tell_saved()
        self.stage.message = ""
        self.stage.set_piece(None)
        self.stage.set_before(None)
        self.strip.set_light(None)
        self._unopenable = False
        self._show_parts()
        if shot is None:
            self._show_none(tr("NOTHING OPEN"), "", tr("Open a folder of shots with Ctrl+O, or drop one here."))
            return
        if shot.problem:
            self._show_none(tr("CANNOT BE OPENED"), shot.main.name, shot.problem)
            self.ready.emit()
            return
        if edit is None or shot.meta is None:
            self._failed(tr("{main} no longer exists or cannot be read. Check whether it was moved.", main=shot.main))
            return
        self.reference.shot_changed()
        self.stage.set_frame(*shot.meta.oriented_size)
        self.bar.show_zoom(self.stage.viewport)
        self.ledger.show_edit(edit, notice=" ".join(shot.meta.warnings))
        self.strip.set_recipe(edit.recipe)
        self.strip.set_suggested(None)
        self._suggested()
        self._show_preview(shot, edit)

    def _show_none(self, tag: str, name: str, message: str) -> None:
        self.tag.setText(tag)
        self.kind.setText(name)
        self.stage.set_frame(0, 0)
        self.stage.message = message
        self.ledger.show_edit(None)
        self.stage.update()

    def _show_preview(self, shot: Shot, edit: Edit) -> None:
        try:
            self.stage.set_base(np.rot90(oriented_preview(shot), -edit.recipe.effective().turns))
            self.tag.setText(tr("EMBEDDED PREVIEW"))
        except BrutoError:
            self.tag.setText(tr("READING…"))

    def _failed(self, message: str) -> None:
        self._unopenable = True
        self._show_parts()
        self.ledger.show_edit(None)
        self.tag.setText(tr("CANNOT BE OPENED"))
        self.stage.base = None
        shot = self.shot
        left = (
            ""
            if shot is None or shot.picture is None
            else tr("The phone's picture, {name}, can still be used.", name=shot.picture.name)
        )
        self.stage.message = sentences(message, left)
        self.stage.update()
        self.say(message)
        self.ready.emit()

    def _decoded(self) -> None:
        """The shot's file is there, or turned or cut otherwise."""
        developer, edit = self.developer, self.edit
        if developer is None or edit is None:
            return
        source = developer.source
        self._developed_tag = tr("MERGED, developed") if source.meta.merged else KINDS[source.kind][0]
        self.bar.show_source(source)
        meta = None if source.kind == "picture" else source.meta
        self.ledger.show_edit(edit, self.opened.as_shot, " ".join(source.meta.warnings), meta)
        self.ledger.frame_part.show_more(has_more(source))
        self.frame_tool.show()
        self.refresh_view()

    def _suggested(self) -> None:
        if self.edit is not None:
            self.ledger.refresh()
            if "tone" in self.edit.suggestions:
                self.strip.set_suggested(self.edit.suggestions["tone"].value)

    def _framing_turned(self, on: bool) -> None:
        for part in (self.reference, self.renderer, self.tools):
            part.framing = on
        if on:
            self.ledger.unfold("frame")
            self.tools.stop_picking()
        self.refresh_view()

    # -- rendering

    def refresh_view(self) -> None:
        """Ask for what the stage shows now."""
        if self.developer is None or self.edit is None:
            return
        if self.edit.awaits_start:  # flat and dull first, and good a moment later, would frighten: the preview stays
            self.host.status("", tr("finding the suggestions…"), "")
            return
        if self.stage.beside or self.stage.show_before:
            self.reference.ask()
        self.renderer.ask()

    def _rendered(self) -> None:
        self._pictured_timer.start()
        self.tag.setText(self._developed_tag)
        if self.developer is not None and self.developer.problems:
            left_out = "; ".join(f"{name}: {why}" for name, why in self.developer.problems.items())
            self.say(tr("One correction failed and is not in the picture. {left_out}", left_out=left_out))
        self.ready.emit()

    def _tell_pictured(self) -> None:
        developer, base = self.developer, self.stage.base
        if developer is None or self.shot is None or base is None or self.framing or self.edit is None:
            return
        if self.edit.dragging:
            self._pictured_timer.start()
            return
        self.pictured.emit(self.shot, base)

    def _view_changed(self) -> None:
        self.bar.show_zoom(self.stage.viewport)
        self.refresh_view()

    def _edited(self, shot: Shot, edit: Edit) -> None:
        if self.edit is not edit:
            self.outdated.emit(shot)
            return
        self.ledger.refresh()
        self.strip.set_recipe(edit.recipe)
        self._save_timer.start()
        self._tell_saved()
        if self.developer is not None and not is_as_asked(self.developer.source, edit.recipe):
            return  # it is being turned or cut, and reported when that is done
        self.frame_tool.show()
        self.refresh_view()

    def save(self) -> None:
        """Write the sidecar now."""
        self._save_timer.stop()
        self.opened.save()

    def _tell_saved(self) -> None:
        edit, text = self.edit, " "
        if edit is not None:
            text = tr("not saved yet") if edit.unsaved else tr("saved") if edit.sidecar.revision > 0 else " "
            if edit.not_saved or edit.sidecar.locked:
                text = tr("NOT SAVED")
        self.host.status("", "", text)

    # -- intents

    def _start_chosen(self, on: bool) -> None:
        self.session.start_with(on)
        self.ledger.head.show_start(on)

    def show_before(self, on: bool) -> None:
        """Show what the picture is compared with while held."""
        if self.developer is not None:
            self.tag.setText(self.reference.title() if on else self._developed_tag)
        self.reference.hold(on)

    def toggle_frame_tool(self, name: str) -> None:
        """Turn a tool of the frame on or off."""
        self.ledger.unfold("frame")
        getattr(self.ledger.frame_part, name).toggle()

"""Develop: stage, light strip and ledger of the shot that is shown."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from bruto.app.host import Host
from bruto.app.ledger.ledger import Ledger
from bruto.app.ledger.rows import NAME, name_width
from bruto.app.pages.page import ShotPage
from bruto.app.stage.frame_tool import FrameTool
from bruto.app.stage.light_strip import LightStrip
from bruto.app.stage.reference import Reference
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import KINDS, StageBar
from bruto.app.stage.verdict_buttons import VerdictButtons
from bruto.app.stage.versions_menu import VersionsMenu
from bruto.catalog import sentences, tr
from bruto.container.orientation import orient
from bruto.develop.analysis.color_picker import hue_at, lifted
from bruto.develop.analysis.soft_proof import hatched, out_of_gamut
from bruto.develop.analysis.white_picker import SURFACES, white_at
from bruto.develop.frame_geometry import Rectangle, stored_rect
from bruto.develop.recipe_values import Tone
from bruto.develop.sensor_image import COARSEST
from bruto.develop.source import has_more, is_as_asked
from bruto.errors import BrutoError
from bruto.session.edit import Edit
from bruto.shoot.shots import Shot, oriented_preview

SAVE_AFTER_MS, PICTURED_AFTER_MS = 600, 250
"""After the last change: when it is saved, and when the list shows it."""
FOLLOWING_MS = 60.0
"""A picture that takes longer is made coarser while a value is dragged, and sharp once it is let go."""
COARSER = (1.5, 2.0, 3.0)
NARROW, LEDGER = 1120, (372, 330)
"""Window width below which the ledger is narrower, and its widths, pixels."""
LIFT_PER_PIXEL = 0.15
"""L* a pixel of a drag in the picture."""
PROOFS = {"": "", "srgb": "sRGB", "display-p3": tr("Display P3")}
"""Spaces whose limits can be marked, and their titles."""


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
        render = self.session.render
        self._picking, self._piece, self._base = (
            render.channel(name, urgency) for name, urgency in (("pick", 10), ("piece", 20), ("picture", 30))
        )  # fmt: skip
        self._proofs = render.channel("proof", 130)
        self.last_render_ms = self.change_to_screen_ms = self._whole_ms = 0.0
        self.proof = self._picks = ""
        self._lift_from: tuple[Tone, float] | None = None
        self._unopenable = False
        """Whether the shown shot's file turned out not to be readable: there is nothing to correct."""
        self.strip_wanted = True
        """Whether the light strip is shown where there is a shot."""
        self._save_timer = self._timer(SAVE_AFTER_MS, self.save)
        self._pictured_timer = self._timer(PICTURED_AFTER_MS, self._tell_pictured)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self._bar())
        self.stage = Stage()
        middle.addWidget(self.stage, 1)
        self.strip = LightStrip()
        middle.addWidget(self.strip)
        layout.addLayout(middle, 1)
        self.ledger = Ledger()
        layout.addWidget(self.ledger)
        self.frame_tool = FrameTool(self.opened, self.stage, self.ledger.frame_part)
        self.reference = Reference(self.session, self.stage, self.versions)
        self._connect()

    def _timer(self, after_ms: int, call: Callable[[], None]) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(after_ms)
        timer.timeout.connect(call)
        return timer

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
        stage.picked.connect(self._picked)
        stage.pointed.connect(self._pointed)
        stage.lifted.connect(self._lifted)
        self.strip.handle_moved.connect(
            lambda tone, final: self.edit and self.edit.change("tone", final=final, tone=tone)
        )
        ledger.start_chosen.connect(self._start_chosen)
        ledger.show_start(self.session.starting.on)
        ledger.pick_white.connect(lambda on: self._pick("white", on))
        ledger.pick_hue.connect(lambda on: self._pick("hue", on))
        self.frame_tool.turned.connect(self._framing_turned)
        self.reference.beside_changed.connect(self.beside_button.setChecked)
        self.fit_button.clicked.connect(lambda: stage.set_fit())
        self.one_button.clicked.connect(lambda: stage.set_one_to_one())
        self.beside_button.clicked.connect(lambda on: self.reference.set_beside(bool(on)))
        self.before_button.pressed.connect(lambda: self.show_before(True))
        self.before_button.released.connect(lambda: self.show_before(False))
        self.tone_button.toggled.connect(lambda on: stage.set_lifting(on))

    @property
    def edits(self) -> dict[str, Edit]:
        return self.opened.edits

    @property
    def framing(self) -> bool:
        """Whether all that the frame covers is shown."""
        return self.frame_tool.on

    def _bar(self) -> StageBar:
        bar = StageBar(tr("NOTHING OPEN"))
        self.tag, self.kind = bar.tag, bar.facts
        self.fit_button = bar.add(tr("Fit"), tr("Whole picture (F2)"), checkable=True)
        self.one_button = bar.add("1:1", tr("One raw pixel per screen pixel (F2)"), checkable=True)
        self.before_button = bar.add(tr("Before"), tr("Hold to see the picture before your corrections (F3)"))
        self.beside_button = bar.add(
            tr("Beside"), tr("Before, or what you chose, in the left half (F4)"), checkable=True
        )
        self.versions_button = bar.add(tr("Versions ▾"), tr("Save versions of this shot; choose what to compare with"))
        self.versions_button.setMenu(self.versions)
        self.tone_button = bar.add(
            tr("Tone"), tr("Set tone in the picture: point at a tone and drag up or down (Alt+T)"), checkable=True
        )
        self.fit_button.setChecked(True)
        self.verdicts = VerdictButtons(bar, self.host)
        return bar

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
            self.stop_picking()
        elif self.tone_button.isChecked():
            self.tone_button.setChecked(False)
        else:
            return False
        return True

    # -- opening

    def show_shot(self) -> None:
        """The session shows another shot: its preview at once, then the raw."""
        self.stop_picking()
        self.ledger.frame_part.frame_button.setChecked(False)
        self._pictured_timer.stop()
        self._save_timer.stop()
        shot, edit = self.opened.shot, self.opened.edit
        key = None if shot is None else shot.main
        for channel in (self._picking, self._piece, self._base, self._proofs):
            channel.turn_to(key)
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
        self._show_zoom()
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
        w, h = source.size
        self.kind.setText(
            tr(
                "{mp:.{digits}f} MP {kind}",
                mp=w * h / 1e6,
                digits=0 if w * h > 9.5e6 else 1,
                kind=KINDS[source.kind][1],
            )
        )
        self.kind.setToolTip(
            tr("{width} × {height} pixels in the file", width=source.meta.width, height=source.meta.height)
        )
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
        self.reference.framing = on
        if on:
            self.ledger.unfold("frame")
            self.stop_picking()
        self.refresh_view()

    # -- rendering

    def factor(self) -> float:
        """How many times smaller than the full size the whole is shown, within what views are made at."""
        return self.stage.viewport.factor(COARSEST)

    def _coarser(self) -> float:
        """How many times coarser a picture is made while a value is dragged, so that it follows the hand."""
        if self.edit is None or not self.edit.dragging or self._whole_ms <= FOLLOWING_MS:
            return 1.0
        return next((c for c in COARSER if c * c * FOLLOWING_MS >= self._whole_ms), COARSER[-1])

    def needs_piece(self) -> bool:
        """Whether what is seen asks for pixels at full size."""
        return self.stage.viewport.wants_piece()

    def refresh_view(self) -> None:
        """Ask for what the stage shows now."""
        developer, edit, shown = self.developer, self.edit, self.opened.geometry(self.framing)
        if developer is None or edit is None or shown is None or self.shot is None:
            return
        if edit.awaits_start:  # flat and dull first, and good a moment later, would frighten: the preview stays so long
            self.host.status("", tr("finding the suggestions…"), "")
            return
        key, recipe, factor, framing = self.shot.main, edit.recipe, self.factor(), self.framing
        orientation = developer.source.meta.orientation
        began, dropped = time.perf_counter(), self._base.dropped

        def view(at: float, rect: Rectangle | None = None) -> Callable[[], Any]:
            def run() -> Any:
                start = time.perf_counter()
                picture = orient(developer.view(recipe, at, rect, uncropped=framing, cancelled=dropped), orientation)
                return picture, (time.perf_counter() - start) * 1e3

            return run

        if self.stage.beside or self.stage.show_before:
            self.reference.ask()
        coarser = 1.0
        if self.needs_piece():
            x, y, w, h = self.stage.visible()
            rect = stored_rect(Rectangle(x, y, w, h), orientation, shown.size)
            self._piece.ask(key, view(1, rect), lambda found: self._got_piece(found, (x, y, w, h)), self.say)
            factor = max(factor, 4)  # the whole is seen only while the piece is on its way
        else:
            self._piece.forget()
            self.stage.set_piece(None)
            coarser = self._coarser()
        self._base.ask(
            key, view(min(factor * coarser, float(COARSEST))), lambda found: self._got_base(found, began, coarser),
            self.say,
        )  # fmt: skip

    def _got_base(self, found: tuple[Any, float], began: float, coarser: float) -> None:
        picture, ms = found
        self._whole_ms = ms * coarser**2
        self.stage.set_base(picture)
        self._pictured_timer.start()
        self.last_render_ms = ms
        self.change_to_screen_ms = (time.perf_counter() - began) * 1e3
        self.tag.setText(self._developed_tag)
        self.host.status("", tr("rendered in {ms:.0f} ms", ms=ms), "")
        self._ask_proof()
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

    def _got_piece(self, found: tuple[Any, float], rect: tuple[int, int, int, int]) -> None:
        picture, ms = found
        if rect == self.stage.visible() or self.stage.piece is None:
            self.stage.set_piece(picture, rect)
        self.host.status("", tr("rendered in {ms:.0f} ms at 1:1", ms=ms), "")

    def _show_zoom(self) -> None:
        view = self.stage.viewport
        self.fit_button.setChecked(view.fit)
        self.one_button.setChecked(not view.fit and view.at_one)

    def _view_changed(self) -> None:
        self._show_zoom()
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
        self.ledger.show_start(on)

    def show_before(self, on: bool) -> None:
        """Show what the picture is compared with while held."""
        if self.developer is not None:
            self.tag.setText(self.reference.title() if on else self._developed_tag)
        self.reference.hold(on)

    def next_proof(self) -> None:
        """Mark what sRGB cannot hold, then what Display P3 cannot, then nothing."""
        spaces = tuple(PROOFS)
        self.proof = spaces[(spaces.index(self.proof) + 1) % len(spaces)]
        self.stage.set_marks(None)
        if self.proof:
            self._ask_proof()
        else:
            self.host.status("", tr("out-of-range colours no longer marked"), "")

    def _ask_proof(self) -> None:
        developer, edit = self.developer, self.edit
        if developer is None or edit is None or not self.proof:
            return
        recipe, factor, framing, name = edit.recipe, max(self.factor(), 4), self.framing, self.proof
        orientation = developer.source.meta.orientation

        def done(mask: Any) -> None:
            if self.proof == name:
                self.stage.set_marks(hatched(mask))
                self.host.status(
                    "",
                    tr(
                        "hatched: {mean:.2f} % are outside {PROOFS}", mean=100 * float(mask.mean()), PROOFS=PROOFS[name]
                    ),
                    "",
                )

        self._proofs.ask(
            self.shot and self.shot.main,
            lambda: orient(out_of_gamut(developer, recipe, factor, name, framing), orientation), done, self.say,
        )  # fmt: skip

    def toggle_beside(self) -> None:
        """What is compared with in the left half, or not."""
        self.reference.set_beside(not self.stage.beside)

    def toggle_frame_tool(self, name: str) -> None:
        """Turn a tool of the frame on or off."""
        self.ledger.unfold("frame")
        getattr(self.ledger.frame_part, name).toggle()

    def toggle_pick(self, what: str) -> None:
        """Pick white or a hue in the picture, or stop it."""
        if what == "hue":
            self.ledger.unfold("hues")
        (self.ledger.hues.pick_button if what == "hue" else self.ledger.pick_button).toggle()

    def stop_picking(self) -> None:
        """Clicks in the picture pick nothing any more."""
        self.ledger.pick_button.setChecked(False)
        self.ledger.hues.pick_button.setChecked(False)

    def _pick(self, what: str, on: bool) -> None:
        """Clicks in the picture pick white or a hue, one at a time."""
        if on:
            self._picks = what
            self.frame_tool.set(False)
            other = self.ledger.hues.pick_button if what == "white" else self.ledger.pick_button
            other.setChecked(False)
        self.stage.set_picking(self.ledger.pick_button.isChecked() or self.ledger.hues.pick_button.isChecked())

    def _stored(self, x: float, y: float) -> tuple[float, float]:
        """A relative place of what is shown as relative place of the unoriented picture."""
        shown = self.opened.geometry(self.framing)
        if shown is None:
            return x, y
        w, h = self.stage.frame_size
        place = stored_rect(Rectangle(int(x * w), int(y * h), 1, 1), shown.meta.orientation, shown.size)
        return place.x / shown.size[0], place.y / shown.size[1]

    def _recorded(self, x: float, y: float) -> tuple[float, float]:
        """The same as relative place of the recorded frame."""
        shown = self.opened.geometry(self.framing)
        return (x, y) if shown is None else shown.relative_place(*self._stored(x, y))

    def _picked(self, x: float, y: float) -> None:
        developer, edit = self.developer, self.edit
        if developer is None or edit is None:
            return
        if self._picks == "hue":
            recipe, place = edit.recipe, self._stored(x, y)
            self._picking.ask(
                edit.path, lambda: hue_at(developer, recipe, *place), lambda node: self._hue_found(edit, node), self.say
            )
            return
        kind, side = self.ledger.white.kind(), self.ledger.white.averaged()
        recorded = self._recorded(x, y)
        self._picking.ask(
            edit.path, lambda: white_at(developer, *recorded, kind, side),
            lambda found: self._white_found(edit, kind, *found), self.say,
        )  # fmt: skip

    def _hue_found(self, edit: Edit, node: Any) -> None:
        if edit is not self.edit:
            return
        if node is None:
            self.say(tr("This place has almost no colour. Click one that has."))
            return
        self.ledger.hues.pick_button.setChecked(False)
        self.ledger.add_hue(node)

    def _white_found(self, edit: Edit, kind: str, kelvin: float, duv: float, neutral: Any) -> None:
        if edit is not self.edit:
            return
        if neutral is not None:
            edit.change(f"white:{kind}", raw_neutral=neutral)
        else:
            edit.change(f"white:{kind}", temperature=round(kelvin), tint=round(duv, 4), raw_neutral=None)
        self.ledger.pick_button.setChecked(False)
        spread = f"±{SURFACES[kind].spread:.0f} %"
        found = (
            tr("a white point outside the temperature scale")
            if neutral is not None
            else tr("{kelvin:.0f} K, Duv {duv:+.4f}", kelvin=kelvin, duv=duv)
        )
        self.host.status(
            "",
            tr(
                "white from {kind}: {found} (such surfaces vary by {spread})",
                kind=SURFACES[kind].title,
                found=found,
                spread=spread,
            ),
            "",
        )

    def _lifted(self, x: float, y: float, up: float, final: bool) -> None:
        """Tone by hand: the handles about the light at the place follow the pointer."""
        edit = self.edit
        if edit is None:
            return
        if self._lift_from is None:
            light = self.opened.light_at(*self._recorded(x, y))
            if light is None:
                return
            self._lift_from = (edit.recipe.tone, light + edit.recipe.exposure)
        tone, ev = self._lift_from
        new = lifted(tone, ev, up * LIFT_PER_PIXEL)
        edit.change("tone", final=final, tone=new.model_dump())
        if final:
            self._lift_from = None

    def _pointed(self, x: float, y: float) -> None:
        image = self.stage.base
        if image is None or not (0 <= x < 1 and 0 <= y < 1):
            self.host.status(" ", "", "")
            return
        c = image.pixelColor(int(x * image.width()), int(y * image.height()))
        text = self.opened.value_text((c.redF(), c.greenF(), c.blueF()), *self._recorded(x, y))
        self.host.status(text, "", "")

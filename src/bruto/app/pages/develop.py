"""Develop: stage, light strip and ledger of the current shot, and the talk with the render thread."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from bruto.app.ledger.ledger import Ledger
from bruto.app.models import Edit
from bruto.app.stage.framing import Framing
from bruto.app.stage.reference import Reference
from bruto.app.stage.stage import Stage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.stage.strip import LightStrip
from bruto.app.stage.versions_menu import VersionsMenu
from bruto.app.worker import AGAIN, Worker
from bruto.color.spaces import lightness
from bruto.container.orientation import orient
from bruto.develop.analysis.pick import hue_at, lifted, light_at
from bruto.develop.analysis.pick_white import SURFACES, white_at
from bruto.develop.analysis.proof import hatched, out_of_gamut
from bruto.develop.analysis.scene_light import scene_light
from bruto.develop.frame import Geometry, Rectangle, stored_rect
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recorded import COARSEST
from bruto.develop.source import has_more, is_as_asked, open_source
from bruto.develop.suggest.suggesting import Suggesting
from bruto.develop.values import Tone
from bruto.errors import BrutoError
from bruto.shoot.shots import Shot, oriented_preview

KEPT_OPEN, KEPT_BYTES = 2, 900_000_000
"""Developers of recent shots kept in memory: how many, and bytes beyond which only the one that is shown is."""
KEPT_EDITS = 40
"""Shots whose values, suggestions and light are kept, the latest."""
SAVE_AFTER_MS, PICTURED_AFTER_MS = 600, 250
"""After the last change: when it is saved, and when the list shows it."""
FOLLOWING_MS = 60.0
"""A picture that takes longer is made coarser while a value is dragged, and sharp once it is let go."""
COARSER = (1.5, 2.0, 3.0)
LIFT_PER_PIXEL = 0.15
"""L* a pixel of a drag in the picture."""
PROOFS = {"": "", "srgb": "sRGB", "display-p3": "Display P3"}
"""Spaces whose limits can be marked, and their titles."""
MOST_PIECE = 8_000_000
"""Pixels of a sharp piece at most."""


class DevelopPage(QWidget):
    """Emits `status(pointer, timing, saved)` texts and `problem`."""

    status = Signal(str, str, str)
    problem = Signal(str)
    ready = Signal()
    decoded = Signal(object, object)
    pictured = Signal(object, object)
    """A shot that was edited and its picture as it stands on the stage."""
    outdated = Signal(object)
    """A shot of which a developed picture, if there is one, holds no more."""

    def __init__(self, worker: Worker) -> None:
        super().__init__()
        self.worker = worker
        self.shot: Shot | None = None
        self.edit: Edit | None = None
        self.developer: Developer | None = None
        self.versions = VersionsMenu(self)
        self._open: OrderedDict[str, Developer] = OrderedDict()
        self._suggesting: dict[str, Suggesting] = {}
        self._lights: dict[str, Any] = {}
        self.edits: dict[str, Edit] = {}
        self.last_render_ms = 0.0
        self._whole_ms = 0.0
        self.proof = ""
        self._save_timer = QTimer(self)
        self._save_timer.setSingleShot(True)
        self._save_timer.setInterval(SAVE_AFTER_MS)
        self._save_timer.timeout.connect(self.save)
        self._pictured_timer = QTimer(self)
        self._pictured_timer.setSingleShot(True)
        self._pictured_timer.setInterval(PICTURED_AFTER_MS)
        self._pictured_timer.timeout.connect(self._tell_pictured)
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
        self.stage.view_changed.connect(self._view_changed)
        self.stage.picked.connect(self._picked)
        self.stage.pointed.connect(self._pointed)
        self.strip.handle_moved.connect(
            lambda tone, final: self.edit and self.edit.change("tone", final=final, tone=tone)
        )
        self.ledger.pick_white.connect(lambda on: self._pick("white", on))
        self.ledger.pick_hue.connect(lambda on: self._pick("hue", on))
        self.frame_tool = Framing(self)
        self.reference = Reference(self, self.versions)
        self.stage.lifted.connect(self._lifted)
        self._picks = ""
        self._lift_from: tuple[Tone, float] | None = None
        self.fit_button.clicked.connect(lambda: self.stage.set_fit())
        self.one_button.clicked.connect(lambda: self.stage.set_one_to_one())
        self.before_button.pressed.connect(lambda: self.hold_before(True))
        self.before_button.released.connect(lambda: self.hold_before(False))

    def _bar(self) -> StageBar:
        bar = StageBar("NOTHING OPEN")
        self.tag, self.kind = bar.tag, bar.facts
        self.fit_button = bar.add("Fit", "Whole picture (Z)", checkable=True)
        self.one_button = bar.add("1:1", "One pixel of the raw on one of the screen (Z)", checkable=True)
        self.before_button = bar.add("Before", "Hold to see the picture before your corrections (B)")
        self.beside_button = bar.add("Beside", "Before, or what you chose, in the left half (S)", checkable=True)
        self.beside_button.clicked.connect(lambda on: self.reference.set_beside(bool(on)))
        self.versions_button = bar.add("Versions ▾", "Keep versions of this shot; choose what to compare with")
        self.versions_button.setMenu(self.versions)
        self.tone_button = bar.add("Tone by hand", "Point at a tone and drag up or down (D)", checkable=True)
        self.tone_button.toggled.connect(lambda on: self.stage.set_lifting(on))
        self.fit_button.setChecked(True)
        return bar

    # -- opening ------------------------------------------------------------------------------------------------------

    def open_shot(self, shot: Shot | None) -> None:
        """Show a shot: its preview at once, then the raw."""
        self.save()
        self.stop_picking()
        self.ledger.frame_part.frame_button.setChecked(False)
        self.worker.forget("open", "base", "piece", "before", "suggest", "light", "pick")
        self._pictured_timer.stop()
        self.shot, self.developer, self.edit = shot, None, None  # nothing may reach the last shot now
        self.stage.message = ""
        self.stage.set_piece(None)
        self.stage.set_before(None)
        self.strip.set_light(None)
        if shot is None:
            self.tag.setText("NOTHING OPEN")
            self.kind.setText("")
            self.stage.set_frame(0, 0)
            self.stage.message = "Open a folder of DNG files with Ctrl+O, or drop one here."
            self.ledger.show_edit(None)
            return
        if shot.problem:
            self.tag.setText("CANNOT BE OPENED")
            self.kind.setText(shot.main.name)
            self.stage.set_frame(0, 0)
            self.stage.message = shot.problem
            self.ledger.show_edit(None)
            self.stage.update()
            self.ready.emit()
            return
        if shot.meta is None:
            self._failed(f"{shot.main} does not exist any more, or cannot be read; look whether it was moved.")
            return
        edit = self.edits.get(str(shot.main))
        if edit is not None:
            self.edits[str(shot.main)] = self.edits.pop(str(shot.main))  # the latest is the last
        if edit is None:
            edit = Edit(shot.main)
            edit.changed.connect(partial(self._edit_changed, shot, edit))
            edit.suggested.connect(self.ledger.refresh)
            edit.suggested.connect(self._suggested)
            edit.message.connect(self.problem.emit)
            self.edits[str(shot.main)] = edit
            self._forget_oldest()
            if edit.problem:
                self.problem.emit(edit.problem)
        self.edit = edit
        self.reference.shot_changed()
        self.stage.set_frame(*shot.meta.oriented_size)
        self._show_zoom()
        self.ledger.show_edit(edit, notice=" ".join(shot.meta.warnings))
        self.strip.set_recipe(edit.recipe)
        self.strip.set_suggested(edit.suggestions["tone"].value if "tone" in edit.suggestions else None)
        self._show_preview(shot)
        known = self._open.get(str(shot.main))
        if known is not None:
            if is_as_asked(known.source, edit.recipe):
                self._opened(known)
            else:
                self._reopen(known)
            return
        path, recipe = shot.main, edit.recipe
        self.worker.ask("open", lambda: Developer(open_source(path)).asked(recipe), self._opened, self._failed)

    def _forget_oldest(self) -> None:
        """What is kept of shots that were looked at long ago is let go, where it is saved."""
        for key, edit in list(self.edits.items())[:-KEPT_EDITS]:
            if not edit.unsaved:
                del self.edits[key]
                self._lights.pop(key, None)

    def _reopen(self, developer: Developer) -> None:
        """The same file turned or cut as the recipe asks now."""
        assert self.edit is not None
        recipe = self.edit.recipe

        def done(found: Developer) -> None:
            if self.edit is not None:
                self.edit.suggestions = {}  # lines and lights lie elsewhere now
                self._opened(found)

        self.worker.ask("open", lambda: developer.asked(recipe), done, self._failed)

    def _show_preview(self, shot: Shot) -> None:
        try:
            turns = self.edit.recipe.effective().turns if self.edit is not None else 0
            self.stage.set_base(np.rot90(oriented_preview(shot), -turns))
            self.tag.setText("PREVIEW INSIDE THE FILE")
        except BrutoError:
            self.tag.setText("READING …")

    def _failed(self, message: str) -> None:
        self.tag.setText("CANNOT BE OPENED")
        self.stage.base = None
        self.stage.message = message
        self.stage.update()
        self.problem.emit(message)
        self.ready.emit()

    def _opened(self, developer: Developer) -> None:
        assert self.edit is not None and self.shot is not None
        self.developer = developer
        key = str(self.shot.main)
        self._open[key] = developer
        self._open.move_to_end(key)
        while len(self._open) > 1 and (
            len(self._open) > KEPT_OPEN or sum(d.held_bytes for d in self._open.values()) > KEPT_BYTES
        ):
            oldest, _ = self._open.popitem(last=False)
            self._suggesting.pop(oldest, None)
        kind = {"mosaic": "RAW, developed", "linear": "PROCESSED RAW, developed", "picture": "PICTURE ONLY, developed"}[
            developer.source.kind
        ]
        if developer.source.meta.merged:
            kind = "MERGED, developed"
        self._developed_tag = kind
        self.decoded.emit(self.shot, developer)
        w, h = developer.source.size
        bits = {"mosaic": "mosaic", "linear": "linear", "picture": "8-bit picture"}[developer.source.kind]
        self.kind.setText(f"{w * h / 1e6:.0f} MP {bits}")
        self.kind.setToolTip(f"{developer.source.meta.width} × {developer.source.meta.height} pixels in the file")
        meta = None if developer.source.kind == "picture" else developer.source.meta
        self.ledger.show_edit(self.edit, developer.as_shot(), " ".join(developer.source.meta.warnings), meta)
        self.ledger.frame_part.show_more(has_more(developer.source))
        self.frame_tool.show()
        self.refresh_view()
        if self.edit.suggestions:
            self._suggested()
        else:
            known = self._suggesting.get(key)
            if known is None or known.developer is not developer:
                known = self._suggesting[key] = Suggesting(developer)
            self._suggest(key, self.edit, known)
        if key in self._lights:
            self.strip.set_light(self._lights[key])
        else:
            self.worker.ask(
                "light", lambda: scene_light(developer), lambda found: self._got_light(key, found), self.problem.emit
            )

    def _suggest(self, key: str, edit: Edit, suggesting: Suggesting) -> None:
        """Find suggestions part by part; pictures asked for meanwhile come in between."""

        def done(_: object) -> None:
            self._suggesting.pop(key, None)
            edit.set_suggestions(suggesting.found)

        def failed(why: str) -> None:
            self._suggesting.pop(key, None)  # begun anew when the shot is opened again
            self.problem.emit(why)

        self.worker.ask("suggest", lambda: AGAIN if suggesting.step() else None, done, failed)

    def _got_light(self, key: str, found: Any) -> None:
        self._lights[key] = found
        self.strip.set_light(found)

    def _suggested(self) -> None:
        if self.edit is not None and "tone" in self.edit.suggestions:
            self.strip.set_suggested(self.edit.suggestions["tone"].value)

    @property
    def framing(self) -> bool:
        """Whether all that the frame covers is shown."""
        return self.frame_tool.on

    def opened(self, path: Path) -> Developer | None:
        """The developer of a file, if it is open."""
        return self._open.get(str(path))

    # -- rendering ----------------------------------------------------------------------------------------------------

    def factor(self) -> float:
        """How many times smaller than the full size the whole is shown, within what views are made at."""
        return float(np.clip(1 / (self.stage.zoom * self.stage.devicePixelRatioF()), 2, COARSEST))

    def _coarser(self) -> float:
        """How many times coarser a picture is made while a value is dragged, so that it follows the hand."""
        if self.edit is None or not self.edit.dragging or self._whole_ms <= FOLLOWING_MS:
            return 1.0
        return next((c for c in COARSER if c * c * FOLLOWING_MS >= self._whole_ms), COARSER[-1])

    def needs_piece(self) -> bool:
        scale = self.stage.zoom * self.stage.devicePixelRatioF()
        _, _, w, h = self.stage.visible()
        return scale > 0.62 and w * h <= MOST_PIECE

    def refresh_view(self) -> None:
        """Ask for what the stage shows now."""
        developer, edit = self.developer, self.edit
        if developer is None or edit is None:
            return
        recipe, factor, framing = edit.recipe, self.factor(), self.framing
        orientation = developer.source.meta.orientation
        began, dropped = time.perf_counter(), self.worker.dropped

        def timed(work: Callable[[], Any]) -> Callable[[], Any]:
            def run() -> Any:
                start = time.perf_counter()
                return work(), (time.perf_counter() - start) * 1e3

            return run

        if self.stage.beside or self.stage.show_before:
            self.reference.ask()
        if self.needs_piece():
            x, y, w, h = self.stage.visible()
            rect = stored_rect(Rectangle(x, y, w, h), orientation, developer.geometry(recipe, framing).size)
            self.worker.ask(
                "piece",
                timed(
                    lambda: orient(developer.view(recipe, 1, rect, uncropped=framing, cancelled=dropped), orientation)
                ),
                lambda found: self._got_piece(found, (x, y, w, h)),
                self.problem.emit,
            )
            factor = max(factor, 4)  # the whole is seen only while the piece is on its way
        else:
            self.worker.forget("piece")
            self.stage.set_piece(None)
        coarser = 1.0 if self.needs_piece() else self._coarser()
        factor = min(factor * coarser, float(COARSEST))
        self.worker.ask(
            "base",
            timed(lambda: orient(developer.view(recipe, factor, uncropped=framing, cancelled=dropped), orientation)),
            lambda found: self._got_base(found, began, coarser),
            self.problem.emit,
        )

    def _got_base(self, found: tuple[Any, float], began: float, coarser: float) -> None:
        picture, ms = found
        self._whole_ms = ms * coarser**2
        self.stage.set_base(picture)
        self._pictured_timer.start()
        self.last_render_ms = ms
        self.change_to_screen_ms = (time.perf_counter() - began) * 1e3
        self.tag.setText(self._developed_tag)
        self.status.emit("", f"rendered in {ms:.0f} ms", "")
        self._ask_proof()
        if self.developer is not None and self.developer.problems:
            left_out = "; ".join(f"{name}: {why}" for name, why in self.developer.problems.items())
            self.problem.emit(f"A step failed and is left out of the picture. {left_out}")
        self.ready.emit()

    def _tell_pictured(self) -> None:
        developer, base = self.developer, self.stage.base
        if developer is None or self.shot is None or base is None or self.framing or self.edit is None:
            return
        if self.edit.dragging:
            self._pictured_timer.start()
            return
        if self.edit.recipe == Recipe():
            self.outdated.emit(self.shot)
        else:
            self.pictured.emit(self.shot, base)

    def _got_piece(self, found: tuple[Any, float], rect: tuple[int, int, int, int]) -> None:
        picture, ms = found
        if rect == self.stage.visible() or self.stage.piece is None:
            self.stage.set_piece(picture, rect)
        self.status.emit("", f"rendered in {ms:.0f} ms at 1:1", "")

    def _show_zoom(self) -> None:
        at_one = abs(self.stage.zoom * self.stage.devicePixelRatioF() - 1) < 1e-3
        self.fit_button.setChecked(self.stage.fit)
        self.one_button.setChecked(not self.stage.fit and at_one)

    def _view_changed(self) -> None:
        self._show_zoom()
        self.refresh_view()

    def _edit_changed(self, shot: Shot, edit: Edit) -> None:
        if self.edit is not edit:
            self.outdated.emit(shot)
            return
        self.ledger.refresh()
        self.strip.set_recipe(self.edit.recipe)
        if self.developer is not None and not is_as_asked(self.developer.source, self.edit.recipe):
            self._reopen(self.developer)
            self._save_timer.start()
            return
        self.frame_tool.show()
        self.refresh_view()
        self._save_timer.start()
        self.status.emit("", "", "not saved yet")

    def save(self) -> None:
        """Write the sidecar now."""
        self._save_timer.stop()
        if self.edit is not None:
            self.edit.save()
            self._tell_saved(self.edit)

    def save_all(self) -> None:
        """Write what is not written of any shot that was opened."""
        self.save()
        for edit in self.edits.values():
            edit.save()

    def _tell_saved(self, edit: Edit) -> None:
        side = edit.sidecar
        text = "saved" if side.revision > 0 else " "
        if edit.not_saved or side.locked:
            text = "NOT SAVED"
        self.status.emit("", "", text)

    # -- intents ------------------------------------------------------------------------------------------------------

    def hold_before(self, on: bool) -> None:
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
            self.status.emit("", "marks of colours out of range are off", "")

    def _ask_proof(self) -> None:
        developer, edit = self.developer, self.edit
        if developer is None or edit is None or not self.proof:
            return
        recipe, factor, framing, name = edit.recipe, max(self.factor(), 4), self.framing, self.proof
        orientation = developer.source.meta.orientation

        def done(mask: Any) -> None:
            if self.proof == name:
                self.stage.set_marks(hatched(mask))
                self.status.emit("", f"hatched: {100 * float(mask.mean()):.2f} % lie outside {PROOFS[name]}", "")

        self.worker.ask(
            "proof", lambda: orient(out_of_gamut(developer, recipe, factor, name, framing), orientation), done,
            self.problem.emit,
        )  # fmt: skip

    def toggle_zoom(self) -> None:
        self.stage.set_one_to_one() if self.stage.fit else self.stage.set_fit()

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

    def _stored(self, developer: Developer, x: float, y: float) -> tuple[float, float]:
        """A relative place of what is shown as relative place of the unoriented picture."""
        w, h = self.stage.frame_size
        rect = Rectangle(int(x * w), int(y * h), 1, 1)
        size = self._shape(developer).size
        place = stored_rect(rect, developer.source.meta.orientation, size)
        return place.x / size[0], place.y / size[1]

    def _recorded(self, developer: Developer, x: float, y: float) -> tuple[float, float]:
        """The same as relative place of the recorded frame."""
        return self._shape(developer).relative_place(*self._stored(developer, x, y))

    def _shape(self, developer: Developer) -> Geometry:
        """How the frame is shown now."""
        recipe = self.edit.recipe if self.edit is not None else Recipe()
        return developer.geometry(recipe, self.framing)

    def _picked(self, x: float, y: float) -> None:
        developer, edit = self.developer, self.edit
        if developer is None or edit is None:
            return
        if self._picks == "hue":
            recipe, place = edit.recipe, self._stored(developer, x, y)
            self.worker.ask(
                "pick", lambda: hue_at(developer, recipe, *place), lambda node: self._hue_found(edit, node),
                self.problem.emit,
            )  # fmt: skip
            return
        kind, side = self.ledger.white.kind(), self.ledger.white.averaged()
        recorded = self._recorded(developer, x, y)
        self.worker.ask(
            "pick", lambda: white_at(developer, *recorded, kind, side),
            lambda found: self._white_found(edit, kind, *found), self.problem.emit,
        )  # fmt: skip

    def _hue_found(self, edit: Edit, node: Any) -> None:
        if edit is not self.edit:
            return
        if node is None:
            self.problem.emit("This place has no colour to speak of; click one that has.")
            return
        self.ledger.hues.pick_button.setChecked(False)
        self.ledger.add_hue(node)

    def _white_found(self, edit: Edit, kind: str, kelvin: float, duv: float, neutral: Any) -> None:
        if edit is not self.edit:
            return
        if neutral is not None:
            edit.change(f"white from {kind}", raw_neutral=neutral)
        else:
            edit.change(f"white from {kind}", temperature=round(kelvin), tint=round(duv, 4), raw_neutral=None)
        self.ledger.pick_button.setChecked(False)
        spread = f"±{SURFACES[kind].spread:.0f} %"
        found = "a colour that no temperature has" if neutral is not None else f"{kelvin:.0f} K, Duv {duv:+.4f}"
        self.status.emit("", f"white from {kind}: {found} (such surfaces differ by {spread})".replace("-", "−"), "")

    def _lifted(self, x: float, y: float, up: float, final: bool) -> None:
        """Tone by hand: the handles about the light at the place follow the pointer."""
        developer, edit = self.developer, self.edit
        if developer is None or edit is None:
            return
        if self._lift_from is None:
            light = light_at(developer, *self._recorded(developer, x, y))
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
            self.status.emit(" ", "", "")
            return
        c = image.pixelColor(int(x * image.width()), int(y * image.height()))
        linear = [
            v / 12.92 if v <= 0.04045 else ((v + 0.055) / 1.055) ** 2.4 for v in (c.redF(), c.greenF(), c.blueF())
        ]
        y_out = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
        text = f"Pointer: L* {float(lightness(y_out)):.0f}"
        if self.developer is not None and self.edit is not None:
            ev = light_at(self.developer, *self._recorded(self.developer, x, y))
            if ev is not None:
                scene = f"{ev + self.edit.recipe.exposure:+.1f}".replace("-", "−")
                text = f"Pointer: {scene} EV scene → L* {float(lightness(y_out)):.0f}"
        self.status.emit(text, "", "")

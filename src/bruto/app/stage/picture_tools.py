"""Tools for the hand in the picture: white and hues are picked, tone is dragged, the pointer reads the light."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QObject, Signal

from bruto.app.ledger.ledger import Ledger
from bruto.app.stage.stage import Stage
from bruto.catalog import tr
from bruto.develop.analysis.color_picker import hue_at, lifted
from bruto.develop.analysis.white_picker import SURFACES, white_at
from bruto.develop.field_ui import limits
from bruto.develop.pipeline import Developer
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import Tone
from bruto.develop.rectangle import Rectangle, stored_rect
from bruto.session.edit import Edit
from bruto.session.pointer_text import pointer_text
from bruto.session.session import Session

PICKS_IN = {"white": "white", "hue": "hues", "grey": "light"}
"""Group of the ledger in which the button of each pick stands."""
LIFT_PER_PIXEL = 0.15
"""L* a pixel of a drag in the picture."""


class PictureTools(QObject):
    """Follows a stage and the ledger's buttons; changes the edit of the open shot.

    `framing`: while all that the frame covers is shown. Emits `picking` when a place is going to be picked, `status`
    with what was found, and `pointed` with the light under the pointer (" " outside).
    """

    picking = Signal()
    status = Signal(str)
    pointed = Signal(str)

    def __init__(self, session: Session, stage: Stage, ledger: Ledger) -> None:
        super().__init__()
        self.session, self.opened, self.stage, self.ledger = session, session.opened, stage, ledger
        self._channel = session.render.channel("pick", 10)
        self.framing = False
        self._picks = {"white": self._pick_white, "hue": self._pick_hue, "grey": self._pick_grey}
        """What a click does while the ledger's button of that name is down; one more tool is an entry here."""
        self._lift_from: tuple[Tone, float] | None = None
        stage.picked.connect(self._picked)
        stage.pointed.connect(self._pointed)
        stage.lifted.connect(self._lifted)
        for name, button in ledger.pick_buttons.items():
            button.toggled.connect(partial(self._pick, name))

    def turn_to(self, key: Any) -> None:
        """Another shot is shown: nothing is picked for the one before."""
        self.stop_picking()
        self._channel.turn_to(key)

    # -- picking

    def toggle_pick(self, what: str) -> None:
        """Pick something by its name in the picture, or stop it."""
        self.ledger.unfold(PICKS_IN[what])
        self.ledger.pick_buttons[what].toggle()

    def stop_picking(self) -> None:
        """Clicks in the picture pick nothing any more."""
        for button in self.ledger.pick_buttons.values():
            button.setChecked(False)

    def _pick(self, what: str, on: bool) -> None:
        """Clicks in the picture pick one thing at a time."""
        if on:
            self.picking.emit()
            for name, button in self.ledger.pick_buttons.items():
                button.setChecked(name == what)
        self.stage.set_picking(any(button.isChecked() for button in self.ledger.pick_buttons.values()))

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
        developer, edit = self.opened.developer, self.opened.edit
        what = next((name for name, button in self.ledger.pick_buttons.items() if button.isChecked()), None)
        if developer is not None and edit is not None and what is not None:
            self._picks[what](developer, edit, x, y)

    def _pick_hue(self, developer: Developer, edit: Edit, x: float, y: float) -> None:
        recipe, place = edit.recipe, self._stored(x, y)
        self._channel.ask(
            edit.path,
            lambda: hue_at(developer, recipe, *place),
            lambda node: self._hue_found(edit, node),
            self.session.say,
        )

    def _pick_white(self, developer: Developer, edit: Edit, x: float, y: float) -> None:
        kind, side = self.ledger.white.kind(), self.ledger.white.averaged()
        recorded = self._recorded(x, y)
        self._channel.ask(
            edit.path,
            lambda: white_at(developer, *recorded, kind, side),
            lambda found: self._white_found(edit, kind, *found),
            self.session.say,
        )

    def _pick_grey(self, _: Developer, edit: Edit, x: float, y: float) -> None:
        """The exposure at which the light of a place is mid-grey; contrast and tone handles act after it."""
        light = self.opened.light_at(*self._recorded(x, y))
        if light is None:
            self.session.say(tr("The light of this shot is still being measured. Try again in a moment."))
            return
        low, high = limits(Recipe.model_fields["exposure"])
        exposure = round(min(high, max(low, -light)), 2)
        edit.change("mid_grey", exposure=exposure)
        self.stop_picking()
        self.status.emit(tr("exposure {exposure:+.2f} EV: this place is mid-grey", exposure=exposure))

    def _hue_found(self, edit: Edit, node: Any) -> None:
        if edit is not self.opened.edit:
            return
        if node is None:
            self.session.say(tr("This place has almost no colour. Click one that has."))
            return
        self.stop_picking()
        self.ledger.add_hue(node)

    def _white_found(self, edit: Edit, kind: str, kelvin: float, duv: float, neutral: Any) -> None:
        if edit is not self.opened.edit:
            return
        if neutral is not None:
            edit.change(f"white:{kind}", raw_neutral=neutral)
            found = tr("a white point outside the temperature scale")
        else:
            edit.change(f"white:{kind}", temperature=round(kelvin), tint=round(duv, 4), raw_neutral=None)
            found = tr("{kelvin:.0f} K, Duv {duv:+.4f}", kelvin=kelvin, duv=duv)
        self.stop_picking()
        text = tr(
            "white from {kind}: {found} (such surfaces vary by ±{spread:.0f} %)",
            kind=SURFACES[kind].title,
            found=found,
            spread=SURFACES[kind].spread,
        )
        self.status.emit(text)

    # -- tone by hand, and the pointer

    def _lifted(self, x: float, y: float, up: float, final: bool) -> None:
        """The handles about the light at the place follow the pointer."""
        edit = self.opened.edit
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
            self.pointed.emit(" ")
            return
        c = image.pixelColor(int(x * image.width()), int(y * image.height()))
        self.pointed.emit(pointer_text(self.opened, (c.redF(), c.greenF(), c.blueF()), *self._recorded(x, y)))

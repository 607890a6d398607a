"""The ledger: one row a correction, built from the recipe's own field descriptions, with suggestion and evidence."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QPushButton, QScrollArea, QWidget

from bruto.app.ledger.color_parts import ColorSwitches, SplitTintEditor
from bruto.app.ledger.curve_editor import CurveEditor
from bruto.app.ledger.frame_part import FramePart
from bruto.app.ledger.group import LedgerGroup
from bruto.app.ledger.hue_ring import HueEditor
from bruto.app.ledger.keyboard_walk import KeyboardWalk
from bruto.app.ledger.ledger_head import LedgerHead
from bruto.app.ledger.profile_row import ProfileRow
from bruto.app.ledger.rows import SAYS, VALUE, Row
from bruto.app.ledger.tone_part import TonePart
from bruto.app.ledger.white_part import WhitePart
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.container.raw_frame import RawMeta
from bruto.develop.field_ui import GROUPS
from bruto.develop.illuminants import values_of
from bruto.develop.recipe import FIELDS, Recipe, fields_of
from bruto.develop.recipe_text import sentence
from bruto.develop.recipe_values import HueNode
from bruto.session.edit import Edit


class Ledger(QWidget):
    """All rows of the current shot; shows an `Edit` and sends intents to it."""

    start_chosen = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.edit: Edit | None = None
        self.as_shot: tuple[float, float] = (6500.0, 0.0)
        self._absent: tuple[str, ...] = ("local_strength",)
        """Rows of what the shot does not have."""
        self._open_before: list[str] | None = None
        """Groups that were unfolded before a row was looked for."""
        outer = down(self, margins=(10, 8, 4, 8), gap=6)
        self.head = LedgerHead()
        self.head.looked_for.connect(self._found)
        self.head.folded.connect(lambda: self.fold_all() if self.open_groups() else self.unfold())
        self.head.start_chosen.connect(self.start_chosen)
        outer.addWidget(self.head)
        columns = across(margins=(6, 0, 20, 0), gap=4)
        for text, width, side in (
            (tr("correction"), 0, Qt.AlignmentFlag.AlignLeft), (tr("value"), VALUE, Qt.AlignmentFlag.AlignRight),
            (tr("measured"), SAYS + 4, Qt.AlignmentFlag.AlignRight),
        ):  # fmt: skip
            label = Label(text, objectName="quiet", alignment=side | Qt.AlignmentFlag.AlignVCenter)
            if width:
                label.setMinimumWidth(width)
            columns.addWidget(label, 0 if width else 1)
        outer.addLayout(columns)
        self.scroll_area = scroll = build(
            QScrollArea,
            widgetResizable=True,
            horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff,
            focusPolicy=Qt.FocusPolicy.NoFocus,
        )
        body = build(QWidget, objectName="panelBody")
        column = down(body, margins=(0, 0, 6, 0), gap=6)
        self.rows: dict[str, Row] = {}
        self.groups: dict[str, LedgerGroup] = {}
        for key, text, opened in GROUPS:
            group = LedgerGroup(key, text, opened, bypass=key != "white")
            group.bypassed.connect(lambda off, g=key: self._bypass(g, off))
            self.groups[key] = group
            column.addWidget(group)
        for field, ui in FIELDS.items():
            if not ui.step:
                continue
            row = Row.of(field, Recipe.model_fields[field])
            row.changed.connect(self._changed)
            row.taken.connect(self._take)
            row.reset.connect(self._reset)
            row.bypassed.connect(self._bypass_row)
            self.rows[field] = row
            self.groups[ui.group].body.addWidget(row)
        self.grey_button = build(
            QPushButton,
            tr("Make a place mid-grey"),
            objectName="take",
            checkable=True,
            toolTip=tr("Click a place in the picture; the exposure changes until it is mid-grey (Alt+G)"),
        )
        self.groups["light"].body.addWidget(self.grey_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.white = WhitePart()
        self.white.lit.connect(self._light_chosen)
        self.profile = ProfileRow()
        self.profile.changed.connect(self._profile_changed)
        self.profile.taken.connect(self._take)
        self.profile.reset.connect(lambda: self._reset("profile", "base_look"))
        fill(self.groups["white"].body, self.white, self.profile)
        self.best = build(
            QPushButton,
            tr("Best in files"),
            checkable=True,
            toolTip=tr("Exported files get the best noise reduction; the screen uses the quick one"),
            clicked=lambda on: self._part("noise_best", bool(on), "grade of noise reduction", True),
        )
        self.groups["noise"].body.addWidget(self.best, 0, Qt.AlignmentFlag.AlignLeft)
        self.tone = TonePart()
        self.tone.taken.connect(lambda: self._take("tone"))
        self.tone.reset.connect(lambda: self._reset("tone"))
        self.groups["tone"].body.addWidget(self.tone)
        self.switches = ColorSwitches()
        self.switches.changed.connect(self._part)
        self.groups["color"].body.addWidget(self.switches)
        self.hues = HueEditor()
        self.hues.changed.connect(
            lambda nodes, what, final: self._part("hue_nodes", [n.model_dump() for n in nodes], what, final)
        )
        self.groups["hues"].body.addWidget(self.hues)
        self.pick_buttons = {"white": self.white.button, "hue": self.hues.pick_button, "grey": self.grey_button}
        self.curves = CurveEditor()
        self.curves.changed.connect(lambda values, what, final: self._part("curves", values, what, final))
        self.groups["curves"].body.addWidget(self.curves)
        self.split_tint = SplitTintEditor()
        self.split_tint.changed.connect(lambda values, what, final: self._part("split_tint", values, what, final))
        self.groups["split_tint"].body.addWidget(self.split_tint)
        self.frame_part = FramePart()
        self.frame_part.reset.connect(lambda: self._reset("crop", "aspect"))
        self.groups["frame"].body.addWidget(self.frame_part)
        self.notice = Label("", objectName="warning", wordWrap=True)
        column.addWidget(self.notice)
        reset_all = build(
            QPushButton,
            tr("Reset all"),
            toolTip=tr("Reset every row to its default; you can undo it"),
            clicked=lambda: self.edit and self.edit.reset(),
        )
        column.addWidget(reset_all, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        scroll.setWidget(body)
        outer.addWidget(scroll)
        self._found("")
        self.walk = KeyboardWalk(body, self)

    def _light_chosen(self, title: str) -> None:
        """White by the name of a light; "" is as shot."""
        kelvin, duv = values_of(title) if title else (None, None)
        self._change("light", temperature=kelvin, tint=duv, raw_neutral=None)

    def _change(self, what: str, **values: Any) -> None:
        if self.edit is not None:
            self.edit.change(what, **values)

    def _take(self, field: str) -> None:
        if self.edit is not None:
            self.edit.take(field)

    def _reset(self, *fields: str) -> None:
        if self.edit is not None:
            self.edit.reset(*fields)

    def _part(self, field: str, value: Any, what: str, final: bool) -> None:
        if self.edit is not None:
            self.edit.change(what, final=final, **{field: value})

    def _bypass(self, group: str, off: bool) -> None:
        if self.edit is not None:
            now = [f for f in self.edit.recipe.bypassed if f not in fields_of(group)]
            title = self.groups[group].title.lower()
            what = tr("switch {title} off", title=title) if off else tr("switch {title} on", title=title)
            self.edit.change(what, bypassed=now + (list(fields_of(group)) if off else []))

    def _bypass_row(self, field: str, off: bool) -> None:
        if self.edit is not None:
            now = [f for f in self.edit.recipe.bypassed if f != field]
            title = self.rows[field].title.lower()
            what = tr("switch {title} off", title=title) if off else tr("switch {title} on", title=title)
            self.edit.change(what, bypassed=now + ([field] if off else []))

    def unfold(self, *names: str) -> None:
        """Open groups (all without names)."""
        for name, group in self.groups.items():
            if not names or name in names:
                group.set_open(True)
        if names:  # once the rows have their places
            QTimer.singleShot(0, lambda: self.scroll_area.ensureWidgetVisible(self.groups[names[-1]].content))

    def _found(self, text: str) -> None:
        """Show the rows, and groups, whose names hold a text; all rows for none."""
        wanted = text.strip().lower()
        if wanted and self._open_before is None:
            self._open_before = self.open_groups()
        for name, group in self.groups.items():
            rows = [r for f, r in self.rows.items() if FIELDS[f].group == name]
            whole = wanted in group.title.lower()
            hits = [r for r in rows if whole or wanted in r.title.lower()]
            for row in rows:
                row.setVisible((not wanted or row in hits) and row.field not in self._absent)
            group.setVisible(not wanted or whole or bool(hits))
            if wanted:
                group.set_open(whole or bool(hits))
        if not wanted and self._open_before is not None:
            self.set_open_groups(self._open_before)
            self._open_before = None

    def fold_all(self) -> None:
        """Fold every group to its sentence."""
        self.set_open_groups([])

    def open_groups(self) -> list[str]:
        """The groups that are unfolded."""
        return [name for name, group in self.groups.items() if group.opened]

    def set_open_groups(self, names: list[str]) -> None:
        """Unfold these groups and fold the others."""
        for name, group in self.groups.items():
            group.set_open(name in names)

    def add_hue(self, node: HueNode) -> None:
        """A colour that was picked in the picture becomes a node."""
        self.unfold("hues")
        self.hues.add(node)

    def _changed(self, field: str, value: float, final: bool) -> None:
        if self.edit is not None:
            values: dict[str, Any] = {field: value}
            if field in ("temperature", "tint"):
                values["raw_neutral"] = None
            self.edit.change(self.rows[field].title.lower(), final=final, **values)

    def _profile_changed(self, field: str, value: Any) -> None:
        if self.edit is not None:
            self.edit.change(field, **{field: value})

    def show_edit(
        self,
        edit: Edit | None,
        as_shot: tuple[float, float] | None = None,
        notice: str = "",
        meta: RawMeta | None = None,
    ) -> None:
        """Another shot, or values of the file that became known; `meta` of a raw that is open."""
        self.edit = self.head.edit = edit
        self.profile.show_meta(meta)
        # a finished picture was balanced already: names of lights say nothing of it
        self.white.lights_row.setVisible(meta is not None or as_shot is None)
        if as_shot is not None:
            self.as_shot = as_shot
        self.notice.setText(notice)
        self.notice.setVisible(bool(notice))
        self.refresh()

    def _reached(self, field: str) -> bool:
        """Whether a row stands at its suggestion as far as its digits tell."""
        assert self.edit is not None
        row, found = self.rows[field], self.edit.suggestions[field]
        now = self._shown(field, getattr(self.edit.recipe, field))
        return row.text_of(self._shown(field, found.value)) == row.text_of(now)

    def _shown(self, field: str, value: float | None) -> float:
        if value is None:
            return self.as_shot[0] if field == "temperature" else self.as_shot[1]
        return value

    def refresh(self) -> None:
        """Bring all rows up to date with the edit."""
        edit = self.edit
        self.setEnabled(edit is not None)
        if edit is None:
            self.head.show_none()
            return
        default = Recipe()
        recipe = edit.recipe
        for field, row in self.rows.items():
            value = self._shown(field, getattr(recipe, field))
            found = edit.suggestions.get(field)
            suggestion = None if found is None else self._shown(field, found.value)
            evidence = found.evidence if found else (tr("measuring…") if not edit.suggestions else "")
            same = suggestion is not None and row.text_of(suggestion) == row.text_of(value)
            row.show_values(value, self._shown(field, getattr(default, field)), suggestion, evidence, same)
            row.show_used(field not in recipe.bypassed)
        absent = () if recipe.local_tone.gains else ("local_strength",)
        if absent != self._absent:
            self._absent = absent
            self._found(self.head.row_finder.text())
        self.best.setChecked(recipe.noise_best)
        self.profile.show_values(recipe, edit.suggestions.get("base_look"))
        self.white.show_recipe(recipe)
        self.tone.show_recipe(recipe, edit.suggestions.get("tone"))
        for part in (self.switches, self.hues, self.curves, self.split_tint, self.frame_part):
            part.show_recipe(recipe)
        still = [f for f in edit.open_suggestions() if f not in self.rows or not self._reached(f)]
        for name, group in self.groups.items():
            mine = fields_of(name)
            left_out = all(f in recipe.bypassed for f in mine)
            group.show_state(sentence(name, recipe.effective()), sum(f in mine for f in still), left_out)
        self.head.refresh(edit, len(still))

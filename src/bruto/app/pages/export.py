"""Export: a preset (size, space, format) and the queue with progress, cancel and retry."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QHideEvent, QIcon, QPixmap
from PySide6.QtWidgets import (
    QFileDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.main_thread import single_shot
from bruto.app.pages.export_queue import QueueList
from bruto.app.stage.shot_stage import ShotStage
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.form import Form, FormRow, Values, choice, line, number, tick
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.export.formats import choices
from bruto.export.preset import JPEG_QUALITY, ExportPreset
from bruto.export.preset_library import save_preset, saved_presets
from bruto.session.export_preview import ExportPreview, export_previews
from bruto.shoot.shots import Shot
from bruto.shoot.verdicts import KEEP_OR_BEST
from bruto.tasks import Task

WHICH = ((tr("This shot"), "selection"), (tr("Keep and Best"), "keep_or_best"), (tr("All shots"), "all"))
SIZES = {
    "full": (tr("Full size"), None),
    "3840": (tr("3840 px long edge"), 3840),
    "2048": (tr("2048 px long edge"), 2048),
    "1280": (tr("1280 px long edge"), 1280),
    "own": (tr("Other long edge"), None),
}
"""Title and long edge in pixels of the sizes on offer; that of the last is typed."""
WITH_QUALITY = (".jpg", ".jpeg", ".avif", ".webp")
"""Formats whose quality can be set."""
ICON = QSize(96, 72)
SPACES = (
    (tr("sRGB: shown right everywhere"), "srgb"),
    (tr("Display P3: wider, for recent screens"), "display-p3"),
    (tr("Rec. 2020"), "rec2020"),
)
PLACE_TIP = tr("The location tells everyone who gets the picture where you live and work. TIFF files never contain it.")
SAVE_TIP = tr("Save format, size, colour space and what is kept in the files under a name")
DELETE_TIP = tr("Delete the saved preset that is chosen above")
REMEMBERED = ("format", "size", "space", "edge", "quality", "exif", "place")
"""Fields of the preset that are there again next time."""


def _suffix(values: Values) -> str:
    return next(suffix for key, _, suffix, _ in choices() if key == values["format"])


class ExportPage(QWidget):
    """What will leave and the queue at the left, the preset at the right."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.shoot, self.queue = self.session.shoot, self.session.queue
        self._listing = self.session.render.channel("what will leave", 135)
        self._folder_of: Path | None = None
        self._found: list[ExportPreview] = []
        layout = across(self, margins=0, gap=0)
        fill(layout, (self._left(), 1), self._preset_side())
        self._timer = single_shot(self, 60, self.refresh)
        self._use_last_preset()
        self.shoot.opened.connect(self._folder_opened)
        for signal in (self.shoot.current_changed, self.shoot.selection_changed):
            signal.connect(lambda: self.soon())
        for signal in (self.shoot.judged, self.shoot.measured):
            signal.connect(lambda _: self.soon())
        self.session.opened.edited.connect(lambda *_: self.soon())
        self.session.starting.made.connect(lambda *_: self.soon())
        self._folder_opened()
        self.refresh()

    # -- parts

    def _left(self) -> QWidget:
        holder = surface()
        middle = down(holder, margins=(18, 12, 18, 12))
        self.heading = Label(tr("To export"), objectName="heading")
        self.list = build(
            QListWidget,
            accessibleName=tr("To export"),
            iconSize=ICON,
            uniformItemSizes=True,
            textElideMode=Qt.TextElideMode.ElideMiddle,
            horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff,
            currentRowChanged=self._show_chosen,
        )
        self.stage = ShotStage(self.session, "what leaves", 138)
        self.stage.opened.connect(self.stage.ask)
        self.stage.view_changed.connect(self.stage.ask)
        self.jobs = QueueList(self.queue)
        fill(middle, self.heading, (fill(across(gap=8), (self.list, 2), (self.stage, 3)), 5), (self.jobs, 2))
        return holder

    def _preset_side(self) -> QWidget:
        side, column = side_panel(tr("Preset"), 5)
        browse = build(QPushButton, tr("Choose…"), clicked=self._browse)
        self.form = Form(
            column,
            (
                FormRow("saved", tr("Saved presets"), choice(), caption=tr("Saved")),
                FormRow("which", tr("Shots"), choice(WHICH)),
                FormRow("format", tr("Format"), choice([(title, key) for key, title, *_ in choices()])),
                FormRow("quality", tr("Quality"), number(40, 100), shown_when=lambda v: _suffix(v) in WITH_QUALITY),
                FormRow("size", tr("Size"), choice([(title, key) for key, (title, _) in SIZES.items()])),
                FormRow("edge", tr("Long edge"), number(16, 20000, " px"), shown_when=lambda v: v["size"] == "own"),
                FormRow("space", tr("Colour space"), choice(SPACES)),
                FormRow("folder", tr("Folder"), line(most=4096, live=True), also=(browse,)),
                FormRow("exif", tr("Keep shooting data (Exif)"), tick()),
                FormRow("place", tr("Keep the location"), tick(), PLACE_TIP, enabled_when=lambda v: v["exif"]),
            ),
        )
        self.form.show({"quality": JPEG_QUALITY, "edge": 2400, "exif": True})
        self.form.changed.connect(self._changed)
        self.name = build(
            QLineEdit,
            placeholderText=tr("name of the preset"),
            accessibleName=tr("Name of the preset"),
            returnPressed=self._save_preset,
        )
        self.save = build(QPushButton, tr("Save as"), toolTip=SAVE_TIP, clicked=self._save_preset)
        self.delete = build(QPushButton, tr("Delete"), toolTip=DELETE_TIP, clicked=self._delete_preset)
        self._list_presets("")
        self.which, self.folder = self.form.widgets["which"], self.form.widgets["folder"]
        self.place_note = Label("", objectName="quiet", wordWrap=True)
        self.summary = Label("", wordWrap=True)
        self.go = build(QPushButton, tr("Export"), objectName="primary", minimumHeight=32, clicked=self.send)
        originals = tr("Originals are never changed. A file whose name exists gets a number.")
        self.note = Label(originals, objectName="quiet", wordWrap=True)
        fill(column, self.place_note, self.summary, self.go, self.note, 1)
        fill(column, fill(across(gap=6), self.save, (self.name, 1), self.delete))
        return side

    # -- the preset

    def preset(self) -> ExportPreset:
        """What is set at the right."""
        values = self.form.values()
        long_edge = round(values["edge"]) if values["size"] == "own" else SIZES[values["size"]][1]
        bits = next(bits for key, *_, bits in choices() if key == values["format"])
        return ExportPreset(
            values["space"], bits, long_edge, round(values["quality"]), values["exif"],
            values["exif"] and values["place"],
        )  # fmt: skip

    def _use_last_preset(self) -> None:
        """The preset as it was left."""
        self._use(self.session.settings.preset)

    def _list_presets(self, chosen: str) -> None:
        """The saved presets by name, and what keeps them from being read."""
        box = self.form.widgets["saved"]
        try:
            self._saved = saved_presets()
        except BrutoError as error:
            self._saved = {}
            self.session.say(str(error))
        box.blockSignals(True)
        box.clear()
        for name in ("", *self._saved):
            box.addItem(name or tr("none"), name)
        box.setCurrentIndex(max(box.findData(chosen), 0))
        box.blockSignals(False)
        self.delete.setEnabled(bool(box.currentData()))

    def _changed(self, name: str, value: Any) -> None:
        if name == "saved" and value:
            self._use(self._saved[value])
        elif name in REMEMBERED:  # it is not the saved one any more
            self.form.show({"saved": ""})
        self.delete.setEnabled(bool(self.form.values()["saved"]))
        self.soon()

    def _use(self, saved: dict[str, Any]) -> None:
        """Values of a preset; what is not of the right kind stays as it is."""
        now = self.form.values()
        kinds = {name: (int, float) if isinstance(now[name], float) else type(now[name]) for name in REMEMBERED}
        self.form.show({k: saved[k] for k, kind in kinds.items() if isinstance(saved.get(k), kind)})

    def _save_preset(self) -> None:
        name, values = self.name.text().strip(), self.form.values()
        try:
            save_preset(name, {field: values[field] for field in REMEMBERED})
        except (BrutoError, OSError) as error:
            self.session.say(str(error))
            return
        self.name.clear()
        self._list_presets(name)

    def _delete_preset(self) -> None:
        try:
            save_preset(self.form.values()["saved"], None)
        except (BrutoError, OSError) as error:
            self.session.say(str(error))
        self._list_presets("")

    def _remember(self) -> None:
        values = self.form.values()
        self.session.settings.preset = {name: values[name] for name in REMEMBERED}

    # -- what will leave

    def soon(self, *_: object) -> None:
        """Something that decides what will leave has changed."""
        if self.isVisible():
            self._timer.start()

    def hideEvent(self, event: QHideEvent) -> None:
        """A raw that only this page shows is not kept in memory behind others."""
        super().hideEvent(event)
        self.stage.show_shot(None)

    def turned_to(self) -> None:
        """The page was chosen."""
        self.refresh()

    def shots(self) -> list[Shot]:
        """The shots that are meant."""
        key = self.which.currentData()
        if key == "selection":
            return [s for s in self.shoot.selection if not s.problem]
        every = [s for s in self.shoot.shots if not s.problem]
        return [s for s in every if key == "all" or self.shoot.verdicts.get(str(s.main)) in KEEP_OR_BEST]

    def refresh(self) -> None:
        """List what will leave, and say it in a sentence."""
        chosen = len(self.shoot.selection)
        saved = sum(self.shoot.verdicts.get(str(s.main)) in KEEP_OR_BEST for s in self.shoot.shots)
        for k, text in enumerate(
            (
                tr("The {chosen} selected shots", chosen=chosen) if chosen > 1 else tr("This shot"),
                tr("Keep and Best ({saved})", saved=saved),
                tr("All shots ({shots_count})", shots_count=len(self.shoot.shots)),
            )
        ):
            self.which.setItemText(k, text)
        suffix = _suffix(self.form.values())
        shots, values, long_edge = self.shots(), self.session.opened.values(), self.preset().long_edge
        count = trn("{shots_count} picture", "{shots_count} pictures", shots_count=len(shots))
        self.heading.setText(tr("To export: {count}", count=count) if shots else tr("Nothing to export"))
        where = self.folder.text() or tr("no folder yet")
        own = tr("each with its own values") if len(shots) > 1 else tr("with its own values")
        self.summary.setText(
            tr("{count} to {where}, {own}.", count=count, where=where, own=own) if shots else self._why_none()
        )
        self.go.setText(tr("Export {count}", count=count))
        self.go.setEnabled(bool(shots) and bool(self.folder.text().strip()))
        if not shots:
            self._listed([])
            return
        self._listing.ask(
            None, lambda: export_previews(shots, values, suffix, long_edge), self._listed, self.session.say
        )  # fmt: skip

    def _listed(self, found: list[ExportPreview]) -> None:
        """Show pictures, names and sizes of what will leave."""
        suffix = _suffix(self.form.values())
        thumbs = self.host.page(Task.INTAKE).board.cards.thumbs
        self._found, row = found, max(self.list.currentRow(), 0)
        self.list.blockSignals(True)
        self.list.clear()
        for one in found:
            size = (
                tr("{size} × {size2} px", size=one.size[0], size2=one.size[1])
                if one.size
                else tr("size depends on its suggestions")
            )
            item = QListWidgetItem(f"{one.name}\n{size}")
            picture = thumbs.get(str(one.shot.main))
            icon = QIcon()
            if picture:
                for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):  # which would be tinted
                    icon.addPixmap(QPixmap.fromImage(picture[0]), mode)
            item.setIcon(icon)
            item.setToolTip(plain_tooltip(str(Path(self.folder.text()) / one.name)))
            self.list.addItem(item)
        self.list.setCurrentRow(min(row, len(found) - 1))
        self.list.blockSignals(False)
        self._show_chosen(self.list.currentRow())
        places = sum(one.shot.meta is not None and one.shot.meta.gps is not None for one in found)
        self.place_note.setText(self._of_places(places, suffix) if found else "")

    def _show_chosen(self, row: int) -> None:
        """The picture that is chosen in the list as it is developed; what is shown already stays."""
        one = self._found[row] if self.isVisible() and 0 <= row < len(self._found) else None
        shown = self.stage.shot, self.stage.recipe
        if one is None or one.shot is not shown[0] or (one.recipe is not None and one.recipe != shown[1]):
            self.stage.show_shot(None if one is None else one.shot)
        if one is None:
            self.stage.message = self._why_none()

    def _why_none(self) -> str:
        if not self.shoot.shots:
            return tr("Open a shoot first.")
        return (
            tr("No shot is marked Keep or Best yet.")
            if self.which.currentData() == "keep_or_best"
            else tr("Choose a shot.")
        )

    def _of_places(self, count: int, suffix: str) -> str:
        """What becomes of the places in the files, in words."""
        if not count:
            return tr("None of the files contains a location.")
        which = (
            trn("{count} file contains a location", "{count} files contain a location", count=count)
            if count > 1
            else tr("One file contains a location")
        )
        saved = self.preset().keep_place and suffix not in (".tif", ".tiff")
        return tr("{which}; it {value}.", which=which, value=tr("stays") if saved else tr("is removed"))

    def _folder_opened(self) -> None:
        """The folder belongs to the shoot; one that was chosen by hand stays while its shoot is open."""
        if self.shoot.paths and self._folder_of != self.shoot.folder:
            self._folder_of = self.shoot.folder
            self.folder.setText(str(self.shoot.folder.absolute() / "finished"))
        self.soon()

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Folder for exported pictures"), self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def send(self) -> None:
        """Queue what is listed."""
        suffix = _suffix(self.form.values())
        try:
            self.session.export_shots(Path(self.folder.text()), suffix, self.preset(), self.shots())
            self._remember()
        except BrutoError as error:
            self.session.say(str(error))

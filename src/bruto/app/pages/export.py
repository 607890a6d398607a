"""Deliver: a ticket (size, space, format) and the queue with progress, cancel and retry."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize
from PySide6.QtGui import QIcon, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bruto.app.host import Host
from bruto.app.main_thread import single_shot
from bruto.app.pages.export_queue import QueueList
from bruto.app.widgets.build import across, build, down
from bruto.app.widgets.panel import side_panel, surface
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.export.formats import choices
from bruto.export.preset import JPEG_QUALITY, ExportPreset
from bruto.session.export_preview import ExportPreview, export_previews
from bruto.shoot.shots import Shot
from bruto.shoot.verdicts import KEEP_OR_BEST
from bruto.tasks import Task

OWN_SIZE = 0
SIZES = (
    ("full", tr("Full size"), None),
    ("3840", tr("3840 px long edge"), 3840),
    ("2048", tr("2048 px long edge"), 2048),
    ("1280", tr("1280 px long edge"), 1280),
    ("own", tr("Other long edge"), OWN_SIZE),
)
"""Identifier, title and long edge in pixels of the sizes on offer."""
WITH_QUALITY = (".jpg", ".jpeg", ".avif", ".webp")
"""Formats whose quality can be set."""
ICON = QSize(96, 72)
SPACES = (
    ("srgb", tr("sRGB: shown right everywhere")),
    ("display-p3", tr("Display P3: wider, for recent screens")),
    ("rec2020", tr("Rec. 2020")),
)


class ExportPage(QWidget):
    """What will leave and the queue at the left, the ticket at the right."""

    def __init__(self, host: Host) -> None:
        super().__init__()
        self.host, self.session = host, host.session
        self.shoot, self.queue = self.session.shoot, self.session.queue
        self._listing = self.session.render.channel("what will leave", 135)
        self._folder_of: Path | None = None
        layout = across(self, margins=0, gap=0)
        layout.addWidget(self._left(), 1)
        layout.addWidget(self._preset_side())
        self._timer = single_shot(self, 60, self.refresh)
        self._use_last_preset()
        for box in (self.which, self.format, self.size_box, self.space):
            box.currentIndexChanged.connect(self.soon)
        for field in (self.edge, self.quality):
            field.valueChanged.connect(self.soon)
        for tick in (self.exif, self.place):
            tick.toggled.connect(self.soon)
        self.folder.textChanged.connect(self.soon)
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
        middle.addWidget(self.heading)
        self.list = build(
            QListWidget,
            accessibleName=tr("To export"),
            iconSize=ICON,
            uniformItemSizes=True,
            selectionMode=QListWidget.SelectionMode.NoSelection,
        )
        middle.addWidget(self.list, 3)
        self.jobs = QueueList(self.queue)
        middle.addWidget(self.jobs, 2)
        return holder

    def _preset_side(self) -> QWidget:
        side, form = side_panel(tr("Preset"), 5)
        self.which, self.format, self.size_box, self.space = (QComboBox() for _ in range(4))
        for text, key in (
            (tr("This shot"), "selection"),
            (tr("Keep and Best"), "keep_or_best"),
            (tr("All shots"), "all"),
        ):
            self.which.addItem(text, key)
        for label, box, entries in (
            (tr("Shots"), self.which, ()),
            (tr("Format"), self.format, choices()),
            (tr("Size"), self.size_box, SIZES),
            (tr("Colour space"), self.space, SPACES),
        ):
            form.addWidget(Label(label))
            for entry in entries:
                box.addItem(entry[1], entry)
            box.setAccessibleName(label)
            form.addWidget(box)
            if box is self.format:
                self.quality_row, self.quality = self._number(form, tr("Quality"), 40, 100, JPEG_QUALITY, "")
            elif box is self.size_box:
                self.edge_row, self.edge = self._number(form, tr("Long edge"), 16, 20000, 2400, " px")
        form.addWidget(Label(tr("Folder")))
        line = QHBoxLayout()
        self.folder = build(QLineEdit, accessibleName=tr("Folder"))
        browse = build(QPushButton, tr("Choose…"), clicked=self._browse)
        line.addWidget(self.folder, 1)
        line.addWidget(browse)
        form.addLayout(line)
        self.exif = QCheckBox(tr("Keep shooting data (Exif)"))
        self.exif.setChecked(True)
        self.place = build(
            QCheckBox,
            tr("Keep the location"),
            toolTip=tr(
                "The location tells everyone who gets the picture where you live and work. TIFF files never contain it."
            ),
        )
        form.addWidget(self.exif)
        form.addWidget(self.place)
        self.place_note = Label("", objectName="quiet", wordWrap=True)
        form.addWidget(self.place_note)
        self.summary = Label("", wordWrap=True)
        form.addWidget(self.summary)
        self.go = build(QPushButton, tr("Export"), objectName="primary", minimumHeight=32, clicked=self.send)
        form.addWidget(self.go)
        self.note = Label(
            tr("Originals are never changed. A file whose name exists gets a number."),
            objectName="quiet",
            wordWrap=True,
        )
        form.addWidget(self.note)
        form.addStretch(1)
        return side

    @staticmethod
    def _number(form: QVBoxLayout, title: str, low: int, high: int, value: int, unit: str) -> tuple[QWidget, ValueBox]:
        row = QWidget()
        line = across(row, margins=0)
        line.addWidget(Label(title))
        field = build(ValueBox, decimals=0)
        field.setRange(low, high)
        field.setValue(value)
        field.setSuffix(unit)
        field.setAccessibleName(title)
        line.addWidget(field, 1)
        form.addWidget(row)
        return row, field

    # -- the ticket

    def preset(self) -> ExportPreset:
        """What is set at the right."""
        *_, bits = self.format.currentData()
        long_edge = self.size_box.currentData()[2]
        return ExportPreset(
            self.space.currentData()[0], bits, round(self.edge.value()) if long_edge == OWN_SIZE else long_edge,
            round(self.quality.value()), self.exif.isChecked(), self.exif.isChecked() and self.place.isChecked(),
        )  # fmt: skip

    def _use_last_preset(self) -> None:
        """The ticket as it was left."""
        saved = self.session.settings.preset
        for name, box in (("format", self.format), ("size", self.size_box), ("space", self.space)):
            k = next((k for k in range(box.count()) if box.itemData(k)[0] == saved.get(name)), -1)
            if k >= 0:
                box.setCurrentIndex(k)
        for name, field in (("edge", self.edge), ("quality", self.quality)):
            if isinstance(saved.get(name), int | float):
                field.setValue(float(saved[name]))
        for name, tick in (("exif", self.exif), ("place", self.place)):
            if isinstance(saved.get(name), bool):
                tick.setChecked(saved[name])

    def _remember(self) -> None:
        self.session.settings.preset = {
            "format": self.format.currentData()[0], "size": self.size_box.currentData()[0],
            "space": self.space.currentData()[0], "edge": self.edge.value(), "quality": self.quality.value(),
            "exif": self.exif.isChecked(), "place": self.place.isChecked(),
        }  # fmt: skip

    # -- what will leave

    def soon(self, *_: object) -> None:
        """Something that decides what will leave has changed."""
        if self.isVisible():
            self._timer.start()

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
        _, _, suffix, _ = self.format.currentData()
        self.quality_row.setVisible(suffix in WITH_QUALITY)
        self.edge_row.setVisible(self.size_box.currentData()[2] == OWN_SIZE)
        self.place.setEnabled(self.exif.isChecked())
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
        _, _, suffix, _ = self.format.currentData()
        thumbs = self.host.page(Task.INTAKE).board.cards.thumbs
        self.list.clear()
        for one in found:
            size = (
                tr("{size} × {size2} px", size=one.size[0], size2=one.size[1])
                if one.size
                else tr("size depends on its suggestions")
            )
            item = QListWidgetItem(f"{one.name}     {size}")
            picture = thumbs.get(str(one.shot.main))
            item.setIcon(QIcon(QPixmap.fromImage(picture[0])) if picture else QIcon())
            item.setToolTip(plain_tooltip(str(Path(self.folder.text()) / one.name)))
            self.list.addItem(item)
        places = sum(one.shot.meta is not None and one.shot.meta.gps is not None for one in found)
        self.place_note.setText(self._of_places(places, suffix) if found else "")

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
        _, _, suffix, _ = self.format.currentData()
        try:
            self.session.export_shots(Path(self.folder.text()), suffix, self.preset(), self.shots())
            self._remember()
        except BrutoError as error:
            self.session.say(str(error))

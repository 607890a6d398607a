"""Everything a file holds, as a readable tree in a window of its own."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from bruto.app.widgets.build import build, fill
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.catalog import tr
from bruto.container.metadata_tree import outline
from bruto.container.raw_frame import RawMeta


class FileTree(QDialog):
    """Groups of names and values; typing in the field shows only what holds the words."""

    def __init__(self, meta: RawMeta, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setWindowTitle(tr("Metadata of {name}", name=path.name))
        self.resize(640, 620)
        layout = QVBoxLayout(self)
        head = QHBoxLayout()
        title = Label(path.name, objectName="heading")
        self.words = build(
            QLineEdit, placeholderText=tr("Filter"), accessibleName=tr("Show only rows with these words")
        )
        self.words.setClearButtonEnabled(True)
        self.words.setFixedWidth(200)
        fill(head, (title, 1), self.words)
        layout.addLayout(head)
        self.tree = QTreeWidget()
        self.tree.setColumnCount(2)
        self.tree.setHeaderLabels(["", ""])
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName(tr("Metadata of the file"))
        self.tree.setUniformRowHeights(False)
        self.tree.setWordWrap(True)
        self.tree.setColumnWidth(0, 210)
        for name, rows in outline(meta, path):
            group = QTreeWidgetItem([name, ""])
            font = group.font(0)
            font.setBold(True)
            group.setFont(0, font)
            self.tree.addTopLevelItem(group)
            for key, value in rows:
                row = QTreeWidgetItem([key, value])
                row.setToolTip(1, plain_tooltip(value))
                group.addChild(row)
            group.setExpanded(True)
        close = build(QPushButton, tr("Close"), clicked=self.accept)
        foot = QHBoxLayout()
        fill(foot, 1, close)
        fill(layout, self.tree, foot)
        self.words.textChanged.connect(self._filter)

    def _filter(self, words: str) -> None:
        wanted = words.lower().split()
        for k in range(self.tree.topLevelItemCount()):
            group = self.tree.topLevelItem(k)
            if group is None:
                continue
            shown = 0
            for j in range(group.childCount()):
                row = group.child(j)
                text = f"{group.text(0)} {row.text(0)} {row.text(1)}".lower()
                row.setHidden(not all(w in text for w in wanted))
                shown += not row.isHidden()
            group.setHidden(not shown)

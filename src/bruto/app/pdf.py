"""HTML pages as PDF: A4, with our own fonts."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtCore import QMarginsF, QRectF, QSizeF
from PySide6.QtGui import QColor, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument
from PySide6.QtWidgets import QApplication

from bruto.app.widgets import theme
from bruto.storage.atomic_write import Target, published

MARGIN_MM = 14.0
DOTS_PER_INCH = 96
LEAST_SCALE = 0.75
"""To which a page is made smaller, to stay one."""


def print_html(page: str, target: Target | str | Path, dark: bool = False) -> None:
    """Write a page as PDF; `dark`: on black paper. Raises `FileProblem`; nothing is half-written."""
    if QApplication.instance() is None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        print_html.application = QApplication([])  # type: ignore[attr-defined]  # lives as long as the program
    theme.load_fonts()
    with published(target) as temporary:
        writer = QPdfWriter(str(temporary))
        writer.setResolution(DOTS_PER_INCH)
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setPageMargins(QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM), QPageLayout.Unit.Millimeter)
        document = QTextDocument()
        document.setHtml(page)
        area = writer.pageLayout().paintRectPixels(DOTS_PER_INCH)
        document.setTextWidth(area.width())
        share = area.height() / max(document.size().height(), 1.0)
        if share < LEAST_SCALE:
            document.setPageSize(QSizeF(area.width(), area.height()))
        # on one page, a little smaller where it is a little too long
        scale = min(1.0, share) if share >= LEAST_SCALE else 1.0
        paper = QRectF(writer.pageLayout().fullRectPixels(DOTS_PER_INCH)).translated(-area.left(), -area.top())
        painter = QPainter(writer)
        for k in range(document.pageCount() if share < LEAST_SCALE else 1):
            if k:
                writer.newPage()
            if dark:
                painter.fillRect(paper, QColor("#000000"))
            painter.save()
            painter.scale(scale, scale)
            painter.translate(0, -k * area.height())
            document.drawContents(painter, QRectF(0, k * area.height(), area.width(), area.height() / scale))
            painter.restore()
        painter.end()
        del writer

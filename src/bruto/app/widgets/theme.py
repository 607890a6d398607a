"""Colours, fonts and the style sheet of the window: a bench instrument, light by day and dim by night, with the same
roles.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QEvent, QObject, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPalette, QPen
from PySide6.QtWidgets import QApplication, QWidget


@dataclass(frozen=True)
class Theme:
    """Roles of colour; every text role has contrast >= 4.5 : 1 on the surfaces it is used on, `track` (of tracks and
    the edges of what can be pressed or typed into) >= 3 : 1; `chosen` lies under what is selected.
    """

    name: str
    panel: str
    raised: str
    bar: str
    line: str
    ink: str
    quiet: str
    accent: str
    on_accent: str
    suggestion: str
    warning: str
    track: str
    chosen: str
    surround: str = "#6C6C6C"
    on_surround: str = "#FFFFFF"
    red: str = "#C0574A"
    green: str = "#6E9350"
    blue: str = "#5077AD"

    def color(self, role: str, alpha: int = 255) -> QColor:
        c = QColor(getattr(self, role))
        c.setAlpha(alpha)
        return c


LIGHT = Theme(
    "light",
    "#E9E7E2",
    "#F7F6F3",
    "#F1EFEB",
    "#CBC7BE",
    "#20242A",
    "#5A5F66",
    "#0B5E55",
    "#FFFFFF",
    "#3D3F8F",
    "#A8341A",
    "#85817A",
    "#DCE6E0",
)
DIM = Theme(
    "dim",
    "#2B2C2E",
    "#35373A",
    "#303234",
    "#4A4D52",
    "#E4E2DC",
    "#ADB0B4",
    "#5FBFB2",
    "#10201E",
    "#A9ABF0",
    "#F0937C",
    "#85898F",
    "#34403F",
    surround="#3C3C3C",
    red="#D0796E",
    green="#8FB56E",
    blue="#7C9FD0",
)

_current = LIGHT


def current() -> Theme:
    return _current


def use(theme: Theme) -> None:
    global _current
    _current = theme


def load_fonts() -> None:
    """Register the shipped fonts (B612, SIL Open Font License)."""
    for name in ("B612-Regular", "B612-Bold"):
        data = (files("bruto.app") / f"fonts/{name}.otf").read_bytes()
        QFontDatabase.addApplicationFontFromData(data)


def font(px: int = 12, bold: bool = False) -> QFont:
    """A shipped font at a pixel size (12 is the smallest used)."""
    f = QFont("B612")  # its figures are all of one width
    f.setPixelSize(px)
    f.setBold(bold)
    return f


def ring(p: QPainter, box: QRectF, on_surround: bool = False) -> None:
    """The ring of the focus just inside a box; it never fills."""
    inner = box.adjusted(1, 1, -1, -1)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor("#FFFFFF") if on_surround else current().color("accent"), 2))
    p.drawRoundedRect(inner, 3, 3)


def palette(t: Theme) -> QPalette:
    """Colours of all that the style sheet says nothing about: a rule for every widget would make a change of theme
    ten times as long.
    """
    p = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, t.panel),
        (QPalette.ColorRole.WindowText, t.ink),
        (QPalette.ColorRole.Base, t.raised),
        (QPalette.ColorRole.AlternateBase, t.panel),
        (QPalette.ColorRole.Text, t.ink),
        (QPalette.ColorRole.Button, t.raised),
        (QPalette.ColorRole.ButtonText, t.ink),
        (QPalette.ColorRole.ToolTipBase, t.raised),
        (QPalette.ColorRole.ToolTipText, t.ink),
        (QPalette.ColorRole.PlaceholderText, t.quiet),
        (QPalette.ColorRole.Highlight, t.accent),
        (QPalette.ColorRole.HighlightedText, t.on_accent),
        (QPalette.ColorRole.BrightText, t.warning),
        (QPalette.ColorRole.Link, t.accent),
    ):
        p.setColor(role, QColor(name))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        p.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.quiet))
    return p


class Dress(QObject):
    """The style sheet of one part of the window: of a page, a bar, a menu, a dialog.

    One sheet of the whole application would be worked out for all widgets of all pages at a change of theme. A part
    that is seen changes at once, a hidden one when it is shown.
    """

    def __init__(self, part: QWidget) -> None:
        super().__init__(part)
        self.part = part
        self.worn: Theme | None = None
        part.installEventFilter(self)
        self.put_on()

    def put_on(self) -> None:
        """Wear the theme that is in use."""
        if self.worn is not current():
            self.worn = current()
            self.part.setStyleSheet(style_sheet(self.worn))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self.put_on()
        return False


def change(window: QWidget, theme: Theme) -> None:
    """Let a window, and all that is opened later, wear a theme."""
    use(theme)
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    app.setPalette(palette(theme))
    for dress in window.findChildren(Dress):
        if dress.part.isVisible():
            dress.put_on()


@cache
def style_sheet(t: Theme) -> str:
    """Looks of what the palette does not say."""
    arrow = Path(str(files("bruto.app") / f"icons/down-{t.name}.svg")).as_posix()
    on_accent = Path(str(files("bruto.app") / f"icons/down-{DIM.name if t is LIGHT else LIGHT.name}.svg")).as_posix()
    tick = Path(str(files("bruto.app") / f"icons/tick-{t.name}.svg")).as_posix()
    return f"""
    QMainWindow, QWidget#panel, QScrollArea, QWidget#panelBody {{ background: {t.panel}; border: none; }}
    QWidget#rule {{ background: {t.line}; }}
    QWidget#bar {{ background: {t.bar}; border-bottom: 1px solid {t.line}; }}
    QDialog#question {{ background: {t.panel}; border: 1px solid {t.quiet}; }}
    QWidget#statusBar {{ background: {t.bar}; border-top: 1px solid {t.line}; }}
    QWidget#stageBar {{ background: {"#5C5C5C" if t.name == "light" else "#333333"}; }}
    Label {{ color: {t.ink}; }}
    Label#quiet {{ color: {t.quiet}; }}
    Label#factName {{ color: {t.quiet}; border: none; border-bottom: 1px solid {t.line}; padding: 2px 2px; }}
    Label#fact {{ border: none; border-bottom: 1px solid {t.line}; padding: 2px 2px; }}
    QFrame#row {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 5px; }}
    QFrame#row Label {{ border: none; background: transparent; }}
    QDialog#panel {{ background: {t.panel}; }}
    QTreeWidget {{ background: {t.raised}; border: 1px solid {t.line}; }}
    QTreeWidget::item {{ padding: 2px 0; }}
    QSlider::groove:horizontal {{ height: 4px; background: {t.track}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ width: 14px; margin: -6px 0; border-radius: 7px; background: {t.raised};
        border: 1px solid {t.ink}; }}
    QSlider {{ background: transparent; border: none; }}
    QSlider::handle:horizontal:focus {{ border: 2px solid {t.accent}; }}
    QPushButton:checked {{ border: 2px solid {t.accent}; padding: 3px 9px; font-weight: bold; }}
    Label#warning {{ color: {t.warning}; }}
    Label#good {{ color: {t.ink}; }}
    QPushButton#recent {{ text-align: left; min-height: 78px; }}
    QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {t.track}; border-radius: 3px;
        background: {t.raised}; }}
    QCheckBox::indicator:checked {{ background: {t.accent}; border-color: {t.accent}; image: url({tick}); }}
    QCheckBox {{ color: {t.ink}; min-height: 24px; background: transparent; border: 2px solid transparent; }}
    QCheckBox:focus {{ border: 2px solid {t.accent}; border-radius: 4px; }}
    Label#heading {{ font-weight: bold; font-size: 13px; }}
    Label#brand {{ font-weight: bold; font-size: 18px; }}
    Label#tag {{ background: {t.raised}; color: {t.ink}; font-weight: bold; padding: 3px 8px; border-radius: 2px; }}
    Label#onStage {{ color: #FFFFFF; }}
    QPushButton {{ color: {t.ink}; background: {t.raised}; border: 1px solid {t.track}; border-radius: 4px;
        padding: 4px 10px; min-height: 16px; }}
    QPushButton:hover {{ border-color: {t.accent}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; padding: 3px 9px; }}
    QPushButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
    QPushButton:pressed {{ background: {t.line}; }}
    QPushButton#primary {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: bold; }}
    QPushButton#primary:disabled {{ background: {t.panel}; color: {t.quiet}; border-color: {t.track}; }}
    QPushButton#inLine {{ padding: 2px 10px; min-height: 18px; }}
    QPushButton#inLine:focus {{ padding: 1px 9px; }}
    QPushButton#take {{ background: transparent; border: none; color: {t.suggestion}; font-weight: bold;
        padding: 2px 4px; min-height: 20px; text-align: right; }}
    QWidget#ledgerRow {{ background: transparent; }}
    QPushButton#take:checked {{ background: {t.suggestion}; color: {t.raised}; border-radius: 4px; }}
    QPushButton#take:hover {{ text-decoration: underline; }}
    QPushButton#take:focus {{ border: 2px solid {t.accent}; border-radius: 4px; padding: 0 2px; }}
    QPushButton#fold {{ background: transparent; border: 1px solid transparent; text-align: left; font-weight: bold;
        padding: 4px 4px; }}
    QPushButton#fold:hover {{ color: {t.accent}; border-color: {t.line}; }}
    QPushButton#fold:focus {{ border: 2px solid {t.accent}; padding: 3px 3px; }}
    QPushButton#bypass {{ color: {t.ink}; padding: 2px 8px; min-width: 22px; min-height: 18px; }}
    QPushButton#bypass:checked {{ color: {t.ink}; border: 1px solid {t.track}; padding: 2px 8px; font-weight: normal; }}
    QPushButton#bypass:!checked {{ border: 1px solid {t.warning}; color: {t.warning}; }}
    QCheckBox#rowUsed {{ spacing: 6px; min-height: 24px; color: {t.ink}; background: transparent; }}
    QCheckBox#rowUsed:checked {{ color: {t.ink}; }}
    QCheckBox#rowUsed:!checked {{ color: {t.warning}; }}
    QCheckBox#rowUsed::indicator {{ width: 9px; height: 9px; border: 1px solid {t.quiet}; border-radius: 2px; }}
    QCheckBox#rowUsed::indicator:checked {{ background: {t.quiet}; }}
    QCheckBox#rowUsed::indicator:!checked {{ border-color: {t.warning}; background: transparent; }}
    QCheckBox#rowUsed:focus {{ border: 2px solid {t.accent}; border-radius: 4px; }}
    QPushButton#bypass:focus, QPushButton#bypass:checked:focus {{ border: 2px solid {t.accent}; padding: 1px 7px; }}
    QPushButton#icon {{ background: transparent; border: 1px solid transparent; padding: 0; min-width: 24px;
        min-height: 22px; font-size: 15px; color: {t.quiet}; }}
    QPushButton#icon:hover {{ color: {t.accent}; border-color: {t.line}; }}
    QPushButton#icon:focus {{ border: 2px solid {t.accent}; }}
    QPushButton#task {{ background: transparent; border: none; border-bottom: 3px solid transparent;
        border-radius: 0; padding: 11px 14px 8px 14px; color: {t.quiet}; font-size: 13px; }}
    QPushButton#task:checked {{ color: {t.accent}; font-weight: bold; border-bottom: 3px solid {t.accent}; }}
    QPushButton#task:focus {{ border: 2px solid {t.accent}; border-radius: 4px; padding: 9px 12px 9px 12px; }}
    QPushButton#verdict {{ background: transparent; color: #FFFFFF; border: 1px solid #C9C9C9; padding: 0; }}
    QPushButton#verdict:hover {{ border: 1px solid #FFFFFF; background: #7A7A7A; }}
    QPushButton#verdict:checked {{ background: {t.raised if t.name == "light" else t.ink};
        color: {t.ink if t.name == "light" else t.panel}; }}
    QPushButton#verdict:focus {{ border: 2px solid #FFFFFF; }}
    QPushButton#verdict:checked:focus {{ border: 2px solid {t.accent if t.name == "light" else "#0B5E55"}; }}
    QPushButton#onStage {{ background: transparent; color: #FFFFFF; border: 1px solid #C9C9C9; padding: 3px 5px; }}
    QPushButton#onStage[tight="true"] {{ padding: 3px 2px; }}
    QPushButton#onStage:hover {{ border: 1px solid #FFFFFF; background: #7A7A7A; }}
    QPushButton#onStage:checked {{ background: {t.raised if t.name == "light" else t.ink};
        color: {t.ink if t.name == "light" else t.panel}; font-weight: bold; }}
    QPushButton#onStage:focus {{ border: 2px solid #FFFFFF; padding: 2px 4px; }}
    QPushButton#onStage:checked:focus {{ border: 2px solid {t.accent if t.name == "light" else "#0B5E55"}; }}
    QPushButton#take:disabled {{ color: {t.quiet}; font-weight: normal; text-decoration: none; }}
    QPushButton#onStage:disabled {{ color: #B5B5B5; border-color: #8A8A8A; }}
    QWidget#row {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 5px; }}
    QDoubleSpinBox, QSpinBox, QDateEdit, QComboBox, QLineEdit, QPlainTextEdit {{
        background: {t.raised};
        border: 1px solid {t.track};
        border-radius: 4px; padding: 3px 6px; min-height: 18px;
        selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
    QDoubleSpinBox#value {{ background: transparent; border: 1px solid transparent;
        padding: 1px 2px; }}
    QDoubleSpinBox#value:hover {{ border-color: {t.track}; }}
    QDoubleSpinBox:focus, QDateEdit:focus, QComboBox:focus, QLineEdit:focus, QPlainTextEdit:focus {{
        border: 2px solid {t.accent};
        padding: 2px 5px; }}
    QDoubleSpinBox#value:focus {{ border: 2px solid {t.accent}; padding: 0 1px; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; selection-background-color: {t.accent};
        selection-color: {t.on_accent}; }}
    QComboBox::drop-down, QDateEdit::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow, QDateEdit::down-arrow {{ image: url({arrow}); width: 10px; height: 6px; margin-right: 8px; }}
    QPushButton::menu-indicator {{ image: url({arrow}); width: 10px; height: 6px; subcontrol-origin: padding;
        subcontrol-position: right center; right: 8px; }}
    QPushButton#primary::menu-indicator {{ image: url({on_accent}); }}
    QPushButton#onStage::menu-indicator {{ image: none; width: 0; }}
    QProgressBar {{ background: {t.track}; border: none; border-radius: 3px; height: 8px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
    QScrollBar:vertical {{ background: {t.panel}; width: 10px; }}
    QScrollBar::handle:vertical {{ background: {t.track}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px; }}
    QMenu::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
    QListView {{ background: {t.panel}; border: none; outline: none; }}
    QListWidget {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 4px; padding: 3px; }}
    QListWidget::item {{ padding: 4px 6px; }}
    QListWidget::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QTableWidget {{ background: {t.panel}; border: none; gridline-color: {t.line}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.line};
        padding: 4px; }}
    """

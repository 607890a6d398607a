"""Starting the application."""

from __future__ import annotations

import ctypes
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QBuffer, QIODevice, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication

from bruto.app.demo_day import DEMO_TITLE, NIGHT_TITLE, demo_folder
from bruto.app.memory import give_back_memory
from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.container.provenance import SOFTWARE
from bruto.error_log import unexpected
from bruto.errors import BrutoError
from bruto.output_planner import Outputs
from bruto.storage.atomic_write import write_new
from bruto.storage.temporary_files import clean_leftovers

USUAL_SIZE = (1280, 800)
"""Of the window, pixels, where the screen has room for it."""


def check_display() -> None:
    """Raises `BrutoError` where no window can be shown: the library would end the process with a page of its own."""
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    if QApplication.instance() is not None or platform.partition(":")[0] not in ("", "xcb", "wayland"):
        return
    if os.environ.get("WAYLAND_DISPLAY") and platform != "xcb":
        return
    name = os.environ.get("DISPLAY", "")
    if not name:
        raise BrutoError(
            tr(
                "There is no display to open a window on. Use the command line instead, for example: bruto develop "
                "--help"
            )
        )
    try:
        library = ctypes.CDLL("libxcb.so.1")
        library.xcb_connect.restype = ctypes.c_void_p
        connection = ctypes.c_void_p(library.xcb_connect(name.encode(), None))
        failed = library.xcb_connection_has_error(connection)
        library.xcb_disconnect(connection)
    except (OSError, AttributeError):
        return
    if failed:
        raise BrutoError(tr("The display {name} cannot be opened. Check DISPLAY and your access to it.", name=name))


def application() -> QApplication:
    """The one QApplication, with fonts and style. Raises `BrutoError` where there is no display."""
    check_display()
    give_back_memory()
    app = QApplication.instance() or QApplication(["bruto"])
    assert isinstance(app, QApplication)
    app.setApplicationName("Bruto")
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setFont(theme.font(12))
    app.setPalette(theme.palette(theme.current()))
    return app


def run(
    paths: list[str],
    title: str = "",
    size: tuple[int, int] | None = None,
    screenshot: Path | None = None,
    started: float | None = None,
    demo: bool = False,
    night: bool = False,
) -> int:
    """Open the window on paths; with `screenshot`, save a picture of it once the first shot is developed, and close.

    `demo`: the paths are the folder of the demo's day, or its `night`, into which the simulated phone goes on shooting.
    """
    started = started or time.perf_counter()
    app = application()
    clean_leftovers()
    from bruto.app.window import Window  # the heavy imports come behind the splash of the platform

    window = Window()
    report_unexpected(window.say)
    known = window.session.settings
    available = app.primaryScreen().availableGeometry()
    wanted = size or known.size or USUAL_SIZE
    fitting = min(wanted[0], available.width()), min(wanted[1], available.height())
    window.resize(*(wanted if size and screenshot else fitting))
    window.showMaximized() if size is None and known.maximised else window.show()

    def begin() -> None:
        if paths:
            window.open_shoot(list(paths), title)
        if demo:
            window.opener.shoot_demo(Path(paths[0]), night)

    QTimer.singleShot(0, begin)
    if screenshot is not None:
        _picture_when_ready(app, window, screenshot, started)
    return app.exec()


def report_unexpected(say: Callable[[str], None]) -> None:
    """Defects of ours in answers to the mouse and the keyboard become a message; the trace goes into the log."""

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
        elif isinstance(error, BrutoError) or isinstance(error.__cause__, BrutoError):  # models pass it on wrapped
            say(str(error if isinstance(error, BrutoError) else error.__cause__))
        else:
            say(unexpected(error, "answering"))

    sys.excepthook = tell


def _picture_when_ready(app: QApplication, window: object, path: Path, started: float) -> None:
    usable: list[float] = []

    def ready() -> None:
        if not usable:
            usable.append(time.perf_counter() - started)

    def check() -> None:
        quiet = usable and window.worker.idle()  # type: ignore[attr-defined]
        if quiet:
            _save_picture(window.grab().toImage(), path)  # type: ignore[attr-defined]
            sys.stdout.write(f"window usable after {usable[0]:.1f} s; screenshot: {path.resolve()}\n")
            sys.stdout.flush()
            window.close()  # type: ignore[attr-defined]
            app.quit()

    window.correct.ready.connect(ready)  # type: ignore[attr-defined]
    timer = QTimer(app)
    timer.timeout.connect(check)
    timer.start(300)


def _save_picture(picture: QImage, path: Path) -> None:
    """A picture of the window as PNG; an older one is replaced, nothing else is."""
    data = QBuffer()
    data.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.setText("Software", SOFTWARE)
    picture.save(data, "PNG")  # type: ignore[call-overload]
    try:
        write_new(Outputs(overwrite=True).file(path), bytes(data.data().data()))
    except BrutoError as error:
        sys.stderr.write(f"bruto: {error}\n")


def run_demo(size: str, screenshot: Path | None, night: bool = False) -> int:
    """Open the demo shoot; on a new machine as soon as its first shot is taken, the others follow behind the window."""
    started = time.perf_counter()
    check_display()
    if screenshot is not None:
        if screenshot.suffix.lower() != ".png":
            raise BrutoError(
                tr("A screenshot is saved as PNG: choose a name that ends in .png, not '{name}'.", name=screenshot.name)
            )
        Outputs(overwrite=True).file(screenshot)  # refused before, not after the work
    from bruto.simphone.demo import make_demo

    try:
        width, height = (int(v) for v in size.lower().split("x"))
    except ValueError:
        raise BrutoError(
            tr("Give the window size as WIDTHxHEIGHT, for example 1280x800, not '{size}'.", size=size)
        ) from None

    def say(share: float, text: str) -> None:
        if text:
            sys.stderr.write(f"the simulated phone takes its first shot: {text}\n")

    folder = make_demo(demo_folder(night), say, only_first=True, night=night)
    title = NIGHT_TITLE if night else DEMO_TITLE
    return run([str(folder)], title, (width, height), screenshot, started, demo=True, night=night)

"""Pages that people print or keep: templates filled with texts, which are escaped; pictures and typeface inside them.

Nothing of a page is fetched from anywhere.
"""

from __future__ import annotations

import base64
from collections.abc import Callable
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bruto.catalog import tr
from bruto.errors import BrutoError
from bruto.storage.atomic_write import Target, write_new

QUALITY = 90
"""Of pictures inside a page, JPEG."""
Printer = Callable[[str, Target | str | Path], None]
"""Prints HTML as PDF."""


@cache
def _environment() -> Any:
    from jinja2 import Environment, PackageLoader, StrictUndefined  # a tenth of a second: no start waits for it

    made = Environment(loader=PackageLoader("bruto"), autoescape=True, undefined=StrictUndefined)
    made.globals["tr"] = tr
    return made


@cache
def _font() -> str:
    """Our typeface, to be put into a page."""
    return base64.b64encode((files("bruto.app") / "fonts/B612-Regular.otf").read_bytes()).decode()


def page(template: str, embed_font: bool = True, **values: Any) -> str:
    """Fill a template.

    Parameters
    ----------
    template
        Name of a file in `templates`.
    embed_font
        Whether our typeface is put into the page, for readers that do not have it.
    **values
        What the template asks for; every text is shown as it is, never as markup.

    Returns
    -------
    str
        HTML.
    """
    return str(_environment().get_template(template).render(font=_font() if embed_font else "", **values)) + "\n"


def image(picture: NDArray[np.uint8], width: int) -> Any:
    """Return a picture as it stands inside a page.

    Parameters
    ----------
    picture
        Picture (H, W, 3), 8-bit sRGB codes.
    width
        Width at most, pixels.

    Returns
    -------
    Any
        Markup, which a template does not escape.
    """
    import cv2
    from markupsafe import Markup

    scale = width / picture.shape[1]
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    _, data = cv2.imencode(".jpg", np.ascontiguousarray(picture[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    code = base64.b64encode(data.tobytes()).decode()
    h, w = picture.shape[:2]
    return Markup('<img width="{}" height="{}" src="data:image/jpeg;base64,{}">').format(w, h, code)


def write_page(
    target: Target | str | Path, html: Callable[[bool], str], numbers: Callable[[], str], printed: Printer | None = None
) -> None:
    """Write a page as the file's name says: HTML, PDF, or its numbers as CSV.

    Parameters
    ----------
    target
        File to write, from the output planner.
    html
        Makes the page, with the typeface in it or without.
    numbers
        Makes the CSV.
    printed
        Prints HTML as PDF; None where there is no printer.

    Raises
    ------
    BrutoError
        Where it cannot be written; nothing is half-written.
    """
    suffix = (target.path if isinstance(target, Target) else Path(target)).suffix.lower()
    if suffix == ".csv":
        write_new(target, numbers().encode())
    elif suffix == ".pdf":
        if printed is None:
            raise BrutoError(tr("A PDF needs a page printer, which is not available here."))
        printed(html(False), target)
    else:
        write_new(target, html(True).encode())

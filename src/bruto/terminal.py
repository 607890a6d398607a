"""What the command line writes: JSON, one line of text, progress."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import Any


def print_json(data: dict[str, Any]) -> None:
    """Print data as JSON for scripts; characters that the terminal cannot show are escaped.

    Parameters
    ----------
    data
        Decoded JSON.
    """

    def plain(value: Any) -> Any:
        if hasattr(value, "tolist"):
            return value.tolist()
        if isinstance(value, Path):
            return str(value)
        raise TypeError(type(value).__name__)

    text = json.dumps(data, default=plain, ensure_ascii=False, allow_nan=False)
    try:
        text.encode(sys.stdout.encoding or "utf-8")
    except UnicodeEncodeError:  # names that are no UTF-8, or a terminal that is not
        text = json.dumps(data, default=plain, allow_nan=False)
    sys.stdout.write(text + "\n")


def shown(text: str) -> str:
    """Return a text on one line of the terminal.

    What it holds of control signs or of bytes that are no letters is spelt.

    Parameters
    ----------
    text
        Text to read.

    Returns
    -------
    str
        A text on one line of the terminal.
    """
    plain = "".join(c if c.isprintable() else c.encode("unicode_escape", "surrogatepass").decode() for c in text)
    encoding = sys.stdout.encoding or "utf-8"
    return plain.encode(encoding, "backslashreplace").decode(encoding)


def say(text: str) -> None:
    """Write a line for people to stderr; stdout is kept for results.

    Parameters
    ----------
    text
        The line, without its end.
    """
    sys.stderr.write(shown(text) + "\n")


class ProgressLine:
    """Progress on stderr: one line that rewrites itself on a terminal, silence elsewhere."""

    def __init__(self) -> None:
        self._shown = 0.0

    def __call__(self, share: float, text: str = "") -> None:
        """Show a share, 0 to 1, and what is being done."""
        now = time.monotonic()
        if sys.stderr.isatty() and (now - self._shown > 0.1 or share >= 1):
            self._shown = now
            sys.stderr.write(f"\r{share * 100:3.0f} % {text[:60]:60}" + ("\n" if share >= 1 else ""))
            sys.stderr.flush()

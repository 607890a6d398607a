"""The catalogue of everything that users read: one look-up for the window, the command line, reports and messages.

A text stands in the code as a template in English with named parts, `tr("ISO {iso:g}", iso=iso)`. The language of the
user is looked up in GNU gettext catalogues (`locale/LANGUAGE/LC_MESSAGES/bruto.mo`), and parts are formatted by one
formatter, so that numbers carry the signs of that language. `tools/texts.py` lists every template.
"""

from __future__ import annotations

import gettext
import os
import re
import string
from collections.abc import Callable
from functools import cache, reduce
from pathlib import Path
from typing import Any

DOMAIN = "bruto"
FOLDER = Path(__file__).parent / "locale"
"""Where translations lie; English needs none."""
LANGUAGE_VARIABLE = "BRUTO_LANGUAGE"
"""Environment variable that names a language, else the usual ones of gettext do."""
PSEUDO = "pseudo"
"""A language for tests: accented letters, 40 % longer, in brackets; what is cut or was never looked up shows at
once."""
DECIMAL_SIGNS = {"de": ",", "es": ",", "fr": ",", "it": ",", "pt": ",", "nl": ",", "pl": ",", "sv": ","}
"""Decimal signs of languages that do not use a point (Unicode CLDR)."""
MINUS = "\N{MINUS SIGN}"
_ACCENTS = str.maketrans("aceinouyACEINOUY", "áçéíñóúýÁÇÉÍÑÓÚÝ")
_PADDING = " åöüßÄÖÜñé"


class _Formatter(string.Formatter):
    """Formats numbers with a true minus sign and the decimal sign of the language; everything else as Python does."""

    def __init__(self, decimal_sign: str) -> None:
        self.decimal_sign = decimal_sign

    def format_field(self, value: Any, format_spec: str) -> Any:
        text = super().format_field(value, format_spec)
        if isinstance(value, bool | str) or not isinstance(text, str):
            return text
        if isinstance(value, int | float) or hasattr(value, "dtype"):
            text = text.replace("-", MINUS, 1) if text.startswith("-") else text
            if self.decimal_sign != ".":
                text = text.replace(".", self.decimal_sign)
        return text


class _Pseudo(gettext.NullTranslations):
    """Stands for a translation in tests."""

    def gettext(self, message: str) -> str:
        return pseudo(message)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return pseudo(msgid1 if n == 1 else msgid2)


def pseudo(message: str) -> str:
    """Translate a template into the language of tests; the names of its parts stay.

    Parameters
    ----------
    message
        Template with named parts.

    Returns
    -------
    str
        Text for people, "" where there is none.

    Examples
    --------
    >>> pseudo("Merge {n} frames")
    '⟦Mérgé {n} frámés åö⟧'
    """
    out, length = [], 0
    # names in double braces are filled in later: they stay as they are too
    guarded = re.sub(r"\{\{(\w+)\}\}", "\x00\\1\x01", message)
    for literal, name, spec, conversion in string.Formatter().parse(guarded):
        for part in re.split("(\x00\\w+\x01)", literal):
            shown = part if part.startswith("\x00") else part.translate(_ACCENTS)
            out.append(shown.replace("{", "{{").replace("}", "}}").replace("\x00", "{{").replace("\x01", "}}"))
        length += len(literal)
        if name is not None:
            out.append("{" + name + (f"!{conversion}" if conversion else "") + (f":{spec}" if spec else "") + "}")
    extra = round(0.4 * length)
    padding = (_PADDING * (extra // len(_PADDING) + 1))[: max(0, extra - 2)]
    return "⟦" + "".join(out) + padding.rstrip() + "⟧"


@cache
def _language() -> tuple[gettext.NullTranslations, _Formatter]:
    """Return the translations and the formatter of the user's language, found once."""
    wanted = os.environ.get(LANGUAGE_VARIABLE, "")
    if wanted == PSEUDO:
        return _Pseudo(), _Formatter(".")
    found = gettext.translation(DOMAIN, FOLDER, [wanted] if wanted else None, fallback=True)
    code = found.info().get("language", "en")[:2]
    return found, _Formatter(DECIMAL_SIGNS.get(code, "."))


def tr(message: str, **parts: Any) -> str:
    """Look up a text and fill in its parts.

    Parameters
    ----------
    message
        The template in English, a literal, so that `tools/texts.py` finds it. Its parts are named in braces, with
        their format: ``"{blur_px:.1f} px"``.
    **parts
        What stands in the braces. Numbers get a true minus sign and the decimal sign of the language. Without parts
        the template is returned as it is, braces and all, for whoever fills it in later.

    Returns
    -------
    str
        The text in the user's language.

    Examples
    --------
    >>> tr("Change the exposure by {ev:+.1f} EV.", ev=-0.5)
    'Change the exposure by −0.5 EV.'
    """
    translations, formatter = _language()
    text = translations.gettext(message)
    return formatter.vformat(text, (), parts) if parts else text


def trn(one: str, many: str, /, **parts: Any) -> str:
    """Look up a text that counts something, in the form that the number asks for.

    Parameters
    ----------
    one, many
        The templates in English for one and for any other number.
    **parts
        What stands in the braces; the first of them is the number that counts.

    Returns
    -------
    str
        The text in the user's language.

    Examples
    --------
    >>> trn("{count} shot", "{count} shots", count=1), trn("{count} shot", "{count} shots", count=3)
    ('1 shot', '3 shots')
    """
    translations, formatter = _language()
    text = translations.ngettext(one, many, int(next(iter(parts.values()))))
    return formatter.vformat(text, (), parts)


def _joined(parts: tuple[str, ...], join: Callable[[str, str], str]) -> str:
    there = [p for p in parts if p]
    return reduce(join, there) if there else ""


def sentences(*parts: str) -> str:
    """Set whole sentences one after the other.

    Parameters
    ----------
    *parts
        Sentences in the user's language; what is "" is left out.

    Returns
    -------
    str
        The text in the user's language.

    Examples
    --------
    >>> sentences("All frames look good.", "", "Nothing was deleted.")
    'All frames look good. Nothing was deleted.'
    """
    return _joined(parts, lambda text, part: tr("{text} {part}", text=text, part=part))


def clauses(*parts: str) -> str:
    """Join what makes one sentence together by semicolons.

    Parameters
    ----------
    *parts
        Clauses in the user's language; what is "" is left out.

    Returns
    -------
    str
        The text in the user's language.

    Examples
    --------
    >>> clauses("40 MB", "a raw takes 4.1 times its picture")
    '40 MB; a raw takes 4.1 times its picture'
    """
    return _joined(parts, lambda text, part: tr("{text}; {part}", text=text, part=part))


def items(*parts: str) -> str:
    """Join the items of a list by commas.

    Parameters
    ----------
    *parts
        Words in the user's language; what is "" is left out.

    Returns
    -------
    str
        The text in the user's language.

    Examples
    --------
    >>> items("26 mm", "", "on a tripod")
    '26 mm, on a tripod'
    """
    return _joined(parts, lambda text, part: tr("{text}, {part}", text=text, part=part))

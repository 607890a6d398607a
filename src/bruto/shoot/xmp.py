"""Ratings and captions as standard XMP beside the raw (`NAME.xmp`), so that other programs know them.

ISO 16684-1; `xmp:Rating` is -1 for rejected and 0 to 5 otherwise, `dc:description` holds the note in the language
"x-default". What other programs wrote stays byte for byte: a value of ours is put into its place in the text, and the
rest of the file is not written anew.
"""

from __future__ import annotations

import math
import re
import xml.parsers.expat
from dataclasses import dataclass, field
from html import escape
from pathlib import Path

from bruto.catalog import tr
from bruto.errors import FileProblem
from bruto.storage.atomic_write import write_own
from bruto.storage.file_names import identity
from bruto.storage.safe_read import read_bounded

RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
XMP = "http://ns.adobe.com/xap/1.0/"
DC = "http://purl.org/dc/elements/1.1/"
"""Namespaces of the standard (ISO 16684-1, section 8)."""
_XML = "http://www.w3.org/XML/1998/namespace"
MAX_BYTES = 8 << 20
DEEPEST = 200
FRESH = (
    b"<?xml version='1.0' encoding='UTF-8'?>\n"
    b'<x:xmpmeta xmlns:x="adobe:ns:meta/">\n'
    b' <rdf:RDF xmlns:rdf="' + RDF.encode() + b'">\n'
    b'  <rdf:Description rdf:about=""/>\n'
    b" </rdf:RDF>\n"
    b"</x:xmpmeta>\n"
)
_DEFAULT_LANGUAGE = "x-default"
_ILLEGAL = re.compile("[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
"""What no XML text may hold (XML 1.0, section 2.2)."""


@dataclass(frozen=True)
class Rating:
    """A rating as other programs read it."""

    stars: int = 0
    """-1 rejected, 0 not rated, 1 to 5."""
    note: str = ""
    """The caption."""


def xmp_path(original: str | Path) -> Path:
    """Where the XMP of a file lies."""
    return Path(original).with_suffix(".xmp")


@dataclass
class _Element:
    """One element: its name as (namespace, local), place of its start tag, of its content and of its end in bytes."""

    name: tuple[str, str]
    start: int
    attributes: dict[str, str]
    prefixes: dict[str, str]
    parent: _Element | None
    inside: int = 0
    close: int = 0
    end: int = 0
    text: str = ""
    children: list[_Element] = field(default_factory=list)

    @property
    def empty_tag(self) -> bool:
        """Whether it is written as one tag, <like this/>."""
        return self.close == self.inside == self.end

    def value_of(self, namespace: str, local: str) -> tuple[str, str] | None:
        """Name as written and value of an attribute of a namespace."""
        for written, value in self.attributes.items():
            prefix, _, name = written.rpartition(":")
            if name == local and prefix and self.prefixes.get(prefix) == namespace:
                return written, value
        return None

    def prefix_of(self, namespace: str) -> str | None:
        """Return a prefix that stands for a namespace here."""
        return next((p for p, uri in self.prefixes.items() if p and uri == namespace), None)


class _Document:
    """The elements of an XMP file with their places in its bytes."""

    def __init__(self, data: bytes, path: Path) -> None:
        self.data, self.path = data, path
        self.elements: list[_Element] = []
        if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
            raise FileProblem(tr("{path} is not a plain XMP file and is left unchanged.", path=path))
        parser = xml.parsers.expat.ParserCreate()
        parser.ordered_attributes = True
        stack: list[_Element] = []

        def start(name: str, pairs: list[str]) -> None:
            if len(stack) > DEEPEST:
                raise FileProblem(tr("{path} is nested too deeply to be real and is left unchanged.", path=path))
            attributes = dict(zip(pairs[0::2], pairs[1::2], strict=True))
            prefixes = dict(stack[-1].prefixes) if stack else {"xml": _XML}
            for written, value in attributes.items():
                if written == "xmlns":
                    prefixes[""] = value
                elif written.startswith("xmlns:"):
                    prefixes[written[6:]] = value
            prefix, _, local = name.rpartition(":")
            at = parser.CurrentByteIndex
            item = _Element(
                (prefixes.get(prefix, ""), local), at, attributes, prefixes, stack[-1] if stack else None,
                inside=_tag_end(data, at),
            )  # fmt: skip
            if stack:
                stack[-1].children.append(item)
            self.elements.append(item)
            stack.append(item)

        def end(_: str) -> None:
            item = stack.pop()
            item.close = parser.CurrentByteIndex
            if data[item.inside - 2 : item.inside] == b"/>":  # one tag: expat tells the place of its start or its end
                item.close = item.end = item.inside
            else:
                item.end = _tag_end(data, item.close)

        def text(content: str) -> None:
            if stack:
                stack[-1].text += content

        parser.StartElementHandler, parser.EndElementHandler, parser.CharacterDataHandler = start, end, text
        try:
            parser.Parse(data, True)
        except xml.parsers.expat.ExpatError as error:
            raise FileProblem(
                tr("{path} is damaged from line {lineno} on and is left unchanged.", path=path, lineno=error.lineno)
            ) from error
        except ValueError as error:
            raise FileProblem(tr("{path} has an unknown form and is left unchanged.", path=path)) from error

    def descriptions(self) -> list[_Element]:
        """Top-level rdf:Description elements."""
        found = [e for e in self.elements if e.name == (RDF, "Description")]
        return [e for e in found if e.parent is None or e.parent.name == (RDF, "RDF")]

    def rating(self) -> tuple[_Element, str, str] | None:
        """Where the rating stands: the element, the attribute's name ("" for an element of its own) and its text."""
        for block in self.descriptions():
            found = block.value_of(XMP, "Rating")
            if found is not None:
                return block, *found
            for child in block.children:
                if child.name == (XMP, "Rating"):
                    return child, "", child.text
        return None

    def alternatives(self) -> _Element | None:
        """Return the rdf:Alt of the caption's languages."""
        for block in self.descriptions():
            for child in block.children:
                if child.name == (DC, "description"):
                    return next((c for c in child.children if c.name == (RDF, "Alt")), None)
        return None

    def caption(self) -> _Element | None:
        """Return the caption in the default language."""
        alternatives = self.alternatives()
        for item in alternatives.children if alternatives is not None else []:
            language = item.value_of(_XML, "lang")
            if item.name == (RDF, "li") and language is not None and language[1].lower() == _DEFAULT_LANGUAGE:
                return item
        return None


def _tag_end(data: bytes, at: int) -> int:
    """Place behind the tag that begins at `at`; a ">" within quotes ends none."""
    quote = 0
    for k in range(at, len(data)):
        c = data[k]
        if quote:
            quote = 0 if c == quote else quote
        elif c in (0x22, 0x27):
            quote = c
        elif c == 0x3E:
            return k + 1
    return len(data)


def _read(original: str | Path) -> _Document | None:
    """Return the document, or None where there is none; raises `FileProblem` where it cannot be read or is damaged."""
    path = xmp_path(original)
    try:
        if identity(path) is None:
            return None
    except OSError as error:
        raise FileProblem(tr("{path} cannot be read: {strerror}.", path=path, strerror=error.strerror)) from error
    data = read_bounded(path, MAX_BYTES)
    if data[:2] in (b"\xff\xfe", b"\xfe\xff") or (b"encoding" in data[:100] and b"utf-8" not in data[:100].lower()):
        raise FileProblem(tr("{path} is not written in UTF-8 and is left unchanged.", path=path))
    return _Document(data, path)


def _stars(text: str) -> int | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return max(-1, min(5, round(value))) if math.isfinite(value) else None


def read_rating(original: str | Path) -> Rating | None:
    """Read the rating beside a file, or None where there is none or it cannot be read; never raises.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.

    Returns
    -------
    Rating | None
        The rating beside a file, or None where there is none or it cannot be read.
    """
    try:
        document = _read(original)
    except FileProblem:
        return None
    if document is None:
        return None
    found, caption = document.rating(), document.caption()
    stars = _stars(found[2]) if found is not None else None
    note = caption.text.strip() if caption is not None else ""
    return Rating(stars or 0, note) if stars is not None or note else None


def write_rating(original: str | Path, *, stars: int | None = None, note: str | None = None) -> Path:
    """Write what is given into the XMP beside a file and leave all the rest.

    Parameters
    ----------
    original
        The raw or picture that the sidecar belongs to.
    stars
        Stars by their directions.
    note
        Note for people.

    Returns
    -------
    Path
        Path of the file.

    Raises
    ------
    FileProblem
        Where it cannot be written or is damaged.
    """
    path = xmp_path(original)
    document = _read(original) or _Document(FRESH, path)
    note = None if note is None else _ILLEGAL.sub(" ", note)
    if stars is not None:
        document = _Document(_with_rating(document, stars), path)
    if note is not None:
        document = _Document(_with_caption(document, note), path)
    write_own(path, document.data)
    return path


def _block(document: _Document) -> _Element:
    found = document.descriptions()
    if not found:
        raise FileProblem(tr("{path} contains no description and is left unchanged.", path=document.path))
    return found[0]


def _named(block: _Element, namespace: str, usual: str) -> tuple[str, str]:
    """Return a prefix for a namespace at an element, and its declaration where there is none yet."""
    known = block.prefix_of(namespace)
    if known:
        return known, ""
    prefix = usual
    while prefix in block.prefixes:
        prefix += "b"
    return prefix, f' xmlns:{prefix}="{namespace}"'


def _with_rating(document: _Document, stars: int) -> bytes:
    data, found = document.data, document.rating()
    value = str(stars)
    if found is not None and found[1]:
        block, written, _ = found
        tag = data[block.start : block.inside]
        at = _attribute(tag, written.encode())
        if at is not None:
            return data[: block.start + at[0]] + value.encode() + data[block.start + at[1] :]
    if found is not None and not found[1] and not found[0].empty_tag:
        return data[: found[0].inside] + value.encode() + data[found[0].close :]
    block = _block(document)
    prefix, declaration = _named(block, XMP, "xmp")
    return _with_attributes(data, block, f'{declaration} {prefix}:Rating="{value}"')


def _attribute(tag: bytes, name: bytes) -> tuple[int, int] | None:
    """Where the value of an attribute stands in a start tag."""
    at, k = 0, 0
    while k < len(tag):
        if tag[k] in (0x22, 0x27):
            end = tag.index(tag[k : k + 1], k + 1)
            words = tag[at:k].rstrip(b" \t\r\n=").split()
            if words and words[-1] == name:
                return k + 1, end
            k = at = end + 1
        else:
            k += 1
    return None


def _with_attributes(data: bytes, element: _Element, text: str) -> bytes:
    """More attributes at the end of a start tag."""
    at = element.inside - (2 if element.empty_tag else 1)
    return data[:at].rstrip() + text.encode() + data[at:]


def _with_caption(document: _Document, note: str) -> bytes:
    data, caption, alternatives = document.data, document.caption(), document.alternatives()
    if caption is not None:
        if note and not caption.empty_tag:
            return data[: caption.inside] + escape(note, quote=False).encode() + data[caption.close :]
        return data[: caption.start] + (_li(caption, note) if note else b"") + data[caption.end :]
    if not note:
        return data
    if alternatives is not None and not alternatives.empty_tag:
        return data[: alternatives.inside] + _li(alternatives, note) + data[alternatives.inside :]
    if any(c.name == (DC, "description") for b in document.descriptions() for c in b.children):
        raise FileProblem(tr("{path} contains a caption in an unknown form and is left unchanged.", path=document.path))
    block = _block(document)
    dc, declare_dc = _named(block, DC, "dc")
    rdf, declare_rdf = _named(block, RDF, "rdf")
    item = f'<{rdf}:li xml:lang="{_DEFAULT_LANGUAGE}">{escape(note, quote=False)}</{rdf}:li>'
    body = f"<{dc}:description{declare_dc}{declare_rdf}><{rdf}:Alt>{item}</{rdf}:Alt></{dc}:description>".encode()
    if not block.empty_tag:
        return data[: block.inside] + body + data[block.inside :]
    name = data[block.start + 1 : block.inside].split()[0].rstrip(b"/>")
    head = data[block.start : block.inside - 2].rstrip() + b">"
    return data[: block.start] + head + body + b"</" + name + b">" + data[block.inside :]


def _li(near: _Element, note: str) -> bytes:
    rdf = near.prefix_of(RDF) or "rdf"
    return f'<{rdf}:li xml:lang="{_DEFAULT_LANGUAGE}">{escape(note, quote=False)}</{rdf}:li>'.encode()

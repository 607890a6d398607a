"""Ratings and captions as standard XMP beside the raw (`NAME.xmp`), so that other programs know them.

ISO 16684-1; `xmp:Rating` is -1 for rejected and 0 to 5 otherwise, `dc:description` holds the note. What other programs
wrote into the file stays as it is.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from dataclasses import dataclass
from pathlib import Path

from bruto.errors import FileProblem
from bruto.files import write_bytes

NS = {
    "x": "adobe:ns:meta/",
    "rdf": "http://www.w3.org/1999/02/22-rdf-syntax-ns#",
    "xmp": "http://ns.adobe.com/xap/1.0/",
    "dc": "http://purl.org/dc/elements/1.1/",
}
"""Namespaces of the standard (ISO 16684-1, section 8)."""
RATINGS = {"pick": 5, "reject": -1, "": 0}
MAX_BYTES = 8 << 20
_LANG = "{http://www.w3.org/XML/1998/namespace}lang"

for _prefix, _uri in NS.items():
    ET.register_namespace(_prefix, _uri)


@dataclass(frozen=True)
class Rating:
    """`stars`: -1 rejected, 0 not rated, 1 to 5; `note`: the caption."""

    stars: int = 0
    note: str = ""


def xmp_path(original: str | Path) -> Path:
    """Where the XMP of a file lies."""
    return Path(original).with_suffix(".xmp")


def _tag(name: str) -> str:
    prefix, local = name.split(":")
    return f"{{{NS[prefix]}}}{local}"


def _parsed(path: Path) -> ET.Element | None:
    """The document, or None where there is none; raises `FileProblem` where it cannot be read."""
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        return None
    except OSError as error:
        raise FileProblem(f"{path} cannot be read: {error.strerror}.") from error
    if len(data) > MAX_BYTES or b"<!ENTITY" in data or b"<!DOCTYPE" in data:
        raise FileProblem(f"{path} is no plain XMP file; it is left alone.")
    try:
        return ET.fromstring(data)
    except ET.ParseError as error:
        raise FileProblem(f"{path} is damaged ({error}); it is left alone.") from error


def read_rating(original: str | Path) -> Rating | None:
    """The rating beside a file, or None where there is none or it cannot be read."""
    try:
        root = _parsed(xmp_path(original))
    except FileProblem:
        return None
    if root is None:
        return None
    stars, note = None, ""
    for block in root.iter(_tag("rdf:Description")):
        value = block.get(_tag("xmp:Rating")) or block.findtext(_tag("xmp:Rating"))
        if value is not None:
            try:
                stars = max(-1, min(5, round(float(value))))
            except ValueError:
                continue
        found = block.find(f"{_tag('dc:description')}/{_tag('rdf:Alt')}/{_tag('rdf:li')}")
        if found is not None and found.text:
            note = found.text
    return Rating(stars or 0, note) if stars is not None or note else None


def write_rating(original: str | Path, rating: Rating) -> Path:
    """Write or change the XMP beside a file; raises `FileProblem` where it cannot be written or is damaged."""
    path = xmp_path(original)
    root = _parsed(path)
    if root is None:
        root = ET.Element(_tag("x:xmpmeta"))
        ET.SubElement(ET.SubElement(root, _tag("rdf:RDF")), _tag("rdf:Description"), {_tag("rdf:about"): ""})
    block = next(root.iter(_tag("rdf:Description")), None)
    if block is None:
        raise FileProblem(f"{path} holds no description; it is left alone.")
    for other in root.iter(_tag("rdf:Description")):
        other.attrib.pop(_tag("xmp:Rating"), None)
        for name in ("xmp:Rating", "dc:description"):
            for old in other.findall(_tag(name)):
                other.remove(old)
    block.set(_tag("xmp:Rating"), str(rating.stars))
    if rating.note:
        alt = ET.SubElement(ET.SubElement(block, _tag("dc:description")), _tag("rdf:Alt"))
        ET.SubElement(alt, _tag("rdf:li"), {_LANG: "x-default"}).text = rating.note
    write_bytes(path, b"<?xml version='1.0' encoding='UTF-8'?>\n" + ET.tostring(root, "utf-8") + b"\n")
    return path

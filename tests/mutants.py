"""Damaged and hostile variants of files: TIFF structures, bytes, JSON and XML."""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

NASTY_NUMBERS = (
    "1e999", "-1e999", "NaN", "Infinity", "1e308", "-1e308", "3.5e38", "1e-30", "0", "-0.0", "-1", "2147483648",
    "18446744073709551616", "9" * 400, "0.1e-400", "65536",
)  # fmt: skip


NASTY_VALUES = (
    "null", "true", '""', "[]", "{}", '"NaN"', '"<img src=\'/dev/zero\'>"', json.dumps("x" * 100_000), "[[[[]]]]",
    '{"a": {"b": 1}}', json.dumps("../../../etc/passwd"), json.dumps("\u0000\ud800"), "[1, 2]", '"/dev/zero"',
    "[" * 30 + "]" * 30, "[" * 5000 + "]" * 5000,
)  # fmt: skip


EXTREMES = (0, 1, 2, 7, 255, 65535, 65536, 2**31 - 1, 2**31, 2**32 - 1)


FLOATS = (0.0, -0.0, 1.0, -1.0, 1e-30, 1e30, 3e38, float("inf"), float("-inf"), float("nan"), 0.5, 65504.0)


def _entries(data: bytes) -> list[tuple[int, int, int, int, str]]:
    """(place, tag, type, count, byte order) of all directory entries that a walk finds."""
    if data[:2] not in (b"II", b"MM"):
        return []
    order = "<" if data[:2] == b"II" else ">"
    if struct.unpack_from(order + "H", data, 2)[0] != 42:
        return []
    todo, seen, found = [struct.unpack_from(order + "I", data, 4)[0]], set(), []
    while todo:
        at = todo.pop()
        if at in seen or not 8 <= at < len(data) - 2:
            continue
        seen.add(at)
        (count,) = struct.unpack_from(order + "H", data, at)
        if count > 500 or at + 6 + 12 * count > len(data):
            continue
        for k in range(count):
            place = at + 2 + 12 * k
            tag, kind, number = struct.unpack_from(order + "HHI", data, place)
            found.append((place, tag, kind, number, order))
            if tag in (330, 34665, 34853) and number < 50:
                where = struct.unpack_from(order + "I", data, place + 8)[0]
                if number == 1:
                    todo.append(where)
                elif where + 4 * number <= len(data):
                    todo += list(struct.unpack_from(f"{order}{number}I", data, where))
        todo.append(struct.unpack_from(order + "I", data, at + 2 + 12 * count)[0])
    return found


_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}


def mutated_tiff(data: bytes, random: np.random.Generator) -> bytes:
    """A TIFF-like file with one or a few fields changed: values, types, counts, places, order of tags, cut, doubled."""
    out = bytearray(data)
    places = _entries(data)
    if not places:
        return mutated_bytes(data, random)
    for _ in range(int(random.choice([1, 1, 1, 2, 4]))):
        place, _, kind, count, order = places[int(random.integers(len(places)))]
        size = _SIZES.get(kind, 1) * count
        start = place + 8 if size <= 4 else struct.unpack_from(order + "I", data, place + 8)[0]
        alternative = int(random.integers(10))
        try:
            if alternative <= 3 and start + size <= len(out) and count:  # a number inside the value
                step = {3: 2, 8: 2, 4: 4, 9: 4, 5: 4, 10: 4, 11: 4, 12: 8, 13: 4}.get(kind, 1)
                spot = start + step * int(random.integers(max(1, size // step)))
                if kind in (11, 12):
                    struct.pack_into(order + ("f" if kind == 11 else "d"), out, spot, float(random.choice(FLOATS)))
                elif kind == 7 and size > 16 and random.random() < 0.6:
                    spot = start + 4 * int(random.integers(max(1, min(size, 400) // 4)))
                    form = ">I" if random.random() < 0.6 else str(random.choice([">f", "<f", order + "I"]))
                    value: Any = float(random.choice(FLOATS)) if form[1] == "f" else int(random.choice(EXTREMES))
                    struct.pack_into(form, out, spot, value)
                else:
                    value = int(random.choice(EXTREMES)) & ((1 << (8 * min(step, 4))) - 1)
                    struct.pack_into(order + {1: "B", 2: "H", 4: "I", 8: "Q"}[step], out, spot, value)
            elif alternative == 4:
                struct.pack_into(order + "H", out, place + 2, int(random.integers(0, 16)))
            elif alternative == 5:
                struct.pack_into(order + "I", out, place + 4, int(random.choice([*EXTREMES, count + 1, count - 1])))
            elif alternative == 6:
                struct.pack_into(order + "I", out, place + 8, int(random.choice([*EXTREMES, len(data), len(data) - 4])))
            elif alternative == 7:  # another tag gets this value
                other = places[int(random.integers(len(places)))]
                struct.pack_into(order + "H", out, place, other[1])
            elif alternative == 8:  # the value of another entry
                other = places[int(random.integers(len(places)))]
                out[place + 2 : place + 12] = data[other[0] + 2 : other[0] + 12]
            else:
                return mutated_bytes(bytes(out), random)
        except (struct.error, OverflowError):
            continue
    return bytes(out)


def mutated_bytes(data: bytes, random: np.random.Generator) -> bytes:
    """Bytes changed, cut, zeroed, doubled or left out anywhere, more often near the head."""
    out = bytearray(data)
    alternative = int(random.integers(6))
    place = int(len(out) * random.random() ** int(random.choice([1, 3, 6])))
    if alternative == 0:
        for _ in range(int(random.choice([1, 4, 30]))):
            out[min(len(out) - 1, int(len(out) * random.random() ** 4))] = int(random.integers(256))
    elif alternative == 1:
        del out[max(1, place) :]
    elif alternative == 2:
        out[place : place + 600] = bytes(min(600, len(out) - place))
    elif alternative == 3:
        out[place:place] = out[place : place + 64]
    elif alternative == 4:
        del out[place : place + int(random.choice([1, 2, 4, 100]))]
    elif place + 4 <= len(out):
        struct.pack_into(">I", out, place, int(random.choice(EXTREMES)))
    return bytes(out)


def mutated_json(data: bytes, random: np.random.Generator) -> bytes:
    """JSON with one value, key or list changed to something that no field expects."""
    text = data.decode()
    alternative = int(random.integers(8))
    spots = [k for k, c in enumerate(text) if c in ":,[" and k + 1 < len(text)]
    at = spots[int(random.integers(len(spots)))] + 1
    end = at
    depth = 0
    while end < len(text) and (depth or text[end] not in ",]}"):
        depth += (text[end] in "[{") - (text[end] in "]}")
        end += 1
    if alternative <= 3:
        return (text[:at] + " " + str(random.choice(NASTY_NUMBERS)) + text[end:]).encode()
    if alternative <= 5:
        return (text[:at] + " " + str(random.choice(NASTY_VALUES)) + text[end:]).encode("utf-8", "surrogatepass")
    if alternative == 6:
        return (text[:at] + text[end:]).encode()
    return mutated_bytes(data, random)


def mutated_xml(data: bytes, random: np.random.Generator) -> bytes:
    """XML with names, values and order changed, or bytes."""
    alternative = int(random.integers(8))
    words = (
        b"1e400", b"nan", b"-7", b"", b"<a>", b"&#0;", b"&amp;", b"]]>", b"\xff\xfe", b"'", b'"', b">", b"x" * 10000,
        b"<?xml encoding='UTF-16'?>", b"<!--", b"<rdf:li>", b"</rdf:Description>", b"<" + b"a" * 300 + b">",
        b"<a>" * 3000, b"xmlns:xmp='other'",
    )  # fmt: skip
    if alternative <= 3:
        marks = [k for k, c in enumerate(data) if c in b"<>\"' :"]
        at = marks[int(random.integers(len(marks)))]
        return data[:at] + words[int(random.integers(len(words)))] + data[at + int(random.integers(2)) :]
    return mutated_bytes(data, random)


def header_by_hand(order: str, random: np.random.Generator, mosaic: bool = True) -> bytes:
    """A raw as another program may write it: IFD 0 is the raw itself or a preview, tags unsorted, types unusual."""
    w, h = 48, 40
    codes = random.integers(60, 4000, (h, w) if mosaic else (h, w, 3)).astype(order + "u2").tobytes()
    entries: list[tuple[int, int, list]] = [
        (254, 4, [0]), (256, 3, [w]), (257, 3, [h]), (258, 3, [16] * (1 if mosaic else 3)), (259, 3, [1]),
        (262, 3, [32803 if mosaic else 34892]), (271, 2, list(b"Maker\0")), (272, 2, list(b"Model 9\0")),
        (277, 3, [1 if mosaic else 3]), (278, 4, [h]), (50706, 1, [1, 4, 0, 0]), (50717, 3, [4095]),
        (50714, 5, [64, 1]), (50721, 10, [8, 10, -3, 10, -1, 10, -4, 10, 12, 10, 2, 10, -1, 10, 2, 10, 6, 10]),
        (50728, 5, [5, 10, 1, 1, 6, 10]), (50730, 10, [1, 2]), (51041, 12, [1e-4, 1e-6]), (274, 3, [6]),
        (50829, 4, [2, 2, h, w]), (50778, 3, [21]), (33434, 5, [1, 100]), (34855, 3, [400]),
    ]  # fmt: skip
    if mosaic:
        entries += [(33421, 3, [2, 2]), (33422, 1, [0, 1, 1, 2])]
    names = {1: "B", 2: "B", 3: "H", 4: "I", 5: "I", 10: "i", 12: "d"}
    count = len(entries) + 2
    tail, at = b"", 8 + 2 + 12 * count + 4
    body = b""
    for tag, kind, values in sorted(entries):
        packed = struct.pack(f"{order}{len(values)}{names[kind]}", *values)
        number = len(values) // (2 if kind in (5, 10) else 1)
        if len(packed) <= 4:
            body += struct.pack(order + "HHI", tag, kind, number) + packed.ljust(4, b"\0")
        else:
            body += struct.pack(order + "HHII", tag, kind, number, at + len(tail))
            tail += packed + b"\0" * (len(packed) % 2)
    start = at + len(tail)
    body += struct.pack(order + "HHII", 273, 4, 1, start) + struct.pack(order + "HHII", 279, 4, 1, len(codes))
    head = (b"II" if order == "<" else b"MM") + struct.pack(order + "HI", 42, 8)
    return head + struct.pack(order + "H", count) + body + struct.pack(order + "I", 0) + tail + codes

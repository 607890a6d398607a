"""Damaged and hostile files of every kind that Bruto reads, one damage each, made with knowledge of their fields.

`python -m tests.mutations COUNT [SEED]` tries many on both cores, each in a process that outlives none of them unseen:
a crash, an error that is not ours, more than 10 s or more than 1.5 GB are told.
"""

from __future__ import annotations

import io
import json
import os
import struct
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from PIL import Image, ImageCms

from bruto.container.dng_reader import read_dng
from bruto.container.dng_writer import Storage
from bruto.container.glance import glance
from bruto.container.outline import outline
from bruto.container.picture import read_picture
from bruto.container.profile import profile_bytes, read_profile
from bruto.develop.library import NamedRecipe, keep, kept
from bruto.develop.pipeline import Developer
from bruto.develop.profiles import chosen
from bruto.develop.recipe import Recipe, load_recipe
from bruto.develop.source import open_source, source_of_raw
from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard, load_card, save_card
from bruto.sensor.advice import advise
from bruto.sensor.measure import measure
from bruto.shoot.folder import RECORD, load_record, open_shoot, save_record
from bruto.shoot.shots import small_view
from bruto.shoot.sidecar import load_sidecar, save_sidecar, sidecar_path
from bruto.shoot.xmp import read_rating, write_rating, xmp_path
from tests.again import write_dng

LONGEST_S, MOST_MB = 10.0, 1500.0
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


SMALL = (252, 190)
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
        way = int(random.integers(10))
        try:
            if way <= 3 and start + size <= len(out) and count:  # a number inside the value
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
            elif way == 4:
                struct.pack_into(order + "H", out, place + 2, int(random.integers(0, 16)))
            elif way == 5:
                struct.pack_into(order + "I", out, place + 4, int(random.choice([*EXTREMES, count + 1, count - 1])))
            elif way == 6:
                struct.pack_into(order + "I", out, place + 8, int(random.choice([*EXTREMES, len(data), len(data) - 4])))
            elif way == 7:  # another tag gets this value
                other = places[int(random.integers(len(places)))]
                struct.pack_into(order + "H", out, place, other[1])
            elif way == 8:  # the value of another entry
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
    way = int(random.integers(6))
    place = int(len(out) * random.random() ** int(random.choice([1, 3, 6])))
    if way == 0:
        for _ in range(int(random.choice([1, 4, 30]))):
            out[min(len(out) - 1, int(len(out) * random.random() ** 4))] = int(random.integers(256))
    elif way == 1:
        del out[max(1, place) :]
    elif way == 2:
        out[place : place + 600] = bytes(min(600, len(out) - place))
    elif way == 3:
        out[place:place] = out[place : place + 64]
    elif way == 4:
        del out[place : place + int(random.choice([1, 2, 4, 100]))]
    elif place + 4 <= len(out):
        struct.pack_into(">I", out, place, int(random.choice(EXTREMES)))
    return bytes(out)


def mutated_json(data: bytes, random: np.random.Generator) -> bytes:
    """JSON with one value, key or list changed to something that no field expects."""
    text = data.decode()
    way = int(random.integers(8))
    spots = [k for k, c in enumerate(text) if c in ":,[" and k + 1 < len(text)]
    at = spots[int(random.integers(len(spots)))] + 1
    end = at
    depth = 0
    while end < len(text) and (depth or text[end] not in ",]}"):
        depth += (text[end] in "[{") - (text[end] in "]}")
        end += 1
    if way <= 3:
        return (text[:at] + " " + str(random.choice(NASTY_NUMBERS)) + text[end:]).encode()
    if way <= 5:
        return (text[:at] + " " + str(random.choice(NASTY_VALUES)) + text[end:]).encode("utf-8", "surrogatepass")
    if way == 6:
        return (text[:at] + text[end:]).encode()
    return mutated_bytes(data, random)


def mutated_xml(data: bytes, random: np.random.Generator) -> bytes:
    """XML with names, values and order changed, or bytes."""
    way = int(random.integers(8))
    words = (
        b"1e400", b"nan", b"-7", b"", b"<a>", b"&#0;", b"&amp;", b"]]>", b"\xff\xfe", b"'", b'"', b">", b"x" * 10000,
        b"<?xml encoding='UTF-16'?>", b"<!--", b"<rdf:li>", b"</rdf:Description>", b"<" + b"a" * 300 + b">",
        b"<a>" * 3000, b"xmlns:xmp='other'",
    )  # fmt: skip
    if way <= 3:
        marks = [k for k, c in enumerate(data) if c in b"<>\"' :"]
        at = marks[int(random.integers(len(marks)))]
        return data[:at] + words[int(random.integers(len(words)))] + data[at + int(random.integers(2)) :]
    return mutated_bytes(data, random)


# -- what is damaged --------------------------------------------------------------------------------------------------


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


def bases(folder: Path) -> dict[str, list[bytes]]:
    """Whole files of each kind, small enough to be tried by the thousand."""
    from tests.container.test_variants import EVERYTHING, LINEAR, PREVIEW, STORAGES, samples, tags_for
    from tests.shots import raw_of

    random = np.random.default_rng(5)
    raws = [raw_of("card", size=SMALL).read_bytes(), raw_of("crystals", size=SMALL, kind="linear").read_bytes()]
    for _, how, mosaic, _ in (STORAGES[k] for k in (0, 7, 12, 20, 24, 29, 40, -3)):
        write_dng(folder / "v.dng", samples(how, mosaic), tags_for(how, mosaic), PREVIEW, how)
        raws.append((folder / "v.dng").read_bytes())
    for order in "<>":
        write_dng(folder / "v.dng", LINEAR, EVERYTHING, PREVIEW, Storage(7, 16, components=3, byteorder=order))
        raws.append((folder / "v.dng").read_bytes())
    pixels = random.integers(0, 255, (48, 64, 3)).astype(np.uint8)
    smooth = np.repeat(np.repeat(pixels[:6, :8], 8, 0), 8, 1)
    exif = Image.Exif()
    exif[271], exif[274], exif[306] = "Maker", 6, "2026:06:21 10:00:00"
    exif.get_ifd(34665)[33434] = 0.01
    icc = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()

    def picture(kind: str, **extra: Any) -> bytes:
        stream = io.BytesIO()
        if kind == "HEIF":
            import pillow_heif

            pillow_heif.register_heif_opener()
        Image.fromarray(smooth).save(stream, kind, exif=exif, icc_profile=icc, **extra)
        return stream.getvalue()

    def tiff(data: np.ndarray, **extra: Any) -> bytes:
        stream = io.BytesIO()
        tifffile.imwrite(stream, data, photometric="rgb", **extra)
        return stream.getvalue()

    xmp = (Path(__file__).parent / "data_xmp.txt").read_bytes()
    side = {
        "revision": 4, "recipe": Recipe(exposure=0.4).model_dump(by_alias=True), "verdict": "pick", "note": "a note",
        "gear": "tripod", "history": [["exposure", {"exposure": 0.1}], ["tint", {"tint": 0.01}]], "future": [],
        "versions": {"warm": {"exposure": 0.5}}, "stars": 3,
    }  # fmt: skip
    card = {
        "make": "M", "model": "Q", "lenses": [{"name": "26 mm", "focal_mm": 5.9, "focal_35mm": 26.0, "f_number": 1.9}],
        "isos": [50, 100], "seconds": [0.01, 1],
        "modes": [{"focal_mm": 5.9, "kind": "mosaic", "width": 4, "height": 3}],
        "pace_s": 1.0, "viewfinder_ev": {"p": [0.1, 0.2, 0.3]}, "noise": {"5.9|12|50": [1e-4, 1e-6]}, "written": [],
        "shots_seen": 3, "learnt_from": ["a"],
    }  # fmt: skip
    named = {"name": "warm", "fields": ["exposure"], "recipe": Recipe().model_dump(by_alias=True)}
    record = {"pairs": {"a.dng": "b.jpg", "c.dng": None}, "asked": {"megapixels": 12, "kind": "mosaic"}, "revision": 2}
    framed = Recipe().changed(hue_nodes=[{"hue": 20}], crop=(-0.4, -0.3, 0.4, 0.3)).model_dump(by_alias=True)
    stores = {"side": side, "card": card, "named": named, "record": record}
    dump = {kind: [json.dumps(value).encode()] for kind, value in stores.items()}
    return {
        "dng": raws,
        "hand": [header_by_hand(order, random, mosaic) for order in "<>" for mosaic in (True, False)],
        "jpg": [picture("JPEG"), picture("JPEG", progressive=True)],
        "heic": [picture("HEIF")],
        "avif": [picture("AVIF")],
        "png": [picture("PNG")],
        "tif": [
            tiff(smooth), tiff(smooth, compression="deflate", predictor=2), tiff(smooth, byteorder=">", rowsperstrip=8),
            tiff(smooth.astype(np.uint16), compression="deflate", tile=(32, 32)),
        ],
        "dcp": [profile_bytes(EVERYTHING.profile)],  # type: ignore[arg-type]
        "recipe": [json.dumps(framed).encode()],
        "xmp": [xmp],
        **dump,
    }  # fmt: skip


def _tried(kind: str, path: Path, thorough: bool) -> None:
    """What the program does with such a file; raises where something goes wrong."""
    if kind in ("dng", "hand"):
        seen = glance(path)
        frame = read_dng(path)
        outline(frame.meta, path)
        if thorough:
            report = measure(frame)
            advise(report, frame.meta, None)
            developer = Developer(source_of_raw(path, frame))
            developer.view(Recipe(), 2)
            developer.render(Recipe(haze=20, relief_medium=1.2))
            if developer.problems:
                raise RuntimeError(f"a step failed: {developer.problems}")
        (shot,) = open_shoot([path])
        if seen.preview is not None:
            small_view(shot, 64)
    elif kind in ("jpg", "heic", "avif", "png", "tif"):
        glance(path)
        read_picture(path)
        if thorough:
            developer = Developer(open_source(path))
            developer.view(Recipe(), 2)
            if developer.problems:
                raise RuntimeError(f"a step failed: {developer.problems}")
        open_shoot([path])
    elif kind == "dcp":
        profile = read_profile(path)
        frame = read_dng(path.with_name("good.dng"))
        chosen(frame.meta, str(path))
        developer = Developer(source_of_raw(path, frame))
        developer.view(Recipe(profile=str(path)), 2)
        if developer.problems:
            raise RuntimeError(f"a step failed: {developer.problems} {profile.holds}")
    elif kind == "recipe":
        recipe = load_recipe(path)
        developer = Developer(open_source(path.with_name("good.dng")))
        developer.view(recipe, 2)
        if developer.problems:
            raise RuntimeError(f"a step failed: {developer.problems}")


def _stored(kind: str, folder: Path, data: bytes) -> None:
    """A damaged store: read, written, and the damaged bytes must still be somewhere."""
    good = folder / "good.dng"
    place = {
        "side": sidecar_path(good), "record": folder / RECORD, "xmp": xmp_path(good),
        "card": Path(os.environ["XDG_DATA_HOME"]) / "bruto/phones/m-q.json",
        "named": Path(os.environ["XDG_DATA_HOME"]) / "bruto/recipes/warm.json",
    }[kind]  # fmt: skip
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(data)
    try:
        if kind == "side":
            side, problem = load_sidecar(good)
            whole = not problem
            Developer(open_source(good)).view(side.recipe, 2)
            base = side.snapshot()
            side.note = "changed"
            save_sidecar(good, side, base)
        elif kind == "record":
            whole = True
            open_shoot([folder])
            save_record(folder, load_record(folder))
        elif kind == "xmp":
            whole = True
            read_rating(good)
            write_rating(good, stars=4, note="x < y")
            found = read_rating(good)
            if found is None or (found.stars, found.note) != (4, "x < y"):
                raise RuntimeError(f"what was written is not read: {found}")
        elif kind == "card":
            whole = True
            load_card("M", "Q")
            save_card(PhoneCard("M", "Q", isos=(50.0,)))
        else:
            whole = True
            kept()
            keep(NamedRecipe("warm", ("exposure",), Recipe()))
        if kind == "side" and not whole and not any(p.read_bytes() == data for p in folder.glob("*damaged*")):
            raise RuntimeError("the damaged sidecar was lost")
    except BrutoError:
        if place.read_bytes() != data:
            raise RuntimeError(f"a {kind} that could not be used was changed") from None
        raise
    finally:
        for path in (*folder.glob("*damaged*"), *folder.glob(".*damaged*"), *place.parent.glob("*damaged*"), place):
            path.unlink(missing_ok=True)


MUTATE: dict[str, Callable[[bytes, np.random.Generator], bytes]] = {
    "dng": mutated_tiff, "hand": mutated_tiff, "tif": mutated_tiff, "dcp": mutated_tiff, "recipe": mutated_json,
    "side": mutated_json, "card": mutated_json, "named": mutated_json, "record": mutated_json, "xmp": mutated_xml,
}  # fmt: skip
KINDS = ("dng", "dng", "hand", "dng", "tif", "jpg", "heic", "side", "dng", "recipe", "xmp", "card", "hand", "png",
         "dcp", "record", "named", "avif", "jpg", "dng")  # fmt: skip


def try_one(number: int, seed: int, known: dict[str, list[bytes]], folder: Path) -> tuple[str, str]:
    """Kind and outcome of one mutation: "read", "message", or what went wrong."""
    random = np.random.default_rng([seed, number])
    kind = KINDS[number % len(KINDS)]
    base = known[kind][int(random.integers(len(known[kind])))]
    data = MUTATE.get(kind, mutated_bytes)(base, random)
    suffix = {"hand": "dng", "recipe": "json"}.get(kind, kind)
    path = folder / f"odd.{suffix}"
    try:
        if kind in ("side", "card", "named", "record", "xmp"):
            _stored(kind, folder, data)
        else:
            path.write_bytes(data)
            _tried(kind, path, number // len(KINDS) % 2 == 0)
            if path.read_bytes() != data:
                return kind, "the file was changed"
    except BrutoError as error:
        text = str(error)
        if "\n" in text or "Error" in text or "b'" in text or "0x" in text or len(text) > 1200:
            return kind, f"words of the language: {text[:300]}"
        return kind, "message"
    except MemoryError:
        return kind, "out of memory"
    except BaseException as error:
        import traceback

        return kind, f"{type(error).__name__}: {error} at {traceback.format_exc().splitlines()[-3:]}"[:1500]
    return kind, "read"


def _peak_mb() -> float:
    status = Path("/proc/self/status").read_text()
    return int(next(line.split()[1] for line in status.splitlines() if line.startswith("VmHWM"))) / 1024


def _work(first: int, last: int, step: int, seed: int) -> None:
    """Try numbers first, first + step, … and tell each outcome on stdout."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ.update({"XDG_DATA_HOME": f"{name}/.data", "XDG_STATE_HOME": f"{name}/.state"})
        known = bases(folder)
        (folder / "good.dng").write_bytes(known["dng"][0])
        for number in range(first, last, step):
            print(json.dumps({"begin": number}), flush=True)
            Path("/proc/self/clear_refs").write_text("5")
            began = time.perf_counter()
            kind, outcome = try_one(number, seed, known, folder)
            took, peak = time.perf_counter() - began, _peak_mb()
            if took > LONGEST_S:
                outcome = f"took {took:.1f} s ({outcome})"
            if peak > MOST_MB:
                outcome = f"took {peak:.0f} MB ({outcome})"
            print(json.dumps({"n": number, "kind": kind, "outcome": outcome, "s": took, "mb": peak}), flush=True)


def run(count: int, seed: int, workers: int = 2) -> dict[str, Any]:
    """Try `count` mutations on several processes; a process that dies is told, and another goes on behind it."""
    outcomes: Counter[str] = Counter()
    bad: list[str] = []
    slowest, most = 0.0, 0.0
    nexts = list(range(workers))
    running: list[subprocess.Popen | None] = [None] * workers
    begun = [0] * workers

    def start(k: int) -> None:
        code = [sys.executable, "-m", "tests.mutations", "--work", str(nexts[k]), str(count), str(workers), str(seed)]
        running[k] = subprocess.Popen(code, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)

    for k in range(workers):
        start(k)
    import selectors

    waiting = selectors.DefaultSelector()
    for k, process in enumerate(running):
        waiting.register(process.stdout, selectors.EVENT_READ, k)  # type: ignore[union-attr, arg-type]
    alive = workers
    while alive:
        for key, _ in waiting.select():
            k = key.data
            line = key.fileobj.readline()  # type: ignore[union-attr]
            if line:
                told = json.loads(line)
                if "begin" in told:
                    begun[k] = told["begin"]
                    continue
                nexts[k] = told["n"] + workers
                slowest, most = max(slowest, told["s"]), max(most, told["mb"])
                good = told["outcome"] in ("read", "message")
                outcomes[f"{told['kind']} {told['outcome'] if good else 'BAD'}"] += 1
                if not good:
                    bad.append(f"{told['n']} {told['kind']}: {told['outcome']}")
                    print(bad[-1], file=sys.stderr, flush=True)
                continue
            process = running[k]
            code = process.wait()  # type: ignore[union-attr]
            waiting.unregister(key.fileobj)
            key.fileobj.close()  # type: ignore[union-attr]
            if code == 0:
                alive -= 1
                continue
            bad.append(f"{begun[k]}: the process ended with {code}")
            print(bad[-1], file=sys.stderr, flush=True)
            nexts[k] = begun[k] + workers
            start(k)
            waiting.register(running[k].stdout, selectors.EVENT_READ, k)  # type: ignore[union-attr, arg-type]
    told = {"tried": sum(outcomes.values()), "bad": bad, "slowest_s": slowest, "most_mb": most}
    return {**told, **dict(sorted(outcomes.items()))}


if __name__ == "__main__":
    if sys.argv[1] == "--work":
        first, last, step, seed = (int(v) for v in sys.argv[2:6])
        _work(first, last, step, seed)
    else:
        print(json.dumps(run(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1), indent=1))

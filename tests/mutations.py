"""Damaged and hostile files of every kind that Bruto reads, one damage each, made with knowledge of their fields.

`python -m tests.mutations COUNT [SEED]` tries many on both cores, each in a process that outlives none of them unseen:
a crash, an error that is not ours, more than 10 s or more than 1.5 GB are told.
"""

from __future__ import annotations

import io
import json
import os
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
from bruto.container.dng_writer import SampleStorage
from bruto.container.metadata_tree import outline
from bruto.container.picture import read_picture
from bruto.container.profile import read_profile
from bruto.container.profile_writer import profile_bytes
from bruto.container.quick_metadata import read_quick_metadata
from bruto.develop.pipeline import Developer
from bruto.develop.profiles import chosen
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_files import load_recipe
from bruto.develop.recipe_library import NamedRecipe, keep, saved_recipes
from bruto.develop.source import open_source, source_of_raw
from bruto.errors import BrutoError
from bruto.phones.card import PhoneCard, load_card, save_card
from bruto.sensor.advice import advise
from bruto.sensor.measurement import measure
from bruto.shoot.folder import RECORD, load_record, open_shoot, save_record
from bruto.shoot.shots import small_view
from bruto.shoot.sidecar import load_sidecar, save_sidecar
from bruto.shoot.sidecar_places import sidecar_path
from bruto.shoot.xmp import read_rating, write_rating, xmp_path
from tests.again import write_dng
from tests.mutants import header_by_hand, mutated_bytes, mutated_json, mutated_tiff, mutated_xml

LONGEST_S, MOST_MB = 10.0, 1500.0


SMALL = (252, 190)


# -- what is damaged


def bases(folder: Path) -> dict[str, list[bytes]]:
    """Whole files of each kind, small enough to be tried by the thousand."""
    from tests.container.test_variants import EVERYTHING
    from tests.container.variants import LINEAR, PREVIEW, STORAGES, samples, tags_for
    from tests.shots import raw_of

    random = np.random.default_rng(5)
    raws = [raw_of("card", size=SMALL).read_bytes(), raw_of("crystals", size=SMALL, kind="linear").read_bytes()]
    for _, how, mosaic, _ in (STORAGES[k] for k in (0, 7, 12, 20, 24, 29, 40, -3)):
        write_dng(folder / "v.dng", samples(how, mosaic), tags_for(how, mosaic), PREVIEW, how)
        raws.append((folder / "v.dng").read_bytes())
    for order in "<>":
        write_dng(folder / "v.dng", LINEAR, EVERYTHING, PREVIEW, SampleStorage(7, 16, components=3, byteorder=order))
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
        "revision": 4, "recipe": Recipe(exposure=0.4).model_dump(by_alias=True), "verdict": "keep", "note": "a note",
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
    record = {"pairs": {"a.dng": "b.jpg", "c.dng": None}, "intent": {"megapixels": 12, "kind": "mosaic"}, "revision": 2}
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
        seen = read_quick_metadata(path)
        frame = read_dng(path)
        outline(frame.meta, path)
        if thorough:
            report = measure(frame)
            advise(report, frame.meta, None)
            developer = Developer(source_of_raw(path, frame))
            developer.view(Recipe(), 2)
            developer.render(Recipe(haze=20, local_contrast_medium=1.2))
            if developer.problems:
                raise RuntimeError(f"a step failed: {developer.problems}")
        (shot,) = open_shoot([path])
        if seen.preview is not None:
            small_view(shot, 64)
    elif kind in ("jpg", "heic", "avif", "png", "tif"):
        read_quick_metadata(path)
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
            saved_recipes()
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
                notice = json.loads(line)
                if "begin" in notice:
                    begun[k] = notice["begin"]
                    continue
                nexts[k] = notice["n"] + workers
                slowest, most = max(slowest, notice["s"]), max(most, notice["mb"])
                good = notice["outcome"] in ("read", "message")
                outcomes[f"{notice['kind']} {notice['outcome'] if good else 'BAD'}"] += 1
                if not good:
                    bad.append(f"{notice['n']} {notice['kind']}: {notice['outcome']}")
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
    notice = {"tried": sum(outcomes.values()), "bad": bad, "slowest_s": slowest, "most_mb": most}
    return {**notice, **dict(sorted(outcomes.items()))}


if __name__ == "__main__":
    if sys.argv[1] == "--work":
        first, last, step, seed = (int(v) for v in sys.argv[2:6])
        _work(first, last, step, seed)
    else:
        print(json.dumps(run(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1), indent=1))

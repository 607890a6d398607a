"""Captures for tests, made once and kept: asking twice for the same shot gives the same files."""

from __future__ import annotations

import fcntl
import hashlib
import json
import shutil
from functools import cache
from pathlib import Path
from typing import Any

from bruto.simphone.capture_files import simulate

ROOT = Path(__file__).resolve().parents[1]
SMALL = (504, 378)
MIDDLE = (1008, 756)
"""Sizes of test captures, pixels; `MIDDLE` where texture or registration matters."""


@cache
def _sources() -> str:
    digest = hashlib.sha256()
    for folder in ("simphone", "container", "color"):
        for path in sorted((ROOT / "src/bruto" / folder).rglob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()[:10]


def taken(scene: str, **settings: Any) -> list[dict]:
    """What `simulate` returns for these settings; the files must not be changed (copy them with `copy_of`)."""
    key = hashlib.sha256(repr((scene, sorted(settings.items()))).encode()).hexdigest()[:12]
    base = ROOT / ".cache/test-shots" / _sources()
    base.mkdir(parents=True, exist_ok=True)
    folder = base / f"{scene}-{key}"
    with (base / f"{key}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        record = folder / "shots.json"
        if not record.is_file():
            shutil.rmtree(folder, ignore_errors=True)
            shots = simulate(scene, folder, **settings)
            record.write_text(json.dumps(shots))
        return json.loads(record.read_text())


def raw_of(scene: str, **settings: Any) -> Path:
    """The first raw of these settings."""
    return Path(taken(scene, **settings)[0]["files"][0])


def raws_of(scene: str, **settings: Any) -> list[str | Path]:
    """All raws of these settings."""
    return [Path(shot["files"][0]) for shot in taken(scene, **settings)]


def copy_of(files: list, folder: Path) -> list[Path]:
    """Copies in a folder that a test may change."""
    return [Path(shutil.copy2(file, folder)) for file in files]

"""Runs the unittest modules, one process each, as many at once as there are cores; ends with the count.

`python tests/run_all.py [WORD ...]`: only modules whose name contains one of the words.
"""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TIMES = ROOT / ".cache/test-times.json"
LONGEST_S = 1500
"""A module that runs longer than this is ended and counts as failed, seconds."""


def modules(words: list[str]) -> list[str]:
    """Dotted names of the test modules, the slowest of the last run first."""
    names = [".".join(p.relative_to(ROOT).with_suffix("").parts) for p in sorted((ROOT / "tests").rglob("test_*.py"))]
    known: dict[str, float] = {}
    with contextlib.suppress(OSError, ValueError):
        known = json.loads(TIMES.read_text())
    chosen = [n for n in names if not words or any(w in n for w in words)]
    return sorted(chosen, key=lambda n: -known.get(n, 60.0))


def worker(name: str, result_file: str) -> None:
    """Run one module in this process and leave its counts in a file."""
    sys.path.insert(0, str(ROOT))
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(stream=sys.stderr, verbosity=1).run(suite)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = [f"{test}: {reason}" for test, reason in result.skipped]
    Path(result_file).write_text(json.dumps({"run": result.testsRun, "bad": bad, "skipped": skipped}))
    sys.stderr.flush()
    os._exit(0 if bad == 0 else 1)  # threads of libraries must not hold the process


def run_module(name: str, folder: str) -> dict:
    """Run one module in a process of its own."""
    result_file = Path(folder) / f"{name}.json"
    environment = {
        **os.environ,
        "XDG_DATA_HOME": f"{folder}/data-{name}",
        "XDG_STATE_HOME": f"{folder}/state-{name}",
        "QT_QPA_PLATFORM": "offscreen",
        "QT_LOGGING_RULES": "qt.qpa.*=false",
        "OMP_WAIT_POLICY": "passive",
        "PYTHONWARNINGS": "default",
    }
    began = time.perf_counter()
    command = [sys.executable, str(Path(__file__)), "--worker", name, str(result_file)]
    try:
        done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True, timeout=LONGEST_S)
        output = done.stdout + done.stderr
    except subprocess.TimeoutExpired as late:
        output = f"ended after {LONGEST_S} s\n" + str(late.stderr or "")
    seconds = time.perf_counter() - began
    if result_file.is_file():
        counts = json.loads(result_file.read_text())
    else:
        counts = {"run": 1, "bad": 1, "skipped": []}
    return {"name": name, "seconds": seconds, "output": output, **counts}


def main(words: list[str]) -> int:
    names = modules(words)
    passed = failed = skipped = 0
    times: dict[str, float] = {}
    with contextlib.suppress(OSError, ValueError):
        times = json.loads(TIMES.read_text())
    with (
        tempfile.TemporaryDirectory(prefix="bruto-tests-") as folder,
        ThreadPoolExecutor(max(1, len(os.sched_getaffinity(0)))) as pool,
    ):
        for result in pool.map(lambda n: run_module(n, folder), names):
            good = result["run"] - result["bad"] - len(result["skipped"])
            passed, failed, skipped = passed + good, failed + result["bad"], skipped + len(result["skipped"])
            times[result["name"]] = result["seconds"]
            state = "FAILED" if result["bad"] else "ok"
            print(f"{state:6} {result['name']:44} {result['run']:4} tests {result['seconds']:6.1f} s", flush=True)
            for reason in result["skipped"]:
                print(f"       skipped {reason}")
            if result["bad"]:
                print(result["output"], flush=True)
    with contextlib.suppress(OSError):
        TIMES.parent.mkdir(exist_ok=True)
        TIMES.write_text(json.dumps(times))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    if sys.argv[1:2] == ["--worker"]:
        worker(*sys.argv[2:4])
    sys.exit(main(sys.argv[1:]))

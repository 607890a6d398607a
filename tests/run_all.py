"""Runs the unittest modules, as many at once as there are cores; ends with the count.

`python tests/run_all.py [WORD ...]` runs only modules whose name contains one of the words; `--help` lists the rest
(what `--all` means: see `tests.extent`).

One process loads everything once, and each module runs in a fork of it: none waits for libraries to load, and none
sees what another left behind. Kernels use one thread in each, as the cores are busy with other modules.
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import importlib
import json
import os
import pkgutil
import signal
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
TIMES = ROOT / ".cache/test-times.json"
USUAL = ROOT / "tests/usual_times.json"
"""Seconds of modules that take long, for a clone that has not run them: what takes longest begins first."""
LONGEST_S = 1500
"""A module that runs longer than this is ended and counts as failed, seconds."""
SETTINGS = {
    "QT_QPA_PLATFORM": "offscreen",
    "QT_LOGGING_RULES": "qt.qpa.*=false",
    "OMP_WAIT_POLICY": "passive",
    "OMP_NUM_THREADS": "1",
    "NUMBA_NUM_THREADS": "1",
    "OPENBLAS_NUM_THREADS": "1",
}


def modules(words: list[str]) -> list[str]:
    """Dotted names of the test modules, the slowest of the last run first."""
    names = [".".join(p.relative_to(ROOT).with_suffix("").parts) for p in sorted((ROOT / "tests").rglob("test_*.py"))]
    known: dict[str, float] = json.loads(USUAL.read_text())
    with contextlib.suppress(OSError, ValueError):
        known |= json.loads(TIMES.read_text())
    chosen = [n for n in names if not words or any(w in n for w in words)]
    return sorted(chosen, key=lambda n: -known.get(n, 5.0))


def load_everything() -> None:
    """Import the program and its libraries; nothing may start a thread here, as threads do not live through a fork."""
    import bruto

    for found in pkgutil.walk_packages(bruto.__path__, "bruto."):
        if not found.name.endswith("__main__"):
            importlib.import_module(found.name)
    load_kernels()
    gc.collect()
    gc.freeze()


def load_kernels() -> None:
    """Load what is compiled, once for all modules: each would take half a second for it.

    Kernels that run on several cores are left to the modules, as their threads would not live through a fork.
    """
    from numba.core.registry import CPUDispatcher

    for module in [m for name, m in sys.modules.items() if name.startswith("bruto.")]:
        for kernel in [k for k in vars(module).values() if isinstance(k, CPUDispatcher)]:
            if not kernel.targetoptions.get("parallel"):
                with contextlib.suppress(Exception):  # another version of Numba keeps its index elsewhere
                    for key in kernel._cache._cache_file._load_index():
                        kernel.compile(key[0])


class Timed(unittest.TextTestResult):
    """Keeps how long each test took, seconds, with what was set up for it."""

    def __init__(self, *arguments: Any, **more: Any) -> None:
        super().__init__(*arguments, **more)
        self.took: dict[str, float] = {}

    def startTest(self, test: unittest.TestCase) -> None:
        self.began = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.took[test.id()] = time.perf_counter() - self.began


def run_here(name: str, folder: Path) -> None:
    """Run one module in this process, which ends with it; output and counts go into files."""
    output = os.open(folder / f"{name}.log", os.O_WRONLY | os.O_CREAT)
    for stream in (1, 2):
        os.dup2(output, stream)
    os.environ["XDG_DATA_HOME"], os.environ["XDG_STATE_HOME"] = f"{folder}/data-{name}", f"{folder}/state-{name}"
    warnings.simplefilter("default")
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    runner = unittest.TextTestRunner(stream=sys.stderr, verbosity=1, resultclass=Timed)
    result = runner.run(suite)
    assert isinstance(result, Timed)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = [f"{test}: {reason}" for test, reason in result.skipped]
    counts = {"run": result.testsRun, "bad": bad, "skipped": skipped, "took": result.took}
    (folder / f"{name}.json").write_text(json.dumps(counts))


def start(name: str, folder: Path) -> int:
    """Fork a process for a module."""
    sys.stdout.flush()
    sys.stderr.flush()
    pid = os.fork()
    if pid:
        return pid
    try:
        run_here(name, folder)
    except BaseException:
        import traceback

        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(0)  # threads of libraries must not hold the process


def all_results(names: list[str], folder: Path, at_once: int) -> Iterator[dict[str, Any]]:
    """Run the modules and yield each one's counts, seconds and output when it ends."""
    waiting, running = list(names), {}
    while waiting or running:
        while waiting and len(running) < at_once:
            name = waiting.pop(0)
            running[start(name, folder)] = name, time.perf_counter()
        pid, status, used = os.wait4(-1, os.WNOHANG)
        if pid not in running:
            time.sleep(0.02)
            for other, (_, began) in running.items():
                if time.perf_counter() - began > LONGEST_S:
                    os.kill(other, signal.SIGKILL)
            continue
        name, began = running.pop(pid)
        counts: dict[str, Any] = {"run": 1, "bad": 1, "skipped": [], "took": {}}
        with contextlib.suppress(OSError):
            counts = json.loads((folder / f"{name}.json").read_text())
        output = (folder / f"{name}.log").read_text(errors="replace")
        if os.WIFSIGNALED(status):
            output += f"ended by signal {os.WTERMSIG(status)} after {time.perf_counter() - began:.0f} s\n"
        counts |= {"seconds": time.perf_counter() - began, "processor": used.ru_utime + used.ru_stime}
        yield {"name": name, "output": output, **counts}


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(description="Runs the tests, as many modules at once as there are cores.")
    parser.add_argument("words", nargs="*", metavar="WORD", help="only modules whose name contains one of them")
    parser.add_argument("--all", action="store_true", help="what is long by nature, too, at full count")
    parser.add_argument("--slow", action="store_true", help="list more of the slowest tests")
    parser.add_argument("--output", action="store_true", help="print what passing modules print")
    asked = parser.parse_args(arguments)
    os.environ.update(SETTINGS)
    if asked.all:
        os.environ["BRUTO_TESTS"] = "all"
    sys.path.insert(0, str(ROOT))
    names, began = modules(asked.words), time.perf_counter()
    took: dict[str, float] = {}
    load_everything()
    passed = failed = skipped = 0
    times: dict[str, float] = {}
    with contextlib.suppress(OSError, ValueError):
        times = json.loads(TIMES.read_text())
    with tempfile.TemporaryDirectory(prefix="bruto-tests-") as folder:
        for result in all_results(names, Path(folder), max(1, len(os.sched_getaffinity(0)))):
            good = result["run"] - result["bad"] - len(result["skipped"])
            passed, failed, skipped = passed + good, failed + result["bad"], skipped + len(result["skipped"])
            times[result["name"]] = result["seconds"]
            state = "FAILED" if result["bad"] else "ok"
            print(f"{state:6} {result['name']:44} {result['run']:4} tests {result['seconds']:6.1f} s", end=" ")
            print(f"{result['processor']:6.1f} s of processor", flush=True)
            for reason in result["skipped"]:
                print(f"       skipped {reason}")
            took.update(result["took"])
            if result["bad"] or asked.output:
                print(result["output"], flush=True)
    with contextlib.suppress(OSError):
        TIMES.parent.mkdir(exist_ok=True)
        TIMES.write_text(json.dumps(times))
    print(f"in {time.perf_counter() - began:.0f} s; the slowest tests:")
    for name in sorted(took, key=lambda n: -took[n])[: 40 if asked.slow else 8]:
        print(f"{took[name]:8.1f} s  {name}")
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

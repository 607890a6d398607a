"""How the logbook holds a life's work: `./run bench --quality`, or `python -m benchmarks.logbook [RECORDS]` for these
figures alone.

Seconds to insert a thousand records and to show any page of a million, and what 500 kills while writing leave.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from tests.logbook.test_store import some

from bruto.logbook.questions import answered
from bruto.logbook.store import PAGE, Logbook
from bruto.shoot.verdicts import KEEP_OR_BEST


def pages(records: int = 1_000_000) -> dict[str, Any]:
    """Figures of a logbook of so many records in shoots of 500."""
    with TemporaryDirectory(prefix="bruto-logbook-") as name:
        place = Path(name) / "logbook.sqlite"
        with Logbook(place) as book:
            for begin in range(0, records, 20_000):
                book.put(r for k in range(begin, begin + 20_000, 500) for r in some(500, f"shoot {k // 500:05d}", k))
            began = time.perf_counter()
            book.put(some(1000, "one more", records))
            insert = time.perf_counter() - began
            slowest: dict[str, float] = {}
            for what, ask in (
                ("first", lambda: book.page()), ("middle", lambda: book.page(records // 2)),
                ("last", lambda: book.page(records - PAGE)), ("a shoot", lambda: book.page(shoot="shoot 00700")),
                ("a place, far in", lambda: book.page(records // 3, place="Orrin Saltern")),
                ("an ISO", lambda: book.page(1000, model="Vessar Tide 4", iso=400.0)),
                ("shoots", book.shoots), ("count", book.count), ("phones", book.phones),
            ):  # fmt: skip
                times = []
                for _ in range(5):
                    began = time.perf_counter()
                    ask()
                    times.append(time.perf_counter() - began)
                slowest[what] = round(sorted(times)[2], 4)
        began = time.perf_counter()
        answered(place, KEEP_OR_BEST)
        whole = time.perf_counter() - began
        return {
            "records": records, "insert_1000_s": round(insert, 4), "page_s": slowest, "whole_page_s": round(whole, 3),
            "megabytes": round(place.stat().st_size / 1e6),
        }  # fmt: skip


if __name__ == "__main__":
    print(json.dumps(pages(int(sys.argv[1]) if sys.argv[1:] else 1_000_000), indent=1))

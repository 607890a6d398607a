"""Measuring a folder: a task in the one list where there is much of it, which can be stopped and loses nothing."""

from __future__ import annotations

import queue
import shutil
import threading
import unittest
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

from bruto.app.shot_facts import shot_fact
from bruto.sensor.measure_cache import measured
from bruto.session.long_tasks import LongTasks
from bruto.session.measurement_queue import MANY, MeasurementQueue
from bruto.session.shoot import Shoot
from tests.session.posted import Posted, go_on
from tests.shots import SMALL, raw_of


class Measuring(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        raw = raw_of("card", size=SMALL)
        report = measured(raw)
        self.asked: list[Path] = []
        self.gate = threading.Event()
        """Measuring waits for it after the first three."""

        def measure(path: Path, offer: Any) -> Any:
            self.asked.append(path)
            if len(self.asked) > 3:
                self.gate.wait(20)
            return report

        self.enterContext(mock.patch("bruto.session.measurement_queue.measured", measure))
        for k in range(MANY + 2):
            (self.folder / f"shot-{k:02}.dng").write_bytes(raw.read_bytes() + bytes([k]))  # equal ones are one shot
        self.calls: Posted = queue.Queue()
        self.shoot, self.tasks = Shoot(), LongTasks(self.calls.put)
        self.texts: list[str] = []
        self.measuring = MeasurementQueue(self.shoot, self.calls.put, self.tasks)
        self.measuring.progress.connect(self.texts.append)
        self.addCleanup(self.measuring.close)
        self.addCleanup(self.gate.set)
        self.shoot.open([self.folder])

    def go_on(self, until: Callable[[], object]) -> None:
        go_on(self.calls, until)

    def test_many_shots_are_a_task_that_says_how_far_it_is(self) -> None:
        self.measuring.follow()
        (task,) = self.tasks.tasks
        self.go_on(lambda: len(self.shoot.reports) == 3 and len(self.asked) == 4)
        self.assertEqual(task.doing, f"3 of {MANY + 2}")
        self.assertAlmostEqual(task.share, 3 / (MANY + 2))
        self.assertEqual(self.tasks.losses(), [])  # it is measured when it is opened again: nobody need be asked
        self.gate.set()
        self.go_on(lambda: not self.tasks.tasks)
        self.assertEqual(len(self.shoot.reports), MANY + 2)
        self.assertIn(f"measured {MANY + 2} of {MANY + 2}", self.texts[-1])

    def test_stopped_it_measures_only_what_is_opened(self) -> None:
        self.measuring.follow()
        self.go_on(lambda: len(self.asked) == 4)
        self.tasks.stop(self.tasks.tasks[0])
        self.assertEqual(self.tasks.tasks, [])
        self.gate.set()
        self.go_on(lambda: self.measuring.idle() and self.calls.empty())
        self.assertEqual(len(self.asked), 4)
        self.assertEqual(shot_fact(self.shoot.shots[-1], None, [])[0], "not measured yet")  # no wait without an end
        wanted = self.shoot.shots[-1]
        self.shoot.select(wanted)
        self.go_on(lambda: str(wanted.main) in self.shoot.reports)
        self.assertEqual(self.asked[4:], [wanted.main])

    def test_another_folder_begins_anew(self) -> None:
        self.measuring.follow()
        self.go_on(lambda: len(self.asked) == 4)
        few = self.folder / "few"
        few.mkdir()
        shutil.copy2(self.folder / "shot-00.dng", few)
        self.shoot.open([few])
        self.measuring.follow()
        self.assertEqual(self.tasks.tasks, [])
        self.gate.set()
        self.go_on(lambda: len(self.shoot.reports) == 1)


if __name__ == "__main__":
    unittest.main()

"""Long work: in the order asked for within a kind, beside each other otherwise; stopped, stored and gone on with."""

from __future__ import annotations

import os
import queue
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.develop.recipe import Recipe
from bruto.errors import BrutoError
from bruto.export.preset import ExportPreset
from bruto.export.queue import Job, Queue
from bruto.session.export_jobs import EXPORT, ExportProgress
from bruto.session.long_tasks import LongTask, LongTasks, TaskState, time_left
from bruto.session.unfinished_jobs import IMPORT, ImportTask, unfinished_jobs
from bruto.storage import unfinished_work as stored
from tests.session.posted import Posted, go_on
from tests.shots import SMALL, raw_of


class LongTasksTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(
            mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(self.folder), "XDG_DATA_HOME": str(self.folder)})
        )
        self.calls: Posted = queue.Queue()
        self.tasks = LongTasks(self.calls.put)
        self.addCleanup(self.tasks.close)

    def go_on(self, until: Callable[[], object]) -> None:
        go_on(self.calls, until)

    def test_one_kind_keeps_its_order_and_another_runs_beside_it(self) -> None:
        gate, order = threading.Event(), []

        def work(name: str, wait: bool) -> Callable[[], str]:
            def call() -> str:
                if wait:
                    gate.wait(20)
                order.append(name)
                return name

            return call

        first, second = LongTask("a", "first"), LongTask("a", "second")
        other = LongTask("b", "other")
        self.tasks.start(first, work("first", True))
        self.tasks.start(second, work("second", False))
        self.tasks.start(other, work("other", False))
        self.assertEqual([t.state for t in (first, second)], [TaskState.RUNNING, TaskState.WAITING])
        self.go_on(lambda: other.state is TaskState.DONE)
        self.assertEqual(order, ["other"])
        gate.set()
        self.go_on(self.tasks.idle)
        self.assertEqual(order, ["other", "first", "second"])
        self.assertEqual((second.result, second.share), ("second", 1.0))

    def test_what_waits_is_forgotten_and_what_runs_is_asked_to_stop(self) -> None:
        began, done = threading.Event(), []

        def work() -> None:
            began.set()
            while True:
                running.check()
                time.sleep(0.005)

        running, waiting = LongTask("a", "Making a clip"), LongTask("a", "never")
        why: list[str] = []
        self.tasks.start(running, work, failed=why.append)
        self.tasks.start(waiting, lambda: done.append(1))
        self.assertTrue(began.wait(20))
        self.tasks.stop(waiting)
        self.assertEqual(waiting.state, TaskState.STOPPED)
        self.tasks.stop(running)
        self.go_on(self.tasks.idle)
        self.assertEqual((running.state, why, done), (TaskState.STOPPED, ["Making a clip: stopped."], []))

    def test_progress_comes_once_for_all_that_came_before_it(self) -> None:
        shown: list[float] = []
        task = LongTask("a", "Importing")

        def work() -> None:
            for k in range(1000):
                task.tell(k / 1000, str(k))

        self.tasks.changed.connect(lambda t: shown.append(t.share))
        self.tasks.start(task, work)
        time.sleep(0.3)
        self.go_on(self.tasks.idle)
        self.assertLess(len(shown), 10)
        self.assertIn(0.999, shown)

    def test_a_failure_is_told_and_the_next_begins(self) -> None:
        why: list[str] = []

        def broken() -> None:
            raise BrutoError("The disk is full.")

        bad, good = LongTask("a", "bad"), LongTask("a", "good")
        self.tasks.start(bad, broken, failed=why.append)
        self.tasks.start(good, lambda: 7)
        self.go_on(self.tasks.idle)
        self.assertEqual((bad.state, bad.failure, why), (TaskState.FAILED, "The disk is full.", ["The disk is full."]))
        self.assertEqual(good.result, 7)

    def test_what_was_cut_short_is_offered_at_the_next_start_until_it_ended(self) -> None:
        gate = threading.Event()
        keep = {"source": "/card", "folder": "/photos"}
        self.tasks.start(LongTask(IMPORT, "Importing", keep=keep), lambda: gate.wait(20))
        self.assertEqual(self.tasks.losses(), ["Importing is running and will be stopped. Finished files stay."])
        with mock.patch.object(stored, "process_gone", return_value=True):
            self.assertEqual(unfinished_jobs(), [ImportTask(Path("/card"), Path("/photos"))])
            gate.set()
            self.go_on(self.tasks.idle)
            self.assertEqual((unfinished_jobs(), self.tasks.losses()), ([], []))

    def test_exports_are_one_task(self) -> None:
        raw = raw_of("card", size=SMALL)
        jobs = Queue()
        self.addCleanup(jobs.close)
        progress = ExportProgress(jobs, self.tasks, self.calls.put)
        seen: list[LongTask] = []
        self.tasks.changed.connect(seen.append)
        out = self.folder / "out"
        out.mkdir()
        jobs.add(*(Job(raw, out, f"{k}.jpg", Recipe(), ExportPreset()) for k in range(3)))
        self.go_on(lambda: self.tasks.of(EXPORT))
        self.assertIn("not finished", self.tasks.losses()[0])
        self.go_on(lambda: not self.tasks.tasks)
        self.assertEqual(len({id(t) for t in seen}), 1)
        progress.refresh()
        self.assertEqual(self.tasks.tasks, [])
        self.assertEqual(len(list(out.glob("*.jpg"))), 3)

    def test_time_left(self) -> None:
        for elapsed, share, text in (
            (1.0, 0.5, ""), (30.0, 0.01, ""), (30.0, 1.0, ""), (30.0, 0.25, " · about 2 min left"),
            (10.0, 0.5, " · about 10 s left"), (10.0, 0.999, " · about 1 s left"),
        ):  # fmt: skip
            self.assertEqual(time_left(elapsed, share), text)


if __name__ == "__main__":
    unittest.main()

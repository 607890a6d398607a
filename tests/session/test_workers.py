"""The render thread: what is urgent comes first, what nobody wants any more stops."""

from __future__ import annotations

import os
import queue
import threading
import time
import unittest
from collections.abc import Callable
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.session.workers import AGAIN, THREADS, Pool, Precedence, Worker

WAIT_S = 60.0


class Order(unittest.TestCase):
    def setUp(self) -> None:
        self.answers: queue.SimpleQueue[Callable[[], None]] = queue.SimpleQueue()
        self.worker = Worker("test", self.answers.put)
        self.picture, self.long = self.worker.channel("picture", 1), self.worker.channel("long", 2)
        self.addCleanup(self.worker.close)
        self.seen: list[object] = []

    def settle(self) -> None:
        end = time.monotonic() + WAIT_S
        while not self.worker.idle() and time.monotonic() < end:
            time.sleep(0.002)
        while not self.answers.empty():
            self.answers.get()()

    def fail_with(self, message: str) -> None:
        self.seen.append(f"failed: {message}")

    def test_pictures_come_between_the_parts_of_long_work(self) -> None:
        started, asked, parts = threading.Event(), threading.Event(), iter(range(3))

        def part() -> object:
            number = next(parts, None)
            self.seen.append(number)
            started.set()
            asked.wait(WAIT_S)
            return None if number is None else AGAIN

        self.long.ask("a", part, lambda _: self.seen.append("all"), self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.picture.ask("a", lambda: self.seen.append("picture"), lambda _: None, self.fail_with)
        asked.set()
        self.settle()
        self.assertEqual(self.seen, [0, "picture", 1, 2, None, "all"])

    def test_forgotten_work_is_told_and_not_called_again(self) -> None:
        started, go = threading.Event(), threading.Event()

        def part() -> object:
            started.set()
            go.wait(WAIT_S)
            self.seen.append(self.worker.dropped())
            return AGAIN

        self.long.ask("a", part, lambda _: self.seen.append("done"), self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.long.forget()
        go.set()
        self.settle()
        self.assertEqual(self.seen, [True])

    def test_a_newer_request_does_not_stop_the_running_one(self) -> None:
        """Every picture begun while a value is dragged is shown, or there would be none before the hand rests."""
        started, go = threading.Event(), threading.Event()

        def first() -> None:
            started.set()
            go.wait(WAIT_S)
            self.seen.append(self.worker.dropped())

        self.picture.ask("a", first, lambda _: None, self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.picture.ask("a", lambda: self.seen.append("second"), lambda _: None, self.fail_with)
        go.set()
        self.settle()
        self.assertEqual(self.seen, [False, "second"])

    def test_an_answer_for_another_subject_is_never_given(self) -> None:
        go = threading.Event()
        self.picture.ask("shot 1", lambda: go.wait(WAIT_S), lambda _: self.seen.append("shot 1"), self.fail_with)
        self.picture.turn_to("shot 2")
        go.set()
        self.settle()
        self.picture.ask("shot 2", lambda: "b", self.seen.append, self.fail_with)
        self.settle()
        self.picture.turn_to("shot 2")  # the same: what is asked for stays wanted
        self.picture.ask("shot 2", lambda: "c", self.seen.append, self.fail_with)
        self.picture.turn_to("shot 2")
        self.settle()
        self.assertEqual(self.seen, ["b", "c"])

    def test_channels_of_two_owners_do_not_take_each_others_place(self) -> None:
        """A merge that ends while a comparison is made must not leave the comparison waiting for ever."""
        started, go = threading.Event(), threading.Event()
        compare, merged = self.worker.channel("one", 3), self.worker.channel("one", 3)

        def work() -> str:
            started.set()
            go.wait(WAIT_S)
            return "compared"

        compare.ask("card", work, self.seen.append, self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        merged.ask("burst", lambda: "merged", self.seen.append, self.fail_with)
        go.set()
        self.settle()
        self.assertEqual(self.seen, ["compared", "merged"])

    def test_what_goes_wrong_is_one_line(self) -> None:
        def bad() -> None:
            raise ZeroDivisionError("odd")

        self.picture.ask("a", bad, self.seen.append, self.fail_with)
        self.settle()
        self.assertEqual(len(self.seen), 1)
        self.assertRegex(str(self.seen[0]), "failed: .*picture.*errors.log")


if __name__ == "__main__":
    unittest.main()


class Shared(unittest.TestCase):
    """Workers share few threads, and whoever the screen waits for is never kept waiting by the others."""

    def workers(self, rank: Precedence, count: int) -> list[Worker]:
        found = [Worker(f"{rank} {k}", rank=rank) for k in range(count)]
        for worker in found:
            self.addCleanup(worker.close)
        return found

    @staticmethod
    def threads(name: str = "work") -> int:
        return sum(t.name == name for t in threading.enumerate())

    def test_long_work_leaves_threads_to_what_is_looked_at(self) -> None:
        go, seen = threading.Event(), queue.SimpleQueue()  # type: ignore[var-annotated]
        self.addCleanup(go.set)
        ended: list[object] = []
        for worker in self.workers(Precedence.LONG, 6):
            worker.channel("merge").ask("a", lambda: (seen.put("long"), go.wait(WAIT_S)), ended.append, ended.append)
        for rank in (Precedence.PAGE, Precedence.SCREEN):
            (worker,) = self.workers(rank, 1)
            worker.channel("now").ask("a", lambda rank=rank: seen.put(rank), ended.append, ended.append)
        order = [seen.get(timeout=WAIT_S) for _ in range(4)]
        self.assertEqual(
            sorted(map(str, order)), sorted(["long", "long", str(Precedence.PAGE), str(Precedence.SCREEN)])
        )
        time.sleep(0.05)
        self.assertTrue(seen.empty())  # two of six long ones run
        self.assertLessEqual(self.threads(), THREADS)
        go.set()
        self.assertEqual([seen.get(timeout=WAIT_S) for _ in range(4)], ["long"] * 4)

    def test_an_answer_that_nobody_takes_leaves_the_thread_to_others(self) -> None:
        def gone(_: object) -> None:
            raise RuntimeError("the window was taken apart")

        home = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": home}))
        for _ in range(2 * THREADS):
            worker = Worker("lost", gone)
            worker.channel("x").ask("a", lambda: None, lambda _: None, lambda _: None)
            end = time.monotonic() + WAIT_S
            while not worker.idle() and time.monotonic() < end:
                time.sleep(0.002)
            self.assertTrue(worker.idle())
            worker.close()

    def test_threads_end_when_there_is_nothing_to_do(self) -> None:
        pool = Pool(1, name="short")
        with mock.patch.multiple("bruto.session.workers", RETIRED_AFTER_S=0.05, _FRONT=pool):
            (worker,) = self.workers(Precedence.SCREEN, 1)
            for name in ("x", "y"):  # ends, and starts again
                done = threading.Event()
                worker.channel(name).ask("a", done.set, lambda _: None, lambda _: None)
                self.assertTrue(done.wait(WAIT_S))
                end = time.monotonic() + WAIT_S
                while self.threads("short") and time.monotonic() < end:
                    time.sleep(0.02)
                self.assertEqual(self.threads("short"), 0)

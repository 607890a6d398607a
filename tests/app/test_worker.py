"""The render thread: what is urgent comes first, what nobody wants any more stops."""

from __future__ import annotations

import threading
import time
import unittest

from PySide6.QtWidgets import QApplication

from bruto.app.main import application
from bruto.app.worker import AGAIN, Worker

WAIT_S = 60.0


class Order(unittest.TestCase):
    def setUp(self) -> None:
        self.app: QApplication = application()
        self.worker = Worker(("picture", "long"))
        self.addCleanup(self.worker.close)
        self.seen: list[object] = []

    def settle(self) -> None:
        end = time.monotonic() + WAIT_S
        while not self.worker.idle() and time.monotonic() < end:
            time.sleep(0.002)
        self.app.processEvents()

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

        self.worker.ask("long", part, lambda _: self.seen.append("all"), self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.worker.ask("picture", lambda: self.seen.append("picture"), lambda _: None, self.fail_with)
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

        self.worker.ask("long", part, lambda _: self.seen.append("done"), self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.worker.forget("long")
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

        self.worker.ask("picture", first, lambda _: None, self.fail_with)
        self.assertTrue(started.wait(WAIT_S))
        self.worker.ask("picture", lambda: self.seen.append("second"), lambda _: None, self.fail_with)
        go.set()
        self.settle()
        self.assertEqual(self.seen, [False, "second"])


if __name__ == "__main__":
    unittest.main()

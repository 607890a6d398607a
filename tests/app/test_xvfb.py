"""The application in a real window on a virtual display, with a real mouse and keyboard (xdotool)."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from tests.shots import SMALL, copy_of, taken

TOOLS = ("Xvfb", "xdotool")


@unittest.skipUnless(all(shutil.which(t) for t in TOOLS), "needs Xvfb and xdotool")
class RealWindow(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        copy_of(taken("card", size=SMALL, seed=3)[0]["files"], self.folder)
        read, write = os.pipe()
        self.display = subprocess.Popen(
            # no reset when the last of its clients leaves: who comes meanwhile would be turned away
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp", "-noreset"],
            pass_fds=[write], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(write)
        self.addCleanup(self._end, self.display)
        number = b""
        while not number.endswith(b"\n"):
            got = os.read(read, 16)
            self.assertTrue(got, "the virtual display did not start")
            number += got
        os.close(read)
        self.environment = {**os.environ, "DISPLAY": f":{number.decode().strip()}", "QT_QPA_PLATFORM": "xcb"}

    @staticmethod
    def _end(process: subprocess.Popen) -> None:
        process.terminate()
        process.wait(20)

    def hand(self, *arguments: str) -> str:
        return subprocess.run(
            ["xdotool", *arguments], env=self.environment, capture_output=True, text=True, check=True
        ).stdout  # fmt: skip

    def test_take_all_by_key_is_saved_and_the_window_closes(self) -> None:
        program = Path(sys.executable).with_name("bruto")
        window = subprocess.Popen([program, str(self.folder)], env=self.environment, stderr=subprocess.PIPE, text=True)
        try:
            found = ""
            end = time.monotonic() + 60
            while not found and time.monotonic() < end:
                time.sleep(0.2)
                if window.poll() is not None:
                    self.fail(f"the program ended ({window.returncode}): {window.communicate()[1][-2000:]}")
                done = subprocess.run(
                    ["xdotool", "search", "--onlyvisible", "--name", "Bruto"], env=self.environment,
                    capture_output=True, text=True,
                )  # fmt: skip
                found = done.stdout.strip()
            self.assertTrue(found, "no window appeared")
            handle = found.splitlines()[0]
            self.hand("windowfocus", "--sync", handle)
            sidecar = self.folder / "card-003.dng.bruto.json"
            end = time.monotonic() + 60
            while not sidecar.is_file() and time.monotonic() < end:
                self.hand("key", "alt+a")  # take all suggestions, once they are there
                time.sleep(1.5)  # longer than the pause after which values are saved
            self.assertTrue(sidecar.is_file())
            self.assertNotEqual(json.loads(sidecar.read_text())["recipe"]["exposure"], 0.0)
            self.hand("mousemove", "600", "300", "click", "4", "click", "4")  # wheel on the picture
            self.hand("key", "ctrl+q")
            self.assertEqual(window.wait(30), 0)
        finally:
            if window.poll() is None:
                self._end(window)
            assert window.stderr
            text = window.stderr.read()
            window.stderr.close()
        self.assertNotIn("Traceback", text)

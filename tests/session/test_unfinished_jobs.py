"""Work that was cut short is offered again with all that it needs, also by a file that is damaged."""

from __future__ import annotations

import os
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto.develop.strokes import Stroke, strokes_as_json, strokes_of
from bruto.session.long_tasks import KEPT
from bruto.session.unfinished_jobs import MergeTask, unfinished_jobs
from bruto.storage import unfinished_work as kept


class UnfinishedTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = self.enterContext(TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": folder, "XDG_DATA_HOME": folder}))
        self.enterContext(mock.patch.object(kept, "process_gone", return_value=True))  # its window was killed

    def left(self, **what: object) -> list[object]:
        kept.keep_unfinished(KEPT, {"tasks": [{"kind": "merge", **what}]})
        return list(unfinished_jobs())

    def test_a_merge_with_a_painted_border(self) -> None:
        stroke = Stroke(((0.1, 0.2), (0.3, 0.25)), 0.03, False)
        choices = {"even": True, "fade": 0.25, "border": strokes_as_json([stroke])}
        files = ["/a/one.dng", "/a/two.dng"]
        (found,) = self.left(files=files, method="sky", output="/a/out.dng", choices=choices)
        assert isinstance(found, MergeTask)
        self.assertEqual(found.files, (Path("/a/one.dng"), Path("/a/two.dng")))
        self.assertEqual(found.choices, choices)
        self.assertIs(found.choices["even"], True)
        self.assertEqual(strokes_of(found.choices["border"]), (stroke,))

    def test_what_is_no_work_is_passed_over(self) -> None:
        for what in (
            {"files": ["/a"], "method": "sky", "output": "/b"}, {"files": 3, "method": "sky", "output": "/b"},
            {"files": ["/a", "/b"], "method": "sky", "output": "/b", "choices": {"border": "paint"}}, {},
        ):  # fmt: skip
            with self.subTest(what):
                self.assertEqual(self.left(**what), [])


if __name__ == "__main__":
    unittest.main()

"""Which compiled kernels are made anew: those whose source changed, and those it is built into."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from bruto import precompile


class Digests(unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(mock.patch.object(precompile, "ROOT", self.root))
        for name, uses in (("a", ""), ("b", "from bruto.a import x\n"), ("c", "from bruto.b import y\n"), ("d", "")):
            (self.root / f"{name}.py").write_text(f"from numba import njit\n{uses}")
        (self.root / "plain.py").write_text("x = 1\n")

    def test_a_change_reaches_what_it_is_built_into(self) -> None:
        before = precompile._digests()
        self.assertEqual(set(before), {"bruto.a", "bruto.b", "bruto.c", "bruto.d"})
        (self.root / "plain.py").write_text("x = 2\n")
        self.assertEqual(precompile._digests(), before)
        (self.root / "b.py").write_text("from numba import njit\nfrom bruto.a import x\n# changed\n")
        now = precompile._digests()
        self.assertEqual({n for n in now if now[n] != before[n]}, {"bruto.b", "bruto.c"})

    def test_only_what_grew_old_is_thrown_away(self) -> None:
        cache = self.root / "__pycache__"
        cache.mkdir()
        for name in ("a.f-1.py311.nbi", "a.f-1.py311.1.nbc", "ab.f-1.py311.nbi", "a.cpython-311.pyc"):
            (cache / name).touch()
        precompile._forget(self.root / "a.py")
        self.assertEqual({p.name for p in cache.iterdir()}, {"ab.f-1.py311.nbi", "a.cpython-311.pyc"})

    def test_nothing_is_compiled_where_nothing_changed(self) -> None:
        home = {"XDG_CACHE_HOME": str(self.root / "cache")}
        with mock.patch.dict("os.environ", home), mock.patch.object(precompile.subprocess, "Popen") as popen:
            popen.return_value.wait.return_value = 0
            self.assertEqual((precompile.main(), popen.call_count), (0, 2))
            self.assertEqual((precompile.main(), popen.call_count), (0, 4))  # the kernels are not there: another clone
            (self.root / "__pycache__").mkdir(exist_ok=True)
            (self.root / "__pycache__/a.f-1.py311.nbi").touch()
            self.assertEqual((precompile.main(), popen.call_count), (0, 4))
            popen.return_value.wait.return_value = 1
            (self.root / "d.py").write_text("from numba import njit\n# changed\n")
            self.assertEqual((precompile.main(), precompile.main(), popen.call_count), (1, 1, 8))

"""The command line: every task without a window."""

from bruto.cli.base import app
from bruto.cli.main import main, run

__all__ = ["app", "main", "run"]

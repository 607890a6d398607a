"""`python -m bruto.cli`."""

from bruto.cli.main import run

run()

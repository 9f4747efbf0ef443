"""`python -m kiteroll.cli`: the same as `kiteroll`."""

from kiteroll.cli.main import run

run()

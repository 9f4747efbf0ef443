"""Puts the clock of a collector's machine apart from the others', by KITEROLL_TEST_CLOCK_AHEAD seconds. It is
found in the path of its Python, in place of a machine of its own."""

import os
from datetime import timedelta

from kiteroll.collector import centre_clock

_ahead = timedelta(seconds=float(os.environ["KITEROLL_TEST_CLOCK_AHEAD"]))
_true = centre_clock._machine_now
centre_clock._machine_now = lambda: _true() + _ahead

"""When Python looks for garbage in processes that hold a fleet: seldom, and not in what stays."""

import gc

_THRESHOLDS = (10_000, 20, 50)
"""A full collection halts every answer for a tenth of a second at half a million addresses; with
Python's own thresholds that came more than once a second under load."""


def collect_seldom() -> None:
    gc.set_threshold(*_THRESHOLDS)


def freeze_what_is_loaded() -> None:
    """What was loaded stays: no collection needs to go through it. What was loaded before may be gone."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()

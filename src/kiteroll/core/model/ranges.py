"""Numbers as ranges, for ports that carry hundreds of VLANs."""

from collections.abc import Iterable


def ranges(numbers: Iterable[int]) -> list[str]:
    """1, 10-14: each run of neighbours as one text, ascending."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return [str(run[0]) if len(run) == 1 else f"{run[0]}-{run[-1]}" for run in runs]

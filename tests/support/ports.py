"""Port numbers nobody uses at the moment, and that nobody else is given."""

import os
import random
import socket
from collections.abc import Iterator

_FIRST, _LAST = 10_000, 32_000
"""Below those that Linux gives to outgoing connections (ip_local_port_range)."""


def free_udp_port() -> int:
    return _free(socket.SOCK_DGRAM)


def free_tcp_port() -> int:
    return _free(socket.SOCK_STREAM)


def _mine() -> Iterator[int]:
    """Each process of a test run has a share of its own, and gives each number once."""
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    share = list(range(_FIRST + worker, _LAST, workers))
    begin = random.randrange(len(share))  # what an earlier run used may not be free yet
    while True:
        yield from share[begin:] + share[:begin]


_numbers = _mine()


def _free(kind: socket.SocketKind) -> int:
    for number in _numbers:
        with socket.socket(socket.AF_INET, kind) as probe:
            try:
                probe.bind(("127.0.0.1", number))
            except OSError:
                continue
            return number
    raise AssertionError("there is always another number")

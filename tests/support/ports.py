"""Port numbers nobody uses at the moment."""

import socket


def free_udp_port() -> int:
    return _free(socket.SOCK_DGRAM)


def free_tcp_port() -> int:
    return _free(socket.SOCK_STREAM)


def _free(kind: socket.SocketKind) -> int:
    with socket.socket(socket.AF_INET, kind) as probe:
        probe.bind(("127.0.0.1", 0))
        number: int = probe.getsockname()[1]
        return number

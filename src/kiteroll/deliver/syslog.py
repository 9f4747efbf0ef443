"""Syslog (RFC 5424): by UDP (RFC 5426), TCP with octet counting (RFC 6587), or TLS (RFC 5425)."""

import os
import socket
import ssl
from contextlib import suppress
from dataclasses import dataclass

from kiteroll.deliver.delivery import TIMEOUT_S, Delivery, Message, NotDelivered
from kiteroll.deliver.tls import client_context

_ENTERPRISE = 32473
"""The number of examples (RFC 5612): there is none of ours."""
_SEVERITY = {"serious": 3, "warning": 4, "note": 5}
_INFORMATIONAL = 6
_LONGEST_DATAGRAM = 2048
"""Octets every receiver should take (RFC 5424, section 6.1)."""
_CLOSING_S = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Syslog:
    host: str
    port: int
    transport: str
    """udp, tcp or tls."""
    facility: int = 16
    """local0."""
    ca_file: str = ""

    def send(self, delivery: Delivery) -> None:
        """Each message is one of syslog. Raises NotDelivered; by UDP nobody says whether it arrived."""
        lines = [self.line(one, delivery) for one in delivery.messages]
        try:
            if self.transport == "udp":
                self._datagrams(lines)
            else:
                self._stream(lines)
        except OSError as wrong:
            where = f"syslog receiver {self.host}:{self.port}"
            raise NotDelivered(f"{where}: {wrong.strerror or wrong or type(wrong).__name__}") from wrong

    def line(self, message: Message, delivery: Delivery) -> bytes:
        severity = _INFORMATIONAL if message.over else _SEVERITY.get(message.severity, _INFORMATIONAL)
        content = message.content
        pairs = {
            name: content[name]
            for name in ("reason", "kind", "severity", "switch", "port", "mac", "by", "action", "digest")
            if content.get(name)
        }
        pairs |= {"number": message.number, "delivery": delivery.id}
        if delivery.possibly_repeated:
            pairs["repeated"] = "possibly"
        structured = " ".join(f'{name}="{_escaped(value)}"' for name, value in pairs.items())
        stamp = message.at.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        kind = "".join(c for c in str(content.get("kind") or "audit") if 33 <= ord(c) < 127)[:32]
        priority = self.facility * 8 + severity
        head = f"<{priority}>1 {stamp} {delivery.service[:255]} kiteroll {os.getpid()} {kind}"
        text = " ".join(message.line.split())
        return f"{head} [kiteroll@{_ENTERPRISE} {structured}] \ufeff{text}".encode()

    def _datagrams(self, lines: list[bytes]) -> None:
        family, _, _, _, address = socket.getaddrinfo(self.host, self.port, type=socket.SOCK_DGRAM)[0]
        with socket.socket(family, socket.SOCK_DGRAM) as sock:
            sock.settimeout(TIMEOUT_S)
            sock.connect(address)
            for line in lines:
                sock.send(line[:_LONGEST_DATAGRAM].decode(errors="ignore").encode())

    def _stream(self, lines: list[bytes]) -> None:
        with socket.create_connection((self.host, self.port), TIMEOUT_S) as plain:
            if self.transport == "tls":
                context = client_context(self.ca_file)
                sock: socket.socket = context.wrap_socket(plain, server_hostname=self.host)
            else:
                sock = plain
            with sock:
                sock.sendall(b"".join(b"%d %b" % (len(line), line) for line in lines))
                # The receiver says nothing. That it did not cut the connection before it was closed is all
                # there is to know.
                sock.settimeout(_CLOSING_S)
                with suppress(TimeoutError, ssl.SSLEOFError, ssl.SSLZeroReturnError):
                    if self.transport == "tls":
                        sock.unwrap()  # type: ignore[attr-defined]
                    else:
                        sock.shutdown(socket.SHUT_WR)
                        sock.recv(1)


def _escaped(value: object) -> str:
    """RFC 5424, section 6.3.3."""
    text = " ".join(str(value).split())
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("]", "\\]")

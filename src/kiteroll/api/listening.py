"""Where the service listens: addresses, and TLS."""

import ipaddress
import logging
import socket
import ssl
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from datetime import datetime
from pathlib import Path

from kiteroll.app.certificates import ensure_self_signed
from kiteroll.app.config import Config
from kiteroll.app.logs import fields
from kiteroll.app.settings import Listen
from kiteroll.core.errors import ConfigError, Conflict

log = logging.getLogger(__name__)
_KEY_FILE = "certificate.key"
_BACKLOG = 128


@contextmanager
def listening(listen: Listen) -> Iterator[list[socket.socket]]:
    """A socket for each address. Raises Conflict, or ConfigError for an address that is none, or that is
    reached from other machines without TLS and no setting allows it."""
    with ExitStack() as stack:
        yield [
            stack.enter_context(_listener(family, address, listen))
            for family, address in _addresses(listen.hosts, listen.port)
        ]


class Tls:
    """Certificate and key, as they are on disk: read again when they change."""

    def __init__(self, certificate: Path, key: Path) -> None:
        """Raises ConfigError."""
        self.certificate = certificate
        self._key = key
        self.context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self.context.minimum_version = ssl.TLSVersion.TLSv1_2
        self._loaded = self._state()
        self._load(self.context)

    def reload_if_changed(self) -> None:
        """New connections get the new certificate; one that cannot be used leaves the old one in place."""
        try:
            state = self._state()
            if state == self._loaded:
                return
            self._loaded = state
            self._load(ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER))  # on trial
            self._load(self.context)
        except ConfigError as wrong:
            log.error(
                "the certificate changed and cannot be used: the one before stays",
                extra=fields("tls.refused", error="; ".join(wrong.problems)),
            )
        else:
            log.info("the certificate changed: new connections get it", extra=fields("tls.reloaded"))

    def _state(self) -> tuple[int, int, int, int]:
        try:
            certificate, key = self.certificate.stat(), self._key.stat()
        except OSError as wrong:
            missing = str(wrong.filename)
            raise ConfigError(missing, (f"cannot be read: {wrong.strerror}",)) from wrong
        return certificate.st_mtime_ns, certificate.st_ino, key.st_mtime_ns, key.st_ino

    def _load(self, context: ssl.SSLContext) -> None:
        try:
            context.load_cert_chain(self.certificate, self._key, password="")
        except (OSError, ValueError) as wrong:  # ssl.SSLError is an OSError
            why = f"certificate and key cannot be used together: {wrong} @ listen.certificate, listen.key"
            raise ConfigError(str(self.certificate), (why,)) from wrong


def make_tls(config: Config, now: datetime) -> Tls | None:
    """None: without. Raises ConfigError."""
    listen, certificate = config.listen, config.certificate_file
    if certificate is None:
        return None
    if listen.key is not None:
        return Tls(certificate, listen.key)
    key = config.data_dir / _KEY_FILE
    names = ["localhost", "127.0.0.1", "::1", socket.gethostname(), *listen.names]
    names += [host for host in listen.hosts if not _is_every_address(host)]
    ensure_self_signed(certificate, key, list(dict.fromkeys(names)), now)
    return Tls(certificate, key)


def check_who_hears(listen: Listen) -> None:
    """Raises ConfigError: passwords and tokens would travel in clear."""
    if listen.tls or listen.plain_http:
        return
    for _, address in _addresses(listen.hosts, listen.port):
        if not ipaddress.ip_address(address[0].partition("%")[0]).is_loopback:
            why = (
                f"{address[0]} is reached from other machines, and passwords would travel in clear: set "
                "listen.certificate and listen.key, or listen.self_signed = true; or, where a proxy does "
                "TLS, listen.plain_http = true @ listen.host"
            )
            raise ConfigError("settings", (why,))


def _addresses(hosts: Sequence[str], port: int) -> list[tuple[int, tuple[str, int]]]:
    """Families and addresses, each once. Raises ConfigError."""
    found: dict[tuple[str, int], int] = {}
    for host in hosts:
        try:
            infos = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)
        except socket.gaierror as wrong:
            why = f"{host!r} is no address of this machine: {wrong.strerror} @ listen.host"
            raise ConfigError("settings", (why,)) from wrong
        for family, _, _, _, address in infos:
            found.setdefault((str(address[0]), port), family)
    return [(family, address) for address, family in found.items()]


@contextmanager
def _listener(family: int, address: tuple[str, int], listen: Listen) -> Iterator[socket.socket]:
    with socket.socket(family, socket.SOCK_STREAM) as listener:
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        if family == socket.AF_INET6:
            # "::" is every IPv6 address alone, so that 0.0.0.0 can be listened on beside it.
            listener.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
        try:
            listener.bind(address)
            listener.listen(_BACKLOG)
        except OSError as taken:
            raise Conflict(
                f"cannot listen on {address[0]} port {listen.port}: {taken.strerror}. Another program, or "
                "another Kite Roll, may use it: choose another with --listen-port, or listen.port in the "
                "configuration"
            ) from taken
        yield listener


def _is_every_address(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_unspecified
    except ValueError:
        return False

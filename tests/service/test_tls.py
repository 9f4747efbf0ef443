"""TLS and addresses to listen on: a real service, and real handshakes."""

import re
import socket
import ssl
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from cryptography import x509

from kiteroll.api.listening import check_who_hears
from kiteroll.app.certificates import ensure_self_signed, make_self_signed
from kiteroll.app.settings import Listen
from kiteroll.core.errors import ConfigError
from tests.support.harness import NewService, Service, wait_until
from tests.support.ports import free_tcp_port


def serial(port: int, trusted: Path, host: str = "127.0.0.1") -> int:
    """Of the certificate that a new connection gets; it is checked."""
    context = ssl.create_default_context(cafile=trusted)
    with (
        socket.create_connection((host, port), 10) as plain,
        context.wrap_socket(plain, server_hostname=host) as wrapped,
    ):
        return x509.load_der_x509_certificate(wrapped.getpeercert(binary_form=True) or b"").serial_number


def write(folder: Path) -> int:
    """A new certificate and its key; its serial number."""
    certificate, key = make_self_signed(["127.0.0.1", "::1"], datetime.now(UTC))
    (folder / "tls.key").write_bytes(key)
    (folder / "tls.pem").write_bytes(certificate)
    return x509.load_pem_x509_certificate(certificate).serial_number


@pytest.fixture
def config(tmp_path: Path) -> Path:
    file = tmp_path / "kiteroll.toml"
    file.write_text(f'[listen]\ncertificate = "{tmp_path}/tls.pem"\nkey = "{tmp_path}/tls.key"\n')
    return file


def test_a_new_certificate_is_taken_without_a_restart_and_a_bad_one_is_not(
    new_service: NewService, tmp_path: Path, config: Path
) -> None:
    first = write(tmp_path)
    trusted = tmp_path / "tls.pem"
    words = ("--config", str(config), "--listen-host", "127.0.0.1,::1")
    service: Service = new_service(extra=words, ca_file=trusted)
    assert serial(service.port, trusted) == first
    assert serial(service.port, trusted, "::1") == first
    verified = ssl.create_default_context(cafile=trusted)
    with service.http(base_url=f"https://[::1]:{service.port}", verify=verified) as browser:
        signed_in = browser.post("/api/v1/session", json={"token": service.token})
        assert "secure" in signed_in.headers["set-cookie"].lower()
    with pytest.raises(httpx.TransportError):
        httpx.get(f"http://127.0.0.1:{service.port}/health/live")

    (tmp_path / "tls.key").write_text("no key")
    wait_until(lambda: "cannot be used" in service.log, "the bad key to be reported")
    assert serial(service.port, trusted) == first
    second = write(tmp_path)
    wait_until(lambda: _serial_or_none(service.port, trusted) == second, "the new certificate")


def _serial_or_none(port: int, trusted: Path) -> int | None:
    try:
        return serial(port, trusted)
    except ssl.SSLError:
        return None  # the old one, which the new file does not vouch for


def test_a_certificate_of_its_own_is_made_and_trusted_by_the_command_line(
    new_service: NewService, tmp_path: Path
) -> None:
    trusted = tmp_path / "data-0" / "certificate.pem"
    service = new_service(extra=("--self-signed",), ca_file=trusted)
    command = [sys.executable, "-m", "kiteroll.cli", "health", "--data", str(service.data)]
    done = subprocess.run([*command, "--url", service.url], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stderr
    assert (service.data / "certificate.key").stat().st_mode & 0o777 == 0o600
    assert serial(service.port, trusted)
    made = trusted.read_bytes()
    ensure_self_signed(trusted, service.data / "certificate.key", ["localhost"], datetime.now(UTC))
    assert trusted.read_bytes() == made, "it is made once"


@pytest.mark.parametrize(
    ("given", "reported"),
    [
        ({"host": "0.0.0.0"}, "passwords would travel in clear"),
        ({"host": "127.0.0.1,::"}, "listen.plain_http"),
        ({"host": "no.such.host.invalid"}, "is no address of this machine"),
    ],
)
def test_nobody_beyond_this_machine_hears_it_without_tls_unless_configured(
    given: dict[str, str], reported: str
) -> None:
    with pytest.raises(ConfigError, match=re.escape(reported)):
        check_who_hears(Listen(**given))  # type: ignore[arg-type]
    if "invalid" not in given["host"]:
        check_who_hears(Listen(**given, plain_http=True))  # type: ignore[arg-type]
        check_who_hears(Listen(**given, self_signed=True))  # type: ignore[arg-type]


def test_a_certificate_that_is_not_there_is_reported_before_anything_is_started(
    tmp_path: Path, config: Path
) -> None:
    command = [sys.executable, "-m", "kiteroll.cli", "up", "--data", str(tmp_path / "data")]
    command += ["--listen-port", str(free_tcp_port()), "--config", str(config)]
    done = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert done.returncode == 2 and "tls.pem" in done.stderr and "Traceback" not in done.stderr
    assert not (tmp_path / "data" / "database").exists()

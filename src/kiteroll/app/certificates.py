"""Certificates of the service: made by itself on request, and read for when they end."""

import ipaddress
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from kiteroll.core.errors import ConfigError
from kiteroll.private_file import write_private

VALID_FOR = timedelta(days=397)
_CLOCKS_DIFFER_BY = timedelta(hours=1)


def make_self_signed(names: Sequence[str], now: datetime) -> tuple[bytes, bytes]:
    """Certificate and key, as PEM. `names`: host names and addresses (RFC 5280, subjectAltName) it is for,
    at least one."""
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, names[0][:64])])
    certificate = (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - _CLOCKS_DIFFER_BY)
        .not_valid_after(now + VALID_FOR)
        .add_extension(x509.SubjectAlternativeName([_general_name(name) for name in names]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )
    return (
        certificate.public_bytes(serialization.Encoding.PEM),
        key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        ),
    )


def ensure_self_signed(certificate: Path, key: Path, names: Sequence[str], now: datetime) -> None:
    """Make both files unless they are there and hold for another month. Raises ConfigError."""
    try:
        if certificate.exists() and key.exists() and ends_at(certificate) > now + timedelta(days=30):
            return
        certificate_pem, key_pem = make_self_signed(names, now)
        for file, pem in ((key, key_pem), (certificate, certificate_pem)):
            file.unlink(missing_ok=True)
            write_private(file, pem.decode())
    except OSError as wrong:
        raise ConfigError(str(certificate), (f"cannot be written: {wrong.strerror}",)) from wrong


def ends_at(certificate: Path) -> datetime:
    """When the first certificate of a PEM file ends. Raises ConfigError."""
    try:
        return x509.load_pem_x509_certificate(certificate.read_bytes()).not_valid_after_utc
    except OSError as wrong:
        raise ConfigError(str(certificate), (f"cannot be read: {wrong.strerror}",)) from wrong
    except ValueError as wrong:
        raise ConfigError(str(certificate), (f"is no certificate in PEM: {wrong}",)) from wrong


def _general_name(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(name))
    except ValueError:
        return x509.DNSName(name)

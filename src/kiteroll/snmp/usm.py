"""The user-based security model of SNMPv3 (RFC 3414, RFC 7860, RFC 3826), without I/O.

Authentication by HMAC-SHA-1 or HMAC-SHA-2, privacy by AES-128 in CFB mode: the standard ones.
"""

import hashlib
import hmac
import os
from collections import OrderedDict
from dataclasses import dataclass, field
from enum import Enum, StrEnum

from cryptography.hazmat.decrepit.ciphers.modes import CFB
from cryptography.hazmat.primitives.ciphers import Cipher
from cryptography.hazmat.primitives.ciphers.algorithms import AES128

from kiteroll.snmp import ber
from kiteroll.snmp.ber import Malformed

V3 = 3
MAX_MESSAGE = 65_507
_USM = 3
"""msgSecurityModel of the user-based security model."""
_FLAG_AUTH, _FLAG_PRIV, FLAG_REPORTABLE = 1, 2, 4
WINDOW_S = 150
"""Seconds by which a message may be off the authoritative engine's clock (RFC 3414 2.2.3)."""
LAST_BOOT = 2**31 - 1
"""snmpEngineBoots of an engine that can count no further: nothing of it is in time any more."""
_PASSWORD_STRETCH = 1_048_576
SHORTEST_PASSWORD = 8


class Auth(StrEnum):
    SHA1 = "sha1"
    SHA224 = "sha224"
    SHA256 = "sha256"
    SHA384 = "sha384"
    SHA512 = "sha512"

    @property
    def digest_octets(self) -> int:
        """How much of the digest travels (RFC 3414 6.3.1, RFC 7860 4.2.2)."""
        return {"sha1": 12, "sha224": 16, "sha256": 24, "sha384": 32, "sha512": 48}[self.value]


class UsmError(Enum):
    """Why an engine refused a message: the counters of usmStats (RFC 3414 section 5)."""

    UNSUPPORTED_LEVEL = 1
    NOT_IN_TIME = 2
    UNKNOWN_USER = 3
    UNKNOWN_ENGINE = 4
    WRONG_DIGEST = 5
    DECRYPTION = 6


USM_STATS = ber.oid("1.3.6.1.6.3.15.1.1")


@dataclass(frozen=True, slots=True, kw_only=True)
class User:
    """Security level follows from what is given: noAuthNoPriv, authNoPriv or authPriv."""

    name: str
    auth: Auth | None = None
    auth_password: str = field(default="", repr=False)
    privacy: bool = False
    privacy_password: str = field(default="", repr=False)

    def __post_init__(self) -> None:
        if self.privacy and self.auth is None:
            raise ValueError("privacy needs authentication")
        for given, password in ((self.auth, self.auth_password), (self.privacy, self.privacy_password)):
            if given and len(password) < SHORTEST_PASSWORD:
                raise ValueError(f"SNMPv3 passwords have at least {SHORTEST_PASSWORD} characters")

    @property
    def flags(self) -> int:
        return (_FLAG_AUTH if self.auth else 0) | (_FLAG_PRIV if self.privacy else 0)


@dataclass(frozen=True, slots=True)
class Engine:
    """An authoritative engine: who it is, how often it started, and its clock then, in seconds."""

    id: bytes
    boots: int
    time: int


@dataclass(frozen=True, slots=True)
class Envelope:
    """What surrounds a scoped PDU."""

    message_id: int
    flags: int
    engine: Engine
    user: bytes
    scoped: bytes
    """Encoded scopedPDU, decrypted."""


def scoped_pdu(engine_id: bytes, context: bytes, pdu: bytes) -> bytes:
    content = ber.encode(ber.OCTET_STRING, engine_id) + ber.encode(ber.OCTET_STRING, context) + pdu
    return ber.encode(ber.SEQUENCE, content)


def seal(user: User, engine: Engine, message_id: int, flags: int, scoped: bytes) -> bytes:
    """A whole message, authenticated and encrypted as `flags` say (see `User.flags`)."""
    privacy_salt = b""
    if flags & _FLAG_PRIV and user.auth is not None:
        privacy_salt = os.urandom(8)
        key = _localized(user.auth, user.privacy_password, engine.id)[:16]
        encryptor = Cipher(AES128(key), CFB(_iv(engine, privacy_salt))).encryptor()
        scoped = ber.encode(ber.OCTET_STRING, encryptor.update(scoped) + encryptor.finalize())
    digest_octets = user.auth.digest_octets if flags & _FLAG_AUTH and user.auth else 0
    head = (
        ber.encode(ber.OCTET_STRING, engine.id)
        + ber.encode_int(engine.boots)
        + ber.encode_int(engine.time)
        + ber.encode(ber.OCTET_STRING, user.name.encode())
    )
    digest = ber.encode(ber.OCTET_STRING, bytes(digest_octets))
    security = ber.encode(ber.SEQUENCE, head + digest + ber.encode(ber.OCTET_STRING, privacy_salt))
    globals_ = (
        ber.encode_int(message_id)
        + ber.encode_int(MAX_MESSAGE)
        + ber.encode(ber.OCTET_STRING, bytes((flags,)))
        + ber.encode_int(_USM)
    )
    before = ber.encode_int(V3) + ber.encode(ber.SEQUENCE, globals_)
    message = ber.encode(ber.SEQUENCE, before + ber.encode(ber.OCTET_STRING, security) + scoped)
    if not digest_octets or user.auth is None:
        return message
    key = _localized(user.auth, user.auth_password, engine.id)
    at = message.index(head) + len(head) + 2
    made = hmac.new(key, message, user.auth.value).digest()[:digest_octets]
    return message[:at] + made + message[at + digest_octets :]


class Refused(Exception):
    """A message that does not pass: `error` is what an engine reports back."""

    def __init__(self, error: UsmError) -> None:
        super().__init__(error)
        self.error = error


def unseal(data: bytes, user: User | None) -> Envelope:
    """Take a message apart; with `user`, check its digest and decrypt it by that user's keys.

    Raises Malformed, or Refused (wrong digest, cannot be decrypted, level the user does not have).
    Whether it is timely is for the caller to judge.
    """
    at, _ = ber.expect(data, 0, ber.SEQUENCE)
    start, at = ber.expect(data, at, ber.INTEGER)
    if ber.decode_int(data[start:at]) != V3:
        raise Malformed("not an SNMPv3 message")
    globals_at, at = ber.expect(data, at, ber.SEQUENCE)
    message_id, place = _integer(data, globals_at)
    _, place = _integer(data, place)
    flags_at, flags_end = ber.expect(data, place, ber.OCTET_STRING)
    if flags_end != flags_at + 1:
        raise Malformed("message flags are not one octet")
    flags = data[flags_at]
    security_at, at = ber.expect(data, at, ber.OCTET_STRING)
    place, _ = ber.expect(data, security_at, ber.SEQUENCE)
    start, place = ber.expect(data, place, ber.OCTET_STRING)
    engine_id = data[start:place]
    boots, place = _integer(data, place)
    time, place = _integer(data, place)
    start, place = ber.expect(data, place, ber.OCTET_STRING)
    name = data[start:place]
    digest_at, place = ber.expect(data, place, ber.OCTET_STRING)
    digest_end = place
    start, place = ber.expect(data, place, ber.OCTET_STRING)
    salt = data[start:place]
    engine = Engine(engine_id, boots, time)
    body = data[at:]
    if flags & _FLAG_AUTH and user is not None:
        _check_digest(data, digest_at, digest_end, user, engine_id)
    if flags & _FLAG_PRIV:
        body = _decrypted(body, salt, user, engine)
    return Envelope(message_id, flags, engine, name, body)


def read_scoped(scoped: bytes) -> tuple[bytes, bytes, int]:
    """contextEngineID, contextName, and where the PDU begins. Raises Malformed."""
    at, _ = ber.expect(scoped, 0, ber.SEQUENCE)
    start, at = ber.expect(scoped, at, ber.OCTET_STRING)
    engine_id = scoped[start:at]
    start, at = ber.expect(scoped, at, ber.OCTET_STRING)
    return engine_id, scoped[start:at], at


def _check_digest(data: bytes, start: int, end: int, user: User, engine_id: bytes) -> None:
    if user.auth is None:
        raise Refused(UsmError.UNSUPPORTED_LEVEL)
    if end - start != user.auth.digest_octets:
        raise Refused(UsmError.WRONG_DIGEST)
    key = _localized(user.auth, user.auth_password, engine_id)
    blank = data[:start] + bytes(end - start) + data[end:]
    made = hmac.new(key, blank, user.auth.value).digest()[: end - start]
    if not hmac.compare_digest(made, data[start:end]):
        raise Refused(UsmError.WRONG_DIGEST)


def _decrypted(body: bytes, salt: bytes, user: User | None, engine: Engine) -> bytes:
    if user is None or not user.privacy or user.auth is None:
        raise Refused(UsmError.UNSUPPORTED_LEVEL)
    if len(salt) != 8:
        raise Refused(UsmError.DECRYPTION)
    start, end = ber.expect(body, 0, ber.OCTET_STRING)
    key = _localized(user.auth, user.privacy_password, engine.id)[:16]
    decryptor = Cipher(AES128(key), CFB(_iv(engine, salt))).decryptor()
    plain = decryptor.update(body[start:end]) + decryptor.finalize()
    try:
        read_scoped(plain)
    except Malformed as garbled:
        raise Refused(UsmError.DECRYPTION) from garbled
    return plain


def _iv(engine: Engine, salt: bytes) -> bytes:
    """RFC 3826 3.1.2.1."""
    return (
        (engine.boots & 0xFFFFFFFF).to_bytes(4, "big") + (engine.time & 0xFFFFFFFF).to_bytes(4, "big") + salt
    )


_MAX_KEYS = 4096
_fingerprint_key = os.urandom(32)
_keys: OrderedDict[tuple[Auth, bytes, bytes], bytes] = OrderedDict()
"""Keys that were made, by protocol, fingerprint of the password, and engine: never by the password."""


def _localized(auth: Auth, password: str, engine_id: bytes) -> bytes:
    """Password to key, localized to one engine (RFC 3414 A.2, RFC 7860 9.3)."""
    fingerprint = hashlib.blake2b(password.encode(), key=_fingerprint_key).digest()
    known = _keys.get((auth, fingerprint, engine_id))
    if known is not None:
        return known
    key = _keys.get((auth, fingerprint, b"")) or _key(auth, password)
    localized = hashlib.new(auth.value, key + engine_id + key).digest()
    _keys[auth, fingerprint, b""] = key
    _keys[auth, fingerprint, engine_id] = localized
    while len(_keys) > _MAX_KEYS:
        _keys.popitem(last=False)
    return localized


def _key(auth: Auth, password: str) -> bytes:
    octets = password.encode()
    repeated = octets * (_PASSWORD_STRETCH // len(octets) + 1)
    return hashlib.new(auth.value, repeated[:_PASSWORD_STRETCH]).digest()


def _integer(data: bytes, at: int) -> tuple[int, int]:
    start, end = ber.expect(data, at, ber.INTEGER)
    return ber.decode_int(data[start:end]), end

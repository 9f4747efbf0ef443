"""Column types: conversions between Python and the database."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, Dialect
from sqlalchemy.dialects.mysql import BIGINT, DATETIME, VARCHAR
from sqlalchemy.types import TypeDecorator

from kiteroll.core.model.mac import MacAddress


class Instant(TypeDecorator[datetime]):
    """An aware UTC instant in a DATETIME(6), which holds no zone of its own."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError(f"an instant must be aware: {value!r}")
        return value.astimezone(UTC).replace(tzinfo=None)

    def result_processor(self, dialect: Dialect, coltype: object) -> None:
        """None: `instant_of` has been at work in the driver, for every row of every list."""


class Mac(TypeDecorator[MacAddress]):
    """A MAC address as an unsigned integer: eight octets, and ranges of prefixes are ranges."""

    impl = BigInteger().with_variant(BIGINT(unsigned=True), "mysql", "mariadb")
    cache_ok = True

    def process_bind_param(self, value: int | None, dialect: Dialect) -> int | None:
        return None if value is None else int(value)

    def result_processor(self, dialect: Dialect, coltype: object) -> Callable[[Any], MacAddress | None]:
        return _mac


def _mac(value: int | None) -> MacAddress | None:
    return None if value is None else MacAddress(value)


def instant_of(text: str) -> datetime:
    """What the driver makes of a DATETIME: sessions speak UTC."""
    return datetime.fromisoformat(text + "+00:00")


def exact_text(length: int) -> VARCHAR:
    """Text compared octet by octet: port names that differ in case are different ports."""
    return VARCHAR(length, charset="utf8mb4", collation="utf8mb4_bin")

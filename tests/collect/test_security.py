"""Answers under SNMPv3 are those of the engine, the user and the time that were asked (RFC 3414 3.2)."""

import pytest

from kiteroll.collect.security import ByUser, Reported
from kiteroll.snmp.ber import Malformed
from kiteroll.snmp.message import Pdu, PduType, encode_pdu, request_pdu
from kiteroll.snmp.usm import LAST_BOOT, Auth, Engine, User, scoped_pdu, seal

USER = User(name="reader", auth=Auth.SHA256, auth_password="ferry-across-the-tarn")
HERE = Engine(b"\x80\x00\x00\x00\x05here", 7, 1000)
REPORT = seal(User(name=""), HERE, 1, 0, scoped_pdu(HERE.id, b"", encode_pdu(PduType.REPORT, 1, 0, 0, [])))


def _discovered() -> ByUser:
    security = ByUser(USER)
    security.opening(1)
    with pytest.raises(Reported):
        security.decode(REPORT, 0.0)
    return security


def _answer(engine: Engine = HERE, user: User = USER, kind: PduType = PduType.RESPONSE) -> bytes:
    scoped = scoped_pdu(engine.id, b"", encode_pdu(kind, 5, 0, 0, []))
    return seal(user, engine, 5, user.flags, scoped)


def _decode(security: ByUser, data: bytes, now: float = 10.0) -> Pdu:
    security.encode(5, request_pdu(PduType.GET, 5, []), now)
    return security.decode(data, now)[1]


def test_an_answer_of_the_engine_in_its_time_is_taken() -> None:
    assert _decode(_discovered(), _answer(Engine(HERE.id, 7, 1010))).kind == PduType.RESPONSE


@pytest.mark.parametrize(
    "answer",
    [
        _answer(Engine(b"\x80\x00\x00\x00\x05elsewhere", 7, 1010)),
        _answer(user=User(name="another", auth=Auth.SHA256, auth_password=USER.auth_password)),
        _answer(Engine(HERE.id, 6, 1010)),
        _answer(Engine(HERE.id, 7, 800)),
        _answer(Engine(HERE.id, LAST_BOOT, 1010)),
        _answer(user=User(name="reader")),
        _answer(kind=PduType.GET),
    ],
    ids=[
        "another engine",
        "another user",
        "old boot",
        "too old",
        "no boots left",
        "no digest",
        "no response",
    ],
)
def test_any_other_answer_is_dropped(answer: bytes) -> None:
    with pytest.raises(Malformed):
        _decode(_discovered(), answer)


def test_an_answer_from_before_a_later_one_by_more_than_the_window_is_dropped() -> None:
    security = _discovered()
    _decode(security, _answer(Engine(HERE.id, 8, 5)), now=20.0)
    with pytest.raises(Malformed):
        _decode(security, _answer(Engine(HERE.id, 7, 1020)), now=21.0)

"""Rules of ports through the API, the client and the command line, and the findings they raise."""

from collections.abc import Iterator
from datetime import UTC, datetime

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    ServiceError,
    add_switch,
    enrol,
    finding_kind,
    findings,
    import_readings,
    roll_call,
    rules,
    set_rule,
    strike_off,
)
from kiteroll.schemas.api import FindingKind, NewEntry, NewRule, NewSwitch
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.factories import mac, reading
from tests.support.harness import Service, wait_until
from tests.support.ports import free_tcp_port

LAMP, GUEST = 1, 2


@pytest.fixture(scope="module")
def ruled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """One switch in two groups, and three devices on its first port."""
    folder = tmp_path_factory.mktemp("ruled")
    settings = folder / "settings.toml"
    settings.write_text('[findings]\nport_rule_delay = "0s"\n')
    service = Service(folder / "data", free_tcp_port(), extra=("--config", str(settings)))
    service.start()
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="quay-1", source="files", groups=["access", "quays"])))
        _import(client, {(LAMP, 30): "p1", (GUEST, 30): "p1", (3, 30): "p1", (4, 30): "p2"})
    yield service
    assert service.end() == 0


def _import(client: Client, learned: dict[tuple[int, int], str]) -> None:
    values = to_document(reading(0, learned, switch="quay-1")).model_dump()
    values["device"]["uptime_s"] = None
    document = ReadingDocument.model_validate(values | {"taken_at": datetime.now(UTC)})
    client.send(import_readings([document]))


@pytest.fixture
def kite(ruled: Service) -> Iterator[Client]:
    with ruled.client() as client:
        yield client


@pytest.fixture
def cli(ruled: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KITEROLL_URL", ruled.url)
    monkeypatch.setenv("KITEROLL_TOKEN", ruled.token)


def _open(kite: Client, kind: FindingKind, count: int) -> list[str]:
    """Titles of the open findings of a kind, once there are that many."""

    def titles() -> list[str]:
        return [one.title for one in kite.each(findings(kinds=[kind], states=["open"]))]

    wait_until(lambda: len(titles()) == count, f"{count} open findings {kind}")
    return titles()


def test_a_port_over_its_seats_is_told_and_the_nearest_level_counts(kite: Client) -> None:
    assert _open(kite, "overfull-port", 0) == []
    kite.send(set_rule(NewRule(group="access", seats=2)))
    (title,) = _open(kite, "overfull-port", 1)
    assert title == "quay-1 port p1 carries 3 addresses and has 2 seats"
    kite.send(set_rule(NewRule(switch="quay-1", port="p1", seats=3)))
    called = kite.send(roll_call("quay-1", "p1"))
    assert (called.seats, len(called.present), called.watched, called.exempt) == (3, 3, False, False)
    assert kite.send(roll_call("quay-1", "p2")).seats == 2


def test_strangers_are_told_until_they_are_enrolled(kite: Client) -> None:
    kite.send(enrol(NewEntry(group="quays", prefix=str(mac(LAMP)), vlan=30, note="a lamp", by="Mara")))
    kite.send(enrol(NewEntry(group="quays", prefix="02-1A-05", by="Mara")))
    kite.send(set_rule(NewRule(switch="quay-1", port="p1", seats=3, watched=True)))
    titles = _open(kite, "stranger", 2)
    assert all("but not on the port's roll" in title for title in titles)
    called = kite.send(roll_call("quay-1", "p1"))
    assert [(one.mac, one.status) for one in called.present] == [
        (str(mac(LAMP)), "enrolled"),
        (str(mac(GUEST)), "stranger"),
        (str(mac(3)), "stranger"),
    ]
    assert called.roll == [f"{mac(LAMP)} in VLAN 30", "02:1a:05"] and called.absent == []
    kite.send(enrol(NewEntry(switch="quay-1", port="p1", prefix=str(mac(GUEST)), by="Mara")))
    statuses = [one.status for one in kite.send(roll_call("quay-1", "p1")).present]
    assert statuses == ["enrolled", "enrolled", "stranger"]


def test_a_roll_says_who_is_absent_and_an_entry_is_struck_off(kite: Client) -> None:
    given = NewEntry(switch="quay-1", port="p2", prefix=str(mac(77)), by="Mara")
    entry = next(one for rule in kite.send(enrol(given)) if rule.port == "p2" for one in rule.roll)
    assert str(mac(77)) in kite.send(roll_call("quay-1", "p2")).absent
    kite.send(strike_off(entry.id))
    assert not any(rule.port == "p2" for rule in kite.send(rules()) if rule.roll)
    with pytest.raises(ServiceError, match="no entry of a roll"):
        kite.send(strike_off(entry.id))


def test_what_makes_no_sense_is_refused_with_the_reason(kite: Client) -> None:
    for given, told in (
        (NewRule(group="nobody", seats=1), "no group 'nobody'"),
        (NewRule(switch="quay-7", seats=1), "no switch 'quay-7'"),
        (NewRule(switch="quay-1", port="p99", seats=1), "no port 'p99'"),
    ):
        with pytest.raises(ServiceError, match=told):
            kite.send(set_rule(given))
    for wrong, why in (
        ({}, "group"),
        ({"group": "a", "switch": "b"}, "group"),
        ({"group": "a", "port": "p1"}, "a port needs its switch"),
    ):
        with pytest.raises(ValueError, match=why):
            NewRule.model_validate(wrong)
    with pytest.raises(ValueError, match="neither an address nor a prefix"):
        NewEntry(group="quays", prefix="xyz", by="Mara")
    assert "seats" in kite.send(finding_kind("overfull-port")).fewer


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        ("rule list", Exit.OK, "group quays"),
        ("rule list --format csv", Exit.OK, "quay-1,p1,3,True"),
        ("rule set --switch quay-1 --port p2 --watched no", Exit.OK, "quay-1 port p2: not watched"),
        ("rule set --switch quay-1 --port p2 --seats 7", Exit.OK, "7 seats a port, not watched"),
        ("rule set --switch quay-1 --port p2 --watched auto", Exit.OK, "quay-1 port p2: 7 seats a port"),
        ("rule set --switch quay-1 --port p2 --seats auto", Exit.OK, "quay-1 port p2: inherited"),
        ("rule set --switch quay-1 --port p2 --seats many", Exit.USAGE, "seats"),
        ("rule set --switch quay-1 --port p2", Exit.USAGE, "nothing to set"),
        ("rule set --seats 2", Exit.USAGE, "group"),
        ("rule enrol 02:1a --group quays", Exit.USAGE, "6 to 12 hex digits"),
        ("rule enrol 02:1a:77 --group quays --note spares", Exit.OK, "is enrolled on group quays"),
        ("rule remove 9999", Exit.NOTHING, "rule list"),
        ("roll-call quay-1 p1", Exit.BROKEN_RULE, "stranger"),
        ("roll-call quay-1 p2 --format json", Exit.OK, '"seats": 2'),
    ],
)
def test_commands_do_the_same(
    cli: None, capfd: pytest.CaptureFixture[str], words: str, code: Exit, told: str
) -> None:
    assert main(words.split()) == code
    said = capfd.readouterr()
    assert told in said.out + said.err

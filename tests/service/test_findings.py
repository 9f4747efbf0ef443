"""Findings and the looks across switches, through the API, the client and the command line.

The readings are imported as documents, so that minutes pass in a moment.
"""

import csv
import io
import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    ServiceError,
    acknowledge,
    acknowledge_findings,
    add_switch,
    address_counts,
    change_endpoint,
    change_group,
    change_port,
    change_switch,
    changes,
    clear_finding,
    clear_findings,
    differences,
    endpoint,
    finding,
    finding_parts,
    findings,
    homes,
    import_readings,
    link_history,
    network_map,
    path,
    ports,
    quiet_times,
    remove_shared_address,
    remove_switch,
    search,
    set_shared_address,
    stays,
    unread_switches,
    vlan_ports,
)
from kiteroll.schemas.api import (
    Acknowledgement,
    EndpointChange,
    Finding,
    FindingKind,
    FindingsToAcknowledge,
    FindingsToClear,
    GroupChange,
    NewSharedAddress,
    NewSwitch,
    PortChange,
    SwitchChange,
)
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.wording.spans import counted
from tests.support.factories import mac, reading
from tests.support.harness import Service, wait_until
from tests.support.ports import free_tcp_port

TWIN, MOVER, UP = 501, 502, "p24"
BRIDGES = {"east": 0x021AF0770100, "west": 0x021AF0770200}


@pytest.fixture(scope="module")
def played(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """Two switches side by side, east and west, and the last quarter of an hour at them: an endpoint
    moved from east to west, another one is at both and keeps jumping."""
    service = Service(tmp_path_factory.mktemp("played") / "data", free_tcp_port())
    service.start()
    start = datetime.now(UTC) - timedelta(minutes=16)
    with service.client() as client:
        for name in BRIDGES:
            client.send(add_switch(NewSwitch(name=name, source="files", groups=["pair"])))
        for step in range(16):
            twin_east = step < 8 or step % 2 == 0
            for late, name in enumerate(BRIDGES):
                here = (name == "east") == twin_east
                mover_here = (name == "east") == (step < 10)
                learned = {
                    (TWIN, 10): "p1" if here else UP,
                    (MOVER, 10): "p2" if mover_here else UP,
                    (600 + late, 10): "p3",
                    (BRIDGES["east" if late else "west"] - mac(0), 10): UP,
                }
                at = start + timedelta(minutes=step, seconds=10 * late)
                client.send(import_readings([_document(name, learned, at)]))
        _await(client, "doubled-address")
        wait_until(lambda: list(client.each(findings(mac=str(mac(MOVER))))), "the move to be reported")
    yield service
    assert service.end() == 0


def _document(
    name: str, learned: dict[tuple[int, int], str], at: datetime, pair: dict[str, int] = BRIDGES
) -> ReadingDocument:
    """Of one of a pair of switches, which announce each other at their uplinks."""
    document = to_document(reading(0, learned, switch=name))
    other = next(one for one in pair if one != name)
    neighbour = {
        "port": UP,
        "chassis": _text(pair[other]),
        "port_id": UP,
        "port_description": "",
        "name": other,
        "description": "",
        "addresses": [],
        "capabilities": ["bridge"],
    }
    values = document.model_dump()
    values |= {"taken_at": at, "neighbours": [neighbour]}
    values["device"] |= {"bridge_address": _text(pair[name]), "uptime_s": None}
    for port in values["ports"]:
        port["default_vlan"] = 10
        port["untagged"] = [10]
    return ReadingDocument.model_validate(values)


def _text(number: int) -> str:
    return ":".join(f"{number:012x}"[at : at + 2] for at in range(0, 12, 2))


def _await(client: Client, kind: FindingKind) -> None:
    wait_until(lambda: list(client.each(findings(parts=True, kinds=[kind]))), f"a finding {kind}")


def test_a_bridge_address_is_that_switch_and_no_endpoint_somewhere(played: Service) -> None:
    with played.client() as client:
        shown = client.send(endpoint(_text(BRIDGES["east"])))
    assert (shown.home, shown.why) == (None, "this is the switch east itself: its bridge address")
    assert [(place.switch, place.port, place.role) for place in shown.places] == [("west", UP, "uplink")]


@pytest.fixture
def kite(played: Service) -> Iterator[Client]:
    with played.client() as client:
        yield client


@pytest.fixture
def cli(played: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KITEROLL_URL", played.url)
    monkeypatch.setenv("KITEROLL_TOKEN", played.token)


def _duplicate(kite: Client) -> Finding:
    (found,) = (one for one in kite.each(findings(parts=True)) if one.kind == "doubled-address")
    return found


def test_a_doubled_address_is_one_finding_with_its_evidence_and_what_it_explains(kite: Client) -> None:
    found = _duplicate(kite)
    assert (found.mac, found.severity, found.state) == (str(mac(TWIN)), "serious", "open")
    assert {(place.switch, place.port) for place in found.ports} == {("east", "p1"), ("west", "p1")}
    assert found.cause.startswith("cloned address")
    assert len(found.evidence) >= 3
    assert found.clears_at is not None and found.clears_at > found.last_at
    parts = list(kite.each(finding_parts(found.id)))
    assert {part.kind for part in parts} <= {"moved", "flapping"} and len(parts) == found.parts
    assert all(part.cause == f"finding {found.id} explains it: {found.cause}" for part in parts)
    by_switch = {one.id for one in kite.each(findings(switch="west"))}
    assert found.id in by_switch
    moved = [one for one in kite.each(findings(mac=str(mac(MOVER)))) if one.kind == "moved"]
    assert [one.title for one in moved] == [f"{mac(MOVER)} moved from east port p2 to west port p2"]


def test_findings_that_are_like_the_options_are_acknowledged_together(
    cli: None, capfd: pytest.CaptureFixture[str]
) -> None:
    def run(words: str) -> Any:
        assert main(words.split()) == Exit.OK
        return capfd.readouterr()

    open_now = len(json.loads(run("finding list --state open --format json --limit 1000").out))
    assert open_now
    many = counted(open_now, "finding")
    severities = "--severity note --severity warning --severity serious"
    assert f"{many} would be" in run(f"finding acknowledge {severities} --dry-run").err
    done = run(f"finding acknowledge {severities} --note seen --format json")
    assert len(json.loads(done.out)["changed"]) == open_now
    assert many in done.err and done.err.endswith("acknowledged\n")
    for wrong in ("finding clear", "finding clear 1 2 --kind moved"):
        assert main(wrong.split()) != Exit.OK
        assert "name findings by their numbers, or say which" in capfd.readouterr().err


def test_a_finding_is_acknowledged_and_cleared_by_hand(kite: Client) -> None:
    found = _duplicate(kite)
    until = datetime.now(UTC) + timedelta(hours=2)
    held = kite.send(acknowledge(found.id, Acknowledgement(note="clone found", until=until)))
    assert (held.state, held.acknowledged_by, held.note) == ("acknowledged", "admin", "clone found")
    with pytest.raises(ServiceError, match="in the past"):
        kite.send(acknowledge(found.id, Acknowledgement(until=datetime(2026, 1, 1, tzinfo=UTC))))
    moved = next(one for one in kite.each(findings(parts=True)) if one.kind == "moved")
    cleared = kite.send(clear_finding(moved.id))
    assert (cleared.state, cleared.cleared_by, cleared.clears_at) == ("cleared", "admin", None)
    with pytest.raises(ServiceError, match="it is cleared"):
        kite.send(clear_finding(moved.id))
    with pytest.raises(ServiceError, match="no finding '9999'"):
        kite.send(finding(9999))
    with pytest.raises(ServiceError, match="no finding '9999'"):
        kite.send(clear_findings(FindingsToClear(findings=[found.id, 9999])))
    assert kite.send(finding(found.id)).state == "acknowledged", "all or none"
    again = FindingsToAcknowledge(findings=[moved.id, found.id, found.id], note="both of them")
    done = kite.send(acknowledge_findings(again))
    assert (done.changed, done.over) == ([found.id], [moved.id])
    assert kite.send(finding(found.id)).note == "both of them"


def test_the_path_leads_over_the_uplink_to_the_port_and_says_how_sure_it_is(kite: Client) -> None:
    one = kite.send(endpoint(str(mac(MOVER))))
    assert one.home is not None and (one.home.switch, one.home.port, one.confidence) == ("west", "p2", "sure")
    hops = kite.all(path(str(mac(MOVER)), start="east"))
    assert [(hop.switch, hop.port, hop.learned) for hop in hops] == [("east", UP, True), ("west", "p2", True)]
    assert "announces itself there (LLDP)" in hops[0].why


def test_a_name_means_who_is_called_so_however_many_names_begin_with_it(
    kite: Client, cli: None, capsys: pytest.CaptureFixture[str]
) -> None:
    for number, label in ((600, "Lamp 1"), (601, "Lamp 12")):
        kite.send(change_endpoint(str(mac(number)), EndpointChange(label=label)))
    assert main(["path", "lamp 1", "--from", "lamp 12", "--columns", "switch"]) is Exit.OK
    assert capsys.readouterr().out.split() == ["switch", "west", "east"]
    assert main(["path", "lamp"]) is Exit.USAGE
    assert "type more of it" in capsys.readouterr().err


def test_the_path_begins_where_another_endpoint_is(kite: Client) -> None:
    def switches(start: str) -> list[str]:
        return [hop.switch for hop in kite.all(path(str(mac(MOVER)), start=start))]

    there = mac(600)
    assert switches(str(there)) == switches(there.digits[-6:]) == switches("east") == ["east", "west"]
    assert switches(str(mac(601))) == ["west"]
    with pytest.raises(ServiceError, match="no switch 'south'"):
        switches("south")
    with pytest.raises(ServiceError, match=f"may be .*{there}.*: type more of it"):
        switches(there.digits[:6])
    with pytest.raises(ServiceError, match=f"no known place of '{_text(BRIDGES['east'])}'"):
        switches(_text(BRIDGES["east"]))


def test_the_role_an_operator_sets_wins_and_can_be_taken_back(kite: Client) -> None:
    port = kite.send(change_port("east", "p3", PortChange(role="uplink")))
    assert (port.role, port.role_by_operator) == ("uplink", True)
    port = kite.send(change_port("east", "p3", PortChange(role=None)))
    assert (port.role, port.role_by_operator) == ("access", False)
    with pytest.raises(ServiceError, match="no port 'p99'"):
        kite.send(change_port("east", "p99", PortChange(role="uplink")))


def test_a_stay_that_is_over_keeps_the_role_its_port_had(kite: Client, played: Service) -> None:
    assert kite.send(change_port("west", UP, PortChange(role="access"))).role == "access"
    try:
        wanted = {"mac": str(mac(MOVER)), "ended": "true"}
        with played.http(played.token, "/api/v1") as http:
            file = http.get("/exports/stays.json", params=wanted).json()
        for listed in (file, [one.model_dump() for one in kite.all(stays(mac=str(mac(MOVER)), ended=True))]):
            roles = {(one["switch"], one["port"], one["life"]): one["role"] for one in listed}
            assert roles["east", "p2", "gone"] == "access"
            assert roles["west", UP, "gone"] == "uplink", "it only passed by"
    finally:
        kite.send(change_port("west", UP, PortChange(role=None)))


def test_a_label_is_kept_and_found(kite: Client) -> None:
    kite.send(change_endpoint(str(mac(600)), EndpointChange(label="Berth lamp", owner="Quay crew")))
    for text in ("berth la", "quay crew"):
        (one,) = kite.send(search(text)).endpoints
        assert (one.mac, one.label) == (str(mac(600)), "Berth lamp")


def test_a_network_and_a_pasted_list_are_found(kite: Client) -> None:
    listed = f"{mac(600)}\n{str(mac(601)).replace(':', '-')}; nobody-here"
    assert [one.mac for one in kite.send(search(listed)).endpoints] == [str(mac(600)), str(mac(601))]
    by_blanks = f"{mac(601)} {mac(600).digits}"
    assert [one.mac for one in kite.send(search(by_blanks)).endpoints] == [str(mac(601)), str(mac(600))]
    assert kite.send(search("10.20.0.0/16")).endpoints == []


def test_as_of_and_compare_report_what_was(kite: Client) -> None:
    before = datetime.now(UTC) - timedelta(minutes=9)
    then = {stay.mac: stay.port for stay in kite.each(stays(switch="east", at=before))}
    assert then[str(mac(MOVER))] == "p2"
    assert {stay.life for stay in kite.each(stays(switch="east", at=before))} == {"present"}
    differs = {one.mac: one for one in kite.each(differences(before))}
    assert differs[str(mac(MOVER))].kind == "moved"
    assert differs[str(mac(MOVER))].before == ["east port p2 VLAN 10"]
    assert differs[str(mac(MOVER))].after == ["west port p2 VLAN 10"]
    assert str(mac(600)) not in differs
    long_ago = datetime.now(UTC) - timedelta(days=1)
    new = {one.mac: one.kind for one in kite.each(differences(long_ago, group="pair"))}
    assert new[str(mac(600))] == "appeared"
    with pytest.raises(ServiceError, match="earlier than until"):
        list(kite.each(differences(datetime.now(UTC) + timedelta(hours=1))))


def test_an_endpoint_its_path_and_the_ports_are_reported_as_they_were(kite: Client) -> None:
    then, now = datetime.now(UTC) - timedelta(minutes=9), datetime.now(UTC)
    one = kite.send(endpoint(str(mac(MOVER)), at=then))
    assert one.home is not None and one.home.ended_at is None
    assert (one.home.switch, one.home.port, one.home.life, one.confidence) == (
        "east",
        "p2",
        "present",
        "sure",
    )
    assert one.home.read_at is not None and one.home.read_at <= then
    hops = kite.all(path(str(mac(MOVER)), start="west", at=then))
    assert [(hop.switch, hop.port, hop.learned) for hop in hops] == [("west", UP, True), ("east", "p2", True)]
    (found,) = kite.send(search(mac(MOVER).digits[-4:], at=then)).endpoints
    assert (found.mac, found.home) == (one.mac, one.home)
    assert kite.send(search(str(mac(MOVER)), at=now - timedelta(days=1))).endpoints == []
    present = {(at, port.name): port.present for at in (then, now) for port in kite.all(ports("east", at=at))}
    assert [present[at, "p2"] for at in (then, now)] == [1, 0]
    before = datetime.now(UTC) - timedelta(days=1)
    assert {(port.oper, port.present) for port in kite.all(ports("east", at=before))} == {("unknown", 0)}
    assert kite.all(quiet_times(str(mac(MOVER)), uplinks=False)) == []
    *before_it, latest = kite.all(homes(str(mac(MOVER))))
    now_at = kite.send(endpoint(str(mac(MOVER)))).home
    assert now_at is not None and (latest.switch, latest.port) == (now_at.switch, now_at.port)
    assert latest.until is None and ("east", "p2") in {(one.switch, one.port) for one in before_it}
    over = [one.until for one in before_it]
    assert all(at and at <= later.since for at, later in zip(over, (*before_it[1:], latest), strict=True))
    with pytest.raises(ServiceError, match="it was first seen at"):
        kite.send(endpoint(str(mac(MOVER)), at=before))
    with pytest.raises(ServiceError, match="in the future"):
        kite.all(path(str(mac(MOVER)), at=now + timedelta(hours=1)))


def test_the_link_of_a_port_is_remembered(kite: Client) -> None:
    (known,) = kite.all(link_history("east", "p1"))
    assert known.oper == "up"
    (port,) = (one for one in kite.all(ports("east", at=datetime.now(UTC))) if one.name == "p1")
    assert (port.oper, port.oper_since, port.role) == ("up", known.at, "access")
    with pytest.raises(ServiceError, match="no port 'p99'"):
        kite.all(link_history("east", "p99"))


def _cache(at: datetime, addresses: dict[str, int]) -> ReadingDocument:
    """What a router's neighbour cache holds: IP to number of an address."""
    values = to_document(reading(0, {}, switch="router")).model_dump()
    values["device"]["uptime_s"] = None
    values |= {"taken_at": at, "addresses": [{"ip": ip, "mac": str(mac(n))} for ip, n in addresses.items()]}
    return ReadingDocument.model_validate(values)


def test_an_ip_that_two_answer_for_by_turns_is_an_ip_conflict(kite: Client) -> None:
    kite.send(add_switch(NewSwitch(name="router", source="files")))
    start = datetime.now(UTC) - timedelta(minutes=4)
    for turn in range(5):
        kite.send(
            import_readings([_cache(start + timedelta(seconds=40 * turn), {"10.9.0.7": 801 + turn % 2})])
        )
    _await(kite, "contested-ip")
    (found,) = (one for one in kite.each(findings(kinds=["contested-ip"])))
    assert (found.ip, found.severity) == ("10.9.0.7", "warning")
    assert [str(mac(801 + turn % 2)) in one.text for turn, one in enumerate(found.evidence)] == [True] * 5
    kite.send(remove_switch("router"))


def test_an_address_that_comes_to_answer_with_unrelated_ips_is_reported(kite: Client) -> None:
    kite.send(add_switch(NewSwitch(name="router", source="files")))
    start = datetime.now(UTC) - timedelta(days=2)
    kite.send(import_readings([_cache(start, {"10.9.1.1": 811})]))
    kite.send(import_readings([_cache(start + timedelta(hours=24), {"10.9.1.1": 811, "10.9.1.2": 811})]))
    _await(kite, "several-ips")
    (found,) = kite.each(findings(kinds=["several-ips"]))
    assert (found.mac, found.severity, len(found.evidence)) == (str(mac(811)), "note", 2)
    assert found.evidence[1].text == "10.9.1.2 began to answer with it, according to router"
    kite.send(remove_switch("router"))


def test_pages_of_a_comparison_join_without_gap_or_repeat(kite: Client) -> None:
    long_ago = datetime.now(UTC) - timedelta(days=1)
    whole = [one.mac for one in kite.each(differences(long_ago))]
    assert [one.mac for one in kite.each(differences(long_ago, limit=1))] == whole
    assert len(set(whole)) == len(whole) == 4


def test_map_vlans_and_address_counts(kite: Client) -> None:
    drawn = kite.send(network_map())
    assert [(link.a, link.a_port, link.b, link.b_port) for link in drawn.links] == [("east", UP, "west", UP)]
    assert [(link.state, link.bundled) for link in drawn.links] == [("carrying", 1)]
    assert kite.send(network_map(at=datetime.now(UTC))).links == drawn.links
    assert {one.port for one in kite.all(vlan_ports(10)) if one.switch == "east"} >= {"p1", UP}
    steps = kite.all(address_counts("west", "p2"))
    assert [step.count for step in steps] == [0, 1]


def test_shared_addresses_are_listed_and_removed(kite: Client) -> None:
    kept = kite.send(set_shared_address("02:1a:02", NewSharedAddress(reason="cluster of the gates")))
    assert (kept.prefix, kept.reason) == ("021a02", "cluster of the gates")
    kite.send(remove_shared_address("021a02"))
    with pytest.raises(ServiceError, match="neither an address"):
        kite.send(set_shared_address("xyz", NewSharedAddress(reason="no")))


def _exported(kite: Client, file: str, **filters: str) -> bytes:
    return b"".join(kite.download(f"/exports/{file}", **filters))


def test_homes_are_exported_in_order_and_what_cannot_be_exported_is_reported(kite: Client) -> None:
    at_home = list(csv.DictReader(io.StringIO(_exported(kite, "homes.csv").decode())))
    mover = [(row["switch"], row["port"]) for row in at_home if row["mac"] == str(mac(MOVER))]
    assert mover == [("east", "p2"), ("west", "p2")]
    for wrong, reported in (("nothing.csv", "lists are"), ("stays.pdf", "files are")):
        with pytest.raises(ServiceError, match=reported):
            _exported(kite, wrong)


def test_a_report_has_every_port_and_whoever_is_there(kite: Client) -> None:
    page = b"".join(kite.download("/switches/west/report")).decode()
    assert page.count("<tr>") >= 24
    assert str(mac(MOVER)) in page and "uplink to east" in page
    assert len(kite.all(ports("west"))) == 24


@pytest.mark.parametrize(
    ("words", "reported"),
    [
        ("finding list", "is at"),
        ("finding list --kind doubled-address --state acknowledged --state open", "is at"),
        ("finding explain loop", "Pull the cable"),
        (f"endpoint show {mac(MOVER)}", "west port p2"),
        (f"path {mac(MOVER)} --from east", "announces itself"),
        ("compare 9m", "moved"),
        ("compare 1d --group pair --format csv", "appeared"),
        ("endpoint list --switch east --at 9m", str(mac(MOVER))),
        ("port list east --at 9m", "uplink"),
        (f"endpoint show {mac(MOVER)} --at 9m", "east port p2"),
        (f"path {mac(MOVER)} --from west --at 9m", "east"),
        ("port link-history east p1", "up"),
        ("vlans", "10"),
        ("shared list --format json", "[]"),
        ("export stays - --as csv --switch east", "mac"),
        ("report west -", "<html"),
        ("port role east p4 access", ""),
    ],
)
def test_commands_report_the_same(
    cli: None, capfd: pytest.CaptureFixture[str], words: str, reported: str
) -> None:
    assert main(words.split()) == Exit.OK
    assert reported in capfd.readouterr().out


def test_a_finding_is_shown_with_evidence_and_an_export_is_written_whole(
    cli: None, kite: Client, capfd: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    number = _duplicate(kite).id
    assert main(["finding", "show", str(number)]) == Exit.OK
    out = capfd.readouterr().out
    assert "cloned address" in out and "quiet for" in out and "evidence" in out
    file = tmp_path / "stays.xlsx"
    assert main(["export", "stays", str(file)]) == Exit.OK
    assert file.read_bytes()[:2] == b"PK"
    assert main(["export", "stays", str(tmp_path / "stays.txt")]) == Exit.USAGE
    assert main(["export", "nothing", str(tmp_path / "nothing.csv")]) == Exit.NOTHING
    assert [path.name for path in tmp_path.iterdir()] == ["stays.xlsx"], "no half-written file stays"


def test_hold_times_of_a_group_and_of_a_switch(kite: Client) -> None:
    pair = kite.send(change_group("pair", GroupChange(hold_time_s=7200)))
    assert (pair.switches, pair.hold_time_s) == (2, 7200)
    assert kite.send(change_switch("east", SwitchChange(hold_time_s=60))).hold_time_s == 60
    now = datetime.now(UTC)
    for name in BRIDGES:
        kite.send(import_readings([_document(name, {}, now)]))
        kite.send(import_readings([_document(name, {}, now + timedelta(seconds=70))]))
    held = {name: {stay.mac for stay in kite.each(stays(switch=name))} for name in BRIDGES}
    assert held["east"] == set(), "held for a minute of its own"
    assert str(mac(MOVER)) in held["west"], "held for the two hours of its group"
    changed = kite.send(change_group("pair", GroupChange(shares_tables=True)))
    assert (changed.hold_time_s, changed.shares_tables) == (7200, True), "what is not given stays"
    kite.send(change_group("pair", GroupChange(hold_time_s=None)))
    changed = kite.send(change_group("pair", GroupChange(shares_tables=False)))
    assert (changed.hold_time_s, changed.shares_tables) == (None, False)


def test_days_of_readings_imported_at_once_raise_nothing(kite: Client) -> None:
    pair = {"north": 0x021AF0770300, "south": 0x021AF0770400}
    for name in pair:
        kite.send(add_switch(NewSwitch(name=name, source="files")))
    kite.send(network_map())  # how switches hang together is known now, without these two
    for hour in range(4):
        at = datetime.now(UTC) - timedelta(hours=4 - hour)
        north = {(910, 10): "p1"} | ({(911, 10): "p2"} if hour else {})
        south = dict.fromkeys(north, UP)
        kite.send(import_readings([_document("north", north, at, pair), _document("south", south, at, pair)]))
    # One that does raise a finding comes last: when that is reported, these were judged.
    now = datetime.now(UTC)
    for port, seconds in (("p1", 60), ("p2", 30), ("p2", 0)):
        at = now - timedelta(seconds=seconds)
        kite.send(import_readings([_document("north", {(912, 10): port}, at, pair)]))
    wait_until(
        lambda: list(kite.each(findings(mac=str(mac(912)), parts=True))), "the last move to be reported"
    )
    every = findings(
        states=["open", "acknowledged", "cleared"], kinds=["doubled-address", "moved"], parts=True
    )
    assert not [one.title for one in kite.each(every) if one.mac in (str(mac(910)), str(mac(911)))]
    for name in pair:
        kite.send(remove_switch(name))


def test_a_switch_that_left_the_inventory_is_still_asked_about_by_its_name(kite: Client) -> None:
    kite.send(add_switch(NewSwitch(name="gone", source="files")))
    then = datetime.now(UTC) - timedelta(minutes=5)
    pair = {"gone": 0x021AF0770500, "away": 0x021AF0770600}
    kite.send(import_readings([_document("gone", {(920, 10): "p1"}, then, pair)]))
    kite.send(remove_switch("gone"))
    with pytest.raises(ServiceError, match="no switch 'gone'"):
        kite.all(stays(switch="gone"))
    (stay,) = kite.each(stays(switch="gone", ended=True))
    assert (stay.mac, stay.port, stay.ending) == (
        str(mac(920)),
        "p1",
        "switch was removed from the inventory",
    )
    kite.send(add_switch(NewSwitch(name="gone", source="files")))
    assert [one.mac for one in kite.each(stays(switch="gone", port="p1", ended=True))] == [stay.mac]
    earlier = then + timedelta(minutes=1)
    assert [one.mac for one in kite.each(stays(switch="gone", port="p1", at=earlier))] == [stay.mac]
    assert {one.kind for one in kite.each(changes(switch="gone"))} == {"appeared", "gone"}
    assert [one.mac for one in kite.each(differences(earlier, switch="gone"))] == [stay.mac]
    assert kite.all(unread_switches(at=earlier, switch="gone")) == [], "it is in the inventory no more"
    assert [one.present for one in kite.all(ports("gone", at=earlier)) if one.name == "p1"] == [1]

"""Rules of ports through the API, the client and the command line, and the findings they raise."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    ServiceError,
    absent,
    add_switch,
    apply_rules_file,
    bar,
    begin_rehearsal,
    call_against,
    candidates,
    change_rules,
    close_window,
    decide,
    enrol,
    enrol_list,
    enrol_present,
    enrolment_of,
    enrolment_windows,
    finding_kind,
    findings,
    import_readings,
    lift_bar,
    open_window,
    rehearsal,
    rehearsed_seats,
    remove_shared_address,
    replace_entry,
    roll_call,
    roll_calls,
    rule_log,
    rules,
    rules_file,
    set_shared_address,
    strike_off,
)
from kiteroll.schemas.api import (
    CandidateRef,
    Decisions,
    EnrolPresent,
    EntryReplacement,
    ExpectedList,
    FindingKind,
    NewBarred,
    NewEntries,
    NewEntry,
    NewRehearsal,
    NewSharedAddress,
    NewSwitch,
    NewWindow,
    RuleChange,
    RuleLevel,
    RulesFile,
    RulesOutcome,
    RulesPatch,
)
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.factories import mac, reading
from tests.support.harness import Service, wait_until
from tests.support.ports import free_tcp_port

LAMP, GUEST, THIRD, FAR = 1, 2, 3, 4
THERE = {(LAMP, 30): "p1", (GUEST, 30): "p1", (THIRD, 30): "p1", (FAR, 30): "p2"}


@pytest.fixture(scope="module")
def ruled(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """One switch in two groups, and three devices on its first port, for the last three hours."""
    folder = tmp_path_factory.mktemp("ruled")
    settings = folder / "settings.toml"
    settings.write_text('[findings]\nport_rule_delay = "0s"\n')
    service = Service(folder / "data", free_tcp_port(), extra=("--config", str(settings)))
    service.start()
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="quay-1", source="files", groups=["access", "quays"])))
        for hours in (3, 2, 1, 0):
            _import(client, THERE, hours)
    yield service
    assert service.end() == 0


def _import(client: Client, learned: dict[tuple[int, int], str], hours_ago: float = 0) -> None:
    values = to_document(reading(0, learned, switch="quay-1")).model_dump()
    values["device"]["uptime_s"] = None
    taken_at = datetime.now(UTC) - timedelta(hours=hours_ago)
    client.send(import_readings([ReadingDocument.model_validate(values | {"taken_at": taken_at})]))


@pytest.fixture
def kite(ruled: Service) -> Iterator[Client]:
    """Each test begins without rules."""
    with ruled.client() as client:
        client.send(apply_rules_file(RulesFile(text="")))
        yield client


@pytest.fixture
def cli(ruled: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KITEROLL_URL", ruled.url)
    monkeypatch.setenv("KITEROLL_TOKEN", ruled.token)


def _set(kite: Client, **values: object) -> RulesOutcome:
    return kite.send(change_rules(RulesPatch(changes=[RuleChange(**values)])))  # type: ignore[arg-type]


def _open(kite: Client, kind: FindingKind, count: int) -> list[str]:
    """Titles of the open findings of a kind, once there are that many."""

    def titles() -> list[str]:
        return [one.title for one in kite.each(findings(kinds=[kind], states=["open"]))]

    wait_until(lambda: len(titles()) == count, f"{count} open findings {kind}")
    return titles()


def test_a_port_over_its_seats_is_reported_and_the_nearest_level_counts(kite: Client) -> None:
    assert _open(kite, "overfull-port", 0) == []
    _set(kite, group="access", seats=2)
    (title,) = _open(kite, "overfull-port", 1)
    assert title == "quay-1 port p1 carries 3 addresses and has 2 seats"
    _set(kite, switch="quay-1", ports="p1-p3", seats=3)
    called = kite.send(roll_call("quay-1", "p1"))
    assert (called.seats, called.present, called.room, called.watched, called.broken) == (
        3,
        3,
        0,
        False,
        False,
    )
    assert called.sources == {"seats": "quay-1 ports p1-p3"}
    assert kite.send(roll_call("quay-1", "p9")).sources == {"seats": "group access"}
    _set(kite, switch="quay-1", port="p1", seats="no limit")
    assert kite.send(roll_call("quay-1", "p1")).seats == "no limit"


def test_a_shared_address_takes_no_seat_from_the_moment_it_is_said(kite: Client) -> None:
    _set(kite, switch="quay-1", port="p1", seats=2)
    assert kite.send(roll_call("quay-1", "p1")).overfull
    kite.send(set_shared_address(str(mac(LAMP)), NewSharedAddress(reason="a pair of gateways")))
    called = kite.send(roll_call("quay-1", "p1"))
    assert (called.present, called.overfull) == (2, False)
    kite.send(remove_shared_address(str(mac(LAMP))))
    assert kite.send(roll_call("quay-1", "p1")).overfull


def test_strangers_are_reported_until_they_are_enrolled(kite: Client) -> None:
    kite.send(enrol(NewEntry(group="quays", prefix=str(mac(LAMP)), vlan=30, note="a lamp")))
    kite.send(enrol(NewEntry(group="quays", prefix="02-1A-05")))
    _set(kite, switch="quay-1", port="p1", seats=3, watched=True)
    titles = _open(kite, "stranger", 2)
    assert all("but not on the port's roll" in title for title in titles)
    called = kite.send(roll_call("quay-1", "p1"))
    assert [(one.mac, one.status) for one in called.occupants] == [
        (str(mac(LAMP)), "enrolled"),
        (str(mac(GUEST)), "stranger"),
        (str(mac(THIRD)), "stranger"),
    ]
    assert called.roll == [f"{mac(LAMP)} in VLAN 30", "02:1a:05"] and called.absentees == []
    kite.send(enrol(NewEntry(switch="quay-1", port="p1", prefix=str(mac(GUEST)))))
    statuses = [one.status for one in kite.send(roll_call("quay-1", "p1")).occupants]
    assert statuses == ["enrolled", "enrolled", "stranger"]


def test_who_is_enrolled_elsewhere_is_out_of_place_and_who_is_barred_is_reported_at_once(
    kite: Client,
) -> None:
    kite.send(enrol(NewEntry(switch="quay-1", port="p9", prefix=str(mac(FAR)))))
    _set(kite, switch="quay-1", port="p2", watched=True)
    (title,) = _open(kite, "out-of-place", 1)
    assert title == f"{mac(FAR)} is on quay-1 port p2 in VLAN 30 and is enrolled at quay-1 port p9"
    kite.send(bar(NewBarred(prefix=str(mac(LAMP)), reason="stolen")))
    (title,) = _open(kite, "barred-address", 1)
    assert title == f"{mac(LAMP)} is barred (stolen) and is on quay-1 port p1"
    with pytest.raises(ServiceError, match="is enrolled, and barred"):
        kite.send(enrol(NewEntry(group="quays", prefix=str(mac(LAMP)))))
    assert kite.send(enrolment_of(str(mac(LAMP)))).barred == "stolen"
    assert kite.send(enrolment_of(str(mac(FAR)))).enrolled == [f"quay-1 port p9: {mac(FAR)}"]
    kite.send(lift_bar(str(mac(LAMP))))
    with pytest.raises(ServiceError, match="no barred address"):
        kite.send(lift_bar(str(mac(LAMP))))


def test_a_roll_says_who_is_absent_and_an_entry_is_replaced_or_struck_off(kite: Client) -> None:
    kite.send(enrol(NewEntry(switch="quay-1", port="p2", prefix=str(mac(77)), note="a lamp")))
    _set(kite, switch="quay-1", port="p2", watched=True)
    called = kite.send(roll_call("quay-1", "p2"))
    (offer,) = called.replacements
    assert (offer.absent, offer.mac) == (str(mac(77)), str(mac(FAR))) and called.absentees == [str(mac(77))]
    (gone,) = kite.all(absent())
    assert (gone.address, gone.level, gone.seen_at) == (str(mac(77)), "quay-1 port p2", None)
    kite.send(replace_entry(offer.entry, EntryReplacement(mac=offer.mac)))
    called = kite.send(roll_call("quay-1", "p2"))
    assert (called.enrolled, called.strangers, called.absentees) == (1, 0, [])
    (entry,) = next(one for one in kite.all(rules()) if one.port == "p2").roll
    assert (entry.note, entry.prefix) == ("a lamp", mac(FAR).digits)
    kite.send(strike_off(entry.id, reason="moved away"))
    with pytest.raises(ServiceError, match="no entry of a roll"):
        kite.send(strike_off(entry.id))
    latest = next(iter(kite.each(rule_log(address=mac(FAR).digits))))
    assert (latest.what, latest.by, latest.reason, latest.level) == (
        "struck off",
        "admin",
        "moved away",
        "quay-1 port p2",
    )


def test_a_list_of_ten_thousand_lines_with_one_wrong_enrols_nobody(kite: Client) -> None:
    good = [f"{mac(1000 + number)},quay-1,p{1 + number % 20},note {number}" for number in range(10_000)]
    bad = [*good]
    bad[7000] = "02:1a:zz,quay-1,p3,"
    heading = "address,switch,port,note"
    with pytest.raises(ServiceError, match="line 7002: '02:1a:zz' is neither an address nor a prefix"):
        kite.send(enrol_list(NewEntries(text="\n".join((heading, *bad)))))
    unknown = "\n".join((heading, f"{mac(5)},quay-1,p99,", f"{mac(6)},quay-8,p1,"))
    with pytest.raises(ServiceError, match=r"no port 'p99'.*no switch 'quay-8'"):
        kite.send(enrol_list(NewEntries(text=unknown)))
    assert kite.all(rules()) == []
    whole = NewEntries(text="\n".join((heading, *good)))
    dry = kite.send(enrol_list(whole.model_copy(update={"dry_run": True})))
    assert (dry.applied, len(dry.differences), kite.all(rules())) == (False, 10_000, [])
    assert kite.send(enrol_list(whole)).applied
    assert sum(len(one.roll) for one in kite.all(rules())) == 10_000


def test_everybody_present_is_enrolled_at_their_port(kite: Client) -> None:
    done = kite.send(enrol_present(EnrolPresent(level=RuleLevel(group="quays"))))
    assert {(one.level, one.address) for one in done.differences} == {
        ("quay-1 port p1", str(mac(LAMP))),
        ("quay-1 port p1", str(mac(GUEST))),
        ("quay-1 port p1", str(mac(THIRD))),
        ("quay-1 port p2", str(mac(FAR))),
    }
    page = kite.send(roll_calls())
    assert (page.totals.ports, page.totals.enrolled, page.totals.broken) == (2, 4, 0)


def test_who_was_present_in_a_window_waits_for_a_word(kite: Client) -> None:
    now = datetime.now(UTC)
    wanted = NewWindow(
        level=RuleLevel(switch="quay-1", ports="p1-p2"),
        begins_at=now - timedelta(hours=4),
        ends_at=now + timedelta(days=1),
        min_present_s=3600,
    )
    window = kite.send(open_window(wanted))
    assert window.state == "open" and kite.all(enrolment_windows())[0] == window
    with pytest.raises(ServiceError, match=f"window {window.id} takes candidates at quay-1 ports p1-p2"):
        kite.send(open_window(wanted.model_copy(update={"level": RuleLevel(group="access")})))
    found = {one.mac: one for one in kite.all(candidates(window.id))}
    assert set(found) == {str(mac(number)) for number in (LAMP, GUEST, THIRD, FAR)}
    lamp = found[str(mac(LAMP))]
    assert (lamp.port, lamp.vlans, lamp.decision, lamp.here_now) == ("p1", [30], "waiting", True)
    assert 0.7 < lamp.share < 0.8
    refs = [CandidateRef(mac=one.mac, switch=one.switch, port=one.port) for one in found.values()]
    kite.send(decide(window.id, Decisions(accept=refs[:2], refuse=refs[2:3], note="known")))
    said = {one.mac: one.decision for one in kite.all(candidates(window.id))}
    assert sorted(said.values()) == ["accepted", "accepted", "refused", "waiting"]
    rolls = [entry for rule in kite.all(rules()) for entry in rule.roll]
    assert {(entry.via, entry.note) for entry in rolls} == {(f"window {window.id}", "known")}
    with pytest.raises(ServiceError, match="no candidate"):
        other = CandidateRef(mac=str(mac(99)), switch="quay-1", port="p1")
        kite.send(decide(window.id, Decisions(accept=[other])))
    assert kite.send(close_window(window.id)).closed_by == "admin"
    with pytest.raises(ServiceError, match="was closed"):
        kite.send(decide(window.id, Decisions(accept=refs[3:])))
    with pytest.raises(ServiceError, match="which is over"):
        kite.send(open_window(wanted.model_copy(update={"ends_at": now - timedelta(hours=1)})))


def test_a_list_of_devices_is_held_against_the_network_both_ways(kite: Client) -> None:
    text = f"device,switch,port\n{mac(LAMP)},quay-1,p1\n{mac(FAR)},quay-1,p9\n{mac(88)},,\nkiosk-99,,\n"
    found = {one.device or one.mac: one for one in kite.send(call_against(ExpectedList(text=text))).items}
    assert {name: one.attendance for name, one in found.items()} == {
        str(mac(LAMP)): "in place",
        str(mac(FAR)): "elsewhere",
        str(mac(88)): "unknown",
        "kiosk-99": "unknown",
        str(mac(GUEST)): "not listed",
        str(mac(THIRD)): "not listed",
    }
    assert found[str(mac(FAR))].found == ["quay-1 port p2"]
    with pytest.raises(ServiceError, match="line 2: a port needs its switch"):
        kite.send(call_against(ExpectedList(text="device,switch,port\nx,,p1\n")))


def test_rules_go_out_and_in_as_a_file_and_are_the_same(kite: Client) -> None:
    _set(kite, seats="no limit", note="all of it")
    _set(kite, group="access", seats=2, vlans=[30, 31, 32], on_breach="serious", reopen_after_s=0)
    kite.send(enrol(NewEntry(switch="quay-1", port="p1", prefix="02:1a:05", owner="Ida")))
    kite.send(bar(NewBarred(prefix="02:1a:99", reason="stolen")))
    text = kite.send(rules_file()).text
    assert kite.send(apply_rules_file(RulesFile(text=text, dry_run=True))).differences == []
    changed = text.replace("seats = 2", "seats = 60")
    done = kite.send(apply_rules_file(RulesFile(text=changed)))
    assert [(one.level, one.what, one.before, one.after) for one in done.differences] == [
        ("group access", "seats", "2", "60")
    ]
    assert "more than one socket needs" in done.cautions[0]
    for wrong, reported in (
        ("[group.access]\nseats = -1", "group.access.seats"),
        ("[group.nobody]\nseats = 1\n[group.access]\nseats = 1", "no switch is in this group"),
        ("[switch.quay-1.ports.p30-p40]\nseats = 1\n[group.access]\nseats=1", "matches none of its ports"),
        (
            "[switch.quay-1.ports.p1-p9]\nseats = 1\n[switch.quay-1.ports.p9-p12]\nseats = 2",
            "share p9 with it and set seats differently",
        ),
        ("[switch.quay-1]\nvlans = '10'\nroll = [{address = '02:1a:05', vlan = 30}]", "in that VLAN"),
    ):
        with pytest.raises(ServiceError, match=reported):
            kite.send(apply_rules_file(RulesFile(text=wrong)))
    assert kite.send(rules_file()).text == changed


def test_a_rehearsal_reports_what_would_have_been_found_and_changes_nothing(kite: Client) -> None:
    change = RuleChange(switch="quay-1", ports="p1-p2", seats=2, watched=True)
    run = kite.send(begin_rehearsal(NewRehearsal(changes=[change], switch="quay-1")))
    wait_until(lambda: kite.send(rehearsal(run.id)).state != "running", "the end of the rehearsal")
    run = kite.send(rehearsal(run.id))
    assert run.state == "done" and run.findings is not None and run.changes == 2
    assert run.findings.by_kind == {"overfull-port": 1, "stranger": 4}
    assert [(one.port, one.breaches) for one in run.findings.ports] == [("p1", 4), ("p2", 1)]
    assert all(2.9 * 3600 < one.lasted_s < 3.1 * 3600 for one in run.findings.breaches)
    assert [(one.port, one.peak) for one in run.findings.seats] == [("p1", 3), ("p2", 1)]
    assert kite.all(rehearsed_seats(run.id)) == run.findings.seats and run.findings.seats_count == 2
    assert kite.all(rules()) == []
    with pytest.raises(ServiceError, match="no site 'nowhere'"):
        kite.send(begin_rehearsal(NewRehearsal(site="nowhere")))


def test_what_makes_no_sense_is_refused_with_the_reason(kite: Client) -> None:
    for given, reported in (
        ({"group": "nobody", "seats": 1}, "no group 'nobody'"),
        ({"switch": "quay-7", "seats": 1}, "no switch 'quay-7'"),
        ({"switch": "quay-1", "port": "p99", "seats": 1}, "no port 'p99'"),
    ):
        with pytest.raises(ServiceError, match=reported):
            _set(kite, **given)
    for wrong, why in (
        ({"group": "a", "switch": "b"}, "not both"),
        ({"group": "a", "port": "p1"}, "a port needs its switch"),
        ({"switch": "a", "ports": "p9-p1"}, "ends before it begins"),
    ):
        with pytest.raises(ValueError, match=why):
            RuleChange.model_validate(wrong)
    with pytest.raises(ValueError, match="neither an address nor a prefix"):
        NewEntry(group="quays", prefix="xyz")
    assert "seats" in kite.send(finding_kind("overfull-port")).fewer


def test_commands_do_the_same(
    kite: Client, cli: None, tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    lines = tmp_path / "list.csv"
    lines.write_text(f"address,note\n{mac(LAMP)},lamp\n")
    devices = tmp_path / "devices.csv"
    devices.write_text(f"device,switch,port\n{mac(LAMP)},quay-1,p1\n")
    file = tmp_path / "rules.toml"
    for words, code, reported in (
        ("rule list", Exit.OK, "no rules yet"),
        ("rule set --seats 9 --dry-run", Exit.OK, "this was a dry run"),
        ("rule set --group access --seats 2", Exit.OK, "group access: seats 2"),
        ("rule set --switch quay-1 --ports p1-p4 --vlans 20 --on-breach serious", Exit.OK, "vlans"),
        ("rule set --switch quay-1 --port p2 --seats none", Exit.OK, "quay-1 port p2: seats no limit"),
        ("rule set --switch quay-1 --port p2 --seats auto", Exit.OK, "quay-1 port p2: seats inherited"),
        ("rule set --switch quay-1 --port p2 --seats many", Exit.USAGE, "--seats 'many'"),
        ("rule set --switch quay-1 --port p2", Exit.USAGE, "nothing to set"),
        ("rule enrol 02:1a --group quays", Exit.USAGE, "6 to 12 hex digits"),
        ("rule enrol 02:1a:77 --group quays --note spares", Exit.OK, "is enrolled at group quays"),
        (f"rule enrol --list {lines} --group quays --dry-run", Exit.OK, str(mac(LAMP))),
        ("rule enrol --present --switch quay-1 --dry-run", Exit.OK, "quay-1 port p2"),
        ("rule remove 999999", Exit.NOTHING, "rule list"),
        (f"rule export {file}", Exit.OK, "rules written"),
        (f"rule diff {file}", Exit.OK, "what the file says"),
        ("rule log --limit 3", Exit.OK, "enrolled"),
        ("barred add 02:1a:99 --reason stolen", Exit.OK, "is barred"),
        ("barred list", Exit.OK, "stolen"),
        (f"rule diff {file}", Exit.DIFFERS, "bar lifted"),
        (f"rule apply {file}", Exit.OK, "bar lifted"),
        ("barred remove 02:1a:99", Exit.NOTHING, "barred list"),
        ("roll-call", Exit.BROKEN_RULE, "with a broken rule"),
        ("roll-call quay-1 --broken --format csv", Exit.BROKEN_RULE, "quay-1,p1"),
        ("roll-call quay-1 p1", Exit.BROKEN_RULE, "VLAN not expected"),
        ("roll-call quay-1 p9 --format json", Exit.OK, '"seats": 2'),
        (f"roll-call --against {devices}", Exit.BROKEN_RULE, "1 in place, 3 not listed"),
        ("roll-call --group nobody", Exit.NOTHING, "no group 'nobody'"),
        (
            "rehearse --switch quay-1 --port p1 --seats 1 --since 2d",
            Exit.BROKEN_RULE,
            "Ports that would have hurt",
        ),
        ("rehearse --suggest-seats", Exit.OK, "peak"),
        ("enrolment open --switch quay-1 --since 4h --for 5h", Exit.OK, "enrolment candidates"),
        ("port by-use --unused 1h", Exit.OK, "silent"),
    ):
        assert main(words.split()) == code, words
        said = capfd.readouterr()
        assert reported in said.out + said.err, words
    (window, *_) = kite.all(enrolment_windows())
    for words, reported in (
        (f"enrolment candidates {window.id}", "waiting"),
        (f"enrolment refuse {window.id} {str(mac(GUEST))[-8:]}", "1 refused"),
        (f"enrolment accept {window.id} --all", "quay-1 port p1"),
        (f"enrolment close {window.id}", "is closed"),
    ):
        assert main(words.split()) == Exit.OK, words
        said = capfd.readouterr()
        assert reported in said.out + said.err, words
    assert main(["rule", "export"]) == Exit.OK
    assert json.dumps(mac(LAMP).digits)[1:7] in capfd.readouterr().out.replace(":", "")

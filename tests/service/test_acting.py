"""Acting on ports, through the service: planned, guarded, sent, read back; proposed, held closed."""

import signal
import threading
from collections.abc import Iterator
from contextlib import suppress

import pytest

from kiteroll.client import (
    ApiRequest,
    Client,
    ServiceError,
    ServiceUnreachable,
    act,
    actions,
    add_credential,
    add_switch,
    add_token,
    add_user,
    ageing_advice,
    approve_proposal,
    audit_log,
    begin_rehearsal,
    begin_sweep,
    change_port,
    change_rules,
    change_switch,
    change_user,
    closed_ports,
    credentials,
    findings,
    go_on_closing,
    ports,
    proposals,
    refuse_proposal,
    rehearsal,
    remove_credential,
    sweep,
    switch,
)
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas.api import (
    ActionAnswer,
    Approval,
    Credential,
    NewAction,
    NewCredential,
    NewRehearsal,
    NewSweep,
    NewToken,
    NewUser,
    PortChange,
    RuleChange,
    RulesPatch,
    SwitchChange,
    UserChange,
)
from tests.support.harness import Lab, NewService, Service, add_lab_switches, read_again, wait_until
from tests.support.ports import free_tcp_port, free_udp_port
from tests.support.udp_relay import UdpRelay

WRITES = ("ticket-hall", "quay-1", "weighbridge", "core-1")
SETTINGS = (
    "[acting]\nreopens = 1\nask_networks = ['127.77.0.0/28']\nask_rate = 200\nports_per_hour = 50\n"
    "by_rule_per_hour = 1\n"
    "[findings]\nport_rule_delay = '1s'\n"
)


@pytest.fixture(scope="module")
def own_lab() -> Iterator[Lab]:
    """What is done to its switches is no other test's concern."""
    network = Lab(free_udp_port())
    network.start()
    yield network
    network.stop()


@pytest.fixture(scope="module")
def acting(own_lab: Lab, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """A service that may write to some switches of the lab."""
    folder = tmp_path_factory.mktemp("acting")
    settings = folder / "kiteroll.toml"
    settings.write_text(SETTINGS)
    service = Service(
        folder / "data",
        free_tcp_port(),
        extra=("--config", str(settings)),
        environment={"KITEROLL_INTERVAL": "5s"},
    )
    service.start()
    add_lab_switches(service, own_lab)
    with service.client() as kite:
        by_user = own_lab.access["weighbridge"]
        kite.send(add_credential(NewCredential(name="writer", access=Credential(community="tarn-write"))))
        kite.send(add_credential(NewCredential(name="writer-v3", access=by_user)))
        for name in WRITES:
            which = "writer-v3" if name == "weighbridge" else "writer"
            kite.send(change_switch(name, SwitchChange(write_credential=which)))
        kite.send(change_user("admin", UserChange(acts_on_ports=True)))
    yield service
    assert service.end() == 0
    assert "Traceback" not in service.log


def close(name: str, port: str, *, dry_run: bool = False, **more: object) -> NewAction:
    return NewAction(
        kind="close-port",
        switch=name,
        port=port,
        reason="a trial",
        dry_run=dry_run,
        **more,  # type: ignore[arg-type]
    )


def reopen(name: str, port: str) -> NewAction:
    return NewAction(kind="reopen-port", switch=name, port=port, reason="over", dry_run=False)


def _port(kite: Client, name: str, port: str) -> tuple[bool, int]:
    """Whether it is not shut, and how many are there."""
    found = next(one for one in kite.all(ports(name)) if one.name == port)
    return found.admin_up, found.present


@pytest.mark.parametrize(("name", "port"), [("ticket-hall", "p2"), ("weighbridge", "p1")])
def test_a_port_is_planned_closed_read_back_and_opened(acting: Service, name: str, port: str) -> None:
    with acting.client() as kite:
        answer = kite.send(act(close(name, port, dry_run=True)))
        assert answer.action is None and answer.plan is not None
        plan = answer.plan
        assert (plan.was, plan.to, plan.objections) == ("up", "down", [])
        assert plan.object.startswith("ifAdminStatus.") and len(plan.present) == plan.present_count == 1
        assert _port(kite, name, port) == (True, 1), "a plan sends nothing"

        done = kite.send(act(close(name, port))).action
        assert done is not None and (done.state, done.asked_by) == ("done", "admin")
        assert done.present == [plan.present[0].mac]
        wait_until(
            lambda: _port(kite, name, port) == (False, 0), "the port to be read as shut, with nobody on it"
        )
        shown = next(one for one in kite.send(closed_ports()).closed if one.switch == name)
        assert (shown.port, shown.why, shown.reopen_at) == (port, "a trial", None)
        entry = next(one for one in kite.each(audit_log(limit=20)) if one.action == "port.act")
        assert (entry.subject, entry.stage) == (f"{name} {port}", "done")

        assert kite.send(act(reopen(name, port))).action.state == "done"  # type: ignore[union-attr]
        wait_until(lambda: _port(kite, name, port)[0], "the port to be read as open")
        assert kite.send(closed_ports()).closed == []


def test_alias_and_ageing_time_are_set_and_reported(acting: Service) -> None:
    with acting.client() as kite:
        named = NewAction(
            kind="set-alias", switch="quay-1", port="p3", alias="berth 3", reason="named", dry_run=False
        )
        assert kite.send(act(named)).action.state == "done"  # type: ignore[union-attr]
        aged = NewAction(
            kind="set-ageing-time", switch="quay-1", ageing_time_s=400, reason="advice", dry_run=False
        )
        assert kite.send(act(aged)).action.to == "400"  # type: ignore[union-attr]
        read_again(kite, "quay-1")
        assert next(one for one in kite.all(ports("quay-1")) if one.name == "p3").alias == "berth 3"
        assert kite.send(switch("quay-1")).ageing_s == 400
        advice = kite.send(ageing_advice("quay-1"))
        assert (advice.ageing_s, advice.advice) == (400, "keep") and advice.endpoints > 5


def test_guards_refuse_and_are_overridden_by_name(acting: Service) -> None:
    with acting.client() as kite:
        with pytest.raises(ServiceError) as guarded:
            kite.send(act(close("core-1", "p1")))
        assert guarded.value.status == 409 and "uplink: it leads to" in str(guarded.value)
        with pytest.raises(ServiceError, match="does not object"):
            kite.send(act(close("quay-1", "p2", overrides=["bundle"])))
        kite.send(change_port("quay-1", "p2", PortChange(role="uplink")))
        with pytest.raises(ServiceError, match="uplink"):
            kite.send(act(close("quay-1", "p2")))
        done = kite.send(act(close("quay-1", "p2", overrides=["uplink"]))).action
        assert done is not None and (done.state, done.overridden) == ("done", ["uplink"])
        kite.send(act(reopen("quay-1", "p2")))
        kite.send(change_port("quay-1", "p2", PortChange(role=None)))


def test_switches_without_a_credential_to_write_with_are_only_read(acting: Service) -> None:
    with acting.client() as kite:
        with pytest.raises(ServiceError, match="quay-2 is only read") as refused:
            kite.send(act(close("quay-2", "p2", dry_run=True)))
        assert refused.value.status == 409
        kinds = {one.name: one for one in kite.all(credentials())}
        assert kinds["writer"].used_by == 3 and "tarn-write" not in str(kinds)
        with pytest.raises(ServiceError, match="used by 3"):
            kite.send(remove_credential("writer"))
        assert kite.send(switch("quay-1")).write_credential == "writer"
        kite.send(change_switch("quay-1", SwitchChange(write_credential="")))
        assert kite.send(switch("quay-1")).write_credential is None
        kite.send(change_switch("quay-1", SwitchChange(write_credential="writer")))


def test_who_may_not_act_cannot(acting: Service) -> None:
    password = "over the tarn by ferry"
    with acting.client() as kite:
        kite.send(add_user(NewUser(name="ida", role="operator", password=password)))
        kite.send(
            add_user(NewUser(name="joss", role="operator", acts_on_ports=True, sites=[], password=password))
        )
        without = kite.send(add_token(NewToken(name="reads", scopes=("view", "operate"))))
        with Client(acting.url, without.secret) as reader:
            for call in (act(close("quay-1", "p2")), act(close("quay-1", "p2", dry_run=True))):
                with pytest.raises(ServiceError) as refused:
                    reader.send(call)
                assert refused.value.status == 403
            with pytest.raises(ServiceError):
                reader.send(approve_proposal(1))
        assert _port(kite, "quay-1", "p2")[0]


def test_a_proposal_is_decided_on_once(acting: Service) -> None:
    """The rule is set on a port where somebody is: a stranger from then on."""
    with acting.client() as kite:
        rule = RuleChange(switch="ticket-hall", port="p5", watched=True, on_breach="propose")
        kite.send(change_rules(RulesPatch(changes=[rule])))
        first = _proposed(kite, "p5")
        kite.send(refuse_proposal(first))
        with pytest.raises(ServiceError, match="refused by admin"):
            kite.send(approve_proposal(first))
        assert _port(kite, "ticket-hall", "p5") == (True, 1)
        _unwatch(kite, "p5")


def _proposed(kite: Client, port: str) -> int:
    """The number of the proposal to close it, once there is one."""
    found: list[int] = []

    def proposed() -> bool:
        found[:] = [one.id for one in kite.each(proposals(states=["open"])) if one.port == port]
        return bool(found)

    wait_until(proposed, f"closing {port} to be proposed", seconds=120)
    return found[0]


def _unwatch(kite: Client, port: str) -> None:
    kite.send(change_rules(RulesPatch(changes=[RuleChange(switch="ticket-hall", port=port, watched=False)])))


def test_a_port_closed_for_a_breach_is_reopened_by_the_timer_and_held_when_it_comes_back(
    acting: Service,
) -> None:
    with acting.client() as kite:
        rule = RuleChange(
            switch="ticket-hall", port="p6", watched=True, on_breach="propose", reopen_after_s=2
        )
        kite.send(change_rules(RulesPatch(changes=[rule])))
        for _ in range(2):
            done = kite.send(approve_proposal(_proposed(kite, "p6"), Approval()))
            assert done.state == "approved" and done.action is not None
        closed = next(one for one in kite.send(closed_ports()).closed if one.port == "p6")
        assert (closed.held, closed.came_back, closed.reopen_at) == (True, 1, None)
        by_timer = [one for one in kite.each(actions(port="p6")) if one.via == "timer"]
        assert [(one.kind, one.state, one.asked_by) for one in by_timer] == [("reopen-port", "done", "")]

        def reported() -> list[str]:
            opened = [one for one in kite.each(findings(states=["open"])) if one.kind == "port-closed"]
            return [one.title for one in opened if one.switch == "ticket-hall"]

        wait_until(
            lambda: any("held closed" in title for title in reported()), "the port held closed to be reported"
        )
        _unwatch(kite, "p6")
        kite.send(act(reopen("ticket-hall", "p6")))
        wait_until(lambda: not reported(), "a port that was opened not to be reported as closed")


def test_a_rule_closes_by_itself_once_rehearsed_and_stops_when_it_closed_as_many_as_it_may(
    acting: Service,
) -> None:
    with acting.client() as kite:
        strict = [
            RuleChange(switch="ticket-hall", port=port, watched=True, on_breach="close")
            for port in ("p7", "p8")
        ]
        kite.send(change_rules(RulesPatch(changes=strict[:1])))
        number = _proposed(kite, "p7")
        (note,) = (one.note for one in kite.each(proposals()) if one.id == number)
        assert note == "its rule closes, but was not rehearsed"

        run = kite.send(begin_rehearsal(NewRehearsal(switch="ticket-hall")))
        wait_until(lambda: kite.send(rehearsal(run.id)).state == "done", "the rehearsal to end")
        wait_until(lambda: _closed(kite) == {"p7": ""}, "the rule to close the port")
        (shown,) = (one for one in kite.each(actions(port="p7")))
        assert (shown.asked_by, shown.via, shown.state) == ("", "rule", "done")
        entry = next(one for one in kite.each(audit_log(limit=50)) if one.action == "switch.write")
        assert (entry.by, entry.via, entry.subject) == ("service", "rule", "ticket-hall p7")
        assert (entry.before, entry.after) == ({"ifAdminStatus.7": "up"}, {"ifAdminStatus.7": "down"})

        kite.send(change_rules(RulesPatch(changes=strict[1:])))
        number = _proposed(kite, "p8")
        (note,) = (one.note for one in kite.each(proposals()) if one.id == number)
        assert note == "closing by rules has stopped: too many within an hour"
        stopped = kite.send(closed_ports()).stopped
        assert stopped is not None and "of 1 they may" in stopped.why
        wait_until(lambda: "closing-stopped" in _open_kinds(kite), "a person to be called")
        kite.send(go_on_closing())
        assert kite.send(closed_ports()).stopped is None
        for port in ("p7", "p8"):
            _unwatch(kite, port)
        kite.send(act(reopen("ticket-hall", "p7")))


def _closed(kite: Client) -> dict[str, str]:
    """Ports that are closed, and by whom."""
    return {one.port: one.closed_by for one in kite.send(closed_ports()).closed}


def _open_kinds(kite: Client) -> set[str]:
    return {one.kind for one in kite.each(findings(states=["open"]))}


def test_hosts_are_asked_and_switches_read_again(acting: Service) -> None:
    with acting.client() as kite:
        with pytest.raises(ServiceError, match=r"outside acting\.ask_networks"):
            kite.send(begin_sweep(NewSweep(networks=["10.0.0.0/24"])))
        number = kite.send(begin_sweep(NewSweep(networks=["127.77.0.0/28"], switches=["quay-1"]))).id
        wait_until(lambda: kite.send(sweep(number)).state == "done", "the sweep to end")
        done = kite.send(sweep(number))
        assert (done.sent, done.addresses, done.read, done.not_read) == (14, 14, 1, [])
        assert all(MacAddress.parse(one.mac) for one in done.appeared)


def test_killed_before_it_read_back_it_finds_out_what_became_of_it(
    own_lab: Lab, new_service: NewService
) -> None:
    """Nothing comes back from the switch once it was told to close the port; then the service is killed."""
    with UdpRelay((own_lab.switches["quay-3"], own_lab.port)) as relay:
        service = new_service(environment={"KITEROLL_INTERVAL": "5s"})
        with service.client() as kite:
            kite.send(add_credential(NewCredential(name="writer", access=Credential(community="tarn-write"))))
            where = {"host": "127.0.0.1", "port": relay.port, "write_credential": "writer", "timeout_s": 10}
            kite.send(add_switch(own_lab.new_switch("quay-3", **where)))
            kite.send(change_user("admin", UserChange(acts_on_ports=True)))
            wait_until(lambda: kite.send(switch("quay-3")).healthy, "the switch to be read")

            relay.silence_after_set()
            asking = threading.Thread(target=_ask, args=(service, act(close("quay-3", "p4"))))
            asking.start()
            assert relay.set_came.wait(30)
            service.end(signal.SIGKILL)
            asking.join(30)
        relay.pass_on()
        service.start()
        with service.client() as kite:
            wait_until(lambda: next(iter(kite.each(actions()))).state == "done", "it to be found out")
            assert "it was not known what became of it" in next(iter(kite.each(actions()))).outcome
            assert [one.port for one in kite.send(closed_ports()).closed] == ["p4"]
            assert kite.send(act(reopen("quay-3", "p4"))).action.state == "done"  # type: ignore[union-attr]
        assert service.end() == 0
        assert "Traceback" not in service.log


def _ask(service: Service, request: ApiRequest[ActionAnswer]) -> None:
    """Whoever asks gets no answer, for the service is killed."""
    with service.client() as kite, suppress(ServiceUnreachable):
        kite.send(request)

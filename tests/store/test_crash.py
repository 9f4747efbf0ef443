"""Killed at any instant: what was acknowledged is there afterwards, and nothing is half there."""

import os
import signal
import threading
import time

from kiteroll.client import (
    Client,
    ServiceError,
    ServiceUnreachable,
    add_switch,
    health,
    read_now,
    readings,
    stays,
)
from kiteroll.schemas.api import ReadingSummary
from tests.support.harness import Lab, NewService, read_again, wait_until

NAMES = ("quay-1", "ticket-hall", "core-1")


def _add(client: Client, lab: Lab) -> None:
    for name in NAMES:
        client.send(add_switch(lab.new_switch(name)))


def _read_for(client: Client, seconds: float, enough: int = 10_000) -> list[ReadingSummary]:
    """Readings that were acknowledged until there were enough, the service stopped answering, or time
    was up."""
    kept: list[ReadingSummary] = []
    until = time.monotonic() + seconds
    while time.monotonic() < until and len(kept) < enough:
        try:
            kept.append(client.send(read_now(NAMES[len(kept) % len(NAMES)])))
        except ServiceUnreachable:
            break
        except ServiceError as refused:
            if refused.status != 409:  # being read by the schedule at this moment: ask again
                break
    return [one for one in kept if one.outcome == "complete"]


def _check(client: Client, acknowledged: list[ReadingSummary]) -> None:
    kept = {
        (one.switch, one.taken_at) for one in client.each(readings(limit=1000)) if one.outcome == "complete"
    }
    for one in acknowledged:
        # The API gives milliseconds, both times from the same record.
        assert (one.switch, one.taken_at) in kept
    for name in NAMES:
        reported = [one for one in client.each(stays(switch=name, limit=1000)) if one.life == "present"]
        latest = read_again(client, name)
        assert latest.outcome == "complete"
        now = [one for one in client.each(stays(switch=name, limit=1000)) if one.life == "present"]
        # At peace hardly anything changes: what was kept before the kill is what is there now.
        assert len({one.mac for one in reported} & {one.mac for one in now}) >= 0.9 * len(now)
        places = [(one.mac, one.vlan) for one in now]
        assert len(places) == len(set(places)), "an address has one place a switch and VLAN"


def test_killing_the_service_and_then_the_database_loses_nothing_acknowledged(
    lab: Lab, new_service: NewService
) -> None:
    service = new_service()
    with service.client() as client:
        _add(client, lab)
        acknowledged = _read_for(client, 60, enough=14)
        assert len(acknowledged) > 10
        assert service.process is not None
        service.process.send_signal(signal.SIGKILL)
        service.process.wait()

    service.start()
    with service.client() as client:
        _check(client, acknowledged)
        server = int((service.data / "database" / "server.pid").read_text())
        os.kill(server, signal.SIGKILL)
        wait_until(lambda: "the private database ended" in service.log, "the service to see it end")
        _await_database(client)
        _check(client, acknowledged)
    assert service.end() == 0


def test_the_database_killed_while_readings_are_written_delays_them_and_no_more(
    lab: Lab, new_service: NewService
) -> None:
    service = new_service(environment={"KITEROLL_INTERVAL": "5s"})
    server = service.data / "database" / "server.pid"
    with service.client() as client:
        _add(client, lab)
        killing = threading.Timer(1.5, lambda: os.kill(int(server.read_text()), signal.SIGKILL))
        killing.start()
        acknowledged = _read_for(client, 5)
        killing.join()
        wait_until(lambda: service.log.count("private database started") == 2, "it to be started again")
        _await_database(client)
        _check(client, acknowledged)
    assert service.end() == 0
    assert "Traceback" not in service.log and "the private database ended" in service.log


def _await_database(client: Client) -> None:
    wait_until(lambda: client.send(health()).database != "down", "the database to be back")

"""The service while its database says nothing: it reports, keeps readings, and can be stopped."""

import time

import httpx

from kiteroll.client import add_switch, health, readings
from kiteroll.store.database import Database
from tests.support.database_proxy import DatabaseProxy
from tests.support.harness import Lab, NewService, wait_until


def test_a_black_hole_is_reported_and_waited_out_and_does_not_hold_up_the_end(
    new_service: NewService, database: Database, lab: Lab
) -> None:
    with DatabaseProxy(database.url) as proxy:
        named = {"KITEROLL_DATABASE_URL": proxy.url.render_as_string(hide_password=False)}
        service = new_service(environment={**named, "KITEROLL_INTERVAL": "5s"})
        with service.client() as client:
            client.send(add_switch(lab.new_switch("quay-1")))
            wait_until(lambda: client.send(readings()).items, "a first reading")
            proxy.hold_back()
            wait_until(lambda: client.send(health()).database == "down", "health to report", seconds=20)
            began = time.monotonic()
            assert httpx.get(f"{service.url}/health/live", timeout=5).text == "live\n"
            assert httpx.get(f"{service.url}/health/ready", timeout=5).status_code == 503
            assert time.monotonic() - began < 4, "nothing of that waits for the database"
            proxy.pass_on()
            wait_until(lambda: client.send(health()).database == "up", "the database to be back")
            before = len(client.send(readings(limit=1000)).items)
            wait_until(lambda: len(client.send(readings(limit=1000)).items) > before, "readings to go on")
        proxy.hold_back()
        began = time.monotonic()
        assert service.end(seconds=25) == 0
        assert time.monotonic() - began < 20, "told to end, it ends within ten seconds on a machine at rest"
    assert "Traceback" not in service.log

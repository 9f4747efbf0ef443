"""What is kept for how long: everything that happened goes in the end, what operators said stays."""

from dataclasses import replace

import pytest
from sqlalchemy import func, select

from kiteroll.core.errors import Invalid
from kiteroll.core.model.reading import Port
from kiteroll.store import inventory, labels, ports, stay_queries
from kiteroll.store.labels import Label
from kiteroll.store.retention import delete_expired, known_again
from kiteroll.store.tables import port, stay, switch
from tests.store.test_store import Stored, stored
from tests.support.factories import at, mac, reading

__all__ = ["stored"]


def test_what_was_last_seen_before_history_ends_goes_and_what_is_noted_stays(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1", (2, 10): "p2", (3, 10): "p3"})
    stored.database.run(labels.set_labels, [Label(mac(2), "gate reader")])
    stored.apply(1, {(3, 10): "p3"})
    stored.apply(600, {(3, 10): "p3"})
    gone = delete_expired(stored.database, readings_before=at(700), history_before=at(700))
    assert gone.endpoints == [mac(1)] and set(stored.database.run(stay_queries.all_macs)) == {mac(2), mac(3)}
    stored.apply(601, {(1, 10): "p1", (3, 10): "p3"})
    assert stored.database.run(known_again, gone.endpoints) == {mac(1)}


def test_a_switch_that_was_removed_goes_with_its_history(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1"})
    stored.database.run(
        inventory.remove_switch, stored.switch.id, at(1), stored.tracker.forget("quay-1", at(1))
    )
    for before, kept in ((at(0.5), True), (at(30), False)):
        delete_expired(stored.database, readings_before=before, history_before=before)
        with stored.database.engine.connect() as connection:
            for table in (switch, port, stay):
                count = connection.execute(select(func.count()).select_from(table)).scalar_one()
                assert (count > 0) is kept, table.name


def test_ports_that_are_no_longer_there_go_and_a_switch_has_no_more_names_than_it_could(
    stored: Stored, monkeypatch: pytest.MonkeyPatch
) -> None:
    stored.apply(0, {(1, 10): "p1"})
    whole = reading(1, {(1, 10): "p1"})
    stored.write(replace(whole, ports=whole.ports[:2]))
    delete_expired(stored.database, readings_before=at(30), history_before=at(30))
    assert set(stored.database.run(inventory.port_numbers, stored.switch.id).values()) == {"p1", "p2"}
    monkeypatch.setattr(ports, "_MOST_NAMES", 3)
    with pytest.raises(Invalid, match="more than 3 names of ports"):
        stored.write(replace(reading(2, {}), ports=tuple(Port(number=n, name=f"x{n}") for n in (1, 2))))


def test_old_records_go_and_open_stays_stay(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1", (2, 10): "p2"})
    stored.apply(5, {(1, 10): "p3", (2, 10): "p2"})
    stored.apply(60, {(1, 10): "p3", (2, 10): "p2"})
    gone = delete_expired(stored.database, readings_before=at(30), history_before=at(30))
    counts = {table: count for table, count in gone.rows.items() if count}
    assert counts == {"reading": 2, "change_log": 3, "stay": 1, "port_link": 24}
    assert sorted(row.stay.place.port for row in stored.stays(open_only=False)) == ["p2", "p3"]
    assert delete_expired(stored.database, readings_before=at(30), history_before=at(30)).rows["reading"] == 0

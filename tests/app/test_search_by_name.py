"""The label of an address finds it, at once; so do host names, in the order people expect."""

from kiteroll.app.label_index import LabelIndex
from kiteroll.app.labels import Label, Labels
from kiteroll.app.name_index import NameIndexes
from kiteroll.store import host_names, labels
from kiteroll.store.database import Database
from tests.support.factories import at, mac

GATE, LAMP, SPARE = mac(1), mac(2), mac(3)


def test_labels_are_found_as_they_are_said_and_as_they_are_recorded(database: Database) -> None:
    index = LabelIndex(database)
    said = Labels(database, index)
    said.set(Label(GATE, "Café gate", "Ticketing"))
    said.set(Label(LAMP, "Berth lamp"))
    for _ in range(2):
        assert index.find("gate", 5) == [GATE]
        assert index.find("CAFE", 5) == [GATE], "neither case nor accents matter"
        assert index.find("ticket", 5) == [GATE], "by its owner"
        assert index.find("t", 5) == [GATE, LAMP], "what begins with it first"
        assert index.find("t", 1) == [GATE]
        index.refresh()
    said.change({GATE: {"label": "Spare"}, SPARE: {"label": "Spare"}, LAMP: None})
    for _ in range(2):
        assert index.find("gate", 5) == index.find("lamp", 5) == []
        assert index.find("spare", 5) == [GATE, SPARE]
        assert index.find("ticketing", 5) == [GATE]
        index.refresh()


def test_what_another_service_recorded_is_found_when_it_is_read(database: Database) -> None:
    index = LabelIndex(database)
    database.run(labels.set_labels, [Label(LAMP, "Berth lamp")])
    index.refresh()
    assert index.find("lamp", 5) == [], "nothing was noted here"
    index.reload()
    assert index.find("lamp", 5) == [LAMP]


def test_host_names_are_found_in_natural_order(database: Database) -> None:
    def save(*names: str) -> None:
        found = {f"10.0.0.{name.split('-')[1]}": name for name in names}
        database.run(host_names.save_names, found, at(0), at(9))

    names = NameIndexes(database)
    save("gate-11", "gate-2", "gate-1")
    names.load()
    numbers = {name: number for name, number in database.run(host_names.all_host_names, 0)}
    assert names.hosts.find("gate", 9) == [numbers[name] for name in ("gate-1", "gate-2", "gate-11")]
    save("gate-3")
    names.refresh()
    assert len(names.hosts.find("gate", 9)) == 4, "what came later is found, too"

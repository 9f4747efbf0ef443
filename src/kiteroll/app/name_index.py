"""In-memory search indexes of switches, port names, aliases and host names."""

from collections import defaultdict
from collections.abc import Mapping

from kiteroll.app.events import ReadingStored
from kiteroll.core.model.natural_order import natural_key
from kiteroll.core.search.text_index import TextIndex
from kiteroll.store import host_names, list_queries
from kiteroll.store.database import Database

_SLACK = 10_000
"""Host names that have ended are dropped now and then; so many more do no harm."""
PortKey = tuple[int, str]
"""Id of a switch, and the name of a port."""


class NameIndexes:
    """Readings bring the names of ports, records those of hosts. What is new is found some seconds
    later: indexing a hundred thousand names takes too long to do it for each."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._ports: dict[int, Mapping[str, str]] = {}
        self._ports_changed = False
        self._hosts_at_load = 0
        self._last_host = 0
        self._switch_texts: list[tuple[int, str]] = []
        self._switches: TextIndex[int] = TextIndex(())
        self._switches_of: Mapping[int, str] = {}
        self.ports: TextIndex[PortKey] = TextIndex(())
        self.aliases: TextIndex[PortKey] = TextIndex(())
        self.hosts: TextIndex[int] = TextIndex(())
        """By number of the record of a host name."""

    def load(self) -> None:
        """Raises StorageUnavailable."""
        ports: dict[int, dict[str, str]] = defaultdict(dict)
        for switch_id, name, alias in self._database.run(list_queries.all_port_names):
            ports[switch_id][name] = alias
        self._ports = dict(ports)
        self._ports_changed = True
        self.refresh()

    def on_reading(self, event: ReadingStored) -> None:
        """Called in a turn."""
        if event.ports is None:
            return
        known = self._ports.get(event.switch_id, {})
        read = {port.name: port.alias for port in event.ports}
        self._note_ports(event.switch_id, read if event.summary.complete else {**known, **read})

    def _note_ports(self, switch_id: int, now: Mapping[str, str]) -> None:
        if now != self._ports.get(switch_id, {}):
            self._ports[switch_id] = now
            self._ports_changed = True

    def switches_called(self, text: str, inventory: Mapping[int, str], limit: int) -> list[int]:
        """Ids of at most `limit` switches whose name, address or location holds `text`; those whose name
        begins with it first, then by name. `inventory`: ids and names; where it is another one than before,
        what is in it is known at once. Raises StorageUnavailable."""
        if inventory is not self._switches_of:
            self._refresh_switches()
            self._switches_of = inventory
        return self._switches.find(text, limit)

    def _refresh_switches(self) -> None:
        texts = self._database.run(list_queries.switch_texts)
        if texts != self._switch_texts:
            self._switches = TextIndex((text, number) for number, text in texts)
            self._switch_texts = texts

    def refresh(self) -> None:
        """Index what is new. Raises StorageUnavailable."""
        self._refresh_switches()
        more = self._database.run(host_names.all_host_names, self._last_host)
        before = self.hosts
        if len(before) + len(more) > 2 * self._hosts_at_load + _SLACK:
            # Half of them may be names of the past by now: start over.
            before, self._hosts_at_load = TextIndex(()), 0
            more = self._database.run(host_names.all_host_names, 0)
        if more:
            self._last_host = more[-1][1]
            self._hosts_at_load = self._hosts_at_load or len(more)
            in_order = sorted(more, key=lambda one: natural_key(one[0]))
            self.hosts = TextIndex(in_order, before=before)
        if self._ports_changed:
            self._ports_changed = False
            each = [(switch, ports.items()) for switch, ports in list(self._ports.items())]
            self.ports = TextIndex((name, (switch, name)) for switch, ports in each for name, _ in ports)
            self.aliases = TextIndex(
                (alias, (switch, name)) for switch, ports in each for name, alias in ports if alias
            )

"""Links an operator makes to switches and endpoints."""

from collections.abc import Mapping

from kiteroll.core.model.device_links import OF_ENDPOINT, OF_SWITCH, DeviceLink
from kiteroll.core.model.nearest import no_such
from kiteroll.store import device_links
from kiteroll.store.database import Database

__all__ = ["OF_ENDPOINT", "OF_SWITCH", "DeviceLink", "DeviceLinks"]


class DeviceLinks:
    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[DeviceLink]:
        """By name."""
        return list(self._database.run(device_links.all_links).values())

    def get(self, name: str) -> DeviceLink:
        """Raises NotFound."""
        known = self._database.run(device_links.all_links)
        if name not in known:
            raise no_such("device link", name, known)
        return known[name]

    def set(self, link: DeviceLink) -> None:
        self._database.run(device_links.save_link, link)

    def remove(self, name: str) -> None:
        """Raises NotFound."""
        if not self._database.run(device_links.remove_link, name):
            self.get(name)

    def urls(self, of: str, values: Mapping[str, str]) -> list[tuple[str, str]]:
        """Names and URLs of the links to one device, without those for which something is not known."""
        made = ((link.name, link.url(values)) for link in self.all() if link.of == of)
        return [(name, url) for name, url in made if url is not None]

"""What was done to switches."""

from kiteroll.core.model.paging import PageAsk
from kiteroll.store import inventory, port_actions
from kiteroll.store.database import Database
from kiteroll.store.paging import Page
from kiteroll.store.port_actions import ActionFilters, ActionRow

__all__ = ["ActionFilters", "ActionQueries", "ActionRow"]


class ActionQueries:
    def __init__(self, database: Database) -> None:
        self._database = database

    def page(self, filters: ActionFilters, ask: PageAsk) -> Page[ActionRow]:
        """Latest first."""
        return self._database.run(port_actions.actions_page, filters, ask)

    def get(self, number: int) -> ActionRow:
        """Raises NotFound."""
        return self._database.run(port_actions.get_action, number)

    def writable(self) -> int:
        """Switches that have a credential to write with."""
        rows = self._database.run(inventory.all_switches)
        return sum(one.write_credential is not None for one in rows)

"""What was done to switches."""

from kiteroll.core.model.paging import PageAsk
from kiteroll.store import former_switches, inventory, port_actions
from kiteroll.store.database import Database
from kiteroll.store.paging import Page
from kiteroll.store.port_actions import ActionFilters, ActionRow

__all__ = ["ActionFilters", "ActionQueries", "ActionRow"]


class ActionQueries:
    def __init__(self, database: Database) -> None:
        self._database = database

    def page(self, filters: ActionFilters, ask: PageAsk) -> Page[ActionRow]:
        """Latest first. Raises NotFound for a switch that never was in the inventory."""
        page = self._database.run(port_actions.actions_page, filters, ask)
        if filters.switch and not page.items:
            self._database.run(former_switches.switches_called, filters.switch)
        return page

    def get(self, number: int) -> ActionRow:
        """Raises NotFound."""
        return self._database.run(port_actions.get_action, number)

    def writable(self) -> int:
        """Switches that have a credential to write with."""
        rows = self._database.run(inventory.all_switches)
        return sum(one.write_credential is not None for one in rows)

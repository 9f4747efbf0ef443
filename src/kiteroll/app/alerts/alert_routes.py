"""Routes and planned work: what is sent, and when not; and what was."""

from kiteroll.app.alerts.router import AlertRouter
from kiteroll.app.inventory_names import InventoryNames
from kiteroll.clock import Clock
from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.core.alerts.route import Route
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.nearest import the_named
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import alert_settings, findings, outbox
from kiteroll.store.alert_settings import WorkRow
from kiteroll.store.database import Database
from kiteroll.store.outbox import MessageFilters, MessageRow
from kiteroll.store.paging import Page

__all__ = ["AlertRoutes", "MessageFilters", "MessageRow", "WorkRow"]


class AlertRoutes:
    def __init__(self, database: Database, clock: Clock, router: AlertRouter) -> None:
        self._database = database
        self._clock = clock
        self._router = router

    def all(self) -> list[Route]:
        """By name."""
        return self._database.run(alert_settings.all_routes)

    def get(self, name: str) -> Route:
        """Raises NotFound."""
        return the_named(self.all(), name, "alert route")

    def set(self, route: Route) -> Route:
        """Add or change one. Raises Invalid when a target, a site or a group is not there."""
        names = InventoryNames.read(self._database)
        names.check_value("sites", sites=route.sites)
        names.check_value("groups", groups=route.groups)
        try:
            self._database.run(alert_settings.set_route, route)
        except NotFound as missing:
            raise Invalid(f"target: {missing}") from missing
        self._router.settings_changed()
        return self.get(route.name)

    def remove(self, name: str) -> None:
        """Raises NotFound."""
        self._database.run(alert_settings.remove_route, name)
        self._router.settings_changed()

    def planned_work(self) -> list[WorkRow]:
        """What is not over, first begun first."""
        return self._database.run(alert_settings.all_planned_work, self._clock.now())

    def get_planned_work(self, number: int) -> WorkRow:
        """Raises NotFound."""
        return self._database.run(alert_settings.get_planned_work, number)

    def plan_work(self, work: PlannedWork, reason: str, by: str) -> WorkRow:
        """Raises Invalid when it ends before it begins, or before now, or is where no switch is."""
        names = InventoryNames.read(self._database)
        names.check_value("site", sites=(work.site,))
        names.check_value("switch", switches=(work.switch,))
        if work.ends_at <= max(work.begins_at, self._clock.now()):
            raise Invalid("ends_at: it must be later than begins_at, and than now")
        row = self._database.run(alert_settings.add_planned_work, work, reason, by)
        self._router.settings_changed()
        return row

    def end_work(self, number: int) -> None:
        """Raises NotFound."""
        self._database.run(alert_settings.end_planned_work, number, self._clock.now())
        self._router.settings_changed()

    def messages(self, filters: MessageFilters, ask: PageAsk) -> Page[MessageRow]:
        """The outbox, latest first. Raises NotFound for a target or a finding that never was."""
        page = self._database.run(outbox.messages_page, filters, ask)
        if not page.items and filters.target is not None:
            self._database.run(alert_settings.get_target, filters.target)
        if not page.items and filters.finding is not None:
            self._database.run(findings.get_finding, filters.finding)
        return page

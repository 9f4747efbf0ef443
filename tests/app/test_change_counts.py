"""Changes by the hour: counted as they come, without those at uplinks; before that, from the log."""

from collections import Counter

import pytest

from kiteroll.app.change_counts import ChangeCounts
from kiteroll.app.events import ChangesCounted
from kiteroll.app.queries.trends import Trends
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.model.changes import ChangeKind
from tests.support.factories import reading
from tests.support.live import LiveRun


def test_changes_are_counted_by_the_hour_without_those_at_uplinks(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    database = live.parts.storage.database
    counts = ChangeCounts(database, live.parts.bus, lambda port: port[1] == "p24")
    published: Counter[ChangeKind] = Counter()
    live.parts.bus.subscribe(ChangesCounted, lambda event: published.update(event.of_kind))
    live.store(reading(0, {(1, 10): "p1", (2, 10): "p24"}))
    live.store(reading(1, {(1, 10): "p2", (2, 10): "p24"}))
    assert [one.changes for one in Trends(database, live.clock).hours(1)] == [3], "from the log"
    live.store(reading(65, {(1, 10): "p3", (2, 10): "p24", (3, 10): "p24"}))
    with monkeypatch.context() as patch:

        def away(*_: object) -> None:
            raise StorageUnavailable("it is away")

        patch.setattr(database, "run", away)
        with pytest.raises(StorageUnavailable):
            counts.record()
    counts.record()
    live.store(reading(66, {(1, 10): "p4", (2, 10): "p24", (3, 10): "p24"}))
    counts.record()
    counts.record()
    assert published == {ChangeKind.APPEARED: 1, ChangeKind.MOVED: 3}
    assert [one.changes for one in Trends(database, live.clock).hours(3)] == [0, 3, 2]

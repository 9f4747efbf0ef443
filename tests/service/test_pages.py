"""Pages of a list that is made group by group: the whole of it in its order, no more made than is shown."""

from collections.abc import Iterator

import pytest

from kiteroll.api.contract.pages import PageAsk, page_by_group, presented_page
from kiteroll.core.errors import Invalid
from kiteroll.schemas.base import PageOf, ResponseModel


class Row(ResponseModel):
    switch: str
    port: str


class Listed:
    def __init__(self, sizes: dict[str, int]) -> None:
        self.sizes = sizes
        self.made: list[str] = []
        """Switches that rows were made of."""

    def rows(self, first: str | None) -> Iterator[Row]:
        for switch in sorted(self.sizes):
            if switch >= (first or ""):
                self.made.append(switch)
                yield from (Row(switch=switch, port=f"p{port}") for port in range(self.sizes[switch]))

    def page(self, cursor: str | None, limit: int, sort: str | None = None) -> PageOf[Row]:
        return page_by_group(self.rows, PageAsk(cursor, limit, sort), "switch", "port")


def _names(found: PageOf[Row]) -> list[str]:
    return [f"{row.switch}-{row.port}" for row in found.items]


@pytest.mark.parametrize("limit", [1, 2, 3, 4, 7, 8, 9])
def test_pages_join_up_and_no_more_is_made_than_they_need(limit: int) -> None:
    listed = Listed({"a": 3, "b": 0, "c": 1, "d": 4})
    every = [f"{row.switch}-{row.port}" for row in listed.rows(None)]
    found, cursor = list[str](), None
    while True:
        listed.made.clear()
        one = listed.page(cursor, limit)
        assert limit > 2 or found or "d" not in listed.made, "as far as the next row, and no further"
        found += _names(one)
        if (cursor := one.next) is None:
            break
    assert found == every


def test_a_page_goes_on_where_rows_went_meanwhile() -> None:
    listed = Listed({"a": 4, "b": 2, "c": 1})
    cursor = listed.page(None, 2).next
    listed.sizes["a"] = 1
    assert _names(listed.page(cursor, 9)) == ["b-p0", "b-p1", "c-p0"]
    del listed.sizes["a"]
    assert _names(listed.page(cursor, 9)) == ["b-p0", "b-p1", "c-p0"]


def test_sorted_it_is_made_whole_and_a_cursor_of_another_order_is_refused() -> None:
    listed = Listed({"a": 2, "b": 1})
    one = listed.page(None, 2, "-port")
    assert _names(one) == ["a-p1", "a-p0"] and listed.made == ["a", "b"]
    assert _names(listed.page(one.next, 2, "-port")) == ["b-p0"]
    with pytest.raises(Invalid, match="cursor"):
        listed.page(one.next, 2)


def test_rows_are_presented_where_they_are_shown() -> None:
    presented: list[int] = []

    def present(number: int) -> Row:
        presented.append(number)
        return Row(switch="a", port=f"p{number}")

    def listed(rows: list[int], ask: PageAsk) -> PageOf[Row]:
        return presented_page(rows, ask, present, "port", name=lambda number: [f"p{number}"])

    one = listed([1, 2, 3, 4, 5], PageAsk(limit=2))
    two = listed([1, 2, 3, 4, 5], PageAsk(one.next, 2))
    assert (_names(one), _names(two), presented) == (["a-p1", "a-p2"], ["a-p3", "a-p4"], [1, 2, 3, 4])
    rest = listed([1, 2, 3, 5], PageAsk(two.next, 9))
    assert _names(rest) == ["a-p5"] and rest.next is None, "what followed the one that is gone"
    assert _names(listed([1, 2], PageAsk(sort="-port"))) == ["a-p2", "a-p1"]

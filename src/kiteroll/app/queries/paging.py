"""Pages, as every list query gives them."""

from kiteroll.store.paging import Page

__all__ = ["Page"]

"""Columns of links to devices and of saved queries."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kiteroll.cli.output import Column

if TYPE_CHECKING:
    from kiteroll.schemas import api


def device_links() -> list[Column[api.DeviceLink]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("of", lambda one: one.of),
        Column("template", lambda one: one.template),
    ]


def device_urls() -> list[Column[api.DeviceUrl]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("url", lambda one: one.url),
    ]


def saved_queries(base: str) -> list[Column[api.SavedQuery]]:
    """`base`: URL of the console."""
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("owner", lambda one: one.owner),
        Column("shared", lambda one: one.shared),
        Column("url", lambda one: base.rstrip("/") + one.path),
    ]

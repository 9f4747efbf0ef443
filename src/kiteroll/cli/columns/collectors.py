"""Columns of collectors and of the sites they read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kiteroll.cli.output import Column

if TYPE_CHECKING:
    from kiteroll.schemas import api

_STYLES = {"reading": "green", "standby": "green", "lost": "bold red", "never heard": "yellow"}


def collectors() -> list[Column[api.Collector]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("site", lambda one: one.site),
        Column("state", lambda one: one.state, style=lambda one: _STYLES.get(one.state, "")),
        Column("heard", lambda one: one.heard_at),
        Column("switches", lambda one: one.switches, right=True),
        Column("unsent", lambda one: one.unsent, right=True),
        Column("clock ahead s", lambda one: one.clock_ahead_s, right=True),
        Column("version", lambda one: one.version),
        Column("problem", lambda one: one.problem),
    ]


def collected_sites() -> list[Column[api.CollectedSite]]:
    return [
        Column("site", lambda one: one.site, style=lambda _: "bold"),
        Column("up to date", lambda one: one.up_to_date),
        Column("silent since", lambda one: one.silent_since),
        Column("behind since", lambda one: one.behind_since),
        Column("on their way", lambda one: one.on_their_way, right=True),
        Column("dropped", lambda one: one.dropped, right=True),
        Column("refused", lambda one: one.refused, right=True),
        Column("last refusal", lambda one: one.refusal),
    ]

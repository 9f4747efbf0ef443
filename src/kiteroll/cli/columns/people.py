"""Columns of people, their tokens and sessions, and the audit log."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from kiteroll.cli.output import Column, Output

if TYPE_CHECKING:
    from kiteroll.schemas import api


def users(out: Output) -> list[Column[api.User]]:
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("full name", lambda one: one.full_name),
        Column("role", lambda one: one.role),
        Column(
            "ports", lambda one: one.acts_on_ports, shown=lambda one: "may act" if one.acts_on_ports else ""
        ),
        Column("sites", lambda one: None if one.sites is None else ",".join(one.sites)),
        Column(
            "state",
            lambda one: _state(one),
            style=lambda one: "" if one.enabled else "yellow",
        ),
        Column("signed in", lambda one: one.signed_in_at, shown=lambda one: out.age(one.signed_in_at)),
    ]


def tokens(out: Output) -> list[Column[api.Token]]:
    return [
        Column("number", lambda one: one.id, right=True),
        Column("owner", lambda one: one.owner),
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("scopes", lambda one: ",".join(one.scopes)),
        Column("state", lambda one: one.state, style=lambda one: "" if one.state == "valid" else "yellow"),
        Column(
            "ends in",
            lambda one: one.expires_at,
            shown=lambda one: out.until(one.expires_at) if one.expires_at and one.state == "valid" else "",
        ),
        Column("last used", lambda one: one.last_used_at, shown=lambda one: out.age(one.last_used_at)),
        Column("from", lambda one: one.last_used_from),
    ]


def sessions(out: Output) -> list[Column[api.OpenSession]]:
    return [
        Column("number", lambda one: one.id, right=True),
        Column("owner", lambda one: one.owner, style=lambda _: "bold"),
        Column("opened", lambda one: one.opened_at, shown=lambda one: out.age(one.opened_at)),
        Column("from", lambda one: one.opened_from),
        Column("last used", lambda one: one.last_used_at, shown=lambda one: out.age(one.last_used_at)),
        Column("ends in", lambda one: one.expires_at, shown=lambda one: out.until(one.expires_at)),
        Column("agent", lambda one: one.agent),
    ]


def audit_entries() -> list[Column[api.AuditEntry]]:
    return [
        Column("number", lambda one: one.number, right=True),
        Column("at", lambda one: one.at, shown=lambda one: f"{one.at:%Y-%m-%d %H:%M:%S}"),
        Column("by", lambda one: one.by, style=lambda _: "bold"),
        Column("action", lambda one: one.action),
        Column("subject", lambda one: one.subject),
        Column("result", lambda one: _result(one), style=lambda one: "" if one.stage == "done" else "yellow"),
        Column("from", lambda one: one.client),
        Column("via", lambda one: one.via),
        Column("what", lambda one: what(one)),
    ]


def what(one: api.AuditEntry) -> str:
    """Before and after in a line, or why it failed."""
    if one.note:
        return one.note
    if one.before is not None:
        return f"{_plain(one.before)} -> {_plain(one.after)}"
    return "" if one.after is None else _plain(one.after)


_MOST_LISTED = 8
"""Of a list, in a line; `--format json` has all that was kept."""


def _plain(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(
            f"{name}={_plain(inner)}" for name, inner in value.items() if inner not in (None, "")
        )
    if isinstance(value, list) and len(value) > _MOST_LISTED:
        begin = json.dumps(value[:_MOST_LISTED], ensure_ascii=False)
        return f"{begin[:-1]}, ...]"
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _result(one: api.AuditEntry) -> str:
    return "not finished" if one.stage == "begun" else one.stage


def _state(one: api.User) -> str:
    if not one.enabled:
        return "disabled"
    return "initial password" if one.must_change_password else "enabled"

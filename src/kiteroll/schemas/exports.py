"""The lists that can be exported, each with the filters it takes, and the formats of files."""

from collections.abc import Mapping

EXPORT_FORMATS = ("csv", "json", "jsonl", "xml", "xlsx", "parquet")
_OF_SWITCH = ("switch", "site", "group")
_CALLED = ("switch", "port", "group")
EXPORT_LISTS: Mapping[str, tuple[str, ...]] = {
    "switches": ("site", "group"),
    "ports": (*_OF_SWITCH, "at"),
    "neighbours": _OF_SWITCH,
    "links": (),
    "discovered-switches": (),
    "endpoints": (*_OF_SWITCH, "port", "vlan", "maker", "life", "confidence", "since"),
    "stays": ("switch", "port", "vlan", "mac", "ended", "uplinks", "at"),
    "homes": ("since", "mac"),
    "labels": ("seen",),
    "changes": ("switch", "mac", "since", "until", "kind", "uplinks"),
    "readings": ("switch",),
    "findings": ("switch", "mac", "since", "kind", "state", "severity", "parts", "at"),
    "differences": ("since", "until", "switch", "group"),
    "vlans": (),
    "rules": (),
    "rolls": (),
    "barred": (),
    "roll-call": _CALLED,
    "absent": _CALLED,
}
EXPORT_NEEDS: Mapping[str, tuple[str, ...]] = {"differences": ("since",)}
"""Filters without which a list cannot be made."""

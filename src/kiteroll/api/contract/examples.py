"""An example of every body the API takes and gives, made from its schema: fields that are called the same
have the same example, of the network of Tarn Ferries."""

from collections.abc import Mapping
from typing import Any

Schema = Mapping[str, Any]
_AT = "2026-05-04T12:00:00Z"
_BY_NAME: Mapping[str, Any] = {
    **{"mac": "02:1a:01:07:52:4e", "prefix": "021a01", "address": "02:1a:01:07:52:4e", "far_port": "p24"},
    **{
        "switch": "quay-1",
        "a": "quay-1",
        "b": "core-1",
        "a_port": "p24",
        "b_port": "p1",
        "far_switch": "core-1",
    },
    **{
        "port": "p18",
        "ports": "p1-p20",
        "port_alias": "Berth light 18",
        "alias": "Berth light 18",
        "group": "quays",
    },
    **{
        "site": "Quays",
        "host": "192.0.2.18",
        "vlan": 30,
        "vlan_name": "quay",
        "number": 18,
        "id": 7,
        "level": "quay-1",
    },
    **{
        "maker": "Lantern Works",
        "label": "Gate reader 4",
        "owner": "Ticketing",
        "notes": "behind the gate",
        "note": "",
    },
    **{
        "role": "access",
        "reason": "swapped at the quay",
        "by": "mara",
        "name": "quay-1",
        "full_name": "Mara Lind",
    },
    **{
        "error": "",
        "title": "02:1a:01:07:52:4e is at two places at once",
        "ip": "10.30.0.18",
        "url": "https://192.0.2.18",
    },
    **{"password": "over the tarn by ferry", "present": 1, "text": "seats = 1", "network": "10.30.0.0/24"},
    **{
        "path": "/?q=tannoy",
        "template": "ssh://{address}",
        "public_key": "MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE=",
        "q": "52:4e",
        "query": "52:4e",
        "detail": "no switch 'x'",
    },
    **{
        "community": "shown once, then sealed",
        "secret": "krt_shown-this-once",
        "to": "closed",
        "was": "open",
    },
    **{
        "description": "Simulated bridge",
        "kind": None,
        "capabilities": ["bridge"],
        "chassis": "02:1a:f0:00:01:00",
    },
    **{
        "location": "Quay cabin 1",
        "sys_name": "quay-1",
        "contact": "",
        "bridge_address": "02:1a:f0:00:08:00",
    },
    **{
        "ips": ["10.30.0.18"],
        "host_names": ["gate-4.tarn.example"],
        "networks": ["10.30.0.0/24"],
        "action": None,
    },
    **{
        "macs": ["02:1a:01:07:52:4e"],
        "switches": None,
        "kinds": ["loop"],
        "sites": ["Quays"],
        "groups": ["quays"],
    },
}
"""None: made from the schema after all."""
REQUESTS: Mapping[str, Any] = {
    "add_switch": {"name": "quay-1", "host": "192.0.2.18", "credential": "core-read", "site": "Quays"},
    "change_switches": {
        "add": [{"name": "quay-9", "host": "192.0.2.19", "credential": "core-read"}],
        "change": {"quay-1": {"notes": "behind the gate"}},
        "dry_run": True,
    },
    "change_switch": {"notes": "behind the gate", "interval_s": 300},
    "change_port": {"role": "uplink"},
    "begin_round": {"group": "quays"},
    "sign_in": {"name": "mara", "password": "over the tarn by ferry"},
    "add_credential": {"name": "core-read", "access": {"community": "shown once, then sealed"}},
    "change_credential": {
        "version": "3",
        "user": "reader",
        "auth": "sha256",
        "auth_password": "only for the example",
    },
    "test_credential": {"host": "192.0.2.18", "credential": "core-read"},
    "change_site": {"concurrency": 4, "area": "ferries"},
    "change_group": {"hold_time_s": 3600},
    "change_rules": {"changes": [{"switch": "quay-1", "port": "p18", "seats": 2}], "reason": "two lamps"},
    "enrol": {"prefix": "02:1a:01:07:52:4e", "switch": "quay-1", "port": "p18", "note": "gate reader"},
    "enrol_list": {"text": "address,switch,port\n02:1a:01:07:52:4e,quay-1,p18\n", "dry_run": True},
    "enrol_present": {"level": {"switch": "quay-1"}, "dry_run": True},
    "replace_entry": {"mac": "02:1a:01:07:52:50", "reason": "the old one is broken"},
    "put_rules_file": {"text": "[everything]\nseats = 2\n", "dry_run": True},
    "bar": {"prefix": "02:1a:ee", "reason": "lost"},
    "open_window": {"level": {"switch": "quay-1"}, "ends_at": "2026-05-05T12:00:00Z"},
    "decide": {"accept": [{"mac": "02:1a:01:07:52:4e", "switch": "quay-1", "port": "p18"}]},
    "call_against": {"text": "device,switch,port\n02:1a:01:07:52:4e,quay-1,p18\n"},
    "begin_rehearsal": {"changes": [{"switch": "quay-1", "port": "p18", "seats": 1}]},
    "change_endpoint": {"label": "Gate reader 4", "owner": "Ticketing"},
    "add_makers": {"makers": {"021a01": "Lantern Works"}},
    "set_label": {"label": "Spare gate reader", "owner": "Ticketing"},
    "change_labels": {"labels": {"02:1a:0b:52:4e:07": {"label": "Spare gate reader"}}},
    "set_shared_address": {"reason": "cluster of the gates"},
    "add_user": {"name": "ida", "full_name": "Ida Holm", "role": "operator"},
    "change_user": {"role": "operator", "sites": ["Quays"]},
    "change_own_password": {"present": "over the tarn by ferry", "password": "and back before the fog"},
    "add_token": {"name": "night-report", "scopes": ["view"], "expires_at": "2027-05-04T12:00:00Z"},
    "set_alert_target": {
        "settings": {"kind": "webhook", "url": "https://alerts.tarn.example/kite"},
        "secret": "signs every message",
    },
    "set_alert_route": {"target": "duty", "severity": "serious", "sites": ["Quays"]},
    "plan_work": {"switch": "quay-1", "ends_at": "2026-05-04T14:00:00Z", "reason": "new power supply"},
    "set_setting": {"value": "15m"},
    "act": {"kind": "close-port", "switch": "quay-1", "port": "p18", "reason": "a stranger", "dry_run": True},
    "approve_proposal": {"overrides": []},
    "begin_sweep": {"networks": ["10.30.0.0/28"], "switches": ["quay-1"]},
    "acknowledge": {"note": "Ida looks at it", "until": "2026-05-05T06:00:00Z"},
    "acknowledge_many": {"findings": [17, 18], "note": "the patch panel is redone"},
    "clear_many": {"findings": [17, 18]},
    "set_mapping": {"address": "mac", "port": "interface"},
    "import_mac_table": {
        "switch": "quay-1",
        "taken_at": "2026-05-04T12:00:00Z",
        "text": "mac,interface\n02:1a:01:07:52:4e,p18\n",
        "mapping": {"address": "mac", "port": "interface"},
    },
    "add_collector": {
        "name": "quays-1",
        "site": "Quays",
        "public_key": "MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE=",
    },
    "set_device_link": {"of": "switch", "template": "ssh://{address}"},
    "add_saved_query": {"name": "tannoys", "path": "/?q=tannoy", "shared": True},
    "set_saved_query": {"name": "tannoys", "path": "/?q=tannoy"},
}
"""What is sent in a call whose fields hang together; by operation."""
_DEEPEST = 8


def example_of(
    schema: Schema,
    components: Mapping[str, Schema],
    name: str = "",
    depth: int = 0,
    *,
    sent: bool = False,
) -> Any:
    """`components`: the schemas that `$ref` may name. `sent`: to the service, with what is needed alone."""
    if "$ref" in schema:
        return example_of(components[schema["$ref"].rsplit("/", 1)[1]], components, name, depth, sent=sent)
    for key in ("example", "const", "default"):
        if schema.get(key) is not None and not isinstance(schema.get(key), list | dict):
            return schema[key]
    if schema.get("enum"):
        return schema["enum"][0]
    for key in ("anyOf", "oneOf", "allOf"):
        if key in schema:
            kinds = [one for one in schema[key] if one.get("type") != "null"]
            return example_of(kinds[0], components, name, depth, sent=sent) if kinds else None
    return _of_type(schema, components, name, depth, sent=sent)


def _of_type(schema: Schema, components: Mapping[str, Schema], name: str, depth: int, *, sent: bool) -> Any:
    kind, known = schema.get("type"), _BY_NAME.get(name)
    if kind == "object" or "properties" in schema:
        return _object(schema, components, depth, sent=sent)
    if kind == "array":
        if isinstance(known, list):
            return known
        if depth >= _DEEPEST or not schema.get("items"):
            return []
        return [example_of(schema["items"], components, name.removesuffix("s"), depth + 1, sent=sent)]
    if kind in ("integer", "number"):
        if isinstance(known, int) and not isinstance(known, bool):
            return known
        return int(max(schema.get("minimum", 1), schema.get("exclusiveMinimum", 0) + 1, 1))
    if kind == "boolean":
        return True
    if kind == "string":
        return _text(schema, name, known)
    return None


def _object(schema: Schema, components: Mapping[str, Schema], depth: int, *, sent: bool) -> Any:
    needed = schema.get("required", ())
    made = {
        name: example_of(inner, components, name, depth + 1, sent=sent)
        for name, inner in schema.get("properties", {}).items()
        if name in needed or (depth < _DEEPEST and not sent)
    }
    if not made and isinstance(schema.get("additionalProperties"), dict):
        name = "mac" if "pattern" in schema.get("propertyNames", {}) else "switch"
        inner = schema["additionalProperties"]
        return {_BY_NAME[name]: example_of(inner, components, "", depth + 1, sent=sent)}
    return made


def _text(schema: Schema, name: str, known: Any) -> str:
    if schema.get("format") == "date-time":
        return _AT
    if schema.get("examples"):
        return str(schema["examples"][0])
    if isinstance(known, str):
        return known[: schema.get("maxLength", len(known))]
    return "" if not schema.get("minLength") else "text"

"""Every call of the API as a value: what to send, and what comes back. No I/O."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Generic, TypeVar
from urllib.parse import quote

from pydantic import TypeAdapter

from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.reading_document import ReadingDocument

T = TypeVar("T")


@dataclass(frozen=True, slots=True, kw_only=True)
class Question(Generic[T]):
    method: str
    path: str
    """Below /api/v1."""
    answer: TypeAdapter[T]
    params: Mapping[str, Any] = field(default_factory=dict)
    body: Any = None
    patience_s: float = 15.0
    """How long the answer may take, in seconds."""

    @property
    def safe(self) -> bool:
        """Whether asking twice does no harm."""
        return self.method == "GET"


@dataclass(frozen=True, slots=True, kw_only=True)
class ListQuestion(Question[PageOf[T]], Generic[T]):
    """A question whose answer comes in pages."""

    def at(self, cursor: str) -> "ListQuestion[T]":
        return replace(self, params={**self.params, "cursor": cursor})


def switches(*, limit: int = 100) -> ListQuestion[api.Switch]:
    return _list("/switches", TypeAdapter(PageOf[api.Switch]), limit=limit)


def switch(name: str) -> Question[api.Switch]:
    return _get(f"/switches/{_part(name)}", TypeAdapter(api.Switch))


def add_switch(new: api.NewSwitch) -> Question[api.Switch]:
    return Question(
        method="POST", path="/switches", body=new.model_dump(mode="json"), answer=TypeAdapter(api.Switch)
    )


def change_switch(name: str, change: api.SwitchChange) -> Question[api.Switch]:
    body = change.model_dump(mode="json", exclude_none=True)
    return Question(
        method="PATCH", path=f"/switches/{_part(name)}", body=body, answer=TypeAdapter(api.Switch)
    )


def remove_switch(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/switches/{_part(name)}", answer=TypeAdapter(type(None)))


def read_now(name: str) -> Question[api.ReadingSummary]:
    """Answers when the reading is kept, or has failed: up to some minutes for a slow switch."""
    return Question(
        method="POST",
        path=f"/switches/{_part(name)}/readings",
        answer=TypeAdapter(api.ReadingSummary),
        patience_s=300,
    )


def begin_round(new: api.NewRound) -> Question[api.Round]:
    """Read many switches; answers at once, `round_of` tells how far it is."""
    body = new.model_dump(mode="json", exclude_none=True)
    return Question(method="POST", path="/rounds", body=body, answer=TypeAdapter(api.Round))


def findings(
    *,
    states: Sequence[api.FindingState] = (),
    kinds: Sequence[api.FindingKind] = (),
    severities: Sequence[api.Severity] = (),
    switch: str | None = None,
    mac: str | None = None,
    since: datetime | None = None,
    parts: bool = False,
    limit: int = 100,
) -> ListQuestion[api.Finding]:
    """Latest evidence first; open and acknowledged ones unless `states` are given."""
    return _list(
        "/findings",
        TypeAdapter(PageOf[api.Finding]),
        state=list(states) or None,
        kind=list(kinds) or None,
        severity=list(severities) or None,
        switch=switch,
        mac=mac,
        since=since and since.isoformat(),
        parts=parts or None,
        limit=limit,
    )


def finding(number: int) -> Question[api.Finding]:
    return _get(f"/findings/{number}", TypeAdapter(api.Finding))


def finding_parts(number: int, *, limit: int = 100) -> ListQuestion[api.Finding]:
    """Findings that this one explains."""
    return _list(f"/findings/{number}/parts", TypeAdapter(PageOf[api.Finding]), limit=limit)


def acknowledge(number: int, given: api.Acknowledgement) -> Question[api.Finding]:
    path, body = f"/findings/{number}/acknowledgement", given.model_dump(mode="json")
    return Question(method="POST", path=path, body=body, answer=TypeAdapter(api.Finding))


def clear_finding(number: int, given: api.Clearing) -> Question[api.Finding]:
    path, body = f"/findings/{number}/clearing", given.model_dump(mode="json")
    return Question(method="POST", path=path, body=body, answer=TypeAdapter(api.Finding))


def finding_kind(kind: api.FindingKind) -> Question[api.FindingPage]:
    return _get(f"/finding-kinds/{_part(kind)}", TypeAdapter(api.FindingPage))


def shared_addresses() -> Question[list[api.SharedAddress]]:
    return _get("/shared-addresses", TypeAdapter(list[api.SharedAddress]))


def keep_shared(prefix: str, given: api.NewSharedAddress) -> Question[list[api.SharedAddress]]:
    path, body = f"/shared-addresses/{_part(prefix)}", given.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(list[api.SharedAddress]))


def remove_shared(prefix: str) -> Question[None]:
    return Question(
        method="DELETE", path=f"/shared-addresses/{_part(prefix)}", answer=TypeAdapter(type(None))
    )


def change_endpoint(mac: str, change: api.EndpointChange) -> Question[api.Endpoint]:
    body = change.model_dump(mode="json", exclude_none=True)
    path = f"/endpoints/{_part(mac)}"
    return Question(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Endpoint))


def way(mac: str, *, start: str | None = None, at: datetime | None = None) -> Question[list[api.Hop]]:
    """Hop by hop from `start`, or from the switch furthest away; empty when none is known."""
    path = f"/endpoints/{_part(mac)}/way"
    return _get(path, TypeAdapter(list[api.Hop]), start=start, at=at and at.isoformat())


def change_port(switch: str, port: str, change: api.PortChange) -> Question[list[api.Port]]:
    path = f"/switches/{_part(switch)}/ports/{_part(port)}"
    body = change.model_dump(mode="json")
    return Question(method="PATCH", path=path, body=body, answer=TypeAdapter(list[api.Port]))


def comparison(
    since: datetime,
    *,
    until: datetime | None = None,
    switch: str | None = None,
    group: str | None = None,
    limit: int = 100,
) -> ListQuestion[api.Compared]:
    """What differs between two instants, by address; until now unless `until` is given."""
    return _list(
        "/comparison",
        TypeAdapter(PageOf[api.Compared]),
        since=since.isoformat(),
        until=until and until.isoformat(),
        switch=switch,
        group=group,
        limit=limit,
    )


def network_map() -> Question[api.NetworkMap]:
    return _get("/map", TypeAdapter(api.NetworkMap))


def all_vlans() -> Question[list[api.VlanSummary]]:
    return _get("/vlans", TypeAdapter(list[api.VlanSummary]))


def vlan_ports(number: int) -> Question[list[api.VlanPort]]:
    return _get(f"/vlans/{number}/ports", TypeAdapter(list[api.VlanPort]))


def crowd(switch: str, port: str, *, days: float = 7) -> Question[list[api.CountStep]]:
    """How many were at a port over time."""
    path = f"/switches/{_part(switch)}/crowds/{_part(port)}"
    return _get(path, TypeAdapter(list[api.CountStep]), days=days)


def rules() -> Question[list[api.PortRules]]:
    """What is said of the ports of groups, of switches and of single ports."""
    return _get("/rules", TypeAdapter(list[api.PortRules]))


def set_rule(new: api.NewRule) -> Question[list[api.PortRules]]:
    body = new.model_dump(mode="json")
    return Question(method="PUT", path="/rules", body=body, answer=TypeAdapter(list[api.PortRules]))


def enrol(new: api.NewEntry) -> Question[list[api.PortRules]]:
    """Put an address, or all that begin so, on the roll of a group, a switch or a port."""
    body = new.model_dump(mode="json")
    return Question(method="POST", path="/rules/roll", body=body, answer=TypeAdapter(list[api.PortRules]))


def strike_off(number: int) -> Question[None]:
    return Question(method="DELETE", path=f"/rules/roll/{number}", answer=TypeAdapter(type(None)))


def roll_call(switch: str, port: str) -> Question[api.RollCall]:
    """Who is on a port, beside who may be."""
    return _get(f"/switches/{_part(switch)}/rollcall/{_part(port)}", TypeAdapter(api.RollCall))


def rounds() -> Question[list[api.Round]]:
    return _get("/rounds", TypeAdapter(list[api.Round]))


def round_of(number: int) -> Question[api.Round]:
    return _get(f"/rounds/{number}", TypeAdapter(api.Round))


def cancel_round(number: int) -> Question[api.Round]:
    return Question(method="DELETE", path=f"/rounds/{number}", answer=TypeAdapter(api.Round))


def resume_round(number: int) -> Question[api.Round]:
    return Question(method="POST", path=f"/rounds/{number}/resume", answer=TypeAdapter(api.Round))


def groups() -> Question[list[api.Group]]:
    return _get("/groups", TypeAdapter(list[api.Group]))


def change_group(name: str, change: api.GroupChange) -> Question[list[api.Group]]:
    path, body = f"/groups/{_part(name)}", change.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(list[api.Group]))


def sites() -> Question[list[api.Site]]:
    return _get("/sites", TypeAdapter(list[api.Site]))


def limit_site(name: str, at_once: int | None) -> Question[list[api.Site]]:
    body = {"at_once": at_once}
    return Question(method="PUT", path=f"/sites/{_part(name)}", body=body, answer=TypeAdapter(list[api.Site]))


def take_readings(documents: Sequence[ReadingDocument]) -> Question[list[api.ReadingSummary]]:
    """All of them, or none."""
    body = [document.model_dump(mode="json") for document in documents]
    answer = TypeAdapter(list[api.ReadingSummary])
    return Question(method="POST", path="/readings", body=body, answer=answer, patience_s=120)


def take_table(table: api.NewTable) -> Question[api.ReadingSummary]:
    body = table.model_dump(mode="json")
    answer = TypeAdapter(api.ReadingSummary)
    return Question(method="POST", path="/tables", body=body, answer=answer, patience_s=120)


def mappings() -> Question[list[api.NamedMapping]]:
    return _get("/mappings", TypeAdapter(list[api.NamedMapping]))


def keep_mapping(name: str, mapping: api.Mapping) -> Question[api.NamedMapping]:
    path = f"/mappings/{_part(name)}"
    body = mapping.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(api.NamedMapping))


def remove_mapping(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/mappings/{_part(name)}", answer=TypeAdapter(type(None)))


def makers() -> Question[list[api.Maker]]:
    return _get("/makers", TypeAdapter(list[api.Maker]))


def keep_makers(found: Mapping[str, str]) -> Question[list[api.Maker]]:
    body = {"makers": dict(found)}
    return Question(method="PUT", path="/makers", body=body, answer=TypeAdapter(list[api.Maker]))


def remove_maker(prefix: str) -> Question[None]:
    return Question(method="DELETE", path=f"/makers/{_part(prefix)}", answer=TypeAdapter(type(None)))


def test_credential(test: api.CredentialTest) -> Question[api.CredentialVerdict]:
    body = test.model_dump(mode="json", exclude_none=True)
    answer = TypeAdapter(api.CredentialVerdict)
    return Question(method="POST", path="/credentials/test", body=body, answer=answer, patience_s=90)


def ips(mac: str, *, limit: int = 100) -> Question[list[api.IpStay]]:
    """IP addresses and host names of an endpoint, latest first."""
    return _get(f"/endpoints/{_part(mac)}/ips", TypeAdapter(list[api.IpStay]), limit=limit)


def ports(name: str, *, at: datetime | None = None) -> Question[list[api.Port]]:
    """With `at`: who was on them then, their links and what they led to; the rest is as it is now."""
    path = f"/switches/{_part(name)}/ports"
    return _get(path, TypeAdapter(list[api.Port]), at=at and at.isoformat())


def links(switch: str, port: str, *, days: float = 7) -> Question[list[api.LinkChange]]:
    """What became of a port's link, latest first."""
    path = f"/switches/{_part(switch)}/links/{_part(port)}"
    return _get(path, TypeAdapter(list[api.LinkChange]), days=days)


def neighbours(name: str) -> Question[list[api.Neighbour]]:
    return _get(f"/switches/{_part(name)}/neighbours", TypeAdapter(list[api.Neighbour]))


def candidates() -> Question[list[api.Neighbour]]:
    """Neighbours that are bridges and not in the inventory."""
    return _get("/candidates", TypeAdapter(list[api.Neighbour]))


def credentials() -> Question[list[api.NamedCredential]]:
    return _get("/credentials", TypeAdapter(list[api.NamedCredential]))


def add_credential(new: api.NewCredential) -> Question[api.NamedCredential]:
    body = new.model_dump(mode="json", exclude_none=True)
    return Question(method="POST", path="/credentials", body=body, answer=TypeAdapter(api.NamedCredential))


def change_credential(name: str, access: api.Credential) -> Question[api.NamedCredential]:
    """Replaces it for every switch that uses it."""
    return Question(
        method="PUT",
        path=f"/credentials/{_part(name)}",
        body=access.model_dump(mode="json", exclude_none=True),
        answer=TypeAdapter(api.NamedCredential),
    )


def remove_credential(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/credentials/{_part(name)}", answer=TypeAdapter(type(None)))


def vlans(name: str) -> Question[list[api.Vlan]]:
    return _get(f"/switches/{_part(name)}/vlans", TypeAdapter(list[api.Vlan]))


def find(text: str, *, limit: int = 50, at: datetime | None = None) -> Question[api.Found]:
    """Endpoints, switches and ports; with `at` endpoints alone, by what they had and where they were then."""
    return _get("/find", TypeAdapter(api.Found), q=text, limit=limit, at=at and at.isoformat())


def endpoints(*, limit: int = 100) -> ListQuestion[api.Endpoint]:
    return _list("/endpoints", TypeAdapter(PageOf[api.Endpoint]), limit=limit)


def endpoint(mac: str, *, at: datetime | None = None) -> Question[api.Endpoint]:
    return _get(f"/endpoints/{_part(mac)}", TypeAdapter(api.Endpoint), at=at and at.isoformat())


def stays(
    *,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    mac: str | None = None,
    ended: bool = False,
    at: datetime | None = None,
    uplinks: bool = True,
    limit: int = 100,
) -> ListQuestion[api.Stay]:
    """Who is at a switch, port or VLAN; with `ended` also who was, with `at` who was there then."""
    return _list(
        "/stays",
        TypeAdapter(PageOf[api.Stay]),
        switch=switch,
        port=port,
        vlan=vlan,
        mac=mac,
        ended=ended or None,
        at=at and at.isoformat(),
        uplinks=None if uplinks else False,
        limit=limit,
    )


def changes(
    *,
    since: datetime | None = None,
    until: datetime | None = None,
    switch: str | None = None,
    mac: str | None = None,
    kinds: Sequence[api.ChangeKind] = (),
    uplinks: bool = True,
    limit: int = 100,
) -> ListQuestion[api.Change]:
    """Changes in [since, until), latest first; with `uplinks` false, only those on other ports."""
    return _list(
        "/changes",
        TypeAdapter(PageOf[api.Change]),
        since=since and since.isoformat(),
        until=until and until.isoformat(),
        switch=switch,
        mac=mac,
        kind=list(kinds) or None,
        uplinks=None if uplinks else False,
        limit=limit,
    )


def readings(*, switch: str | None = None, limit: int = 100) -> ListQuestion[api.ReadingSummary]:
    return _list("/readings", TypeAdapter(PageOf[api.ReadingSummary]), switch=switch, limit=limit)


def health() -> Question[api.ServiceHealth]:
    return _get("/health", TypeAdapter(api.ServiceHealth))


def _get(path: str, answer: TypeAdapter[T], **params: Any) -> Question[T]:
    return Question(method="GET", path=path, answer=answer, params=_given(params))


def _list(path: str, answer: TypeAdapter[PageOf[T]], **params: Any) -> ListQuestion[T]:
    return ListQuestion(method="GET", path=path, answer=answer, params=_given(params))


def _given(params: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in params.items() if value is not None}


def _part(text: str) -> str:
    return quote(text, safe="")

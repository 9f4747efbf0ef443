"""Calls about switches: the inventory, their ports, credentials, rounds."""

from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.question import ListQuestion, Question, asked, listed, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def switches(*, limit: int = 100) -> ListQuestion[api.Switch]:
    return listed("/switches", TypeAdapter(PageOf[api.Switch]), limit=limit)


def switch(name: str) -> Question[api.Switch]:
    return asked(f"/switches/{part(name)}", TypeAdapter(api.Switch))


def add_switch(new: api.NewSwitch) -> Question[api.Switch]:
    return Question(
        method="POST", path="/switches", body=new.model_dump(mode="json"), answer=TypeAdapter(api.Switch)
    )


def change_switch(name: str, change: api.SwitchChange) -> Question[api.Switch]:
    body = change.model_dump(mode="json", exclude_none=True)
    return Question(method="PATCH", path=f"/switches/{part(name)}", body=body, answer=TypeAdapter(api.Switch))


def remove_switch(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/switches/{part(name)}", answer=TypeAdapter(type(None)))


def read_now(name: str) -> Question[api.ReadingSummary]:
    """Answers when the reading is kept, or has failed: up to some minutes for a slow switch."""
    return Question(
        method="POST",
        path=f"/switches/{part(name)}/readings",
        answer=TypeAdapter(api.ReadingSummary),
        patience_s=300,
    )


def begin_round(new: api.NewRound) -> Question[api.Round]:
    """Read many switches; answers at once, `round_of` tells how far it is."""
    body = new.model_dump(mode="json", exclude_none=True)
    return Question(method="POST", path="/rounds", body=body, answer=TypeAdapter(api.Round))


def change_port(switch: str, port: str, change: api.PortChange) -> Question[list[api.Port]]:
    path = f"/switches/{part(switch)}/ports/{part(port)}"
    body = change.model_dump(mode="json")
    return Question(method="PATCH", path=path, body=body, answer=TypeAdapter(list[api.Port]))


def crowd(switch: str, port: str, *, days: float = 7) -> Question[list[api.CountStep]]:
    """How many were at a port over time."""
    path = f"/switches/{part(switch)}/crowds/{part(port)}"
    return asked(path, TypeAdapter(list[api.CountStep]), days=days)


def rounds() -> Question[list[api.Round]]:
    return asked("/rounds", TypeAdapter(list[api.Round]))


def round_of(number: int) -> Question[api.Round]:
    return asked(f"/rounds/{number}", TypeAdapter(api.Round))


def cancel_round(number: int) -> Question[api.Round]:
    return Question(method="DELETE", path=f"/rounds/{number}", answer=TypeAdapter(api.Round))


def resume_round(number: int) -> Question[api.Round]:
    return Question(method="POST", path=f"/rounds/{number}/resume", answer=TypeAdapter(api.Round))


def groups() -> Question[list[api.Group]]:
    return asked("/groups", TypeAdapter(list[api.Group]))


def change_group(name: str, change: api.GroupChange) -> Question[list[api.Group]]:
    path, body = f"/groups/{part(name)}", change.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(list[api.Group]))


def sites() -> Question[list[api.Site]]:
    return asked("/sites", TypeAdapter(list[api.Site]))


def limit_site(name: str, at_once: int | None) -> Question[list[api.Site]]:
    body = {"at_once": at_once}
    return Question(method="PUT", path=f"/sites/{part(name)}", body=body, answer=TypeAdapter(list[api.Site]))


def test_credential(test: api.CredentialTest) -> Question[api.CredentialVerdict]:
    body = test.model_dump(mode="json", exclude_none=True)
    answer = TypeAdapter(api.CredentialVerdict)
    return Question(method="POST", path="/credentials/test", body=body, answer=answer, patience_s=90)


def ports(name: str, *, at: datetime | None = None) -> Question[list[api.Port]]:
    """With `at`: who was on them then, their links and what they led to; the rest is as it is now."""
    path = f"/switches/{part(name)}/ports"
    return asked(path, TypeAdapter(list[api.Port]), at=at and at.isoformat())


def links(switch: str, port: str, *, days: float = 7) -> Question[list[api.LinkChange]]:
    """What became of a port's link, latest first."""
    path = f"/switches/{part(switch)}/links/{part(port)}"
    return asked(path, TypeAdapter(list[api.LinkChange]), days=days)


def neighbours(name: str) -> Question[list[api.Neighbour]]:
    return asked(f"/switches/{part(name)}/neighbours", TypeAdapter(list[api.Neighbour]))


def candidates() -> Question[list[api.Neighbour]]:
    """Neighbours that are bridges and not in the inventory."""
    return asked("/candidates", TypeAdapter(list[api.Neighbour]))


def credentials() -> Question[list[api.NamedCredential]]:
    return asked("/credentials", TypeAdapter(list[api.NamedCredential]))


def add_credential(new: api.NewCredential) -> Question[api.NamedCredential]:
    body = new.model_dump(mode="json", exclude_none=True)
    return Question(method="POST", path="/credentials", body=body, answer=TypeAdapter(api.NamedCredential))


def change_credential(name: str, access: api.Credential) -> Question[api.NamedCredential]:
    """Replaces it for every switch that uses it."""
    return Question(
        method="PUT",
        path=f"/credentials/{part(name)}",
        body=access.model_dump(mode="json", exclude_none=True),
        answer=TypeAdapter(api.NamedCredential),
    )


def remove_credential(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/credentials/{part(name)}", answer=TypeAdapter(type(None)))


def vlans(name: str) -> Question[list[api.Vlan]]:
    return asked(f"/switches/{part(name)}/vlans", TypeAdapter(list[api.Vlan]))

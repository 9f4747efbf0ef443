"""Calls about people: accounts, tokens, sessions, and the audit log of what was changed."""

from datetime import datetime
from typing import Any

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_NOTHING: TypeAdapter[None] = TypeAdapter(None)


def users() -> ApiListRequest[api.User]:
    """Who may sign in, by name."""
    return get_list("/users", TypeAdapter(PageOf[api.User]))


def add_user(new: api.NewUser) -> ApiRequest[api.UserAdded]:
    """Without a password, an initial one is made and comes back, this once."""
    body = new.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="POST", path="/users", body=body, answer=TypeAdapter(api.UserAdded))


def change_user(name: str, change: api.UserChange) -> ApiRequest[api.User]:
    body = change.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="PATCH", path=f"/users/{part(name)}", body=body, answer=TypeAdapter(api.User))


def remove_user(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/users/{part(name)}", answer=_NOTHING)


def reset_password(name: str) -> ApiRequest[api.InitialPassword]:
    """A new initial password; the account's sessions end."""
    path = f"/users/{part(name)}/initial-password"
    return ApiRequest(method="POST", path=path, answer=TypeAdapter(api.InitialPassword))


def change_own_password(present: str, password: str) -> ApiRequest[None]:
    body = {"present": present, "password": password}
    return ApiRequest(method="PUT", path="/password", body=body, answer=_NOTHING)


def tokens() -> ApiListRequest[api.Token]:
    """One's own; for administrators everybody's."""
    return get_list("/tokens", TypeAdapter(PageOf[api.Token]))


def add_token(new: api.NewToken) -> ApiRequest[api.TokenAdded]:
    """For one's own account; the secret comes back this once."""
    body = new.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="POST", path="/tokens", body=body, answer=TypeAdapter(api.TokenAdded))


def revoke_token(number: int) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/tokens/{number}", answer=_NOTHING)


def sessions() -> ApiListRequest[api.OpenSession]:
    """One's own; for administrators everybody's."""
    return get_list("/sessions", TypeAdapter(PageOf[api.OpenSession]))


def end_session(number: int) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/sessions/{number}", answer=_NOTHING)


def audit_log(
    *,
    by: str | None = None,
    action: str | None = None,
    text: str | None = None,
    since: datetime | None = None,
    until: datetime | None = None,
    limit: int = 100,
) -> ApiListRequest[api.AuditEntry]:
    """Who changed what, latest first."""
    given: dict[str, Any] = {"by": by, "action": action, "q": text, "limit": limit}
    given |= {"since": since and since.isoformat(), "until": until and until.isoformat()}
    return get_list("/audit-log", TypeAdapter(PageOf[api.AuditEntry]), **given)


def audit_verdict() -> ApiRequest[api.AuditVerdict]:
    """Whether the log is as it was written."""
    return get_request("/audit-log/verdict", TypeAdapter(api.AuditVerdict))


def rotate_key() -> ApiRequest[api.KeyRotated]:
    """A new key for what is sealed in the database."""
    return ApiRequest(method="POST", path="/key-rotations", answer=TypeAdapter(api.KeyRotated), patience_s=60)

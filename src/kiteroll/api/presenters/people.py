"""People, tokens, sessions and the audit log, as the API shows them."""

from datetime import datetime

from kiteroll.app.access.accounts import AccountRow
from kiteroll.app.access.audit_log import AuditRow
from kiteroll.app.access.tokens import SessionRow, TokenRow
from kiteroll.core.access.principal import Principal
from kiteroll.core.access.rights import rights_of
from kiteroll.schemas import api


def present_user(row: AccountRow) -> api.User:
    return api.User(
        name=row.name,
        full_name=row.full_name,
        role=row.role.value,
        acts_on_ports=row.acts_on_ports,
        sites=None if row.sites is None else sorted(row.sites),
        rights=sorted(one.value for one in rights_of(row.role, acts_on_ports=row.acts_on_ports)),
        enabled=row.enabled,
        has_password=row.password_hash is not None,
        must_change_password=row.must_change_password,
        openid_subject=row.openid_subject,
        created_at=row.created_at,
        signed_in_at=row.signed_in_at,
    )


def present_session(principal: Principal | None, openid: str, latest_event: str = "") -> api.Session:
    """Of the one that asks."""
    if principal is None:
        return api.Session(signed_in=False, openid=openid)
    return api.Session(
        signed_in=True,
        name=principal.name,
        role=principal.role.value,
        rights=sorted(one.value for one in principal.rights),
        sites=None if principal.sites is None else sorted(principal.sites),
        must_change_password=principal.must_change_password,
        openid=openid,
        latest_event=latest_event,
    )


def present_token(row: TokenRow, now: datetime) -> api.Token:
    expired = row.expires_at is not None and row.expires_at <= now
    return api.Token(
        id=row.id,
        owner=row.owner,
        name=row.name,
        scopes=sorted(one.value for one in row.scopes),
        state="revoked" if row.revoked_at is not None else "expired" if expired else "valid",
        created_at=row.created_at,
        expires_at=row.expires_at,
        last_used_at=row.last_used_at,
        last_used_from=row.last_used_from,
    )


def present_open_session(row: SessionRow, principal: Principal) -> api.OpenSession:
    return api.OpenSession(
        id=row.id,
        owner=row.owner,
        opened_at=row.opened_at,
        opened_from=row.opened_from,
        agent=row.agent,
        with_token=row.token is not None,
        last_used_at=row.last_used_at,
        expires_at=row.expires_at,
        own=row.session_hash == principal.session,
    )


def present_audit_entry(row: AuditRow) -> api.AuditEntry:
    return api.AuditEntry.model_validate(row.plain())

"""Makes a polling target of a credential's settings."""

from collections.abc import Mapping
from typing import Any

from kiteroll.collect.snmp_client import Target
from kiteroll.core.errors import Invalid
from kiteroll.snmp.message import V1, V2C
from kiteroll.snmp.usm import Auth, User


def make_target(host: str, port: int, credential: Mapping[str, Any]) -> Target:
    """`credential` has the names of `schemas.api.Credential`. Raises Invalid saying what does not fit."""
    view = credential.get("view") or ""
    vlans = tuple(credential.get("view_vlans") or ())
    context = credential.get("context") or ""
    if not credential.get("user"):
        version = V1 if credential.get("version") == "1" else V2C
        community = credential.get("community")
        if not community:
            raise Invalid("neither a community nor a user is given: a switch is asked by one of them")
        return Target(
            host=host, port=port, community=community, version=version, view_community=view, view_vlans=vlans
        )
    auth_password, privacy_password = credential.get("auth_password"), credential.get("privacy_password")
    try:
        user = User(
            name=credential["user"],
            auth=Auth(credential.get("auth") or Auth.SHA256) if auth_password else None,
            auth_password=auth_password or "",
            privacy=bool(privacy_password),
            privacy_password=privacy_password or "",
        )
    except ValueError as wrong:
        raise Invalid(f"user {credential['user']!r}: {wrong}") from wrong
    return Target(host=host, port=port, user=user, context=context, view_context=view, view_vlans=vlans)

"""Settings that can be changed while the service runs."""

from typing import Annotated

from fastapi import APIRouter

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheSettings
from kiteroll.app.runtime_settings import Setting
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/settings", tags=["settings"])


@router.get("", summary="Settings that can be changed here, and where each value comes from")
def list_settings(
    ask: Annotated[PageAsk, by("name", "source")], settings: TheSettings
) -> PageOf[api.Setting]:
    rows = [_present(one) for one in settings.all()]
    return page(rows, ask, "name")


@router.get("/{name}", summary="One setting")
def get_setting(settings: TheSettings, name: str) -> api.Setting:
    return _present(settings.get(name))


@router.put("/{name}", summary="Change a setting; it holds at once")
def set_setting(
    settings: TheSettings, principal: ThePrincipal, name: str, given: api.SettingValue
) -> api.Setting:
    return _present(settings.set(name, given.value, principal.name))


@router.delete("/{name}", summary="Back to the default")
def reset_setting(settings: TheSettings, name: str) -> api.Setting:
    return _present(settings.reset(name))


def _present(one: Setting) -> api.Setting:
    return api.Setting(
        name=one.name,
        value=one.value,
        default=one.default,
        source=one.source,  # type: ignore[arg-type]  # the model checks it
        set_by=one.set_by,
        set_at=one.set_at,
    )

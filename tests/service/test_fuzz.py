"""The whole API, writes and all, under requests made from its own OpenAPI document: it answers every one with
what the document says, and lives."""

from collections.abc import Iterator

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, settings
from schemathesis import checks

from tests.support.harness import Lab, Service, add_lab_switches
from tests.support.ports import free_tcp_port

_LEFT_OUT = (
    "stream",  # never ends
    "begin_openid",
    "end_openid",  # leave the service; tests/service/test_openid.py
    "revoke_token",
    "end_session",
    "sign_out",
    "change_own_password",  # end the way in that this test has
    "rotate_key",  # waits two seconds on purpose
    "begin_sweep",  # sends to addresses that the fuzz would choose
    "test_alert_target",
    "set_alert_target",  # connect to hosts that the fuzz would choose
    "test_credential",
    "add_switch",
    "change_switch",
    "change_switches",
    "act",  # SNMP to hosts that the fuzz would choose
)
_CHECKS = [
    checks.not_a_server_error,
    checks.status_code_conformance,
    checks.content_type_conformance,
    checks.response_headers_conformance,
    checks.response_schema_conformance,
]


@pytest.fixture(scope="module")
def fuzzed(lab: Lab, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """A service of its own, that knows the switches of the lab."""
    service = Service(tmp_path_factory.mktemp("fuzz") / "data", free_tcp_port())
    service.start()
    add_lab_switches(service, lab)
    yield service
    assert service.end() == 0
    assert "Traceback" not in service.log


@pytest.fixture(scope="module")
def whole(fuzzed: Service) -> schemathesis.BaseSchema:
    headers = {"Authorization": f"Bearer {fuzzed.token}"}
    document = httpx.get(f"{fuzzed.url}/api/v1/openapi.json", headers=headers, trust_env=False).json()
    document["servers"] = [{"url": fuzzed.url}]
    return schemathesis.openapi.from_dict(document).exclude(operation_id=list(_LEFT_OUT))


schema = schemathesis.pytest.from_fixture("whole")


@schema.parametrize()
@settings(
    max_examples=8,
    deadline=None,
    derandomize=True,
    phases=(Phase.explicit, Phase.generate),
    suppress_health_check=list(HealthCheck),
)
def test_every_call_answers_as_it_says(case: schemathesis.Case, fuzzed: Service) -> None:
    case.call_and_validate(
        base_url=fuzzed.url, headers={"Authorization": f"Bearer {fuzzed.token}"}, checks=_CHECKS, timeout=30
    )

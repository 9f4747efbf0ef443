"""The whole API, writes and all, under requests made from its own OpenAPI document: it answers every one with
what the document says, and lives."""

import os
from collections.abc import Iterator
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import checks

from kiteroll.client import health
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
_EXAMPLES = int(os.environ.get("KITEROLL_FUZZ_EXAMPLES", "4"))
"""Of each call; more for a long run."""
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
    with fuzzed.http(fuzzed.token) as client:
        document = client.get("/api/v1/openapi.json").json()
    document["servers"] = [{"url": fuzzed.url}]
    return schemathesis.openapi.from_dict(document).exclude(operation_id=list(_LEFT_OUT))


def test_every_call_answers_as_it_says(whole: schemathesis.BaseSchema, fuzzed: Service) -> None:
    wrong: list[str] = []
    called = 0
    for found in whole.get_all_operations():
        operation = found.ok()  # type: ignore[union-attr]  # the document has no errors: checked before
        try:
            _fuzz(operation, fuzzed)
        except (Exception, BaseExceptionGroup) as failed:
            wrong.append(f"{operation.label}: {failed}")
        called += 1
    assert not wrong, "\n\n".join(wrong)[:8000]
    assert called > 120
    with fuzzed.client() as kite:
        assert kite.send(health()).database == "up", "the way in is still there"


def _fuzz(operation: Any, service: Service) -> None:
    headers = {"Authorization": f"Bearer {service.token}"}

    @settings(
        max_examples=_EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=(Phase.explicit, Phase.generate),
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy())
    def run(case: schemathesis.Case) -> None:
        case.call_and_validate(base_url=service.url, headers=headers, checks=_CHECKS, timeout=30)

    run()

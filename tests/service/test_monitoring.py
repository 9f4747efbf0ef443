"""The dashboard and the alert rules that are shipped ask for figures the service has."""

import json
import re
from pathlib import Path

import yaml
from prometheus_client.parser import text_string_to_metric_families

from kiteroll.core.findings.finding import FindingKind
from tests.support.harness import Lab, Service

MONITORING = Path(__file__).parents[2] / "docs" / "monitoring"
_NAME = re.compile(r"\bkiteroll_[a-z_]+")


def _known(service: Service) -> set[str]:
    with service.http(service.token) as client:
        text = client.get("/metrics").text
    return {one.name for family in text_string_to_metric_families(text) for one in family.samples}


def test_every_figure_that_is_asked_for_is_there(service: Service, lab: Lab) -> None:
    known = _known(service)
    dashboard = json.loads((MONITORING / "dashboard.json").read_text())
    asked = [target["expr"] for panel in dashboard["panels"] for target in panel["targets"]]
    rules = [
        rule
        for group in yaml.safe_load((MONITORING / "alert-rules.yml").read_text())["groups"]
        for rule in group["rules"]
    ]
    asked += [rule["expr"] for rule in rules]
    names = {name for expression in asked for name in _NAME.findall(expression)}
    assert len(names) >= 15 and names <= known, names - known
    for rule in rules:
        assert rule["annotations"]["summary"] and rule["labels"]["severity"] in ("warning", "critical")
    kinds = set(re.findall(r'kind=~"([a-z|-]+)"', " ".join(asked))[0].split("|"))
    assert kinds <= {one.value for one in FindingKind}

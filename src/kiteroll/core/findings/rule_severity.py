"""How severe the finding of a broken rule is: as the rule says."""

from kiteroll.core.findings.finding import Severity
from kiteroll.core.policy.port_rules import OnBreach, PortRule

_SEVERITIES = {
    OnBreach.RECORD: None,
    OnBreach.NOTE: Severity.NOTE,
    OnBreach.WARNING: Severity.WARNING,
    OnBreach.SERIOUS: Severity.SERIOUS,
    OnBreach.PROPOSE: Severity.WARNING,
    OnBreach.CLOSE: Severity.WARNING,
}


def severity_of(rule: PortRule) -> Severity | None:
    """None when a breach is no finding."""
    return _SEVERITIES[rule.on_breach]

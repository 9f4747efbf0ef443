"""A short cut of the torture run; `make torture` is the whole."""

from pathlib import Path

from tests.torture.run import Plan, Torture, table


def test_nothing_ends_the_service_and_nothing_acknowledged_is_lost(tmp_path: Path) -> None:
    plan = Plan(seed=7, agents=12, files=12, requests=100, kills=2, troubles=2, flood_s=1)
    result = Torture(plan, tmp_path).run()
    said = table(plan, result)
    assert result.acknowledged > 5, said
    assert not result.deaths and not result.lost and not result.faults, said
    assert not any(reported.silent for reported in result.reported.values()), said
    assert result.tracebacks == 0, said

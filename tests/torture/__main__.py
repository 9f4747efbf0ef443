"""`python -m tests.torture`: the whole run, about twenty minutes; sends to loopback only."""

import argparse
import sys
import tempfile
from pathlib import Path

from tests.torture.run import Plan, Torture, table


def main() -> int:
    parser = argparse.ArgumentParser(prog="torture", description=__doc__)
    plan = Plan()
    for name in ("seed", "agents", "files", "requests", "kills", "troubles"):
        parser.add_argument(f"--{name}", type=int, default=getattr(plan, name))
    args = parser.parse_args()
    plan = Plan(**vars(args))
    with tempfile.TemporaryDirectory() as directory:
        result = Torture(plan, Path(directory), lambda text: print(text, file=sys.stderr, flush=True)).run()
    print(table(plan, result))
    return 0 if result.passed else 1


if __name__ == "__main__":
    sys.exit(main())

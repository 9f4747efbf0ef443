"""`python -m tests.torture`: the whole run, about twenty minutes; sends to loopback only."""

import argparse
import sys
import tempfile
from contextlib import ExitStack
from pathlib import Path

from tests.torture.run import Plan, Torture, table


def main() -> int:
    parser = argparse.ArgumentParser(prog="torture", description=__doc__)
    plan = Plan()
    for name in ("seed", "agents", "files", "requests", "kills", "troubles"):
        parser.add_argument(f"--{name}", type=int, default=getattr(plan, name))
    parser.add_argument("--keep", type=Path, help="a new directory for logs and records, kept")
    args = vars(parser.parse_args())
    keep = args.pop("keep")
    plan = Plan(**args)
    with ExitStack() as stack:
        if keep is None:
            directory = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        else:
            keep.mkdir()
            directory = keep
        result = Torture(plan, directory, lambda text: print(text, file=sys.stderr, flush=True)).run()
    print(table(plan, result))
    return 0 if result.passed else 1


if __name__ == "__main__":
    sys.exit(main())

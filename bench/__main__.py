"""`python -m bench [NAME ...]`: all benchmarks, or those named."""

import importlib
import sys

NAMES = (
    "collect",
    "fleet_collect",
    "track",
    "store",
    "find",
    "rules",
    "roles",
    "networks",
    "accuracy",
    "history",
    "alerts",
    "backup",
    "export",
    "console",
    "nodes",
    "growth",
    "collectors",
    "intake",
    "year",
    "story",
)


def main() -> int:
    chosen = sys.argv[1:] or NAMES
    if unknown := set(chosen) - set(NAMES):
        print(f"no benchmark {', '.join(sorted(unknown))}; there are {', '.join(NAMES)}", file=sys.stderr)
        return 2
    for name in chosen:
        module = importlib.import_module(f"bench.{name}")
        print(f"\n== {name}: {(module.__doc__ or '').splitlines()[0]}")
        module.main()
    return 0


if __name__ == "__main__":
    sys.exit(main())

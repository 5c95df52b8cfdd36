"""Print docs/findings.md from the registry of codes. `make types` refreshes it."""

from __future__ import annotations

from mintseed.core.codes import CODES


def main() -> None:
    print("# Findings\n\nMade from the registry of codes by `make types`. A … stands for a value.\n")
    print("| code | severity | title |\n|---|---|---|")
    for code, one in sorted(CODES.items()):
        print(f"| `{code}` | {' or '.join(one.severities)} | {' · '.join(one.titles)} |")


if __name__ == "__main__":
    main()

"""Print docs/findings.md: every finding code in the core, read from its source. `make types` refreshes it."""

from __future__ import annotations

import ast
from pathlib import Path

CORE = Path(__file__).resolve().parents[1] / "src" / "mintseed"


def literal(node: ast.expr) -> str:
    """Return the text of a string, with … where a value goes in."""
    if isinstance(node, ast.Constant):
        return str(node.value)
    if isinstance(node, ast.JoinedStr):
        return "".join(str(v.value) if isinstance(v, ast.Constant) else "…" for v in node.values)
    return "…"


def severity(node: ast.expr) -> str:
    return node.attr.lower() if isinstance(node, ast.Attribute) else "by case"


def found_in(path: Path) -> list[tuple[str, str, str, str]]:
    """Return (code, severity, title, module) of every finding made in `path`."""
    rows = []
    for node in ast.walk(ast.parse(path.read_text())):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or len(node.args) < 2:
            continue
        module = str(path.relative_to(CORE)).removesuffix(".py")
        code = literal(node.args[0])
        if node.func.id == "Finding" and len(node.args) >= 3:
            rows.append((code, severity(node.args[1]), literal(node.args[2]), module))
        elif node.func.id in ("_stop", "_missing") and "." in code + "." and " " not in code:
            code = code if node.func.id == "_stop" else f"plan.{code}-missing"
            rows.append((code, "stop", literal(node.args[1]), module))
    return rows


def main() -> None:
    rows = sorted(
        {
            row
            for path in sorted(CORE.rglob("*.py"))
            for row in found_in(path)
            if row[0] != "…" and "….missing" not in row[0]
        }
    )
    print("# Findings\n\nMade from the code by `make types`. A … stands for a value.\n")
    print("| code | severity | title | made in |\n|---|---|---|---|")
    for code, level, title, module in rows:
        if code.startswith("plan.…"):
            continue
        print(f"| `{code}` | {level} | {title} | `{module}` |")


if __name__ == "__main__":
    main()

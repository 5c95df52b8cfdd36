"""What a screen counts while it runs it says as the core says it: `web/src/lib/words.ts` beside `core/units.py`."""

from __future__ import annotations

import json
import subprocess

import pytest

from mintseed.core.units import binary_size, clock, decimal_size, duration
from mintseed.wiring import PROJECT

SAYS = {"decimalSize": decimal_size, "binarySize": binary_size, "clock": clock, "duration": duration}
SIZES = [
    0,
    1,
    2,
    999,
    1000,
    1024,
    1536,
    999_700,
    1_048_575,
    1_234_000,
    412_300_000,
    999_999_999,
    1_500_000_000,
    31_914_983_424,
    2 * 10**12,
    1_500 * 10**12,
]
SECONDS = [0, 0.4, 1.6, 59, 59.6, 60, 61, 161, 3599, 3600, 3661, 37_408]
ASKED = [(name, value) for name in SAYS for value in (SIZES if name.endswith("Size") else SECONDS)]

ANSWER = """
import { readFileSync } from "node:fs";
import ts from "typescript";
const options = { module: ts.ModuleKind.ESNext, target: ts.ScriptTarget.ES2022 };
const made = ts.transpileModule(readFileSync("src/lib/words.ts", "utf8"), { compilerOptions: options }).outputText;
const words = await import("data:text/javascript," + encodeURIComponent(made));
console.log(JSON.stringify(JSON.parse(readFileSync(0, "utf8")).map(([name, value]) => words[name](value))));
"""


@pytest.fixture(scope="module")
def said() -> dict[tuple[str, float], str]:
    done = subprocess.run(
        ["node", "--input-type=module", "-e", ANSWER],
        cwd=PROJECT / "web",
        input=json.dumps(ASKED),
        text=True,
        capture_output=True,
        check=True,
    )
    return dict(zip(ASKED, json.loads(done.stdout), strict=True))


@pytest.mark.parametrize(("name", "value"), ASKED)
def test_both_say_it_alike(said: dict[tuple[str, float], str], name: str, value: float) -> None:
    assert said[name, value] == SAYS[name](value)

"""Speed of this commit beside an earlier one: `python -m tools.beside COMMIT`.

Both run the steps and the wall of `bench/speed.py` in turn, A B A B, each in a process of its own; the ratio is taken
pair by pair, so that a machine whose speed drifts does not decide it. Printed are medians and the spread of the ratio.
"""

import argparse
import io
import json
import os
import statistics
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

PROJECT = Path(__file__).resolve().parent.parent
_RUN = """
import json, sys, tempfile
from pathlib import Path
sys.path.insert(0, ".")
from bench import speed
with tempfile.TemporaryDirectory() as folder:
    tables = (speed.step_table(Path(folder)), speed.wall_table(Path(folder)))
    print(json.dumps({row[0]: row[1] for table in tables for row in table.data()["rows"]}))
"""


def measured(checkout: Path) -> dict[str, float]:
    """Figures of a checkout by their names, in milliseconds and, for the wall, seconds."""
    done = subprocess.run([sys.executable, "-c", _RUN], cwd=checkout, capture_output=True, text=True, check=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def main() -> None:
    """Measure both in turn and print the ratios."""
    parser = argparse.ArgumentParser(prog="python -m tools.beside", description=__doc__)
    parser.add_argument("commit")
    parser.add_argument("--rounds", type=int, default=5)
    asked = parser.parse_args()
    archive = ["git", "archive", asked.commit]
    packed = subprocess.run(archive, cwd=PROJECT, capture_output=True, check=True).stdout
    with tempfile.TemporaryDirectory() as name:
        with tarfile.open(fileobj=io.BytesIO(packed)) as tar:
            tar.extractall(name, filter="data")
        if (Path(name) / "setup.py").exists():
            build = [sys.executable, "setup.py", "-q", "build_ext", "--inplace"]
            subprocess.run(build, cwd=name, env=os.environ | {"NUVETT_NATIVE": "1"}, check=True)
        elif (Path(name) / "tools" / "compile_core.py").exists():  # commits from before the wheel
            subprocess.run([sys.executable, "-m", "tools.compile_core", f"{name}/build"], cwd=name, check=True)
        pairs = [(measured(PROJECT), measured(Path(name))) for _ in range(asked.rounds)]
    print("| step | now | before | ratio | from | to |\n|---|---|---|---|---|---|")
    for step in pairs[0][0]:
        now, before = ([pair[side][step] for pair in pairs] for side in (0, 1))
        ratios = [a / b for a, b in zip(now, before, strict=True)]
        figures = [
            statistics.median(now),
            statistics.median(before),
            statistics.median(ratios),
            min(ratios),
            max(ratios),
        ]
        print(f"| {step} | {' | '.join(f'{figure:.3g}' for figure in figures)} |")


if __name__ == "__main__":
    main()

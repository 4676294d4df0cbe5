"""`./run bench`: every measurement, printed as tables; `--json FILE` writes them as data, `--only NAME` picks some."""

import argparse
import json
from collections.abc import Callable
from pathlib import Path

from bench import (
    areas,
    book,
    bursts,
    cameras,
    consistency,
    deliveries,
    even,
    extras,
    following,
    given,
    growth,
    heroes,
    instruments,
    pages,
    parts,
    seen,
    soft,
    speed,
    threads,
    transfer,
    truth,
)
from bench.report import Table

SECTIONS: dict[str, Callable[[], list[Table]]] = {
    "transfer": transfer.run,
    "bursts": bursts.run,
    "even": even.run,
    "consistency": consistency.run,
    "truth": truth.run,
    "soft": soft.run,
    "heroes": heroes.run,
    "parts": parts.run,
    "threads": threads.run,
    "following": following.run,
    "given": given.run,
    "instruments": instruments.run,
    "tables": extras.run,
    "speed": speed.run,
    "deliveries": deliveries.run,
    "growth": growth.run,
    "pages": pages.run,
    "seen": seen.run,
    "areas": areas.run,
    "book": book.run,
    "cameras": cameras.run,
}


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(prog="./run bench", description="Measure Nuvett against published methods.")
    parser.add_argument("--only", choices=SECTIONS, action="append", help="one section; may be given several times")
    parser.add_argument("--json", type=Path, help="also write all tables as JSON")
    arguments = parser.parse_args()
    tables: list[Table] = []
    for name in arguments.only or SECTIONS:
        for table in SECTIONS[name]():
            print(table.text(), flush=True)
            tables.append(table)
    if arguments.json:
        arguments.json.write_text(json.dumps([table.data() for table in tables], indent=2) + "\n")


if __name__ == "__main__":
    main()

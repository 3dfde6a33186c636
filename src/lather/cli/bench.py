"""lather bench"""

import argparse
import json
import os
import sys

from lather.cli.arguments import number, whole


def add_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--megapixels", type=number(0.5, 400), default=24.0)
    parser.add_argument("--row", action="append", help="only this row (may be given more than once)")
    parser.add_argument("--events", type=whole(1, 100_000), default=200, help="events per row for the 95th percentile")
    parser.add_argument("--json", action="store_true", help="machine-readable")


def run(arguments: argparse.Namespace) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from lather.bench.registry import ROWS, run_rows

    rows = []
    for row in run_rows(arguments.megapixels, arguments.row or list(ROWS), arguments.events):
        rows.append(row)
        if not arguments.json:
            met = "reached" if row["met"] else "MISSED"
            library = f"  ×{row['ratio_to_library']:.2f} of {row['library']}" if row["ratio_to_library"] else ""
            copy = f"  ×{row['ratio_to_copy']:.1f} of a copy" if row["ratio_to_copy"] else ""
            print(f"{row['row']:14} {row['p95']:8.1f} {row['unit']}  target {row['target']:7.0f}  {met}{copy}{library}",
                  flush=True)
    if arguments.json:
        json.dump(rows, sys.stdout, indent=1)
        print()
    return 0

#!/usr/bin/env python3
"""How long the Floor takes for a lab of a large course, and how much it weighs.

    python3 bench/floor.py [SUBMISSIONS]

The demo is copied until there are so many submissions (default 16,000, which is some 2,000 tables of each lab). Prints the
server's own time in milliseconds, the middle of eleven, and the page's bytes, packed.
"""
import statistics
import sys

from harness import large_course


def main():
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 16_000
    with large_course(wanted) as (database, chief):
        for slug in ("keel-plate", "rust-iron", "hatch-ram"):
            lab = database.sql(f"SELECT id FROM labs WHERE slug = '{slug}'")[0][0]
            tables = database.sql(f"SELECT COUNT(*) FROM sheets WHERE stage IS NOT NULL AND lab_id = {lab}")[0][0]
            for page in ("", "?by=section", "/table", "/shared", "/start", "/wall"):
                took = []
                for _ in range(11):
                    status, _, text = chief.get(f"/floor/{lab}{page}")
                    took.append(chief.took)
                print(f"{slug}, {tables} teams, /floor{page}: {statistics.median(took):.0f} ms ({status}), {len(text)} characters", flush=True)


main()

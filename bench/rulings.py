#!/usr/bin/env python3
"""How long a ruling takes to look at, to put in force and to withdraw, with a term's tables stored.

    python3 bench/rulings.py [SUBMISSIONS]

The demo is copied until there are so many submissions (default 80,000, which is some 10,000 tables of each lab). Prints the
server's own time in milliseconds for what most tables wait for alike.
"""
import re
import sys
from urllib.parse import unquote

from harness import large_course


def main():
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 80_000
    with large_course(wanted) as (database, chief):
        _, _, docket = chief.get("/docket")
        sheet = re.search(r"/rulings/new\?sheet=(\d+)", docket).group(1)
        tables = database.sql(f"SELECT COUNT(*) FROM sheets WHERE stage IS NOT NULL AND lab_id = (SELECT lab_id FROM sheets WHERE id = {sheet})")[0][0]
        status, _, page = chief.get(f"/rulings/new?sheet={sheet}")
        print(f"{tables} tables of the lab; looked at in {chief.took:.0f} ms ({status})", flush=True)
        field = lambda name: unquote(re.search(rf'name="{name}" value="([^"]*)"', page).group(1))
        form = {"sheet": sheet, "finding": field("finding"), "seen": field("seen"), "reason": "measured", "does": "forgive"}
        status, headers, _ = chief.post("/rulings", form)
        print(f"put in force in {chief.took:.0f} ms ({status})", flush=True)
        touched = database.sql("SELECT touched FROM rulings")[0][0]
        status, _, _ = chief.post("/rulings/1/withdraw", {"reason": "measured"})
        print(f"withdrawn in {chief.took:.0f} ms ({status}); {touched} tables changed", flush=True)


main()

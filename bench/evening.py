#!/usr/bin/env python3
"""Server time of the Docket, the Bench and the try-out with a term's submissions stored, and what pages weigh.

    python3 bench/evening.py [SUBMISSIONS]

On a database of its own the demo class is loaded and then copied, row by row, until there are so many submissions (default
50,000) in some 220 sections. Prints p50 and p95 of the server's own time in milliseconds (its Server-Timing header, from the
request read to the answer ready, waiting for a thread or a connection included); `20 at once` is twenty reviewers asking side
by side. JURADO names another binary.
"""
import concurrent.futures
import re
import statistics
import sys

from harness import EVENING, Database, Person, Server, multiply, percentile


def told(what, times):
    print(f"{what:<44} p50 {statistics.median(times):7.1f} ms   p95 {percentile(times, 95):7.1f} ms   ({len(times)} times)", flush=True)


def timed(person, path, form=None):
    status, _, text = person.get(path) if form is None else person.post(path, form)
    assert status < 400, f"{path}: {status}"
    return person.took, text


def main():
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    database = Database(flush=0)
    server = Server(database, demo=EVENING)
    try:
        count = multiply(database, wanted)
        print(f"{count} submissions in {database.sql('SELECT COUNT(*) FROM sections WHERE term_id = 0')[0][0]} sections")
        chief, one = Person(server, "coordinator"), Person(server, "reviewer1")
        reviewer = database.sql("SELECT id FROM users WHERE sign_in = 'reviewer1'")[0][0]
        ids = [int(r[0]) for r in database.sql("SELECT id FROM sheets WHERE stage IS NOT NULL ORDER BY RAND(7) LIMIT 400")]
        mine = f"SELECT s.id FROM sheets s JOIN user_sections u ON u.section_id = s.section_id WHERE s.stage IS NOT NULL AND u.user_id = {reviewer} ORDER BY RAND(7) LIMIT 200"
        own = [int(r[0]) for r in database.sql(mine)]
        for person, what in [(chief, "all sections"), (one, "own sections")]:
            person.get("/docket")
            told(f"Docket, {what}", [timed(person, "/docket")[0] for _ in range(60)])
        told("Docket, a search by team", [timed(chief, "/docket?find=heron&state=wants")[0] for _ in range(40)])
        told("Bench, one after the other", [timed(chief, f"/bench/{i}")[0] for i in ids])
        people = [Person(server, "coordinator") for _ in range(20)]
        with concurrent.futures.ThreadPoolExecutor(20) as pool:
            parts = list(pool.map(lambda p: [timed(p[1], f"/bench/{i}")[0] for i in ids[p[0] :: 20]], enumerate(people)))
        told("Bench, 20 at once", [t for part in parts for t in part])
        times = []
        for i in own[:100]:
            page = timed(one, f"/bench/{i}/try")[1]
            fields = dict(re.findall(r'name="(c\.[^"]+)"\s+value="([^"]*)"', page))
            if fields:
                fields[next(iter(fields))] += "1"
                times.append(timed(one, f"/bench/{i}/try", {**fields, "version": "1", "school": "quadrature", "test": ""})[0])
        told("Try-out, worked out anew", times)
        told("Next table, taken", [timed(one, "/bench")[0] for _ in range(40)])
        told("Next table, taken by a coordinator", [timed(chief, "/bench")[0] for _ in range(40)])
        told("Returns of a lab", [timed(chief, "/returns")[0] for _ in range(20)])
        # Queries that sort must leave the counts as quick as they were.
        told("Docket, all sections, after all that", [timed(chief, "/docket")[0] for _ in range(40)])
        print("\npage weights, uncompressed, with everything that the page loads")
        for path in ["/docket", f"/bench/{ids[0]}", f"/bench/{ids[0]}/try", "/returns", "/intake", "/quick?lab=1", "/protocols", "/sections"]:
            page = chief.get(path)[2]
            parts = set(re.findall(r'(?:href|src)="(/assets/[^"]+)"', page))
            parts |= {f for f in re.findall(r'url\("([^"]+)"\)', chief.get("/assets/theme.css")[2]) if "greek" not in f}
            total = sum(len(chief.get(part)[2].encode()) for part in parts)
            print(f"  {path:<24} {(len(page.encode()) + total) / 1000:6.0f} kB, of it the page {len(page.encode()) / 1000:.0f} kB")
        print(f"\nresident memory {server.memory():.0f} MB, at most {server.memory('VmHWM'):.0f} MB")
    finally:
        server.stop()
        database.remove()


if __name__ == "__main__":
    main()

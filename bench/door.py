#!/usr/bin/env python3
"""An evening at the door: 500 teams hand in within ten seconds, and 2,000 students read their sheets within a minute.

    python3 bench/door.py [TABLES]

The demo is copied until there are so many tables (default 4,000). Each of 500 teams hands in its keel plate as its form
stands, at a moment drawn over ten seconds; then 2,000 sheets that went out are read over a minute, by as many sessions. Prints
errors, the time that the client waited (50th and 95th percentile, slowest), the memory of the server, and what verify says.
"""
import random
import re
import sys
import threading
import time

from harness import EVENING, Database, Person, Server, multiply, percentile, program

HAND_INS, READERS = 500, 2_000


class Team(Person):
    """A team that came in with its code."""

    def __init__(self, server, code):
        super().__init__(server)
        self.get("/hand-in")
        status, _, _ = self.post("/hand-in/code", {"code": code})
        if status != 303:
            raise RuntimeError(f"{code} opens nothing: {status}")
        self.get("/hand-in")


def form_of(page):
    """The fields that a browser would send of a sheet as it stands."""
    out = []
    for tag in re.findall(r"<input\b[^>]*>", page.split('class="door"', 1)[1], re.S):
        name, value = re.search(r'\bname="([^"]*)"', tag), re.search(r'\bvalue="([^"]*)"', tag)
        if name and value and name.group(1) != "token":
            out.append((name.group(1), value.group(1)))
    for name, rest in re.findall(r'<select\b[^>]*\bname="([^"]*)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r"<option selected>([^<]*)", rest)
        out.append((name, chosen.group(1) if chosen else ""))
    return dict(out)


def codes(chief, database, wanted):
    """Codes of as many teams with a keel plate, made section by section."""
    out = []
    for (section,) in database.sql("SELECT DISTINCT section_id FROM sheets s JOIN labs l ON l.id = s.lab_id WHERE l.slug = 'keel-plate' AND s.term_id = 0 AND s.stage IS NOT NULL"):
        chief.get(f"/sections/{section}/codes")
        _, _, page = chief.post(f"/sections/{section}/codes", {"then": "anew"})
        out += re.findall(r'<span class="n">([A-Z2-9-]{14})</span>', page)
        if len(out) >= wanted:
            break
    return out[:wanted]


def at_moments(work, jobs, seconds, threads):
    """Does each job at a moment drawn over so many seconds. Gives how long each took, and what failed."""
    rng, took, failed, lock = random.Random(7), [], [], threading.Lock()
    plan = sorted((rng.uniform(0, seconds), job) for job in jobs)
    begun, at = time.monotonic(), iter(plan)

    def one():
        while True:
            with lock:
                moment, job = next(at, (None, None))
            if job is None:
                return
            time.sleep(max(0, begun + moment - time.monotonic()))
            start = time.monotonic()
            try:
                work(job)
            except Exception as e:  # noqa: BLE001
                with lock:
                    failed.append(str(e))
            with lock:
                took.append(time.monotonic() - start)

    all_of_them = [threading.Thread(target=one) for _ in range(threads)]
    for t in all_of_them:
        t.start()
    for t in all_of_them:
        t.join()
    return took, failed, time.monotonic() - begun


def told(what, took, failed, whole, server):
    ms = [1000 * t for t in took]
    print(f"{what}: {len(took)} in {whole:.1f} s, {len(failed)} errors; waited p50 {percentile(ms, 50):.0f} ms, p95 {percentile(ms, 95):.0f} ms, "
          f"slowest {max(ms):.0f} ms; memory {server.memory():.0f} MB, at most {server.memory('VmHWM'):.0f} MB", flush=True)
    for line in failed[:3]:
        print(f"  {line}", flush=True)


def main():
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 4_000
    database = Database(flush=1)
    server = Server(database, demo=EVENING)
    try:
        tables = multiply(database, wanted)
        chief = Person(server, "coordinator")
        lab = database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0]
        teams = []
        for code in codes(chief, database, HAND_INS):
            team = Team(server, code)
            _, _, page = team.get(f"/hand-in/{lab}")
            teams.append((team, form_of(page)))
        print(f"{tables} tables, {len(teams)} teams came in, {server.memory():.0f} MB", flush=True)

        def hand_in(job):
            team, fields = teams[job]
            # A phone that was idle comes with a connection of its own.
            team.connection.close()
            team.connection = None
            changed = {**fields, "w.zero": f"handed in at the door by {job}", "then": "in"}
            status, headers, text = team.post(f"/hand-in/{lab}", changed)
            if status != 303 or not headers["Location"].endswith("/receipt"):
                raise RuntimeError(f"{status}: {re.sub('<[^>]*>', ' ', text)[-300:]}")

        took, failed, whole = at_moments(hand_in, range(len(teams)), 10, 64)
        told("handing in", took, failed, whole, server)
        stored = database.sql("SELECT COUNT(*) FROM hand_ins")[0][0]
        print(f"receipts: {stored}", flush=True)

        # Their sheets go out as they stand, and are read.
        chief.get("/docket/clear")
        for _ in range(40):
            _, _, page = chief.get(f"/docket/clear?lab={lab}")
            seen = re.search(r'name="seen" value="([^"]*)"', page)
            if not seen or not seen.group(1):
                break
            chief.post("/docket/clear", {"lab": lab, "seen": seen.group(1)})
        chief.post("/returns/release", {"lab": lab})
        out = {int(r[0]) for r in database.sql(f"SELECT team_id FROM sheets WHERE lab_id = {lab} AND returns > 0")}
        readers = []
        for team, _ in teams:
            status, _, _ = team.get(f"/hand-in/{lab}/sheet")
            if status == 200:
                readers.append(team)
        print(f"{len(out)} sheets went out, {len(readers)} of them are of teams that came in", flush=True)
        locks = {id(t): threading.Lock() for t in readers}

        def read(job):
            team = readers[job % len(readers)]
            with locks[id(team)]:
                status, _, text = team.get(f"/hand-in/{lab}/sheet")
            if status != 200 or "Step by step" not in text:
                raise RuntimeError(f"{status}")

        took, failed, whole = at_moments(read, range(READERS), 60, 64)
        told("reading", took, failed, whole, server)
        status, said = program(database, "verify")
        print(f"verify: exit {status}: {said.strip().splitlines()[-1] if said.strip() else ''}", flush=True)
    finally:
        server.stop()
        database.remove()


if __name__ == "__main__":
    main()

#!/usr/bin/env python3
"""A term's tables judged anew after a change of the protocol, while twenty people decide.

    python3 bench/term.py [TABLES]

On a database of its own: so many tables of one lab (default 50,000), twenty people who look at a table and decide every two
seconds, and a protocol put in force meanwhile. Prints how long that took, how long the step took in which all wait, the
Bench's p95 before and meanwhile, answers by status, and what `jurado verify` says afterwards. JURADO names another binary.
"""
import random
import re
import sys
import threading
import time

from harness import ROOT, Database, Person, Server, multiply, percentile, program


def main():
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    database = Database(flush=1)
    server = Server(database)
    answers, times, acknowledged, lock, stop = {}, [], [], threading.Lock(), threading.Event()
    serial = [0]

    def decide(person, sheets):
        while not stop.is_set():
            begun = time.time()
            sheet = random.choice(sheets)
            try:
                status, _, text = person.get(f"/bench/{sheet}")
                with lock:
                    answers[status] = answers.get(status, 0) + 1
                    times.append((time.time(), person.took))
                    serial[0] += 1
                    reason = f"word {serial[0]}"
                version = re.search(r'name="version" value="(\d+)"', text).group(1)
                form = {"version": version, "finding": "line:calculation", "action": "points", "points": f"{random.randrange(9) / 2}", "reason": reason}
                status, _, _ = person.post(f"/bench/{sheet}/decide", form)
                with lock:
                    answers[status] = answers.get(status, 0) + 1
                    if status == 303:
                        acknowledged.append(reason)
            except (OSError, AttributeError):
                with lock:
                    answers["none"] = answers.get("none", 0) + 1
            time.sleep(max(0, 2 - (time.time() - begun)))

    try:
        count = multiply(database, wanted)
        lab = database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0]
        sheets = [int(r[0]) for r in database.sql("SELECT id FROM sheets WHERE stage IS NOT NULL ORDER BY RAND(3) LIMIT 400")]
        people = [threading.Thread(target=decide, args=(Person(server, "coordinator"), sheets)) for _ in range(20)]
        for p in people:
            p.start()
        time.sleep(15)
        before = [t for _, t in times]
        source = open(f"{ROOT}/protocols/keel-plate.toml").read()
        version = int(re.search(r"^version = (\d+)", source, re.M).group(1))
        text = re.sub(r"^version = \d+", f"version = {version + 1}", source, count=1, flags=re.M)
        text = text.replace('each = "0.25"', 'each = "0.5"')
        chief = Person(server, "coordinator")
        begun = time.time()
        status, _, _ = chief.look_and_post(f"/protocols/{lab}/edit", {"text": text, "version": str(version), "then": "set", "reason": "a measurement"})
        assert status == 303, status
        asked = time.time() - begun
        while int(database.sql("SELECT COUNT(*) FROM jobs WHERE state IN ('waiting', 'running')")[0][0]):
            time.sleep(0.5)
        took = time.time() - begun
        time.sleep(4)
        stop.set()
        for p in people:
            p.join()
        during = [t for at, t in times if begun <= at <= begun + took]
        print(f"{count} tables judged anew in {took:.1f} s; the person who asked waited {asked:.2f} s")
        print(f"Bench p95 before {percentile(before, 95):.0f} ms, meanwhile {percentile(during, 95):.0f} ms, slowest {max(during):.0f} ms")
        print("answers:", ", ".join(f"{k}: {v}" for k, v in sorted(answers.items(), key=str)))
        there = {r[0] for r in database.sql("SELECT reason FROM decisions WHERE reason LIKE 'word %'")}
        print(f"{len(acknowledged)} decisions acknowledged, {len([a for a in acknowledged if a not in there])} lost")
        print(f"resident memory at most {server.memory('VmHWM'):.0f} MB")
        status, said = program(database, "verify")
        print(said.strip()[-400:])
        raise SystemExit(status)
    finally:
        stop.set()
        server.stop()
        database.remove()


if __name__ == "__main__":
    main()

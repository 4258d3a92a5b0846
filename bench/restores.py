#!/usr/bin/env python3
"""Restores that are killed: the database holds the old state or the new one, each time, by the counts of every table.

    python3 bench/restores.py [--rounds 60] [--old FILE.zip]

A backup is taken, then tables are signed, a ruling's sheets move and notes are written, so that the two states differ. Each round
restores the backup over the database and kills `jurado restore` with all it started after a while drawn at random (-9); now and then it is left to its end. Printed
are how often it was old, new, or neither. With --old a backup of an earlier version is restored over today's database as often, and `verify` and
`verify --record` are asked. JURADO names another binary.
"""
import argparse
import os
import random
import signal
import subprocess
import sys
import time

from harness import Database, Person, Server, binary, program


def counts(database):
    """Rows of every table of the database in use, and what some of them say."""
    tables = [r[0] for r in database.sql("SELECT table_name FROM information_schema.tables WHERE table_schema = 'jurado' AND table_type = 'BASE TABLE' ORDER BY 1")]
    out = {t: database.sql(f"SELECT COUNT(*) FROM `{t}`")[0][0] for t in tables}
    # What a look, a lock or a word of well-being changes belongs to no state.
    for t in ("migrating", "settings"):
        out.pop(t, None)
    return out


def killed(database, file, after):
    """Restores, and kills it after so many seconds unless it ended before. Gives its exit status; None where it was killed."""
    env = {**os.environ, "DATABASE_URL": database.url, "MIGRATE_DATABASE_URL": database.schema_url}
    process = subprocess.Popen([binary(), "restore", file, "--replace"], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, start_new_session=True)
    try:
        process.wait(after)
    except subprocess.TimeoutExpired:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        # The server ends the one statement that it had begun; until then names of tables are seen half moved, and tables wait.
        moving = "SELECT COUNT(*) FROM information_schema.processlist WHERE info LIKE 'RENAME%'"
        while database.sql(moving)[0][0] != "0":
            time.sleep(0.05)
        return None, ""
    return process.returncode, process.stderr.read().decode()[-300:]


def change(database):
    """Changes the database so that it differs from the backup in several tables."""
    server = Server(database, demo=None)
    reviewer = Person(server, "coordinator")
    for (sheet,) in database.sql("SELECT id FROM sheets WHERE stage = 1 LIMIT 6"):
        version = database.sql(f"SELECT version FROM sheets WHERE id = {sheet}")[0][0]
        reviewer.post(f"/bench/{sheet}/sign", {"version": version})
    lab = database.sql("SELECT MIN(lab_id) FROM sheets WHERE stage IS NOT NULL")[0][0]
    reviewer.post(f"/floor/{lab}/note", {"by": "station", "at": "1", "body": f"seen at {time.time()}"})
    section = database.sql("SELECT MIN(id) FROM sections WHERE term_id = 0")[0][0]
    reviewer.post(f"/sections/{section}/codes", {"then": "anew"})
    server.stop()


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--rounds", type=int, default=60)
    options.add_argument("--old")
    options = options.parse_args()
    database = Database(flush=0)
    rng, tally, wrong = random.Random(5), {"old": 0, "new": 0}, []
    try:
        Server(database, demo=("keel-plate", "hatch-ram")).stop()
        file = f"{database.dir}/backup.zip"
        print(program(database, "backup", file)[1].strip())
        # How long it takes when it is left alone, and what it leaves.
        change(database)
        begun = time.time()
        status, said = killed(database, file, 600)
        whole, new = time.time() - begun, counts(database)
        print(f"left alone: exit {status}, {whole:.1f} s {said}", flush=True)
        for n in range(options.rounds):
            change(database)
            old = counts(database)
            status, said = killed(database, file, 600 if n % 10 == 9 else rng.uniform(0, 1.05 * whole))
            now = counts(database)
            strand = {"events", "event_strands", "jobs"}
            alike = lambda a, b: all(a.get(t) == b.get(t) for t in (set(a) | set(b)) - strand)
            state = "new" if alike(now, new) else "old" if alike(now, old) else "neither"
            if state == "neither" or (status == 0 and state != "new"):
                wrong.append((n, status, {t: (old.get(t), now.get(t), new.get(t)) for t in set(old) | set(now) if now.get(t) not in (old.get(t), new.get(t)) or old.get(t) != new.get(t)}))
            tally[state] = tally.get(state, 0) + 1
            checked = [program(database, "verify")[0], program(database, "verify", "--record")[0]]
            if checked != [0, 0]:
                wrong.append((n, "verify", checked))
        print(f"{options.rounds} restores: {tally}; wrong: {wrong}", flush=True)
        if options.old:
            bad = []
            for n in range(20):
                change(database)
                status, said = killed(database, options.old, 600)
                checked = [program(database, "verify"), program(database, "verify", "--record")]
                if status != 0 or any(c[0] != 0 for c in checked):
                    bad.append((n, status, said, [c[1][-200:] for c in checked]))
            print(f"20 backups of an earlier version restored: {len(bad)} not clean {bad[:2]}")
        # One that ended leaves nothing beside it.
        killed(database, file, 600)
        left = database.sql("SELECT GROUP_CONCAT(schema_name) FROM information_schema.schemata WHERE schema_name LIKE 'jurado\\_%'")
        print(f"left beside: {left[0][0]}")
    finally:
        database.remove()
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()

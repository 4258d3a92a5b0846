"""Races, each at least twenty rounds: what is kept beside a table is what judging gives, whatever ran beside it.

    python3 bench/races.py [--rounds 20] [--only NAME]

After every round every stored table is judged anew (`jurado verify`), the record is checked (`verify --record`), and counted
are: answers 500, pages that were refused, decisions that were acknowledged and are not there, work that is stuck.
"""

import argparse
import csv
import io
import os
import random
import re
import shutil
import subprocess
import tempfile
import threading
import time
from html import unescape
from urllib.parse import unquote

from harness import ROOT, Database, Person, Server, binary, program

SECTIONS = ["Morning", "Forenoon", "Afternoon", "First Dog", "Last Dog", "Evening"]
COPIES = 96


class Bench:
    def __init__(self):
        self.folder = tempfile.mkdtemp(prefix="jurado-races-", dir="/tmp")
        os.chmod(self.folder, 0o755)
        self.protocols = f"{self.folder}/protocols"
        os.mkdir(self.protocols)
        self.text = open(f"{ROOT}/protocols/keel-plate.toml").read()
        open(f"{self.protocols}/keel-plate.toml", "w").write(self.text)
        # Labs that nobody has handed in yet, for first files.
        for n in range(COPIES):
            copy = self.text.replace('id = "keel-plate"', f'id = "plate-{n}"', 1)
            open(f"{self.protocols}/plate-{n}.toml", "w").write(copy)
        subprocess.run([binary(), "demo", "--seed", "7", "--out", self.folder], check=True, cwd=ROOT)
        rows = list(csv.reader(open(f"{self.folder}/submissions.csv")))
        self.head, self.rows = rows[0], rows[1:]
        self.database = Database()
        self.servers = [Server(self.database, self.protocols)]
        self.lab = int(self.database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0])
        self.sheets = [int(r[0]) for r in self.database.sql(f"SELECT id FROM sheets WHERE lab_id = {self.lab} AND stage IS NOT NULL ORDER BY id")]
        self.version, self.fresh, self.serial = 100, 0, 0
        self.acknowledged, self.answers = [], {}
        self.lock = threading.Lock()

    def remove(self):
        for s in self.servers:
            s.stop()
        self.database.remove()
        shutil.rmtree(self.folder, ignore_errors=True)

    # What people do.

    def note(self, status):
        with self.lock:
            self.answers[status] = self.answers.get(status, 0) + 1

    def asked(self, work):
        """Does something that answers with a status; a connection that was cut is counted as such."""
        try:
            status = work()[0]
        except OSError:
            status = "cut"
        self.note(status)
        return status

    def decider(self, server, stop, sheets, pause=0.0):
        person = None
        while not stop.is_set():
            try:
                person = person or Person(server, "coordinator")
                sheet = random.choice(sheets)
                status, _, text = person.get(f"/bench/{sheet}")
                self.note(status)
                found = re.search(r'name="version" value="(\d+)"', text)
                if status != 200 or not found:
                    time.sleep(0.05)
                    continue
                version = found.group(1)
                if random.random() < 0.25:
                    self.asked(lambda: person.post(f"/bench/{sheet}/{random.choice(['undo', 'sign'])}", {"version": version}))
                    continue
                with self.lock:
                    self.serial += 1
                    reason = f"word {self.serial}"
                keys = re.findall(r'name="finding" value="([^"]+)"', text) or ["line:calculation"]
                form = {"version": version, "finding": "line:calculation", "action": "points", "points": f"{random.randrange(17) / 4}", "reason": reason}
                if random.random() < 0.5:
                    form = {"version": version, "finding": random.choice(keys), "action": "forgive", "reason": reason}
                if self.asked(lambda: person.post(f"/bench/{sheet}/decide", form)) == 303:
                    with self.lock:
                        self.acknowledged.append(reason)
                time.sleep(pause)
            except (OSError, RuntimeError):
                self.note("cut")
                person = None
                time.sleep(0.1)

    def put_in_force(self, server):
        person = Person(server, "coordinator")
        self.version += 1
        text = re.sub(r"^version = \d+", f"version = {self.version}", self.text, count=1, flags=re.M)
        # Another price of a slip, so that points move.
        text = re.sub(r'each = "0\.25"', f'each = "{[0.25, 0.5, 0.75][self.version % 3]}"', text)
        now = self.database.sql(f"SELECT p.version FROM labs l JOIN protocols p ON p.id = l.protocol_id WHERE l.id = {self.lab}")[0][0]
        form = {"text": text, "version": now, "then": "set", "reason": "a race"}
        return self.asked(lambda: person.look_and_post(f"/protocols/{self.lab}/edit", form))

    def set_section(self, server):
        person = Person(server, "coordinator")
        section = random.choice(self.database.sql("SELECT id FROM sections WHERE term_id = 0"))[0]
        _, _, text = person.get(f"/sections/{section}/{self.lab}")
        version = re.search(r'name="version" value="(\d+)"', text).group(1)
        form = {"version": version, "then": "set", "reason": "a race", "source": "own", f"w.{random.choice(['disc_density', 'plate_density'])}": "on"}
        form[f"why.{'disc_density'}"] = "a race"
        return self.asked(lambda: person.look_and_post(f"/sections/{section}/{self.lab}", form))

    def release(self, server):
        person = Person(server, "coordinator")
        return self.asked(lambda: person.post("/returns/release", {"lab": self.lab}))

    def offer(self, server, lab, sections, name="class.csv", changed="", spoiled=""):
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(self.head)
        note = self.head.index("note")
        for row in self.rows:
            if row[0] in sections:
                row = [f"{cell}s" if spoiled and cell == spoiled else cell for cell in row]
                if changed:
                    row[note] = changed
                writer.writerow(row)
        person = Person(server, "coordinator")
        status, headers, _ = person.upload("/intake", {"lab": lab}, [("file", name, out.getvalue().encode())])
        self.note(status)
        return person, headers.get("Location", "")

    def first_file(self, server):
        """The first file of a lab that nobody has handed in yet, with all sections in it."""
        lab = int(self.database.sql(f"SELECT id FROM labs WHERE slug = 'plate-{self.fresh % COPIES}'")[0][0])
        self.fresh += 1
        person, place = self.offer(server, lab, SECTIONS)
        return self.take(person, place)

    def take(self, person, place):
        return self.asked(lambda: person.post(f"{place}/take", {}))

    # What holds afterwards.

    def settle(self, seconds=60):
        """Waits until no work is under way."""
        for _ in range(seconds * 4):
            waiting = int(self.database.sql("SELECT COUNT(*) FROM jobs WHERE state IN ('waiting', 'running')")[0][0])
            if waiting == 0:
                return 0
            time.sleep(0.25)
        return waiting

    def check(self):
        stuck = self.settle()
        status, said = program(self.database, "verify")
        chain, told = program(self.database, "verify", "--record")
        there = {r: int(n) for r, n in self.database.sql("SELECT reason, COUNT(*) FROM decisions WHERE reason LIKE 'word %' GROUP BY reason")}
        # Each has a word of its own, so that one that is there twice was done twice.
        doubled = [a for a in self.acknowledged if there.get(a, 0) > 1]
        lost = [a for a in self.acknowledged if a not in there]
        # A table waits for as many rows as wait of its file and of later ones.
        miscounted = self.database.sql(
            "SELECT s.id FROM sheets s JOIN submissions b ON b.id = s.submission_id WHERE b.waiting <> (SELECT COUNT(*) FROM quarantine q "
            "JOIN imports i ON i.id = q.import_id WHERE q.team_id = s.team_id AND i.lab_id = s.lab_id AND i.id >= b.import_id "
            "AND q.settled_at IS NULL)"
        )
        return {"verify": status, "record": chain, "lost": len(lost), "doubled": len(doubled), "stuck": stuck, "miscounted": len(miscounted), "said": (said if status else "") + (told if chain else "")}


def beside(bench, rounds, act, servers=None, deciders=8, seconds=1.2):
    """Eight people deciding, and one thing that is done beside them, `rounds` times."""
    servers = servers or bench.servers
    outcome = []
    for _ in range(rounds):
        stop = threading.Event()
        people = [
            threading.Thread(target=bench.decider, args=(servers[i % len(servers)], stop, bench.sheets)) for i in range(deciders)
        ]
        for p in people:
            p.start()
        time.sleep(0.3)
        act()
        time.sleep(seconds - 0.3)
        stop.set()
        for p in people:
            p.join()
        outcome.append(bench.check())
    return outcome


def first_files(bench, rounds, at_once):
    outcome = []
    for _ in range(rounds):
        lab = int(bench.database.sql(f"SELECT id FROM labs WHERE slug = 'plate-{bench.fresh % COPIES}'")[0][0])
        bench.fresh += 1
        offered = [bench.offer(bench.servers[i % len(bench.servers)], lab, SECTIONS[i : i + 1]) for i in range(at_once)]
        gate = threading.Barrier(at_once)

        def go(person, place):
            gate.wait()
            bench.take(person, place)

        threads = [threading.Thread(target=go, args=o) for o in offered]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        state = bench.check()
        count = int(bench.database.sql(f"SELECT COUNT(*) FROM sheets WHERE lab_id = {lab} AND submission_id IS NOT NULL")[0][0])
        state["missing"] = at_once * 14 - count
        outcome.append(state)
    return outcome


def rulings(bench, server):
    """Two rulings drawn up at once from findings, and one of those in force withdrawn."""

    def draw_up():
        person = Person(server, "coordinator")
        for sheet in random.sample(bench.sheets, 6):
            _, _, text = person.get(f"/bench/{sheet}")
            found = re.search(r"/rulings/new\?sheet=\d+&(?:amp;)?finding=([^\"]+)", text)
            if not found:
                continue
            _, _, page = person.get(f"/rulings/new?sheet={sheet}&finding={found.group(1)}")
            seen = re.search(r'name="seen" value="([^"]*)"', page)
            form = {
                "sheet": sheet, "finding": unquote(found.group(1)), "seen": seen.group(1) if seen else "", "reason": "a race",
                "does": random.choice(["forgive", "accept"]), "slip": random.choice(["", "any"]),
                "result": random.choice(["", "any"]), "when": random.choice(["", "", "new"]),
            }
            bench.asked(lambda: person.post("/rulings", form))
            return

    people = [threading.Thread(target=draw_up) for _ in range(2)]
    for p in people:
        p.start()
    in_force = bench.database.sql("SELECT id FROM rulings WHERE withdrawn_at IS NULL ORDER BY RAND() LIMIT 1")
    if in_force:
        person = Person(server, "coordinator")
        bench.asked(lambda: person.post(f"/rulings/{in_force[0][0]}/withdraw", {"reason": "a race"}))
    for p in people:
        p.join()


def lots(bench, server):
    """The clear tables signed as one lot by two at once; second marks drawn by two at once, and some kept, each sent twice."""

    def sign():
        person = Person(server, "coordinator")
        _, _, page = person.get("/docket/clear")
        seen = re.search(r'name="seen" value="([^"]*)"', page)
        if seen:
            bench.asked(lambda: person.post("/docket/clear", {"seen": seen.group(1)}))

    people = [threading.Thread(target=sign) for _ in range(2)]
    for p in people:
        p.start()
    def draw():
        person = Person(server, "coordinator")
        bench.asked(lambda: person.post("/moderation/draw", {"random": "4", "hanging": "2"}))

    def mark(name, path):
        """The same form sent twice at once: one of them is kept."""
        two = [Person(server, name) for _ in range(2)]
        _, _, table = two[0].get(path)
        found = re.search(r'name="submission" value="(\d+)"', table)
        if not found:
            return
        form = {"submission": found.group(1)}
        for n, key in re.findall(r'name="k(\d+)" value="([^"]*)"', table):
            form |= {f"k{n}": unescape(key), f"a{n}": random.choice(["accept", "forgive"]), f"p{n}": ""}
        both = [threading.Thread(target=lambda p=p: bench.asked(lambda: p.post(path, dict(form)))) for p in two]
        for b in both:
            b.start()
        for b in both:
            b.join()

    drawing = [threading.Thread(target=draw) for _ in range(2)]
    for d in drawing:
        d.start()
    for d in drawing:
        d.join()
    for name in ("reviewer1", "reviewer2"):
        _, _, page = Person(server, name).get("/moderation")
        for path in re.findall(r'href="(/second/\d+)"', page)[:1]:
            mark(name, path)
    kept = bench.database.sql("SELECT (SELECT COUNT(*) FROM second_marks WHERE marked_at IS NOT NULL) = (SELECT COUNT(*) FROM events WHERE what = 'marked a second time')")
    if kept[0][0] != "1":
        bench.note("a second mark was kept twice")
    for p in people:
        p.join()


def next_term(bench, server):
    """The term ends; then the class is brought anew, for the people of the next round."""
    person = Person(server, "coordinator")
    bench.serial += 1
    now = bench.database.sql("SELECT COUNT(*) FROM terms")[0][0]
    form = {"ends": f"term {now}-{bench.serial}", "begins": "next", "teams": "on", "sure": "on"}
    ended = bench.asked(lambda: person.post("/course/term", form))
    if ended == 303:
        revisions(bench, server)
        rows = bench.database.sql(f"SELECT id FROM sheets WHERE lab_id = {bench.lab} AND stage IS NOT NULL ORDER BY id")
        bench.sheets[:] = [int(r[0]) for r in rows]


def moves(bench, server):
    """A team moves to another section, and a table is taken out and brought back."""
    person = Person(server, "coordinator")
    sections = bench.database.sql("SELECT id FROM sections WHERE term_id = 0")
    team, home = bench.database.sql(f"SELECT t.id, t.section_id FROM teams t JOIN sheets s ON s.team_id = t.id WHERE s.id = {random.choice(bench.sheets)}")[0]
    bench.asked(lambda: person.post("/sections/change", {"then": "move-team", "id": team, "team": random.choice(sections)[0]}))
    sheet = random.choice(bench.sheets)
    version = bench.database.sql(f"SELECT version FROM sheets WHERE id = {sheet}")[0][0]
    bench.asked(lambda: person.post(f"/bench/{sheet}/remove", {"version": version, "reason": "a race"}))
    for (removal,) in bench.database.sql("SELECT id FROM removals WHERE back_at IS NULL"):
        bench.asked(lambda: person.post(f"/shelf/{removal}/back", {}))
    # Files of later races name it where it was.
    bench.asked(lambda: person.post("/sections/change", {"then": "move-team", "id": team, "team": home}))


def revisions(bench, server):
    """A file with every team of every section in it, revised."""
    bench.serial += 1
    person, place = bench.offer(server, bench.lab, SECTIONS, changed=f"note {bench.serial}")
    bench.take(person, place)


def rows_in_quarantine(bench, server):
    """Two sections whose disc masses cannot be used: half of the rows are dropped and half mended, by four people at once, while
    a protocol is put in force. Counts the tables whose rows are not counted rightly afterwards."""
    bench.serial += 1
    person, place = bench.offer(server, bench.lab, SECTIONS[:2], changed=f"note {bench.serial}", spoiled="disc_mass")
    bench.take(person, place)
    rows = bench.database.sql("SELECT id, body FROM quarantine WHERE settled_at IS NULL AND team_id IS NOT NULL")

    def see_to(some):
        one = Person(server, "coordinator")
        for number, (row, body) in enumerate(some):
            if number % 2:
                bench.asked(lambda: one.post(f"/quarantine/{row}/settle", {}))
            else:
                bench.asked(lambda: one.post(f"/quarantine/{row}/mend", {"text": body.replace("disc_masss", "disc_mass")}))

    people = [threading.Thread(target=see_to, args=(rows[i::4],)) for i in range(4)]
    people.append(threading.Thread(target=lambda: bench.put_in_force(server)))
    for p in people:
        p.start()
    for p in people:
        p.join()


def kill_server(bench, act):
    victim = bench.servers[-1]
    doing = threading.Thread(target=lambda: quiet(act))
    doing.start()
    time.sleep(random.uniform(0.01, 0.35))
    victim.kill()
    doing.join()
    victim.start()


def kill_database(bench, act):
    doing = threading.Thread(target=lambda: quiet(act))
    doing.start()
    time.sleep(random.uniform(0.01, 0.35))
    bench.database.kill()
    bench.database.start()
    doing.join()


def quiet(act):
    try:
        act()
    except Exception:  # noqa: BLE001 - whoever asked is cut off; what is kept is what counts
        bench_cut.append(1)


bench_cut = []


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--rounds", type=int, default=20)
    options.add_argument("--only")
    options = options.parse_args()
    bench = Bench()
    try:
        a = bench.servers[0]
        second = []

        def two():
            if not second:
                second.append(Server(bench.database, bench.protocols))
                bench.servers.append(second[0])
            return bench.servers

        n = options.rounds
        races = {
            "protocol in force beside eight deciding": lambda: beside(bench, n, lambda: bench.put_in_force(a)),
            "section set beside eight deciding": lambda: beside(bench, n, lambda: bench.set_section(a)),
            "release beside eight deciding": lambda: beside(bench, n, lambda: bench.release(a)),
            "a class revised beside eight deciding": lambda: beside(bench, n, lambda: revisions(bench, a)),
            "rulings beside twenty deciding": lambda: beside(bench, n, lambda: rulings(bench, a), deciders=20, seconds=2),
            "clear lots and second marks beside twenty deciding": lambda: beside(bench, n, lambda: lots(bench, a), deciders=20, seconds=2),
            "teams moved and tables taken out beside eight deciding": lambda: beside(bench, n, lambda: moves(bench, a)),
            "a term ended beside eight deciding": lambda: beside(bench, n, lambda: next_term(bench, a), seconds=2),
            "rows in quarantine beside a protocol and eight deciding": lambda: beside(
                bench, n, lambda: rows_in_quarantine(bench, a), seconds=2
            ),
            "two first files at once": lambda: first_files(bench, n, 2),
            "six first files at once": lambda: first_files(bench, n, 6),
            "two processes, protocol in force": lambda: beside(bench, n, lambda: bench.put_in_force(bench.servers[1]), two()),
            "two processes, a class revised on both": lambda: beside(
                bench, n, lambda: [revisions(bench, s) for s in two()], two()
            ),
            "server killed, protocol in force": lambda: beside(
                bench, n, lambda: kill_server(bench, lambda: bench.put_in_force(bench.servers[-1])), two()
            ),
            "server killed, a class revised": lambda: beside(
                bench, n, lambda: kill_server(bench, lambda: revisions(bench, bench.servers[-1])), two()
            ),
            "server killed, release": lambda: beside(
                bench, n, lambda: kill_server(bench, lambda: bench.release(bench.servers[-1])), two()
            ),
            "database killed, protocol in force": lambda: beside(
                bench, n, lambda: kill_database(bench, lambda: bench.put_in_force(a)), seconds=4
            ),
            "database killed, a class revised": lambda: beside(
                bench, n, lambda: kill_database(bench, lambda: revisions(bench, a)), seconds=4
            ),
            "server killed, section set": lambda: beside(
                bench, n, lambda: kill_server(bench, lambda: bench.set_section(bench.servers[-1])), two()
            ),
            "database killed, section set": lambda: beside(
                bench, n, lambda: kill_database(bench, lambda: bench.set_section(a)), seconds=4
            ),
            "database killed, release": lambda: beside(
                bench, n, lambda: kill_database(bench, lambda: bench.release(a)), seconds=4
            ),
            "server killed, first files": lambda: beside(
                bench, n, lambda: kill_server(bench, lambda: bench.first_file(bench.servers[-1])), two()
            ),
            "database killed, first files": lambda: beside(
                bench, n, lambda: kill_database(bench, lambda: bench.first_file(a)), seconds=4
            ),
        }
        print(f"{'race':42} rounds  differ  record  lost  twice  stuck  500s  answers")
        failed = False
        for name, race in races.items():
            if options.only and options.only not in name:
                continue
            bench.answers = {}
            outcome = race()
            differ = sum(1 for o in outcome if o["verify"])
            chain = sum(1 for o in outcome if o["record"])
            lost, doubled, stuck = outcome[-1]["lost"], outcome[-1]["doubled"], sum(o["stuck"] for o in outcome)
            miscounted = sum(o["miscounted"] for o in outcome)
            missing = sum(o.get("missing", 0) for o in outcome)
            broken = bench.answers.get(500, 0)
            answers = ", ".join(f"{k}: {v}" for k, v in sorted(bench.answers.items(), key=str))
            print(f"{name:42} {len(outcome):6} {differ:7} {chain:7} {lost:5} {doubled:6} {stuck:6} {broken:5}  {answers}" + (f"; {missing} tables missing" if missing else "")
                  + (f"; {miscounted} tables wait for other rows than there are" if miscounted else ""), flush=True)
            for o in outcome:
                if o["said"]:
                    failed = True
                    print(o["said"][:1500])
            failed = failed or differ or chain or lost or doubled or stuck or broken or missing or miscounted
        raise SystemExit(1 if failed else 0)
    finally:
        bench.remove()


if __name__ == "__main__":
    main()

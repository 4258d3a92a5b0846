#!/usr/bin/env python3
"""The doors under load: files made to exhaust the server, and everybody signing in at once.

    python3 bench/doors.py [NAME...]

Each file of `bench/costly.py`, and some archives, is brought by a team, a reviewer and a script; printed are the status, seconds
of the server's processor, how far its memory rose above what it rested at, and the sentence. Then the heaviest four are brought at
once, and four readers leave after a second. At the end 500 people sign in at once: statuses, p50 and p95, the highest
memory, and the Docket's p95 meanwhile. Names leave all but those files out. JURADO names another binary.
"""
import http.client
import json
import os
import re
import sys
import tempfile
import threading
import time

import costly
from door import Team, codes
from harness import ROOT, Database, Person, Server, percentile


def pictures():
    """An archive of 13 parts of 19 megabytes that begin like pictures."""
    return costly.packed([(f"Heron {n}.png", b"\x89PNG\r\n\x1a\n" + b"\0" * (19 << 20)) for n in range(13)])


def photos():
    """An archive of as many pictures as an upload may unpack to."""
    head = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\x10\0\0\0\x10\0\x08\0\0\0\0" + b"\0" * 4
    return costly.packed([(f"Heron {n}.png", head + b"\0" * (11 << 20)) for n in range(8)])


def many_books():
    """An archive of 400 workbooks of 1,200 rows."""
    rows = "".join(f'<row r="{r}">' + "".join(f'<c r="{c}{r}"><v>1</v></c>' for c in "ABCDEF") + "</row>" for r in range(1, 1_201))
    one = costly.book([rows])
    return costly.packed([(f"{n}.xlsx", one) for n in range(400)])


def work(server):
    with open(f"/proc/{server.process.pid}/stat") as f:
        fields = f.read().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def sentence(text):
    found = re.search(r'role="alert".*?</div>', text, re.S)
    return re.sub(r"\s+", " ", re.sub("<[^>]+>", " ", found.group(0) if found else "")).replace('role="alert"', "").replace('tabindex="-1" autofocus', "").strip(' >"')[:150]


def anew(person):
    """A person with a connection of this moment: one that was kept may have been closed meanwhile."""
    if person.connection:
        person.connection.close()
    person.connection = None
    return person


class Doors:
    """The three ways in."""

    def __init__(self, server, database):
        self.server = server
        self.lab = database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0]
        self.chief, self.reviewer = Person(server, "coordinator"), Person(server, "reviewer1")
        self.teams = [Team(server, code) for code in codes(self.chief, database, 4)]
        page = self.reviewer.post("/account/tokens", {"name": "bench", "brings": "on", "password": "morning tide"})[2]
        self.key = re.search(r"jurado_[A-Za-z0-9_-]+", page).group(0)

    def team(self, name, content, n=0):
        return anew(self.teams[n]).upload(f"/hand-in/{self.lab}/file", {}, [("file", name, content)])

    def intake(self, name, content, n=0):
        return anew(self.reviewer).upload("/intake", {"lab": self.lab}, [("file", name, content)])

    def script(self, name, content, n=0):
        connection = http.client.HTTPConnection("127.0.0.1", self.server.port, timeout=120)
        connection.request("POST", "/api/v1/labs/keel-plate/tables", content, {"Authorization": f"Bearer {self.key}"})
        answer = connection.getresponse()
        return answer.status, answer.headers, answer.read().decode("utf-8", "replace")


def measured(server, act):
    """What an act came to, seconds of the processor, and megabytes above what the server rested at."""
    time.sleep(0.3)
    with open(f"/proc/{server.process.pid}/clear_refs", "w") as f:
        f.write("5")
    rested, begun = server.memory(), work(server)
    outcome = act()
    time.sleep(0.1)
    return outcome, work(server) - begun, server.memory("VmHWM") - rested


def files(database, wanted):
    server = Server(database, demo=("keel-plate", "hatch-ram"))
    doors, worst = Doors(server, database), {}
    own = [("pictures", "zip", pictures), ("photos", "zip", photos), ("many workbooks", "zip", many_books)]
    kept = {}
    with tempfile.TemporaryDirectory() as folder:
        for name, ending, make in costly.kinds() + own + costly.honest():
            if wanted and name not in wanted:
                continue
            costly.written(make, f"{folder}/file")
            with open(f"{folder}/file", "rb") as f:
                content = f.read()
            for door in (doors.team, doors.intake, doors.script):
                try:
                    (status, headers, text), seconds, memory = measured(server, lambda: door(f"{name}.{ending}", content))
                except OSError as e:
                    print(f"{name:<28} {ending:<5}{door.__name__:<7} {e}; the server {'runs' if server.process.poll() is None else 'ENDED'}", flush=True)
                    return
                said = sentence(text) or (json.loads(text).get("what", "") if text.startswith("{") else headers.get("Location", ""))
                print(f"{name:<28} {ending:<5}{len(content) / 1e6:6.2f} MB {door.__name__:<7}{status} {seconds:6.2f} s {memory:5.0f} MB  {said[:110]}", flush=True)
                worst[door.__name__] = max(worst.get(door.__name__, (0, "")), (seconds, name)), max(worst.get(f"{door.__name__} memory", (0, "")), (memory, name))
                worst[door.__name__], worst[f"{door.__name__} memory"] = worst[door.__name__]
                kept[(memory, name, door.__name__)] = (door, f"{name}.{ending}", content)
                kept = dict(sorted(kept.items(), key=lambda k: -k[0][0])[:4])
        for what, (amount, name) in worst.items():
            print(f"highest by {what}: {amount:.2f} {'MB' if 'memory' in what else 's'} ({name})")
        at_once(server, list(kept.values()))
        leaving(server, doors, costly.kinds())
    formulas(server, doors)
    server.stop()


def at_once(server, four):
    """The heaviest four at the same moment, those of teams each by a team of its own."""
    answers = []

    # Whoever brings one is read once at a time, so each is brought by another.
    people = [Person(server, who) for who in ("coordinator", "reviewer1", "reviewer2")]

    def bring(n, door, name, content):
        if door.__name__ == "team" or n == 3:
            answers.append(door(name, content, n)[0])
        else:
            answers.append(people[n].upload("/intake", {"lab": door.__self__.lab}, [("file", name, content)])[0])

    def all_of_them():
        threads = [threading.Thread(target=bring, args=(n, *f)) for n, f in enumerate(four)]
        [t.start() for t in threads]
        [t.join() for t in threads]

    _, seconds, memory = measured(server, all_of_them)
    print(f"the heaviest four at once: {answers}, {seconds:.2f} s, memory at most {server.memory('VmHWM'):.0f} MB ({memory:.0f} above rest)")


def leaving(server, doors, kinds):
    """Whoever leaves stops the work: seconds of the processor when a reader waits and when it leaves after 0.2 s."""
    content = next(make for name, _, make in kinds if name == "shared formulas written out")()
    _, whole, _ = measured(server, lambda: doors.team("a.xlsx", content))

    def leave():
        team = doors.teams[1]
        team.timeout = 0.2
        try:
            team.upload(f"/hand-in/{doors.lab}/file", {}, [("file", "a.xlsx", content)])
        except OSError:
            pass
        time.sleep(3)

    _, left, _ = measured(server, leave)
    print(f"a file read to its end {whole:.2f} s, and when its sender leaves after 0.2 s {left:.2f} s")


def formulas(server, doors):
    source = doors.chief.get(f"/protocols/{doors.lab}/sheet/toml")[2]
    version = re.search(r"^version = (\d+)", source, re.M).group(1)
    for summands in (200, 1_990):
        first = re.search(r'formula = "([^"]+)"', source).group(1)
        text = source.replace(f'formula = "{first}"', f'formula = "{"+".join([first] * summands)[:3999]}"', 1)
        begun = time.time()
        status, _, answer = doors.chief.post(f"/protocols/{doors.lab}/check", {"text": text, "version": version})
        words = re.sub(r"\s+", " ", re.sub("<[^>]+>", " ", answer)).strip()[:110]
        print(f"formula, {summands} summands  {status}  {time.time() - begun:6.2f} s   {words}", flush=True)


def everybody(database):
    server = Server(database, demo=None)
    watcher = Person(server, "coordinator")
    stop, docket, statuses, times, lock = threading.Event(), [], {}, [], threading.Lock()

    def watch():
        while not stop.is_set():
            watcher.get("/docket")
            docket.append(watcher.took)
            time.sleep(0.1)

    people = [Person(server) for _ in range(500)]
    for p in people:
        p.get("/sign-in")

    def come(person, n):
        name = ["coordinator", "reviewer1", "reviewer2"][n % 3]
        word = {"coordinator": "harbour light", "reviewer1": "morning tide", "reviewer2": "evening tide"}[name]
        begun = time.time()
        try:
            status = person.post("/sign-in", {"name": name, "password": word, "to": "/docket"})[0]
        except OSError:
            status = "none"
        with lock:
            statuses[status] = statuses.get(status, 0) + 1
            times.append(time.time() - begun)

    watching = threading.Thread(target=watch)
    watching.start()
    time.sleep(2)
    quiet = percentile(docket, 95)
    docket.clear()
    threads = [threading.Thread(target=come, args=(p, n)) for n, p in enumerate(people)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    stop.set()
    watching.join()
    print(f"500 sign-ins at once: {statuses}, p50 {percentile(times, 50):.1f} s, p95 {percentile(times, 95):.1f} s, memory at most {server.memory('VmHWM'):.0f} MB")
    print(f"Docket p95 {quiet:.0f} ms before, {percentile(docket, 95):.0f} ms meanwhile")
    server.stop()


def main():
    database = Database(flush=0)
    try:
        files(database, sys.argv[1:])
        if not sys.argv[1:]:
            everybody(database)
    finally:
        database.remove()


if __name__ == "__main__":
    main()

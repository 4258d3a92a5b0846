"""A machine that is unwell: the database's disk is full. What pages say, that nothing is half-done, and that all goes on when
there is room again.

    python3 bench/unwell.py          as root: the disk is a file system of its own in memory

Prints what was asked, what was answered, and what `jurado verify` says afterwards; exit 1 where something is not as it should.
"""

import csv
import io
import os
import re
import subprocess
import time

from harness import ROOT, Database, Person, Server, binary, program

ROOM = 420


class Small(Database):
    """A database on a file system of so many megabytes."""

    def _shell(self):
        if not os.path.ismount(f"{self.dir}/db"):
            os.mkdir(f"{self.dir}/db")
            subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={ROOM}m,mode=755", "tmpfs", f"{self.dir}/db"], check=True)
        super()._shell()

    def fill(self):
        """Takes all the room that is left."""
        with open(f"{self.dir}/db/filler", "wb") as f:
            try:
                while True:
                    f.write(bytes(64 * 1024))
                    f.flush()
            except OSError:
                pass

    def make_room(self):
        os.remove(f"{self.dir}/db/filler")

    def remove(self):
        subprocess.run(["umount", "-l", f"{self.dir}/db"], check=False)
        super().remove()


def told(answer):
    """A page's status and the sentence it says."""
    status, _, text = answer
    heading, sentence = re.search(r"<h1[^>]*>([^<]*)</h1>", text), re.search(r"</h1>\s*(?:</div>)?\s*<p[^>]*>([^<]*)", text)
    return status, " ".join(m.group(1) for m in (heading, sentence) if m) or text.strip()[:120]


def main():
    database = Small()
    wrong = []

    def expect(what, answer, *statuses):
        status, said = told(answer)
        print(f"{what:44} {status} {said}", flush=True)
        if status not in statuses:
            wrong.append(what)
        return status

    try:
        server = Server(database)
        person = Person(server, "coordinator")
        lab = database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0]
        subprocess.run([binary(), "demo", "--seed", "7", "--out", database.dir], check=True, cwd=ROOT)
        rows = list(csv.reader(open(f"{database.dir}/submissions.csv")))

        def bring(n):
            out = io.StringIO()
            writer = csv.writer(out)
            writer.writerow(rows[0])
            # Long notes of a file's own, so that every file takes room of its own.
            writer.writerows([*r[:-1], f"note {n} " + os.urandom(40).hex()] for r in rows[1:])
            status, headers, text = answer = person.upload("/intake", {"lab": lab}, [("file", f"class-{n}.csv", out.getvalue().encode())])
            return person.post(f"{headers['Location']}/take", {}) if status == 303 else answer

        expect("with room, a file", bring(0), 303)
        counts = "SELECT (SELECT COUNT(*) FROM submissions), (SELECT COUNT(*) FROM decisions), (SELECT COUNT(*) FROM imports WHERE state = 'taken')"
        database.fill()
        before = database.sql(counts)
        answer, n = bring(1), 1
        while answer[0] == 303 and n < 400:
            n, before = n + 1, database.sql(counts)
            answer = bring(n)
        expect(f"the disk is full, file {n}", answer, 503)
        expect("the disk is full, one more file", bring(n + 1), 503)
        print("nothing of the refused files is there:", "yes" if database.sql(counts) == before else wrong.append("half-done") or "NO")
        expect("the disk is full, the Docket", person.get("/docket"), 200)
        expect("the disk is full, a table", person.get("/bench/1"), 200)
        expect("the disk is full, health", person.get("/health"), 503)
        database.make_room()
        expect("room again, the same file", bring(n), 303)
        until = time.time() + 70
        while person.get("/health")[0] != 200 and time.time() < until:
            time.sleep(1)
        expect("room again, health, a minute later", person.get("/health"), 200)
        for arguments in (["verify"], ["verify", "--record"]):
            status, said = program(database, *arguments)
            print(said.strip()[-300:])
            if status:
                wrong.append(" ".join(arguments))
        server.stop()
    finally:
        database.remove()
    print("as it should be" if not wrong else f"NOT as it should be: {', '.join(wrong)}")
    raise SystemExit(1 if wrong else 0)


if __name__ == "__main__":
    main()

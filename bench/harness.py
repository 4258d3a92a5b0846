"""A database and servers of their own for a benchmark, and people who use them over HTTP.

The database is a private MariaDB in a temporary folder, set up as ./start sets it up. Nothing of another server is touched.
"""

import contextlib
import http.client
import os
import re
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
import urllib.parse

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
PASSWORDS = {"coordinator": "harbour light", "reviewer1": "morning tide", "reviewer2": "evening tide"}


def free_port():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def binary():
    """The program: JURADO, or what cargo build --release made, or ./start."""
    target = os.environ.get("CARGO_TARGET_DIR", os.path.join(ROOT, "target"))
    for path in [os.environ.get("JURADO"), f"{target}/release/jurado", f"{target}/start/jurado"]:
        if path and os.path.exists(path):
            return path
    raise SystemExit("build first: cargo build --release --package jurado-cli")


class Database:
    """A MariaDB that can be killed and started again on the same data."""

    def __init__(self, options=(), flush=1):
        # Where the unprivileged user may enter too.
        self.dir = tempfile.mkdtemp(prefix="jurado-bench-", dir="/tmp")
        os.chmod(self.dir, 0o755)
        self.flush, self.options = flush, list(options)
        self.port = free_port()
        self._shell()

    def _shell(self):
        script = f"""
            . {ROOT}/scripts/mariadb.sh
            DB_DIR={self.dir}/db DB_FLUSH={self.flush}
            db_start {self.port} >&2
            echo "$DATABASE_URL $MIGRATE_DATABASE_URL $DB_PID $DB_SOCKET"
            disown -a
        """
        out = subprocess.run(["bash", "-c", script], check=True, capture_output=True, text=True).stdout.split()
        self.url, self.schema_url, self.pid, self.socket = out[0], out[1], int(out[2]), out[3]

    def server(self):
        """Process id of mariadbd itself."""
        try:
            with open(f"{self.dir}/db/mariadbd.pid") as f:
                return int(f.read())
        except (OSError, ValueError):
            return self.pid

    def kill(self, how=signal.SIGKILL):
        pid = self.server()
        os.kill(pid, how)
        if how == signal.SIGKILL:
            for _ in range(200):
                if not os.path.exists(f"/proc/{pid}") or open(f"/proc/{pid}/stat").read().split()[2] == "Z":
                    break
                time.sleep(0.05)

    def start(self):
        """Starts it again after a kill, on the same port and data."""
        for f in ["db.pid", "mariadbd.pid"]:
            try:
                os.remove(f"{self.dir}/db/{f}")
            except OSError:
                pass
        self._shell()

    def sql(self, text, database="jurado"):
        parsed = urllib.parse.urlparse(self.schema_url)
        command = ["mariadb", "--no-defaults", "-h127.0.0.1", f"-P{parsed.port}", f"-u{parsed.username}", "-N", "-B", database, "-e", text]
        out = subprocess.run(command, check=True, capture_output=True, text=True, env={**os.environ, "MYSQL_PWD": parsed.password})
        return [line.split("\t") for line in out.stdout.splitlines()]

    def script(self, text):
        """Runs statements given on standard input, however long."""
        parsed = urllib.parse.urlparse(self.schema_url)
        command = ["mariadb", "--no-defaults", "-h127.0.0.1", f"-P{parsed.port}", f"-u{parsed.username}", "jurado"]
        subprocess.run(command, input=text, check=True, text=True, env={**os.environ, "MYSQL_PWD": parsed.password})

    def root(self, text):
        subprocess.run(["mariadb", "--no-defaults", f"--socket={self.socket}", "-uroot", "-e", text], check=True)

    def remove(self):
        try:
            os.kill(self.server(), signal.SIGTERM)
            time.sleep(1)
        except OSError:
            pass
        shutil.rmtree(self.dir, ignore_errors=True)
        shutil.rmtree(os.path.dirname(self.socket), ignore_errors=True)


# The labs of the demo that wait for a review; those of the week before are decided.
EVENING = ("keel-plate", "shackle-count", "hatch-ram", "davit-balance", "fog-pipe", "beacon-timer", "reflector", "rust-iron")


class Server:
    """A `jurado serve` on a port of its own."""

    def __init__(self, database, protocols=None, demo=("keel-plate",), port=None, url=None, more=()):
        self.database, self.port = database, port or free_port()
        self.passwords = f"{database.dir}/demo-passwords"
        with open(self.passwords, "w") as f:
            f.writelines(f"{n} {w}\n" for n, w in PASSWORDS.items())
        self.command = [binary(), "serve", "--port", str(self.port), "--protocols", protocols or f"{ROOT}/protocols", *more]
        if demo is not None:
            self.command += ["--demo", "--demo-passwords", self.passwords]
            for lab in demo:
                self.command += ["--demo-lab", lab]
        self.env = {**os.environ, "DATABASE_URL": url or database.url, "MIGRATE_DATABASE_URL": database.schema_url}
        self.start()

    def start(self):
        self.log = open(f"{self.database.dir}/serve-{self.port}.log", "ab")
        self.process = subprocess.Popen(self.command, env=self.env, stdout=subprocess.PIPE, stderr=self.log, text=True)
        self.printed = ""
        while "answers on" not in self.printed:
            line = self.process.stdout.readline()
            if not line:
                with open(self.log.name) as f:
                    raise RuntimeError(f"serve ended: {f.read()[-600:]}")
            self.printed += line
        threading.Thread(target=self._drain, daemon=True).start()

    def _drain(self):
        for line in self.process.stdout:
            self.printed += line

    def kill(self):
        self.process.kill()
        self.process.wait()

    def stop(self):
        self.process.terminate()
        try:
            self.process.wait(20)
        except subprocess.TimeoutExpired:
            self.process.kill()

    def memory(self, what="VmRSS"):
        """Resident memory in megabytes; VmHWM is the highest it was."""
        with open(f"/proc/{self.process.pid}/status") as f:
            for line in f:
                if line.startswith(what):
                    return int(line.split()[1]) / 1024
        return 0


class Person:
    """Somebody at a browser: keeps cookies and the token that forms carry."""

    def __init__(self, server, name=None, timeout=60):
        self.port, self.cookies, self.token, self.timeout = server.port, {}, "", timeout
        self.connection = None
        if name:
            self.get("/sign-in")
            status, _, _ = self.post("/sign-in", {"name": name, "password": PASSWORDS[name], "to": "/docket"})
            if status != 303:
                raise RuntimeError(f"{name} is not let in: {status}")
            self.get("/account")

    def _ask(self, method, path, body=None, headers=()):
        for attempt in (0, 1):
            if self.connection is None:
                self.connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=self.timeout)
            head = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()), **dict(headers)}
            try:
                self.connection.request(method, path, body, head)
                answer = self.connection.getresponse()
                text = answer.read()
                break
            except (http.client.RemoteDisconnected, ConnectionResetError, BrokenPipeError):
                self.connection.close()
                self.connection = None
                # A connection that was kept and closed meanwhile; a change is not sent twice.
                if attempt or method == "POST":
                    raise
            except Exception:
                self.connection.close()
                self.connection = None
                raise
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, value = line.split(";", 1)[0].split("=", 1)
            self.cookies[name] = value
        text = text.decode("utf-8", "replace")
        found = re.search(r'name="token" value="([^"]+)"', text)
        if found:
            # What a page adds makes one act of a form that is sent twice; `of_page` is for whoever means that.
            self.of_page = found.group(1)
            self.token = self.of_page.split(".")[0]
        timing = answer.headers.get("Server-Timing")
        # The server's own time in milliseconds; the client shares the machine and would count its own.
        self.took = float(timing.split("dur=")[1]) if timing else float("nan")
        return answer.status, answer.headers, text

    def get(self, path):
        return self._ask("GET", path)

    def post(self, path, form):
        body = urllib.parse.urlencode({"token": self.token, **form})
        return self._ask("POST", path, body, {"Content-Type": "application/x-www-form-urlencoded"})

    def look_and_post(self, path, form):
        """A change that moves marks is shown first: it is looked at and sent again."""
        status, headers, text = self.post(path, form)
        looked = re.search(r'name="looked" value="([^"]+)"', text)
        if status == 200 and looked:
            return self.post(path, {**form, "looked": looked.group(1)})
        return status, headers, text

    def upload(self, path, fields, files):
        """files: name of the field, name of the file, bytes."""
        edge = "----edge7f3a"
        parts = b""
        for name, value in {"token": self.token, **fields}.items():
            parts += f'--{edge}\r\nContent-Disposition: form-data; name="{name}"\r\n\r\n{value}\r\n'.encode()
        for field, name, content in files:
            parts += f'--{edge}\r\nContent-Disposition: form-data; name="{field}"; filename="{name}"\r\n\r\n'.encode() + content + b"\r\n"
        parts += f"--{edge}--\r\n".encode()
        return self._ask("POST", path, parts, {"Content-Type": f"multipart/form-data; boundary={edge}"})


def program(database, *arguments):
    """Runs `jurado` on a database; gives its exit status and what it printed."""
    env = {**os.environ, "DATABASE_URL": database.url, "MIGRATE_DATABASE_URL": database.schema_url}
    out = subprocess.run([binary(), *arguments], env=env, capture_output=True, text=True)
    return out.returncode, out.stdout + out.stderr


def multiply(database, wanted):
    """Copies the demo's tables, with teams and sections of their own, until there are about so many. Gives how many."""
    columns = (
        "lab_id, team_id, section_id, submission_id, version, state, station, awarded, decided, possible, open_findings, "
        "hanging, mark, headline, profile, judged_with, outcome, pattern, patterns, essence, moved"
    )
    have = int(database.sql("SELECT COUNT(*) FROM sheets WHERE stage IS NOT NULL")[0][0])
    sections = [int(r[0]) for r in database.sql("SELECT id FROM sections WHERE term_id = 0 ORDER BY id")]
    text = ["SET foreign_key_checks = 0; START TRANSACTION;"]
    copied = columns.replace("team_id", "team_id + {off}").replace("section_id", "{to}").replace("submission_id", "submission_id + {off}")
    for copy in range(1, max(0, -(-(wanted - have) // have)) + 1):
        off = copy * 100_000
        for n, section in enumerate(sections):
            # Two copies share a section, so that there are about as many sections as a large course has.
            to = 1000 + (copy * len(sections) + n) // 2
            text.append(f"INSERT IGNORE INTO sections (id, name, position) VALUES ({to}, 'Watch {to}', {to});")
            text.append(f"INSERT INTO teams (id, section_id, name) SELECT id + {off}, {to}, CONCAT(name, ' {copy}-{n}') FROM teams WHERE section_id = {section};")
            text.append(f"INSERT INTO sheets (id, {columns}) SELECT id + {off}, {copied.format(off=off, to=to)} FROM sheets WHERE section_id = {section};")
        text.append(
            "INSERT INTO submissions (id, sheet_id, revision, import_id, body, digest, handed_in_at) "
            f"SELECT id + {off}, sheet_id + {off}, revision, import_id, body, digest, handed_in_at FROM submissions WHERE id < 100000;"
        )
    text.append("COMMIT; SET foreign_key_checks = 1; ANALYZE TABLE sheets, submissions, teams, sections;")
    database.script("\n".join(text))
    return int(database.sql("SELECT COUNT(*) FROM sheets WHERE stage IS NOT NULL")[0][0])


def percentile(values, p):
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(p / 100 * len(ordered)))] if ordered else float("nan")


@contextlib.contextmanager
def large_course(wanted):
    """A server over the demo, copied until there are about so many submissions. Gives database and coordinator."""
    database = Database(flush=0)
    server = Server(database, demo=EVENING)
    try:
        multiply(database, wanted)
        yield database, Person(server, "coordinator")
    finally:
        server.stop()
        database.remove()

#!/usr/bin/env python3
"""The doors under load: files made to exhaust the server, and everybody signing in at once.

    python3 bench/doors.py

Each file is brought as a reviewer would bring it; printed are the status, the seconds until the answer, the sentence, and the
highest resident memory of a server that did nothing else. Then 500 people sign in at once: statuses, p50 and p95, the highest
memory, and the Docket's p95 meanwhile. JURADO names another binary.
"""
import io
import re
import threading
import time
import tomllib
import zipfile

from harness import ROOT, Database, Person, Server, percentile


def packed(parts):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, content in parts:
            z.writestr(name, content)
    return out.getvalue()


def workbook(cells):
    """A workbook with texts in the cells named."""
    rows = "".join(f'<row r="{re.sub("[A-Z]", "", c)}"><c r="{c}" t="inlineStr"><is><t>{v}</t></is></c></row>' for c, v in cells)
    main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    rel = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package = "http://schemas.openxmlformats.org/package/2006"
    return packed([
        ("[Content_Types].xml", f'<?xml version="1.0"?><Types xmlns="{package}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>'),
        ("_rels/.rels", f'<?xml version="1.0"?><Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{rel}/officeDocument" Target="xl/workbook.xml"/></Relationships>'),
        ("xl/workbook.xml", f'<?xml version="1.0"?><workbook xmlns="{main}" xmlns:r="{rel}"><sheets><sheet name="a" sheetId="1" r:id="r1"/></sheets></workbook>'),
        ("xl/_rels/workbook.xml.rels", f'<?xml version="1.0"?><Relationships xmlns="{package}/relationships"><Relationship Id="r1" Type="{rel}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>'),
        ("xl/worksheets/sheet1.xml", f'<?xml version="1.0"?><worksheet xmlns="{main}"><sheetData>{rows}</sheetData></worksheet>'),
    ])


def repeated():
    """An open document of 4,000 rows of one cell that is said to be there 16,384 times."""
    row = '<table:table-row table:number-rows-repeated="4000"><table:table-cell office:value-type="string" table:number-columns-repeated="16384"><text:p>x</text:p></table:table-cell></table:table-row>'
    spaces = 'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    content = f'<?xml version="1.0"?><office:document-content {spaces}><office:body><office:spreadsheet><table:table table:name="a">{row}</table:table></office:spreadsheet></office:body></office:document-content>'
    return packed([("mimetype", "application/vnd.oasis.opendocument.spreadsheet"), ("content.xml", content)])


def pictures():
    """An archive of 13 parts of 19 megabytes that begin like pictures."""
    return packed([(f"Heron {n}.png", b"\x89PNG\r\n\x1a\n" + b"\0" * (19 << 20)) for n in range(13)])


def sentence(text):
    found = re.search(r'role="alert".*?</div>', text, re.S)
    return re.sub(r"\s+", " ", re.sub("<[^>]+>", " ", found.group(0) if found else "")).replace('role="alert"', "").strip(' >"')[:150]


def brought(server, name, content, lab):
    person = Person(server, "reviewer1")
    before, begun = server.memory(), time.time()
    status, headers, text = person.upload("/intake", {"lab": lab}, [("file", name, content)])
    took = time.time() - begun
    if status == 303:
        text = person.get(headers["Location"])[2]
    print(f"{name:<24} {status}  {took:6.2f} s   memory {before:.0f} to {server.memory('VmHWM'):.0f} MB   {sentence(text)}", flush=True)
    return person, headers.get("Location")


def files(database):
    server = Server(database, demo=("keel-plate", "hatch-ram"))
    plate = database.sql("SELECT id FROM labs WHERE slug = 'keel-plate'")[0][0]
    ram = database.sql("SELECT id FROM labs WHERE slug = 'hatch-ram'")[0][0]
    server.stop()
    far = workbook([("A1", "section"), ("XFD1048576", "x")])
    with open(f"{ROOT}/protocols/hatch-ram.toml", "rb") as f:
        columns = [r["id"] for r in tomllib.load(f)["reading"] if r.get("table")][:6]
    rows = "section,team,item,row,value,unit\n" + "".join(f"Morning,Golf,{c},10000,1,\n" for c in columns)
    for name, content, lab in [
        ("two-cells.xlsx", far, plate),
        ("repeat.ods", repeated(), plate),
        ("pictures.zip", pictures(), plate),
        ("far-row.csv", rows.encode(), ram),
    ]:
        # A server of its own for each, so that the memory is this file's.
        server = Server(database, demo=None)
        person, place = brought(server, name, content, lab)
        if place:
            begun = time.time()
            status, _, _ = person.post(f"{place}/take", {})
            print(f"{'':<24} taken: {status}  {time.time() - begun:6.2f} s", flush=True)
        server.stop()
    server = Server(database, demo=None)
    chief = Person(server, "coordinator")
    source = chief.get(f"/protocols/{plate}/sheet/toml")[2]
    for summands in (200, 1_990):
        first = re.search(r'formula = "([^"]+)"', source).group(1)
        text = source.replace(f'formula = "{first}"', f'formula = "{"+".join([first] * summands)[:3999]}"', 1)
        begun = time.time()
        status, _, answer = chief.post(f"/protocols/{plate}/check", {"text": text, "version": "2"})
        words = re.sub(r"\s+", " ", re.sub("<[^>]+>", " ", answer)).strip()[:110]
        print(f"formula, {summands} summands  {status}  {time.time() - begun:6.2f} s   memory at most {server.memory('VmHWM'):.0f} MB   {words}", flush=True)
    server.stop()


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
        files(database)
        everybody(database)
    finally:
        database.remove()


if __name__ == "__main__":
    main()

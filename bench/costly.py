#!/usr/bin/env python3
"""Files made to cost more than they are worth, and what reading each costs on the command line.

    python3 bench/costly.py [NAME...]

Printed for each: its size, seconds of the processor, the highest resident memory of `jurado judge`, and its answer. At the end
the highest of each. JURADO names another binary. `bench/doors.py` brings the same files through the doors of a server.
"""
import io
import os
import re
import subprocess
import sys
import tempfile
import zipfile

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
REL = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006"
HEAD = '<?xml version="1.0"?>'


def packed(parts):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, content in parts:
            z.writestr(name, content)
    return out.getvalue()


def book(sheets, targets=None, names=None, extra=(), kinds=(), defined=""):
    """A workbook of sheets, given as XML of their insides; two may stand in one part, or have one name."""
    targets = targets or [f"worksheets/sheet{n}.xml" for n in range(1, len(sheets) + 1)]
    names = names or [f"s{n}" for n in range(len(targets))]
    relations = "".join(f'<Relationship Id="r{n}" Type="{REL}/worksheet" Target="{t}"/>' for n, t in enumerate(targets))
    relations += "".join(f'<Relationship Id="k{n}" Type="{REL}/{kind}" Target="{kind}.xml"/>' for n, kind in enumerate(kinds))
    listed = "".join(f'<sheet name="{name}" sheetId="{n + 1}" r:id="r{n}"/>' for n, name in enumerate(names))
    parts = [
        ("[Content_Types].xml", f'{HEAD}<Types xmlns="{PACKAGE}/content-types"><Default Extension="xml" ContentType="application/xml"/></Types>'),
        ("_rels/.rels", f'{HEAD}<Relationships xmlns="{PACKAGE}/relationships"><Relationship Id="r1" Type="{REL}/officeDocument" Target="xl/workbook.xml"/></Relationships>'),
        ("xl/workbook.xml", f'{HEAD}<workbook xmlns="{MAIN}" xmlns:r="{REL}"><sheets>{listed}</sheets>{defined}</workbook>'),
        ("xl/_rels/workbook.xml.rels", f'{HEAD}<Relationships xmlns="{PACKAGE}/relationships">{relations}</Relationships>'),
    ]
    for n, insides in enumerate(sheets):
        parts.append((f"xl/worksheets/sheet{n + 1}.xml", f'{HEAD}<worksheet xmlns="{MAIN}"><sheetData>{insides}</sheetData></worksheet>'))
    return packed(parts + list(extra))


def text_cell(at, text):
    return f'<c r="{at}" t="inlineStr"><is><t>{text}</t></is></c>'


def document(table, extra=""):
    spaces = 'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'
    content = f"{HEAD}<office:document-content {spaces}><office:body><office:spreadsheet>{extra}{table}</office:spreadsheet></office:body></office:document-content>"
    return packed([("mimetype", "application/vnd.oasis.opendocument.spreadsheet"), ("content.xml", content)])


def column(n):
    out = ""
    while n:
        n, rest = divmod(n - 1, 26)
        out = chr(65 + rest) + out
    return out


def wide_with_ranges(teams):
    """A line a team, each with a formula over the same two thousand cells."""
    heads = ["section", "team", "station", "plate_length", "plate_width", "plate_volume"]
    rows = ['<row r="1">' + "".join(text_cell(f"{column(c + 1)}1", h) for c, h in enumerate(heads)) + "</row>"]
    for n in range(2, teams + 2):
        cells = text_cell(f"A{n}", "Morning") + text_cell(f"B{n}", f"T{n}") + text_cell(f"C{n}", "1")
        cells += f'<c r="D{n}"><v>{80 + n % 9}</v></c><c r="E{n}"><v>{40 + n % 7}</v></c><c r="F{n}"><f>SUM(D2:D2001)*E{n}</f><v>1</v></c>'
        rows.append(f'<row r="{n}">{cells}</row>')
    return book(["".join(rows)])


def many_entries(n):
    """An archive whose list of parts is all there is of it."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        for k in range(n):
            z.writestr(f"{k:x}", b"")
    return out.getvalue()


def sheet_again(lines):
    """A data sheet in which one empty line of a reading stands again and again."""
    numbers = ",".join(str(n) for n in range(1, 198))
    return f"data sheet,keel-plate\nsection,Morning\nteam,Golf\nstation,1\nitem,{numbers}\n" + "disc_diameter,,,,\n" * lines


HEADER = "section,team,item,row,value,unit\n"


def kinds():
    """Name, ending and a function that makes the file."""
    million = 1_000_000
    c = "<c/>"
    table = lambda rows: f'<table:table table:name="a">{rows}</table:table>'
    cell = '<table:table-cell office:value-type="string" {0}><text:p>x</text:p></table:table-cell>'
    styles = lambda code, xfs: f'{HEAD}<styleSheet xmlns="{MAIN}"><numFmts><numFmt numFmtId="200" formatCode="{code}"/></numFmts><cellXfs>' + '<xf numFmtId="200"/>' * xfs + "</cellXfs></styleSheet>"
    strings = lambda count, n: f'{HEAD}<sst xmlns="{MAIN}" {count}>' + "<si><t>x</t></si>" * n + "</sst>"
    row = "<row>" + text_cell("A1", "x") + "</row>"
    return [
        ("one part, 60 sheets", "xlsx", lambda: book(["<row>" + c * 100_000 + "</row>"], ["worksheets/sheet1.xml"] * 60)),
        ("one part by other names", "xlsx", lambda: book(["<row>" + c * 100_000 + "</row>"], ["worksheets/sheet1.xml", "/xl/worksheets/sheet1.xml"] * 20)),
        ("one name, 50 sheets", "xlsx", lambda: book(["<row/>" * million] + [row] * 49, names=["a"] * 50)),
        ("two thousand sheets", "xlsx", lambda: book([row] * 1_900)),
        ("empty cells", "xlsx", lambda: book(["<row>" + c * (5 * million) + "</row>"])),
        ("rows alone", "xlsx", lambda: book(["<row/>" * (7 * million)])),
        ("four million texts", "xlsx", lambda: book([row], extra=[("xl/sharedStrings.xml", strings("", 4 * million))], kinds=["sharedStrings"])),
        ("a number of texts stated", "xlsx", lambda: book([row], extra=[("xl/sharedStrings.xml", strings('uniqueCount="4000000000000"', 1))], kinds=["sharedStrings"])),
        ("a shared formula far on", "xlsx", lambda: book(['<row r="1"><c r="A1"><f t="shared" si="4000000000" ref="A1:A2">1+1</f><v>2</v></c></row>'])),
        ("shared formulas written out", "xlsx", lambda: book(['<row r="1"><c r="A1"><f t="shared" si="0" ref="A1:A9">' + "A2+" * 2_700 + 'A2</f><v>2</v></c></row>' + "".join(f'<row r="{n}"><c r="A{n}"><f t="shared" si="0"/><v>1</v></c></row>' for n in range(2, 90_000))])),
        ("looks copied out", "xlsx", lambda: book([row], extra=[("xl/styles.xml", styles("0" * 60_000, 60_000))], kinds=["styles"])),
        ("looks, many", "xlsx", lambda: book([row], extra=[("xl/styles.xml", styles("0.00", 2 * million))], kinds=["styles"])),
        ("attributes", "xlsx", lambda: book(["<row " + "".join(f'a{n}="" ' for n in range(million)) + "/>"])),
        ("attributes, in many tags", "xlsx", lambda: book([("<row " + "".join(f'a{n}="" ' for n in range(7_000)) + "/>") * 300])),
        ("a text of 40 MB", "xlsx", lambda: book(["<row>" + text_cell("A1", "x" * (40 << 20)) + "</row>"])),
        ("names", "xlsx", lambda: book([row], defined="<definedNames>" + "".join(f'<definedName name="n{n}">{"A1+" * 20}1</definedName>' for n in range(200_000)) + "</definedNames>")),
        ("a range for each team", "xlsx", lambda: wide_with_ranges(3_000)),
        ("deep", "xlsx", lambda: book(["<a>" * (3 * million)])),
        ("two far cells", "xlsx", lambda: book([f'<row r="1">{text_cell("A1", "section")}</row><row r="1048576">{text_cell("XFD1048576", "x")}</row>'])),
        ("repeated cells", "ods", lambda: document(table('<table:table-row table:number-rows-repeated="4000">' + cell.format('table:number-columns-repeated="16384"') + "</table:table-row>"))),
        ("a row of cells", "ods", lambda: document(table("<table:table-row>" + cell.format("") * million + "</table:table-row>"))),
        ("attributes", "ods", lambda: document(table(("<table:table-row " + "".join(f'a{n}="" ' for n in range(7_000)) + "/>") * 300))),
        ("repeated formulas", "ods", lambda: document(table('<table:table-row table:number-rows-repeated="200000"><table:table-cell table:formula="of:=' + "1+" * 4_000 + '1" office:value-type="float" office:value="1"/></table:table-row>'))),
        ("commas", "csv", lambda: b"," * (19 << 20)),
        ("lines of a comma", "csv", lambda: b"item,value\n" + b"x,\n" * (6 << 20)),
        ("short lines", "csv", lambda: b"item,value\n" + b"x\n" * 199_000),
        ("unknown items", "csv", lambda: (HEADER + "".join(f"Morning,Golf,thing{n},,1,\n" for n in range(199_000))).encode()),
        ("a team on every line", "csv", lambda: ("team,section," + ",".join(f"plate_length {n}" for n in range(190)) + "\n" + "Golf,Morning\n" * 400_000).encode()),
        ("items by many names", "csv", lambda: ("team,section,what,value\n" + "".join(f"Golf,Morning,thing {n},1\n" for n in range(190_000))).encode()),
        ("one open quote", "csv", lambda: b'section,team,item,value\n"' + b"x,\n" * (6 << 20)),
        ("a line again and again", "csv", lambda: sheet_again(390_000).encode()),
        ("remarks", "csv", lambda: ("data sheet,keel-plate\n" + "x" * 40 + "\n").encode() * 1 + b"remark of nobody,1\n" * 390_000),
        ("empty objects", "json", lambda: b"[" + b"{}," * (6 << 20) + b"{}]"),
        ("empty lists", "json", lambda: b"[" + b"[]," * (6 << 20) + b"[]]"),
        ("keys", "json", lambda: b'[{"section":"a","team":"b","keys":{' + b",".join(b'"%x":""' % n for n in range(1_500_000)) + b'},"cells":[]}]'),
        ("cells", "json", lambda: b'[{"section":"Morning","team":"Golf","keys":{},"cells":[' + b",".join([b'{"item":"zero","value":""}'] * 700_000) + b"]}]"),
        ("parts", "zip", lambda: many_entries(200_000)),
    ]


def honest():
    """Files of the size that courses have: these must be read."""
    items = ["zero", "plate_length", "plate_width", "plate_thickness", "plate_mass", "disc_thickness", "disc_mass"]
    rows = lambda teams: "".join(f"S{n // 14},T{n},1,{i},,84.30,mm\n" for n in range(teams) for i in items)
    long = lambda teams: "section,team,station,item,row,value,unit\n" + rows(teams)

    def workbook(teams):
        lines = long(teams).splitlines()
        return book(["".join(f'<row r="{r}">' + "".join(text_cell(f"{column(c + 1)}{r}", t) for c, t in enumerate(line.split(",")) if t) + "</row>" for r, line in enumerate(lines, 1))])

    return [
        ("10,000 rows", "csv", lambda: long(1_429).encode()),
        ("199,000 rows", "csv", lambda: long(28_400).encode()),
        ("10,000 rows", "xlsx", lambda: workbook(1_429)),
        ("70,000 rows", "xlsx", lambda: workbook(10_000)),
    ]


def written(make, path):
    """Makes a file in a process of its own: what is started after it would begin with the memory of this one."""
    child = os.fork()
    if child == 0:
        with open(path, "wb") as f:
            f.write(make())
        os._exit(0)
    if os.waitpid(child, 0)[1] != 0:
        raise SystemExit(f"{path} could not be made")
    return os.path.getsize(path)


def told(text):
    text = re.sub(r"\s+", " ", text).strip()
    return re.sub(r"^\S*?/(\S+?):(\d+):(\d+):", r"\2:\3:", text)[:140]


def judge(path):
    """Seconds of the processor, megabytes, status and answer of `jurado judge`."""
    program = os.environ.get("JURADO", f"{ROOT}/target/start/jurado")
    args = [program, "judge", "--protocol", f"{ROOT}/protocols/keel-plate.toml", "--submissions", path, "--out", os.devnull]
    process = subprocess.Popen(args, stderr=subprocess.PIPE, text=True)
    answer = process.stderr.read()
    _, status, usage = os.wait4(process.pid, 0)
    return usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024, os.waitstatus_to_exitcode(status), answer or "read"


def main():
    wanted = sys.argv[1:]
    worst = [0, 0]
    with tempfile.TemporaryDirectory() as folder:
        for name, ending, make in kinds() + honest():
            if wanted and name not in wanted:
                continue
            path = f"{folder}/file.{ending}"
            size = written(make, path)
            seconds, memory, status, answer = judge(path)
            worst = [max(worst[0], seconds), max(worst[1], memory)]
            print(f"{name:<28} {ending:<5}{size / 1e6:7.2f} MB  {seconds:6.2f} s  {memory:5.0f} MB  {status}  {told(answer)}", flush=True)
    print(f"highest: {worst[0]:.2f} s, {worst[1]:.0f} MB")


if __name__ == "__main__":
    main()

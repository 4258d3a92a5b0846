#!/usr/bin/env python3
"""Write 500 formulas and let an office suite work them out, as both office formats.

    python3 bench/formulas.py [FOLDER]

Needs `soffice` (Debian's libreoffice-calc). Writes formulas.xlsx and formulas.ods into FOLDER (default
crates/intake/tests): the test of the formula reader works every formula out itself and compares with what the
suite kept under the cell. The formulas come of a fixed seed, so that the files change only with this script.
"""
import random
import subprocess
import sys
import tempfile
from pathlib import Path
from xml.sax.saxutils import escape

FORMULAS, ROWS = 500, 12
chance = random.Random(16)

NUMBERS = [[round(chance.uniform(0.1, 99), chance.randint(0, 4)) for _ in range(4)] for _ in range(ROWS)]
# Column E holds what readings hold besides numbers.
ODD = [3.2, "n/a", None, -1.5, "4.8", None, 0, "late", 7.25, None, 2, -0.004]

PLAIN = ["SQRT(ABS({a}))", "EXP({a}/50)", "LN(ABS({a})+0.1)", "LOG10(ABS({a})+1)", "LOG(ABS({a})+1;2)", "SIN({a})",
         "COS({a})", "TAN({a}/100)", "ATAN({a})", "ATAN2({a};{b})", "ASIN({a}/1000)", "ACOS({a}/1000)", "SINH({a}/100)",
         "TANH({a}/50)", "DEGREES({a})", "RADIANS({a})", "ABS({a})", "SIGN({a})", "INT({a})", "TRUNC({a};1)",
         "ROUND({a};2)", "ROUND({a};-1)", "ROUNDUP({a};1)", "ROUNDDOWN({a};2)", "MOD({a};7)", "POWER(ABS({a});0.3)",
         "{a}%", "-{a}^2", "({a}+{b})/2", "{a}-{b}", "{a}*{b}", "{a}/({b}+200)", "PI()*({a}/2)^2", "2^({a}/30)",
         "IF({a}>{b};{a};-{b})", "IF({a}<=10;1;{b})", "IFERROR({a}/({b}-{b});-1)", "1/{a}+1/{b}", "{a}^2-{b}^2"]
COLUMNS = ["SUM({r})", "AVERAGE({r})", "COUNT({r})", "COUNTA({r})", "MIN({r})", "MAX({r})", "MEDIAN({r})",
           "STDEV({r})", "COM.MICROSOFT.STDEV.S({r})", "COM.MICROSOFT.STDEV.P({r})", "STDEVP({r})", "VAR({r})",
           "COM.MICROSOFT.VAR.P({r})", "SUMSQ({r})",
           "DEVSQ({r})", "AVEDEV({r})", "LARGE({r};2)", "SMALL({r};2)", "PRODUCT({r})", "SUM({r};{a};3)",
           "MAX({r})-MIN({r})", "STDEV({r})/SQRT(COUNT({r}))", "AVERAGE({r})*{a}", "GEOMEAN([.A1:.A5])"]
PAIRS = ["SLOPE({y};{x})", "INTERCEPT({y};{x})", "RSQ({y};{x})", "CORREL({y};{x})", "STEYX({y};{x})",
         "SUMPRODUCT({y};{x})", "FORECAST({a};{y};{x})", "INDEX(LINEST({y};{x});1;1)", "INDEX(LINEST({y};{x});1;2)",
         "INDEX(LINEST({y};{x};1;1);2;1)", "INDEX(LINEST({y};{x};1;1);2;2)", "INDEX(LINEST({y};{x};1;1);3;1)",
         "INDEX(LINEST({y};{x};0;1);1;1)", "INDEX(LINEST({y};{x};0;1);2;1)", "INDEX(LINEST({y};{x};1;1);3;2)",
         "SUMPRODUCT({y}*{x})", "SUMPRODUCT({x}^2)-SUM({x})^2/COUNT({x})"]


def cell():
    row, column = chance.randint(1, ROWS), chance.choice("ABCD")
    a, b = chance.choice(["", "$"]), chance.choice(["", "$"])
    if chance.random() < 0.1:
        return f"[$Work.{a}B{b}{chance.randint(1, 5)}]"
    return f"[.{a}{column}{b}{row}]"


def argument(depth=0):
    roll = chance.random()
    if roll < 0.6 or depth > 2:
        return cell()
    if roll < 0.75:
        return str(round(chance.uniform(0.5, 20), 2))
    if roll < 0.8:
        return chance.choice(["gauge_width", "whole_column_sum"])
    return "(" + formula(depth + 1) + ")"


def column_range():
    first = chance.randint(1, ROWS - 3)
    last = chance.randint(first + 2, ROWS)
    column = chance.choice("ABCDE")
    return f"[.{column}{first}:.{column}{last}]"


def formula(depth=0):
    kind = chance.random()
    if kind < 0.6 or depth > 0:
        return chance.choice(PLAIN).format(a=argument(depth), b=argument(depth))
    if kind < 0.8:
        return chance.choice(COLUMNS).format(r=column_range(), a=argument(1))
    first = chance.randint(1, 5)
    last = chance.randint(first + 4, ROWS)
    x, y = chance.sample("ABCD", 2)
    return chance.choice(PAIRS).format(x=f"[.{x}{first}:.{x}{last}]", y=f"[.{y}{first}:.{y}{last}]", a=argument(1))


def held(value):
    if value is None:
        return "<table:table-cell/>"
    if isinstance(value, str):
        return f'<table:table-cell office:value-type="string"><text:p>{escape(value)}</text:p></table:table-cell>'
    return f'<table:table-cell office:value-type="float" office:value="{value}"/>'


def worked(text):
    return f'<table:table-cell table:formula="{escape("of:=" + text, {chr(34): "&quot;"})}"/>'


def main():
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "crates/intake/tests").resolve()
    rows = []
    for n in range(FORMULAS):
        cells = [held(v) for v in NUMBERS[n]] + [held(ODD[n])] if n < ROWS else ["<table:table-cell/>"] * 5
        rows.append("<table:table-row>" + "".join(cells) + "<table:table-cell/>" + worked(formula()) + "</table:table-row>")
    # Helper cells on another sheet, one of another.
    work = "".join(
        f"<table:table-row><table:table-cell/>{worked(f'[$Data.A{n}]*2+[$Data.B{n}]' if n < 5 else '[.B1]+[.B2]')}</table:table-row>"
        for n in range(1, 6)
    )
    names = (
        '<table:named-expressions><table:named-range table:name="gauge_width" table:base-cell-address="$Data.$A$1" '
        'table:cell-range-address="$Data.$C$3"/><table:named-expression table:name="whole_column_sum" '
        'table:base-cell-address="$Data.$A$1" table:expression="SUM([$Data.$A$1:.$A$4])"/></table:named-expressions>'
    )
    spaces = " ".join(
        f'xmlns:{p}="urn:oasis:names:tc:opendocument:xmlns:{n}:1.0"'
        for p, n in [("office", "office"), ("table", "table"), ("text", "text")]
    )
    flat = (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<office:document {spaces} xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2" '
        'office:version="1.3" office:mimetype="application/vnd.oasis.opendocument.spreadsheet"><office:body><office:spreadsheet>'
        f'<table:table table:name="Data">{"".join(rows)}</table:table><table:table table:name="Work">{work}</table:table>{names}'
        "</office:spreadsheet></office:body></office:document>\n"
    )
    with tempfile.TemporaryDirectory() as scratch:
        source = Path(scratch) / "formulas.fods"
        source.write_text(flat)
        for kind in ("xlsx", "ods"):
            subprocess.run(
                ["soffice", f"-env:UserInstallation=file://{scratch}/profile", "--headless", "--convert-to", kind,
                 "--outdir", str(folder), str(source)],
                check=True, stdout=subprocess.DEVNULL, timeout=300,
            )
            print(f"{folder / ('formulas.' + kind)}: {(folder / ('formulas.' + kind)).stat().st_size} bytes")


main()

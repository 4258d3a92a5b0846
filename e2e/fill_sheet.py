"""Fill in an ODS data sheet as an office program would: numbers, and formulas with what they gave.

    python3 e2e/fill_sheet.py BLANK.ods FILLED.ods '{"zero": ["0.02"], "plate_volume": ["=L*W*T/1000", "42.8"]}'

Of each item the texts of its line, from the first value on; a formula begins with "=" and is followed by its value.
"""
import json
import sys
import zipfile
from xml.etree import ElementTree

OFFICE, TABLE, TEXT = (f"urn:oasis:names:tc:opendocument:xmlns:{n}:1.0" for n in ("office", "table", "text"))


def put(cell, text, formula=None):
    for child in list(cell):
        cell.remove(child)
    error = text.startswith("#")
    cell.set(f"{{{OFFICE}}}value-type", "string" if error else "float")
    cell.set(f"{{{OFFICE}}}{'string-value' if error else 'value'}", "" if error else text)
    if formula:
        # Names are spelled alike in every format; a cell is a reference only in brackets.
        cell.set(f"{{{TABLE}}}formula", f"of:{formula}")
    ElementTree.SubElement(cell, f"{{{TEXT}}}p").text = text


def main(blank, filled, items):
    with zipfile.ZipFile(blank) as source, zipfile.ZipFile(filled, "w") as out:
        for name in source.namelist():
            body = source.read(name)
            if name == "content.xml":
                tree = ElementTree.fromstring(body)
                for row in tree.iter(f"{{{TABLE}}}table-row"):
                    cells = list(row)
                    first = "".join(cells[0].itertext()) if cells else ""
                    texts = list(items.get(first, []))
                    at = 1 if first in ("section", "team") else 3
                    while texts:
                        text = texts.pop(0)
                        formula = text if text.startswith("=") else None
                        if first in ("section", "team"):
                            for child in list(cells[at]):
                                cells[at].remove(child)
                            cells[at].set(f"{{{OFFICE}}}value-type", "string")
                            ElementTree.SubElement(cells[at], f"{{{TEXT}}}p").text = text
                        else:
                            put(cells[at], texts.pop(0) if formula else text, formula)
                        at += 1
                # The spelling of formulas is a name of its own, which no element uses.
                body = ElementTree.tostring(tree).replace(b" xmlns:", b' xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2" xmlns:', 1)
            out.writestr(name, body)


main(sys.argv[1], sys.argv[2], json.loads(sys.argv[3]))

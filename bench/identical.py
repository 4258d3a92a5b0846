#!/usr/bin/env python3
"""Compares what two builds say of the same 7,200 simulated tables, every lab of the library.

    python3 bench/identical.py OLD NEW        paths of two `jurado` binaries

The tables are made once by OLD (six sections of fifty teams a lab, half of them with a slip), judged by both, and the JSON is
compared table by table. What differs is counted by the part of the verdict where it differs, with three examples each; the exit
code is 1 where anything does.
"""

import collections
import json
import os
import subprocess
import sys
import tempfile

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def differences(before, after, path=""):
    """Paths where two JSON values differ, list positions left out."""
    if type(before) is not type(after):
        yield path, before, after
    elif isinstance(before, dict):
        for key in before.keys() | after.keys():
            yield from differences(before.get(key), after.get(key), f"{path}.{key}")
    elif isinstance(before, list) and len(before) == len(after):
        for one, other in zip(before, after):
            yield from differences(one, other, path + "[]")
    elif before != after:
        yield path, before, after


def main():
    if len(sys.argv) != 3:
        sys.exit(__doc__)
    old, new = sys.argv[1:]
    tables, differing = 0, 0
    found = collections.defaultdict(list)
    with tempfile.TemporaryDirectory() as folder:
        for name in sorted(os.listdir(os.path.join(ROOT, "protocols"))):
            if not name.endswith(".toml"):
                continue
            protocol = os.path.join(ROOT, "protocols", name)
            out = os.path.join(folder, name)
            subprocess.run([old, "simulate", "--protocol", protocol, "--sections", "6", "--teams", "50", "--seed", "11",
                            "--slips", "0.5", "--out", out], check=True, stderr=subprocess.DEVNULL)
            said = []
            for binary, to in ((old, "old.json"), (new, "new.json")):
                to = os.path.join(out, to)
                subprocess.run([binary, "judge", "--protocol", protocol, "--submissions",
                                os.path.join(out, "submissions.csv"), "--out", to], check=True, stderr=subprocess.DEVNULL)
                with open(to, encoding="utf-8") as f:
                    said.append(json.load(f)["submissions"])
            for before, after in zip(*said):
                tables += 1
                where = list(differences(before, after))
                differing += bool(where)
                for path, one, other in where:
                    found[path].append((name, before["team"], one, other))
    print(f"{tables} tables, {differing} differ")
    for path, cases in sorted(found.items()):
        print(f"  {path}: {len(cases)} times")
        for lab, team, one, other in cases[:3]:
            print(f"    {lab} {team}: {json.dumps(one, ensure_ascii=False)[:200]} -> {json.dumps(other, ensure_ascii=False)[:200]}")
    sys.exit(1 if differing else 0)


main()

#!/usr/bin/env python3
"""Time and memory of `jurado judge` over 10,000 submissions. Build first: cargo build --release
   bench/throughput.py [TABLES]"""
import csv, io, os, resource, subprocess, sys, tempfile, time

root = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
binary = os.path.join(root, "target/release/jurado")
wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
with tempfile.TemporaryDirectory() as folder:
    subprocess.run([binary, "demo", "--out", folder], check=True)
    with open(os.path.join(folder, "submissions.csv"), encoding="utf-8") as f:
        head, *rows = csv.reader(f)
    teams = {(r[0], r[1]) for r in rows}
    path = os.path.join(folder, "many.csv")
    count = 0
    with open(path, "w", encoding="utf-8", newline="") as f:
        out = csv.writer(f)
        out.writerow(head)
        while count < wanted:
            for r in rows:
                out.writerow([f"{r[0]} {count // len(teams)}", *r[1:]])
            count += len(teams)
    start = time.perf_counter()
    subprocess.run([binary, "judge", "--protocol", os.path.join(root, "protocols/keel-plate.toml"), "--submissions", path,
                    "--out", os.path.join(folder, "verdicts.json")], check=True, stderr=subprocess.DEVNULL)
    seconds = time.perf_counter() - start
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    size = os.path.getsize(os.path.join(folder, "verdicts.json")) / 1e6
    print(f"{count} submissions ({os.path.getsize(path) / 1e6:.0f} MB of CSV): {seconds:.2f} s, {peak:.0f} MB at most, {size:.0f} MB of verdicts")

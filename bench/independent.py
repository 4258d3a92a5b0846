#!/usr/bin/env python3
"""Propagated standard uncertainties of 200 random formulas against an independent implementation with correlations: the
   general-purpose Python library `uncertainties` (pip install uncertainties). Build first: cargo build --release
   bench/independent.py [SEED]"""
import json, math, os, random, subprocess, sys, tempfile, warnings

warnings.simplefilter("ignore", FutureWarning)
from uncertainties import ufloat, umath

root = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
binary = os.path.join(root, "target/release/jurado")
chance = random.Random(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
N = 200
READINGS = {"a": 3.27, "b": 1.94, "c": 0.86, "d": 5.13, "e": 2.41}
COLUMN = [2.31, 2.57, 2.44, 2.49]
STEP, LIMIT = 0.01, 0.02


def formula(depth):
    """A random formula as text, and as a Python function of the values."""
    kind = chance.random()
    if depth == 0 or kind < 0.15:
        name = chance.choice([*READINGS, "mean(x)", "max(x)", "sum(x)", "k"])
        return name, lambda v, name=name: v[name]
    left, f = formula(depth - 1)
    if kind < 0.35:
        name, call = chance.choice([
            ("sqrt", lambda x: umath.sqrt(x)), ("exp", lambda x: umath.exp(x)), ("ln", lambda x: umath.log(x)),
            ("atan", None), ("abs", lambda x: abs(x))])
        if name == "atan":
            return f"atan({left}) / 1[rad]", lambda v: umath.atan(f(v))
        if name == "exp":
            return f"exp(0.1 * ({left}))", lambda v: umath.exp(0.1 * f(v))
        if name in ("sqrt", "ln"):
            return f"{name}(abs({left}) + 1)", lambda v: call(abs(f(v)) + 1)
        return f"abs({left})", lambda v: call(f(v))
    right, g = formula(depth - 1)
    sign = chance.choice("+-*/^")
    if sign == "^":
        n = chance.choice([2, 3])
        return f"({left})^{n}", lambda v: f(v) ** n
    if sign == "/":
        return f"({left}) / (abs({right}) + 2)", lambda v: f(v) / (abs(g(v)) + 2)
    op = {"+": lambda x, y: x + y, "-": lambda x, y: x - y, "*": lambda x, y: x * y}[sign]
    return f"({left}) {sign} ({right})", lambda v: op(f(v), g(v))


limit = ufloat(0, LIMIT / math.sqrt(3))
values = {n: ufloat(x, STEP / math.sqrt(12)) + limit for n, x in READINGS.items()}
mean = sum(COLUMN) / len(COLUMN)
sd = math.sqrt(sum((x - mean) ** 2 for x in COLUMN) / (len(COLUMN) - 1))
column = [ufloat(x, sd) + limit for x in COLUMN]
values.update({"mean(x)": sum(column) / len(column), "sum(x)": sum(column), "max(x)": max(column, key=lambda u: u.nominal_value),
               "k": ufloat(1.7, 0.03)})
lines = ['format = 1', 'id = "random"', 'version = 1', 'title = "Random"', 'summary = "Random formulas."', 'possible = "1"',
         '[[bay]]', 'id = "b0"', 'title = "All"', '[[instrument]]', 'id = "tool"', 'title = "tool"', 'unit = "1"', f'step = {STEP}',
         f'limit = {LIMIT}', 'limit_shared = true']
for name in READINGS:
    lines += ['[[reading]]', f'id = "{name}"', f'title = "{name}"', 'bay = "b0"', 'unit = "1"', 'instrument = "tool"']
lines += ['[[reading]]', 'id = "x"', 'title = "x"', 'bay = "b0"', 'unit = "1"', 'instrument = "tool"', 'replicates = 4',
          '[[constant]]', 'id = "k"', 'title = "k"', 'unit = "1"', 'value = 1.7', 'uncertainty = 0.03', 'source = "made up"']
wanted = []
while len(wanted) < N:
    text, call = formula(4)
    try:
        u = call(values)
        spread = getattr(u, "std_dev", 0)
    except (OverflowError, ValueError, ZeroDivisionError):
        continue
    if not spread or len(text) > 3000 or not 1e-12 < abs(u.nominal_value) < 1e12:
        continue
    wanted.append((text, u.nominal_value, spread))
    lines += ['[[result]]', f'id = "r{len(wanted)}"', f'title = "r{len(wanted)}"', 'bay = "b0"', 'unit = "1"', f'formula = "{text}"', 'points = "0"']
lines += ['[[criterion]]', 'id = "complete"', 'title = "Completeness"', 'points = "1"', 'rule = "completeness"', 'each = "0.5"']
with tempfile.TemporaryDirectory() as folder:
    protocol, sheet = os.path.join(folder, "p.toml"), os.path.join(folder, "s.csv")
    open(protocol, "w", encoding="utf-8").write("\n".join(lines) + "\n")
    with open(sheet, "w", encoding="utf-8") as f:
        f.write("section,team,item,row,value\n")
        f.writelines(f"S,T,{n},,{x}\n" for n, x in READINGS.items())
        f.writelines(f"S,T,x,{i + 1},{x}\n" for i, x in enumerate(COLUMN))
    told = subprocess.run([binary, "judge", "--protocol", protocol, "--submissions", sheet], check=True, capture_output=True).stdout
results = json.loads(told)["submissions"][0]["results"]
worst_value = worst_u = 0.0
for (text, value, u), r in zip(wanted, results):
    c = r["clean"]
    dv, du = abs(c["value"] / value - 1), abs(c["standard_uncertainty"] / u - 1)
    if du > 1e-9:
        print(f"{text}: {c['standard_uncertainty']} against {u}")
    worst_value, worst_u = max(worst_value, dv), max(worst_u, du)
print(f"{len(wanted)} formulas: farthest apart {worst_value:.1e} in value, {worst_u:.1e} in standard uncertainty (relative)")
sys.exit(worst_u > 1e-9)

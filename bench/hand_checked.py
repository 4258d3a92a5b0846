#!/usr/bin/env python3
"""Works out ten tables of the keel plate independently of Jurado, for crates/cli/tests/hand_checked.rs.

Decimal arithmetic of 40 digits and derivatives written out by hand (below), nothing of the code under test. The
verdicts, kinds of slip and points are a person's, typed in. Run it from the project's root after changing the tables:

    python3 bench/hand_checked.py
"""
import csv, json
from decimal import Decimal as D, getcontext

getcontext().prec = 40
PI = D("3.141592653589793238462643383279502884197")
FOLDER = "crates/cli/tests/data/"
PLATE = {"1": ("2.68", "2.72"), "2": ("7.83", "7.87"), "3": ("8.39", "8.43"), "4": ("8.92", "8.96"), "5": ("4.42", "4.46")}
DISC = {"1": ("8.92", "8.96"), "2": ("8.39", "8.43"), "3": ("7.10", "7.15"), "4": ("2.68", "2.72"), "5": ("7.95", "8.03")}
SQRT12, SQRT3 = D(12).sqrt(), D(3).sqrt()
UR = D("0.02") / SQRT12          # step of the caliper, each reading and the zero, mm
UL = D("0.02") / SQRT3           # limit of the caliper, one for all lengths, mm
UM2 = (D("0.01") / SQRT12) ** 2 + (D("0.02") / SQRT3) ** 2  # step and limit of the balance, g²
ORDER = ["plate_volume", "plate_density", "plate_error", "disc_diameter_mean", "disc_thickness_mean", "disc_volume", "disc_density", "disc_error"]

# A person's judgement: verdicts in ORDER, slip kinds by result, points.
A, R, C, S, W = "agrees", "rounded", "carried", "slip", "unchecked"
JUDGED = {
    "Alfa": ([A] * 8, {}, "20"),
    "Bittern": ([A, A, A, A, A, S, C, C], {"disc_volume": "radius-diameter"}, "19.25"),
    "Charlie": ([A] * 8, {}, "20"),
    "Curlew": ([A] * 8, {}, "19.5"),                       # a chord was kept: half a point of precision
    "Dunlin": ([A, S, C, A, A, A, A, A], {"plate_density": "inverted"}, "19.5"),
    "Echo": ([A, R, R, A, A, R, R, R], {}, "20"),          # went on with what was written down
    "Eider": ([A] * 8, {}, "19.5"),                        # one thickness was not taken
    "Foxtrot": ([S, C, C, S, S, C, C, C], {"plate_volume": "term-omitted", "disc_diameter_mean": "term-omitted", "disc_thickness_mean": "term-omitted"}, "19.25"),
    "November": ([A, A, A, A, A, A, W, R], {}, "19.5"),    # the disc's mass is not on the sheet: charged once
    "Petrel": ([A] * 8, {}, "20"),                         # the chord was left out with its cause
}


def number(text):
    return D(text.replace(",", "."))


def mean_and_type_a(values):
    n = len(values)
    mean = sum(values) / n
    s2 = sum((x - mean) ** 2 for x in values) / (n - 1)
    return mean, max(s2 / n, D("0.02") ** 2 / 12)


def percent(rho, u, ends):
    low, high = map(D, ends)
    mid = (low + high) / 2
    return abs(rho - mid) / mid * 100, u / mid * 100, (D(0) if low <= rho <= high else min(abs(rho - low) / low, abs(rho - high) / high) * 100)


def dixon(values):
    order = sorted(values)
    spread = order[-1] - order[0]
    return None if spread == 0 else max(order[1] - order[0], order[-1] - order[-2]) / (spread + D("0.02"))


def work(cells, station):
    one = lambda item: number(cells[item][0][1]) if item in cells else None
    column = lambda item: [number(v) for _, v, left_out in cells[item] if not left_out]
    z = one("zero")
    out, accuracy = {}, {}
    l, w, t = one("plate_length") - z, one("plate_width") - z, one("plate_thickness") - z
    # dV/dL = wt, dV/dW = lt, dV/dT = lw; the zero goes into all three with the sum of them, and so does the limit.
    total = w * t + l * t + l * w
    v = l * w * t / 1000
    uv = ((UR**2 * ((w * t) ** 2 + (l * t) ** 2 + (l * w) ** 2 + total**2) + UL**2 * total**2).sqrt()) / 1000
    out["plate_volume"] = (v, uv)
    m = one("plate_mass")
    rho = m / v
    u = rho * (UM2 / m**2 + (uv / v) ** 2).sqrt()
    out["plate_density"] = (rho, u)
    pe, upe, off = percent(rho, u, PLATE[station])
    out["plate_error"], accuracy["accuracy-plate"] = (pe, upe), off
    d, ad = mean_and_type_a(column("disc_diameter"))
    h, ah = mean_and_type_a(column("disc_thickness"))
    d, h = d - z, h - z
    both = UR**2 + UL**2  # what diameter and thickness share: the zero reading and the limit
    out["disc_diameter_mean"] = (d, (ad + both).sqrt())
    out["disc_thickness_mean"] = (h, (ah + both).sqrt())
    dd, dh = PI * d * h / 2, PI * d * d / 4  # dV/dD and dV/dt
    v = PI * d * d / 4 * h / 1000
    uv = (dd**2 * ad + dh**2 * ah + (dd + dh) ** 2 * both).sqrt() / 1000
    out["disc_volume"] = (v, uv)
    m = one("disc_mass")
    if m is None:
        out["disc_density"] = out["disc_error"] = (None, None)
    else:
        rho = m / v
        u = rho * (UM2 / m**2 + (uv / v) ** 2).sqrt()
        out["disc_density"] = (rho, u)
        pe, upe, off = percent(rho, u, DISC[station])
        out["disc_error"], accuracy["accuracy-disc"] = (pe, upe), off
    # Followed through from what the team wrote.
    given = {i: number(cells[i][0][1]) for i in ORDER if i in cells}
    use = lambda i: given.get(i, out[i][0])
    carried = {i: out[i][0] for i in ("plate_volume", "disc_diameter_mean", "disc_thickness_mean")}
    carried["plate_density"] = one("plate_mass") / use("plate_volume")
    carried["plate_error"] = percent(use("plate_density"), D(0), PLATE[station])[0]
    carried["disc_volume"] = PI * use("disc_diameter_mean") ** 2 / 4 * use("disc_thickness_mean") / 1000
    carried["disc_density"] = None if m is None else m / use("disc_volume")
    carried["disc_error"] = percent(use("disc_density"), D(0), DISC[station])[0]
    tests = {i: dixon([number(v) for _, v, _ in cells[i]]) for i in ("disc_diameter", "disc_thickness")}
    return out, carried, accuracy, tests


def main():
    tables = {}
    with open(FOLDER + "hand_checked.csv", encoding="utf-8", newline="") as file:
        for row in csv.DictReader(file):
            team = tables.setdefault(row["team"], (row["station"], {}))
            team[1].setdefault(row["item"], []).append((row["row"], row["value"], row["excluded"] != ""))
    result = {}
    as_float = lambda x: None if x is None else float(x)
    for team, (station, cells) in tables.items():
        out, carried, accuracy, tests = work(cells, station)
        verdicts, slips, points = JUDGED[team]
        result[team] = {
            "results": {
                i: {"clean": as_float(out[i][0]), "u": as_float(out[i][1]), "carried": as_float(carried[i]), "verdict": verdicts[n], "slip": slips.get(i)}
                for n, i in enumerate(ORDER)
            },
            "accuracy": {k: float(v) for k, v in accuracy.items()},
            "dixon": {k: as_float(v) for k, v in tests.items()},
            "points": float(points),
        }
    with open(FOLDER + "hand_checked.json", "w", encoding="utf-8") as file:
        json.dump({"made_by": "bench/hand_checked.py", "teams": result}, file, indent=1)
        file.write("\n")


main()

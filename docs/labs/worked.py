#!/usr/bin/env python3
"""Works one table of every lab through by other means than Jurado: plain Python, in the units of the sheet, every
conversion written out. Reads the readings of docs/labs/LAB.csv, writes the results into the same file and LAB.md beside
it; crates/cli/tests/worked.rs compares `jurado judge` with both. Run it from anywhere:

    python3 docs/labs/worked.py
"""
import csv, json, math, os
from math import pi, sqrt, log, cos, sin, atan2, degrees, radians
from statistics import mean, stdev

HERE = os.path.dirname(os.path.abspath(__file__))
PSI_IN2 = 4.4482216152605          # a pound-force in newtons
each = lambda f, *cols: [f(*row) for row in zip(*cols)]

def line(x, y, w=None):
    """Slope and intercept of the least-squares line."""
    w = w or [1.0] * len(x)
    s = sum(w)
    mx, my = sum(a * b for a, b in zip(w, x)) / s, sum(a * b for a, b in zip(w, y)) / s
    k = sum(c * (a - mx) * (b - my) for a, b, c in zip(x, y, w)) / sum(c * (a - mx) ** 2 for a, c in zip(x, w))
    return k, my - k * mx

def origin(x, y):
    return sum(a * b for a, b in zip(x, y)) / sum(a * a for a in x)

def end_point(v, ph):
    """Where the second derivative is nought, beside the steepest step."""
    mid = [(a + b) / 2 for a, b in zip(v, v[1:])]
    first = [(q - p) / (b - a) for a, b, p, q in zip(v, v[1:], ph, ph[1:])]
    top = max(range(len(first)), key=lambda i: first[i])
    at = lambda i: ((mid[i] + mid[i + 1]) / 2, (first[i + 1] - first[i]) / (mid[i + 1] - mid[i]))
    (x0, d0), (x1, d1) = at(top - 1), at(top)
    return x0 + (x1 - x0) * d0 / (d0 - d1)

def between(x, y, at):
    for a, b, p, q in zip(x, x[1:], y, y[1:]):
        if a <= at <= b:
            return p + (q - p) * (at - a) / (b - a)

def keel_plate(r, k):
    z = r["zero"]
    tab = lambda t: sum(t) / 2
    plate = tab({"1": (2.68, 2.72), "2": (7.83, 7.87), "3": (8.39, 8.43), "4": (8.92, 8.96), "5": (4.42, 4.46)}[k["station"]])
    disc = tab({"1": (8.92, 8.96), "2": (8.39, 8.43), "3": (7.10, 7.15), "4": (2.68, 2.72), "5": (7.95, 8.03)}[k["station"]])
    inch, sleeve, core = {"R1": (5 / 32, 8.41, "aluminium alloy"), "R2": (13 / 64, 2.70, "copper"), "R3": (1 / 4, 8.94, "zinc"), "R4": (7 / 32, 4.44, "lead")}[k["rod"]]
    v = (r["plate_length"] - z) * (r["plate_width"] - z) * (r["plate_thickness"] - z) / 1000
    d, t = mean(r["disc_diameter"]) - z, mean(r["disc_thickness"]) - z
    vd = pi * (d / 2) ** 2 * t / 1000
    rho, rhod = r["plate_mass"] / v, r["disc_mass"] / vd
    length, across = r["rod_main"] + r["rod_line"] * 0.02 - z, mean(r["rod_diameter"]) - z
    whole, inside = pi * (across / 2) ** 2 * length / 1000, pi * (inch * 2.54) ** 2 * length / 10
    ms = (whole - inside) * sleeve
    return {"plate_volume": v, "plate_density": rho, "plate_error": abs(rho - plate) / plate * 100, "disc_diameter_mean": d,
            "disc_thickness_mean": t, "disc_volume": vd, "disc_density": rhod, "disc_error": abs(rhod - disc) / disc * 100,
            "rod_length": length, "rod_across": across, "whole_volume": whole, "core_volume": inside, "sleeve_volume": whole - inside,
            "sleeve_mass": ms, "core_mass": r["rod_mass"] - ms, "core_density": (r["rod_mass"] - ms) / inside,
            "rod_density": r["rod_mass"] / whole, "core_metal": core}

def float_ball(r, k):
    z, metals = r["zero"], {"1": (8.42, 8.56, "brass"), "2": (7.80, 7.88, "steel"), "3": (2.69, 2.73, "aluminium"), "4": (8.91, 8.95, "copper"), "5": (11.32, 11.36, "lead"), "6": (7.10, 7.16, "zinc")}
    low, high, metal = metals[k["ball"]]
    d, l, w = mean(r["across"]) - z, mean(r["hole"]) - z, mean(r["bore"])
    sphere, hole = pi * d ** 3 / 6 / 1000, pi * (w / 2) ** 2 * l / 1000
    level, rho = r["level_after"] - r["level_before"], r["mass_fine"] / (sphere - hole)
    tab = (low + high) / 2
    return {"inch_factor": (r["block_metric"] - z) / 10 / r["block_inch"], "diameter": d, "length": l, "width": w, "sphere": sphere,
            "drilled": hole, "volume": sphere - hole, "volume_level": level, "volume_overflow": (r["catch_full"] - r["catch_empty"]) / 0.9980,
            "density_coarse": r["mass_coarse"] / level, "density_best": rho, "error": abs(rho - tab) / tab * 100, "metal": metal}

def rivet_batches(r, k):
    out = {}
    for y in ("early", "late"):
        m, v, n = r[y + "_mass"], r[y + "_level"], r[y + "_count"]
        out[y + "_density"] = line(v, m)[0]
        out[y + "_groups_mean"] = mean((b - a) / (q - p) for a, b, p, q in zip(m, m[1:], v, v[1:]))
        out[y + "_each"] = m[-1] / n[-1]
    out["difference"] = out["early_density"] - out["late_density"]
    out["alike"] = "differ"
    return out

def shackle_count(r, k):
    pin, avg, net = mean(r["pins"]), r["sample_mass"] / r["sample_count"], r["sack_gross"] - r["sack_empty"]
    per = each(lambda m, n: (m - r["bow"]) / n, r["built"], r["pins_on"])
    return {"pin_mean": pin, "pin_average": avg, "sack_net": net, "in_all": net / avg, "predicted": [r["bow"] + n * pin for n in r["pins_on"]],
            "per_pin": per, "pin_built": mean(per)}

def hatch_ram(r, k):
    bore, rod = [1.062, 1.250, 1.500, 0.875], [0.312, 0.437, 0.500, 0.250]
    ao = [pi * (d / 2) ** 2 for d in bore]
    ab = each(lambda a, d: a - pi * (d / 2) ** 2, ao, rod)
    lo, lb = each(lambda p, a: p * a * PSI_IN2, r["out"], ao), each(lambda p, a: p * a * PSI_IN2, r["back"], ab)
    return {"area_out": ao, "area_back": ab, "load_out": lo, "load_back": lb,
            "friction": each(lambda h, l, a: (h - l) * a / 2 * PSI_IN2, r["out_high"], r["out_low"], ao), "load": each(lambda a, b: (a + b) / 2, lo, lb),
            "alike": ["agree" if abs(a - b) < 0.08 * a else "differ" for a, b in zip(lo, lb)]}

def davit_balance(r, k):
    tab = {"P": 148.6, "Q": 187.5, "R": 231.9, "S": 122.1}[k["unknown_letter"]]
    arm = [m - r["pivot"] for m in r["mark"]]
    inv, far = [1 / a for a in arm], r["pivot"] - r["far_mark"]
    slope, loops = line(inv, r["mass"], [a ** 4 for a in arm])
    return {"arm": arm, "inverse": inv, "far_arm": far, "moment": slope, "loops": loops, "found": slope / far, "error": abs(slope / far - tab) / tab * 100}

def boom_balance(r, k):
    a, b = r["first_mass"] + r["first_hanger"], r["second_mass"] + r["second_hanger"]
    total, lever = r["boom_mass"] + a + b, r["hook"] - r["heel"]
    parts = (r["boom_mass"] * r["boom_centre"] + a * r["first_mark"] + b * r["second_mark"]) / total
    scale = r["heel"] + mean(r["pull"]) * lever / (total / 1000 * 9.815)
    return {"first_total": a, "second_total": b, "total": total, "by_parts": parts, "lever": lever, "by_scale": scale,
            "own_centre": (total * r["pivot_mark"] - a * r["first_mark"] - b * r["second_mark"]) / r["boom_mass"],
            "alike": None}

def pry_bar(r, k):
    z = r["scale_zero"]
    la, pa = [f - r["load_mark"] for f in r["fulcrum"]], [r["pull_mark"] - f for f in r["fulcrum"]]
    pre = each(lambda f, a, b: ((r["load"] - z) * a - (r["bar_weight"] - z) * (r["bar_centre"] - f)) / b, r["fulcrum"], la, pa)
    net = [e - z for e in r["effort"]]
    return {"load_arm": la, "pull_arm": pa, "predicted": pre, "measured": net, "advantage": [(r["load"] - z) / n for n in net]}

def mooring_line(r, k):
    m = each(lambda x, y: sqrt(x * x + y * y), r["along"], r["across"])
    d = each(lambda x, y: degrees(atan2(y, x)), r["along"], r["across"])
    return {"magnitude": m, "direction": d, "radians": [radians(a) for a in d], "x_back": each(lambda s, a: s * cos(radians(a)), r["length"], r["angle"]),
            "y_back": each(lambda s, a: s * sin(radians(a)), r["length"], r["angle"]), "off": each(lambda a, s: abs(a - s) / s * 100, m, r["length"])}

def fog_pipe(r, k):
    f = [{"a": 493.9, "b": 415.3, "c": 392.0, "d": 349.2}[x] for x in r["fork"]]
    bore = mean(r["inside"]) / 10
    e = 0.3 * bore
    c = [l + e for l in r["length"]]
    inv = [100 / l for l in c]
    prod = each(lambda a, b: a * b, f, c)
    v, kk = 4 * mean(prod) / 100, origin([1 / l for l in c], f)
    ref = 331.3 * sqrt((r["air"] + 273.15) / 273.15)
    return {"least_count": r["main_division"] / r["vernier_divisions"], "bore": bore, "end_correction": e, "corrected": c, "inverse": inv, "product": prod,
            "speed": v, "gradient": kk, "speed_graph": 4 * kk / 100, "error": abs(v - ref) / ref * 100, "unknown": mean(prod) / (mean(r["unknown_length"]) + e)}

def signal_scope(r, k):
    pp = each(lambda n, g: n * g, r["height"], r["gain"])
    t = each(lambda n, b: n * b, r["width"], r["time_base"])
    f = [1000 / x for x in t]
    return {"peak_to_peak": pp, "amplitude": [p / 2 for p in pp], "effective": [p / 2 / sqrt(2) for p in pp], "period": t, "frequency": f,
            "by_dial": each(lambda d, x: d * x, r["dial"], r["decade"]), "off": each(lambda a, b: abs(a - b) / b * 100, f, r["counter"])}

def beacon_timer(r, k):
    half, t, ln = r["half_cursor"] - r["start"], [x - r["start"] for x in r["cursor"]], [log(u) for u in r["voltage"]]
    s = line(t, ln, [u * u for u in r["voltage"]])[0]
    return {"half_time": half, "tau_half": half / log(2), "time": t, "logarithm": ln, "decay_slope": s, "tau_slope": -1 / s,
            "tau_meters": r["resistor"] * r["capacitor"] / 1000, "tau_two": (r["half_two"] - r["start_two"]) / log(2), "tau_fast": r["fast_half"] / log(2),
            "tau_fast_meters": r["fast_resistor"] * r["fast_capacitor"] / 1000, "alike": None}

def beam_bench(r, k):
    coil, gap = {"1": (4.172, 5.35), "2": (4.236, 5.42)}[k["station"]]
    b = each(lambda p, m: coil * (p + m) / 2, r["current_plus"], r["current_minus"])
    v = each(lambda u, x: u / (gap / 100 * x / 1000), r["straight_voltage"], b)
    q = each(lambda s, u: s * s / (2 * u), v, r["straight_voltage"])
    bb, h = [coil * i for i in r["bent_current"]], each(lambda u, d: (u - d) / 2, r["y_up"], r["y_down"])
    rad = each(lambda x, y: (x * x + y * y) / (2 * y), r["x"], h)
    qq = each(lambda u, x, y: 2 * u / (x / 1000 * y / 100) ** 2, r["bent_voltage"], bb, rad)
    m = (mean(q) + mean(qq)) / 2
    return {"field": b, "speed": v, "charge_crossed_row": q, "charge_crossed": mean(q), "bent_field": bb, "height": h, "radius": rad, "charge_bent_row": qq,
            "charge_bent": mean(qq), "error": abs(m - 1.75882e11) / 1.75882e11 * 100, "alike": None}

def ring_tube(r, k):
    dist = {"1": 133.0, "2": 137.0}[k["station"]]
    inv = [1 / sqrt(u) for u in r["voltage"]]
    s, l = each(lambda a, b: (a + b) / 2, r["small_inner"], r["small_outer"]), each(lambda a, b: (a + b) / 2, r["large_inner"], r["large_outer"])
    ks, kl = origin(inv, s), origin(inv, l)
    wave = 6.62607015e-34 / sqrt(2 * 9.1093837e-31 * 1.602176634e-19 * 1000) * 1e9
    wide, narrow = 2 * dist * wave / ks, 2 * dist * wave / kl
    return {"inverse_root": inv, "small": s, "large": l, "small_slope": ks, "large_slope": kl, "wide": wide, "narrow": narrow, "ratio": wide / narrow}

def reflector(r, k):
    g = [x - r["mirror"] for x in r["lamp"]]
    b = [None if x is None else x - r["mirror"] for x in r["screen"]]
    f = [None if y is None else 1 / (1 / x + 1 / y) for x, y in zip(g, b)]
    zone = r["zone"]
    return {"object_distance": g, "image_distance": b, "by_heights": [None if h is None else h / r["lamp_height"] for h in r["image_height"]],
            "by_distances": [None if y is None else y / x for x, y in zip(g, b)], "focal_row": f, "focal": mean(x for x in f if x is not None),
            "kind": [{"at the focus": "none", "inside the focus": "virtual"}.get(z, "real") for z in zone],
            "attitude": [{"at the focus": "none", "inside the focus": "upright"}.get(z, "inverted") for z in zone],
            "size": [{"at the focus": "none", "beyond the centre": "smaller", "at the centre": "equal"}.get(z, "larger") for z in zone],
            "kind_two": ["virtual", "virtual"], "attitude_two": ["upright", "upright"]}

def bilge_acid(r, k):
    tab = {"U": 122.12, "W": 150.18}[k["sample"]]
    m, v = r["boat_full"] - r["boat_empty"], [x - r["start"] for x in r["burette"]]
    e = end_point(v, r["ph"])
    n = 0.1018 * e
    return {"electrode": (r["buffer_seven"] - r["buffer_four"]) / 3 * 100, "mass": m, "added": v, "end_point": e, "pka": between(v, r["ph"], e / 2),
            "amount": n, "molar_mass": m / n * 1000, "error": abs(m / n * 1000 - tab) / tab * 100}

def ballast_fizz(r, k):
    out, n = {}, 5
    for c in "123":
        e = end_point(r["volume_" + c], r["ph_" + c])
        out["end_" + c], out["acid_" + c] = e, 2 * 0.0512 * e / (n * 2.06)
    out["acid"] = (out["acid_1"] + out["acid_2"] + out["acid_3"]) / 3
    out["used"] = sum(r["volume_" + c][-1] for c in "123")
    out["error"] = abs(out["acid"] - 0.1) / 0.1 * 100
    return out

def rust_iron(r, k):
    m, t = r["boat_full"] - r["boat_empty"], each(lambda a, b: b - a, r["start"], r["end"])
    kept = sorted(x for x, w in zip(t, r["run"]) if w == "kept")
    sets = [[x for x in kept if lo <= x <= lo + 0.1 + 1e-9] for lo in kept]
    vm = mean(max(sets, key=lambda s: (len(s), -(s[-1] - s[0]))))
    c2 = 5 * 0.02014 * vm / 25
    c1 = c2 * 250 / (2 * 25)
    fe = c1 * 0.1 * 55.845
    return {"mass": m, "titre": t, "mean_titre": vm, "diluted": c2, "stock": c1, "iron_mass": fe, "share": fe / m * 100}

def base_standard(r, k):
    n = [m / 204.221 * 1000 for m in r["salt"]]
    x, t = [a / 0.1 for a in n], each(lambda a, b: b - a, r["start"], r["end"])
    c = each(lambda a, b: a / b, n, t)
    return {"amount": n, "expected": x, "predicted": each(lambda a, b: a + b, r["start"], x), "titre": t, "each": c, "concentration": mean(c), "spread": stdev(c),
            "relative": stdev(c) / mean(c) * 100}

def descale_acid(r, k):
    t = each(lambda a, b: b - a, r["acid_start"], r["acid_end"])
    kept = sorted(x for x, w in zip(t, r["acid_run"]) if w == "kept")
    sets = [[x for x in kept if lo <= x <= lo * 1.01 + 1e-9] for lo in kept]
    vm = mean(max(sets, key=lambda s: (len(s), -(s[-1] - s[0]))))
    a = 0.1007 * vm / 10
    m, s = each(lambda x, y: x - y, r["solid_full"], r["solid_empty"]), each(lambda x, y: y - x, r["solid_start"], r["solid_end"])
    mm = each(lambda x, y: x / (0.1007 * y / 1000), m, s)
    off = 0 if 0.2150 <= a <= 0.2180 else None
    return {"acid_titre": t, "acid_mean": vm, "acid": a, "error": abs(a - 0.2165) / 0.2165 * 100, "solid_mass": m, "solid_titre": s, "molar_each": mm, "molar": mean(mm)}

def crystal_yield(r, k):
    ma = r["glass_anhydride"] - r["glass_residue"]
    na, nb = ma / 100.07 * 1000, r["amine_volume"] * 1.022 / 93.13 * 1000
    th, mp = min(na, nb) / 1000 * 193.20, r["paper_crystals"] - r["paper"]
    return {"anhydride": ma, "anhydride_amount": na, "amine_amount": nb, "limiting": "anhydride" if na < nb else "amine", "theory": th, "crystals": mp,
            "percent": mp / th * 100, "melts": r["melts_from"] + (r["melts_to"] - r["melts_from"]) / 2}

def bell_pendulum(r, k):
    l, t = [s + r["bob"] / 20 for s in r["thread"]], [x / 20 for x in r["timed"]]
    sq = [x * x for x in t]
    kk = line([x / 100 for x in l], sq)[0]
    g = 4 * pi ** 2 / kk
    return {"length": l, "period": t, "square": sq, "gradient": kk, "fall": g, "error": abs(g - 9.815) / 9.815 * 100}

def fender_spring(r, k):
    s, f = [x - r["rest"] for x in r["pointer"]], [m / 1000 * 9.815 for m in r["load"]]
    ks = line([x / 1000 for x in s], f)[0]
    t = [x / 20 for x in r["timed"]]
    sq = [x * x for x in t]
    a, b = line([m / 1000 for m in r["bob"]], sq)
    return {"stretch": s, "force": f, "static_constant": ks, "period": t, "square": sq, "gradient": a, "swinging_constant": 4 * pi ** 2 / a,
            "share": b / a / (r["spring_mass"] / 1000), "alike": None}

def galley_calorimeter(r, k):
    tab = {"1": 0.380, "2": 0.460, "3": 0.8975, "4": 0.385}[k["fitting"]]
    w = r["vessel_water"] - r["vessel"]
    b = line(r["time"], r["mixture"])[0]
    t = mean(r["mixture"]) + b * (r["mixed_at"] - mean(r["time"]))
    q = (w * 4.182 + r["vessel"] * 0.897) * (t - r["cold"])
    c = q / (r["fitting_mass"] * (r["hot"] - t))
    return {"water": w, "rate": b, "carried_back": t, "gained": q, "specific_heat": c, "error": abs(c - tab) / tab * 100}

def marker_dye(r, k):
    low, high = {"P": (17.7, 18.3), "Q": (24.6, 25.4), "R": (31.5, 32.5)}[k["sample"]]
    c = [50.00 * v / r["flask"] for v in r["portion"]]
    a = [x - r["blank"] for x in r["absorbance"]]
    slope, offset = line(c, a)
    x = mean(r["sample_absorbance"]) - r["blank"]
    thin = (x - offset) / slope
    d = r["flask"] / r["sample_portion"]
    tab = (low + high) / 2
    return {"standard": c, "net": a, "gradient": slope, "offset": offset, "sample_net": x, "diluted": thin, "dilution": d,
            "strength": thin * d, "error": abs(thin * d - tab) / tab * 100}

def brief_source(r, k):
    rb = r["background"] / r["background_time"]
    rate = [n / r["gate"] - rb for n in r["hits"]]
    y = [log(x) for x in rate]
    # Of a count N the variance is N, so that of ln(rate) is N over the square of the net count.
    w = [(x * r["gate"]) ** 2 / n for x, n in zip(rate, r["hits"])]
    slope = line(r["start"], y, w)[0]
    t = -log(2) / slope
    return {"background_rate": rb, "rate": rate, "chance": sqrt(r["hits"][0]), "logarithm": y, "gradient": slope, "half_life": t,
            "error": abs(t - 153.1) / 153.1 * 100}

def port_lens(r, k):
    f = [u * v / (u + v) for u, v in zip(r["object"], r["image"])]
    d = [b - a for a, b in zip(r["first_place"], r["second_place"])]
    g = [(s - m) * (s + m) / (4 * s) for s, m in zip(r["apart"], d)]
    # A strength is told in 1/m.
    return {"f_far": mean(r["far_image"]), "f_pair": f, "enlargement": [-v / u for u, v in zip(r["object"], r["image"])],
            "f_pairs": mean(f), "moved": d, "f_move": g, "f_places": mean(g), "strength": 100 / mean(g), "alike": None}

def shown(v):
    return v if isinstance(v, str) else f"{v:.7g}"

def main():
    labs = sorted(f[:-4] for f in os.listdir(HERE) if f.endswith(".csv"))
    every = {}
    for lab in labs:
        path = os.path.join(HERE, lab + ".csv")
        with open(path, newline="") as f:
            rows = list(csv.DictReader(f))
        fields = list(rows[0])
        readings = [x for x in rows if x["note"] != "worked"]
        r, keys = {}, {}
        last = {}
        for x in readings:
            last[x["item"]] = max(last.get(x["item"], 0), int(x["row"] or 0))
        for x in readings:
            text = x["value"].replace(",", ".")
            try:
                value = float(text)
            except ValueError:
                value = text
            if x["row"]:
                r.setdefault(x["item"], [None] * last[x["item"]])[int(x["row"]) - 1] = value
            else:
                r[x["item"]] = value
            for key in [c for c in fields if c not in ("section", "team", "item", "row", "value", "unit", "plus_minus", "excluded", "note")]:
                if x[key]:
                    keys[key] = x[key]
                    if x["row"] and key in ("fork",):
                        r.setdefault(key, [None] * last[x["item"]])
                        if len(r[key]) >= int(x["row"]):
                            r[key][int(x["row"]) - 1] = x[key]
        # Columns of one table that stop early have gaps at their end.
        for item in ("screen", "image_height"):
            if item in r:
                r[item] += [None] * (len(r["lamp"]) - len(r[item]))
        results = {i: v for i, v in globals()[lab.replace("-", "_")](r, keys).items() if v is not None}
        every[lab] = results
        first = readings[0]
        out = list(readings)
        for item, v in results.items():
            for n, one in enumerate(v if isinstance(v, list) else [v]):
                if one is None:
                    continue
                row = dict.fromkeys(fields, "")
                row.update({"section": first["section"], "team": first["team"], "item": item, "value": shown(one), "note": "worked"})
                if isinstance(v, list):
                    row["row"] = n + 1
                for key in keys:
                    # A key of the row goes with its row.
                    mine = [x[key] for x in readings if x["row"] == str(n + 1)] if isinstance(v, list) else []
                    row[key] = mine[0] if mine and key in ("fork", "station") else (first[key] or "")
                out.append(row)
        with open(path, "w", newline="") as f:
            w = csv.DictWriter(f, fields, lineterminator="\n")
            w.writeheader()
            w.writerows(out)
        with open(os.path.join(HERE, lab + ".md"), "w") as f:
            f.write(f"# {lab}, worked through\n\nReadings as one team wrote them, and what follows from them, worked out by [`worked.py`](worked.py), not by Jurado.\n")
            f.write(f"The table is [`{lab}.csv`]({lab}.csv); the lab is [`protocols/{lab}.toml`](../../protocols/{lab}.toml).\n\n")
            if keys:
                f.write("Keys: " + ", ".join(f"{a} {b}" for a, b in sorted(keys.items()) if a != "fork") + ".\n\n")
            f.write("| reading | values | unit |\n|---|---|---|\n")
            for item in dict.fromkeys(x["item"] for x in readings):
                mine = [x for x in readings if x["item"] == item]
                f.write(f"| {item} | {', '.join(x['value'] for x in mine)} | {mine[0]['unit']} |\n")
            f.write("\n| result | value |\n|---|---|\n")
            for item, v in results.items():
                f.write(f"| {item} | {', '.join('—' if x is None else shown(x) for x in (v if isinstance(v, list) else [v]))} |\n")
    with open(os.path.join(HERE, "worked.json"), "w") as f:
        json.dump(every, f, indent=1)
        f.write("\n")

main()

"""Logs of a module's own balance of its cylinders, drawn at random, put to the contribution reading.

python3 benchmarks/contribution_logs.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds logs already is only read. Needs numpy.
"""
import json
import numpy as np
from asked import ask, codes, put_to
from log_files import logged_times, wandering, write_log

# What is logged: names, unit, level, what healthy cylinders differ by, what a weak one does, its sign and places.
BALANCES = {
    "fuel": (
        ["Injection quantity correction cyl {}", "Cylinder {} fuel balance", "Smooth running correction {}"],
        "mg/st",
        0,
        0.12,
        1.8,
        1,
        2,
    ),
    "trim": (["Cyl {} fuel trim", "Fuel correction cylinder {}"], "%", 0, 0.8, 9, 1, 1),
    "speed": (["Cylinder {} speed deviation", "Speed contribution cyl {}", "Roughness speed {}"], "rpm", 0, 1.2, 14, -1, 1),
    "power": (["Cylinder {} power", "Power balance cyl {}"], "%", 100, 1.5, 28, -1, 0),
    "torque": (["Cyl {} torque share", "Torque cylinder {}"], "%", None, 0.4, 8, -1, 1),
}
KINDS = [
    "healthy",
    "one",
    "one-strong",
    "two",
    "slight",
    "noisy",
    "switched",
    "drive",
    "outliers",
    "one-missing",
    "far",
    "coarse",
    "healthy-noisy",
    "dead",
]
ORDERS = {3: [1, 2, 3], 4: [1, 3, 4, 2], 5: [1, 2, 4, 5, 3], 6: [1, 5, 3, 6, 2, 4], 8: [1, 8, 4, 3, 6, 5, 7, 2]}


def deviations(rng, count, kind, healthy, weak):
    """What each cylinder stands off by, weaker positive, and which of them are odd."""
    own, odd = rng.normal(0, healthy, count), {}
    if kind in ("healthy", "healthy-noisy"):
        return np.clip(own, -2 * healthy, 2 * healthy), odd
    chosen = rng.permutation(count)[: 2 if kind == "two" and count > 4 else 1]
    for c in chosen:
        share = {"slight": 0.5, "far": 3, "dead": 4}.get(kind, rng.uniform(0.7, 1.5))
        own[c] = share * weak * (-1 if kind == "one-strong" else 1)
        odd[int(c) + 1] = bool(kind == "one-strong")
    return own, odd


def drawn(rng, kind):
    """The rows of one log: seconds, columns and what is known of it."""
    count, what = int(rng.choice(list(ORDERS))), str(rng.choice(list(BALANCES)))
    names, unit, level, healthy, weak, sign, places = BALANCES[what]
    level = 100 / count if level is None else level
    own, odd = deviations(rng, count, kind, healthy, weak)
    # A balance adds up to nothing: what one is given the others lose.
    off = own - own.mean() if what in ("fuel", "torque") or rng.random() < 0.3 else own
    step = float(rng.choice([0.1, 0.2, 0.5, 1.0, 2.0]))
    seconds = logged_times(rng, rng.uniform(40, 240) * (2 if step > 0.7 else 1), step)
    scatter = healthy * rng.uniform(0.5, 2) * (4 if "noisy" in kind else 1)
    drift = healthy * rng.uniform(0, 2) * wandering(rng, seconds, 40)
    values = [level + sign * o + drift + scatter * wandering(rng, seconds, rng.uniform(0.2, 3)) for o in off]
    speed = rng.uniform(650, 850) + 10 * wandering(rng, seconds, 2)
    if kind in ("switched", "drive"):
        away = (seconds > rng.uniform(0.1, 0.3) * seconds[-1]) & (seconds < rng.uniform(0.4, 0.6) * seconds[-1])
        speed = np.where(away, 2000 + 300 * wandering(rng, seconds, 5), speed)
        values = [np.where(away, level if kind == "switched" else level + (v - level) * 0.5, v) for v in values]
    if kind == "outliers":
        values = [np.where(rng.random(len(v)) < 0.02, level + 40 * weak * rng.choice([-1, 1]), v) for v in values]
    if kind == "coarse":
        grain = 2 * healthy
        values = [np.round(v / grain) * grain for v in values]
    gone = int(rng.permutation([c for c in range(count) if c + 1 not in odd])[0]) if kind == "one-missing" and count > 3 else None
    name = str(rng.choice(names))
    columns = {"Engine speed": ("rpm", speed, 0), "Coolant temperature": ("°C", np.linspace(80, 90, len(seconds)), 0)}
    named = {c + 1: name.format(c + 1) for c in range(count) if c != gone}
    columns.update({named[c]: (unit, values[c - 1], places) for c in named})
    known = {"kind": kind, "what": what, "n": count, "odd": odd, "there": sorted(named)}
    known["weak"] = {c: float(own[c - 1] - np.median([own[k - 1] for k in named if k != c])) for c in named}
    return seconds, columns, named, sign, known


def make(folder, seed, count):
    rng, truth = np.random.default_rng(seed), []
    for i in range(count):
        seconds, columns, named, sign, known = drawn(rng, KINDS[i % len(KINDS)])
        known["id"] = f"{i:03d}"
        write_log(rng, f"{folder}/{i:03d}.csv", seconds, columns)
        with open(f"{folder}/{i:03d}.engine.json", "w") as file:
            json.dump({"cylinders": known["n"], "firingOrder": ORDERS[known["n"]]}, file)
        known["words"] = ["--weak-is", "higher" if sign > 0 else "lower"] if rng.random() < 0.5 else []
        if rng.random() < 0.5:
            known["words"] += [w for c, name in named.items() for w in ("--channel", f"cylinder{c}={name}")]
        truth.append(known)
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    name = f"{folder}/{known['id']}"
    return ask([command, "read", "contribution", name + ".csv", "--engine", name + ".engine.json", *known["words"]])


def judge(known, result):
    """Whether the odd cylinders, and only they, are named, on their side, out of those that have a column."""
    if result["verdict"] == "unusable":
        return None
    told = {c["cylinder"]: c for c in result["cylinders"]}
    odd = {c for c in told if told[c]["isOdd"]}
    sides = all((told[int(c)]["weak"] < 0) == strong for c, strong in known["odd"].items() if int(c) in odd)
    return sorted(told) == known["there"] and odd == {int(c) for c in known["odd"]} and sides


def say(known, result, right):
    """One line of what was known and what was said."""
    said = " ".join(f"{c['cylinder']}:{c['value']:.2f}~{c['spread']:.2f}{'!' if c['isOdd'] else ''}" for c in result.get("cylinders", []))
    print(
        known["id"],
        known["kind"],
        known["what"],
        known["n"],
        "odd",
        known["odd"],
        "said",
        result["verdict"],
        said,
        result.get("sign"),
        codes(result),
    )


def main():
    truth, _, rights = put_to(__doc__, "say every log, not only what is wrong or refused", make, read, judge, say)
    print(f"{len(truth)} logs, refused {rights.count(None)}, right {rights.count(True)}")


main()

"""Tables of what was measured at one component, worked out from circuits of resistances, put to the circuit reading.

python3 benchmarks/circuit_tables.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds tables already is only read. Needs numpy.
"""
import json
import numpy as np
from asked import ask, codes, put_to

# Fault of the circuit, and the wire's state that has to be told.
LOADS = {
    "sound": None,
    "supply-high": ("supply", "high-resistance"),
    "ground-high": ("ground", "high-resistance"),
    "supply-open": ("supply", "open"),
    "ground-open": ("ground", "open"),
    "no-load-only": None,
    "both-high": ("supply", "high-resistance"),
}
SENSORS = {
    "sound": None,
    "supply-high": ("supply", "high-resistance"),
    "ground-high": ("ground", "high-resistance"),
    "supply-open": ("supply", "open"),
    "ground-open": ("ground", "open"),
    "signal-open": ("signal", "open"),
    "signal-to-ground": ("signal", "short-to-ground"),
    "signal-to-supply": ("signal", "short-to-supply"),
    "supply-to-ground": ("supply", "short-to-ground"),
}


def at_load(rng, kind):
    """Rows of a load between battery and ground, by Ohm's law; which wires are proven sound."""
    battery, load = rng.uniform(11.9, 14.4), rng.uniform(1, 12)
    current = battery / load
    drop = {"supply": rng.uniform(0.05, 0.35), "ground": rng.uniform(0.004, 0.07)}
    wires = {wire: volts / current for wire, volts in drop.items()}
    if kind in ("supply-high", "both-high"):
        wires["supply"] = load * rng.uniform(0.08, 0.5)
    if kind in ("ground-high", "both-high"):
        wires["ground"] = load * rng.uniform(0.03, 0.3)
    if kind == "supply-open":
        wires["supply"] = 1e7
    if kind == "ground-open":
        wires["ground"] = 1e7
    current = battery / (load + sum(wires.values()))
    supply, ground = battery - current * wires["supply"], current * wires["ground"]
    running = battery > 13
    live = str(
        rng.choice(
            ["running, loaded", "loaded, running"]
            if running
            else ["key on, loaded", "loaded", "loaded, key on", "key on, plugged in, loaded"]
        )
    )
    rows = [("battery +", "battery -", "voltage", battery, live)]
    proven = {"supply", "ground"}
    if kind == "no-load-only":
        rows = [
            ("battery +", "battery -", "voltage", battery, "key on, unplugged"),
            ("supply", "battery -", "voltage", battery, "key on, unplugged"),
        ]
        rows.append(("ground", "battery -", "resistance", rng.uniform(0.05, 0.3), "key off, unplugged"))
        return rows, set()
    some = rng.random()
    if some < 0.4 or kind != "sound":
        rows += [("supply", "battery -", "voltage", supply, live), ("ground", "battery -", "voltage", ground, live)]
    elif some < 0.6:
        rows += [("battery +", "supply", "voltage", battery - supply, live), ("ground", "battery -", "voltage", ground, live)]
    elif some < 0.8:
        rows += [("supply", "battery -", "voltage", supply, live)]
        proven = {"supply"}
    else:
        rows += [("ground", "battery -", "voltage", ground, live)]
        proven = {"ground"}
    if rng.random() < 0.3 and load > 2.5:
        rows.append(("supply", "ground", "resistance", load, "key off, unplugged"))
    return rows, proven


def at_sensor(rng, kind):
    """Rows of a sensor fed from a module's regulated supply."""
    battery, feed, reads = rng.uniform(12.2, 14.3), rng.uniform(4.96, 5.04), rng.uniform(0.8, 3.8)
    live, open_ = "key on, loaded", "key on, unplugged"
    small, little = rng.uniform(0.001, 0.03), rng.uniform(0.0, 0.03)
    supply, ground, signal, at_module = feed - small, little, reads, reads - rng.uniform(0, 0.005)
    rows = [("battery +", "battery -", "voltage", battery, live)] if rng.random() < 0.7 else []
    if kind == "supply-high":
        supply = feed * rng.uniform(0.55, 0.9)
        rows.append(("supply 5V", "module ground", "voltage", feed, open_))
    if kind == "supply-open":
        supply = rng.uniform(0, 0.03)
        rows += [("module supply", "module ground", "voltage", feed, live), ("supply 5V", "module ground", "voltage", 0.0, open_)]
    if kind == "supply-to-ground":
        supply = rng.uniform(0.0, 0.05)
        rows += [
            ("supply 5V", "module ground", "voltage", 0.0, open_),
            ("supply 5V", "module ground", "resistance", rng.uniform(0.1, 1.5), "key off, unplugged"),
        ]
    if kind == "ground-high":
        ground = rng.uniform(0.25, 1.5)
    if kind == "ground-open":
        ground = supply - rng.uniform(0, 0.2)
        rows.append(("ground", "module ground", "resistance", np.inf, "key off, unplugged"))
    if kind == "signal-open":
        at_module = rng.choice([feed, 0.0])
        rows.append(("signal", "module signal", "resistance", np.inf, "key off, unplugged"))
    if kind == "signal-to-ground":
        signal = at_module = rng.uniform(0, 0.02)
        rows.append(("signal", "ground", "resistance", rng.uniform(0.1, 2), "key off, unplugged"))
    if kind == "signal-to-supply":
        signal = at_module = rng.choice([battery, feed])
        rows.append(("signal", "module ground", "voltage", signal, open_))
        if signal == battery:
            rows.append(("signal", "battery +", "resistance", rng.uniform(0.1, 2), "key off, unplugged"))
        else:
            rows.append(("signal", "supply 5V", "resistance", rng.uniform(0.1, 2), "key off, unplugged"))
    rows += [("supply 5V", "module ground", "voltage", supply, live), ("ground", "module ground", "voltage", ground, live)]
    if kind in ("signal-open", "sound"):
        rows += [("signal", "module ground", "voltage", signal, live), ("module signal", "module ground", "voltage", at_module, live)]
    elif kind.startswith("signal"):
        rows.append(("signal", "module ground", "voltage", signal, live))
    return rows, {"supply", "ground"} - ({"ground"} if kind == "supply-to-ground" else set())


def as_read(rng, row):
    """One row as it is written down: leads swapped, another unit, the meter's digits."""
    start, end, kind, value, condition = row
    if kind == "voltage" and rng.random() < 0.15:
        start, end, value = end, start, -value
    if not np.isfinite(value):
        return start, end, kind, str(rng.choice(["OL", "∞"])), "Ohm", condition
    unit, places = ("V", 2) if kind == "voltage" else (str(rng.choice(["Ohm", "Ω"])), 2)
    if kind == "voltage" and abs(value) < 0.1:
        value, unit, places = (1000 * value, "mV", 1) if rng.random() < 0.5 else (value, "V", 3)
    return start, end, kind, f"{value:.{places}f}", unit, condition


def write(rng, path, rows):
    separator, comma = [(",", False), (";", True), ("\t", False)][rng.integers(3)]
    lines = ["# component, job 12"][: rng.integers(2)] + [separator.join(["from", "to", "kind", "value", "unit", "condition"])]
    for row in rng.permutation(len(rows)):
        cells = list(as_read(rng, rows[row]))
        cells[3] = cells[3].replace(".", ",") if comma else cells[3]
        lines.append(separator.join(f'"{c}"' if separator in c else c for c in cells))
    with open(path, "w", encoding=str(rng.choice(["utf-8", "utf-8-sig", "utf-16"]))) as file:
        file.write("\n".join(lines) + "\n")


def make(folder, seed, count):
    rng, truth = np.random.default_rng(seed), []
    kinds = [("load", k) for k in LOADS] + [("sensor", k) for k in SENSORS]
    for i in range(count):
        what, kind = kinds[i % len(kinds)]
        rows, proven = (at_load if what == "load" else at_sensor)(rng, kind)
        fault = [f for f in [(LOADS if what == "load" else SENSORS)[kind]] if f] + (
            [("ground", "high-resistance")] if kind == "both-high" else []
        )
        write(rng, f"{folder}/{i:03d}.csv", rows)
        truth.append({"id": f"{i:03d}", "kind": f"{what}-{kind}", "fault": fault, "sound": sorted(proven - {w for w, _ in fault})})
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    return ask([command, "read", "circuit", f"{folder}/{known['id']}.csv"])


def judge(known, result):
    """Whether every faulty wire is named with its state, no other, and what was proven sound is said to be."""
    states = {w["wire"].lower().replace(" 5v", ""): w["state"] for w in result.get("wires", [])}
    told = {(w, s) for w, s in states.items() if s not in ("sound", "not-measured")}
    verdicts = ["fault"] if known["fault"] else ["sound"] if known["sound"] else ["sound", "unusable"]
    sound = all(states.get(w) == "sound" for w in known["sound"]) if known["kind"] != "sensor-supply-open" else True
    return result["verdict"] in verdicts and told == {tuple(f) for f in known["fault"]} and sound


def say(known, result, right):
    """One line of what was known and what was said."""
    print(
        known["id"],
        known["kind"],
        known["fault"],
        "sound",
        known["sound"],
        "said",
        result["verdict"],
        [(w["wire"], w["state"]) for w in result.get("wires", [])],
        codes(result),
    )


def main():
    truth, _, rights = put_to(__doc__, "say every table, not only what is wrong", make, read, judge, say)
    print(f"{len(truth)} tables, right {rights.count(True)}")


main()

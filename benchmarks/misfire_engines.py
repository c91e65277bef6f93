"""Misfires put to running engines of a model of their own (running_model.py): makes captures of the crank sensor and one cylinder's spark,
and says how the counts meet what the model left unburnt.

python3 benchmarks/misfire_engines.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds captures already is only read. Needs numpy.
"""
import json
import numpy as np
from asked import ask, put_to, save
from running_model import STEP, draw_running, run

KINDS = ["none", "one", "dead", "random", "two", "weak", "weak", "one"]
WHEELS = [(60, 2), (60, 2), (36, 1), (36, 2), (24, 1), (48, 1)]


def draw_driven(rng):
    """A running engine whose pistons and rods weigh something; two of five are held above idle."""
    e = draw_running(rng)
    e["rpm"] = rng.uniform(620, 950) if rng.random() < 0.6 else rng.uniform(1200, 3200)
    e["suction"] = rng.uniform(28e3, 42e3) if e["rpm"] < 1000 else rng.uniform(32e3, 60e3)
    e["scatter"] = rng.uniform(0.02, 0.07) if e["rpm"] < 1000 else rng.uniform(0.01, 0.04)
    e["reciprocating"] = rng.uniform(0.45, 0.75) * e["volume"] / 0.45e-3
    return e


def fault(rng, e, kind):
    """Misfires in some firings of one or two cylinders or of all, in all of one, or a weak burn, which is none."""
    chosen = rng.permutation(e["n"])
    if kind == "random":
        e["misses"][:] = rng.uniform(0.01, 0.05)
    elif kind == "weak":
        e["burns"][chosen[0]] = rng.uniform(0.35, 0.85)
    else:
        share = {"none": lambda: 0, "dead": lambda: 1}.get(kind, lambda: rng.uniform(0.04, 0.6))
        e["misses"][chosen[: {"none": 0, "two": 2}.get(kind, 1)]] = share()


def crank_volts(rng, degrees, speed, teeth, missing):
    """A wheel that runs out and whose teeth are not all alike, before a hall or an inductive sensor."""
    runout, phase, first = rng.uniform(0.02, 0.12), rng.uniform(0, 2 * np.pi), rng.uniform(0, 360)
    edges = np.arange(teeth + 1) * 360 / teeth + np.append(rng.normal(0, rng.uniform(0.005, 0.03), teeth), 0)
    edges[-1] = 360 + edges[0]
    turned = (degrees - first + runout * np.sin(np.radians(degrees) + phase)) % 360
    tooth = np.clip(np.searchsorted(edges, turned, side="right") - 1, 0, teeth - 1)
    share = (turned - edges[tooth]) / np.diff(edges)[tooth]
    there = tooth < teeth - missing
    if rng.random() < 0.5:
        return np.where(there & (share < 0.5), 0.2, 4.8) + rng.normal(0, 0.03, len(degrees))
    volts = np.where(there, np.sin(2 * np.pi * share), 0) * speed / speed.mean() * rng.uniform(2, 20)
    return volts + rng.normal(0, 0.01 * volts.max(), len(degrees))


def record(rng, e, name, angles, tdc):
    """Writes one capture and its engine file; the words that read it."""
    rate = float(rng.choice([20e3, 25e3, 50e3, 100e3]))
    seconds = np.arange(0, (len(angles) - 1) * STEP, 1 / rate)
    degrees = np.interp(seconds, np.arange(len(angles)) * STEP, angles)
    teeth, missing = WHEELS[rng.integers(len(WHEELS))]
    sync = int(rng.integers(1, e["n"] + 1))
    spark = (degrees - tdc[sync - 1] + rng.uniform(5, 25)) % 720 < 1.5
    columns = {"Time (s)": seconds, "Crank (V)": crank_volts(rng, degrees, np.gradient(degrees), teeth, missing)}
    columns["Sync (V)"] = np.where(spark, 0, 12.3) + rng.normal(0, 0.03, len(seconds))
    save(name + ".csv", columns, 6)
    engine = {"name": "Made up", "cylinders": e["n"], "firingOrder": e["order"], "firingAngles": [float(a) for a in e["angles"]]}
    if rng.random() < 0.8:
        engine["crankWheel"] = {"teeth": teeth, "missing": [missing]}
    with open(name + ".engine.json", "w") as file:
        json.dump(engine, file)
    return ["--channel", "crank=Crank", "--channel", "sync=Sync", "--sync-kind", "ignition", "--sync-cylinder", str(sync)]


def make(folder, seed, count):
    rng = np.random.default_rng(seed)
    engines = [draw_driven(rng) for _ in range(count)]
    for i, e in enumerate(engines):
        fault(rng, e, KINDS[i % len(KINDS)])
    angles, kept, _, tdc = run(engines, seed)
    truth = []
    for i, e in enumerate(engines):
        fired = [(int(c), float(share)) for _, engine, c, share in kept["firings"] if engine == i]
        rpm = (angles[-1, i] - angles[0, i]) / 6 / len(angles) / STEP
        known = {"id": f"{i:03d}", "kind": KINDS[i % len(KINDS)], "n": e["n"], "rpm": rpm}
        known["firings"] = [sum(c == k for c, _ in fired) for k in range(e["n"])]
        known["misfires"] = [sum(c == k and share == 0 for c, share in fired) for k in range(e["n"])]
        known["burnt"] = [round(100 * float(np.mean([share for c, share in fired if c == k]))) for k in range(e["n"])]
        known["words"] = record(rng, e, f"{folder}/{i:03d}", angles[:, i], tdc[i])
        truth.append(known)
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    name = f"{folder}/{known['id']}"
    return ask([command, "read", "misfire", name + ".csv", "--engine", name + ".engine.json", *known["words"]])


def judge(known, result):
    """Whether no more than one, or two in a hundred, are missed, and no more than one, or one in 500, said that were none. Firings cut off
    by the ends of the capture are not judged.
    """
    if result["verdict"] == "unusable":
        return None
    told = sorted(result["cylinders"], key=lambda c: c["cylinder"])
    cut = [fired - c["firings"] for fired, c in zip(known["firings"], told)]
    missed = sum(max(0, true - c["misfires"] - off) for true, c, off in zip(known["misfires"], told, cut))
    false = sum(max(0, c["misfires"] - true) for true, c in zip(known["misfires"], told))
    return missed <= max(1, 0.02 * sum(known["misfires"])) and false <= max(1, sum(known["firings"]) / 500)


def say(known, result, right):
    """One line of what was known and what was said."""
    told = sorted(result.get("cylinders", []), key=lambda c: c["cylinder"])
    print(known["id"], known["kind"], f"{known['n']} at {known['rpm']:.0f}", "true", known["misfires"], "said",
          [c["misfires"] for c in told], f"of {known['firings'][0]} each, burnt", known["burnt"], "said to add",
          [round(c["contributionPercent"] or 0) for c in told], "refused" if right is None else f"right {right}",
          ",".join(n["code"] for n in result.get("notes", []) if n["code"] != "tdc-by-sync"))


def main():
    truth, results, rights = put_to(__doc__, "say every capture, not only what is wrong or refused", make, read, judge, say)
    print(f"{len(truth)} captures, refused {rights.count(None)}, right {rights.count(True)},",
          f"median {np.median([r['took'] for r in results]):.2f} s")


main()

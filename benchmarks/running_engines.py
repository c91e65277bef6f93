"""Pulses put to running engines of a model of their own (running_model.py): makes captures of one pick-up at the manifold and one at the
tailpipe of the same run with the crank sensor, and says how the readings meet what the model knows.

python3 benchmarks/running_engines.py FOLDER SEED COUNT [--at intake,exhaust] [--kinds none,twins] [--wheel] [--all] [--command ./maschera]
A folder that holds captures already is only read. Needs numpy and scipy.
"""
import json
from concurrent.futures import ProcessPoolExecutor
from copy import deepcopy
import numpy as np
from scipy.signal import lfilter
from asked import arguments, ask, ask_all, codes, save, truth_of
from running_model import STEP, draw_running, run

KINDS = ["none", "leak_in", "leak_out", "lost", "shut_out", "misses", "none", "burns", "two", "leak_in", "leak_out", "none"]
HARDLY = 0.12


def fault(rng, e, kind):
    """Valves that leak or open too little, misfires and weak fires, on cylinders drawn at random; those that are odd."""
    single = ["leak_in", "leak_out", "lost", "shut_out"]
    kinds = {"none": [], "two": [str(k) for k in rng.choice(single, 2)], "twins": [str(rng.choice(single))] * 2}.get(kind, [kind])
    amounts = {
        "leak_in": lambda: np.exp(rng.uniform(np.log(0.4), np.log(15))) * 1e-6,
        "leak_out": lambda: np.exp(rng.uniform(np.log(0.4), np.log(20))) * 1e-6,
        "lost": lambda: rng.uniform(0.35, 0.95),
        "shut_out": lambda: rng.uniform(0.35, 0.95),
        "misses": lambda: rng.uniform(0.2, 1),
        "burns": lambda: rng.uniform(0.35, 0.75),
    }
    faults = {}
    for cylinder, this in zip(rng.permutation(e["n"]), kinds):
        e[this][cylinder] = e[this].max() if kind == "twins" and faults else amounts[this]()
        faults[int(cylinder) + 1] = [this, round(float(e[this][cylinder] * (1e6 if this.startswith("leak") else 1)), 2)]
    return faults


def settle(trace, seconds):
    """What a coupling by a condenser leaves, whose time constant is given."""
    a = np.exp(-STEP / seconds)
    return lfilter([a, -a], [1, -a], trace - trace.mean())


def intake_pick_up(rng, manifold):
    """The manifold's pressure through a short hose, which rings."""
    w, damping = 2 * np.pi * rng.uniform(90, 260) * STEP, rng.uniform(0.15, 0.5)
    a = [1, -2 * np.exp(-damping * w) * np.cos(w * np.sqrt(1 - damping**2)), np.exp(-2 * damping * w)]
    return settle(lfilter([sum(a)], a, manifold - manifold[0]), rng.uniform(0.05, 0.4))


def exhaust_pick_up(rng, muffler):
    """The muffler's pressure down a pipe whose end throws some of it back."""
    period, share = int(rng.uniform(0.006, 0.016) / STEP), -rng.uniform(0.05, 0.45)
    heard = muffler - muffler.mean()
    for echo in range(1, 4):
        heard[echo * period :] += share**echo * (muffler - muffler.mean())[: -echo * period]
    return settle(heard, rng.uniform(0.02, 0.2))


def mean_cycle(trace, angles, cells=360):
    """Mean of the trace by place in the cycle."""
    cell = (angles % 720 / 720 * cells).astype(int)
    return np.bincount(cell, trace, cells) / np.maximum(np.bincount(cell, minlength=cells), 1)


def shown(faulty, sound):
    """By what share of the pulse the fault changes the mean cycle; each is the trace and the angle."""
    with_it, without = mean_cycle(*faulty), mean_cycle(*sound)
    change = with_it - with_it.mean() - without + without.mean()
    return float(np.abs(change).max() / np.ptp(without))


def crank_wheel(angles, teeth=60, lost=2):
    """A hall sensor on a wheel with a gap, V."""
    place = (angles % 360) * teeth / 360
    return np.where((place % 1 < 0.5) & (place < teeth - lost), 5.0, 0.1)


def write(rng, e, name, trace, angles, zero, late):
    """One capture with its engine file; the words that read it."""
    sync = int(rng.integers(1, e["n"] + 1))
    told = rng.random() < 0.6
    moved = np.roll(trace, int(round(late * 1e-3 / STEP)))
    top = np.ptp(moved)
    wander = np.cumsum(rng.normal(0, 1, len(moved)))
    wander = settle(wander / np.std(wander), 0.3) * rng.uniform(0, 0.06)
    noisy = moved / top + wander + rng.normal(0, rng.uniform(0.003, 0.03), len(moved))
    bits = 2.5 / 2 ** rng.choice([8, 10, 12])
    columns = {"Time (s)": np.arange(len(trace)) * STEP, "Pulse (V)": np.round(noisy / bits) * bits * rng.uniform(0.2, 3)}
    columns["Sync (V)"] = np.where((angles - zero[sync - 1] + 10) % 720 < 1.5, 0, 12.3) + rng.normal(0, 0.03, len(trace))
    columns["Crank (V)"] = crank_wheel(angles + 77)
    save(name + ".csv", columns)
    engine = {"name": "Made up", "cylinders": e["n"], "firingOrder": e["order"], "firingAngles": [float(a) for a in e["angles"]]}
    with open(name + ".engine.json", "w") as file:
        json.dump(engine, file)
    words = ["--channel", "pulse=Pulse", "--channel", "sync=Sync", "--sync-kind", "ignition", "--sync-cylinder", str(sync)]
    return words + (["--transit", f"{late:.1f}"] if told else [])


def make(folder, seed, count, kinds):
    rng = np.random.default_rng(seed)
    sound = [draw_running(rng) for _ in range(count)]
    engines, truth = deepcopy(sound), []
    kinds = [kinds[i % len(kinds)] for i in range(count)]
    faults = [fault(rng, e, kind) for e, kind in zip(engines, kinds)]
    with ProcessPoolExecutor(2) as pool:
        (angles, kept, _, tdc), (sound_angles, sound_kept, _, _) = pool.map(run, [engines, sound], [seed, seed])
    for i, e in enumerate(engines):
        known = {"id": f"{i:03d}", "kind": kinds[i], "faults": faults[i], "n": e["n"], "order": e["order"], "rpm": e["rpm"]}
        known.update(uneven=list(np.diff(e["angles"])) != [720 / e["n"]] * (e["n"] - 1), shown={}, words={})
        places = (("intake", "manifold", intake_pick_up, (0.5, 1.5)), ("exhaust", "muffler", exhaust_pick_up, (4.5, 9)))
        for at, of, pick_up, late in places:
            keep = rng.bit_generator.state
            trace = pick_up(rng, kept[of][:, i].astype(float))
            rng.bit_generator.state = keep
            without = pick_up(rng, sound_kept[of][:, i].astype(float))
            known["shown"][at] = shown((trace, angles[:, i]), (without, sound_angles[:, i]))
            known["words"][at] = write(rng, e, f"{folder}/{i:03d}-{at}", trace, angles[:, i], tdc[i], rng.uniform(*late))
        truth.append(known)
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known, at, wheel):
    name = f"{folder}/{known['id']}-{at}"
    words = [command, "read", "pulses", name + ".csv", "--at", at, "--engine", name + ".engine.json", *known["words"][at]]
    return ask(words + (["--channel", "crank=Crank"] if wheel else []))


def judge(known, at, result):
    """Whether the faulty cylinders and only they are named; what hardly shows may be passed over. None where it is refused."""
    if result["verdict"] == "unusable":
        return None
    odd = sorted(int(c) for c in known["faults"])
    named = sorted(c["cylinder"] for c in result["cylinders"] if c["isOdd"])
    fires = at == "intake" and known["kind"] in ("misses", "burns")
    return named == odd or (set(named) <= set(odd) and (fires or known["shown"][at] < HARDLY))


def main():
    words = arguments(__doc__, "say every capture, not only what is wrong or refused")
    words.add_argument("--at", default="intake,exhaust")
    words.add_argument("--kinds", default=",".join(KINDS), help="what is wrong, in turn; twins are two cylinders with the same fault")
    words.add_argument("--wheel", action="store_true", help="degrees by the crank sensor, not by the sync alone")
    told = words.parse_args()
    truth = truth_of(told.folder, lambda: make(told.folder, told.seed, told.count, told.kinds.split(",")))
    for at in told.at.split(","):
        results = ask_all(lambda known: read(told.command, told.folder, known, at, told.wheel), truth)
        rights = [judge(known, at, result) for known, result in zip(truth, results)]
        for known, result, right in zip(truth, results, rights):
            if told.all or not right:
                named = [c["cylinder"] for c in result.get("cylinders", []) if c["isOdd"]]
                print(at, known["id"], f"{known['n']}{' uneven' if known['uneven'] else ''} at {known['rpm']:.0f}", known["faults"],
                      f"shown {known['shown'][at]:.2f}", "refused" if right is None else f"right {right}, named {named}", codes(result))
        print(f"{at}: {len(truth)} captures, refused {rights.count(None)}, right {rights.count(True)},",
              f"median {np.median([r['took'] for r in results]):.2f} s")


main()

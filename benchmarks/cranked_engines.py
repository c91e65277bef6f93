"""Relative compression put to engines of a model of their own (engine_model.py): makes captures of the starter's current, the crank sensor
and the sound of the same cranking, and says how the readings meet what the model knows.

python3 benchmarks/cranked_engines.py FOLDER SEED COUNT [--roles current,crank,sound] [--slow] [--all] [--command ./maschera]
A folder that holds captures already is only read. Needs numpy.
"""
import json
import wave
import numpy as np
from asked import arguments, ask, ask_all, codes, save, truth_of
from engine_model import ORDERS, STEP, draw, simulate

KINDS = ["none", "leak", "port", "port", "lobe", "lobe", "two-starved", "leak-and-starved", "two-leaks"]
WHEELS = [(60, 2), (36, 1), (36, 2), (58, 1), (24, 1)]


def fault(rng, e, kind):
    """Leaks, narrow ports and worn lobes, on cylinders drawn at random."""
    starved = lambda: str(rng.choice(["port", "lobe"]))
    each = {"none": [], "two-starved": [starved(), starved()], "two-leaks": ["leak", "leak"], "leak-and-starved": ["leak", starved()]}
    for cylinder, this in zip(rng.permutation(e["n"]), each.get(kind, [kind])):
        if this == "leak":
            e["leak"][cylinder] += rng.uniform(0.5, 5) * 1e-6 * e["volume"] / 0.45e-3
        elif this == "port":
            e["port"][cylinder] = np.exp(rng.uniform(np.log(0.004), np.log(0.05)))
        else:
            e["lost"][cylinder] = 1 - np.exp(rng.uniform(np.log(0.002), np.log(0.09)))


def percent(work):
    """Work of each cylinder by that of the sound ones."""
    usual = np.quantile(work, 0.75)
    for _ in range(4):
        usual = np.median(work[work >= 0.92 * usual])
    return 100 * work / usual


def crank_volts(rng, angles, teeth, missing):
    place = (angles / 360 * teeth) % teeth
    tooth, share = place.astype(int) < teeth - missing, place % 1
    if rng.random() < 0.5:
        return np.where(tooth & (share < 0.5), 0.2, 4.8) + rng.normal(0, 0.03, len(place))
    volts = np.gradient(np.where(tooth, np.sin(np.pi * share) ** 2, 0))
    return volts / np.std(volts) * 1.5 + rng.normal(0, 0.03, len(place))


def record_sound(rng, angles, path):
    """The starter's whine with its overtones, an echoing yard, hiss."""
    rate = int(rng.choice([16_000, 22_050, 44_100]))
    times = np.arange(len(angles)) * STEP
    degrees = np.interp(np.arange(0, times[-1], 1 / rate), times, angles)
    turns = np.gradient(degrees) * rate / 360
    middle = np.median(turns[len(turns) // 2 :])
    multiple, heard = rng.uniform(350, 850) / middle, np.zeros(len(degrees))
    for overtone in range(1, 6):
        phase = overtone * 2 * np.pi * multiple * degrees / 360 + rng.uniform(0, 6)
        heard += rng.uniform(0.2, 1) / overtone**0.5 * np.sin(phase) * turns / middle
    echo = heard.copy()
    for _ in range(6):
        late = int(rng.uniform(0.003, 0.08) * rate)
        echo[late:] += heard[:-late] * rng.uniform(0.03, 0.25) * rng.choice([-1, 1])
    echo += rng.normal(0, np.std(echo) * rng.uniform(0.1, 0.6), len(echo))
    with wave.open(path, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes((echo / np.abs(echo).max() * 0.8 * 32767).astype("<i2").tobytes())


def record(rng, e, name, angles, amps, tdc):
    """Writes one cranking and its engine file; what is known of it."""
    seconds = np.arange(len(angles)) * STEP
    usual = amps[len(amps) // 2 :].mean()
    noisy = amps + rng.normal(0, usual * rng.uniform(0.002, 0.02), len(amps)) + rng.normal(0, 3)
    step = amps.max() * 1.3 / 2 ** rng.choice([8, 10, 12, 14])
    teeth, missing = WHEELS[rng.integers(len(WHEELS))]
    columns = {"Time (s)": seconds, "Starter current (A)": np.round(noisy / step) * step}
    columns["Crank (V)"] = crank_volts(rng, angles, teeth, missing)
    if rng.random() < 0.7:
        spark = ((angles - tdc[0] + 8) % 720 < 1) & (seconds > 0.45)
        columns["Sync (V)"] = np.where(spark, 5, 0) + rng.normal(0, 0.02, len(seconds))
    save(name + ".csv", columns)
    engine = {"name": "Made up", "cylinders": e["n"], "firingOrder": e["order"], "fuel": "diesel" if e["diesel"] else "petrol"}
    if rng.random() < 0.8:
        engine["crankWheel"] = {"teeth": teeth, "missing": [missing]}
    with open(name + ".engine.json", "w") as file:
        json.dump(engine, file)
    record_sound(rng, angles, name + ".wav")
    half = len(angles) // 2
    return {"n": e["n"], "sync": "Sync (V)" in columns, "rpm": (angles[-1] - angles[half]) / 6 / (len(angles) - half) / STEP}


def make(folder, seed, count, slow):
    rng = np.random.default_rng(seed)
    engines = [draw(rng, slow) for _ in range(count)]
    kinds = [KINDS[i % len(KINDS)] for i in range(count)]
    for e, kind in zip(engines, kinds):
        fault(rng, e, kind)
    angles, currents, works, tdc = simulate(engines, rng)
    truth = []
    for i, e in enumerate(engines):
        known = record(rng, e, f"{folder}/{i:03d}", angles[:, i], currents[:, i], tdc[i])
        truth.append({"id": f"{i:03d}", "kind": kinds[i], "percent": [round(float(x), 2) for x in percent(works[i])], **known})
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known, role):
    name = f"{folder}/{known['id']}"
    words = [command, "read", "relative-compression", name + (".wav" if role == "sound" else ".csv"), "--engine", name + ".engine.json"]
    words += ["--channel", role + {"sound": "=1", "current": "=Starter current", "crank": "=Crank"}[role]]
    if known["sync"] and role != "sound":
        words += ["--channel", "sync=Sync", "--sync-kind", "ignition", "--sync-cylinder", "1"]
    return ask(words)


def judge(known, result):
    """Whether the right ones are low (88 to 95 % may be either), and the worst figure's error; None where it is refused."""
    places = [known["percent"][c - 1] for c in ORDERS[known["n"]]]
    got = result.get("positions") or []
    if result["verdict"] == "unusable" or not got:
        return None, None
    low = {p["position"] - 1 for p in result["low"]}
    turns = [0] if got[0]["cylinder"] else range(len(places))
    ways = []
    for turn in turns:
        true = places[turn:] + places[:turn]
        right = all((i in low) == (p < 92) or 88 <= p < 95 for i, p in enumerate(true))
        ways.append((not right, max(abs(g["percent"] - p) for g, p in zip(got, true))))
    wrong, worst = min(ways)
    return not wrong, worst


def main():
    words = arguments(__doc__, "say every capture, not only what is wrong, refused or more than 5 points off")
    words.add_argument("--roles", default="current,crank,sound")
    words.add_argument("--slow", action="store_true", help="starters that turn at 95 to 165 rpm")
    told = words.parse_args()
    truth = truth_of(told.folder, lambda: make(told.folder, told.seed, told.count, told.slow))
    for role in told.roles.split(","):
        results = ask_all(lambda known: read(told.command, told.folder, known, role), truth)
        judged = [judge(known, result) for known, result in zip(truth, results)]
        for known, result, (right, worst) in zip(truth, results, judged):
            if told.all or not right or worst > 5:
                figures = [round(p["percent"]) for p in result.get("positions") or []]
                print(role, known["id"], known["kind"], "refused" if right is None else f"right {right}, worst {worst:.1f}",
                      f"true {[round(p) for p in known['percent']]} got {figures}", codes(result))
        worsts = [worst for _, worst in judged if worst is not None]
        print(f"{role}: {len(truth)} captures, refused {sum(r is None for r, _ in judged)}, right {sum(r is True for r, _ in judged)},",
              f"within 5 points {sum(w <= 5 for w in worsts)}, median of the worst {np.median(worsts):.1f},",
              f"median {np.median([r['took'] for r in results]):.2f} s")


main()

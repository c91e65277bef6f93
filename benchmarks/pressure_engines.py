"""Pressure in a cylinder that does not fire, put to running engines of a model of their own (running_model.py): each capture with a
known-good one of the same engine at another speed, and how the readings meet what the model knows. With --hose both are taken through
one hose, which adds its volume to the cylinder and rings.

python3 benchmarks/pressure_engines.py FOLDER SEED COUNT [--hose] [--all] [--command ./maschera]
A folder that holds captures already is only read. Needs numpy and scipy.
"""
import json
from concurrent.futures import ProcessPoolExecutor
from copy import deepcopy
import numpy as np
from scipy.signal import bilinear, lfilter, lfiltic
from asked import arguments, ask, ask_all, codes, save, truth_of
from engine_model import OUTSIDE
from running_model import STEP, draw_running, run

KINDS = ["none", "leak", "intake", "exhaust", "both", "no-intake", "no-exhaust", "none", "leak", "intake", "exhaust", "restricted"]
VERDICTS = {"none": "normal", "leak": "leaks", "intake": "intake-timing", "exhaust": "exhaust-timing", "both": "valve-timing",
            "no-intake": "intake-valve-stays-shut", "no-exhaust": "exhaust-valve-stays-shut", "restricted": "exhaust-restricted"}


def fault(rng, e, kind, cylinder):
    """What is wrong with the engine or the measured cylinder, and by how much: mm2, degrees."""
    shift = float(rng.uniform(8, 20) * rng.choice([-1, 1]))
    if kind == "leak":
        area = float(np.exp(rng.uniform(np.log(1.5), np.log(8))))
        e[str(rng.choice(["leak", "leak_in", "leak_out"]))][cylinder] += area * 1e-6
        return area
    if kind == "no-intake":
        e["lost"][cylinder] = 1
    if kind == "no-exhaust":
        e["shut_out"][cylinder] = 1
    if kind == "restricted":
        e["cat"] *= 0.16
    if kind in ("intake", "both"):
        e["ivo"], e["ivc"] = e["ivo"] + shift, e["ivc"] + shift
    if kind in ("exhaust", "both"):
        e["evo"], e["evc"] = e["evo"] + shift, e["evc"] + shift
    return shift


def known(angles, pressure, tdc):
    """Peak and exhaust level, bar gauge."""
    after = (angles - tdc) % 720
    cycles = ((angles - tdc) / 720 + 0.5).astype(int)
    gauge = pressure.astype(float) / 1e5 - OUTSIDE / 1e5
    peaks = [gauge[cycles == c].max() for c in np.unique(cycles)[1:-1]]
    return {"peak": float(np.median(peaks)), "exhaust": float(gauge[(after > 230) & (after < 330)].mean()),
            "rpm": float((angles[-1] - angles[0]) / 6 / len(angles) / STEP)}


def draw_hose(rng):
    """Volume (m3), ringing (Hz) and damping of a hose between plug hole and transducer."""
    return {"volume": float(rng.uniform(2.5e-6, 6e-6)), "hertz": float(rng.uniform(180, 420)), "damping": float(rng.uniform(0.08, 0.3))}


def through_hose(pressure, hose):
    """What arrives at the end of a hose: a mass of gas that swings on a volume."""
    own = 2 * np.pi * hose["hertz"]
    b, a = bilinear([own ** 2], [1, 2 * hose["damping"] * own, own ** 2], 1 / STEP)
    level = float(pressure[0])
    return lfilter(b, a, pressure, zi=lfiltic(b, a, [level] * 2, [level] * 2))[0]


def write(rng, path, angles, pressure, spark):
    every = int(rng.choice([1, 1, 2]))
    gauge = pressure[::every] / 1e5 - 1
    gauge = gauge * (1 + rng.normal(0, 0.003)) + rng.normal(0, 0.005) + rng.normal(0, rng.uniform(0.004, 0.02), len(gauge))
    step = 20 / 2 ** rng.choice([10, 12, 14])
    columns = {"Time (s)": np.arange(len(gauge)) * STEP * every, "Cylinder pressure (bar)": np.round(gauge / step) * step}
    columns["Sync (V)"] = np.where((angles[::every] - spark + 10) % 720 < 2, 0, 12.3) + rng.normal(0, 0.03, len(gauge))
    save(path, columns, 6)


def engine_file(rng, e):
    told = {"name": "Made up", "cylinders": e["n"], "firingOrder": e["order"], "firingAngles": [float(a) for a in e["angles"]]}
    told["valveTiming"] = {k: float(np.round(e[k] + rng.normal(0, 2))) for k in ("evo", "evc", "ivo", "ivc")}
    if rng.random() < 0.7:
        rod = e["rod"] * e["stroke"]
        told["geometry"] = {"boreMm": e["bore"] * 1e3, "strokeMm": e["stroke"] * 1e3, "rodMm": rod * 1e3, "compressionRatio": e["ratio"]}
    return told


def make(folder, seed, count, hosed):
    rng = np.random.default_rng(seed)
    sound, measured = [draw_running(rng) for _ in range(count)], []
    for e in sound:
        measured.append(int(rng.integers(e["n"])))
        e["burns"][measured[-1]] = 0
    hoses = [draw_hose(rng) if hosed else None for _ in sound]
    for e, one, hose in zip(sound, measured, hoses):
        e["hose"][one] = hose["volume"] if hose else 0
    engines, truth = deepcopy(sound), []
    for e in sound:
        e["rpm"] *= rng.uniform(0.85, 1.15)
    amounts = [fault(rng, e, KINDS[i % len(KINDS)], measured[i]) for i, e in enumerate(engines)]
    with ProcessPoolExecutor(2) as pool:
        runs = list(pool.map(run, [engines, sound], [seed, seed + 1], [3.0, 3.0]))
    for i, e in enumerate(engines):
        name, one = f"{folder}/{i:03d}", measured[i]
        each = []
        for (angles, _, inside, tdc), part in zip(runs, ("cap", "ref")):
            felt = through_hose(inside[:, i, one], hoses[i]) if hosed else inside[:, i, one]
            write(rng, f"{name}-{part}.csv", angles[:, i], felt, tdc[i, one])
            each.append(known(angles[:, i], inside[:, i, one], tdc[i, one]))
        with open(name + ".engine.json", "w") as file:
            json.dump(engine_file(rng, sound[i]), file)
        truth.append({"id": f"{i:03d}", "n": e["n"], "cylinder": one + 1, "kind": KINDS[i % len(KINDS)], "amount": amounts[i],
                      "sync": bool(rng.random() < 0.3), "hose": hoses[i], "cap": each[0], "ref": each[1]})
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, case):
    name = f"{folder}/{case['id']}"
    words = [command, "read", "cylinder-pressure", name + "-cap.csv", "--reference", name + "-ref.csv", "--engine", name + ".engine.json",
             "--channel", "pressure=Cylinder pressure"]
    if case["sync"]:
        words += ["--channel", "sync=Sync", "--sync-kind", "ignition", "--sync-cylinder", str(case["cylinder"])]
    return ask(words)


def judge(case, result):
    """What is wrong with a reading: the verdict, a peak 2 % off, a level 0.03 bar, a shift 3 degrees (4 through a
    hose); None where it is refused.
    """
    if result["verdict"] == "unusable":
        return None
    kind, wrong = case["kind"], []
    if result["verdict"] != VERDICTS[kind]:
        wrong.append(result["verdict"])
    if abs(result["peakBar"] / case["cap"]["peak"] - 1) > 0.02 and case["cap"]["peak"] > 1:
        wrong.append(f"peak {result['peakBar']:.2f}")
    if kind != "no-exhaust" and abs(result["exhaustBar"] - case["cap"]["exhaust"]) > 0.03:
        wrong.append(f"exhaust {result['exhaustBar']:.2f}")
    if kind in ("none", "intake", "exhaust", "both"):
        for side, kinds in (("intake", ("intake", "both")), ("exhaust", ("exhaust", "both"))):
            off = result[side + "ShiftDegrees"]
            if off is None or abs(off - (case["amount"] if kind in kinds else 0)) > (4 if case.get("hose") else 3):
                wrong.append(f"{side} shift {'none' if off is None else round(off, 1)}")
    return wrong


def main():
    words = arguments(__doc__, "say every capture, not only what is wrong or refused")
    words.add_argument("--hose", action="store_true", help="take all captures through a hose")
    told = words.parse_args()
    truth = truth_of(told.folder, lambda: make(told.folder, told.seed, told.count, told.hose))
    results = ask_all(lambda case: read(told.command, told.folder, case), truth)
    judged = [judge(case, result) for case, result in zip(truth, results)]
    for case, result, wrong in zip(truth, results, judged):
        if told.all or wrong != []:
            print(case["id"], f"{case['n']} at {case['cap']['rpm']:.0f}, known-good at {case['ref']['rpm']:.0f}, {case['kind']}",
                  f"{case['amount']:.1f}, peak {case['cap']['peak']:.2f}",
                  "refused" if wrong is None else "; ".join(wrong) or "right", codes(result))
    print(f"{len(truth)} captures, refused {judged.count(None)}, right {judged.count([])},",
          f"median {np.median([r['took'] for r in results]):.2f} s")


main()

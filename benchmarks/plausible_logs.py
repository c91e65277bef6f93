"""Logs of drives and scope captures with things in them that can't be true, drawn at random and put to the plausibility reading.

python3 benchmarks/plausible_logs.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds files already is only read. Needs numpy.
"""
import json
import numpy as np
from asked import ask, codes, put_to, save
from log_files import logged_times, wandering, write_log

SOUND = [
    "drive",
    "cold-start",
    "idle",
    "key-on",
    "start",
    "full-throttle",
    "stop-start",
    "cruise-control",
    "braking",
    "sparse",
    "scope",
    "wheels",
]
FAULTS = ["at-supply", "at-ground", "out-of-range", "jump", "flat", "spikes", "dropout", "shared-supply", "scope-spikes"]
NAMES = {
    "rpm": (["Engine speed", "Engine rpm"], "rpm", 0),
    "speed": (["Vehicle speed", "Road speed"], "km/h", 0),
    "pedal": (["Accelerator pedal", "Accelerator pedal position"], "%", 1),
    "throttle": (["Throttle position", "Throttle angle"], "%", 1),
    "map": (["Manifold pressure", "Intake manifold pressure"], "kPa", 0),
    "maf": (["Air mass flow", "Mass air flow"], "g/s", 2),
    "coolant": (["Coolant temperature", "Engine coolant temperature"], "°C", 0),
    "air": (["Intake air temperature", "Charge air temperature"], "°C", 0),
    "battery": (["Battery voltage", "System voltage"], "V", 2),
    "lambda": (["Lambda", "Lambda bank 1"], "", 3),
    "rail": (["Fuel pressure", "Rail pressure"], "bar", 0),
    "trim": (["Short term fuel trim", "Fuel trim bank 1"], "%", 1),
    "gear": (["Gear"], "", 0),
}
SIGNALS = {
    "pedal": (["Pedal sensor signal", "Pedal sensor 1"], 0.75, 4.25, 0, 100),
    "throttle": (["Throttle sensor signal", "Throttle sensor 1"], 0.6, 4.4, 0, 100),
    "map": (["Manifold pressure signal", "Manifold sensor"], 0.3, 4.3, 15, 115),
    "rail": (["Fuel pressure signal", "Rail sensor signal"], 0.5, 4.5, 0, 450),
}


def smooth(values, wide):
    wide = max(1, int(wide))
    return np.convolve(np.pad(values, (wide, wide), "edge"), np.ones(wide) / wide, "same")[wide:-wide]


def pedal_of(rng, seconds, kind):
    """Pedal in percent: let go, cruising and pressed."""
    pedal, at = np.zeros(len(seconds)), rng.uniform(8, 14)
    while kind != "idle" and at < seconds[-1] - 4:
        long, how = rng.uniform(3, 14), rng.random()
        here = (seconds >= at) & (seconds < at + long)
        pedal[here] = 0 if how < 0.25 else 100 if kind == "full-throttle" and how > 0.6 else rng.uniform(8, 85)
        at += long
    return pedal


def drive(rng, kind, seconds):
    """The courses of a drive, and how fast the engine turns."""
    step = np.median(np.diff(seconds))
    pedal = smooth(pedal_of(rng, seconds, kind), 0.6 / step)
    throttle = smooth(pedal, 0.3 / step) * 0.96 + 2
    gear = np.clip(np.round(1 + 4 * smooth((pedal > 5).astype(float), 25 / step) + (pedal > 60) * -1), 1, 5)
    moving = smooth((pedal > 5).astype(float), 12 / step)
    if kind == "stop-start":
        moving *= np.clip(abs(seconds - 0.45 * seconds[-1]) / 12 - 1.2, 0, 1)
        pedal = np.where(moving > 0.3, pedal, 0)
        throttle = smooth(pedal, 0.3 / step) * 0.96 + 2
    speed = 110 * moving * smooth(0.5 + pedal / 200, 8 / step)
    rpm = np.maximum(780, speed * np.array([0, 120, 68, 46, 36, 29])[gear.astype(int)] + 10 * pedal * np.exp(-speed / 30))
    if kind == "idle":
        rpm, speed = np.full(len(seconds), 780.0), np.zeros(len(seconds))
    rpm = np.minimum(6200, smooth(rpm, 0.4 / step)) + 8 * wandering(rng, seconds, 0.5)
    if kind == "cruise-control":
        pedal = np.where((seconds > 0.3 * seconds[-1]), 0, pedal)
        throttle = np.maximum(2, throttle + 0.8 * wandering(rng, seconds, 1))
    turning = np.ones(len(seconds))
    if kind == "stop-start":
        turning = np.clip(abs(seconds - 0.45 * seconds[-1]) / 0.4 - rng.uniform(8, 20), 0, 1)
    if kind in ("start", "cold-start"):
        turning = np.where(seconds < 3, 0, np.where(seconds < 4.2, 0.28, 1))
    if kind == "key-on":
        turning = np.zeros(len(seconds))
    rpm, throttle = rpm * turning, np.where(turning == 1, throttle, 6)
    speed = np.zeros(len(seconds)) if kind == "key-on" else speed
    if kind == "braking":
        at = rng.uniform(0.4, 0.8) * seconds[-1]
        brake = np.clip(1 - (seconds - at) / 2.8, 0, 1) * (seconds > at) + (seconds <= at)
        brake = np.where(seconds > at + 8, np.clip((seconds - at - 8) / 15, 0, 1), brake)
        speed, pedal, throttle = speed * brake, np.where(brake < 1, 0, pedal), np.where(brake < 1, 2, throttle)
        rpm = np.maximum(760, rpm * np.maximum(brake, 0.1))
    pressure = np.where(rpm < 200, 100, np.clip(28 + throttle * 0.78 - rpm / 500 + 1.0 * wandering(rng, seconds, 0.4), 18, 101))
    maf = np.where(rpm < 100, 0.0, rpm * pressure / 100 * 0.0132 * (1 + 0.01 * wandering(rng, seconds, 0.2)))
    cut = (pedal < 1) & (rpm > 1400)
    lam = np.where(cut, 2.0, 1 + 0.015 * wandering(rng, seconds, 0.7))
    coolant = (
        (90 - rng.uniform(60, 95) * np.exp(-seconds / rng.uniform(100, 250)))
        if kind == "cold-start"
        else 89 + 2 * wandering(rng, seconds, 30)
    )
    battery = np.where(rpm < 20, 12.3, np.where(rpm < 400, 10.1, 14.1)) + 0.04 * wandering(rng, seconds, 0.3)
    return {
        "rpm": np.where(rpm < 20, 0, rpm),
        "speed": speed,
        "pedal": pedal,
        "throttle": throttle,
        "map": pressure,
        "maf": maf,
        "coolant": coolant,
        "air": 28 + 3 * wandering(rng, seconds, 60),
        "battery": battery,
        "lambda": lam,
        "trim": 3 * wandering(rng, seconds, 3) * (rpm > 300),
        "rail": np.where(rpm < 100, 40, 120 + 1.3 * throttle + rpm / 60) + 1.5 * wandering(rng, seconds, 0.4),
        "gear": gear,
    }


def stretch(rng, seconds, least=2.0, most=15.0):
    """A stretch of the log, from and to."""
    long = min(rng.uniform(least, most), 0.4 * seconds[-1])
    start = rng.uniform(0.2 * seconds[-1], 0.95 * seconds[-1] - long)
    return start, start + long


def moving_stretch(rng, seconds, pedal):
    """One in which the pedal is pressed and let go."""
    for _ in range(200):
        start, end = stretch(rng, seconds, 10, 30)
        if np.ptp(pedal[(seconds >= start) & (seconds < end)]) > 35:
            return start, end
    return None


def at_fault(rng, kind, seconds, courses, volts):
    """Puts the fault in; the role or signals it lies in, what it may be called and where."""
    start, end = stretch(rng, seconds)
    here = (seconds >= start) & (seconds < end)
    if kind in ("at-supply", "at-ground"):
        own = str(rng.choice(list(volts)))
        volts[own][here] = (rng.uniform(4.93, 5.0) if kind == "at-supply" else rng.uniform(0, 0.05)) + 0.004 * rng.normal(size=here.sum())
        return "volts " + own, [kind], (start, end)
    if kind == "shared-supply":
        low = rng.uniform(0.05, 0.6) if rng.random() < 0.6 else rng.uniform(1.15, 1.3)
        for own in volts:
            volts[own][here] = np.minimum(5.2, volts[own][here] * low) if low > 1 else volts[own][here] * low * 0.2
        return None, [kind], (start, end)
    if kind == "out-of-range":
        role, value = [("coolant", -40), ("coolant", 215), ("air", -40), ("battery", 0.0), ("battery", 25.5), ("map", 0), ("rpm", 16383)][
            rng.integers(7)
        ]
        courses[role] = np.where(here, value, courses[role])
        return role, ["out-of-range", "jump", "spikes"], (start, end)
    if kind == "jump":
        role, by = [("coolant", 45), ("coolant", -50), ("air", 60), ("speed", 90)][rng.integers(4)]
        courses[role] = np.where(here, courses[role] + by, courses[role])
        return role, ["jump", "out-of-range", "spikes"], (start, end)
    if kind == "flat":
        role = str(rng.choice(["maf", "map", "throttle"]))
        found = moving_stretch(rng, seconds, courses["pedal"])
        here = (seconds >= found[0]) & (seconds < found[1])
        courses[role] = np.where(here, courses[role][np.argmax(here)], courses[role])
        return role, ["flat"], found
    role = str(rng.choice(["map", "maf", "throttle", "coolant"]))
    at = rng.permutation(len(seconds))[: rng.integers(4, 12)]
    courses[role][at] = rng.choice([0.0, 2.4]) * {"map": 104, "maf": 130, "throttle": 41, "coolant": 54}[role]
    return role, ["spikes", "jump", "out-of-range"], (seconds.min(), seconds.max())


def make_log(rng, kind, path):
    step = 1.0 if kind == "sparse" else float(rng.choice([0.05, 0.1] if kind == "spikes" else [0.05, 0.1, 0.1, 0.2, 0.5]))
    courses = {"pedal": np.zeros(2)}
    seconds = logged_times(rng, rng.uniform(90, 260), step)
    sound = kind if kind in SOUND else "drive"
    while (
        not courses["pedal"].any()
        and sound not in ("idle", "key-on")
        or kind == "flat"
        and not moving_stretch(rng, seconds, courses["pedal"])
    ):
        courses = drive(rng, sound, seconds)
    courses = drive(rng, sound, seconds) if sound in ("idle", "key-on") else courses
    many = len(SIGNALS) if kind == "shared-supply" else int(rng.integers(1, 4))
    volts = {}
    for role in rng.permutation(list(SIGNALS))[:many]:
        _, low, high, least, most = SIGNALS[role]
        share = (courses[role] - least) / (most - least)
        volts[str(role)] = low + (high - low) * share + 0.006 * rng.normal(size=len(seconds))
    fault = at_fault(rng, kind, seconds, courses, volts) if kind in FAULTS else None
    roles = [
        r
        for r in rng.permutation(list(courses))
        if rng.random() < 0.75 or fault and (r == fault[0] or r in ("rpm", "pedal", "throttle", "map"))
    ]
    columns = {str(rng.choice(NAMES[r][0])): (NAMES[r][1], courses[r], NAMES[r][2]) for r in roles}
    named = {role: str(rng.choice(SIGNALS[role][0])) for role in volts}
    columns.update({named[role]: ("V", values, 2) for role, values in volts.items()})
    write_log(rng, path, seconds, columns)
    words = [w for name in named.values() for w in ("--supply", f"{name}=5.0")]
    channel = None
    if fault and fault[0]:
        channel = named[fault[0][6:]] if fault[0].startswith("volts") else next(n for n in columns if n in NAMES[fault[0]][0])
    return words, channel, fault


def make_scope(rng, kind, path):
    """A sensor beside an injector and a coil, or two wheels' pulse trains."""
    rate = float(rng.choice([10e3, 20e3, 50e3]))
    seconds = np.arange(0, 1.0, 1 / rate)
    if kind in ("wheels", "dropout"):
        turn = np.cumsum(np.full(len(seconds), rng.uniform(80, 400) / rate)) * (1 + 0.02 * np.sin(seconds))
        left, right = (((turn * share) % 1 < 0.5) for share in (1, rng.uniform(0.97, 1.03)))
        start, end = stretch(rng, seconds, 0.1, 0.35)
        if kind == "dropout":
            left = left & ~((seconds >= start) & (seconds < end))
        columns = {"Time (s)": seconds, "Wheel left front (V)": 11.4 * left + 0.3, "Wheel right front (V)": 11.4 * right + 0.3}
        for name in list(columns)[1:]:
            columns[name] = columns[name] + 0.05 * rng.normal(size=len(seconds))
        save(path, columns, 7)
        return [], "Wheel left front", (None, ["dropout"], (start, end)) if kind == "dropout" else None
    period = rng.uniform(0.04, 0.15)
    open_at = [(seconds + rng.uniform(0, period)) % period for _ in range(2)]
    injector = np.where(open_at[0] < 0.003, 0.4, 13.8) + 45 * np.exp(-np.clip(open_at[0] - 0.003, 0, None) / 2e-4) * (open_at[0] > 0.003)
    coil = np.where(open_at[1] < 0.002, 0.5, 13.6) + 180 * np.exp(-np.clip(open_at[1] - 0.002, 0, None) / 5e-5) * (open_at[1] > 0.002)
    sensor = 2.5 + 0.3 * np.sin(2 * np.pi * seconds * rng.uniform(1, 8)) + 0.006 * rng.normal(size=len(seconds))
    supply = 5.0 + 0.004 * rng.normal(size=len(seconds))
    fault = None
    if kind == "scope-spikes":
        closes = (open_at[0] > 0.003) & (open_at[0] < 0.003 + 4 / rate)
        supply = supply + rng.choice([-1, 1]) * rng.uniform(0.4, 2) * closes
        fault = (None, ["spikes"], (0, 1))
    columns = {
        "Time (s)": seconds,
        "Sensor reference (V)": supply,
        "Injector 2 (V)": injector,
        "Coil 1 (V)": coil,
        "Manifold sensor (V)": sensor,
    }
    save(path, columns, 7)
    return ["--supply", "Sensor reference=5.0"], "Sensor reference", fault


def make(folder, seed, count):
    rng, truth, kinds = np.random.default_rng(seed), [], SOUND + FAULTS
    for i in range(count):
        kind, path = kinds[i % len(kinds)], f"{folder}/{i:03d}.csv"
        words, channel, fault = (make_scope if kind in ("scope", "wheels", "dropout", "scope-spikes") else make_log)(rng, kind, path)
        known = {"id": f"{i:03d}", "kind": kind, "words": words, "channel": channel}
        truth.append(known | ({"may": fault[1], "span": [float(t) for t in fault[2]]} if fault else {"may": []}))
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    return ask([command, "read", "plausibility", f"{folder}/{known['id']}.csv", *known["words"]])


def judge(known, result):
    """Whether what is wrong is found where it is and nothing else accused; beside a wrong channel what follows from it may stand."""
    found = result.get("findings", [])
    if not known["may"]:
        return result["verdict"] == "plausible" and not found
    hits = [f for f in found if f["kind"] in known["may"] and f["from"] <= known["span"][1] and f["to"] >= known["span"][0]]
    hits = [f for f in hits if known["channel"] is None or known["channel"] in f["channel"]]
    if known["kind"] == "scope-spikes":
        hits = [f for f in hits if "Injector 2" in str(f.get("coincidesWith"))]
    return bool(hits) and all(known["channel"] is None or known["channel"] in f["channel"] for f in found)


def say(known, result, right):
    """One line of what was known and what was said."""
    found = [f"{f['channel']}: {f['kind']} {f['from']:.1f}-{f['to']:.1f} x{f['count']}" for f in result.get("findings", [])]
    print(
        known["id"],
        known["kind"],
        known["channel"] or "",
        known["may"][:1],
        [round(t, 1) for t in known.get("span", [])],
        "said",
        result["verdict"],
        "; ".join(found[:4]),
        codes(result),
    )


def main():
    truth, _, rights = put_to(__doc__, "say every file, not only what is wrong", make, read, judge, say)
    print(
        f"{len(truth)} files, right {rights.count(True)}; of {sum(not k['may'] for k in truth)} sound ones",
        sum(r for k, r in zip(truth, rights) if not k["may"]),
    )


main()

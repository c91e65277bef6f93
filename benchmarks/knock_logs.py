"""Logs of drives with knock retard, real and false, drawn at random and put to the knock reading.

python3 benchmarks/knock_logs.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds logs already is only read. Needs numpy.
"""
import json
import numpy as np
from asked import ask, codes, put_to
from log_files import logged_times, wandering, write_log

# What a log of each kind must be called; where two stand, what it shows is little.
KINDS = {
    "real-heat": ["likely-real"],
    "real-lean": ["likely-real"],
    "real-all": ["likely-real"],
    "real-warming": ["likely-real"],
    "false-light": ["likely-false"],
    "false-speed": ["likely-false"],
    "false-all-over": ["likely-false"],
    "real-one-pull": ["likely-real", "cannot-tell"],
    "bare": ["cannot-tell"],
    "none": ["none"],
    "short": ["none"],
    "small": ["none"],
    "standing": ["unusable"],
    "real-load-only": ["cannot-tell", "likely-real"],
}
NAMES = {
    "retard": (["Knock retard", "Knock correction", "Ignition retard by knock", "KR"], "°", 1),
    "spark": (["Spark advance", "Ignition timing", "Timing advance"], "°", 1),
    "load": (["Engine load", "Calculated load", "Load"], "%", 1),
    "throttle": (["Throttle position", "Throttle angle", "Throttle"], "%", 1),
    "rpm": (["Engine speed", "RPM", "Engine rpm"], "rpm", 0),
    "coolant": (["Coolant temperature", "Engine coolant temperature", "ECT"], "°C", 0),
    "intake-air": (["Intake air temperature", "Charge air temperature", "IAT"], "°C", 0),
    "mixture": (["Lambda", "Air-fuel ratio"], "", 3),
}


def driven(rng, seconds):
    """Load of 0 to 1 and engine speed of a drive: idling, cruising and pulls."""
    load, rpm, pulls = np.full(len(seconds), 0.2), np.full(len(seconds), 780.0), []
    at = rng.uniform(3, 10)
    while at < seconds[-1] - 5:
        kind = rng.choice(["idle", "cruise", "cruise", "pull"])
        long = rng.uniform(4, 8) if kind == "pull" else rng.uniform(5, 25)
        here = (seconds >= at) & (seconds < at + long)
        share = (seconds[here] - at) / long
        if kind == "pull":
            load[here], rpm[here] = rng.uniform(0.8, 1), rng.uniform(1500, 2200) + share * rng.uniform(1500, 3000)
            pulls.append((at, min(at + long, seconds[-1])))
        elif kind == "cruise":
            load[here], rpm[here] = rng.uniform(0.3, 0.45), rng.uniform(1500, 3200)
        at += long
    step = np.median(np.diff(seconds))
    wide = max(1, int(1 / step))
    soft = lambda v: np.convolve(np.pad(v, (wide, wide), "edge"), np.ones(wide) / wide, "same")[wide:-wide]
    return soft(load) + 0.01 * wandering(rng, seconds, 1), soft(rpm) + 12 * wandering(rng, seconds, 0.5), pulls


def sawtooth(rng, seconds, knocks, size):
    """Retard that jumps at a knock, comes back slowly, and jumps again while what makes it lasts."""
    retard, now, wait, step = np.zeros(len(seconds)), 0.0, 0.0, np.median(np.diff(seconds))
    for i, knock in enumerate(knocks):
        wait -= step
        if knock and wait <= 0 and now < size - 2:
            now, wait = min(size, now + rng.uniform(2.5, 4)), rng.uniform(0.2, 0.5)
        now = max(0, now - 1.2 * step * (1 if knock else 3))
        retard[i] = now
    return retard


def held(rng, seconds, heard, size):
    """Retard that goes far back and stays there as long as the noise is heard."""
    retard, now, step = np.zeros(len(seconds)), 0.0, np.median(np.diff(seconds))
    for i, noise in enumerate(heard):
        now = min(size, now + 12 * step) if noise else max(0, now - 4 * step)
        retard[i] = now
    return np.maximum(0, retard + np.where(retard > 1, 0.15, 0) * rng.normal(size=len(seconds)))


def drawn(rng, kind):
    """Seconds and the courses of one log."""
    step = float(rng.choice([0.05, 0.1, 0.1, 0.2]))
    seconds = logged_times(rng, rng.uniform(150, 420), step)
    load, rpm, pulls = driven(rng, seconds)
    while len(pulls) < 3 or pulls[-1][0] < 0.6 * seconds[-1]:
        load, rpm, pulls = driven(rng, seconds)
    real, pulling = kind.startswith("real") or kind == "bare", load > 0.7
    hot = kind in ("real-heat", "real-all", "bare")
    coolant = rng.uniform(106, 114) if hot else rng.uniform(84, 96)
    intake = rng.uniform(58, 72) if hot else rng.uniform(18, 36)
    coolant, intake = np.full(len(seconds), coolant), np.full(len(seconds), intake)
    if kind == "real-warming":
        coolant, intake = (np.interp(seconds, [0, seconds[-1]], [a, b]) for a, b in ((90, 113), (30, 66)))
    if kind in ("real-all", "real-lean", "real-one-pull"):
        mixture = np.where(pulling, rng.uniform(1.03, 1.1), 1)
    else:
        mixture = np.where(pulling, rng.uniform(0.85, 0.9), 1)
    if kind == "real-one-pull":
        pulling &= (seconds > pulls[1][0]) & (seconds < pulls[1][1] + 1)
    if kind == "real-warming":
        pulling &= seconds > 0.5 * seconds[-1]
    size = rng.uniform(5, 12)
    speed = rng.uniform(1800, 3000)
    if real:
        retard = sawtooth(rng, seconds, pulling, size)
    elif kind == "false-light":
        retard = held(rng, seconds, (load > 0.25) & (load < 0.6) & (wandering(rng, seconds, 3) > -0.7), size)
    elif kind == "false-speed":
        retard = held(rng, seconds, abs(rpm - speed) < 350, size)
    elif kind == "false-all-over":
        retard = held(rng, seconds, wandering(rng, seconds, 6) > -0.3, size)
    else:
        retard = np.zeros(len(seconds))
    if kind == "short":
        for at in np.linspace(5, seconds[-1] - 5, 4) + rng.uniform(0, 3, 4):
            retard[(seconds >= at) & (seconds < at + max(0.12, 0.6 * step))] = rng.uniform(4, 9)
    if kind == "small":
        retard = np.minimum(1.6, sawtooth(rng, seconds, pulling, 4))
    if kind == "standing":
        rpm, load = np.zeros(len(seconds)), np.zeros(len(seconds))
    base = np.interp(load, [0.2, 0.35, 0.9], [12, 30, 20]) + 0.3 * wandering(rng, seconds, 0.5)
    if kind == "real-all":
        base = base + np.where(load > 0.7, 5, 0)
    return seconds, {
        "retard": retard,
        "spark": base - retard,
        "load": 100 * load,
        "throttle": np.interp(load, [0.2, 0.45, 0.8, 1], [2, 20, 70, 92]),
        "rpm": rpm,
        "coolant": coolant,
        "intake-air": intake,
        "mixture": mixture + 0.004 * wandering(rng, seconds, 0.3),
    }


def logged(rng, kind, courses):
    """Which of them are in the log, and under which names."""
    dropped = {"bare": list(NAMES)[1:]}.get(kind, [])
    if rng.random() < 0.4 and kind not in ("standing", "bare"):
        dropped = [str(rng.choice(["spark", "throttle", "coolant" if kind != "real-warming" else "throttle"]))]
    if kind == "standing":
        dropped = ["mixture"]
    columns = {}
    for role in [r for r in rng.permutation(list(courses)) if r not in dropped]:
        names, unit, places = NAMES[role]
        name, values = str(rng.choice(names)), courses[role]
        if name == "Air-fuel ratio":
            values = 14.7 * values
            places = 2
        columns[str(role)] = (name, unit, values, places)
    return columns


def make(folder, seed, count):
    rng, truth = np.random.default_rng(seed), []
    for i in range(count):
        kind = list(KINDS)[i % len(KINDS)]
        seconds, courses = drawn(rng, kind)
        retard, runs = courses["retard"], courses["rpm"] > 400
        known = {
            "id": f"{i:03d}",
            "kind": kind,
            "worst": float(np.round(retard, 1).max()),
            "share": float(100 * np.mean(retard[runs] > 2)) if runs.any() else 0,
        }
        if rng.random() < 0.25:
            courses["retard"] = -retard
        columns = logged(rng, kind, courses)
        write_log(rng, f"{folder}/{known['id']}.csv", seconds, {name: rest for name, *rest in columns.values()})
        known["logged"] = list(columns)
        known["words"] = [w for role, (name, *_) in columns.items() for w in ("--channel", f"{role}={name}")] if rng.random() < 0.6 else []
        truth.append(known)
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    return ask([command, "read", "knock", f"{folder}/{known['id']}.csv", *known["words"]])


def judge(known, result):
    """Whether the verdict is right, and with it the worst retard to 4 % and the share of the time."""
    if result["verdict"] not in KINDS[known["kind"]]:
        return False
    if result["verdict"] in ("none", "unusable"):
        return True
    worst, share = result["worstDegrees"], result["sharePercent"]
    return abs(worst - known["worst"]) <= max(0.35, 0.04 * known["worst"]) and 0.7 * known["share"] - 2 <= share <= 1.3 * known["share"] + 5


def say(known, result, right):
    """One line of what was known and what was said."""
    factors = " ".join(f"{f['factor']}:{f['speaksFor']}" for f in result.get("factors", []))
    print(
        known["id"],
        known["kind"],
        f"{known['worst']:.1f}° {known['share']:.0f} %",
        "said",
        result["verdict"],
        result.get("worstDegrees"),
        result.get("sharePercent"),
        factors,
        "without",
        [r for r in NAMES if r not in known["logged"]],
        codes(result),
    )


def main():
    truth, _, rights = put_to(__doc__, "say every log, not only what is wrong", make, read, judge, say)
    print(f"{len(truth)} logs, right {rights.count(True)}")


main()

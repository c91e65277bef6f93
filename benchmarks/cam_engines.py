"""Cam timing put to engines of a model of their own, running (running_model.py) or on the starter (engine_model.py): makes captures of
crank and cam sensor with a known-good of the same engine, and says how the offsets meet what was set.

python3 benchmarks/cam_engines.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds captures already is only read. Needs numpy.
"""
import json
import numpy as np
import engine_model
import running_model
from asked import ask, codes, put_to, save

MOST, GRID = 200_000, 36_000
WHEELS = [(60, [2]), (60, [2]), (36, [1]), (36, [2]), (36, [2, 2, 2]), (24, [1]), (30, [2]), (48, [2, 2]), (60, [2, 2]), (120, [2]),
          (12, [1]), (36, []), (24, [])]


def profile(rng, edges, smear, whole):
    """What a sensor sees of a wheel by angle, 0 to 1: metal between pairs of edges, smeared over the sensor's width."""
    at = (np.arange(GRID) + 0.5) / GRID * whole
    metal = np.zeros(GRID)
    for rise, fall in edges:
        metal += (at - rise) % whole < (fall - rise) % whole
    kernel = np.exp(-0.5 * (np.minimum(at, whole - at) / smear) ** 2)
    return np.fft.irfft(np.fft.rfft(metal) * np.fft.rfft(kernel / kernel.sum()), GRID)


def crank_teeth(rng, teeth, missing):
    """Edges of the teeth, crank degrees, not all quite alike, on a wheel that runs out."""
    present = np.ones(teeth, bool)
    for gap, size in enumerate(missing):
        end = [teeth, teeth // 2 + (2 if len(missing) == 3 else 0), teeth // 4][gap]
        present[end - size : end] = False
    pitch, wide = 360 / teeth, rng.uniform(0.4, 0.6)
    starts = np.arange(teeth)[present] * pitch + rng.normal(0, 0.006, present.sum())
    starts = starts + rng.uniform(0, 0.06) * np.sin(np.radians(starts) + rng.uniform(0, 6))
    return [(s % 360, (s + wide * pitch) % 360) for s in starts], pitch


def cam_segments(rng, n):
    """Edges of a cam's segments, crank degrees on 0 to 720."""
    kind = rng.choice(["one", "half", "uneven", "each", "each-and-one"])
    if kind in ("one", "half"):
        return [(0.0, rng.uniform(12, 40) if kind == "one" else rng.uniform(150, 400))]
    count = n if kind != "uneven" else int(rng.integers(2, 5))
    starts = [720 / count * i for i in range(count)]
    if kind == "uneven":
        return [(s, s + float(w)) for s, w in zip(starts, rng.choice([40, 70, 110, 135], count))]
    wide = rng.uniform(0.2, 0.5) * 720 / n
    extra = [(starts[0] + 720 / n * 0.5 + wide / 2 + 4, starts[0] + 720 / n * 0.5 + wide / 2 + 4 + 0.1 * 720 / n)]
    return [(s, s + wide) for s in starts] + (extra if kind == "each-and-one" else [])


class Sensor:
    """One sensor on one wheel, the same in capture and known-good but for gain, noise and ends."""

    def __init__(self, rng, inductive, edges, smear, whole):
        self.inductive, self.whole = inductive, whole
        self.seen = profile(rng, edges, smear, whole)
        self.turned, self.lag, self.level = rng.random() < 0.5, rng.uniform(2e-6, 15e-6), rng.uniform(0.4, 0.6)
        self.slope = np.gradient(self.seen) * GRID / whole

    def volts(self, rng, degrees, step, turned):
        """What is recorded of it at even steps, degrees in its wheel's own measure."""
        at = np.mod(degrees, self.whole) / self.whole * GRID
        way = -1 if self.turned != turned else 1
        if not self.inductive:
            high = (np.interp(at, np.arange(GRID), self.seen) > self.level) == (way > 0)
            return np.where(high, rng.uniform(4.7, 5.2), rng.uniform(0, 0.4)) + rng.normal(0, rng.uniform(0.01, 0.06), len(at))
        speed = np.gradient(degrees) / step
        volts = way * np.interp(at, np.arange(GRID), self.slope) * speed
        size = rng.uniform(0.8, 12)
        volts = volts / np.quantile(np.abs(volts), 0.999) * size
        seconds = np.arange(len(at)) * step
        hum = rng.uniform(0, 0.02) * size * np.sin(2 * np.pi * 50 * seconds)
        return volts + hum + rng.normal(0, rng.uniform(0.003, 0.02) * size, len(at)) + rng.uniform(-0.02, 0.02) * size


def record(rng, path, known, sensors, angles, step, late):
    """One capture of both sensors; the mean of what the cam is late by, and the speed."""
    rate = float(rng.choice([10e3, 20e3, 25e3, 50e3] if known["starter"] else [20e3, 25e3, 50e3, 100e3]))
    count = int(min(MOST, (len(angles) - 1) * step * rate))
    seconds = np.arange(count) / rate
    degrees = np.interp(seconds, np.arange(len(angles)) * step, angles)
    wander = rng.uniform(0, 0.1 if known["starter"] else 0.5) * np.sin(2 * np.pi * rng.uniform(0.3, 2) * seconds + rng.uniform(0, 6))
    crank, cam = sensors
    lagged = lambda sensor, off: np.interp(seconds - sensor.lag, seconds, degrees - off)
    columns = {"Time (s)": seconds, "Crank (V)": crank.volts(rng, lagged(crank, 0), 1 / rate, known["turned"] and late != 0)}
    columns["Cam (V)"] = cam.volts(rng, lagged(cam, known["place"] + late + wander), 1 / rate, False)
    for name in ("Crank (V)", "Cam (V)"):
        grain = 1.3 * np.ptp(columns[name]) / 2 ** rng.choice([8, 10, 12])
        columns[name] = np.round(columns[name] / grain) * grain
    save(path, columns, 6)
    moving = np.gradient(degrees) > 0.2 * np.median(np.gradient(degrees))
    return float(np.mean(late + wander[moving])), float(np.median(np.gradient(degrees)[moving]) * rate / 6), rate


def make(folder, seed, count):
    rng = np.random.default_rng(seed)
    running = [running_model.draw_running(rng) for _ in range(count // 2) for _ in (0, 1)]
    cranked = [engine_model.draw(rng) for _ in range(count - count // 2)]
    for one, other in zip(running[::2], running[1::2]):
        speed = one["rpm"] * rng.uniform(0.8, 1.3)
        other.update({**one, "rpm": speed})
    angles, _, _, _ = running_model.run(running, seed, 4.0)
    turned, _, _, _ = engine_model.simulate([e for e in cranked for _ in (0, 1)], rng, 4.5)
    truth = []
    for i in range(count):
        starter = i >= count // 2
        e = cranked[i - count // 2] if starter else running[2 * i]
        table, step, at = (turned, engine_model.STEP, 2 * (i - count // 2)) if starter else (angles, running_model.STEP, 2 * i)
        teeth, missing = WHEELS[rng.integers(len(WHEELS))]
        edges, pitch = crank_teeth(rng, teeth, missing)
        inductive, cam_inductive = rng.random() < 0.5, rng.random() < 0.35
        crank = Sensor(rng, inductive, edges, pitch * rng.uniform(0.1, 0.3 if inductive else 0.2), 360)
        sensors = crank, Sensor(rng, cam_inductive, cam_segments(rng, e["n"]), rng.uniform(1.5, 5), 720)
        known = {"id": f"{i:03d}", "n": e["n"], "starter": starter, "teeth": teeth, "missing": missing, "place": float(rng.uniform(0, 720)),
                 "turned": bool(inductive and missing and rng.random() < 0.1),
                 "sensors": "/".join(["hall", "inductive"][i] for i in (inductive, cam_inductive))}
        late = float(rng.choice([1e-9, rng.uniform(-5, 5), rng.uniform(-15, 15)]))
        name = f"{folder}/{known['id']}"
        here, known["rpm"], rate = record(rng, name + ".csv", known, sensors, table[:, at], step, late)
        there, other, other_rate = record(rng, name + ".ref.csv", known, sensors, table[:, at + 1], step, 0)
        known["late"], known["allowed"] = here - there, max(0.25, 0.1 + 3 * max(known["rpm"] / rate, other / other_rate))
        engine = {"name": "Made up", "cylinders": e["n"], "firingOrder": e["order"]}
        if rng.random() < 0.5:
            engine["crankWheel"] = {"teeth": teeth, "missing": missing}
        known["told"] = "crankWheel" in engine
        with open(name + ".engine.json", "w") as file:
            json.dump(engine, file)
        truth.append(known)
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    name = f"{folder}/{known['id']}"
    words = [command, "read", "cam-timing", name + ".csv", "--reference", name + ".ref.csv", "--engine", name + ".engine.json"]
    return ask([*words, "--channel", "crank=Crank", "--channel", "cam=Cam"])


def judge(known, result):
    """Whether offset, speed and wheel are right; without a gap the offset may be off by the step that is said to be left open. None where
    nothing was measured.
    """
    if result.get("offsetDegrees") is None:
        return None
    wheel, off = result["wheel"], result["offsetDegrees"] - known["late"]
    step = result["cams"][0].get("otherwiseBy")
    if not known["missing"] and step:
        off = (off + step / 2) % step - step / 2
    same = (wheel["teeth"], sorted(wheel["missing"])) == (known["teeth"], sorted(known["missing"]))
    return abs(off) <= known["allowed"] and same and abs(result["speedRpm"] / known["rpm"] - 1) < 0.1


def say(known, result, right):
    """One line of what was known and what was said."""
    wheel = f"{known['teeth']}{known['missing']}" + (" told" if known["told"] else "")
    seen = result.get("wheel") or {}
    print(known["id"], f"{known['n']} at {known['rpm']:.0f}", wheel, known["sensors"], "turned" if known["turned"] else "",
          f"true {known['late']:.2f}", "refused" if right is None else
          f"said {result['offsetDegrees']:.2f} {seen['teeth']}{seen['missing']} {result['speedRpm']:.0f}, "
          f"allowed {known['allowed']:.2f}, right {right}",
          codes(result))


def main():
    truth, results, rights = put_to(__doc__, "say every capture, not only what is wrong or refused", make, read, judge, say)
    print(f"{len(truth)} captures, refused {rights.count(None)}, right {rights.count(True)},",
          f"median {np.median([r['took'] for r in results]):.2f} s")


main()

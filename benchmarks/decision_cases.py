"""Jobs put together by what the trade knows, not by the likelihoods: a fault, what a workshop would have found of it, and what it
would have found in order beside it.

/usr/bin/python3 benchmarks/decision_cases.py FOLDER SEED ROUNDS: writes FOLDER/decide with its truth.json, ROUNDS jobs for every kind
of evidence, in the form the practice scorer reads. Names of channels, the completeness of results and the cylinder are drawn.
"""

import json
import os
import random
import sys

from workshop_jobs import Job


# What is found in order beside a fault that has nothing to do with it; a job is given one to three of them.
SOUND = {
    "relative-compression": lambda j: j.compression(),
    "misfire": lambda j: j.misfire("none"),
    "injector-balance": lambda j: j.balance(),
    "hold": lambda j: j.hold("holds"),
    "boost": lambda j: j.track("boost"),
    "fuel": lambda j: j.track("fuel"),
    "plausible": lambda j: j.plausible(),
    "cam-timing": lambda j: j.add("cam-timing", "ok", offsetDegrees=0.3),
    "unusable": lambda j: j.add("cam-timing", "unusable"),
    "smoke": lambda j: j.see("blue-smoke", False),
}


def at_cylinder(j):
    """The usual way to a cylinder: a code and misfires counted."""
    j.complain("misfire", "rough-idle", "misfire-cold")
    j.code(f"P030{j.cylinder}")
    if j.chance.random() < 0.6:
        j.misfire()
    return j


def neighbour(j):
    return j.cylinder + 1 if j.cylinder < j.cylinders else j.cylinder - 1


# What a diesel has not.
SPARKED = ["spark-plug", "ignition-coil", "real-knock", "mount-noise"]
SEALS = ["leaking-exhaust-valve", "leaking-intake-valve", "worn-rings", "head-gasket-between", "head-gasket-coolant"]


def kinds():
    """name, true fault, faults that count as right, first or among the first three, how it is made, what may be sound beside it."""
    engine = ["boost", "fuel", "plausible", "unusable"]
    fuel = ["hold", "injector-balance", "plausible", "unusable", "smoke"]
    electric = ["relative-compression", "misfire", "hold"]
    yield "air at the exhaust", "leaking-exhaust-valve", None, True, lambda j: at_cylinder(j).compression([j.cylinder]).see(
        "air-at-exhaust"
    ), engine
    yield "pressure leaks, exhaust pulses", "leaking-exhaust-valve", SEALS, True, lambda j: at_cylinder(j).pressure("leaks").pulses(
        "exhaust"
    ), engine
    yield "air at the intake", "leaking-intake-valve", None, True, lambda j: at_cylinder(j).compression([j.cylinder]).see(
        "air-at-intake"
    ), engine
    yield "low, intake pulses", "leaking-intake-valve", ["leaking-intake-valve", "intake-valve-not-opening"], True, (
        lambda j: at_cylinder(j).compression([j.cylinder]).pulses("intake")
    ), engine
    yield "air at the filler", "worn-rings", None, True, lambda j: j.complain("smokes").compression([j.cylinder]).see(
        "air-at-oil-filler"
    ), engine
    yield "crankcase pulses, oil", "worn-rings", None, True, lambda j: j.complain("smokes", "misfire").pulses("crankcase").see(
        "oil-on-plug"
    ), engine
    yield "coolant pulses", "head-gasket-coolant", None, True, lambda j: j.complain("misfire-cold", "smokes").pulses("coolant").see(
        "coolant-loss"
    ), engine
    yield "bubbles", "head-gasket-coolant", None, True, lambda j: at_cylinder(j).compression([j.cylinder]).see(
        "bubbles-in-coolant"
    ), engine
    yield "two neighbours low", "head-gasket-between", None, True, (
        lambda j: j.complain("misfire", "rough-idle").code("P0300").compression([j.cylinder, neighbour(j)])
    ), engine
    yield "intake stays shut", "intake-valve-not-opening", None, True, lambda j: at_cylinder(j).pressure(
        "intake-valve-stays-shut"
    ), engine
    yield "intake and exhaust pulses", "intake-valve-not-opening", ["intake-valve-not-opening", "exhaust-valve-not-opening"], False, (
        lambda j: at_cylinder(j).pulses("intake").pulses("exhaust")
    ), engine
    yield "exhaust stays shut", "exhaust-valve-not-opening", None, True, lambda j: at_cylinder(j).pressure(
        "exhaust-valve-stays-shut"
    ), engine
    yield "cam timing off", "cam-timing-off", None, True, lambda j: j.complain("lacks-power").code("P0016").add(
        "cam-timing", "fault", offsetDegrees=8.0
    ), fuel
    yield "valve timing in the cylinder", "cam-timing-off", None, True, lambda j: j.complain("lacks-power", "rough-idle").pressure(
        "valve-timing"
    ), fuel
    yield "rattle and offset", "cam-timing-off", None, True, lambda j: j.complain("lacks-power").see("rattle-at-start").add(
        "cam-timing", "fault", offsetDegrees=9.0
    ), fuel
    yield "phaser stuck", "phaser-stuck", None, True, lambda j: j.complain("lacks-power", "stalls").code("P0011").track(
        "phaser", "stuck"
    ), fuel
    yield "phaser does not answer", "phaser-stuck", None, True, lambda j: j.complain("rough-idle", "stalls").code("P0010").respond(
        "phaser", "no-response"
    ), fuel
    yield "phaser sometimes", "phaser-stuck", None, True, lambda j: j.complain("rough-idle", "warning-lamp").code("P0012").respond(
        "phaser", "intermittent"
    ), fuel
    yield "exhaust restricted", "exhaust-restricted", None, True, lambda j: j.complain("lacks-power").pressure("exhaust-restricted"), fuel
    yield "exhaust restricted, codes", "exhaust-restricted", None, False, lambda j: j.complain("lacks-power").code("P2463").track(
        "boost", "below"
    ), fuel
    yield "split hose, lean", "intake-leak", None, True, lambda j: j.complain("rough-idle", "hesitates").code("P0171").see(
        "split-hose"
    ), electric
    yield "lean, idle", "intake-leak", None, False, lambda j: j.complain("rough-idle").code("P0171", "P0174").misfire("random"), [
        "hold",
        "fuel",
    ]
    yield "little air", "intake-restricted", None, False, lambda j: j.complain("lacks-power").track("airflow", "below").see(
        "black-smoke"
    ), fuel
    yield "spark plug cracked", "spark-plug", None, True, lambda j: at_cylinder(j).see("cracked-plug").compression(), ["injector-balance"]
    yield "plug moved", "spark-plug", None, True, lambda j: at_cylinder(j).see("swap-moved", part="spark-plug", cylinder=j.cylinder), [
        "injector-balance",
        "relative-compression",
    ]
    yield "coil moved", "ignition-coil", None, True, lambda j: at_cylinder(j).see(
        "swap-moved", part="ignition-coil", cylinder=j.cylinder
    ), ["injector-balance"]
    yield "weak spark", "ignition-coil", None, True, lambda j: at_cylinder(j).code(f"P035{j.cylinder}").see("weak-spark"), [
        "relative-compression"
    ]
    yield "dripping", "injector-leaking", None, True, lambda j: j.complain("hard-restart", "smokes").see("dripping-injector").balance(
        "outliers", 131
    ), ["relative-compression", "boost"]
    yield "rest leaks", "injector-leaking", None, True, lambda j: j.complain("hard-restart").hold(
        "leaks", {"supply": 4, "return": 3, "rest": 93}
    ), ["relative-compression"]
    yield "flow low", "injector-restricted", None, True, lambda j: at_cylinder(j).balance("outliers", 71), [
        "relative-compression",
        "boost",
    ]
    yield "injector moved", "injector-restricted", None, True, lambda j: at_cylinder(j).see(
        "swap-moved", part="injector-restricted", cylinder=j.cylinder
    ), ["relative-compression"]
    yield "all low", "injectors-all-restricted", None, True, lambda j: j.complain("lacks-power", "hesitates").code("P0171").balance(
        "all-low", 80
    ), ["relative-compression", "fuel"]
    yield "injector wire", "injector-circuit", None, True, lambda j: at_cylinder(j).code(f"P020{j.cylinder}").circuit(
        f"Injector {j.cylinder}", "supply", "open", cylinder=j.cylinder
    ), ["relative-compression"]
    yield "pump weak", "fuel-pump-weak", None, True, lambda j: j.complain("lacks-power", "hesitates").code("P0087").track(
        "fuel", "below"
    ), ["hold", "relative-compression", "boost"]
    yield "pump weak on the starter", "fuel-pump-weak", None, False, lambda j: j.complain("cranks-no-start").code("P0087").start(
        "rail-pressure"
    ), ["relative-compression"]
    yield "check valve", "fuel-check-valve", None, True, lambda j: j.complain("hard-restart").hold(
        "leaks", {"supply": 91, "return": 5, "rest": 4}
    ), ["relative-compression"]
    yield "control does not answer", "fuel-pressure-control", None, True, lambda j: j.complain("lacks-power", "stalls").code(
        "P0089"
    ).respond("fuel", "no-response"), ["injector-balance", "relative-compression"]
    yield "control oscillates", "fuel-pressure-control", None, True, lambda j: j.complain("hesitates", "rough-idle").code("P0089").track(
        "fuel", "oscillates"
    ), ["injector-balance", "relative-compression"]
    yield "pressure too high", "fuel-pressure-control", None, True, lambda j: j.complain("smokes", "knocks").code("P0088").track(
        "fuel", "above"
    ), ["injector-balance"]
    yield "return leaks", "fuel-pressure-control", None, True, lambda j: j.complain("hard-restart").hold(
        "leaks", {"supply": 3, "return": 95, "rest": 2}
    ), ["relative-compression"]
    yield "rail sensor flat", "rail-pressure-sensor", None, True, lambda j: j.complain("lacks-power", "stalls").code("P0191").plausible(
        "Rail pressure", "flat"
    ), electric
    yield "rail sensor offset", "rail-pressure-sensor", None, True, lambda j: j.complain("cranks-no-start", "hard-restart").code(
        "P0193"
    ).plausible("Fuel rail pressure", "offset").circuit("Rail pressure sensor"), ["relative-compression"]
    yield "timing does not answer", "injection-timing-control", None, True, lambda j: j.complain("knocks", "smokes").respond(
        "timing", "no-response"
    ), ["relative-compression", "fuel"]
    yield "timing off", "injection-timing-control", None, True, lambda j: j.complain("lacks-power", "smokes").code("P0251").track(
        "timing", "below"
    ), ["relative-compression", "fuel"]
    yield "timing by its plain name", "injection-timing-control", None, True, lambda j: j.complain("knocks").track("timing", "stuck").see(
        "white-smoke"
    ), ["relative-compression"]
    yield "boost leak", "boost-leak", None, True, lambda j: j.complain("no-boost", "lacks-power").code("P0299").track(
        "boost", "below"
    ).respond("boost").see("split-hose"), ["relative-compression"]
    yield "boost leak unseen", "boost-leak", None, False, lambda j: j.complain("no-boost", "lacks-power").code("P0299").track(
        "boost", "below"
    ).respond("boost"), ["relative-compression"]
    yield "boost actuator", "boost-actuator-stuck", None, True, lambda j: j.complain("no-boost", "lacks-power").code("P0299").track(
        "boost", "below"
    ).respond("boost", "no-response"), ["relative-compression"]
    yield "boost actuator gives up", "boost-actuator-stuck", None, True, lambda j: j.complain("lacks-power").track(
        "boost", "below"
    ).respond("boost", "gives-up"), ["relative-compression"]
    yield "boost too high", "boost-actuator-stuck", None, True, lambda j: j.complain("lacks-power").code("P0234").track(
        "boost", "overshoots"
    ), ["relative-compression"]
    yield "wastegate code", "boost-actuator-stuck", None, True, lambda j: j.complain("no-boost").code("P0243").respond(
        "boost", "intermittent"
    ), ["relative-compression"]
    yield "boost sensor", "boost-sensor", None, True, lambda j: j.complain("lacks-power", "warning-lamp").code("P0237").plausible(
        "Boost pressure", "out-of-range"
    ), ["relative-compression", "cam-timing"]
    yield "boost sensor offset", "boost-sensor", None, True, lambda j: j.complain("lacks-power", "no-boost").code("P0236").plausible(
        "Charge pressure", "offset"
    ).circuit("Boost pressure sensor"), ["relative-compression"]
    yield "recirculation stuck", "recirculation-valve-stuck", None, True, lambda j: j.complain("rough-idle", "hesitates").code(
        "P0401"
    ).track("recirculation", "stuck"), ["relative-compression", "boost"]
    yield "recirculation below", "recirculation-valve-stuck", None, True, lambda j: j.complain("hesitates", "smokes").code("P0403").track(
        "recirculation", "above"
    ), ["relative-compression", "boost"]
    yield "recirculation does not answer", "recirculation-valve-stuck", None, True, lambda j: j.complain("stalls", "smokes").respond(
        "recirculation", "no-response"
    ), ["relative-compression", "boost"]
    yield "air flow flat", "air-flow-sensor", None, True, lambda j: j.complain("hesitates", "lacks-power").code("P0102").plausible(
        "Mass air flow", "flat"
    ), ["relative-compression", "boost"]
    yield "air flow below", "air-flow-sensor", None, False, lambda j: j.complain("lacks-power", "hesitates").code("P0101").track(
        "airflow", "below"
    ), ["relative-compression"]
    yield "crank sensor", "crank-sensor", None, True, lambda j: j.complain("dies-hot", "stalls").code("P0335").teeth(
        "Crankshaft sensor", "drops-out"
    ).circuit("Crankshaft sensor"), ["relative-compression", "hold"]
    yield "crank sensor, nothing counted", "crank-sensor", ["crank-sensor", "crank-circuit"], True, lambda j: j.complain(
        "cranks-no-start"
    ).code("P0335").start("speed", speed=0), ["relative-compression"]
    yield "crank wire", "crank-circuit", None, True, lambda j: j.complain("stalls", "cranks-no-start").code("P0336").circuit(
        "Crank sensor", "signal", "open"
    ), ["relative-compression"]
    yield "chafed crank wire", "crank-circuit", None, True, lambda j: j.complain("stalls", "dies-hot").code("P0339").see(
        "chafed-wire"
    ).teeth("Crank sensor", "drops-out"), ["hold"]
    yield "cam sensor", "cam-sensor", None, True, lambda j: j.complain("hard-restart", "warning-lamp").code("P0340").teeth(
        "Camshaft sensor", "drops-out", 4
    ).circuit("Camshaft sensor"), ["relative-compression", "cam-timing"]
    yield "cam sensor, dropouts", "cam-sensor", None, True, lambda j: j.complain("hard-restart", "dies-hot").code("P0341").plausible(
        "Cam sensor", "dropout"
    ).circuit("Cam sensor"), ["hold"]
    yield "cam wire", "cam-circuit", None, True, lambda j: j.complain("hard-restart", "warning-lamp").code("P0342").circuit(
        "Cam sensor", "ground", "high-resistance"
    ), ["relative-compression"]
    yield "teeth missing", "trigger-wheel", None, True, lambda j: j.complain("cranks-no-start", "stalls").code("P0335").teeth(
        "Crank sensor", "short"
    ), ["relative-compression"]
    yield "ring seen", "trigger-wheel", None, True, lambda j: j.complain("stalls", "misfire").code("P0336").teeth(
        "Crank sensor", "irregular"
    ).see("damaged-ring"), ["hold"]
    yield "shared supply", "reference-supply-short", None, True, lambda j: j.complain("stalls", "lacks-power").code(
        "P0122", "P0107", "P0642"
    ).plausible("Pedal, boost, rail", "shared-supply", channels=["Pedal", "Boost", "Rail"]), ["relative-compression"]
    yield "five volts shorted", "reference-supply-short", None, True, lambda j: j.complain("stalls", "cranks-no-start").code(
        "P0652", "P0193", "P0237"
    ).circuit("Throttle position sensor", "supply 5V", "short-to-ground"), ["relative-compression"]
    yield "two sensors, supply short", "reference-supply-short", None, True, lambda j: j.complain("lacks-power", "warning-lamp").code(
        "P0641"
    ).circuit("Pressure sensor", "supply 5V", "short-to-supply"), ["relative-compression"]
    yield "signal shorted", "signal-short", None, True, lambda j: j.complain("warning-lamp", "lacks-power").code("P0123").circuit(
        "Throttle position sensor", "signal", "short-to-supply"
    ), ["relative-compression", "misfire"]
    yield "temperature wire", "signal-short", None, True, lambda j: j.complain("warning-lamp").code("P0117").circuit(
        "Coolant temperature sensor", "signal", "short-to-ground"
    ), ["relative-compression", "misfire"]
    yield "crosstalk", "wire-crosstalk", None, True, lambda j: j.complain("stalls", "warning-lamp").plausible(
        "Cam sensor", "spikes", coincidesWith="Coil 2"
    ).see("chafed-wire"), ["relative-compression"]
    yield "spikes with an event", "wire-crosstalk", None, True, lambda j: j.complain("misfire", "warning-lamp").plausible(
        "Throttle position", "spikes", coincidesWith="Injector 1"
    ), ["relative-compression"]
    yield "module", "module-fault", None, False, lambda j: j.complain("cranks-no-start", "stalls").code("P0606").circuit(
        "Control module"
    ), ["relative-compression"]
    yield "no fuel command", "module-fault", None, False, lambda j: j.complain("cranks-no-start").code("P0601").start("fuel-command"), [
        "relative-compression"
    ]
    yield "immobiliser", "immobiliser", None, True, lambda j: j.complain("cranks-no-start").start("immobiliser"), ["relative-compression"]
    yield "immobiliser, code", "immobiliser", None, True, lambda j: j.complain("cranks-no-start").code("P0513").start("fuel-command"), [
        "relative-compression"
    ]
    yield "battery", "weak-battery", None, True, lambda j: j.complain("slow-cranking").start("battery", battery=7.6), ["misfire"]
    yield "battery, codes", "weak-battery", None, True, lambda j: j.complain("slow-cranking", "cranks-no-start").code(
        "P0562", "U0100", "U0121"
    ).start("battery", battery=7.2), ["misfire"]
    yield "starter drags", "starter-drag", None, True, lambda j: j.complain("slow-cranking").start("speed", speed=70), ["misfire"]
    yield "starter cable", "starter-drag", None, True, lambda j: j.complain("slow-cranking").circuit(
        "Starter cable", "supply", "high-resistance"
    ), ["misfire"]
    yield "ring of a wheel", "wheel-ring", None, True, lambda j: j.complain("traction-lamp").code("C0035").teeth(
        f"{j.wheel} wheel speed sensor", "short", 48
    ), ["relative-compression"]
    yield "ring of a wheel by eye", "wheel-ring", None, True, lambda j: j.complain("traction-lamp").wheels("erratic").see(
        "damaged-ring", wheel=j.wheel
    ), ["relative-compression"]
    yield "sensor of a wheel moved", "wheel-sensor", None, True, lambda j: j.complain("traction-lamp").code("C0040").wheels().see(
        "swap-moved", part="wheel-sensor", wheel=j.wheel
    ), ["relative-compression"]
    yield "wheel drops out, wires sound", "wheel-sensor", None, True, lambda j: j.complain("traction-lamp").wheels("drops-out").teeth(
        f"{j.wheel} wheel sensor", "drops-out", 48
    ).circuit(f"{j.wheel} wheel sensor"), ["misfire"]
    yield "wire of a wheel", "wheel-circuit", None, True, lambda j: j.complain("traction-lamp").code("C0045").wheels().circuit(
        f"{j.wheel} wheel sensor", "signal", "open", wheel=j.wheel
    ), ["misfire"]
    yield "real knock", "real-knock", None, True, lambda j: j.complain("knocks").knock("likely-real"), ["relative-compression", "fuel"]
    yield "mount", "mount-noise", None, True, lambda j: j.complain("knocks").code("P0327").knock("likely-false").see("broken-mount"), [
        "relative-compression"
    ]
    yield "false knock", "mount-noise", None, True, lambda j: j.complain("knocks", "lacks-power").knock("likely-false"), [
        "relative-compression",
        "fuel",
    ]


def main(folder, seed, rounds):
    chance = random.Random(seed)
    out = os.path.join(folder, "decide")
    os.makedirs(out, exist_ok=True)
    truths = []
    for _ in range(rounds):
        for name, true, faults, first, make, beside in kinds():
            j = Job(chance, fuel="petrol" if true in SPARKED else None)
            make(j)
            for extra in chance.sample(beside, chance.randint(0, min(3, len(beside)))):
                SOUND[extra](j)
            chance.shuffle(j.evidence)
            file = f"job-{len(truths):03d}.json"
            with open(os.path.join(out, file), "w") as f:
                json.dump(j.file(), f, indent=1)
            truths.append(
                {
                    "name": f"{len(truths):03d}-{name}",
                    "args": ["decide", file],
                    "truth": {
                        "group": "a",
                        "true": true,
                        "faults": faults or [true],
                        "cyl": [j.cylinder] + ([neighbour(j)] if true == "head-gasket-between" else []),
                        "first": first,
                    },
                }
            )
    with open(os.path.join(out, "truth.json"), "w") as f:
        json.dump(truths, f, indent=1)
    print(f"{len(truths)} jobs in {out}")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]))

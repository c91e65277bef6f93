"""Engines that fire, many at once: the cylinders of engine_model.py with a fire in them, a manifold behind a throttle, an exhaust of two
volumes and a pipe, a governor. Shares no code with the readings or the stand-ins. SI units, pressures absolute, crank degrees.
"""
import numpy as np
from engine_model import GAMMA, GAS, OUTSIDE, draw, lift, orifice, slider, through

STEP, SETTLE = 5.0e-5, 1.5
INLET, BURNT = 310.0, 850.0
UNEVEN = [0, 90, 240, 330, 480, 570]


def draw_running(rng):
    """One petrol engine at idle or held at a higher speed with little load; every fifth of six cylinders fires unevenly."""
    e = draw(rng)
    while e["diesel"]:
        e = draw(rng)
    n = e["n"]
    e["angles"] = UNEVEN if n == 6 and rng.random() < 0.3 else [720 / n * i for i in range(n)]
    e["rpm"] = rng.uniform(700, 950) if rng.random() < 0.7 else rng.uniform(1500, 2300)
    e["suction"] = rng.uniform(28e3, 42e3) if e["rpm"] < 1000 else rng.uniform(30e3, 50e3)
    e["plenum"] = rng.uniform(0.7, 1.6) * n * e["volume"]
    e["header"], e["muffler"] = rng.uniform(0.5, 1.5) * 1e-3, rng.uniform(5, 14) * 1e-3
    e["cat"], e["pipe"] = rng.uniform(3.5, 7) * 1e-4, rng.uniform(4, 9) * 1e-4
    e["inertia"] = rng.uniform(0.10, 0.22) * (0.6 + 0.1 * n)
    e["scatter"] = rng.uniform(0.02, 0.07) if e["rpm"] < 1000 else rng.uniform(0.01, 0.04)
    e["ivo"] += 5
    e["fill"], e["vent"] = np.exp(rng.normal(0, 0.012, n)), np.exp(rng.normal(0, 0.01, n))
    e["burns"], e["misses"] = np.ones(n), np.zeros(n)
    e["leak_in"], e["leak_out"], e["shut_out"], e["hose"] = (np.zeros(n) for _ in range(4))
    e["reciprocating"] = 0.0
    return e


def passed(area, inside, outside, volume):
    """Mass and heat into a volume in one of this model's shorter steps."""
    return through(area, inside, outside, volume, STEP, 0.4)


def burnt(degrees, length):
    """Share of the charge burnt, degrees after the spark: Wiebe."""
    return 1 - np.exp(-6.9 * np.clip(degrees / length, 0, 1) ** 3)


class Fires:
    """What every cylinder burns in its next cycle: drawn anew where its exhaust opens."""

    def __init__(self, rng, each, scatter):
        self.rng, self.each, self.scatter = rng, each, scatter
        self.share, self.length = np.ones(each["burns"].shape), np.full(each["burns"].shape, 60.0)

    def redraw(self, where):
        shape = self.share.shape
        share = self.each["burns"] * (1 + self.scatter * self.rng.normal(0, 1, shape))
        share = np.where(self.rng.random(shape) < self.each["misses"], 0, share)
        length = 60 * np.exp(self.rng.normal(0, 0.07, shape)) / np.maximum(self.each["burns"], 0.5)
        self.share, self.length = np.where(where, share, self.share), np.where(where, length, self.length)


def run(engines, seed, seconds=5.0):
    """By step after it has settled: degrees, manifold and muffler (Pa) of every engine, every cylinder's pressure; its TDCs. Of every
    firing the step, the engine, the cylinder and the share that burns are kept too.
    """
    rng = np.random.default_rng(seed)
    most, many = max(x["n"] for x in engines), len(engines)
    e = {k: np.array([[x[k]] for x in engines], float) for k in (
        "volume", "bore", "stroke", "ratio", "rod", "wall", "heat", "suction", "plenum", "header", "muffler", "cat", "pipe", "scatter",
        "reciprocating")}
    each = {k: np.array([np.pad(np.broadcast_to(x[k], x["n"]), (0, most - x["n"]), "edge") for x in engines]) for k in (
        "ivo", "ivc", "evo", "evc", "leak", "port", "lost", "fill", "vent", "burns", "misses", "leak_in", "leak_out", "shut_out",
        "hose")}
    there = np.array([[i < x["n"] for i in range(most)] for x in engines])
    tdc = np.array([[x["angles"][x["order"].index(i + 1)] if i < x["n"] else 0 for i in range(most)] for x in engines])
    piston = np.pi / 4 * e["bore"] ** 2
    target = np.array([x["rpm"] for x in engines]) * np.pi / 30
    inertia = np.array([x["inertia"] for x in engines])
    cylinders = there.sum(1, keepdims=True)
    air = 0.8 * cylinders * e["volume"] * target[:, None] / (4 * np.pi) * e["suction"] / (GAS * INLET)
    throttle = air / orifice(OUTSIDE, 295, e["suction"])
    fires = Fires(rng, each, e["scatter"])
    theta, omega, load = rng.uniform(0, 720, many), target.copy(), np.zeros(many)
    after = (theta[:, None] - tdc) % 720
    volume = slider(e, after)[0] + each["hose"]
    p, manifold = np.broadcast_to(e["suction"], tdc.shape).copy(), e["suction"].copy()
    header, muffler = np.full(manifold.shape, 1.01e5), np.full(manifold.shape, 1.005e5)
    mass, fresh = p * volume / (GAS * 400), 0 * p
    steps, late = int((seconds + SETTLE) / STEP), int(SETTLE / STEP)
    kept = {k: np.zeros((steps - late, many), np.float32) for k in ("manifold", "muffler")}
    angles, inside = np.zeros((steps - late, many)), np.zeros((steps - late, *tdc.shape), np.float32)
    firings, oscillating = [], 0
    for s in range(steps):
        before = after
        after = (theta[:, None] - tdc) % 720
        fires.redraw((before < 150) & (after >= 150))
        if s >= late:
            firings += [(s - late, i, c, fires.share[i, c]) for i, c in zip(*np.nonzero(there & (before > 700) & (after < 20)))]
        volume, slope = slider(e, after)
        volume = volume + each["hose"]
        t = p * volume / (mass * GAS)
        inlet = 0.2 * piston * each["fill"] * each["port"] * lift(after, each["ivo"], each["ivc"], each["lost"]) + each["leak_in"]
        outlet = 0.16 * piston * each["vent"] * lift(after, each["evo"], each["evc"], each["shut_out"]) + each["leak_out"]
        d_in, h_in = passed(inlet * there, (p, t), (manifold, INLET), volume)
        d_out, h_out = passed(outlet * there, (p, t), (header, BURNT), volume)
        hole, h_hole = passed(each["leak"], (p, t), (OUTSIDE, 320), volume)
        fresh = np.where((before < 330) & (after >= 330), 0, fresh + d_in)
        turned = omega[:, None] * STEP
        since = (after + 12) % 720
        spread = burnt(since + np.degrees(turned), fires.length) - burnt(since, fires.length)
        fire = np.where(since < 200, spread * fires.share * np.maximum(fresh, 0) * 2.45e6, 0)
        surface = 2 * piston + 4 * volume / e["bore"]
        warmth = 2.2 * e["heat"] * (p / OUTSIDE) ** 0.8 * (t / 300) ** -0.55 * surface * (t - 400) * STEP
        grown = slope * turned
        push = np.where(there, (p - OUTSIDE) * slope, 0).sum(1)
        p = np.maximum((p * volume + (GAMMA - 1) * (fire - p * grown - warmth) + h_in + h_out + h_hole) / (volume + grown), 3000)
        mass = np.maximum(mass + d_in + d_out + hole, 1e-7)
        inflow = throttle * orifice(OUTSIDE, 295, np.minimum(manifold, OUTSIDE)) * STEP
        manifold = np.maximum(manifold + GAS * INLET / e["plenum"] * (inflow - np.where(there, d_in, 0).sum(1, keepdims=True)), 5000)
        on = passed(e["cat"], (muffler, 600), (header, BURNT), e["muffler"])[0]
        out = passed(e["pipe"], (OUTSIDE, 600), (muffler, 600), e["muffler"])[0]
        header = header + GAS * BURNT / e["header"] * (-np.where(there, d_out, 0).sum(1, keepdims=True) - on)
        muffler = muffler + GAS * 600 / e["muffler"] * (on - out)
        load = load + (omega - target) * STEP * 8
        # What moves to and fro takes up energy and gives it back: the energy of it all changes by what pushes alone.
        was, oscillating = oscillating, np.where(there, e["reciprocating"] * (slope / piston) ** 2, 0).sum(1)
        kept_speed = np.sqrt((inertia + was) / (inertia + oscillating)) if s else 1
        omega = np.maximum(omega * kept_speed + (push - load - 1.5 * (omega - target)) / (inertia + oscillating) * STEP, 10)
        theta = theta + np.degrees(turned[:, 0])
        if s >= late:
            angles[s - late], inside[s - late] = theta, p
            for k, v in (("manifold", manifold), ("muffler", muffler)):
                kept[k][s - late] = v[:, 0]
    return angles, {**kept, "firings": firings}, inside, tdc

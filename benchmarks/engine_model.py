"""Engines turned by their starters, many at once: first law, flow through orifices, a motor. Shares no code with the readings or the
stand-ins, so that what they both take for granted shows. SI units, pressures absolute, angles in crank degrees.
"""
import numpy as np

GAMMA, GAS, OUTSIDE, STEP = 1.36, 287.0, 1.0e5, 1.0e-4
ORDERS = {3: [1, 3, 2], 4: [1, 3, 4, 2], 5: [1, 2, 4, 5, 3], 6: [1, 5, 3, 6, 2, 4], 8: [1, 8, 4, 3, 6, 5, 7, 2]}


def draw(rng, slow=False):
    """One engine with its starter, drawn at random; a slow one turns at 95 to 165 rpm."""
    n = int(rng.choice([3, 4, 4, 4, 5, 6, 6, 8]))
    diesel = bool(rng.random() < 0.2)
    volume = rng.uniform(0.33e-3, 0.6e-3)
    bore = (4 * volume / np.pi / rng.uniform(0.95, 1.2)) ** (1 / 3)
    e = dict(n=n, order=ORDERS[n], diesel=diesel, volume=volume, bore=bore, stroke=4 * volume / np.pi / bore**2)
    e["ratio"] = rng.uniform(16, 19) if diesel else rng.uniform(9, 12.5)
    e["rod"] = rng.uniform(1.55, 1.85)
    e["ivo"], e["ivc"] = 360 - rng.uniform(-5, 18), 540 + rng.uniform(28, 66)
    e["evo"], e["evc"] = 180 - rng.uniform(30, 58), 360 + rng.uniform(2, 20)
    e["manifold"] = 1.0 if diesel else rng.uniform(0.86, 1.0)
    e["wall"], e["heat"] = rng.uniform(283, 345), rng.uniform(15, 60)
    e.update(starter(rng, e, slow))
    e["leak"] = np.exp(rng.normal(0, 0.15, n)) * rng.uniform(0.15, 0.5) * 1e-6
    e["gaps"] = np.full(n, rng.uniform(0, 0.6))
    e["port"], e["lost"] = np.ones(n), np.zeros(n)
    return e


def starter(rng, e, slow):
    """A motor that turns the engine at a speed drawn at random against its friction."""
    drag = e["n"] * e["volume"] * 1e3 * rng.uniform(17, 27) * (1.3 if e["diesel"] else 1)
    rpm = rng.uniform(95, 165) if slow else rng.uniform(175, 320) if e["n"] < 8 else rng.uniform(160, 260)
    omega, emf = rpm * np.pi / 30, rng.uniform(11.8, 12.7)
    ohm = rng.uniform(0.008, 0.018) / (1 + 0.5 * e["diesel"]) / (0.6 + 0.1 * e["n"])
    ohm = min(ohm, 0.8 * emf**2 / 4 / omega / drag)
    k = (emf + np.sqrt(emf**2 - 4 * omega * ohm * drag)) / 2 / omega
    return dict(emf=emf, ohm=ohm, k=k, drag=0.8 * drag, inertia=rng.uniform(0.035, 0.11) * k**2 / ohm)


def slider(e, after):
    """Volume of a cylinder and its slope a radian, by degrees after TDC."""
    a = np.radians(after)
    half = e["stroke"] / 2
    root = np.sqrt(4 * e["rod"] ** 2 - np.sin(a) ** 2)
    area = np.pi / 4 * e["bore"] ** 2
    volume = e["volume"] / (e["ratio"] - 1) + area * half * (1 - np.cos(a) + 2 * e["rod"] - root)
    return volume, area * half * (np.sin(a) + np.sin(a) * np.cos(a) / root)


def orifice(upstream, temperature, downstream):
    """Mass flow a square metre."""
    r = np.maximum(downstream / upstream, (2 / (GAMMA + 1)) ** (GAMMA / (GAMMA - 1)))
    passing = np.maximum(0, 2 * GAMMA / (GAMMA - 1) * (r ** (2 / GAMMA) - r ** ((GAMMA + 1) / GAMMA)))
    return upstream / np.sqrt(GAS * temperature) * np.sqrt(passing)


def lift(after, opens, closes, lost):
    share = np.clip((after - opens) / (closes - opens), 0, 1)
    return np.maximum(0, np.sin(np.pi * share) ** 2 - lost)


def through(area, inside, outside, volume, step=STEP, share=0.5):
    """Mass into a volume in a step, never more than a share of what evens the pressures, and its heat. Sides: pressure, temperature."""
    (p, t), (outside_p, outside_t) = inside, outside
    enters = outside_p > p
    up, down, hot = np.where(enters, outside_p, p), np.where(enters, p, outside_p), np.where(enters, outside_t, t)
    most = share * np.abs(outside_p - p) * volume / (GAMMA * GAS * hot)
    mass = np.minimum(area * orifice(up, hot, down) * step, most) * np.where(enters, 1, -1)
    return mass, GAMMA * GAS * hot * mass


def simulate(engines, rng, seconds=5.5, before=0.4):
    """Degrees and current (A) of every engine by step, each cylinder's mean compression work (J), and where its TDC lies."""
    most = max(x["n"] for x in engines)
    e = {k: np.array([[x[k]] for x in engines], float) for k in (
        "volume", "bore", "stroke", "ratio", "rod", "ivo", "ivc", "evo", "evc", "manifold", "wall", "heat")}
    k, ohm, emf, drag, inertia = (np.array([x[key] for x in engines]) for key in ("k", "ohm", "emf", "drag", "inertia"))
    each = lambda key: np.array([list(x[key]) + [0.0] * (most - x["n"]) for x in engines])
    leak, gaps, port, lost = each("leak"), each("gaps"), each("port"), each("lost")
    there = np.array([[i < x["n"] for i in range(most)] for x in engines])
    tdc = np.array([[720.0 / x["n"] * x["order"].index(i + 1) if i < x["n"] else 0 for i in range(most)] for x in engines])
    piston = np.pi / 4 * e["bore"] ** 2
    theta, omega, amps = rng.uniform(0, 720, len(engines)), np.zeros(len(engines)), np.zeros(len(engines))
    volume, _ = slider(e, (theta[:, None] - tdc) % 720)
    p = np.full(tdc.shape, OUTSIDE)
    mass = p * volume / (GAS * 295)
    steps = int(seconds / STEP)
    angles, currents = np.zeros((steps, len(engines))), np.zeros((steps, len(engines)))
    work, whole, cycles, began = np.zeros(tdc.shape), np.zeros(tdc.shape), np.zeros(len(engines)), np.zeros(len(engines))
    for s in range(steps):
        on = s * STEP >= before
        amps = np.maximum(amps + (emf - ohm * amps - k * omega) / (ohm * 0.0012) * STEP * 0.5, 0) if on else 0 * amps
        after = (theta[:, None] - tdc) % 720
        volume, slope = slider(e, after)
        push = k * amps + np.where(there, (p - OUTSIDE) * slope, 0).sum(1)
        held = drag * (0.75 + 0.25 * np.minimum(omega / 25, 2))
        moving = (omega > 1e-3) | (push > held)
        omega = np.maximum(0, omega + np.where(moving, (push - held) / inertia, 0) * STEP)
        turned = (omega * STEP)[:, None]
        t = p * volume / (mass * GAS)
        inlet = 0.22 * piston * port * lift(after, e["ivo"], e["ivc"], lost)
        d_in, h_in = through(inlet, (p, t), (OUTSIDE * e["manifold"], 295), volume)
        d_out, h_out = through(0.18 * piston * lift(after, e["evo"], e["evc"], 0), (p, t), (OUTSIDE, 300), volume)
        hole, h_hole = through((1 - gaps) * leak, (p, t), (OUTSIDE, 300), volume)
        seep = -gaps * leak * 0.68 / np.sqrt(GAS * 320) * (p - OUTSIDE) * STEP
        h_seep = GAMMA * GAS * np.where(seep < 0, t, 300) * seep
        surface = 2 * piston + 4 * volume / e["bore"]
        warmth = e["heat"] * (p / OUTSIDE) ** 0.8 * (t / 300) ** -0.55 * surface * (t - e["wall"]) * STEP
        grown = slope * turned
        if s * STEP > before + 1.6:
            began = np.where(began == 0, theta, began)
            work += np.where(after >= 540, -(p - OUTSIDE) * grown, 0)
            full = theta - began >= 720
            whole, cycles = whole + np.where(full[:, None], work, 0), cycles + full
            work, began = np.where(full[:, None], 0, work), np.where(full, began + 720, began)
        p = (p * volume - (GAMMA - 1) * (p * grown + warmth) + h_in + h_out + h_hole + h_seep) / (volume + grown)
        p, mass = np.maximum(p, 2000), np.maximum(mass + d_in + d_out + hole + seep, 1e-7)
        theta = theta + np.degrees(turned[:, 0])
        angles[s], currents[s] = theta, amps
    return angles, currents, [whole[i, : x["n"]] / cycles[i] for i, x in enumerate(engines)], tdc

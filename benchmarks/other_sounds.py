"""Recordings in which no starter turns an engine, drawn at random, put to relative compression by ear: none may get a verdict.

python3 benchmarks/other_sounds.py FOLDER SEED COUNT [--all] [--command ./maschera]
A folder that holds recordings already is only read. Needs numpy and scipy.
"""
import json
import numpy as np
from scipy.io import wavfile
from scipy.signal import butter, sosfilt
from asked import ask, codes, put_to

KINDS = ["speech", "pump", "fan", "idling", "free-starter", "music", "slams", "wind", "hum", "drill", "wiper", "rings"]


def band(rng, count, rate, low, high):
    """Noise between two frequencies."""
    return sosfilt(butter(3, [low, high], "bandpass", fs=rate, output="sos"), rng.normal(size=count))


def tone(rate, hertz, overtones, rng):
    """A tone that follows its frequency at every sample, with overtones."""
    phase = 2 * np.pi * np.cumsum(hertz) / rate
    return sum(rng.uniform(0.2, 1) / k * np.sin(k * phase + rng.uniform(0, 6)) for k in range(1, overtones + 1))


def wander(rng, count, rate, hertz):
    """A slow course of size one."""
    slow = sosfilt(butter(2, hertz, "lowpass", fs=rate, output="sos"), rng.normal(size=count))
    return slow / slow.std()


def made(rng, kind, rate, seconds):
    """The sound, before the room and the hiss."""
    t = np.arange(len(seconds))
    count, flat = len(t), np.ones(len(t))
    if kind == "speech":
        syllables = np.clip(np.sin(2 * np.pi * rng.uniform(2.5, 5) * seconds + 2 * wander(rng, count, rate, 1)), 0, None)
        voice = tone(rate, rng.uniform(90, 220) * (1 + 0.12 * wander(rng, count, rate, 3)), 12, rng)
        return syllables * (voice + 0.5 * band(rng, count, rate, 400, 3000))
    if kind == "pump":
        return tone(rate, rng.uniform(300, 700) * (1 + rng.uniform(0.001, 0.01) * wander(rng, count, rate, 5)), 4, rng)
    if kind == "fan":
        return tone(rate, rng.uniform(80, 400) * (1 + 0.01 * wander(rng, count, rate, 0.5)), 6, rng) + band(rng, count, rate, 200, 2000)
    if kind == "idling":
        firing = rng.uniform(18, 40) * (1 + 0.03 * wander(rng, count, rate, 2))
        knocks = np.clip(tone(rate, firing, 3, rng), 0, None) ** 3
        return knocks * band(rng, count, rate, 300, 1500) + 2 * tone(rate, firing, 8, rng)
    if kind == "free-starter":
        spun = 1 - np.exp(-np.clip(seconds - 0.5, 0, None) / 0.15)
        return spun * tone(rate, rng.uniform(500, 900) * (spun + 0.003 * wander(rng, count, rate, 8)), 5, rng)
    if kind == "music":
        notes = rng.choice([262, 294, 330, 392, 440, 523, 587], size=int(seconds[-1] / rng.uniform(0.12, 0.4)) + 2)
        held = np.repeat(notes, int(np.ceil(count / len(notes))))[:count]
        return tone(rate, held * flat, 5, rng) * (0.6 + 0.4 * np.sin(2 * np.pi * seconds * rng.uniform(2, 6)))
    if kind == "slams":
        blows = sum(np.where(seconds > at, np.exp(-(seconds - at) / 0.08), 0) for at in rng.uniform(0, seconds[-1], 6))
        return blows * band(rng, count, rate, 80, 800)
    if kind == "wind":
        return (1 + 0.8 * wander(rng, count, rate, 2)) * band(rng, count, rate, 60, 900)
    if kind == "hum":
        return tone(rate, rng.choice([50, 60, 100]) * flat, 10, rng)
    if kind == "drill":
        pressed = 1 - 0.2 * np.clip(wander(rng, count, rate, 1.5), 0, 1.5)
        return tone(rate, rng.uniform(350, 800) * pressed * (1 + 0.004 * wander(rng, count, rate, 20)), 6, rng)
    if kind == "wiper":
        to_and_fro = 0.5 + 0.5 * np.sin(2 * np.pi * seconds * rng.uniform(0.6, 1.2))
        return tone(rate, rng.uniform(250, 500) * (0.9 + 0.15 * to_and_fro), 4, rng) * (0.4 + to_and_fro)
    beats = np.sin(2 * np.pi * seconds * rng.uniform(0.3, 0.6)) > 0
    return beats * tone(rate, rng.uniform(420, 900) * (1 + 0.05 * np.sign(np.sin(2 * np.pi * 20 * seconds))), 4, rng)


def make(folder, seed, count):
    rng, truth = np.random.default_rng(seed), []
    for i in range(count):
        kind, rate = KINDS[i % len(KINDS)], int(rng.choice([16000, 22050, 44100]))
        seconds = np.arange(int(rate * rng.uniform(3, 9))) / rate
        sound = made(rng, kind, rate, seconds)
        delay = int(rate * rng.uniform(0.005, 0.04))
        sound = sound + rng.uniform(0, 0.5) * np.concatenate([np.zeros(delay), sound[:-delay]])
        sound = sound / abs(sound).max() + rng.choice([0.002, 0.02, 0.1]) * rng.normal(size=len(sound))
        wavfile.write(f"{folder}/{i:03d}.wav", rate, (sound / abs(sound).max() * rng.uniform(0.1, 0.95) * 32767).astype(np.int16))
        with open(f"{folder}/{i:03d}.engine.json", "w") as file:
            cylinders = int(rng.choice([3, 4, 5, 6, 8]))
            json.dump({"cylinders": cylinders, "firingOrder": list(range(1, cylinders + 1))}, file)
        truth.append({"id": f"{i:03d}", "kind": kind, "n": cylinders})
    with open(f"{folder}/truth.json", "w") as file:
        json.dump(truth, file)


def read(command, folder, known):
    name = f"{folder}/{known['id']}"
    return ask([command, "read", "relative-compression", name + ".wav", "--engine", name + ".engine.json", "--channel", "sound=1"])


def refused(_, result):
    """Whether no verdict was given, which is right for all of them."""
    return result["verdict"] == "unusable"


def say(known, result, right):
    """One line of what was known and what was said."""
    print(known["id"], known["kind"], known["n"], "said", result["verdict"], f"{result.get('crankingSpeedRpm') or 0:.0f} rpm",
          [round(p["percent"]) for p in result.get("positions", [])], codes(result))


def main():
    truth, _, rights = put_to(__doc__, "say every recording, not only what got a verdict", make, read, refused, say)
    print(f"{len(truth)} recordings, refused {rights.count(True)}")


main()

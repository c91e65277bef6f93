"""A one-hour log of 60 channels at 10 Hz with uneven steps: make_log.py FILE"""
import math
import random
import sys

random.seed(1)
names = [
    "Engine speed (rpm)",
    "Accelerator pedal (%)",
    "Boost pressure desired (kPa)",
    "Boost pressure actual (kPa)",
    "Coolant temperature (°C)",
] + [f"Value {n} ({u})" for n in range(6, 61) for u in [["V", "%", "°C", "kPa", "g/s"][n % 5]]]
with open(sys.argv[1], "w", encoding="utf-8") as out:
    out.write("Time (s)," + ",".join(names) + "\n")
    t = 0.0
    while t < 3600:
        pedal = max(0, 60 * math.sin(t / 9) + 20 * math.sin(t / 2.3))
        rpm = 900 + 30 * pedal
        row = [rpm, pedal, 100 + pedal, 99 + pedal, 88] + [n + 3 * math.sin(t / (3 + n)) + random.random() for n in range(55)]
        out.write(f"{t:.3f}," + ",".join(f"{v:.2f}" for v in row) + "\n")
        t += 0.08 + 0.04 * random.random()

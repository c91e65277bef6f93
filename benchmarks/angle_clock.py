"""The steps of the angle clock in numpy and scipy: angle_clock.py FILE makes FILE where it is missing, then times them."""
import os
import sys
import time
import numpy as np
from scipy.interpolate import CubicHermiteSpline

path = sys.argv[1] if len(sys.argv) > 1 else "/tmp/crank.f32"
rate, count, teeth, missing = 500_000, 20_000_000, 60, 2
if not os.path.exists(path):
    t = np.arange(count) / rate
    place = ((900 * t + 0.6 * np.sin(2 * np.pi * 30 * t) / 6) / 60 * teeth) % teeth
    noise = np.random.default_rng(1).normal(0, 0.02, count)
    np.where((place < teeth - missing) & (place % 1 < 0.5), 5.0, 0.2).__add__(noise).astype("<f4").tofile(path)

samples = np.fromfile(path, "<f4")
spent = []
for _ in range(5):
    start = time.perf_counter()
    seconds = np.arange(len(samples)) / rate
    low, high = np.quantile(samples[::100], [0.02, 0.98])
    above = samples > (low + high) / 2
    at = np.flatnonzero(~above[:-1] & above[1:])
    mid = (low + high) / 2
    edges = (at + (mid - samples[at]) / (samples[at + 1] - samples[at])) / rate
    width = np.diff(edges)
    around = np.median(np.lib.stride_tricks.sliding_window_view(np.pad(width, 4, mode="edge"), 9), axis=1)
    steps = np.maximum(1, np.round(width / around)).astype(int)
    places = np.concatenate([[0], np.cumsum(steps)])
    gap = np.flatnonzero(steps > 1)[0] + 1
    degrees = (places - places[gap]) * 360 / teeth
    slope = np.gradient(degrees, edges)
    angles = CubicHermiteSpline(edges, degrees, slope)(seconds)
    spent.append(time.perf_counter() - start)
print(
    f"{len(samples) / 1e6:.0f} million samples in {sorted(spent)[2]:.3f} s (median of 5):",
    f"{len(samples) / sorted(spent)[2] / 1e6:.1f} million a second; last angle {angles[-1]:.3f}",
)

"""Writes a made-up scope recording: make_capture.py OUT.wav|OUT.csv SAMPLES. Four channels, 16 bit, 500 kS/s."""
import sys
import numpy as np

path, count = sys.argv[1], int(sys.argv[2])
rate, piece = 500_000, 1 << 20
random = np.random.default_rng(1)


def block(first, n):
    t = (first + np.arange(n)) / rate
    current = 180 + 80 * np.sin(2 * np.pi * 12 * t) + random.normal(0, 3, n)
    wheel = np.where((t * 900) % 1 < 0.5, 5.0, 0.2) + random.normal(0, 0.02, n)
    volts = 11.5 + 0.4 * np.sin(2 * np.pi * 12 * t + 1) + random.normal(0, 0.01, n)
    spark = np.where((t * 6) % 1 < 0.0002, 55.0, 12.0) + random.normal(0, 0.05, n)
    scaled = np.stack([current / 1000, wheel / 20, volts / 20, spark / 100], axis=1)
    return np.clip(np.round(scaled * 2048) * 16, -32768, 32767).astype("<i2")


with open(path, "wb") as out:
    if path.endswith(".wav"):
        size = count * 8
        out.write(
            b"RIFF"
            + (size + 36).to_bytes(4, "little")
            + b"WAVEfmt "
            + (16).to_bytes(4, "little")
            + (1).to_bytes(2, "little")
            + (4).to_bytes(2, "little")
            + rate.to_bytes(4, "little")
            + (rate * 8).to_bytes(4, "little")
            + (8).to_bytes(2, "little")
            + (16).to_bytes(2, "little")
            + b"data"
            + size.to_bytes(4, "little")
        )
    else:
        out.write(b"Time (s),A (V),B (V),C (V),D (V)\n")
    for first in range(0, count, piece):
        values = block(first, min(piece, count - first))
        if path.endswith(".wav"):
            out.write(values.tobytes())
        else:
            times = (first + np.arange(len(values))) / rate
            out.write(
                "".join(
                    f"{t:.6f},{a / 1000:.3f},{b / 1000:.3f},{c / 1000:.3f},{d / 1000:.3f}\n"
                    for t, (a, b, c, d) in zip(times.tolist(), values.tolist())
                ).encode()
            )

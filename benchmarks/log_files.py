"""Writes logs as loggers write them: separators, decimal signs, headings, encodings and times drawn at random."""
import numpy as np


def written(values, places, comma):
    """Figures with so many places; what isn't known is an empty cell."""
    texts = ["" if np.isnan(v) else f"{v:.{places}f}" for v in values]
    return [t.replace(".", ",") for t in texts] if comma else texts


def clock(seconds):
    """Times of day."""
    return [f"{int(s // 3600) % 24:02d}:{int(s // 60) % 60:02d}:{s % 60:06.3f}" for s in np.round(seconds, 3)]


def headed(name, unit, style):
    """A column's heading with its unit in brackets or behind an underscore."""
    if not unit:
        return name
    return {"round": f"{name} ({unit})", "square": f"{name} [{unit}]", "under": f"{name}_{unit}"}[style]


def write_log(rng, path, seconds, columns):
    """Writes one log. Columns: name to (unit, values, places), or to (unit, words, None)."""
    separator, comma = [(",", False), (";", True), ("\t", False), (";", False)][rng.integers(4)]
    style = ["round", "square", "under", "own-row"][rng.integers(4)]
    kind = ["s", "s", "ms", "clock"][rng.integers(4)]
    if kind == "clock":
        times = clock(seconds + rng.uniform(30e3, 60e3))
    else:
        times = written(seconds * (1000 if kind == "ms" else 1), 3 if kind == "s" else 1, comma)
    heads = [("Time", "" if kind == "clock" else kind), *((name, unit) for name, (unit, _, _) in columns.items())]
    cells = [times] + [list(v) if places is None else written(v, places, comma) for _, v, places in columns.values()]
    lines = [f"# {text}" for text in ["log of a drive", "device 3"][: rng.integers(3)]]
    if style == "own-row":
        lines += [separator.join(name for name, _ in heads), separator.join(unit for _, unit in heads)]
    else:
        lines.append(separator.join(headed(name, unit, style) for name, unit in heads))
    lines += [separator.join(row) for row in zip(*cells)]
    text = ("\r\n" if rng.random() < 0.5 else "\n").join(lines) + "\n"
    with open(path, "wb") as file:
        file.write(text.encode(["utf-8", "utf-8-sig", "utf-16", "latin-1"][rng.integers(4)], errors="replace"))


def logged_times(rng, length, step):
    """Seconds of a log's rows, evenly or as a busy bus answers."""
    count = int(length / step)
    uneven = step * rng.uniform(0, 0.15) * rng.normal(size=count) if rng.random() < 0.5 else np.zeros(count)
    return np.maximum.accumulate(np.arange(count) * step + np.clip(uneven, -0.4 * step, 0.4 * step) + rng.uniform(0, 0.5) * step)


def wandering(rng, seconds, time_constant):
    """Noise of size one that remembers itself for so many seconds."""
    step = np.median(np.diff(seconds))
    keep = np.exp(-step / time_constant)
    values = rng.normal(size=len(seconds))
    for i in range(1, len(values)):
        values[i] = keep * values[i - 1] + np.sqrt(1 - keep * keep) * values[i]
    return values

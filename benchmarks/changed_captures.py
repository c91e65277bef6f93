"""Copies a folder of captures with their truth, every CSV file of them changed in one way that leaves the truth as it is.

python3 benchmarks/changed_captures.py FOLDER OUT [WAY...]: OUT/WAY holds what FOLDER holds; all ways where none is named. A folder that
scores itself (score.py in it) then tells what a reading makes of the same captures through a worse lead, probe or range.
"""
import math, os, random, shutil, sys


def number(cell):
    try:
        return float(cell.strip().strip('"').replace(",", "."))
    except ValueError:
        return None


def written(value, cell, more=1):
    """A value as its cell was written, with some digits more."""
    mark = "," if "," in cell and "." not in cell else "."
    digits = len(cell.strip().split(mark)[-1]) if mark in cell else 0
    return f"{value:.{digits + more}f}".replace(".", mark)


def measured(rows, columns):
    """Columns of figures but the times: index, values, range."""
    for column in range(1, columns):
        values = [number(r[column]) if column < len(r) else None for r in rows]
        known = [v for v in values if v is not None and math.isfinite(v)]
        rises = all(b >= a for a, b in zip(known[:200], known[1:200])) and known[:1] != known[199:200]
        if len(known) > 0.8 * len(rows) and not rises and max(known) > min(known):
            yield column, values, max(known) - min(known)


def each(change):
    """Changes every figure of every measured column: change(value, its row's seconds, range of the column, random)."""

    def way(rows, columns, chance):
        times = [number(r[0]) or 0 for r in rows]
        # Milliseconds are told from seconds by the length of the file.
        unit = 1e-3 if times[-1] - times[0] > 200 and len(times) > 3000 else 1
        for column, values, reach in measured(rows, columns):
            for row, value, time in zip(rows, values, times):
                if value is not None:
                    row[column] = written(change(value, time * unit, reach, chance), row[column])
        return rows

    return way


def gaps(share):
    def way(rows, columns, chance):
        for row in rows:
            for column in range(1, min(columns, len(row))):
                if chance.random() < share:
                    row[column] = ""
        return rows

    return way


def jitter(share):
    def way(rows, columns, chance):
        times = [number(r[0]) for r in rows]
        if None in times:
            return rows
        step = (times[-1] - times[0]) / max(1, len(times) - 1)
        for row, time in zip(rows, times):
            row[0] = written(time + share * step * chance.uniform(-1, 1), row[0], 3)
        return rows

    return way


def noise(share):
    return each(lambda value, time, reach, chance: value + chance.gauss(0, share * reach))


def hum(share):
    return each(lambda value, time, reach, chance: value + share * reach * math.sin(100 * math.pi * time))


def steps(bits):
    return each(lambda value, time, reach, chance: round(value / (1.25 * reach / 2**bits)) * 1.25 * reach / 2**bits)


WAYS = {
    "noise1": noise(0.01),
    "noise2": noise(0.02),
    "hum": hum(0.01),
    "bits8": steps(8),
    "bits7": steps(7),
    "gaps": gaps(0.002),
    "jitter": jitter(0.3),
    "half": lambda rows, columns, chance: rows[::2],
    "cut": lambda rows, columns, chance: rows[int(0.08 * len(rows)) : int(0.97 * len(rows))],
}


def changed(text, way, chance):
    """The text with its rows changed; None where no table is seen in it."""
    end = "\r\n" if "\r\n" in text else "\n"
    lines = text.split(end)
    body = [line for line in lines if line and not line.startswith("#")]
    if len(body) < 50:
        return None
    middle = body[len(body) // 2]
    mark = ";" if ";" in middle else "\t" if "\t" in middle else ","
    columns = middle.count(mark) + 1

    def is_row(line):
        cells = line.split(mark)
        figures = sum(number(c) is not None for c in cells[1:])
        return len(cells) == columns > 1 and any(c.isdigit() for c in cells[0]) and figures >= max(1, (columns - 1) // 3)

    first = next((i for i, line in enumerate(lines) if is_row(line)), None)
    if first is None:
        return None
    rows = way([line.split(mark) for line in lines[first:] if line.strip()], columns, chance)
    return end.join(lines[:first] + [mark.join(r) for r in rows]) + end


def main(folder, out, *ways):
    for name in ways or WAYS:
        to = os.path.join(out, name)
        shutil.rmtree(to, ignore_errors=True)
        shutil.copytree(folder, to)
        for place, _, files in os.walk(to):
            for file in (os.path.join(place, f) for f in files if f.endswith(".csv")):
                with open(file, encoding="latin-1", newline="") as opened:
                    text = opened.read()
                new = None if text[:2] in ("\xff\xfe", "\xfe\xff") else changed(text, WAYS[name], random.Random(os.path.basename(file)))
                if new is None:
                    print(f"{name}: {os.path.relpath(file, to)} is left as it is")
                else:
                    with open(file, "w", encoding="latin-1", newline="") as opened:
                        opened.write(new)


if __name__ == "__main__":
    main(*sys.argv[1:])

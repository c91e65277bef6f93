"""Kills a server again and again in the middle of imports, edits, backups and sweeps, and looks whether what it promised is there.

python3 benchmarks/kills.py [rounds] [capture]   after ./maschera demo and ./maschera doctor have built what it needs

A round starts the server on the same folder, takes jobs in, edits them and brings a capture in, with a backup now and then, and
kills the process (SIGKILL) at a moment of chance. What was answered with "done" has to be there at the next start, and at the end
the doctor has to find the folder sound.
"""

import os
import pathlib
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from http.cookiejar import CookieJar

ROOT = pathlib.Path(__file__).resolve().parent.parent
WEB = ROOT / "artifacts/web/Maschera.Web.dll"
PORT = 5177
BASE = f"http://127.0.0.1:{PORT}"


class Browser:
    def __init__(self):
        self.open = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar())).open

    def read(self, path):
        with self.open(BASE + path, timeout=20) as answer:
            return answer.read().decode(), answer.geturl()

    def post(self, page, action, fields):
        html, _ = self.read(page)
        token = re.search(r'name="__RequestVerificationToken"[^>]*value="([^"]+)"', html).group(1)
        body = urllib.parse.urlencode({**fields, "__RequestVerificationToken": token}).encode()
        with self.open(BASE + action, data=body, timeout=20) as answer:
            return answer.read().decode(), answer.geturl()


def start(data):
    server = subprocess.Popen(["dotnet", str(WEB), "--data", data, "--port", str(PORT)], stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    line = server.stdout.readline().decode()
    if "is ready" not in line:
        raise SystemExit(f"The server did not start after a kill: {line}")
    return server


def work(promised, stop, capture, data):
    """Takes jobs in, edits them, imports and backs up until the server is gone; notes what was answered."""
    number = 0
    try:
        browser = Browser()
        while not stop.is_set():
            number += 1
            name = f"van {os.getpid()}-{time.monotonic_ns()}"
            fields = {"Form.Vehicle": name, "Form.Complaint": "Shakes", "Form.EngineId": "1"}
            _, address = browser.post("/jobs/new", "/jobs/new", fields)
            job = int(address.rsplit("/", 1)[1])
            promised[job] = name
            _, address = browser.post(f"/jobs/{job}/edit", f"/jobs/{job}/edit", {**fields, "Form.Vehicle": name + " edited"})
            promised[job] = name + " edited"
            if number % 2 == 0:
                subprocess.Popen(
                    ["dotnet", str(ROOT / "artifacts/keeper/Maschera.Keeper.dll"), "import", capture, "--data", data, "--job", str(job)],
                    stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                )
    except (urllib.error.URLError, ConnectionError, TimeoutError, OSError, AttributeError, ValueError):
        pass


def missing(promised):
    browser = Browser()
    return [name for job, name in promised.items() if name not in browser.read(f"/jobs/{job}")[0]]


def main():
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    data = tempfile.mkdtemp(prefix="kills")
    capture = sys.argv[2] if len(sys.argv) > 2 else make_capture(data)
    random.seed(7)
    promised, lost = {}, 0
    server = start(data)
    Browser().post("/engines/new", "/engines/new", {"Form.Name": "Four", "Form.Cylinders": "4", "Form.FiringOrder": "1-3-4-2", "Form.Fuel": "petrol"})
    for done in range(rounds):
        stop = threading.Event()
        workers = [threading.Thread(target=work, args=(promised, stop, capture, data)) for _ in range(3)]
        for worker in workers:
            worker.start()
        time.sleep(random.uniform(0.2, 2.5))
        server.send_signal(signal.SIGKILL)
        server.wait()
        stop.set()
        for worker in workers:
            worker.join()
        server = start(data)
        gone = missing(promised)
        lost += len(gone)
        print(f"round {done + 1}: {len(promised)} jobs promised, {len(gone)} lost", flush=True)
    server.send_signal(signal.SIGTERM)
    server.wait()
    doctor = subprocess.run(
        ["dotnet", str(ROOT / "artifacts/keeper/Maschera.Keeper.dll"), "doctor", "--data", data], capture_output=True, text=True
    )
    print(doctor.stdout.strip() or doctor.stderr.strip())
    shutil.rmtree(data)
    print(f"{rounds} kills, {len(promised)} jobs promised, {lost} lost, doctor {doctor.returncode}")
    return 1 if lost or doctor.returncode else 0


def make_capture(folder):
    path = pathlib.Path(folder) / "wave.csv"
    path.write_text("Time (s),Current (A)\n" + "".join(f"{i / 10_000:.4f},{100 + i % 37}\n" for i in range(60_000)))
    return str(path)


if __name__ == "__main__":
    sys.exit(main())

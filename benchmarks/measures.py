"""Puts calipers of a running bench beside numpy on the same samples: measures.py http://127.0.0.1:5080 CAPTURE"""
import io
import json
import sys
import urllib.request
import zipfile
import numpy as np

base, capture = sys.argv[1], sys.argv[2]


def ask(method, path, body=None):
    request = urllib.request.Request(
        f"{base}/bench/{capture}/{path}",
        method=method,
        data=None if body is None else json.dumps(body).encode(),
        headers={"content-type": "application/json"},
    )
    with urllib.request.urlopen(request) as answer:
        return answer.read()


bundle = zipfile.ZipFile(io.BytesIO(ask("GET", "export?format=bundle")))
head = json.loads(bundle.read("capture.json"))
page = urllib.request.urlopen(f"{base}/bench/{capture}").read().decode()
ids = {c["name"]: c["id"] for c in json.loads(page.split('id="bench-data" type="application/json">')[1].split("</script>")[0])["channels"]}
random = np.random.default_rng(1)
worst = {}
for channel in head["channels"]:
    samples = np.frombuffer(bundle.read(channel["samples"]), "<f4")
    for _ in range(20):
        first, last = sorted(random.integers(0, len(samples), 2))
        step = channel["step"]
        made = json.loads(
            ask(
                "POST",
                "calipers",
                {"channel": ids[channel["name"]], "from": channel["start"] + first * step, "to": channel["start"] + last * step},
            )
        )
        ask("DELETE", f"calipers/{made['id']}")
        part, got = samples[first : last + 1].astype(np.float64), made["measure"]
        assert got["samples"] == len(part), (got["samples"], len(part))
        expected = {
            "minimum": part.min(),
            "maximum": part.max(),
            "peakToPeak": np.ptp(part),
            "mean": part.mean(),
            "rms": np.sqrt((part**2).mean()),
            "fromLevel": part[0],
            "toLevel": part[-1],
        }
        for name, value in expected.items():
            worst[name] = max(worst.get(name, 0), abs(got[name] - value) / max(abs(value), 1e-9))
print("largest relative difference from numpy:", {name: f"{value:.1e}" for name, value in worst.items()})

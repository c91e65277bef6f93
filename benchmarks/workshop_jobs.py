"""A job of a workshop while it is put together: complaints, codes, results of readings as they are printed, things seen."""

ORDERS = {3: [1, 2, 3], 4: [1, 3, 4, 2], 5: [1, 2, 4, 5, 3], 6: [1, 5, 3, 6, 2, 4], 8: [1, 5, 4, 2, 6, 3, 7, 8]}
STATES = ["stored", "pending", "permanent", "present"]
WHEELS = ["front-left", "front-right", "rear-left", "rear-right"]
NAMES = {
    "boost": [("Boost pressure desired", "Boost pressure"), ("Charge pressure set", "Charge pressure"), ("Boost target", "Boost actual")],
    "fuel": [
        ("Rail pressure desired", "Rail pressure"),
        ("Fuel pressure target", "Fuel pressure"),
        ("Fuel rail pressure set", "Fuel rail pressure"),
    ],
    "recirculation": [
        ("EGR position desired", "EGR position"),
        ("Recirculation valve desired", "Recirculation valve"),
        ("Exhaust gas recirculation set", "Exhaust gas recirculation actual"),
    ],
    "airflow": [("Air mass desired", "Air mass"), ("MAF desired", "MAF"), ("Air flow set", "Air flow")],
    "phaser": [
        ("Intake cam angle desired", "Intake cam angle"),
        ("Cam phaser target", "Cam phaser actual"),
        ("VVT angle desired", "VVT angle"),
        ("Camshaft position desired (degrees)", "Camshaft position (degrees)"),
    ],
    "timing": [
        ("Injection timing desired", "Injection timing"),
        ("Begin of injection set", "Begin of injection"),
        ("Start of injection desired", "Start of injection"),
    ],
}
COMMANDS = {
    "boost": [
        ("Boost actuator command", "Boost actuator position"),
        ("Wastegate duty", "Boost pressure"),
        ("Turbo vane command", "Boost pressure"),
    ],
    "fuel": [
        ("Pressure control valve command", "Rail pressure"),
        ("Fuel metering valve duty", "Rail pressure"),
        ("Fuel pump command", "Fuel pressure"),
    ],
    "recirculation": [
        ("Recirculation valve command", "Recirculation valve position"),
        ("EGR duty", "EGR position"),
        ("EGR command", "Air mass"),
    ],
    "phaser": [
        ("Oil control valve duty", "Intake cam angle"),
        ("Cam phaser command", "Cam phaser angle"),
        ("VVT solenoid command", "VVT angle"),
    ],
    "timing": [
        ("Injection timing valve duty", "Injection timing"),
        ("Timing device command", "Begin of injection"),
        ("Timing solenoid duty", "Injection timing"),
    ],
}


def cut(result, chance):
    """A result as it is printed, or cut down to what matters."""
    full = dict(result)
    if chance.random() < 0.5:
        full["notes"] = []
    if chance.random() < 0.3:
        full["sentence"] = f"{result['reading'].replace('-', ' ')}: {result['verdict'].replace('-', ' ')}."
    return full


class Job:
    """One job while it is put together."""

    def __init__(self, chance, fuel=None, cylinders=None):
        self.chance = chance
        self.cylinders = cylinders or chance.choice([3, 4, 4, 5, 6, 8])
        self.cylinder = chance.randint(1, self.cylinders)
        self.wheel = chance.choice(WHEELS)
        self.fuel = fuel or chance.choice(["petrol", "diesel"])
        self.complaints, self.codes, self.evidence = [], [], []

    def complain(self, *words):
        self.complaints += [self.chance.choice(words)]
        return self

    def code(self, *codes, state=None):
        self.codes += [{"code": c, "state": state or self.chance.choice(STATES)} for c in codes]
        return self

    def add(self, reading, verdict, **figures):
        self.evidence.append(cut({"reading": reading, "verdict": verdict, **figures}, self.chance))
        return self

    def see(self, word, present=True, **more):
        self.evidence.append({"seen": word, "present": present, **more})
        return self

    def others(self):
        return [c for c in range(1, self.cylinders + 1) if c != self.cylinder]

    def misfire(self, verdict="single", cylinders=None):
        named = ([self.cylinder] if cylinders is None else cylinders) if verdict != "none" else []
        n = self.chance.randint(150, 500)
        rows = [
            {
                "cylinder": c,
                "firings": n,
                "misfires": self.chance.randint(n // 3, n) if c in named else 0,
                "contributionPercent": self.chance.uniform(5, 30) if c in named else self.chance.uniform(95, 105),
            }
            for c in range(1, self.cylinders + 1)
        ]
        return self.add("misfire", verdict, cylinders=rows, speedRpm=720.0)

    def compression(self, low=()):
        rows = [
            {"position": i + 1, "cylinder": c, "percent": self.chance.uniform(55, 82) if c in low else self.chance.uniform(97, 102)}
            for i, c in enumerate(ORDERS[self.cylinders])
        ]
        return self.add(
            "relative-compression", "uneven" if low else "even", low=[r for r in rows if r["cylinder"] in low], positions=rows
        )

    def balance(self, verdict="even", flow=100, cylinders=None):
        named = ([self.cylinder] if cylinders is None else cylinders) if verdict == "outliers" else []
        every = flow if verdict in ("all-low", "all-high") else 100
        rows = [
            {"cylinder": c, "flowPercent": flow if c in named else every + self.chance.uniform(-1, 1)} for c in ORDERS[self.cylinders]
        ]
        return self.add("injector-balance", verdict, injectors=rows, outliers=[r for r in rows if r["cylinder"] in named], unit="bar")

    def pressure(self, verdict="normal"):
        return self.add(
            "cylinder-pressure",
            verdict,
            cylinder=self.cylinder,
            mode="running",
            peakBar=6.1,
            exhaustBar=0.04,
            channels={"pressure": f"Cylinder {self.cylinder} pressure"},
        )

    def pulses(self, at, verdict="one-odd"):
        rows = [
            {
                "cylinder": c,
                "depthPercent": 30 if c == self.cylinder and verdict != "even" else 100,
                "isOdd": c == self.cylinder and verdict != "even",
            }
            for c in range(1, self.cylinders + 1)
        ]
        return self.add("pulses", verdict, at=at, cylinders=rows, speedRpm=760.0)

    def track(self, what, verdict="tracks"):
        desired, actual = self.chance.choice(NAMES[what])
        return self.add("tracking", verdict, channels={"desired": desired, "actual": actual}, insideBandPercent=99.0)

    def respond(self, what, verdict="responds"):
        command, response = self.chance.choice(COMMANDS[what])
        return self.add("response", verdict, channels={"command": command, "response": response}, change=20.0)

    def circuit(self, component, wire=None, state=None, **more):
        wires = {"supply": "sound", "ground": "sound", "signal": "sound"}
        if wire:
            wires[wire] = state
        rows = [
            {"wire": w, "state": s, "figure": 0.1, "unit": "V", "text": f"{component}: {w} {s.replace('-', ' ')}"}
            for w, s in wires.items()
        ]
        if self.chance.random() < 0.5:
            more["component"] = component
        return self.add("circuit", "fault" if wire else "sound", wires=rows, missing=[], **more)

    def plausible(self, channel=None, kind=None, **more):
        found = (
            [{"channel": channel, "kind": kind, "from": 20.0, "to": 22.0, "count": 3, "text": f"{channel}: {kind}", **more}]
            if channel
            else []
        )
        return self.add("plausibility", "implausible" if channel else "plausible", findings=found)

    def teeth(self, signal, verdict, target=60):
        return self.add("pulse-count", verdict, channels={"signal": signal}, target=target, perRevolution=float(target))

    def start(self, first, **figures):
        """Gates before the first that is missing are met; those behind it are as their order makes them."""
        names = ["battery", "speed", "immobiliser", "sync", "rail-pressure", "fuel-command"]
        at = names.index(first)
        rows = [
            {
                "condition": n,
                "state": "met" if i < at else "missing" if n == first else self.chance.choice(["missing", "not-logged"]),
                "figure": figures.get(n, 1.0),
                "need": 1.0,
                "unit": "",
                "text": n,
            }
            for i, n in enumerate(names)
        ]
        return self.add("start-conditions", "missing", first=first, conditions=rows)

    def wheels(self, state="dead"):
        rows = [{"wheel": w, "state": state if w == self.wheel else "ok", "ratio": 1.0, "spreadPercent": 0.4} for w in WHEELS]
        return self.add("wheel-speeds", "sensor-fault" if state not in ("ok", "off-size") else "agree", wheels=rows)

    def hold(self, verdict, share=None):
        more = {"share": share} if share else {}
        return self.add(
            "pressure-hold",
            verdict,
            channels={"pressure": "Fuel pressure"},
            stopPressure=3.8,
            unit="bar",
            ratePerMinute=1.5 if verdict == "leaks" else 0.04,
            **more,
        )

    def knock(self, verdict):
        return self.add("knock", verdict, worstDegrees=9.0, sharePercent=14.0)

    def file(self):
        return {
            "engine": {"cylinders": self.cylinders, "firingOrder": ORDERS[self.cylinders], "fuel": self.fuel},
            "complaints": self.complaints,
            "codes": self.codes,
            "replaced": [],
            "evidence": self.evidence,
        }

"""Random plants of 9 to 55 units with up to ten recycles, made from a seed: gas loops, columns, exchangers, loops round loops."""

import random

from helpers import document, feed

CHEMISTRY = {
    "methanol": (
        {"hydrogen": "1333-74-0", "co": "630-08-0", "methanol": "67-56-1", "nitrogen": "7727-37-9", "water": "7732-18-5"},
        "co + 2 hydrogen = methanol",
        "co",
        {"hydrogen": 200.0, "co": 90.0, "nitrogen": 4.0, "water": 1.0},
        ((200.0, 280.0), (15.0, 45.0), (30.0, 80.0)),
        ("nitrogen", "methanol"),
    ),
    "ammonia": (
        {"hydrogen": "1333-74-0", "nitrogen": "7727-37-9", "ammonia": "7664-41-7", "argon": "7440-37-1", "methane": "74-82-8"},
        "nitrogen + 3 hydrogen = 2 ammonia",
        "nitrogen",
        {"hydrogen": 300.0, "nitrogen": 100.0, "argon": 2.0, "methane": 3.0},
        ((380.0, 450.0), (-30.0, 5.0), (100.0, 200.0)),
        ("argon", "ammonia"),
    ),
    "benzene": (
        {"hydrogen": "1333-74-0", "toluene": "108-88-3", "benzene": "71-43-2", "methane": "74-82-8", "xylene": "95-47-6"},
        "toluene + hydrogen = benzene + methane",
        "toluene",
        {"hydrogen": 200.0, "toluene": 60.0, "methane": 5.0, "xylene": 2.0},
        ((500.0, 650.0), (20.0, 45.0), (15.0, 40.0)),
        ("benzene", "toluene"),
    ),
    "cyclohexane": (
        {"hydrogen": "1333-74-0", "benzene": "71-43-2", "cyclohexane": "110-82-7", "methane": "74-82-8", "nitrogen": "7727-37-9"},
        "benzene + 3 hydrogen = cyclohexane",
        "benzene",
        {"hydrogen": 220.0, "benzene": 60.0, "methane": 3.0, "nitrogen": 2.0},
        ((180.0, 260.0), (20.0, 50.0), (15.0, 30.0)),
        ("methane", "cyclohexane"),
    ),
}


class _Plant:
    def __init__(self, seed):
        self.rng = random.Random(seed)
        self.chemistry = self.rng.choice(sorted(CHEMISTRY))
        self.species, self.equation, self.key, self.fed, ranges, self.keys = CHEMISTRY[self.chemistry]
        self.hot, self.cold, pressures = ranges
        self.P = round(self.rng.uniform(*pressures), 1)
        self.units, self.streams, self.gases = [], [], []

    def unit(self, name, kind, **inputs):
        self.units.append({"id": name, "kind": kind, **inputs})
        return name

    def join(self, source, to=None):
        self.streams.append({"id": f"s{len(self.streams)}", "from": source} | ({"to": to} if to else {}))

    def reactor(self, k):
        kind = self.rng.choice(["stoichiometric-reactor", "stoichiometric-reactor", "equilibrium-reactor", "gibbs-reactor"])
        T = self.rng.uniform(*self.hot)
        heat = {"mode": "isothermal", "temperature": f"{T:.1f} degC"}
        if kind == "stoichiometric-reactor" and self.rng.random() < 0.3:
            heat = {"mode": "adiabatic"}
        return self.unit(f"R{k}", kind, set="s", heat=heat, pressure_drop=f"{self.rng.choice([0.0, 0.5, 1.5])} bar")

    def section(self, k, before):
        """One synthesis loop: what came before joins its mixer; its liquid goes on."""
        rng = self.rng
        mixer = self.unit(f"M{k}", "mixer")
        flow = {s: f"{n * rng.uniform(0.6, 1.4):.2f} kmol/h" for s, n in self.fed.items()}
        self.streams.append(feed(f"f{k}", mixer, flow, T=f"{rng.uniform(20.0, 120.0):.0f} degC", P=f"{self.P} bar"))
        if before is not None:
            self.join(before, mixer)
        at, exchanged = mixer, rng.random() < 0.35
        if exchanged:
            x = self.unit(f"X{k}", "exchanger", mode="approach", approach=f"{rng.uniform(10.0, 40.0):.0f} K")
            self.join(at, f"{x}.cold")
            at = f"{x}.cold"
        if rng.random() < 0.6:
            heater = self.unit(f"H{k}", "heater", temperature=f"{rng.uniform(*self.hot):.0f} degC")
            self.join(at, heater)
            at = heater
        reactor = self.reactor(k)
        self.join(at, reactor)
        at = reactor
        if exchanged:
            self.join(at, f"X{k}.hot")
            at = f"X{k}.hot"
        cooler = self.unit(f"C{k}", "heater", temperature=f"{rng.uniform(*self.cold):.1f} degC")
        self.join(at, cooler)
        drum = self.unit(f"D{k}", "flash-drum", **({"pressure": f"{self.P - 5.0:.1f} bar"} if rng.random() < 0.4 else {}))
        self.join(cooler, drum)
        splitter = self.unit(f"S{k}", "splitter", drawn=f"{100 * 10 ** rng.uniform(-2.3, -0.4):.3g} %")
        self.join(f"{drum}.vapour", splitter)
        self.gases.append((k, f"{splitter}.drawn"))
        compressor = self.unit(f"K{k}", "compressor", pressure=f"{self.P + 2.0:.1f} bar")
        self.join(f"{splitter}.rest", compressor)
        self.join(compressor, mixer)
        return f"{drum}.liquid"

    def column(self, k, liquid):
        """A gas-liquid column on a section's liquid; one of its ends may go back to the section."""
        rng, (light, heavy) = self.rng, self.keys
        valve = self.unit(f"V{k}", "valve", pressure=f"{max(2.0, 0.3 * self.P):.1f} bar")
        self.join(liquid, valve)
        column = self.unit(
            f"T{k}",
            "shortcut-column",
            light_key=light,
            heavy_key=heavy,
            condenser="total" if rng.random() < (0.7 if self.chemistry == "benzene" else 0.1) else "partial",
            light_recovery=f"{rng.uniform(90.0, 99.5):.1f} %",
            heavy_recovery=f"{rng.uniform(90.0, 99.5):.1f} %",
        )
        self.join(valve, column)
        back, on = ("bottoms", "distillate") if rng.random() < 0.6 else ("distillate", "bottoms")
        if rng.random() < 0.7 and self.chemistry in ("benzene", "cyclohexane"):
            split = self.unit(f"B{k}", "splitter", drawn=f"{rng.uniform(5.0, 30.0):.1f} %")
            self.join(f"{column}.{back}", split)
            machine = self.unit(f"P{k}", "pump" if back == "bottoms" else "compressor", pressure=f"{self.P + 2.0:.1f} bar")
            self.join(f"{split}.rest", machine)
            self.join(machine, f"M{k}")
            self.join(f"{split}.drawn")
        else:
            self.join(f"{column}.{back}")
        return f"{column}.{on}"


def random_plant(seed):
    """The plant of a seed, as a Project."""
    plant = _Plant(seed)
    rng = plant.rng
    before, count = None, rng.randint(1, 5)
    for k in range(count):
        before = plant.section(k, before)
        if rng.random() < 0.35:
            before = plant.column(k, before)
    plant.join(before)
    for k, purge in plant.gases:  # what one section purges may feed an earlier or a later one
        others = [j for j in range(count) if j != k]
        if others and rng.random() < 0.5:
            to = rng.choice(others)
            machine = plant.unit(f"Q{k}", "compressor", pressure=f"{plant.P + 2.0:.1f} bar")
            split = plant.unit(f"Z{k}", "splitter", drawn=f"{rng.uniform(10.0, 60.0):.0f} %")
            plant.join(purge, split)
            plant.join(f"{split}.drawn")
            plant.join(f"{split}.rest", machine)
            plant.join(machine, f"M{to}")
        else:
            plant.join(purge)
    reaction = {"id": "r", "equation": plant.equation, "equilibrium": {"source": "gibbs"}}
    reaction["conversion"] = {"key": plant.key, "value": f"{rng.uniform(10.0, 70.0):.0f} %"}
    model = rng.choice(["ideal", "peng-robinson", "soave-redlich-kwong", "peng-robinson"])
    return document(plant.species, plant.units, plant.streams, [reaction], [{"id": "s", "steps": [["r"]]}], model)

"""Documents the tests build on."""

from gulch.demo import projects
from gulch.engine import fluids as k
from gulch.engine.document import load
from gulch.engine.phases import PhaseModel
from gulch.engine.species import lookup

CHROMIUM_FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def demo():
    """The ethanol demo, freshly read."""
    return projects()[0]


def wide():
    """The ethanol demo with ranges in which its gas reactor gets wet."""
    project = demo()
    for knob, low, high in (("reactor_T", "190 degC", "260 degC"), ("water", "60 kmol/h", "250 kmol/h")):
        turned = next(k for k in project.knobs if k.id == knob)
        turned.low, turned.high = low, high
    return project


def document(species, units=(), streams=(), reactions=(), sets=(), phase_model="ideal", **more):
    """A project from short forms: species {id: cas}."""
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "species": [{"id": i, "cas": c} for i, c in species.items()],
            "phase_model": {"kind": phase_model},
            "units": list(units),
            "streams": list(streams),
            "reactions": list(reactions),
            "reaction_sets": list(sets),
            **more,
        }
    )


def feed(id_, to, flow, T="25 degC", P="10 bar", **more):
    return {"id": id_, "to": to, "given": {"temperature": T, "pressure": P, "flow": flow, **more}}


LIGHT = {
    "hydrogen": "1333-74-0",
    "co2": "124-38-9",
    "methanol": "67-56-1",
    "water": "7732-18-5",
    "nitrogen": "7727-37-9",
}


def simple(**unit):
    """Feed → one unit of a kind → its products, with methanol and water."""
    from gulch.engine.project.edit import complete_streams

    out = document(
        {"methanol": "67-56-1", "water": "7732-18-5"},
        [{"id": "U", **unit}],
        [feed("feed", "U", {"methanol": "30 kmol/h", "water": "70 kmol/h"}, T="80 degC", P="1 bar")],
        phase_model="peng-robinson",
    )
    complete_streams(out)
    return out


def bare(kind, cas):
    """A PhaseModel whose liquids are those of its equation alone, as reference libraries have them; not shared."""
    model = PhaseModel(kind, [lookup(c) for c in cas])
    model.par[:, k.LACKED :] = 0.0
    model.mix.pairs[k.KIJ + 1 : k.KIJ + 3] = 0.0  # nor does their k_ij move with temperature
    return model


SECTION = (
    ("MIX", {"kind": "mixer"}),
    ("HEAT", {"kind": "heater", "temperature": "230 degC"}),
    ("REACT", {"kind": "stoichiometric-reactor", "set": "s", "heat": {"mode": "isothermal", "temperature": "240 degC"}}),
    ("COOL", {"kind": "heater", "temperature": "35 degC"}),
    ("DRUM", {"kind": "flash-drum", "mode": "adiabatic"}),
    ("SPLIT", {"kind": "splitter", "drawn": "10 %"}),
    ("K", {"kind": "compressor", "pressure": "50 bar", "path": "isentropic", "efficiency": "75 %"}),
)


def plant(count):
    """Synthesis loops in a row, each feeding its liquid to the next, of so many units in all; what is left over are coolers."""
    units, streams, before, number = [], [], None, 0
    while count - len(units) >= len(SECTION):
        number += 1
        ids = {name: f"{name}_{number}" for name, _ in SECTION}
        units += [{"id": ids[name], **more} for name, more in SECTION]
        streams.append(feed(f"gas_{number}", ids["MIX"], {"hydrogen": "200 kmol/h", "co": "100 kmol/h"}, P="50 bar"))
        if before:
            streams.append({"id": f"liquid_{number - 1}", "from": before, "to": ids["MIX"]})
        for a, b in (("MIX", "HEAT"), ("HEAT", "REACT"), ("REACT", "COOL"), ("COOL", "DRUM")):
            streams.append({"id": f"{a.lower()}_out_{number}", "from": ids[a], "to": ids[b]})
        streams += [
            {"id": f"light_{number}", "from": ids["DRUM"] + ".vapour", "to": ids["SPLIT"]},
            {"id": f"purge_{number}", "from": ids["SPLIT"] + ".drawn"},
            {"id": f"rest_{number}", "from": ids["SPLIT"] + ".rest", "to": ids["K"]},
            {"id": f"return_{number}", "from": ids["K"], "to": ids["MIX"]},
        ]
        before = ids["DRUM"] + ".liquid"
    for i in range(count - len(units)):
        units.append({"id": f"COOLER_{i + 1}", "kind": "heater", "temperature": "30 degC"})
        if before:
            streams.append({"id": f"through_{i + 1}", "from": before, "to": f"COOLER_{i + 1}"})
        else:
            streams.append(feed("gas", f"COOLER_{i + 1}", {"hydrogen": "200 kmol/h", "co": "100 kmol/h"}, P="50 bar"))
        before = f"COOLER_{i + 1}"
    streams.append({"id": "product", "from": before})
    return document(
        {"hydrogen": "1333-74-0", "co": "630-08-0", "methanol": "67-56-1"},
        units,
        streams,
        [{"id": "r", "equation": "CO + 2 H2 = methanol", "conversion": {"key": "co", "value": "30 %"}}],
        [{"id": "s", "steps": [["r"]]}],
        phase_model="peng-robinson",
    )


def methanol_units(purge):
    """Mixer, reactor, separator and splitter of a methanol synthesis whose gas is sent back."""
    return [
        {"id": "MIX", "kind": "mixer"},
        {"id": "R", "kind": "stoichiometric-reactor", "set": "s", "heat": {"mode": "isothermal", "temperature": "250 degC"}},
        {"id": "SEP", "kind": "species-separator", "share": dict.fromkeys(("hydrogen", "co2", "nitrogen"), "100 %")},
        {"id": "SPLIT", "kind": "splitter", "drawn": purge},
    ]

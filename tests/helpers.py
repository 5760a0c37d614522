"""Documents the tests build on."""

from gulch.demo import projects
from gulch.engine.document import load
from gulch.engine.phases import PhaseModel
from gulch.engine.phases import kernels as k
from gulch.engine.species import lookup


def demo():
    """The ethanol demo, freshly read."""
    return projects()[0]


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
    from gulch.engine.flowsheet.edit import complete_streams

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
    return model

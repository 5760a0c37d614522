"""The loop of five units that the benchmarks share."""

FIVE = {
    "format": "gulch-project",
    "version": 1,
    "phase_model": {"kind": "peng-robinson"},
    "species": [
        {"id": "ethylene", "cas": "74-85-1"},
        {"id": "water", "cas": "7732-18-5"},
        {"id": "ethanol", "cas": "64-17-5"},
        {"id": "ether", "cas": "60-29-7"},
        {"id": "ethane", "cas": "74-84-0"},
        {"id": "methane", "cas": "74-82-8"},
    ],
    "reactions": [{"id": "hydration", "equation": "C2H4 + H2O = ethanol", "conversion": {"key": "ethylene", "value": "5 %"}}],
    "reaction_sets": [{"id": "s", "steps": [["hydration"]]}],
    "units": [
        {"id": "MIX", "kind": "mixer"},
        {"id": "H", "kind": "heater", "temperature": "300 degC"},
        {"id": "R", "kind": "stoichiometric-reactor", "set": "s", "heat": {"mode": "isothermal", "temperature": "300 degC"}},
        {"id": "DRUM", "kind": "flash-drum", "mode": "temperature", "temperature": "50 degC"},
        {"id": "SPLIT", "kind": "splitter", "drawn": "6.5 %"},
    ],
    "streams": [
        {
            "id": "feed",
            "to": "MIX",
            "given": {
                "temperature": "150 degC",
                "pressure": "68 bar",
                "flow": {"ethylene": "100 kmol/h", "water": "130 kmol/h", "ethane": "2 kmol/h", "methane": "1 kmol/h"},
            },
        },
        {"id": "a", "from": "MIX", "to": "H"},
        {"id": "b", "from": "H", "to": "R"},
        {"id": "c", "from": "R", "to": "DRUM"},
        {"id": "gas", "from": "DRUM.vapour", "to": "SPLIT"},
        {"id": "product", "from": "DRUM.liquid"},
        {"id": "purge", "from": "SPLIT.drawn"},
        {"id": "back", "from": "SPLIT.rest", "to": "MIX"},
    ],
}

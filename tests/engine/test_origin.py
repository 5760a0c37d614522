"""Where a number comes from: formula with numbers, givers, the way back, and the data at its end."""

import re

import pytest
from helpers import document

from gulch.demo import projects
from gulch.engine.explain import solve
from gulch.engine.explain.origin import origin
from gulch.engine.explain.rate_words import rate_words
from gulch.engine.project.inputs import write
from gulch.engine.project.results import readable

ETHANOL = projects()[0]
SOLVED = solve(ETHANOL)


def numbers(text):
    return [float(n) for n in re.findall(r"-?[\d]+(?:\.\d+)?(?:e-?\d+)?", text.replace("\u202f", "").replace("−", "-"))]


def test_a_purity_shows_its_formula_with_numbers_that_give_it():
    found = origin(ETHANOL, SOLVED, "product.mass_fraction.ethanol")
    mass, share = found.how
    n, M, m = numbers(mass.removeprefix("m = n M = "))
    assert n * M == pytest.approx(m, rel=2e-3)
    part, whole, percent = numbers(share.split("=", 2)[2])
    assert 100.0 * part / whole == pytest.approx(percent, rel=2e-3)
    assert found.maker == "DRUM" and found.enters == (("S4, which enters DRUM", "S4.mass_fraction.ethanol"),)


def test_the_way_back_ends_at_a_feed_that_was_typed():
    address, seen = "product.fraction.ethanol", []
    while address not in seen:
        seen.append(address)
        found = origin(ETHANOL, SOLVED, address)
        if not found.enters:
            break
        address = found.enters[0][1]
    assert found.maker == "ethylene_feed"
    assert ("Flow of ethylene in ethylene_feed", "100 kmol/h", "typed") in [(g.label, g.text, g.giver) for g in found.inputs]


def test_every_datum_on_the_way_has_its_source():
    found = origin(ETHANOL, SOLVED, "product.fraction.ethanol")
    facts = {f.label: f for f in found.facts}
    assert facts["Formation enthalpy of ethanol"].source and facts["Critical point of ethylene"].source
    assert facts["Conversion of ethanol by etherification"].source == "typed"
    upstream = {g.label: g.giver for g in found.upstream}
    assert upstream["Temperature of R1"] == "typed" and upstream["Approach temperature of R1"] == "assumed"


def test_a_duty_is_the_difference_of_its_streams():
    before, after, duty = numbers(origin(ETHANOL, SOLVED, "R1.duty").how[0].split("=", 2)[2])
    assert before - after == pytest.approx(duty, abs=1.0)


def test_what_a_target_sets_is_said_to_be_set_by_it():
    project = next(p for p in projects() if any(t.on for t in p.targets))
    solution = solve(project)
    knob = next(k for k in project.knobs if k.id == next(t for t in project.targets if t.on).knob)
    owner = knob.input.partition(".")[0]
    stream = next(s for s in project.streams if (s.source or "").startswith(owner) or s.id == owner)
    found = origin(project, solution, f"{stream.id}.flow")
    assert "a target" in {g.giver for g in found.inputs}


@pytest.mark.parametrize("number", range(6))
def test_every_result_of_every_demo_is_explained(number):
    project = projects()[number]
    solution = solve(project)
    explained = 0
    for address in readable(project):
        found = origin(project, solution, address)
        if found is not None:
            explained += 1
            assert found.text and all(line.strip() for line in found.how), address
            assert found.how or found.relations, address
    assert explained > 50


def test_what_has_no_figure_has_no_origin():
    assert origin(ETHANOL, SOLVED, "nothing.at.all") is None
    broken = ETHANOL.model_copy(deep=True)
    write(broken, "COOL.temperature", "-400 degC")
    assert origin(broken, solve(broken), "product.flow") is None


def test_the_duty_between_a_compressors_stages_leaves_its_work_out():
    """Heat is what the streams gain less the work put in: the line's numbers give the figure it explains."""
    project = ETHANOL.model_copy(deep=True)
    write(project, "K1.pressure", "200 bar")
    write(project, "K1.stages", "3")
    write(project, "K1.between", "60 degC")
    solution = solve(project)
    after, before, work, duty = numbers(origin(project, solution, "K1.duty").how[0].split("=", 2)[2])
    assert work > 0.0 > duty
    assert after - before - work == pytest.approx(duty, abs=2e-3 * abs(after))


def test_a_kinetic_conversion_rests_on_its_rate_law_and_on_what_the_model_uses():
    """Gas of an ideal model rests on no vapour pressure; the law is told in full, with its reverse."""
    styrene = next(p for p in projects() if "styrene" in p.name)
    found = origin(styrene, solve(styrene), "BED.conversion.ethylbenzene")
    facts = {f.label: f for f in found.facts}
    law = facts["Rate law of dehydrogenation"].text
    assert law.startswith("r = k p(ethylbenzene) (1 − Q/K), by mass of catalyst; k = 0.016 mol/(kg s bar) at 600 °C with 92 kJ/mol")
    assert facts["Equilibrium constant of dehydrogenation"].source == "Gibbs energies of formation"
    assert not any(label.startswith("Vapour pressure") for label in facts)


def test_a_rate_law_is_written_in_full():
    """Orders, a reverse of its own and adsorption below the bar, each with its constant."""
    project = document(
        {"A": "109-66-0", "B": "78-78-4"},
        [],
        [],
        [
            {
                "id": "r",
                "equation": "A = B",
                "rate": {
                    "basis": "partial-pressure",
                    "per": "catalyst",
                    "forward": {"k": "2 mol/(kg s bar2)", "energy": "80 kJ/mol"},
                    "orders": {"A": "2"},
                    "reverse": "own",
                    "backward": {"k": "1 mol/(kg s bar)", "at": "400 degC"},
                    "adsorption": [{"species": "B", "constant": {"k": "3 1/bar"}}],
                    "exponent": "2",
                },
            }
        ],
    )
    assert rate_words(project.reactions[0], project) == (
        "r = [k p(A)^2 − k′ p(B)] / (1 + K(B) p(B))^2, by mass of catalyst; "
        "k = 2 mol/(kg s bar2) with 80 kJ/mol over temperature, k′ = 1 mol/(kg s bar) at 400 °C, K(B) = 3 1/bar"
    )

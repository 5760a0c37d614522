"""Condensed formulas: each has the atoms of the species it means, and equations written with them are understood."""

import pytest

from gulch.engine.document import Project
from gulch.engine.project import edit
from gulch.engine.species import lookup
from gulch.engine.species.condensed import CONDENSED, meant
from gulch.engine.species.search import formula_key


@pytest.mark.parametrize("written", CONDENSED)
def test_a_condensed_formula_has_the_atoms_of_its_species(written):
    assert formula_key(written) == formula_key(lookup(CONDENSED[written]).formula), CONDENSED[written]


@pytest.mark.parametrize(
    ("written", "name"),
    [
        ("C2H5OH", "ethanol"),
        ("CH3OCH3", "dimethyl ether"),
        ("CH3COOH", "acetic acid"),
        ("HCOOCH3", "methyl formate"),
        ("CH3COOCH3", "methyl acetate"),
        ("(CH3)2CO", "acetone"),
        ("CH3CHO", "acetaldehyde"),
        ("C6H5CHCH2", "styrene"),
        ("(CH3)2CHOH", "isopropanol"),
    ],
)
def test_it_is_the_species_that_a_chemist_means(written, name):
    """Names of the trade."""
    from gulch.engine.species.search import find

    assert find(name)[0].cas == meant(written)


@pytest.mark.parametrize(
    ("equation", "names"),
    [
        ("CH3COOH + C2H5OH = CH3COOC2H5 + H2O", ["acetic acid", "ethanol", "ethyl acetate", "water"]),
        ("CH3OCH3 + H2O = 2 CH3OH", ["dimethyl ether", "water", "methanol"]),
        ("CH₃COOCH₃ + H₂O = CH₃OH + CH₃COOH", ["methyl acetate", "water", "methanol", "acetic acid"]),
    ],
)
def test_equations_with_condensed_formulas_bring_their_species(equation, names):
    project = Project(name="x")
    edit.add_species_of(project, equation)
    edit.add_reaction(project, equation)
    assert [s.shown for s in project.species] == names


def test_two_isomers_in_one_reaction_are_told_apart():
    project = Project(name="x")
    for equation in ("HCOOCH3 = CH3COOH", "CH3OCH3 = C2H5OH"):
        edit.add_species_of(project, equation)
        edit.add_reaction(project, equation)
    assert [s.shown for s in project.species] == ["methyl formate", "acetic acid", "dimethyl ether", "ethanol"]


def test_a_formula_that_only_counts_atoms_is_still_asked_about():
    assert meant("C2H6O") is None and meant("C3H7OH") is None and meant("C6H4(CH3)2") is None

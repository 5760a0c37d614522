"""Reaction equations as typed: reading, resolving names, and exact balancing.

Balancing finds the null space of the element matrix in exact rational arithmetic
(the ion-electron-free matrix method of any stoichiometry text).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import combinations
from math import gcd, lcm
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.species import lookup, resolve_name
from gulch.engine.species.condensed import meant
from gulch.engine.species.search import formula_key, plain

if TYPE_CHECKING:
    from gulch.engine.species.search import Match


MOST_CHARACTERS, MOST_SPECIES = 400, 30  # of one equation
MOST_SUBSETS = 1500  # of its species that are looked at for balances of their own

_ARROWS = re.compile(r"\s*(?:<=>|<->|<-->|⇌|⇄|↔|-->|->|=>|→|⟶|=)\s*")
SUBSCRIPTS = str.maketrans("₀₁₂₃₄₅₆₇₈₉", "0123456789")
FRACTIONS = {"½": "1/2", "¼": "1/4", "¾": "3/4", "⅓": "1/3", "⅔": "2/3"}
_PHASE = re.compile(r"\s?\((?:g|l|s|v|aq)\)$")  # of which state it is; an equation counts amounts only
_COMMA = re.compile(r"^(\d{1,4}),(\d{1,4})(?=\s?[A-Z][A-Za-z0-9()]*$)")  # a decimal comma before a formula, not the 1,3 of a name
_TERM = re.compile(r"^(?P<coefficient>\d+\s*/\s*\d+|\d*\.\d+|\d+)?(?P<gap>\s*\*?\s*)(?P<name>.+)$")


class EquationError(ValueError):
    """An equation that cannot be used; the message is a sentence for the user."""


class Ambiguous(EquationError):
    """An equation that several independent reactions balance; `ways` are balanced equations to choose from."""

    def __init__(self, text: str, ways: list) -> None:
        super().__init__(text)
        self.ways = ways


class UnknownSpecies(EquationError):
    """A name that is no species of the project; `matches` are what the databank offers for it."""

    def __init__(self, name: str, matches: list[Match]) -> None:
        self.name, self.matches = name, matches
        if len(matches) > 1:
            names = ", ".join(m.name for m in matches[:4])
            text = f"“{name}” can mean several species ({names}): write the name."
        elif matches:
            text = f"“{name}” ({matches[0].formula}) is not a species of this project yet: add it first."
        else:
            text = f"“{name}” is neither a species of this project nor a name or formula in the databank."
        super().__init__(text)


@dataclass(frozen=True)
class Term:
    """One side's term as typed: coefficient (None when not typed) and name."""

    coefficient: Fraction | None
    name: str


def parse_equation(text: str) -> tuple:
    """(left terms, right terms) of a typed equation. Raises EquationError."""
    if len(text) > MOST_CHARACTERS:
        raise EquationError(f"The equation is longer than {MOST_CHARACTERS} characters: write it as several.")
    if not str(text).strip():
        raise EquationError("No equation is given: type for example “C2H4 + H2O = C2H6O”.")
    sides = _ARROWS.split(in_digits(text).strip())
    if len(sides) != 2:
        found = "no" if len(sides) < 2 else "more than one"
        raise EquationError(f"“{text}” has {found} equals sign: write reactants = products.")
    left, right = (_terms(side, where) for side, where in zip(sides, ("left", "right"), strict=True))
    if len(left) + len(right) > MOST_SPECIES:
        raise EquationError(f"The equation holds more than {MOST_SPECIES} species: write it as several reactions.")
    return left, right


def in_digits(text: str) -> str:
    """An equation with digits written as such: subscripts and fractions of one character.

    >>> in_digits("½ O₂ + CH₄")
    '1/2 O2 + CH4'
    """
    for sign, fraction in FRACTIONS.items():
        text = text.replace(sign, f"{fraction} ")
    return " ".join(text.translate(SUBSCRIPTS).split())


def _terms(side: str, where: str) -> list[Term]:
    if not side.strip():
        raise EquationError(f"The {where} side of the equation is empty: write at least one species there.")
    terms = []
    for piece in re.split(r"\s+\+\s*|\s*\+\s+|(?<=[\w)])\+(?=[\w(])", side.strip()):
        if not piece.strip():
            raise EquationError(f"A species is missing beside a “+” on the {where} side.")
        piece = _PHASE.sub("", piece.strip())
        piece = _COMMA.sub(r"\1.\2", piece)
        match = _TERM.match(piece)
        assert match is not None  # any text is a name
        coefficient, name = match["coefficient"], match["name"].strip()
        # "2-butene" and "1,3-butadiene" begin with a number that belongs to the name
        if coefficient and not match["gap"] and not name[0].isalpha():
            coefficient, name = None, piece
        if coefficient:
            try:
                number = Fraction(coefficient.replace(" ", ""))
            except (ValueError, ZeroDivisionError):
                raise EquationError(f"“{coefficient}” is not a number Gulch can read before “{name}”.") from None
            if number <= 0:
                raise EquationError(f"The coefficient of “{name}” is not above zero.")
            terms.append(Term(number, name))
        else:
            terms.append(Term(None, name))
    return terms


def find_in_project(name: str, entries: tuple) -> int | None:
    """Position of a typed name in the project's species, or None.

    entries: (id, cas, shown name, user data) of each species. A formula counts when only one species of
    the project has it. Raises UnknownSpecies when the project does not decide it.
    """
    text = plain(name)
    for i, (id_, cas, shown, _) in enumerate(entries):
        if text in (id_.lower(), cas, plain(shown or ""), id_.lower().replace("_", " ").replace("-", " ")):
            return i
    key, only = formula_key(name), meant(name)
    own = next((i for i, (_, cas, _, _) in enumerate(entries) if only is not None and cas == only), None)
    if own is not None:
        return own
    if key is not None:  # of a condensed formula only species of the user's own can be meant besides
        rivals = [(i, cas, data) for i, (_, cas, _, data) in enumerate(entries) if only is None or not cas]
        same = [i for i, cas, data in rivals if formula_key(lookup(cas, data).formula) == key]
        if len(same) == 1:
            return same[0]
        if len(same) > 1:
            names = ", ".join(entries[i][0] for i in same)
            raise EquationError(f"“{name}” fits several species of this project ({names}): write the name.")
    matches = resolve_name(name)
    for match in matches:
        for i, (_, cas, _, _) in enumerate(entries):
            if cas == match.cas:
                return i
    raise UnknownSpecies(name, matches)


def balance(sides: list[int], compositions: list) -> list:
    """Smallest whole-number coefficients of an equation without typed ones.

    Where several independent reactions fit, the equation is taken as it stands if that balances.
    sides: +1 (product) or -1 (reactant) per species; compositions: atoms per species, a list of dicts.
    Returns signed coefficients as a list of Fraction. Raises EquationError with the reason.
    """
    elements = sorted({e for c in compositions for e in c})
    for e in elements:
        where = {s for s, c in zip(sides, compositions, strict=True) if e in c}
        if len(where) == 1:
            side = "left" if -1 in where else "right"
            raise EquationError(f"{e} stands only on the {side} side, so no coefficients can balance the equation.")
    rows = [[Fraction(c.get(e, 0)) * s for s, c in zip(sides, compositions, strict=True)] for e in elements]
    basis = null_space(rows, len(sides))
    if not basis:
        raise EquationError("No coefficients balance this equation: a species is missing or too many elements are tied.")
    if len(basis) > 1:
        if all(sum(row) == 0 for row in rows):
            return [Fraction(s) for s in sides]
        raise Ambiguous(
            f"{len(basis)} independent reactions are hidden in this equation: "
            "choose one, type the coefficients, or write each reaction by itself.",
            [],
        )
    vector = basis[0]
    if all(v < 0 for v in vector if v):
        vector = [-v for v in vector]
    if any(v <= 0 for v in vector):
        raise EquationError("The equation balances only with a species on the other side: check both sides.")
    scale = lcm(*(v.denominator for v in vector))
    whole = [int(v * scale) for v in vector]
    common = gcd(*whole)
    return [Fraction(w // common) * s for w, s in zip(whole, sides, strict=True)]


def null_space(rows: list, n: int) -> list:
    """Basis of the exact null space of a matrix given as rows of Fraction with n columns."""
    rows = [list(r) for r in rows]
    pivots = []
    at = 0
    for column in range(n):
        found = next((r for r in range(at, len(rows)) if rows[r][column] != 0), None)
        if found is None:
            continue
        rows[at], rows[found] = rows[found], rows[at]
        lead = rows[at][column]
        rows[at] = [v / lead for v in rows[at]]
        for r in range(len(rows)):
            if r != at and rows[r][column] != 0:
                factor = rows[r][column]
                rows[r] = [a - factor * b for a, b in zip(rows[r], rows[at], strict=True)]
        pivots.append(column)
        at += 1
    basis = []
    for free in (c for c in range(n) if c not in pivots):
        vector = [Fraction(0)] * n
        vector[free] = Fraction(1)
        for r, pivot in enumerate(pivots):
            vector[pivot] = -rows[r][free]
        basis.append(vector)
    return basis


def element_balance(coefficients: list, compositions: list) -> dict[str, Any]:
    """Element -> (atoms on the left, atoms on the right) for signed coefficients."""
    out = {}
    for e in sorted({e for c in compositions for e in c}):
        left = sum((-v * c.get(e, 0) for v, c in zip(coefficients, compositions, strict=True) if v < 0), Fraction(0))
        right = sum((v * c.get(e, 0) for v, c in zip(coefficients, compositions, strict=True) if v > 0), Fraction(0))
        out[e] = (left, right)
    return out


def ways_to_balance(sides: list[int], compositions: list, names: list[str], limit: int = 8) -> list[str]:
    """Balanced equations with as few species as possible, each species on its own side, as text.

    sides, compositions: as in `balance`; names: what to write. Every one is the sole balance of its species
    (an extreme ray of all balances), fewest species first.
    """
    return list(_ways(tuple(sides), tuple(tuple(sorted(c.items())) for c in compositions), tuple(names), limit))


@lru_cache(maxsize=256)
def _ways(sides: tuple, compositions: Any, names: tuple, limit: int) -> list[str]:
    compositions = [dict(c) for c in compositions]
    elements = sorted({e for c in compositions for e in c})
    rows = [[Fraction(c.get(e, 0)) * s for s, c in zip(sides, compositions, strict=True)] for e in elements]
    n, found, looked = len(sides), [], 0
    for size in range(2, n + 1):
        for chosen in combinations(range(n), size):
            looked += 1
            if looked > MOST_SUBSETS:  # they grow as 2^n; the plainest balances have been seen by then
                return [text for _, text in found]
            if any(set(chosen) >= set(support) for support, _ in found):
                continue
            basis = null_space([[row[i] for i in chosen] for row in rows], size)
            if len(basis) != 1:
                continue
            vector = [-v for v in basis[0]] if all(v < 0 for v in basis[0]) else basis[0]
            if all(v > 0 for v in vector):
                scale = lcm(*(v.denominator for v in vector))
                whole = [int(v * scale) for v in vector]
                common = gcd(*whole)
                signed = {i: Fraction(w // common) * sides[i] for i, w in zip(chosen, whole, strict=True)}
                found.append((chosen, write_equation(signed, names, ones=True)))
                if len(found) >= limit:
                    return [text for _, text in found]
    return [text for _, text in found]


@dataclass(frozen=True)
class Resolved:
    """A balanced equation over the project's species: {position: signed coefficient}."""

    coefficients: dict
    elements: dict  # element -> (left, right)
    typed: bool  # the user typed coefficients
    ways: tuple = ()  # other balanced equations between the same species, where there are any

    def nu(self, n: int) -> np.ndarray:
        """Signed coefficients by position, shape (n,)."""
        out = np.zeros(n)
        for i, v in self.coefficients.items():
            out[i] = float(v)
        return out

    @property
    def reactants(self) -> list[int]:
        """Positions of what is used up."""
        return [i for i, v in self.coefficients.items() if v < 0]


class Unbalanced(EquationError):
    """Typed coefficients that do not balance; `elements` holds the balance, `suggestion` an equation or ''."""

    def __init__(self, text: str, elements: dict[str, tuple], suggestion: str) -> None:
        super().__init__(text)
        self.elements, self.suggestion = elements, suggestion


def resolve_equation(text: str, entries: list) -> Resolved:
    """Read, resolve and balance a typed equation. Returns Resolved; raises EquationError.

    Without typed coefficients the smallest whole numbers are found; typed coefficients are
    only checked, a missing one counting as 1.
    """
    return _resolved(text, tuple(entries))


@lru_cache(maxsize=1024)
def _resolved(text: str, entries: Any) -> Resolved:
    left, right = parse_equation(text)
    terms = [(-1, t) for t in left] + [(1, t) for t in right]
    positions = [find_in_project(t.name, entries) for _, t in terms]
    for side, word in ((-1, "left"), (1, "right")):
        here = [p for p, (s, _) in zip(positions, terms, strict=True) if s == side]
        for p in here:
            if here.count(p) > 1:
                raise EquationError(f"{entries[p][0]} stands twice on the {word} side: write it once.")
    both = set(positions[: len(left)]) & set(positions[len(left) :])
    if both:
        raise EquationError(f"{entries[both.pop()][0]} stands on both sides: take it off one of them.")
    compositions = [lookup(entries[p][1], entries[p][3]).atoms for p in positions]
    typed = any(t.coefficient is not None for _, t in terms)
    sides = [s for s, _ in terms]
    if typed:
        coefficients = [s * (t.coefficient if t.coefficient is not None else Fraction(1)) for s, t in terms]
        elements = element_balance(coefficients, compositions)
        wrong = {e: lr for e, lr in elements.items() if lr[0] != lr[1]}
        if wrong:
            try:
                found = balance(sides, compositions)
                names = [t.name for _, t in terms]
                suggestion = write_equation(dict(enumerate(found)), names)
            except EquationError:
                suggestion = ""
            counts = ", ".join(f"{e} {_plain(a)} against {_plain(b)}" for e, (a, b) in wrong.items())
            advice = f" Balanced it reads “{suggestion}”." if suggestion else " Check the species on both sides."
            raise Unbalanced(f"The equation is not balanced: {counts}.{advice}", elements, suggestion)
    else:
        names = [t.name for _, t in terms]
        try:
            coefficients = balance(sides, compositions)
        except Ambiguous as error:
            error.ways = ways_to_balance(sides, compositions, names)
            raise
        elements = element_balance(coefficients, compositions)
    ways: tuple[str, ...] = ()
    if not typed and len(terms) <= 10 and degrees_of_freedom(sides, compositions) > 1:
        ways = tuple(ways_to_balance(sides, compositions, [t.name for _, t in terms]))
    return Resolved(dict(zip(positions, coefficients, strict=True)), elements, typed, ways)


def degrees_of_freedom(sides: list[int], compositions: list) -> int:
    """How many independent reactions balance between these species."""
    elements = sorted({e for c in compositions for e in c})
    rows = [[Fraction(c.get(e, 0)) * s for s, c in zip(sides, compositions, strict=True)] for e in elements]
    return len(null_space(rows, len(sides)))


def _plain(value: float | Fraction) -> str:
    return f"{float(value):g}"


def write_equation(coefficients: dict, names: list[str] | tuple, ones: bool = False) -> str:
    """An equation as text from {position: signed coefficient} and the names by position; `ones` writes them too."""

    def side(sign: int) -> str:
        parts = []
        for p, v in coefficients.items():
            if v * sign > 0:
                size = abs(v)
                parts.append(names[p] if size == 1 and not ones else f"{_plain(size)} {names[p]}")
        return " + ".join(parts)

    return f"{side(-1)} = {side(1)}"

"""Finding species by name, synonym, formula or CAS number."""

from __future__ import annotations

import re
from dataclasses import dataclass
from difflib import get_close_matches
from functools import lru_cache
from importlib.resources import files
from typing import Any

from chemicals.elements import nested_formula_parser

from gulch.engine.species.condensed import meant
from gulch.engine.species.databank import GRAPHITE, identified, usable, written
from gulch.engine.species.heat_capacity import loaded
from gulch.engine.species.kept import kept

# Single atoms of these elements are radicals in a gas; whoever writes C or H means the element as it is stable.
_RADICALS = ("H", "C", "N", "O", "F", "P", "S", "Cl", "Br", "I")


@dataclass(frozen=True)
class Match:
    """One search result; `name` is the name that matched, `common` the databank's own. near: only similar to the query."""

    cas: str
    name: str
    common: str
    formula: str
    near: bool = False


@lru_cache(maxsize=1)
def trade_names() -> dict[str, Any]:
    """{CAS number: names, the one shown first} of trade_names.tsv."""
    text = files("gulch.engine.species").joinpath("trade_names.tsv").read_text(encoding="utf-8")
    rows = (line.split("\t") for line in text.splitlines() if line and not line.startswith("#"))
    return {cas: tuple(names) for cas, *names in rows}


def plain(text: str) -> str:
    """Text for comparison: lower case, single spaces."""
    return re.sub(r"\s+", " ", text.strip().lower())


def squeezed(text: str) -> str:
    """Text blind to spaces, hyphens, commas and brackets.

    >>> squeezed("n-Butanol"), squeezed("1,4-dioxane")
    ('nbutanol', '14dioxane')
    """
    return re.sub(r"[\s\-,()\[\]'′’.]", "", text.lower())


@lru_cache(maxsize=1)
@kept
def index() -> tuple:
    """All offered species as (cas, common name, formula, names in lower case), built once.

    Those with the data every phase model needs, those of which a handbook knows the solid or liquid, and those that
    the trade has names for.
    """
    rows = []
    for cas in dict.fromkeys((*usable(), *trade_names(), *loaded().CRC_standard_data.index)):
        own = trade_names().get(cas, ())
        if cas == GRAPHITE:
            rows.append((cas, own[0], "C", own))
            continue
        try:
            meta = identified(cas)
            nested_formula_parser(meta.formula)
        except (ValueError, KeyError):
            continue
        if meta.charge or not meta.formula:
            continue
        common = own[0] if own else meta.common_name
        names = dict.fromkeys(plain(n) for n in (*own, common, meta.common_name, meta.iupac_name, *meta.synonyms) if n)
        rows.append((cas, common, written(meta.formula), tuple(names)))
    return tuple(rows)


def formula_key(text: str) -> tuple | None:
    """Atom counts of a formula as a sorted tuple, or None when the text is no formula."""
    if not re.fullmatch(r"(?:[A-Z][a-z]?\d*|\(|\)\d*)+", text.strip()):
        return None
    try:
        return tuple(sorted(nested_formula_parser(text.strip()).items()))
    except Exception:
        return None


@lru_cache(maxsize=1)
def _by_formula() -> dict[tuple, list[tuple]]:
    table = {}
    for cas, common, formula, _ in index():
        table.setdefault(formula_key(formula), []).append((cas, common, formula))
    for found in table.values():
        found.sort(key=lambda row: is_radical(row[0], row[2]))
    return table


def is_radical(cas: str, formula: str) -> bool:
    """Whether a species is a single atom of an element that is not stable as such."""
    return formula in _RADICALS and cas != GRAPHITE


@lru_cache(maxsize=1)
def _by_name() -> dict[str, str]:
    """{name, as typed and squeezed: CAS number}; the trade's names first, then a species' foremost names before far ones."""
    table = {}
    for cas, names in trade_names().items():
        for name in names:
            table.setdefault(plain(name), cas)
    for position in range(60):
        for cas, _common, formula, names in index():
            if position < len(names) and not (is_radical(cas, formula) and position):
                table.setdefault(names[position], cas)
    for name in list(table):
        table.setdefault(squeezed(name), table[name])
    return table


@lru_cache(maxsize=1)
def _by_cas() -> dict[str, tuple]:
    return {row[0]: row for row in index()}


@lru_cache(maxsize=1)
def _squeezed_index() -> tuple:
    return tuple((*row, tuple(squeezed(n) for n in row[3])) for row in index())


def find(query: str, limit: int = 12) -> list:
    """Matches for what a user typed, best first: exact, then whole words, then beginning, then containing.

    query: name, synonym, formula or CAS number. Returns a list of Match; similar names where nothing matches.
    """
    text, tight = plain(query), squeezed(query)
    if not tight:
        return []
    row = _by_cas().get(text)
    if row:
        return [Match(row[0], row[1], row[1], row[2])]
    exact = _by_name().get(text) or _by_name().get(tight)
    key = formula_key(query)
    scored = []
    for cas, common, formula, names, squeezed_names in _squeezed_index():
        rank = (0, 0, common) if cas == exact and not (key is not None and is_radical(cas, formula)) else None
        if rank is None and key is not None and formula_key(formula) == key:
            rank = (1, is_radical(cas, formula), common)
        if rank is None and len(tight) >= 2:
            rank = _by_words(text, tight, common, names, squeezed_names)
            if rank is not None and is_radical(cas, formula):
                rank = (rank[0] + 3, *rank[1:])
        if rank is not None:
            named = next((n for n in names if n in (text,) or squeezed(n) == tight), None) if rank[0] == 0 and key is None else None
            scored.append((rank[0], rank[1], len(common), common, Match(cas, named or common, common, formula)))
    scored.sort(key=lambda s: s[:4])
    if len(scored) > 1 and scored[0][0] < 7:
        scored = [s for s in scored if s[0] < 7]
    return [s[-1] for s in scored[:limit]] or similar(text, limit)


def _by_words(text: str, tight: str, common: str, names: tuple, squeezed_names: tuple) -> tuple | None:
    """(rank, position, name) of the best place where the text stands in a species' names, or None."""
    best = None
    for position, (name, close) in enumerate(zip(names, squeezed_names, strict=True)):
        if tight not in close:
            continue
        first = position == 0
        if close == tight:
            rank = 2
        elif re.search(rf"(?<![a-z0-9]){re.escape(text)}(?![a-z0-9])", name):
            rank = 3 if first else 5
        elif close.startswith(tight):
            rank = 4 if first else 6
        elif len(tight) >= 4:
            rank = 7
        else:
            continue
        score = (rank, min(position, 20), common)
        best = score if best is None else min(best, score)
    return best


def similar(text: str, limit: int = 5) -> list:
    """Species with a name close to a text, for “did you mean”."""
    near = get_close_matches(text, [n for n in _by_name() if abs(len(n) - len(text)) <= 3], n=limit, cutoff=0.75)
    found = {}
    for name in near:
        row = _by_cas().get(_by_name()[name])
        if row:
            found.setdefault(row[0], Match(row[0], row[1], row[1], row[2], True))
    return list(found.values())


def resolve_name(text: str) -> list:
    """Matches that a word in a reaction equation can mean: a condensed formula, then exact names, else a formula.

    Returns a list of Match; several when a formula has isomers.
    """
    name = plain(text)
    if (only := meant(text)) is not None and only in _by_cas():
        row = _by_cas()[only]
        return [Match(only, row[1], row[1], row[2])]
    cas = (
        _by_cas().get(name, (None,))[0] or _by_name().get(name) or _by_name().get(name.replace("_", " ")) or _by_name().get(squeezed(text))
    )
    key = formula_key(text)
    isomers = _by_formula().get(key, []) if key is not None else []
    stable = [i for i in isomers if not is_radical(i[0], i[2])]
    isomers = stable or isomers
    if isomers and (cas is None or cas not in {i[0] for i in isomers}):
        return [Match(c, common, common, formula) for c, common, formula in isomers]
    if cas is not None and not (isomers and len(isomers) > 1 and text == text.upper() and name not in _trade_words()):
        row = _by_cas()[cas]
        return [Match(cas, name if name in row[3] and key is None else row[1], row[1], row[2])]
    return [Match(c, common, common, formula) for c, common, formula in isomers]


@lru_cache(maxsize=1)
def _trade_words() -> Any:
    return {plain(n) for names in trade_names().values() for n in names}

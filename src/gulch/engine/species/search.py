"""Finding species by name, synonym, formula or CAS number."""

import re
from dataclasses import dataclass
from functools import lru_cache

from chemicals import identifiers
from chemicals.elements import simple_formula_parser

from gulch.engine.species.databank import GRAPHITE, usable


@dataclass(frozen=True)
class Match:
    """One search result; `name` is the name that matched, `common` the databank's own."""

    cas: str
    name: str
    common: str
    formula: str


# Names of the trade that the databank lists late or not at all.
_TRADE_NAMES = {
    "74-85-1": "ethylene",
    "115-07-1": "propylene",
    "74-86-2": "acetylene",
    "60-29-7": "diethyl ether",
    "67-66-3": "chloroform",
    "108-24-7": "acetic anhydride",
    "64-19-7": "acetic acid",
    "67-63-0": "isopropanol",
    "67-64-1": "acetone",
    "75-28-5": "isobutane",
    "78-78-4": "isopentane",
    "106-99-0": "1,3-butadiene",
    "75-21-8": "ethylene oxide",
    "75-07-0": "acetaldehyde",
    "50-00-0": "formaldehyde",
    "100-42-5": "styrene",
    "100-41-4": "ethylbenzene",
    "7732-18-5": "water",
    "1333-74-0": "hydrogen",
    "7782-44-7": "oxygen",
    "7727-37-9": "nitrogen",
    "7440-37-1": "argon",
    "7440-59-7": "helium",
    "7783-06-4": "hydrogen sulfide",
    "7664-41-7": "ammonia",
    "67-56-1": "methanol",
    "64-17-5": "ethanol",
    "106-97-8": "n-butane",
    "109-66-0": "n-pentane",
    "110-54-3": "n-hexane",
}


def plain(text):
    """Text for comparison: lower case, single spaces."""
    return re.sub(r"\s+", " ", text.strip().lower())


@lru_cache(maxsize=1)
def index():
    """All usable species as (cas, common name, formula, names in lower case), built once."""
    rows = []
    for cas in usable():
        if cas == GRAPHITE:
            rows.append((cas, "graphite", "C", ("graphite", "carbon", "coke", "soot")))
            continue
        try:
            meta = identifiers.search_chemical(cas)
        except ValueError:
            continue
        if meta.charge:
            continue
        common = _TRADE_NAMES.get(cas, meta.common_name)
        names = dict.fromkeys(plain(n) for n in (common, meta.common_name, meta.iupac_name, *meta.synonyms) if n)
        rows.append((cas, common, meta.formula, tuple(names)))
    return tuple(rows)


def formula_key(text):
    """Atom counts of a formula as a sorted tuple, or None when the text is no formula."""
    if not re.fullmatch(r"(?:[A-Z][a-z]?\d*|\(|\)\d*)+", text.strip()):
        return None
    try:
        return tuple(sorted(simple_formula_parser(text.strip()).items()))
    except Exception:
        return None


@lru_cache(maxsize=1)
def _by_formula():
    table = {}
    for cas, common, formula, _ in index():
        table.setdefault(formula_key(formula), []).append((cas, common, formula))
    return table


@lru_cache(maxsize=1)
def _by_name():
    table = {}
    for position in range(60):  # a species' foremost names win over another's far synonyms
        for cas, _common, _formula, names in index():
            if position < len(names):
                table.setdefault(names[position], cas)
    return table


@lru_cache(maxsize=1)
def _by_cas():
    return {row[0]: row for row in index()}


def find(query, limit=12):
    """Matches for what a user typed, best first: exact, then beginning, then containing.

    query: name, synonym, formula or CAS number. Returns a list of Match.
    """
    text = plain(query)
    if not text:
        return []
    row = _by_cas().get(text)
    if row:
        return [Match(row[0], row[1], row[1], row[2])]
    scored = []
    key = formula_key(query)
    words = re.escape(text)
    for cas, common, formula, names in index():
        best = None
        if key is not None and formula_key(formula) == key:
            best = (0, 0, common)
        if len(text) >= 2 or text == plain(common):
            for position, name in enumerate(names):
                if text not in name:
                    continue
                if name == text:
                    rank = 0 if position == 0 else 1
                elif name.startswith(text):
                    rank = 2 if position == 0 else 4
                elif re.search(rf"\b{words}", name):
                    rank = 3 if position == 0 else 5
                elif len(text) >= 4:
                    rank = 6
                else:
                    continue
                score = (rank, min(position, 20), name if rank == 1 and key is None else common)
                best = score if best is None else min(best, score)
        if best is not None:
            scored.append((best[0], best[1], len(common), common, Match(cas, best[2], common, formula)))
    scored.sort(key=lambda s: s[:4])
    if len(scored) > 1 and scored[0][0] < 6:
        scored = [s for s in scored if s[0] < 6]
    return [s[-1] for s in scored[:limit]]


def resolve_name(text):
    """Matches that a word in a reaction equation can mean: exact names first, else formula.

    Returns a list of Match; several when a formula has isomers.
    """
    name = plain(text)
    cas = _by_cas().get(name, (None,))[0] or _by_name().get(name) or _by_name().get(name.replace("_", " "))
    key = formula_key(text)
    isomers = _by_formula().get(key, []) if key is not None else []
    if isomers and (cas is None or cas not in {i[0] for i in isomers}):
        return [Match(c, common, common, formula) for c, common, formula in isomers]
    if cas is not None and not (isomers and len(isomers) > 1 and text == text.upper()):
        row = _by_cas()[cas]
        return [Match(cas, name if name in row[3] and key is None else row[1], row[1], row[2])]
    return [Match(c, common, common, formula) for c, common, formula in isomers]

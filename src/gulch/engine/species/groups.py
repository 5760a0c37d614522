"""Structural groups of species and the tables of how groups act on each other.

Tables and assignments of the UNIFAC consortium's published papers as `thermo` carries them: original UNIFAC (Hansen et al., Ind. Eng.
Chem. Res. 30 (1991) 2352; Wittig et al. 42 (2003) 183), modified UNIFAC (Dortmund) (Gmehling et al. 41 (2002) 1678; Constantinescu &
Gmehling, J. Chem. Eng. Data 61 (2016) 2738) and predictive SRK (Horstmann et al., Fluid Phase Equilib. 227 (2005) 157).
"""

from __future__ import annotations

import difflib
import re
from functools import lru_cache
from typing import TYPE_CHECKING, Any, NamedTuple

from chemicals.identifiers import search_chemical

from gulch.engine.species.databank import SpeciesError
from gulch.engine.species.kept import kept

if TYPE_CHECKING:
    from gulch.engine.species.records import Species

SCHEMES = ("unifac", "modified-unifac", "predictive-srk")
# Small molecules that are a group of their own in predictive SRK: CAS number -> its name in the tables.
MOLECULES = {
    "1333-74-0": "H2",
    "7782-39-0": "D2",
    "630-08-0": "CO",
    "124-38-9": "CO2",
    "74-82-8": "CH4",
    "74-85-1": "H2C=CH2",
    "7727-37-9": "N2",
    "7782-44-7": "O2",
    "7440-37-1": "AR",
    "7664-41-7": "NH3",
    "7783-06-4": "H2S",
    "7446-09-5": "SO2",
    "10102-43-9": "NO",
    "10024-97-2": "N2O",
    "7440-59-7": "HE",
    "7664-39-3": "HF",
    "7647-01-0": "HCL",
    "10035-10-6": "HBR",
    "463-58-1": "COS",
    "7782-50-5": "CL2",
    "7726-95-6": "BR2",
    "74-90-8": "HCN",
    "10102-44-0": "NO2",
}


class Groups(NamedTuple):
    """Tables of one scheme. shapes: {id: (R, Q, main group, name)}; acts: {(main, main): (a [K], b, c [1/K])}."""

    shapes: dict
    acts: dict


@lru_cache(maxsize=1)
def _tables() -> dict:
    return {name: Groups(*parts) for name, parts in _plain_tables().items()}


@kept
def _plain_tables() -> Any:
    from thermo import unifac as source  # slow to load, and needed once per machine

    source.load_unifac_ip()
    out = {}
    for name, shapes, acts in (
        ("unifac", source.UFSG, source.UFIP),
        ("modified-unifac", source.DOUFSG, source.DOUFIP2016),
        ("predictive-srk", source.PSRKSG, source.PSRKIP),
    ):
        found = {i: (g.R, g.Q, g.main_group_id, g.group) for i, g in shapes.items()}
        pairs = {}
        for m, row in acts.items():
            for k, value in row.items():
                pairs[m, k] = tuple(value) if isinstance(value, tuple | list) else (float(value), 0.0, 0.0)
        out[name] = (found, pairs)
    return out


def tables(scheme: str) -> Groups:
    """The Groups of a scheme, one of SCHEMES."""
    return _tables()[scheme]


@lru_cache(maxsize=1024)
def groups(cas: str, scheme: str) -> dict:
    """{id of a group: how often} of a species by CAS number; empty where no assignment is known."""
    if not cas:
        return {}
    shapes = tables(scheme).shapes
    if scheme == "predictive-srk" and cas in MOLECULES:
        return {next(i for i, s in shapes.items() if s[3] == MOLECULES[cas]): 1}
    found = {int(k): int(v) for k, v in (_assigned(cas) or {}).get(scheme, {}).items()}
    return found if all(i in shapes for i in found) else {}


def groups_of(species: Species, scheme: str) -> dict:
    """{id of a group: how often} of a Species: as typed by name, else as assigned; empty where the scheme lacks one of them."""
    if not species.groups:
        return groups(species.cas, scheme)
    ids = {s[3].upper(): i for i, s in reversed(tables(scheme).shapes.items())}
    found: dict[int, int] = {}
    for name, often in species.groups:
        if name.upper() not in ids:
            return {}
        found[ids[name.upper()]] = found.get(ids[name.upper()], 0) + often
    return found


def read_groups(text: str, what: str) -> tuple:
    """((name, how often), …) of typed groups such as "2 CH3, CH2, OH". Raises SpeciesError with a sentence."""
    known = {s[3].upper() for scheme in SCHEMES for s in tables(scheme).shapes.values()}
    out = []
    for part in (p.strip() for p in re.split(r"[,;\n]", text)):
        if not part:
            continue
        match = re.fullmatch(r"(?:(\d{1,3})\s*[x×*]?\s+)?(\S+)", part)
        name = match[2] if match else part
        if name.upper() not in known:
            near = difflib.get_close_matches(name.upper(), sorted(known), 3, 0.5)
            hint = f": did you mean {', '.join(near)}?" if near else "."
            raise SpeciesError(
                f"Structural groups of {what}: the tables have no group “{name[:30]}”{hint} Write them as in 2 CH3, CH2, OH."
            )
        out.append((name, int(match[1] or 1) if match else 1))
    if not out:
        raise SpeciesError(f"Structural groups of {what}: write them as in 2 CH3, CH2, OH.")
    return tuple(out)


def names_of(found: dict, scheme: str) -> str:
    """Groups as words: "2 CH3, CH2, OH"; "" without any."""
    shapes = tables(scheme).shapes
    return ", ".join(f"{often} {shapes[i][3]}" if often > 1 else shapes[i][3] for i, often in found.items())


@kept
def _assigned(cas: str) -> dict[str, Any]:
    from thermo import unifac as source

    source.load_group_assignments_DDBST()
    try:
        key = search_chemical(cas).InChI_key
    except ValueError:
        return {}
    rows = {
        "unifac": source.DDBST_UNIFAC_assignments,
        "modified-unifac": source.DDBST_MODIFIED_UNIFAC_assignments,
        "predictive-srk": source.DDBST_PSRK_assignments,
    }
    return {name: dict(table[key]) for name, table in rows.items() if key in table}


def missing(ids: list, scheme: str) -> list:
    """[(name, name)] of main groups among these ids that the scheme's tables hold no interaction of."""
    shapes, acts = tables(scheme)
    mains = sorted({shapes[i][2] for i in ids})
    label = {shapes[i][2]: shapes[i][3] for i in reversed(ids)}
    return [(label[a], label[b]) for x, a in enumerate(mains) for b in mains[x + 1 :] if (a, b) not in acts or (b, a) not in acts]

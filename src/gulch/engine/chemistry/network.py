"""The network of species and reactions: its drawing order, what runs in series or in parallel, what limits.

Reactions are given as {id: {species: signed coefficient}} in the order in which they run.
"""

from __future__ import annotations


def layers(reactions: dict[str, dict]) -> tuple[dict, dict]:
    """(species layer, reaction layer): even numbers for species, odd ones for reactions, along the way of reaction.

    A species stands after the first reaction that makes it; a reaction stands after all its reactants.
    """
    species, order = {}, {}
    for id_, nu in reactions.items():
        for s, v in nu.items():
            if v < 0.0:
                species.setdefault(s, 0)
        order[id_] = 1 + max((species[s] for s, v in nu.items() if v < 0.0), default=0)
        for s, v in nu.items():
            if v > 0.0:
                species.setdefault(s, order[id_] + 1)
    return species, order


def relations(reactions: dict[str, dict]) -> list:
    """What is in series and what is in parallel, as sentences."""
    makers, users = {}, {}
    for id_, nu in reactions.items():
        for s, v in nu.items():
            (users if v < 0.0 else makers).setdefault(s, []).append(id_)
    out = []
    for s, by in makers.items():
        if s in users:
            out.append(
                f"In series over {s}: {_list(by)} {_verb(by, 'makes', 'make')} it, {_list(users[s])} {_verb(users[s], 'uses', 'use')} it."
            )
    for s, by in users.items():
        if len(by) > 1:
            out.append(f"In parallel on {s}: {_list(by)} compete for it.")
    return out


def limiting(nu: dict[str, float], flow: dict[str, float]) -> tuple:
    """(limiting species, greatest extent, {other reactant: excess}) of one reaction in a feed.

    nu: {species: signed coefficient}; flow: {species: mol/s}. The excess of a reactant is (fed - needed)/needed,
    None where nothing is needed. The species is None when the reaction has no reactant.
    """
    rooms = {s: flow.get(s, 0.0) / -v for s, v in nu.items() if v < 0.0}
    if not rooms:
        return None, 0.0, {}
    first = min(rooms, key=rooms.__getitem__)
    extent = rooms[first]
    excess = {s: (room / extent - 1.0) if extent > 0.0 else None for s, room in rooms.items() if s != first}
    return first, extent, excess


def _list(names: list[str]) -> str:
    return names[0] if len(names) == 1 else ", ".join(names[:-1]) + " and " + names[-1]


def _verb(names: list[str], one: str, many: str) -> str:
    return one if len(names) == 1 else many

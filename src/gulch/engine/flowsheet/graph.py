"""The process as a directed graph: order of calculation, loops and their tears."""

from dataclasses import dataclass
from itertools import combinations

import networkx as nx

from gulch.engine.document import source_of


@dataclass(frozen=True)
class Group:
    """Units solved together: a single unit, or a loop with its tear streams."""

    units: tuple
    tears: tuple


def build(project):
    """MultiDiGraph of units; every edge carries its stream id as key."""
    graph = nx.MultiDiGraph()
    graph.add_nodes_from(u.id for u in project.units)
    for s in project.streams:
        source, _ = source_of(s)
        if s.source is not None and s.to is not None and source in graph and s.to in graph:
            graph.add_edge(source, s.to, key=s.id)
    return graph


def groups(project):
    """Groups in order of calculation (topological over strongly connected parts)."""
    graph = build(project)
    place = {u.id: i for i, u in enumerate(project.units)}
    condensed = nx.condensation(nx.DiGraph(graph))
    order = nx.lexicographical_topological_sort(
        condensed, key=lambda c: min(place[u] for u in condensed.nodes[c]["members"])
    )
    out = []
    for c in order:
        members = condensed.nodes[c]["members"]
        part = graph.subgraph(members)
        if len(members) == 1 and part.number_of_edges() == 0:
            out.append(Group(tuple(members), ()))
        else:
            tears = choose_tears(part, place)
            out.append(Group(tuple(sequence(part, tears, place)), tears))
    return out


def choose_tears(part, place):
    """A small set of streams whose removal leaves no cycle.

    All sets of one, two and three streams are tried, returning streams (those that go to a unit
    placed earlier) first; beyond that every returning stream is torn.
    """
    edges = [(u, v, k) for u, v, k in part.edges(keys=True)]
    # A stream that runs backwards in the order of building is what the user sent back.
    edges.sort(key=lambda e: (place[e[0]] < place[e[1]], -abs(place[e[0]] - place[e[1]]), e[2]))
    plain = nx.DiGraph(part)
    for size in (1, 2, 3):
        if len(edges) > 40 and size == 3:
            break
        for chosen in combinations(edges, size):
            rest = part.copy()
            rest.remove_edges_from(chosen)
            if nx.is_directed_acyclic_graph(nx.DiGraph(rest)):
                return tuple(k for _, _, k in chosen)
    backward = tuple(k for u, v, k in edges if place[u] >= place[v])
    return backward if plain.number_of_edges() else ()


def sequence(part, tears, place):
    rest = part.copy()
    rest.remove_edges_from([(u, v, k) for u, v, k in part.edges(keys=True) if k in tears])
    return list(nx.lexicographical_topological_sort(nx.DiGraph(rest), key=lambda u: place[u]))

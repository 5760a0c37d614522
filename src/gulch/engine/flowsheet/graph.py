"""The process as a directed graph: order of calculation, what is solved together, and where it is cut.

Edges are streams and what ties and targets read and set.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import combinations, islice
from typing import TYPE_CHECKING, Any

import networkx as nx

from gulch.engine.document import source_of
from gulch.engine.project.couplings import node_of_result, nodes_of_input, open_streams
from gulch.engine.project.inputs import addresses, twins
from gulch.engine.project.nodes import OVERALL_NODE, Node, NodeKind, feed_node, unit_node
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from collections.abc import Iterator

    from networkx import MultiDiGraph

    from gulch.engine.document import Project

MAX_CYCLES = 4000  # enumerated to choose the tears
MOST_KEPT = 1000
_kept = {}  # (what is asked, connections) -> answer: most edits leave the connections as they are


@dataclass(frozen=True)
class Group:
    """Nodes solved together, in order of calculation; ids of their units; torn streams, ties iterated on, targets."""

    nodes: tuple
    units: tuple
    tears: tuple = ()
    ties: tuple = ()  # addresses
    targets: tuple = ()

    @property
    def iterates(self) -> bool:
        return bool(self.tears or self.ties or self.targets)


def connections(project: Project) -> tuple:
    """What the order of calculation hangs on, ties and targets aside."""
    tears = tuple((t.stream, t.chosen, t.open, bool(t.flow)) for t in project.tears)
    return tuple((s.id, s.source, s.to) for s in project.streams), tuple((u.id, u.kind) for u in project.units), tears


def kept(key: tuple, find: Callable) -> Any:
    """What was found for a key before, or is found now; not to be changed."""
    found = _kept.get(key)  # once: another thread may clear them
    if found is None:
        if len(_kept) >= MOST_KEPT:
            _kept.clear()
        found = _kept[key] = find()
    return found


def build(project: Project, ties: list | tuple = (), targets: tuple = ()) -> MultiDiGraph:
    """MultiDiGraph of nodes; a stream's edge carries its id as key, that of a tie the tie's Node, others None."""
    graph = nx.MultiDiGraph()
    graph.add_nodes_from(feed_node(s.id) for s in project.streams if s.is_feed)
    graph.add_nodes_from(unit_node(u.id) for u in project.units)
    opened = open_streams(project)
    for s in project.streams:
        source = feed_node(s.id) if s.is_feed else unit_node(source_of(s)[0])
        if s.to is not None and source in graph and unit_node(s.enters) in graph and s.id not in opened:
            graph.add_edge(source, unit_node(s.enters), key=s.id)
    readers = [t.reads for t in ties] + [t.parts for t in targets]
    if any(a.startswith(OVERALL_NODE.name + ".") for reads in readers for a in reads):
        for node in list(graph):
            graph.add_edge(node, OVERALL_NODE, key=None)
    same = twins(project)
    setters = {a: t.node for t in (*ties, *targets) for a in (t.address, *same.get(t.address, ())[:1])}
    inputs = set(setters)
    graph.add_nodes_from(t.node for t in (*ties, *targets))
    typed = addresses(project).keys() - inputs if ties else ()
    for t in ties:
        for address in t.reads:
            if address in typed:
                continue  # known from the start
            before = setters[address] if address in inputs else node_of_result(project, address)
            if before is not None and before in graph and before != t.node:
                graph.add_edge(before, t.node, key=None)
        for node in nodes_of_input(project, t.address):
            if node in graph:
                graph.add_edge(t.node, node, key=t.node)
    for t in targets:
        for read in {node_of_result(project, a) for a in t.parts}:
            if read in graph:
                graph.add_edge(read, t.node, key=None)
        for node in nodes_of_input(project, t.address):
            if node in graph:
                graph.add_edge(t.node, node, key=None)
    return graph


def material_loops(project: Project) -> set[str]:
    """Ids of the units on a loop of streams, whatever ties and targets connect besides."""
    return {u for g in groups(project) if g.tears for u in g.units}


def rounds(project: Project, units: frozenset[str], most: int = 12) -> list[list[str]]:
    """Ways on which material goes round inside some units, each a list of streams; at most `most` of them.

    The sides of a two-sided unit count as different places, since material does not change sides.
    """
    opened, sided = open_streams(project), {u.id for u in project.units if len(KINDS[u.kind].inlets) > 1}
    ways = []
    for s in project.streams:
        source, port = source_of(s)
        if s.source is not None and s.to is not None and source in units and s.enters in units and s.id not in opened:
            ways.append((s.source if port and source in sided else source, s.to, s.id))
    return kept(("rounds", most, *ways), lambda: list(_rounds(ways, most)))


def _rounds(ways: list[tuple], most: int) -> Iterator:
    graph = nx.DiGraph()
    for here, to, stream in ways:
        if not graph.has_edge(here, to):
            graph.add_edge(here, to, stream=stream)
    for nodes in islice(nx.simple_cycles(graph), most):
        yield [graph.edges[a, b]["stream"] for a, b in zip(nodes, [*nodes[1:], nodes[0]], strict=True)]


def reaches(project: Project, address: str, result: str, ties: list | tuple = ()) -> bool:
    """Whether an input can change a result, by the connections alone."""
    graph = build(project, ties)
    if result.startswith(OVERALL_NODE.name + "."):
        return True
    to = node_of_result(project, result)
    starts = [n for n in nodes_of_input(project, address) if n in graph]
    starts += [t.node for t in ties if {address, *twins(project).get(address, ())[:1]}.intersection(t.reads)]
    return to in graph and any(to == n or nx.has_path(graph, n, to) for n in starts)


def groups(project: Project, ties: tuple = (), targets: tuple = ()) -> list:
    """Groups in order of calculation (topological over strongly connected parts); found once for the same connections."""
    if not ties and not targets:
        return list(kept(("groups", *connections(project)), lambda: _groups(project, build(project), _places(project), ())))
    graph = build(project, ties, targets)
    place = _places(project)
    place |= dict.fromkeys((n for n in graph if n not in place), len(place))
    tears = tuple((t.stream, t.chosen, bool(t.flow)) for t in project.tears)
    held = tuple((t.id, t.node) for t in targets)
    key = (tuple(place.items()), tuple(graph), tuple(graph.edges(keys=True)), len(project.units), tears, held)
    return list(kept(("tied", *key), lambda: _groups(project, graph, place, targets)))


def _places(project: Project) -> dict[Node, int]:
    """{node: where it stands in the order of building}, feeds first."""
    place = {feed_node(s.id): -1 for s in project.streams if s.is_feed}
    return place | {unit_node(u.id): i for i, u in enumerate(project.units)}


def _groups(project: Project, graph: MultiDiGraph, place: dict[Node, int], targets: tuple) -> list[Group]:
    condensed = nx.condensation(nx.DiGraph(graph))
    order = nx.lexicographical_topological_sort(condensed, key=lambda c: min(place[u] for u in condensed.nodes[c]["members"]))
    units = {unit_node(u.id) for u in project.units}
    out = []
    for c in order:
        members = condensed.nodes[c]["members"]
        part = graph.subgraph(members)
        held = tuple(t.id for t in targets if t.node in members)
        if len(members) == 1 and part.number_of_edges() == 0:
            (node,) = members
            out.append(Group((node,), (node.name,) if node in units else ()))
            continue
        part = nx.MultiDiGraph(part)
        # the knob of a target is an unknown, so nothing runs round through the target itself
        part.remove_edges_from([e for t in targets if t.node in part for e in list(part.out_edges(t.node, keys=True))])
        cut, nodes = _cut(part, place, project)
        tears = tuple(k for k in cut if isinstance(k, str))
        tied = tuple(dict.fromkeys(k.name for k in cut if isinstance(k, Node)))
        out.append(Group(nodes, tuple(dict.fromkeys(n.name for n in nodes if n in units)), tears, tied, held))
    return out


def _cut(part: MultiDiGraph, place: dict[Node, int], project: Project) -> tuple:
    """Where one part is cut, and its nodes in order; found once for a part, whatever is built beside it."""

    def find() -> tuple:
        cut = choose_tears(part, place, project)
        return cut, tuple(sequence(part, cut, place))

    tears = tuple((t.stream, t.chosen, bool(t.flow)) for t in project.tears)
    return kept(("part", frozenset(part.edges(keys=True)), frozenset((n, place[n]) for n in part), tears), find)


def choose_tears(part: MultiDiGraph, place: dict, project: Project) -> tuple:
    """A small set of edges whose removal leaves no cycle: ids of streams, Nodes of ties.

    Streams that the user chose are taken first, as far as they lie on a cycle. Of equally many the set is preferred
    whose streams have a typed guess, then those that run backwards in the order of building.
    """
    rest = nx.MultiDiGraph(part)
    chosen = []
    for tear in project.tears:
        edge = next((e for e in rest.edges(keys=True) if e[2] == tear.stream), None)
        if tear.chosen and edge is not None and nx.has_path(rest, edge[1], edge[0]):
            chosen.append(tear.stream)
            rest.remove_edge(*edge)
    loops = [c for c in nx.strongly_connected_components(rest) if len(c) > 1 or rest.has_edge(*list(c) * 2)]
    for members in loops:
        chosen += _smallest_cut(rest.subgraph(members), place, project)
    return tuple(chosen)


def _smallest_cut(part: MultiDiGraph, place: dict[Node, int], project: Project) -> list[str]:
    guessed = {t.stream for t in project.tears if t.flow}
    keys = {}  # (from, to) -> keys, where every one of them can be cut
    for u, v, k in part.edges(keys=True):
        keys.setdefault((u, v), []).append(k)
    ways = {e: ks for e, ks in keys.items() if None not in ks}

    def dear(edge: tuple) -> tuple:
        u, v = edge
        ties = sum(not isinstance(k, str) for k in ways[edge])
        unguessed = not all(k in guessed for k in ways[edge])
        return (ties, len(ways[edge]), unguessed, place[u] < place[v], -abs(place[u] - place[v]), str(ways[edge]))

    order = sorted(ways, key=dear)
    cycles = []
    for nodes in islice(nx.simple_cycles(nx.DiGraph(part)), MAX_CYCLES):
        cycles.append({e for e in zip(nodes, [*nodes[1:], nodes[0]], strict=True) if e in ways})
    for size in (1, 2, 3):
        if len(order) ** size > 60_000:
            break
        for cut in combinations(order, size):
            if all(any(e in cycle for e in cut) for cycle in cycles) and _is_acyclic(part, cut):
                return [k for e in cut for k in ways[e]]
    return _greedily(part, order, cycles, ways)


def _greedily(part: Any, order: Any, cycles: Any, ways: Any) -> Any:
    """Streams that tear a part: the edge on most of the cycles that are left, then whatever keeps cycles still standing."""
    cut, left = [], cycles
    while left:
        best = max(order, key=lambda e: (sum(e in c for c in left), -order.index(e)))
        cut.append(best)
        left = [c for c in left if best not in c]
    while not _is_acyclic(part, cut):
        rest = nx.DiGraph(part)
        rest.remove_edges_from(cut)
        cycle = nx.find_cycle(rest)
        cut.append(min((e[:2] for e in cycle if e[:2] in ways), key=order.index))
    for edge in sorted(cut, key=order.index, reverse=True):
        fewer = [e for e in cut if e != edge]
        if _is_acyclic(part, fewer):
            cut = fewer
    return [k for e in cut for k in ways[e]]


def _is_acyclic(part: MultiDiGraph, cut: Any) -> bool:
    rest = nx.DiGraph(part)
    rest.remove_edges_from(cut)
    return nx.is_directed_acyclic_graph(rest)


def sequence(part: MultiDiGraph, cut: tuple, place: dict) -> list:
    """Nodes in order of calculation within a pass.

    A unit with several inlets that takes a torn stream (a feed–effluent exchanger) stands twice: once before what it
    feeds, and again as soon as that stream is known anew, so that material goes round the whole loop in one pass.
    """
    removed = [(u, v, k) for u, v, k in part.edges(keys=True) if k in cut]
    rest = nx.MultiDiGraph(part)
    rest.remove_edges_from(removed)
    rest = nx.DiGraph(rest)
    first, again = set(), []
    for source, unit, _ in removed:
        if source != unit and nx.has_path(rest, unit, source) and rest.in_degree(unit):
            first |= {source, *nx.ancestors(rest, source)}
            again.append((source, unit))
    order = list(nx.lexicographical_topological_sort(rest, key=lambda u: (u not in first, place[u], str(u))))
    for source, unit in again:
        order.insert(order.index(source) + 1, unit)
    return order


def behind(project: Project, results: list[str] | tuple, ties: tuple = (), targets: tuple = ()) -> set[str]:
    """Ids of the feeds, units and streams on which some results rest, by the connections alone; of the whole process all."""
    graph = nx.DiGraph(build(project, ties, targets))
    ends = {node_of_result(project, a) for a in results}
    if OVERALL_NODE in ends:
        ends |= {n for n in graph if n.kind in (NodeKind.FEED, NodeKind.UNIT)}
    nodes = set().union(*({n} | nx.ancestors(graph, n) for n in ends if n in graph))
    names = {n.name for n in nodes if n.kind in (NodeKind.FEED, NodeKind.UNIT)}
    read = {a.partition(".")[0] for a in results}
    return names | {s.id for s in project.streams if s.id in read or (s.source and s.enters in names and source_of(s)[0] in names)}

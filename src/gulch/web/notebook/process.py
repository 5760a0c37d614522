"""Pieces of the notebook about the process and its figures."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.explain.origin import origin
from gulch.engine.project.assumed import assumed
from gulch.engine.project.notebook import of_kind
from gulch.engine.project.once import standing
from gulch.engine.units import KINDS
from gulch.web.loops.presenter import LoopsPage
from gulch.web.process.curves import Curves
from gulch.web.projects.words import pretty_text, show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.web.notebook.parts import Section
    from gulch.web.projects.regions.fields import Field
    from gulch.web.projects.workspace import Workspace


UNSOLVED = "The process is not solved, so there are no figures here yet."
LEVELS = {"error": "to mend", "warning": "doubt", "question": "open question"}


def gauges(section: Section, space: Workspace, _: str) -> None:
    """Knobs where they stand, gauges with their limits."""
    section.table(
        ("Knob", "stands at", "range", "set by"),
        [[k.label, k.text or "–", pretty_text(k.range), k.set_by] for k in space.strip.all_knobs()],
        worded=(2, 3),
        name="knobs",
    )
    section.table(
        ("Gauge", "reads", "limits", ""),
        [[g.label, g.value, g.limits, g.words] for g in space.strip.all_gauges()],
        worded=(2, 3),
        name="gauges",
    )
    section.empty = "No knob and no gauge yet: press ◇ beside an input or ○ beside a result in Process."


def map_of(section: Section, space: Workspace, _: str) -> None:
    """The map as it is drawn."""
    if space.document.streams:
        section.figure("map", f"Map: the width of a stream shows its {space.drawing.flow_units[0]}.")
    section.empty = "The map is empty: a process begins with a feed."


def streams(section: Section, space: Workspace, _: str) -> None:
    """The ledger in its columns, turned so that it is narrow."""
    found = space.table.ledger()
    columns, rows = found.columns, found.rows
    if space.solution is not None and rows:
        if len(columns) > len(rows):
            section.table(
                ("", "", *(r.id for r in rows)),
                [[c.label, c.unit, *(r.text[k] for r in rows)] for k, c in enumerate(columns)],
                worded=(1,),
                name="streams",
            )
        else:
            heads = ("Stream", *((c.label, c.unit) for c in columns))
            section.table(heads, [[r.id, *r.text] for r in rows], name="streams")
    section.empty = UNSOLVED


def balances(section: Section, space: Workspace, _: str) -> None:
    """What becomes of what enters, and how far each unit's balances close."""
    overall = space.inspector.overall_rows()
    if overall:
        section.table(("Whole process", ""), [[r.label, r.text] for r in overall.results], name="overall")
        rows = [["whole process", *_closing(overall.balance)]]
        for u in space.document.units:
            outcome = space.solution.units.get(u.id)
            if outcome is not None and outcome.solved:
                rows.append([u.id, *_closing(space.accounts.balance_rows(outcome.balances))])
        section.table(("(out − in)/in", "mass", "worst element", "energy"), rows, name="closing")
    section.empty = UNSOLVED


def _closing(rows: list[tuple]) -> tuple:
    """Mass, worst element and energy of balance rows, as text."""
    texts = {name: text for name, text, _ in rows}
    elements = [t for name, t in texts.items() if name not in ("mass", "energy")]
    worst = max(elements, key=lambda t: abs(float(t)), default="–")
    return texts["mass"], worst, texts["energy"]


def reactors(section: Section, space: Workspace, _: str) -> None:
    """Every reactor with its inputs, results and account."""
    _units(section, space, "reactors")


def columns(section: Section, space: Workspace, _: str) -> None:
    """Every column with its inputs and results."""
    _units(section, space, "columns")


def _units(section: Section, space: Workspace, what: str) -> None:
    for u in of_kind(space.document, what):
        section.head(f"{u.id}, {KINDS[u.kind].label.lower()}")
        unit_parts(section, space, u)
    section.empty = f"There are no {what} in the process."


def unit(section: Section, space: Workspace, id_: str) -> None:
    """One unit."""
    entry = space.document.unit(id_)
    if entry is not None:
        section.title = f"{id_}, {KINDS[entry.kind].label.lower()}"
        unit_parts(section, space, entry)
    section.empty = f"{id_} is not in the variant that is worked on."


def unit_parts(section: Section, space: Workspace, entry: Any) -> None:
    """Inputs, results, conversions, account and curves of a unit."""
    seen = space.inspector.inspect_unit(entry)
    section.table(("How it runs", "", ""), list(_inputs(seen.fields)), worded=(2,))
    section.table(("Results", ""), [[r.label, r.text] for r in seen.results])
    section.table(
        ("Reaction", "key", ("asked", "%"), ("achieved", "%"), ("extent", seen.flow_unit)),
        [[r.reaction, r.key, r.asked, r.achieved, r.extent] for r in seen.reactions],
        worded=(1,),
    )
    section.table(
        ("Equilibrium", "K", "reached", ("extent", seen.flow_unit)),
        [[r.reaction, r.k, r.q, r.extent] for r in seen.equilibria],
    )
    if seen.account:
        a = seen.account
        rows = [*([name, *cells] for name, cells in a.rows), ["total", *a.total]]
        section.table((("Account", a.unit), "in", *a.heads, "out"), rows)
    for line in seen.why:
        section.say(line)
    curves = Curves(space, entry.id)
    data = curves.data() if curves else {"groups": []}
    for group in data["groups"]:
        section.figure(f"profile:{entry.id}.{group['id']}", curves.name_of(group), data | {"groups": [group]})


def _inputs(fields: list[Field]) -> Iterator:
    """Rows of a unit's form: label, what stands there, whether it is assumed or set by something."""
    under = ""
    for f in fields:
        label = f"{under}, {f.label}" if under else f.label
        if f.type == "heading":
            under = f.label
        elif f.type in ("quantity", "course"):
            text = f.found or f.text or f.optional or "–"
            yield [label, text, f.set_by or ("assumed" if f.assumed else "")]
        elif f.type == "choice":
            chosen = next((words for _, words, here in f.options if here), "–")
            yield [label, chosen, "assumed" if f.assumed else ""]


def stream(section: Section, space: Workspace, id_: str) -> None:
    """One stream: its state and what it is made of."""
    entry = space.document.stream(id_)
    found = space.solution.streams.get(id_) if space.solution else None
    section.title = f"Stream {id_}"
    if entry is not None and found is not None:
        seen = space.inspector.inspect_stream(entry)
        section.table(("State", ""), [[r.label, r.text] for r in seen.results])
        section.table(("Phase", "of the moles"), [[p.kind, p.share] for p in seen.phases])
        section.table(
            ("Species", ("flow", show_unit("molar flow", space.display)), ("mole fraction", "%")),
            [[c.label, c.flow, c.fraction] for c in seen.composition],
        )
    section.empty = UNSOLVED if entry is not None else f"{id_} is not in the variant that is worked on."


def result(section: Section, space: Workspace, address: str) -> None:
    """Where a figure comes from."""
    found = origin(space.document, space.solution, address) if space.solution else None
    section.title = f"Where it comes from: {address}"
    if found is not None:
        section.title = f"Where it comes from: {found.label[:1].lower()}{found.label[1:]}"
        section.say(f"{found.label}: {found.text}")
        for line in found.how:
            section.say(line, "formula")
        for r in found.relations:
            section.say(r.formula, "formula")
            section.say(r.source)
        rows = [[g.label, pretty_text(g.text), g.giver] for g in (*found.inputs, *found.upstream)]
        section.table(("It rests on", "", "given by"), rows, worded=(2,))
        section.table(("Data", "", "source"), [[f.label, pretty_text(f.text), f.source] for f in found.facts], worded=(2,))
    section.empty = UNSOLVED


def loops(section: Section, space: Workspace, _: str) -> None:
    """How each loop closed, and what targets read."""
    page = LoopsPage(space)
    for loop in page.loops():
        found = loop.loop
        section.head(f"Loop {loop.letter}: {', '.join(found.units)}")
        section.say(f"Cut at {', '.join(found.tears)}; {found.passes} passes, {found.reason}. {loop.reading}")
        for line in (*found.findings, found.advice):
            section.say(line)
        section.table(("Comes back", "share"), loop.returns)
        if loop.states is not None:
            lasts = {True: "lasts", False: "does not last"}
            rows = [[T, lasts[s.stable], gain, *cells, "shown" if s.here else ""] for T, s, gain, cells, *_ in loop.states.rows]
            section.table((f"Steady state, {loop.states.tear} at", "", "gain", *loop.states.heads, ""), rows, worded=(1,), name="states")
        if len(found.history) > 1:
            section.figure(f"loop:{found.number}", f"Change from pass to pass, loop {loop.letter}", loop.data)
    rows = []
    for t in page.targets():
        gauge, knob = (next((w for _, w, here in some if here), "–") for some in (t.gauges, t.knobs))
        asked = t.value or {v: w for v, w, _ in t.sits}[t.entry.sits]
        rows.append([gauge, asked, t.reads, f"{knob} {t.at}", t.state])
    section.table(("Target", "asked", "reads", "by", ""), rows, worded=(3, 4), name="targets")
    section.table(("Tie", "formula", "value"), [[t.label, t.formula, t.value] for t in page.ties()], worded=(1,), name="ties")
    section.empty = "No loop, target or tie."


def assumptions(section: Section, space: Workspace, _: str) -> None:
    """What nobody typed and figures rest on."""
    rows = []
    d = space.document
    with standing(d):
        for entry in (*d.streams, *d.units, *d.reactions):
            taken = space.fields.taken(entry.id)
            for a in assumed(d, entry.id):
                name = a.address.partition(".")[2]
                rows.append([entry.id, a.label, pretty_text(a.text or str(taken.get(name, "from what enters")))])
    section.table(("Of", "what nobody typed", "taken as"), rows, worded=(1, 2), name="assumed")
    section.telling = True
    section.empty = "None: everything that figures rest on was typed."


def warnings(section: Section, space: Workspace, _: str) -> None:
    """What the to-do list still holds, assumptions aside."""
    lines = [m for m in space.header.folded() if m.level != "assumed"]
    section.table(("", "what"), [[LEVELS[m.level], m.what] for m in lines], worded=(1,), name="doubts")
    section.telling = True
    section.empty = "None: nothing in the to-do list."

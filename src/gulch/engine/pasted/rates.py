"""Rate constants of many reactions pasted as a table."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.document import RateConstantEntry, RateEntry
from gulch.engine.pasted.tables import Cell, Head, head_of, plain, quantity, rows_of
from gulch.engine.project.edit import EditError, add_reaction
from gulch.engine.project.reading import rate_of
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError

if TYPE_CHECKING:
    from fractions import Fraction

    from gulch.engine.document import Project, ReactionEntry

COLUMNS = {
    "reaction": ("reaction", "id", "name", "no", "no.", "nr"),
    "equation": ("equation", "stoichiometry"),
    "k": ("k", "k0", "a", "frequency factor", "rate constant", "pre-exponential factor", "preexponential factor"),
    "energy": ("e", "ea", "activation energy"),
    "power": ("n", "power", "power of t"),
    "at": ("at", "t", "tref", "t_ref", "reference temperature", "temperature"),
    "unit": ("unit", "unit of k", "units of k", "k unit", "k units"),
}
LAWS = (  # what a new law is written in: the first that the unit of k fits
    ("concentration", "fluid"),
    ("concentration", "catalyst"),
    ("partial-pressure", "fluid"),
    ("partial-pressure", "catalyst"),
    ("concentration", "surface"),
    ("partial-pressure", "surface"),
)
_WORDS = {word: name for name, words in COLUMNS.items() for word in words}


def paste_rates(project: Project, text: str) -> tuple[list[str], list[str]]:
    """Give reactions the rate constants of a pasted table; a row with an equation that the project lacks adds its reaction.

    The head row names columns: reaction (its id) or equation, k or k0 with its unit, E, n, T (at which k holds). Returns (ids of reactions
    that were given one, sentences on what was not read). Raises EditError where nothing was.
    """
    try:
        rows = rows_of(text)
    except QuantityError as error:
        raise EditError(str(error)) from None
    heads = [head_of(c) for c in rows[0]]
    columns = {name: (i, h) for i, h in enumerate(heads) if (name := _WORDS.get(h.words.lower()))}
    if "k" not in columns or not {"reaction", "equation"} & set(columns):
        wanted = "“reaction” or “equation”, “k” or “k0” with its unit, “E”, maybe “n” and “T”"
        raise EditError(f"The first row has to name the columns: {wanted}.")
    unread = [f"column {i + 1}, “{h.words[:30]}”: not known here" for i, h in enumerate(heads) if h.words.lower() not in _WORDS and h.words]
    done = []
    for number, row in enumerate(rows[1:], 2):
        cells = {name: (Cell(row[i], f"row {number}, {head.words}"), head) for name, (i, head) in columns.items()}
        before = list(project.reactions)
        try:
            constant = _constant(project, cells)
            reaction = _reaction(project, cells, number)
            if reaction.id in done:
                raise EditError(f"row {number}: a second row for {reaction.id}, left out")
            _give(project, reaction, constant, number)
        except (QuantityError, EditError) as error:
            project.reactions = before
            unread.append(str(error).rstrip("."))
            continue
        done.append(reaction.id)
    if not done:
        raise EditError("Nothing of that could be taken: " + "; ".join(unread[:6]) + ".")
    return done, unread


def _constant(project: Project, cells: dict[str, tuple]) -> RateConstantEntry:
    """The RateConstantEntry of a row. Raises QuantityError."""
    cell, head = cells["k"]
    if cell.empty:
        raise QuantityError(f"{cell.place}: nothing stands there")
    own = cells.get("unit")
    unit = own[0].text if own is not None and not own[0].empty else head.unit
    try:
        k = plain(cell.text)
    except QuantityError as error:
        raise QuantityError(f"{cell.place}: {error}") from None
    texts = {"k": f"{k} {unit}".strip() if _bare(k) else k}
    for name, dimension in (("energy", "molar energy"), ("at", "temperature")):
        if name in cells and not cells[name][0].empty:
            texts[name] = quantity(*_with_unit(cells[name]), dimension, project.display)
    if "power" in cells and not cells["power"][0].empty:
        texts["power"] = plain(cells["power"][0].text)
        if not _bare(texts["power"]):
            raise QuantityError(f"{cells['power'][0].place}: “{cells['power'][0].text[:20]}” is no number")
    return RateConstantEntry(**texts)


def _with_unit(pair: tuple[Cell, Head]) -> tuple[Cell, str]:
    return pair[0], pair[1].unit


def _bare(text: str) -> bool:
    try:
        float(text.replace("−", "-"))
    except ValueError:
        return False
    return True


def _reaction(project: Project, cells: dict[str, tuple], number: int) -> ReactionEntry:
    """The reaction that a row means, made where its equation is new. Raises EditError."""
    named = cells["reaction"][0].text if "reaction" in cells else ""
    found = next((r for r in project.reactions if named and named.lower() == r.id.lower()), None)
    equation = cells["equation"][0].text if "equation" in cells else ""
    if found is None and equation:
        try:
            meant = resolve_equation(equation, project.entries()).coefficients
            alike = [r for r in project.reactions if _same(project, r, meant)]
            found = alike[0] if alike else project.reaction(add_reaction(project, equation))
        except (EquationError, SpeciesError) as error:
            raise EditError(f"row {number}, equation: {error}") from None
    if found is None:
        known = ", ".join(r.id for r in project.reactions[:6]) or "there is none yet"
        raise EditError(f"row {number}: “{named[:40]}” is no reaction of the project ({known})")
    return found


def _same(project: Project, reaction: ReactionEntry, meant: dict[int, Fraction]) -> bool:
    try:
        return resolve_equation(reaction.equation, project.entries()).coefficients == meant
    except (EquationError, SpeciesError):
        return False


def _give(project: Project, reaction: ReactionEntry, constant: RateConstantEntry, number: int) -> None:
    """Write a constant into a reaction's rate law, made where there is none. Raises EditError where its unit does not fit the orders."""
    before = reaction.rate
    if before is not None and before.law == "formula":
        raise EditError(f"row {number}: {reaction.id} has a formula of its own for its rate")
    laws = [before.model_copy(deep=True)] if before is not None else [RateEntry(basis=b, per=p) for b, p in LAWS]
    trouble = ""
    for law in laws:
        law.forward, reaction.rate = constant, law
        try:
            rate_of(reaction, project, resolve_equation(reaction.equation, project.entries()).nu(len(project.species)))
            return
        except (QuantityError, EquationError, SpeciesError) as error:
            trouble = trouble or str(error).rstrip(".")
    reaction.rate = before
    raise EditError(f"row {number}, {reaction.id}: {trouble}")

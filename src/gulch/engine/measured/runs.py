"""Rows of a sheet grouped into runs of its vessel, each ready to be followed by `vessels.course`."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.fluids import LIQUID, VAPOUR, R, phase_properties
from gulch.engine.measured.sheets import table_of
from gulch.engine.measured.what import ALONG, BATCHES, RESPONSE, VESSELS, WHAT
from gulch.engine.quantities import QuantityError, parse, parse_points, show
from gulch.engine.vessels.course import AT_PRESSURE, CONSTANT_VOLUME, Vessel

if TYPE_CHECKING:
    from gulch.engine.document import Project, SheetEntry
    from gulch.engine.measured.sheets import Column, Table
    from gulch.engine.phases.model import PhaseModel

STARTS = {"start": "molar concentration", "feed-fraction": "fraction", "feed-pressure": "pressure", "feed-flow": "molar flow"}
RESPONSES_BEFORE = {"concentration": "start", "fraction": "feed-fraction", "partial-pressure": "feed-pressure"}  # at the time 0
ATMOSPHERE = 101325.0


class SheetTrouble(ValueError):
    """Measurements that cannot be used; the message is a sentence for the user."""


@dataclass
class Reading:
    """One number that was read. point: which of the run's points; species: position, -1 where it is of none; value in SI."""

    run: int
    point: int
    what: str
    species: int
    value: float
    row: int
    column: int


@dataclass
class Run:
    """Rows under one set of conditions. points: rising s, in SI of `along`; T [K] at the start."""

    sheet: str
    name: str
    kind: str  # the sheet's vessel
    vessel: Vessel
    T: float
    P: float
    along: str  # key of WHAT of what runs along, "" where nothing does
    points: np.ndarray
    reaction: str = ""
    readings: list[Reading] = field(default_factory=list)


def runs_of(project: Project, sheet: SheetEntry, model: PhaseModel, first: int = 0) -> list[Run]:
    """The Runs of a sheet, numbered from `first`. Raises SheetTrouble."""
    table = table_of(project, sheet)
    if not table.rows:
        raise SheetTrouble(f"{sheet.shown}: {(table.troubles or ['there is nothing below the heads.'])[0]}")
    counted = {n: r for n, r in table.rows.items() if n not in table.wrong and str(n) not in sheet.left_out}
    responses = [c for c in table.columns if c.what and WHAT[c.what].part == RESPONSE]
    if not responses and table.troubles:
        raise SheetTrouble(f"{sheet.shown}: {table.troubles[0]}")
    if not responses:
        raise SheetTrouble(f"{sheet.shown}: no column holds what was measured: {_wanted(sheet)}.")
    along = next((c for c in table.columns if c.what and WHAT[c.what].part == ALONG), None)
    if along is None and sheet.vessel not in ("differential", "constants"):
        raise SheetTrouble(f"{sheet.shown}: no column says when or where it was measured: {_wanted(sheet, ALONG)}.")
    runs = []
    for conditions, rows in _grouped(table, counted, sheet).items():
        run = _run(project, sheet, model, table, along, rows, responses, conditions)
        if run is not None:
            run.readings = [r for r in run.readings if math.isfinite(r.value)]
            runs.append(run)
    runs = [r for r in runs if r.readings]
    for number, run in enumerate(runs, first):
        for reading in run.readings:
            reading.run = number
    if not runs:
        raise SheetTrouble(f"{sheet.shown}: no row is left that counts.")
    return runs


def _wanted(sheet: SheetEntry, part: str = RESPONSE) -> str:
    words = [w.words for w in WHAT.values() if w.part == part and sheet.vessel in w.vessels]
    return f"in a {VESSELS[sheet.vessel]} that is {', '.join(words[:-1])}{' or ' if len(words) > 1 else ''}{words[-1]}"


def _grouped(table: Table, counted: dict[int, dict], sheet: SheetEntry) -> dict[tuple, dict[int, dict]]:
    """{conditions: rows} of rows under the same conditions; where runs are named, by their names."""
    columns = table.of("run") if sheet.vessel in BATCHES and table.of("run") else _conditions(table)
    found: dict[tuple, dict[int, dict]] = {}
    for number, row in counted.items():
        key = tuple(_same(row.get(c.number)) for c in columns)
        found.setdefault(key, {})[number] = row
    return found


def _conditions(table: Table) -> list[Column]:
    return [c for c in table.columns if c.what and WHAT[c.what].part not in (RESPONSE, ALONG)]


def _same(value: float | str | None) -> float | str | None:
    return float(f"{value:.7g}") if isinstance(value, float) else value


def _run(
    project: Project,
    sheet: SheetEntry,
    model: PhaseModel,
    table: Table,
    along: Column | None,
    rows: dict[int, dict],
    responses: list[Column],
    conditions: tuple,
) -> Run | None:
    """One Run. Raises SheetTrouble."""
    if along is not None:
        rows = {n: r for n, r in rows.items() if isinstance(r.get(along.number), float)}
    if not rows:
        return None
    course = _course(sheet, table, along, rows)
    T, P = float(course[0, 1]), _pressure(sheet, table, rows)
    of_run = [f"{c}" for c in conditions if isinstance(c, str)]
    name = ", ".join([*of_run, show(T, "temperature", project.display)])
    s = np.unique([float(f"{r[along.number]:.12g}") for r in rows.values()]) if along is not None else np.zeros(1)
    run = Run(sheet.id, name, sheet.vessel, _empty(model.n), T, P, along.what if along else "", s, sheet.reaction or "")
    if sheet.vessel == "constants":
        run.vessel = run.vessel._replace(course=course)
        run.readings = _readings(rows, responses, None, s, [])
        return run
    kind, start, spared = _start(project, sheet, table, along, rows)
    if not start.sum() > 0.0:
        raise SheetTrouble(
            f"{sheet.shown}: nothing says what is charged or fed at {name}. Type the charge, or give a column such as c_A0"
            + (" or a row at time 0." if sheet.vessel in BATCHES else ".")
        )
    run.vessel = _vessel(sheet, model, along, rows, kind, start, T, P, course, project)
    if along is not None and run.along in ("mass-time", "volume-time"):
        run.vessel = _by_flow(run, along, project)
    ids = [s.id for s in project.species]
    run.readings = _readings(rows, responses, along, s, ids, spared, _key(project, run.vessel.n0))
    return run


def _empty(n: int) -> Vessel:
    return Vessel(CONSTANT_VOLUME, 1, LIQUID, 0, ATMOSPHERE, 1.0, np.zeros(n), np.array([[0.0, 298.15]]), np.ones(3))


def _key(project: Project, n0: np.ndarray) -> int:
    """Position of the species that a conversion without a name is of: the project's key reactant, else the first reactant charged."""
    ids = [s.id for s in project.species]
    if project.measures is not None and project.measures.key in ids:
        return ids.index(project.measures.key)
    return int(np.argmax(n0 > 0.0))


def _readings(
    rows: dict[int, dict],
    responses: list[Column],
    along: Column | None,
    s: np.ndarray,
    ids: list[str],
    spared: set[tuple[int, int]] | None = None,
    key: int = -1,
) -> list[Reading]:
    """spared: (row, column) of readings from which the run starts."""
    found = []
    for number, row in rows.items():
        at = int(np.searchsorted(s, float(f"{row[along.number]:.12g}"))) if along is not None else 0
        for c in responses:
            value = row.get(c.number)
            if isinstance(value, float) and (number, c.number) not in (spared or ()):
                species = ids.index(c.species) if c.species else key if WHAT[c.what].per_species else -1
                found.append(Reading(0, at, c.what, species, value, number, c.number))
    return found


def _course(sheet: SheetEntry, table: Table, along: Column | None, rows: dict[int, dict]) -> np.ndarray:
    """s and T [K], shape (k, 2). Raises SheetTrouble."""
    columns = table.of("temperature")
    if sheet.course and along is not None:
        try:
            at, T = parse_points(sheet.course, along.dimension, "temperature")
        except QuantityError as error:
            raise SheetTrouble(f"{sheet.shown}, course of temperature: {error}") from None
        return np.column_stack([[0.0] if at[0] is None else at, T])
    if columns:
        points = {(r[along.number] if along else 0.0): r.get(columns[0].number) for r in rows.values()}
        missing = [n for n, r in rows.items() if not isinstance(r.get(columns[0].number), float)]
        if missing:
            raise SheetTrouble(f"{sheet.shown}: row {missing[0]} has no temperature: fill it in, or leave the row out.")
        if len({_same(T) for T in points.values()}) > 1:
            return np.array(sorted(points.items()))
        return np.array([[0.0, next(iter(points.values()))]])
    if sheet.temperature:
        try:
            return np.array([[0.0, parse(sheet.temperature, "temperature")]])
        except QuantityError as error:
            raise SheetTrouble(f"{sheet.shown}, temperature: {error}") from None
    raise SheetTrouble(f"{sheet.shown}: nothing says at which temperature it was measured. Type it, or give a column “T / °C”.")


def _pressure(sheet: SheetEntry, table: Table, rows: dict[int, dict]) -> float:
    columns = table.of("pressure")
    value = next((r[columns[0].number] for r in rows.values() if columns[0].number in r), None) if columns else None
    if isinstance(value, float):
        return value
    try:
        return parse(sheet.pressure, "pressure") if sheet.pressure else ATMOSPHERE
    except QuantityError as error:
        raise SheetTrouble(f"{sheet.shown}, pressure: {error}") from None


def _start(
    project: Project, sheet: SheetEntry, table: Table, along: Column | None, rows: dict[int, dict]
) -> tuple[str, np.ndarray, set[tuple[int, int]]]:
    """(what kind of amounts, them in SI, shape (n,), readings that they are) of what a run starts with. Raises SheetTrouble."""
    ids = [s.id for s in project.species]
    start, kinds, spared = np.zeros(len(ids)), set(), set()
    for species, text in sheet.charge.items():
        if species in ids and text.strip():
            kind, value = _charged(sheet, species, text)
            start[ids.index(species)] = value
            kinds.add(kind)
    for kind in STARTS:
        for c in table.of(kind):
            typed = next((r[c.number] for r in rows.values() if c.number in r), None)
            if isinstance(typed, float):
                start[ids.index(c.species)] = typed
                kinds.add(kind)
    if sheet.vessel in BATCHES and along is not None and not (kinds - {"feed-fraction"} if len(kinds) > 1 else kinds):
        begins = {n: r for n, r in rows.items() if r[along.number] == 0.0}
        for c in (c for c in table.columns if c.what in RESPONSES_BEFORE):
            values = [r[c.number] for r in begins.values() if isinstance(r.get(c.number), float)]
            if values:
                start[ids.index(c.species)] = float(np.mean(values))
                kinds.add(RESPONSES_BEFORE[c.what])
                spared |= {(n, c.number) for n in begins}
    if len(kinds) > 1:
        words = " and ".join(WHAT[k].words for k in sorted(kinds))
        raise SheetTrouble(f"{sheet.shown}: what is charged is given in two ways, {words}. Give all of it in one.")
    return next(iter(kinds), "start"), start, spared


def _charged(sheet: SheetEntry, species: str, text: str) -> tuple[str, float]:
    for kind, dimension in STARTS.items():
        try:
            return kind, parse(text, dimension)
        except QuantityError:
            continue
    raise SheetTrouble(f"{sheet.shown}, {species}: “{text}” is no concentration, fraction, pressure or flow.")


def _vessel(
    sheet: SheetEntry,
    model: PhaseModel,
    along: Column | None,
    rows: dict[int, dict],
    kind: str,
    start: np.ndarray,
    T: float,
    P: float,
    course: np.ndarray,
    project: Project,
) -> Vessel:
    """The Vessel of 1 m3 (or 1 m3/s), or of the flows given. Raises SheetTrouble."""
    vapour = sheet.phase == "vapour"
    phase = VAPOUR if vapour else LIQUID
    if kind == "feed-pressure":
        P = float(start.sum())  # what else is there has no part in it
    x = start / start.sum()
    v = phase_properties(T, P, x, phase, *model.mix)[2]
    constant = sheet.vessel in ("batch-volume", "differential") or (not vapour and kind == "start")
    if kind == "start":
        n0, volume = start, 1.0
        if vapour:
            P = _pressure_of(model, T, start)
            constant = sheet.vessel in ("batch-volume", "differential")
    elif kind == "feed-flow":
        n0, volume = start, float(start.sum() * v)
    else:
        n0, volume = x / v, 1.0
    batch = sheet.vessel in (*BATCHES, "differential")
    try:
        bulk = parse(sheet.catalyst, "density") if sheet.catalyst else 0.0
        area = parse(sheet.surface, "area per volume") if sheet.surface else 0.0
        void = parse(sheet.void, "fraction") if sheet.void else 1.0
    except QuantityError as error:
        raise SheetTrouble(f"{sheet.shown}: {error}") from None
    shares = np.array([void, 1.0, bulk, area]) if not batch else np.array([1.0, volume, bulk * volume, area * volume])
    what = along.what if along else ""
    if what == "space-time":
        shares = shares * volume
    elif what in ("mass", "mass-time"):
        shares = np.array([void / bulk, 1.0 / bulk, 1.0, area / bulk]) if bulk else np.array([0.0, 0.0, 1.0, 0.0])
    follows = int(vapour and constant and sheet.vessel == "batch-volume")
    return Vessel(CONSTANT_VOLUME if constant else AT_PRESSURE, int(batch), phase, follows, P, volume, n0, course, shares)


def _by_flow(run: Run, along: Column, project: Project) -> Vessel:
    """The vessel of W/F or V/F, whose feed is such that F is 1 mol/s."""
    ids = [s.id for s in project.species]
    n0 = run.vessel.n0
    F = n0[ids.index(along.species)] if along.species else n0[_key(project, n0)] if n0.sum() > 0.0 else 0.0
    if not F > 0.0:
        raise SheetTrouble(f"{along.head} counts {along.species}, which is not fed at {run.name}.")
    return run.vessel._replace(n0=n0 / F, volume=run.vessel.volume / F)


def _pressure_of(model: PhaseModel, T: float, c: np.ndarray) -> float:
    """The pressure [Pa] at which a gas has concentrations c [mol/m3]."""
    total, x = float(c.sum()), c / c.sum()
    P = total * R * T
    for _ in range(30):
        P = P * (phase_properties(T, P, x, VAPOUR, *model.mix)[2] * total)
    return float(P)

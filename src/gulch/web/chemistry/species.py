"""Species: the table, one in detail, interaction parameters."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.explain.courses import drawn_of
from gulch.engine.explain.model_advice import MEANINGS
from gulch.engine.fluids import DISSOLVED as A_GAS
from gulch.engine.fluids import KIJ, PAIR_ALPHA, PAIR_B, PENG_ROBINSON, PREDICTIVE_SRK, UNIFAC
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.phases.known_liquids import courses_of, known_density, known_heat
from gulch.engine.phases.pairs import DISSOLVED
from gulch.engine.phases.parameters import parameters
from gulch.engine.phases.weak import HYDROGEN_CHLORIDE, IN_WATER, MADE_OF
from gulch.engine.quantities import (
    DISPLAY_SETS,
    to_unit,
)
from gulch.engine.species import SpeciesError, lacking, lookup
from gulch.engine.species.groups import groups_of, names_of
from gulch.engine.species.liquids import T_LIQUID
from gulch.engine.species.own import OWN, POINTS, TYPED
from gulch.web.chemistry.part import Part
from gulch.web.projects.words import show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.chemistry import SpeciesEntry
    from gulch.engine.species.records import Datum, Species


PICKED = ("formation_enthalpy", "entropy", "critical_temperature", "critical_pressure", "acentric_factor")

OVER_T = {  # the course over temperature on which a datum lies
    "formation_enthalpy": "enthalpy",
    "entropy": "entropy",
    "boiling_point": "vapour_pressure",
    "liquid_density": "liquid_density",
}
SRK = "soave-redlich-kwong"


@dataclass
class SpeciesPanel:
    """Every datum of the selected species, what other sources say, and what replaces it."""

    entry: Any
    formula: str
    user: bool
    non_volatile: bool
    remark: str
    solvent: str
    particles: str
    groups: str
    polynomial: str
    problem: str = ""
    mass: str = ""
    held: bool = False
    dissolves: bool = False
    assigned: str = ""
    lacking: list[str] = field(default_factory=list)
    known: list[KnownRow] = field(default_factory=list)
    rows: list[DatumRow] = field(default_factory=list)
    fits: list[FitRow] = field(default_factory=list)


@dataclass
class DatumRow:
    """One datum with its source, its unit and what other sources say."""

    field: str
    label: str
    text: str
    source: str
    typed: str
    unit: str
    spread: str
    sources: list
    course: str = ""  # of its plot over temperature; "" where it has none


@dataclass
class FitRow:
    """One fit over temperature."""

    field: str
    label: str
    typed: str
    range: str
    source: str
    worst: str
    example: str


@dataclass
class Pairs:
    """Pairs under NRTL or Wilson."""

    rows: list[PairRow]
    nrtl: bool
    typed: int


@dataclass
class Interactions:
    """Pairs whose k_ij is not zero or typed, and the species to choose a pair from."""

    rows: list[InteractionRow]
    species: list
    own: int


@dataclass
class SpeciesRow:
    """A species in the table, its figures as text."""

    id: str
    shown: str
    here: bool
    formula: str = ""
    own: str = ""
    held: bool = False
    mass: str = ""
    tc: str = ""
    pc: str = ""
    omega: str = ""
    tb: str = ""
    hf: str = ""
    s: str = ""
    range: str = ""
    problem: str = ""


@dataclass
class KnownRow:
    """A heat of the liquid that every phase model takes over."""

    field: str
    label: str
    text: str
    source: str
    course: bool = False  # whether it is known over temperature


@dataclass
class PairRow:
    """Parameters of a pair under NRTL or Wilson."""

    a: Any
    b: Any
    own: bool
    origin: str
    a_ab: str
    a_ba: str
    b_ab: str
    b_ba: str
    alpha: str


@dataclass
class InteractionRow:
    """A k_ij."""

    a: Any
    b: Any
    value: str
    own: bool
    origin: Any


class SpeciesRows(Part):
    """Species: the table, one in detail, interaction parameters."""

    def species_rows(self) -> Iterator[SpeciesRow]:
        for s in self.document.species:
            here = self.page.space.select == f"species:{s.id}"
            try:
                d = lookup(*s.key)
            except SpeciesError as error:
                yield SpeciesRow(id=s.id, shown=s.shown, here=here, problem=str(error))
                continue

            def text(datum: Datum | None, dimension: str, digits: int = 4) -> str:
                return self.show(datum.value, dimension, digits, unit=False) if datum else "–"

            def bare(words: str) -> str:
                """Number and state without the unit, which stands in the head."""
                return f"{words.split()[0]} aq" if words else ""

            unit = DISPLAY_SETS[self.display].unit("temperature")
            yield SpeciesRow(
                id=s.id,
                shown=s.shown,
                formula=d.formula,
                here=here,
                own="own" if s.data else "",
                held=d.non_volatile,
                mass=text(d.molar_mass, "molar mass", 5),
                tc=text(d.critical_temperature, "temperature"),
                pc=text(d.critical_pressure, "pressure"),
                omega=f"{d.acentric_factor.value:.3f}".replace("-", "−") if d.acentric_factor else "–",
                tb=text(d.boiling_point, "temperature"),
                hf=bare(self.in_water(s, "molar energy")) or text(d.formation_enthalpy, "molar energy"),
                s=bare(self.in_water(s, "molar entropy")) or text(d.entropy, "molar entropy"),
                range=" … ".join(
                    f"{to_unit(t, unit, 'temperature'):.0f}".replace("-", "−") for t in (d.heat_capacity.low, d.heat_capacity.high)
                ),
            )

    def in_water(self, entry: SpeciesEntry, dimension: str) -> str:
        """Formation enthalpy or entropy of what the phase model takes for ions, which are those in water; "" of all else."""
        made_of = (
            MADE_OF.get(entry.cas or "") if self.document.phase_model.kind == "electrolytes" and entry.cas != HYDROGEN_CHLORIDE else None
        )
        if made_of is None:
            return ""
        value = sum(count * IN_WATER[name][0 if dimension == "molar energy" else 1] for name, count in made_of.items())
        return f"{self.show(value, dimension)} aq"

    def phase_models(self) -> list[tuple]:
        """(kind, name, whether chosen) of every phase model."""
        chosen = self.document.phase_model.kind
        return [(kind, words, kind == chosen, MEANINGS[kind]) for kind, (words, _) in PHASE_MODELS.items()]

    def model_meaning(self) -> str:
        """What the chosen phase model is for, as a sentence."""
        return MEANINGS[self.document.phase_model.kind]

    def vapours(self) -> list[tuple]:
        """(kind, name, whether chosen) of the vapours an activity model can stand beside; [] for other models."""
        chosen = self.document.phase_model
        if PHASE_MODELS[chosen.kind][1] < UNIFAC:
            return []
        return [(v, words, v == chosen.vapour) for v, words in (("ideal", "ideal gas, acids as dimers"), (SRK, PHASE_MODELS[SRK][0]))]

    def species_units(self) -> dict[str, str]:
        return {
            k: show_unit(d, self.display)
            for k, d in (("t", "temperature"), ("p", "pressure"), ("m", "molar mass"), ("h", "molar energy"), ("s", "molar entropy"))
        }

    def species_detail(self) -> SpeciesPanel | None:
        """Every datum of the selected species with its source, what other sources say, and fields to replace it."""
        head, _, id_ = self.page.space.select.partition(":")
        entry = next((s for s in self.document.species if s.id == id_), None) if head == "species" else None
        if entry is None:
            return None
        own = entry.data.model_dump() if entry.data else {}
        out = SpeciesPanel(
            entry=entry,
            formula=own.get("formula") or "",
            user=bool(own.get("formula")),
            non_volatile=own.get("non_volatile", False),
            remark=own.get("remark") or "",
            solvent=own.get("solvent") or "",
            particles=own.get("particles") or "",
            groups=own.get("groups") or "",
            polynomial=own.get("polynomial") or "",
        )
        d = None
        try:
            d = lookup(*entry.key)
            out.formula = d.formula
            h, s = self.in_water(entry, "molar energy"), self.in_water(entry, "molar entropy")
            as_ions = "The phase model takes it for ions in water: formation enthalpy {} and entropy {} there, whatever stands below."
            out.lacking = [as_ions.format(h, s)] if h else lacking(d)
            out.mass = self.show(d.molar_mass.value, "molar mass", 5)
            out.held, out.dissolves = d.non_volatile, d.dissolves
            out.known = list(self.known_rows(d))
            out.assigned = names_of(groups_of(d, "unifac"), "unifac")
        except SpeciesError as error:
            out.problem = str(error)
        out.rows = [self.datum_row(d, own, field, *OWN[field]) for field in OWN]
        drawn = drawn_of(d) if d is not None else set()
        for row in out.rows:
            row.course = course if (course := OVER_T.get(row.field, "")) in drawn else ""
        out.fits = [self.fit_row(d, own, field, label) for field, (label, _) in POINTS.items()]
        return out

    def datum_row(self, d: Species | None, own: dict[str, Any], field: str, label: str, dimension: str) -> DatumRow:
        """One datum of a SpeciesData (None where the species is unknown), with its sources and what the user typed."""
        if field == "formation_gibbs" and d is not None:
            value, source, others = d.formation_gibbs, "from enthalpy and entropy", {}
        else:
            datum = getattr(d, field, None) if d is not None else None
            value, source = (datum.value, datum.source) if datum else (None, "nothing known")
            others = datum.others if datum else {}
        if field == "liquid_density" and value is None:
            value, source = known_density(d) or (None, "Rackett's equation")
        digits = 5 if dimension in ("molar energy", "temperature") else 4
        everything = ({source: value} | others) if field in PICKED and others else {}
        return DatumRow(
            field=field,
            label=label,
            text=self.show(value, dimension, digits),
            source=source,
            typed=own.get(field) or "",
            unit=show_unit(dimension, self.display),
            spread=self.show(max(everything.values()) - min(everything.values()), dimension, 3)
            if len(everything) > 1 and dimension.startswith("molar")
            else "",
            sources=[
                (name, self.show(v, dimension, digits), name == own.get("sources", {}).get(field))
                for name, v in everything.items()
                if name != TYPED
            ],
        )

    def known_rows(self, d: Species) -> Iterator[KnownRow]:
        """Heats of the liquid that every phase model takes over, at 25 degC or else where they begin, with their sources."""
        vaporised, capacity, anchor = courses_of(d)
        heat = known_heat(d, parameters(d, PENG_ROBINSON)) if capacity is not None else None
        if anchor is not None:
            text = self.show(anchor, "molar energy", 4)
            source = "to single molecules, at 25 °C: formation data, CRC Handbook; in pairs it takes less"
            yield KnownRow(field="vaporisation", label="Heat of vaporisation", text=text, source=source)
        for name, label, course, dimension in (
            ("vaporisation", "Heat of vaporisation", None if anchor is not None else vaporised, "molar energy"),
            ("liquid-capacity", "Heat capacity of the liquid", capacity, "molar entropy"),
        ):
            if course is not None:
                T, value = next((p for p in course.points if p[0] == T_LIQUID), course.points[0])
                at = f"at {self.show(T, 'temperature')}"
                source = course.source if "°C" in course.source else f"{course.source}, {at}"
                if course is capacity and (heat is None or not heat.capacity_source):
                    source += "; not used: heats of vaporisation and an estimate contradict it" if heat else "; not used"
                known = len(course.points) > 1
                yield KnownRow(field=name, label=label, text=self.show(value, dimension, 4), source=source, course=known)

    def fit_row(self, d: Species | None, own: dict[str, Any], field: str, label: str) -> FitRow:
        """One fit of a SpeciesData over temperature."""
        fit = getattr(d, field, None) if d is not None else None
        return FitRow(
            field=field,
            label=label,
            typed=own.get(field) or "",
            range=f"{self.show(fit.low, 'temperature')} to {self.show(fit.high, 'temperature')}" if fit else "–",
            source=fit.source if fit else ("it stays in the liquid" if d else "nothing known"),
            worst=f"{100 * fit.worst:.2g} %" if fit else "",
            example="25 °C 75 J/(mol K); 100 °C 76 J/(mol K)" if field == "heat_capacity" else "25 °C 0.032 bar; 100 °C 1.01 bar",
        )

    def pairs(self) -> Pairs | None:
        """Pairs under NRTL or Wilson: their parameters and where they come from; None for other models."""
        kind = self.document.phase_model.kind
        if self.model is None or kind not in ("nrtl", "wilson") or len(self.names) < 2:
            return None
        typed = {frozenset(p.pair): p for p in self.document.phase_model.pairs if p.model == kind}
        layers = self.model.mix.pairs
        rows = []
        for (i, j), origin in self.model.origins.items():
            if origin in DISSOLVED and self.model.par[[i, j], A_GAS].any():
                continue
            a, b = self.names[i], self.names[j]
            own = typed.get(frozenset((a, b)))
            if own is not None:
                a, b = own.pair
            first, second = (i, j) if a == self.names[i] else (j, i)
            b_texts = own.b if own else [f"{layers[PAIR_B, x, y]:.1f} K" for x, y in ((first, second), (second, first))]
            a_values = own.a if own else (0.0, 0.0)
            rows.append(
                PairRow(
                    a=a,
                    b=b,
                    own=own is not None,
                    origin="typed here" if own else str(origin),
                    a_ab=f"{a_values[0]:g}",
                    a_ba=f"{a_values[1]:g}",
                    b_ab=b_texts[0],
                    b_ba=b_texts[1],
                    alpha=f"{layers[PAIR_ALPHA, i, j]:g}" if kind == "nrtl" else "",
                )
            )
        return Pairs(rows=rows, nrtl=kind == "nrtl", typed=sum(r.own for r in rows))

    def interactions(self) -> Interactions | None:
        """Pairs whose k_ij is not zero or is the user's own, and the species to choose a pair from."""
        if self.model is None or self.model.code >= PREDICTIVE_SRK or self.document.phase_model.kind == "ideal" or len(self.names) < 2:
            return None
        own = {frozenset(k.pair): k.value for k in self.document.phase_model.interaction}
        rows = []
        for i, a in enumerate(self.names):
            for j, b in enumerate(self.names[:i]):
                typed = own.get(frozenset((a, b)))
                if typed is not None or self.model.kij[i, j] != 0.0:
                    moves = self.model.mix.pairs[KIJ + 1 : KIJ + 3, i, j].any()
                    origin = f"{self.model.origins[j, i]}{', at 25 °C' if moves else ''}"
                    rows.append(InteractionRow(a=b, b=a, value=f"{self.model.kij[i, j]:g}", own=typed is not None, origin=origin))
        return Interactions(rows=rows, species=[(s.id, s.shown) for s in self.document.species], own=len(own))

"""Pasted tables of streams: feeds and guesses, streams as rows or as columns, as the ledger's own files have them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.document import FeedEntry, StreamEntry
from gulch.engine.pasted.tables import Cell, Head, head_of, numeric, quantity, rows_of
from gulch.engine.project.basis import amounts_of
from gulch.engine.project.edit import EditError, guess_lines
from gulch.engine.project.typed import as_fraction
from gulch.engine.quantities import QuantityError, conversion
from gulch.engine.quantities import write as write_quantity

if TYPE_CHECKING:
    from gulch.engine.document import Project

STATES = {"temperature": "temperature", "temp": "temperature", "t": "temperature", "pressure": "pressure", "p": "pressure"}
TOTALS = ("total", "sum", "flow", "total flow", "molar flow", "mass flow", "total molar flow", "total mass flow")
BEFORE = {  # words before a species in a head, as tables of results have them
    "mole fraction of": "fraction",
    "mass fraction of": "mass_fraction",
    "mass flow of": "mass_flow",
    "molar flow of": "flow",
    "flow of": "",
}
_MOLE = dict.fromkeys(("%", "mol%", "mol %", "mol-%", "mole %", "mole%"), "%")
_MASS = dict.fromkeys(("wt%", "wt %", "wt-%", "mass %", "mass%", "w%"), "%")
MOLE_SHARES = _MOLE | dict.fromkeys(("mol/mol", "kmol/kmol", "x", "y"), "1")  # unit of a share: whether it is per cent
MASS_SHARES = _MASS | dict.fromkeys(("kg/kg", "g/g", "w"), "1")
SHARES = {"fraction": MOLE_SHARES, "mass_fraction": MASS_SHARES | {"%": "%"}}
RESULTS = ("vapour fraction", "volume flow", "enthalpy flow", "vapour flow", "light liquid flow", "heavy liquid flow", "from", "to", "role")
BASES = {"flow": "molar", "mass_flow": "mass", "fraction": "mole-fractions", "mass_fraction": "mass-fractions"}
DIMENSIONS = {"flow": "molar flow", "mass_flow": "mass flow", "fraction": "fraction", "mass_fraction": "fraction"}
BARE = "?"  # stands behind a share of which it is not known yet whether it is per cent
NEARLY = 0.02  # from one, or from a hundred per cent
WAYS = {"flow": "molar flows", "mass_flow": "mass flows", "fraction": "mole fractions", "mass_fraction": "mass fractions"}
UNIT_HEADS = ("unit", "units", "einheit")


class Named(NamedTuple):
    """What a row or column of the table is: temperature, pressure, total, or an amount of a species; kind as DIMENSIONS, or ""."""

    what: str
    species: str = ""
    kind: str = ""


@dataclass
class PastedStream:
    """What a table says of one stream, as document text."""

    temperature: str | None = None
    pressure: str | None = None
    total: str | None = None
    amounts: dict[str, dict[str, str]] = field(default_factory=dict)  # by kind, by species

    @property
    def kind(self) -> str | None:
        """On which kind of amounts the stream is given; None where there are none."""
        return next((k for k in DIMENSIONS if self.amounts.get(k)), None)

    @property
    def beside(self) -> list[str]:
        """Species that are given on another kind than the stream, and on no other."""
        if self.kind is None:
            return []
        return sorted({s for amounts in self.amounts.values() for s in amounts} - set(self.amounts[self.kind]))

    def given(self, before: FeedEntry) -> FeedEntry:
        """A feed's entry with what was pasted in place of what was given before. Raises EditError where the amounts do not do."""
        out = before.model_copy(deep=True)
        out.temperature, out.pressure = self.temperature or before.temperature, self.pressure or before.pressure
        kind = self.kind
        if kind is None:
            return out
        shares = kind in ("fraction", "mass_fraction")
        total = self.total or (before.total if before.basis in ("mole-fractions", "mass-fractions") else None)
        if shares and not total:
            raise EditError("These are fractions, and nothing says of how much: paste a total flow with them, or type it first.")
        for name in (*DIMENSIONS, "ratio"):
            setattr(out, name, {})
        out.basis, out.total = BASES[kind], total if shares else None  # type: ignore[assignment]
        setattr(out, kind, self.amounts[kind])
        return out


class Reader:
    """Reads one table. found: {stream as it is called there, "" where it is not: PastedStream}; unread: sentences."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.names = {word.lower(): s.id for s in project.species for word in (s.cas or s.id, s.shown, s.id)}
        self.found: dict[str, PastedStream] = {}
        self.unread: list[str] = []

    def read(self, text: str) -> None:
        """Read a table, streams as rows or as columns. Raises QuantityError where it is none."""
        rows = rows_of(text)
        across = sum(self.named(head_of(c)) is not None for c in rows[0])
        down = sum(self.named(head_of(r[0])) is not None for r in rows)
        if not across and not down:
            known = ", ".join(s.shown for s in self.project.species[:4])
            raise QuantityError(f"Neither the first row nor the first column names a species, a temperature or a pressure ({known}, …).")
        if across >= down and len(rows) > 1:
            self._read(rows, turned=False)
        else:
            self._read([list(c) for c in zip(*rows, strict=True)], turned=True)

    def named(self, head: Head) -> Named | None:
        """What a head names, or None."""
        words = " ".join(head.words.lower().split())
        if words in self.names:
            return Named("amount", self.names[words], self._kind(head.unit))
        if words in STATES:
            return Named(STATES[words])
        if words in TOTALS:
            return Named("total", kind="mass_flow" if "mass" in words else "flow" if "molar" in words else "")
        for begin, kind in BEFORE.items():
            species = self.names.get(words.removeprefix(begin).strip())
            if words.startswith(begin) and species:
                said = self._kind(head.unit)
                odd = kind in SHARES and said != kind and head.unit not in ("", "%")
                return Named("amount", species, "unknown" if odd else kind or said)
        return None

    @staticmethod
    def _kind(unit: str) -> str:
        """Of which kind an amount in a unit is; "" where the unit says nothing."""
        if not unit:
            return ""
        if unit.lower() in MASS_SHARES:
            return "mass_fraction"
        if unit.lower() in MOLE_SHARES:
            return "fraction"
        for kind in ("flow", "mass_flow"):
            try:
                conversion(unit, DIMENSIONS[kind])
                return kind
            except QuantityError:
                continue
        return "unknown"

    def _read(self, rows: list[list[str]], turned: bool) -> None:
        """Read rows that each are a stream below a head row, or columns laid down as such."""
        row_word, column_word = ("column", "row") if turned else ("row", "column")
        heads, body = [head_of(c) for c in rows[0]], list(enumerate(rows[1:], 2))
        units = next((r for _, r in body if self._is_units(r)), None)
        if units is not None:
            body = [(n, r) for n, r in body if r is not units]
            heads = [Head(h.words, h.unit or units[i]) for i, h in enumerate(heads)]
        first = self.named(heads[0]) is None and any(r[0] and not numeric(r[0]) for _, r in body)
        columns = []
        for i, head in enumerate(heads):
            what = self.named(head)
            if what is None:
                if head.words and not (i == 0 and first) and head.words.lower() not in RESULTS:
                    self.unread.append(f"{column_word} {i + 1}, “{head.words[:40]}”: no species, temperature, pressure or total flow")
            elif what.kind == "unknown":
                self.unread.append(f"{column_word} {i + 1}, “{head.words[:40]}”: “{head.unit[:20]}” is no unit of a flow or a share")
            else:
                columns.append((i, head, what))
        for number, row in body:
            name = row[0] if first else ""
            if not name and not any(row):
                continue
            if name in self.found:
                self.unread.append(f"{row_word} {number}: a second one for {name or 'the same stream, for none is named'}, left out")
                continue
            stream = self.found[name] = PastedStream()
            for i, head, what in columns:
                self._take(stream, Cell(row[i], f"{row_word} {number}, {column_word} {i + 1} ({head.words[:40]})"), head.unit, what)

        for name, stream in self.found.items():
            self._settle(name, stream)

    def _is_units(self, row: list[str]) -> bool:
        """Whether a row holds units and no figures."""
        cells = [c for c in row if c and c.lower() not in UNIT_HEADS]
        return bool(cells) and not any(numeric(c) for c in cells) and all(self._kind(c) != "unknown" or _state(c) for c in cells)

    def _take(self, stream: PastedStream, cell: Cell, unit: str, what: Named) -> None:
        if cell.empty:
            self.unread.append(f"{cell.place}: empty, left out")
            return
        try:
            if what.what == "total":
                stream.total = self._total(cell, unit, what.kind)
            elif what.what != "amount":
                if getattr(stream, what.what) is not None:
                    raise QuantityError(f"{cell.place}: the {what.what} stands there already")
                setattr(stream, what.what, quantity(cell, unit, what.what, self.project.display))
            else:
                kind = what.kind or self._own_kind(cell)
                amounts = stream.amounts.setdefault(kind, {})
                if what.species in amounts:
                    raise QuantityError(f"{cell.place}: {what.species} has its amount already")
                amounts[what.species] = self._amount(cell, unit, kind)
        except QuantityError as error:
            self.unread.append(str(error).rstrip("."))

    def _own_kind(self, cell: Cell) -> str:
        """Of which kind a cell is that carries its own unit; a molar flow where it carries none."""
        unit = cell.text.strip().lstrip("+-−0123456789.,eE \u00a0\u202f")
        kind = self._kind(unit)
        if kind == "unknown":
            raise QuantityError(f"{cell.place}: “{unit[:20]}” is no unit of a flow or a share")
        return kind or "flow"

    def _amount(self, cell: Cell, unit: str, kind: str) -> str:
        shares = SHARES.get(kind)
        if shares is None:
            return quantity(cell, unit, DIMENSIONS[kind], self.project.display)
        own = next((u for u in sorted(shares, key=len, reverse=True) if cell.text.lower().endswith(u)), None)
        number = Cell(cell.text[: -len(own)].strip() if own else cell.text, cell.place)
        meant = shares.get(own or unit.lower(), BARE)
        if meant == "%":
            return quantity(number, "%", "fraction", self.project.display)
        share = quantity(number, "", "ratio", self.project.display)
        return share + BARE if meant == BARE else as_fraction(share)

    def _settle(self, name: str, stream: PastedStream) -> None:
        """Say of shares without a unit what they are, by what they add up to."""
        for kind in ("fraction", "mass_fraction"):
            amounts = stream.amounts.get(kind, {})
            bare = {s: text.removesuffix(BARE) for s, text in amounts.items() if text.endswith(BARE)}
            whole = sum(float(text) for text in bare.values())
            settled = as_fraction if abs(whole - 1.0) < NEARLY else _per_cent if abs(whole - 100.0) < 100.0 * NEARLY else None
            if bare and settled is None:
                whose = name or "the stream"
                self.unread.append(f"the shares of {whose} add up to {whole:.4g}: say in the head whether they are % or mol/mol")
            for species, text in bare.items():
                if settled is None:
                    del amounts[species]
                else:
                    amounts[species] = settled(text)

    def _total(self, cell: Cell, unit: str, kind: str) -> str:
        for dimension in (DIMENSIONS[kind],) if kind else ("molar flow", "mass flow"):
            try:
                return quantity(cell, unit, dimension, self.project.display)
            except QuantityError as error:
                trouble = error
        raise trouble


def _gone(before: FeedEntry, after: FeedEntry) -> list[str]:
    """Species that a feed held and holds no more."""
    held = [{s for key in (*DIMENSIONS, "ratio") for s in getattr(given, key)} for given in (before, after)]
    return sorted(held[0] - held[1])


def _per_cent(text: Any) -> Any:
    return f"{text} %"


def _state(unit: str | None) -> bool:
    """Whether a text is a unit of temperature or pressure."""
    for dimension in ("temperature", "pressure"):
        try:
            conversion(unit, dimension)
            return True
        except QuantityError:
            continue
    return False


def paste_feeds(project: Project, stream: StreamEntry, text: str) -> tuple[list[str], list[str]]:
    """Give feeds what a pasted table says. stream: the feed that is meant where the table names none.

    Returns (ids of the feeds that were given something, sentences on what was not read). Raises EditError where nothing was.
    """
    reader = Reader(project)
    try:
        reader.read(text)
    except QuantityError as error:
        raise EditError(str(error)) from None
    feeds = {s.id.lower(): s for s in project.streams if s.is_feed and s.given is not None}
    named = {name: feeds.get(name.lower()) for name in reader.found}
    if len(named) == 1 and not any(named.values()):
        named = {name: stream for name in named}
    others = [name for name, feed in named.items() if feed is None]
    reader.unread += [f"“{name[:40]}” is no feed" if name else "a row without a name" for name in others]
    done = []
    for name, feed in named.items():
        found = reader.found[name]
        if feed is None or not (found.amounts or found.temperature or found.pressure):
            continue
        before = feed.given or FeedEntry()
        feed.given = found.given(before)
        reader.unread += [f"{s} of {feed.id}: given in another way than the others ({WAYS[found.kind or '']})" for s in found.beside]
        reader.unread += [f"{species} of {feed.id}: not in the table, so there is none now" for species in _gone(before, feed.given)]
        done.append(feed.id)
    if not done:
        raise EditError("Nothing of that could be taken: " + "; ".join(reader.unread[:6]) + ".")
    return done, reader.unread


def pasted_guess(project: Project, text: str) -> tuple[str | None, str | None, dict[str, str]]:
    """(temperature, pressure, {species: molar flow}) of a guess typed line by line, or of a pasted table with one stream.

    Raises EditError with what it lacks.
    """
    try:
        return guess_lines(project, text)
    except EditError:
        if not re.search(r"\t|\||;.*;", text):
            raise
    reader = Reader(project)
    try:
        reader.read(text)
    except QuantityError as error:
        raise EditError(str(error)) from None
    if len(reader.found) != 1 or reader.unread:
        several = f"it holds {len(reader.found)} streams, and a guess is one" if len(reader.found) != 1 else "; ".join(reader.unread[:4])
        raise EditError(f"The pasted guess cannot be taken: {several}.")
    (found,) = reader.found.values()
    if found.beside:
        raise EditError(f"The pasted guess cannot be taken: {', '.join(found.beside)} is given in another way than the others.")
    if not found.amounts:
        raise EditError("The guess holds no flow: write for example “ethylene 700 kmol/h”, one species to the line.")
    if found.amounts.get("flow"):
        return found.temperature, found.pressure, found.amounts["flow"]
    return found.temperature, found.pressure, _molar(project, found)


def _molar(project: Project, found: PastedStream) -> dict[str, str]:
    """Molar flows of a stream that was pasted on another basis."""
    given = found.given(FeedEntry(temperature="25 degC", pressure="1 bar"))
    amounts = amounts_of(project, StreamEntry(id="pasted", given=given))
    if amounts is None:
        raise EditError("The flows of the pasted guess cannot be made moles of: paste molar flows.")
    pairs = zip(project.species, amounts[0].tolist(), strict=True)
    return {s.id: write_quantity(n, "molar flow", project.display) for s, n in pairs if n > 0.0}

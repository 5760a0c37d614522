"""What a column holds, guessed from its head: “t / min”, “c_A [mol/L]”, “X %”, “W/F (kg h/kmol)”, “T, °C”."""

from __future__ import annotations

import re
from dataclasses import dataclass

from gulch.engine.measured.what import ALONG, CONDITION, RATES, RESPONSE, WHAT, What
from gulch.engine.pasted.tables import LONGEST_HEAD, head_of
from gulch.engine.quantities import QuantityError, conversion

# words before or behind a species; a 0 among them makes a condition of what is read
_WORDS = (
    ("run", ("run", "experiment", "exp", "exp.", "series", "no", "no.", "nr", "#")),
    ("temperature", ("temperature", "temp", "temp.")),
    ("total-pressure", ("total pressure", "ptot", "p_tot", "pt", "p_t", "ptotal")),
    ("time", ("time", "reaction time")),
    ("space-time", ("tau", "τ", "space time", "residence time", "v/q", "v/v0")),
    ("mass-time", ("w/f", "w/f0", "m/f", "mcat/f")),
    ("volume-time", ("v/f", "v/f0")),
    ("mass", ("w", "mass of catalyst", "catalyst", "mcat", "m_cat")),
    ("volume", ("volume", "reactor volume")),
    ("conversion", ("conversion", "conv", "conv.", "conversion of")),
    ("concentration", ("concentration", "conc", "conc.", "concentration of", "conc. of", "conc of")),
    ("partial-pressure", ("partial pressure", "partial pressure of")),
    ("fraction", ("mole fraction", "mol fraction", "mole fraction of", "molar fraction of", "mol%", "mole %")),
    ("flow", ("molar flow", "flow", "flow of", "molar flow of")),
    ("start", ("initial concentration", "initial concentration of", "feed concentration of", "charged")),
    ("rate", ("rate", "rate of", "reaction rate", "initial rate")),
    ("pressure", ("pressure",)),
    ("k", ("rate constant",)),
    ("K", ("equilibrium constant",)),
)
BY_WORD = dict(sorted(((word, key) for key, words in _WORDS for word in words), key=lambda pair: -len(pair[0])))
SYMBOLS = {"c": "concentration", "C": "concentration", "X": "conversion", "x": "fraction", "y": "fraction", "p": "partial-pressure",
           "P": "partial-pressure", "F": "flow", "n": "flow", "N": "flow", "r": "rate", "-r": "rate", "−r": "rate"}  # fmt: skip
ALONE = {"t": "time", "T": "temperature", "P": "pressure", "p": "pressure", "τ": "space-time", "W": "mass", "V": "volume",
         "X": "conversion", "x": "conversion", "r": "rate", "k": "k", "K": "K", "c": "concentration", "C": "concentration",
         "y": "fraction"}  # fmt: skip
FED = {
    "concentration": "start",
    "fraction": "feed-fraction",
    "partial-pressure": "feed-pressure",
    "flow": "feed-flow",
    "pressure": "feed-pressure",
}
_SYMBOL = re.compile(
    r"^(?P<symbol>[-−]?r|[cCXxyYpPFnN])(?P<zero>0?)(?:_|\s|\()?\{?(?P<name>[^(){}]*?)\}?(?P<zero2>[,_]?0)?\)?(?P<zero3>0)?$"
)


@dataclass(frozen=True)
class Guess:
    """What a head says. species: of the project, "" where it names none or one that is unknown; named: the name as written."""

    what: str
    species: str = ""
    unit: str = ""
    named: str = ""


def guess(cell: str, names: dict[str, str]) -> Guess:
    """The Guess of a head. names: {what may be written, in small letters: species}.

    >>> guess("t / min", {}).what, guess("c_A [mol/L]", {"a": "acid"}).species, guess("W/F (kg h/kmol)", {}).unit
    ('time', 'acid', 'kg h/kmol')
    """
    if len(cell) > LONGEST_HEAD:
        return Guess("")
    words, unit = head_of(cell)
    if not unit and words.endswith("%"):
        words, unit = words.removesuffix("%").strip(), "%"
    symbol, _, rest = (part.strip() for part in words.partition("/"))
    if not unit and symbol in ALONE and _is_unit(rest):
        words, unit = symbol, rest
    what, named, fed = _read(words.strip(), names)
    species = names.get(named.lower(), "") if named else ""
    if fed:
        what = FED.get(what, what)
    return Guess(_fitting(what, unit, bool(species or named)), species, unit, named if named and not species else "")


def _is_unit(text: str) -> bool:
    for dimension in ("time", "temperature", "pressure", "molar concentration", "volume", "mass"):
        try:
            conversion(text, dimension)
        except QuantityError:
            continue
        return True
    return text in ("%", "-", "–")


def _read(words: str, names: dict[str, str]) -> tuple[str, str, bool]:
    """(what, name of a species, whether it was fed) of the words of a head."""
    lower = words.lower()
    if words in ALONE:
        return ALONE[words], "", False
    if lower in names:
        return "concentration", words, False
    if lower in BY_WORD:
        return BY_WORD[lower], "", False
    if words.startswith("[") and words.rstrip("0").endswith("]"):
        return "concentration", words.rstrip("0").strip("[]"), words.endswith("0")
    for word, key in BY_WORD.items():
        rest = lower.removeprefix(word).strip(" _().")
        if lower.startswith(word) and rest != lower and (rest in names or WHAT[key].per_species and len(word) > 2):
            return (
                key,
                words[len(words) - len(lower.removeprefix(word)) :].strip(" _().") if rest else "",
                "initial" in lower or "feed" in lower,
            )
        before = lower.removesuffix(word).strip()
        if lower.endswith(word) and before in names:
            return key, words[: len(before)], "initial" in lower or "feed" in lower
    match = _SYMBOL.match(words)
    if match is not None:
        return SYMBOLS.get(match["symbol"], ""), match["name"].strip(), bool(match["zero"] or match["zero2"] or match["zero3"])
    return "", "", False


def _fitting(what: str, unit: str, of_species: bool) -> str:
    """What is read, mended by the unit: a T in minutes is a time; a species' name with a pressure is a partial pressure."""
    if not what or not unit:
        return what
    if what in ("k",) or _fits(unit, WHAT[what]):
        return what
    if what == "rate":
        return next((w for w in RATES if _fits(unit, WHAT[w])), what)
    fed = WHAT[what].part == CONDITION and what not in ("temperature", "pressure", "run")
    wanted = (CONDITION,) if fed else (ALONG, CONDITION, RESPONSE) if not of_species else (RESPONSE,)
    for other in WHAT.values():
        if (
            other.part in wanted
            and other.per_species == of_species
            and other.dimension
            and _fits(unit, other)
            and other.key != "conversion"
        ):
            return other.key
    return what


def _fits(unit: str, what: What) -> bool:
    if not what.dimension:
        return False
    try:
        conversion("1" if unit in ("-", "–") else unit, what.dimension)
    except QuantityError:
        return False
    return True

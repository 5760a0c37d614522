"""The answer of a search as text."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.project.inputs import address_of
from gulch.engine.quantities import DISPLAY_SETS, difference_of, pretty_unit, show, to_unit
from gulch.engine.scans import ScanError, gauge_rows

if TYPE_CHECKING:
    from gulch.engine.document import Project


DOUBTS = {
    "wrong-phase": "a reactor holds another phase than it is counted as",
    "further-phase": "more phases are indicated than were found",
    "near-critical": "a liquid is near its critical point",
    "uphill": "a pressure rises that nothing raises",
    "beyond-data": "a temperature lies outside the heat-capacity data",
    "beyond-belief": "a constant is used outside the temperatures at which it is believed",
}  # codes of doubts, as what is so where they are


def in_sentence(label: str) -> str:
    """A label inside a sentence: without its capital, unless that begins a name.

    >>> in_sentence("Flow of B"), in_sentence("R1 duty"), in_sentence("CO made")
    ('flow of B', 'R1 duty', 'CO made')
    """
    return label[:1].lower() + label[1:] if label[1:2].islower() else label


def one_of(dimension: str, display: str) -> tuple[float, str]:
    """(SI size, words) of one unit of a difference of a dimension, as its display shows it.

    >>> one_of("temperature", "process-metric")
    (1.0, 'K')
    """
    difference = difference_of(dimension)
    unit = DISPLAY_SETS[display].unit(difference)
    return 1.0 / to_unit(1.0, unit, difference), pretty_unit(unit).replace("points", "point")


def limit_words(of: str, kind: str, project: Project, at: float | None = None) -> str:
    """A limit, an end of a knob's range or what keeps a doubt away, in words. of, kind: as an Optimum's `holds` and `ends` say.

    at: the limit's value [SI].
    """
    if kind in ("low", "high"):
        found = address_of(project, of)
        label = next((k.label for k in project.knobs if k.input == of and k.label), found.label if found else of)
        return f"{in_sentence(label)} at the {kind} end of its range"
    if kind not in ("at_least", "at_most"):
        return of
    try:
        g = gauge_rows(project, [of])[0]
    except ScanError:
        return f"{of}, which is no gauge any more"
    text = "" if at is None else f" {show(at, g['dimension'], project.display, 4)}"
    return f"{in_sentence(g['label'])} {'at least' if kind == 'at_least' else 'at most'}{text}"


def worth_words(hold: dict[str, Any], dimension: str, highest: bool, display: str) -> str:
    """What the aim gains where a limit gives way by one unit: “+0.83 kmol/h for 1 %”; “nothing” where it gains nothing.

    "" for a distance that nobody counts in units.
    """
    if hold["kind"] == "further-phase":
        return ""
    size, unit = one_of(hold["dimension"], display)
    gain = hold["worth"] * size * (1.0 if highest else -1.0)
    if gain == 0.0:
        return "nothing"
    return f"{'+' if gain > 0.0 else '−'}{show(abs(gain), difference_of(dimension), display, 3)} for 1 {unit}".rstrip()


def best_text(project: Project, found: dict[str, Any]) -> str:
    """The answer of a search (plain data, as `scans.answered` gives it) as lines of text."""
    return "\n".join(_curve(project, found) if found["kind"] == "trade-off" else _best(project, found))


def _knobs(project: Project, found: dict[str, Any], values: list[float]) -> str:
    return ", ".join(
        f"{in_sentence(k['label'])} {show(v, k['dimension'], project.display)}" for k, v in zip(found["knobs"], values, strict=True)
    )


def _ended(found: dict[str, Any]) -> list[str]:
    if not found["ended"]:
        return [f"{found['solves']} solves."]
    more = f" Go on with --solves {2 * max(found['solves'], 1)}." if found["ended"] == "out of solves" else ""
    return [f"Not complete: {found['ended']} after {found['solves']} solves.{more}"]


def rests_on(found: dict[str, Any]) -> str:
    """What the answer of a search rests on, as sentences."""
    climbs, around = found["climbs"], found["around"]
    parts = []
    if found["looks"]:
        parts.append(
            f"It rests on {found['looks']} looks spread over the ranges and at their ends and on {climbs or 'no'} "
            f"climb{'s' if climbs > 1 else ''} from the best of them{', broken off' if found['ended'] else ''}; "
            "that nothing better stands between the looks is not proved."
        )
    if around:
        parts.append(f"Of {around} solves beside it {found['better'] or 'none'} is better inside the limits.")
    if not found["peaks"] and not found["ended"]:
        parts.append("No other peak was met.")
    if found["failed"]:
        parts.append(f"{found['failed']} of {found['solves']} points did not solve.")
    return " ".join(parts)


def flat_words(found: dict[str, Any], knob: dict[str, Any], display: str) -> str:
    """Over which range of a knob at most a hundredth of the aim's span is lost, in words; '' where that is not known."""
    low, high = found["flat"].get(knob["address"], (None, None))
    if low is None:
        return ""
    if high - low > 0.98 * (knob["high"] - knob["low"]):
        return "flat: all of its range"
    return f"{show(low, knob['dimension'], display, 4)} to {show(high, knob['dimension'], display, 4)}"


def hidden_words(project: Project, found: dict[str, Any]) -> str:
    """The better point that only doubts keep out, up to where it stands."""
    row = gauge_rows(project, [found["gauge"]])[0]
    reads = show(found["hidden"]["reads"], row["dimension"], project.display, 5)
    return f"Better, but doubtful ({'; '.join(DOUBTS.get(c, c) for c in found['hidden']['doubts'])}): {reads}"


def end_words(found: dict[str, Any]) -> str:
    """Which knobs stand at ends of their ranges, as a sentence, or ''."""
    labels = {k["address"]: in_sentence(k["label"]) for k in found["knobs"]}
    ends = [f"{labels[e['of']]} at the {e['kind']} end" for e in found["ends"]]
    if not ends:
        return ""
    more = [labels[e["of"]] for e in found["ends"] if e["worth"]]
    beyond = f": by the slope there a wider one of {' and '.join(more)} gives more" if more else ""
    return f"It stands at the end of a range ({', '.join(ends)}){beyond}."


def jump_words(found: dict[str, Any], display: str) -> list[str]:
    """Where the price of a heating or cooling medium holds the best point, as sentences."""
    knobs = {k["address"]: k for k in found["knobs"]}
    out = []
    for j in found["jumps"]:
        knob = knobs[j["address"]]
        at = f"{j['way']} {in_sentence(knob['label'])} {show(j['at'], knob['dimension'], display, 4)}"
        then = f"takes {j['then']}" if j["then"] else "has no medium with a price"
        out.append(f"{j['of']} takes {j['medium']} there; a little {at} it {then}.")
    return list(dict.fromkeys(out))


def _best(project: Project, found: dict[str, Any]) -> list[str]:
    display = project.display
    row = gauge_rows(project, [found["gauge"]])[0]
    so_far = " found so far" if found["ended"] else ""
    what = f"{'Highest' if found['highest'] else 'Lowest'} {in_sentence(row['label'])} inside all limits{so_far}"
    if found["values"] is None:
        lines = [f"{what}: none of {found['solves']} points looked at."]
        limits = {g["id"]: g["label"] for g in gauge_rows(project)}
        lines += ["Met together at none of them: " + " and ".join(limits[i] for i in ids) + "." for ids in found["excluding"]]
        if found["nearest"]:
            lines.append(f"Nearest: {_knobs(project, found, found['nearest']['values'])}.")
        return lines + ([f"{found['doubtful']} points are doubtful."] if found["doubtful"] else []) + _ended(found)
    lines = [f"{what}: {show(found['reads'], row['dimension'], display, 5)} at {_knobs(project, found, found['values'])}."]
    if found["now"] is not None:
        lines.append(f"Now: {show(found['now'], row['dimension'], display, 5)}.")
    for hold in (*found["holds"], *found["ends"]):
        words = limit_words(hold["of"], hold["kind"], project, hold["at"])
        worth = worth_words(hold, row["dimension"], found["highest"], display)
        lines.append(f"Held by {words}{f': worth {worth}' if worth else ''}.")
    lines += jump_words(found, display)
    if found["ends"]:
        lines.append(end_words(found))
    if found["flat"]:
        span = show(found["span"], difference_of(row["dimension"]), display, 3)
        lines.append(f"At most 1 % of {span}, which is what the knobs move it by inside the limits, is lost at:")
        lines += [f"  {in_sentence(k['label'])} {flat_words(found, k, display)}" for k in found["knobs"] if k["address"] in found["flat"]]
    lines += [
        f"Another peak: {show(p['reads'], row['dimension'], display, 5)} at {_knobs(project, found, p['values'])}." for p in found["peaks"]
    ]
    if hidden := found["hidden"]:
        lines.append(f"{hidden_words(project, found)} at {_knobs(project, found, hidden['values'])}.")
    lines.append(rests_on(found))
    return lines + _ended(found)


def _curve(project: Project, found: dict[str, Any]) -> list[str]:
    lines = [f"Trade-off of {' and '.join(in_sentence(a['label']) for a in found['aims'])}:"]
    for i, p in enumerate(found["points"]):
        reads = ", ".join(
            f"{in_sentence(a['label'])} {show(v, a['dimension'], project.display, 5)}"
            for a, v in zip(found["aims"], p["reads"], strict=True)
        )
        lines.append(f"{reads} at {_knobs(project, found, p['values'])}{' (knee)' if i == found['knee'] else ''}")
    return lines + _ended(found)

"""Parameters of pairs, and what was measured of them."""

from __future__ import annotations

from gulch.engine.document import Interaction, MeasuredPair, PairEntry, Project
from gulch.engine.project.edit.whole import EditError
from gulch.engine.project.measured import held, measured_of, read_pairs, read_points
from gulch.engine.project.reading import number, pair_numbers
from gulch.engine.quantities import QuantityError


def set_interaction(project: Project, a: str, b: str, text: str) -> None:
    """Type the interaction parameter k_ij of a pair; an empty text brings the shipped one back. Raises EditError."""
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    try:
        value = number(text, f"k of {a} and {b}") if text else None
    except QuantityError as error:
        raise EditError(str(error)) from None
    if value is not None and not -1.0 <= value <= 1.0:
        raise EditError(f"An interaction parameter of {text} is beyond all reason: keep it between −1 and 1.")
    kept = [k for k in project.phase_model.interaction if set(k.pair) != {a, b}]
    if value is not None:
        kept.append(Interaction(pair=(a, b), value=value))
    project.phase_model.interaction = kept


def set_pair(project: Project, a: str, b: str, texts: dict[str, str]) -> None:
    """Type the parameters of a pair for the project's activity model; all texts empty brings the filled ones back. Raises EditError.

    texts: a_ab, a_ba (numbers), b_ab, b_ba (K, or an energy over R), alpha; a is the first species, b the second.
    """
    kind = project.phase_model.kind
    if kind not in ("nrtl", "wilson"):
        raise EditError("Parameters of pairs belong to NRTL and Wilson: choose one of them as the phase model first.")
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    kept = [p for p in project.phase_model.pairs if not (set(p.pair) == {a, b} and p.model == kind)]
    if any(text.strip() for text in texts.values()):
        kept.append(_pair_entry(a, b, kind, {k: v.strip() for k, v in texts.items()}))
    project.phase_model.pairs = kept


def paste_pairs(project: Project, text: str) -> int:
    """Take the parameters of a pasted table for the project's activity model; returns how many pairs. Raises EditError."""
    names = {word.lower(): s.id for s in project.species for word in (s.id, s.shown, s.cas or s.id)}
    try:
        rows = read_pairs(text, names)
    except QuantityError as error:
        raise EditError(str(error)) from None
    before = list(project.phase_model.pairs)
    try:
        for a, b, texts in rows:
            set_pair(project, a, b, texts)
    except EditError:
        project.phase_model.pairs = before
        raise
    return len(rows)


def set_measured(project: Project, a: str, b: str, field: str, text: str) -> None:
    """Type what the diagram of a pair is at, paste its measured points, or say where they come from (fields at, points, remark).

    Empty points leave the pair without any. Raises EditError.
    """
    ids = {s.id for s in project.species}
    if a not in ids or b not in ids or a == b:
        raise EditError("Choose two different species of the project.")
    old = measured_of(project, a, b)
    entry = (old or MeasuredPair(pair=(a, b))).model_copy()
    try:
        if field == "points":
            entry.points = read_points(text, entry.at, project.display)
        elif field == "at":
            before, now = held(entry.at), held(text)
            if entry.points and before.free != now.free:
                raise EditError(f"The measured points give a {before.free}: take them away first, or keep to a diagram of it.")
            entry.at = text
        elif field == "remark":
            entry.remark = text or None
        else:
            raise EditError("The diagram is gone: reload the page.")
    except QuantityError as error:
        raise EditError(str(error)) from None
    if entry.pair != (a, b):
        raise EditError("The diagram is gone: reload the page.")
    project.phase_model.measured = [m for m in project.phase_model.measured if m is not old] + [entry]


def _pair_entry(a: str, b: str, kind: str, texts: dict[str, str]) -> PairEntry:
    try:
        numbers = [number(texts.get(f"a_{way}") or "0", f"a of {a} and {b}") for way in ("ab", "ba")]
        b_texts = (texts.get("b_ab") or "0 K", texts.get("b_ba") or "0 K")
        pair_numbers((a, b), tuple(numbers), b_texts)
        alpha = number(texts["alpha"], "alpha") if texts.get("alpha") else None
    except QuantityError as error:
        raise EditError(f"{error} Write b as in 350 K, or 700 cal/mol.") from None
    if alpha is not None and not 0.0 < alpha <= 1.0:
        raise EditError(f"A non-randomness of {texts['alpha']} is beyond reason: it lies between 0.1 and 0.6, mostly 0.2 to 0.47.")
    return PairEntry(pair=(a, b), model=kind, a=(numbers[0], numbers[1]), b=b_texts, alpha=alpha)

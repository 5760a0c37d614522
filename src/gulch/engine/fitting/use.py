"""What a fit found, written into the laws: k at the temperature at which it was found, with what the numbers hang together."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import FoundEntry
from gulch.engine.fitting.laws import FitTrouble
from gulch.engine.project.inputs import addresses, write
from gulch.engine.project.rate_numbers import orders_typed

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, Project
    from gulch.engine.fitting.answer import Answer

DIGITS = 6


def use(project: Project, entry: FitEntry, answer: Answer) -> None:
    """Write an Answer into the project's laws, and keep it with the fit. Raises FitTrouble where there is none."""
    if answer.trouble or not answer.numbers:
        raise FitTrouble(answer.trouble or "Nothing was found yet.")
    at = f"{answer.T - 273.15:.6g} degC"
    for n in sorted(answer.numbers, key=lambda n: "order" not in n.kind):
        id_ = n.address.partition(".")[0]
        reaction = project.reaction(id_)
        if reaction is None or reaction.rate is None:
            raise FitTrouble(f"The rate law of {id_} is gone: fit again.")
        if n.kind in ("k", "back_k"):
            side = reaction.rate.backward if n.kind == "back_k" else reaction.rate.forward
            if side is None:
                raise FitTrouble(f"The reverse of {id_} is gone: fit again.")
            side.at = at
        if n.kind == "adsorption":
            term = next((a for a in reaction.rate.adsorption if n.address.endswith(f".{a.species}")), None)
            if term is None:
                raise FitTrouble(f"An adsorption term of {id_} is gone: fit again.")
            term.constant.at = at
        if n.kind in ("order", "back_order") and not orders_typed(project, reaction, n.kind == "back_order"):
            continue
        write(project, n.address, f"{n.value:.{DIGITS}g} {n.unit}".strip())
    known = addresses(project)
    sheets = [s.shown for s in project.measurements if s.id in entry.sheets]
    entry.found = FoundEntry(
        numbers=[n.address for n in answer.numbers],
        values=[n.phi for n in answer.numbers],
        covariance=answer.covariance,
        logarithmic=[n.logarithmic for n in answer.numbers],
        texts=[known[n.address].text or "" if n.address in known else "" for n in answer.numbers],
        freedom=0 if all(known for _, _, known in answer.sizes.values()) else answer.freedom,
        on=", ".join(sheets)[:200],
    )

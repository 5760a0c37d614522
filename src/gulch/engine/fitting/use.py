"""What a fit found, written into the laws: k at the temperature at which it was found, with what the numbers hang together."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.document import FoundEntry
from gulch.engine.fitting.numbers import FitTrouble
from gulch.engine.fluids import R
from gulch.engine.project.inputs import addresses, write
from gulch.engine.project.rate_numbers import orders_typed
from gulch.engine.project.reading import number

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
        if n.kind.startswith("lnK_"):
            continue
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
    values, covariance, logarithmic = _as_addresses(project, answer)
    known = addresses(project)
    sheets = [s.shown for s in project.measurements if s.id in entry.sheets]
    entry.found = FoundEntry(
        numbers=[n.address for n in answer.numbers],
        values=values,
        covariance=covariance,
        logarithmic=logarithmic,
        texts=[known[n.address].text or "" if n.address in known else "" for n in answer.numbers],
        freedom=0 if all(known for _, _, known in answer.sizes.values()) else answer.freedom,
        on=", ".join(sheets)[:200],
    )


def _as_addresses(project: Project, answer: Answer) -> tuple[list[float], list[list[float]], list[bool]]:
    """(values, covariance, which of them are logarithms) of what addresses hold; writes A and B of ln K = A + B/T of K and its heat."""
    M = np.eye(len(answer.numbers))
    values = np.array([n.phi for n in answer.numbers])
    logarithmic = [n.logarithmic for n in answer.numbers]
    at = {n.address: i for i, n in enumerate(answer.numbers)}
    for address, i in at.items():
        id_, _, kind = address.partition(".")
        reaction = project.reaction(id_)
        if not kind.startswith("lnK_") or reaction is None or reaction.equilibrium is None:
            continue
        logarithmic[i] = False
        j = at.get(f"{id_}.lnK_B")
        if kind == "lnK_B":
            M[i, i] = -1.0 / R
        elif j is not None:
            M[i, j] = 1.0 / (R * answer.T)
        else:
            e = reaction.equilibrium
            b, c, d = (number(t or "0", "ln K") for t in (e.b, e.c, e.d))
            values[i] -= b / answer.T + c * math.log(answer.T) + d * answer.T
    out = M @ values
    for address, i in at.items():
        if ".lnK_" in address:
            write(project, address, f"{out[i]:.9g}")
    return out.tolist(), (M @ np.array(answer.covariance) @ M.T).tolist(), logarithmic

"""Splitter: one stream into parts of the same composition."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.declared.base import Port, Unit, UnitResult
from gulch.engine.declared.declarations import Input
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.tangent import Tangent

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved


def _share(ordinal: str, **more: Any) -> Input:
    return Input(f"{ordinal} drawn share", "fraction", "share of the inlet that leaves by this outlet", low=0.0, high=1.0, **more)


class Splitter(Unit):
    """Divides a stream into up to three drawn shares and the rest."""

    kind = "splitter"
    label = "splitter"
    short = "SPLIT"
    family = "streams together and apart"
    main_outlet = "rest"
    meaning = "divides a stream into parts of equal composition, temperature and pressure"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i(outlet) = share · n_i(feed)",
            "temperature, pressure and composition stay; the rest takes what is not drawn",
        ),
    )
    outlets = (
        Port("drawn", "the drawn share, for example a purge"),
        Port("rest", "what is not drawn"),
        Port("second", "the second drawn share"),
        Port("third", "the third drawn share"),
    )

    drawn = _share("First", default="10 %")
    second = _share("Second", optional=True, empty="none")
    third = _share("Third", optional=True, empty="none")

    @classmethod
    def ports_out(cls, entry: Any) -> tuple:
        return tuple(p for p in cls.outlets if p.name in ("drawn", "rest") or getattr(entry, p.name) is not None)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        shares = {"drawn": given.drawn, "second": given.second, "third": given.third}
        shares = {name: share for name, share in shares.items() if share is not None}
        if sum(shares.values()) > 1.0 + 1e-12:
            raise UnitTrouble(
                f"The drawn shares add up to {100 * sum(shares.values()):.4g} %.",
                "Lower them to 100 % or less.",
                "drawn",
            )
        shares["rest"] = max(0.0, 1.0 - sum(shares.values()))
        if feed.is_empty:
            return UnitResult({name: feed for name in shares})
        T, H = feed._T, feed._H
        return UnitResult(
            {
                name: Stream(context.model, share * feed.n, feed.P, T=T, H=None if H is None else share * H, guess=feed.guess)
                for name, share in shares.items()
            }
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        feed = at.only
        out = {}
        for name, stream in at.result.outlets.items():
            share = stream.total / feed.stream.total if feed.stream.total > 0.0 else 0.0
            held_T, held = feed.given
            out[name] = Tangent(stream, share * feed.n, feed.P, held if held_T else None, None if held_T else share * held)
        return out

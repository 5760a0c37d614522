"""The optimum of the ethanol demo over its four knobs, against a grid refined around its best point, and from many starts."""

import itertools
import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from gulch.demo import projects
from gulch.engine.explain import Plan
from gulch.engine.scans import Aim
from gulch.engine.scans.best import best
from gulch.engine.scans.search import Search

FIRST, FURTHER, ROUNDS, STARTS = 7, 5, 7, 20


def brute(search):
    """(best reading, solves) of a grid over all ranges, then of grids around its best point, each half as wide."""
    middle, reach, count, top, solves = np.full(4, 0.5), 0.5, FIRST, None, 0
    for _ in range(ROUNDS):
        axes = [np.unique(np.clip(np.linspace(m - reach, m + reach, count), 0.0, 1.0)) for m in middle]
        for u in itertools.product(*axes):
            point = search.at(np.array(u))
            solves += 1
            if point.inside and (top is None or point.reads > top.reads):
                top = point
        middle, reach, count = top.u, reach / 2.2, FURTHER
        print(f"    grid within {2.2 * reach:.4f} of each range: {3.6 * top.reads:.4f} kmol/h after {solves} solves", flush=True)
    return top.reads, solves


def main():
    plan = Plan(projects()[0])
    began = time.perf_counter()
    found = best(plan, Aim("made"), start=plan.run().start)
    took = time.perf_counter() - began
    print(f"search: {3.6 * found.reads:.4f} kmol/h in {found.solves} solves, {took:.1f} s")
    reads, solves = [], []
    rng = np.random.default_rng(11)
    for _ in range(STARTS):
        other = Plan(projects()[0])
        for k in found.knobs:
            other.inputs[k["address"]] = k["low"] + rng.random() * (k["high"] - k["low"])
        again = best(other, Aim("made"))
        reads.append(again.reads)
        solves.append(again.solves)
    spread = (max(reads) - min(reads)) / found.reads
    print(f"from {STARTS} random starts: {min(solves)} to {max(solves)} solves, readings apart by {spread:.1e}")
    grid, count = brute(Search(plan, Aim("made"), plan.run().start, most=10**9))
    print(
        f"refined grid: {3.6 * grid:.4f} kmol/h in {count} solves; search less grid {(found.reads - grid) / grid:+.1e}, "
        f"{count / found.solves:.0f} × the solves"
    )


if __name__ == "__main__":
    main()

"""What a pass, a scan on several workers and a start cost. Times beside a fixed loop of plain Python, since machines differ."""

import os
import resource
import subprocess
import sys
import time
from pathlib import Path

SRC = Path(__file__).parents[1] / "src"
sys.path.insert(0, str(SRC))

from five_units import FIVE  # noqa: E402

from gulch.demo import NAMES, projects  # noqa: E402
from gulch.engine.document import ScanEntry, Sweep, load  # noqa: E402
from gulch.engine.explain import Plan  # noqa: E402
from gulch.engine.scans import grid_of, refined, run_scan  # noqa: E402
from gulch.engine.work import Workers  # noqa: E402
from gulch.engine.work.scanning import scan_on  # noqa: E402

NOMINAL = 4.3  # ms that the fixed loop takes on the machine that the goals were set on


def fixed_loop():
    """Milliseconds of 60 000 steps of plain Python, the best of some tries."""
    found = []
    for _ in range(7):
        began, total = time.perf_counter(), 0
        for i in range(60_000):
            total += i * i
        found.append(time.perf_counter() - began)
    return 1e3 * min(found)


def best(function, repeats=15):
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        function()
        times.append(time.perf_counter() - began)
    return 1e3 * min(times)


def say(what, ms, remark=""):
    speed = fixed_loop()
    print(
        f"{what:44} {ms:8.2f} ms   {ms / speed:7.2f} × the fixed loop ({ms * NOMINAL / speed:7.2f} ms at nominal speed) {remark}",
        flush=True,
    )


def chain(n=30):
    units = [{"id": f"H{i}", "kind": "heater", "temperature": f"{30 + 5 * i} degC"} for i in range(n)]
    given = {"temperature": "25 degC", "pressure": "30 bar", "flow": {"ethylene": "100 kmol/h", "water": "60 kmol/h"}}
    streams = [{"id": "feed", "to": "H0", "given": given}]
    streams += [{"id": f"S{i}", "from": f"H{i}", **({"to": f"H{i + 1}"} if i + 1 < n else {})} for i in range(n)]
    species = [{"id": "ethylene", "cas": "74-85-1"}, {"id": "water", "cas": "7732-18-5"}]
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "phase_model": {"kind": "peng-robinson"},
            "species": species,
            "units": units,
            "streams": streams,
        }
    )


def passes():
    for place, turn in ((0, {"SPLIT.drawn": 0.066}), (4, {"SPLIT.drawn": 0.0808})):
        plan = Plan(projects()[place])
        first = plan.run()
        again = plan.run(start=first.start, overrides=turn)
        say(f"{NAMES[place]}, cold", best(plan.run), f"{first.loops[0].passes} passes")
        warm = best(lambda plan=plan, first=first, turn=turn: plan.run(start=first.start, overrides=turn))
        say("  after a small turn of a knob", warm, f"{again.loops[0].passes} passes")
        say("  preparing its plan", best(lambda place=place: Plan(projects()[place])))
    plan = Plan(chain())
    say("chain of heaters, each unit", best(plan.run) / 30)


def timed(document):
    """{workers: seconds} of a document's scan on one process and on two, kernels loaded."""
    taken = {}
    for count in (1, 2):
        workers = Workers(now=1, later=count)
        times = []
        for _ in range(3):
            began = time.perf_counter()
            scan_on(workers, document, document.scans[0])
            times.append(time.perf_counter() - began)
        taken[count] = min(times[1:])
        workers.close()
    return taken


def scans():
    for place, knob in ((0, "purge_share"), (4, "purge_share"), (4, "approach")):
        document = projects()[place]
        document.scans = [ScanEntry(id="s", over=[Sweep(knob=knob, points=100)])]
        taken = timed(document)
        remark = f"two workers: {taken[1] / taken[2]:.2f} × as fast"
        say(f"{NAMES[place]}, 100 points of {knob}, edges and peaks, one worker", 1e3 * taken[1], remark)


def maps():
    """Two knobs of the five-unit loop; then what solved edges save over a grid as fine as they are."""
    for side in (21, 41):
        document = load(
            FIVE
            | {
                "name": "Five units",
                "knobs": [
                    {"id": "T", "input": "DRUM.temperature", "low": "30 degC", "high": "70 degC"},
                    {"id": "p", "input": "SPLIT.drawn", "low": "3 %", "high": "20 %"},
                ],
                "gauges": [{"id": "back", "reads": "back.flow"}],
                "scans": [{"id": "s", "over": [{"knob": "T", "points": side}, {"knob": "p", "points": side}]}],
            }
        )
        taken = timed(document)
        remark = f"one worker: {taken[1] / taken[2]:.2f} × as long; {1e3 * taken[2] / side**2:.1f} ms a point"
        say(f"five-unit loop, {side} × {side} points, two workers", 1e3 * taken[2], remark)
    document = projects()[0]
    plan, grid = Plan(document), grid_of(document, document.scans[0])
    points = run_scan(document, document.scans[0]).points
    runs = []
    original = plan.run
    plan.run = lambda **more: runs.append(1) or original(**more)
    edges, peaks = refined(plan, grid, points)
    say(
        f"ethanol demo: {len(edges)} edge and {len(peaks)} peaks solved", float(len(runs)), "solves, not ms; a grid to 1e-6 needs a million"
    )


def starts():
    for what, code in (
        ("import gulch.engine", "import gulch.engine"),
        ("import of all of it", "import gulch.engine.cli.commands"),
        (
            "gulch solve of the ethanol demo",
            f"from gulch.main import main; main(['solve', r'{SRC}/gulch/demo/{NAMES[0]}.json'])",
        ),
    ):
        cpu = []
        for _ in range(3):
            before = resource.getrusage(resource.RUSAGE_CHILDREN)
            subprocess.run(
                [sys.executable, "-c", code],
                env=os.environ | {"PYTHONPATH": str(SRC)},
                stdout=subprocess.DEVNULL,
                check=False,
            )
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            cpu.append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
        say(f"{what}, CPU", 1e3 * min(cpu))


if __name__ == "__main__":
    passes()
    starts()
    scans()
    maps()

"""What a pass, a scan on several workers and a start cost. Times beside a fixed loop of plain Python, since machines differ."""

import os
import resource
import subprocess
import sys
import time
from pathlib import Path

SRC = Path(__file__).parents[1] / "src"
sys.path.insert(0, str(SRC))

from gulch.demo import NAMES, projects  # noqa: E402
from gulch.engine.document import ScanEntry, Sweep, load  # noqa: E402
from gulch.engine.flowsheet import Plan  # noqa: E402
from gulch.engine.scans import blocks  # noqa: E402
from gulch.engine.work import ScanPart, Workers  # noqa: E402

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


def scan(workers, document, scan_id):
    began = time.perf_counter()
    jobs = [workers.submit(ScanPart(document.dump(), scan_id, part), lane="later") for part in blocks(document, 100)]
    for job in jobs:
        job.wait(600.0)
    return time.perf_counter() - began


def scans():
    for place, knob in ((0, "purge_share"), (4, "purge_share"), (4, "approach")):
        document = projects()[place]
        document.scans = [ScanEntry(id="s", over=[Sweep(knob=knob, points=100)])]
        taken = {}
        for count in (1, 2):
            workers = Workers(now=1, later=count)
            scan(workers, document, "s")  # kernels loaded, workers made
            taken[count] = min(scan(workers, document, "s") for _ in range(2))
            workers.close()
        say(
            f"{NAMES[place]}, 100 points of {knob}, one worker",
            1e3 * taken[1],
            f"two workers: {taken[1] / taken[2]:.2f} × as fast",
        )


def starts():
    for what, code in (
        ("import gulch.engine", "import gulch.engine"),
        ("import of all of it", "import gulch.engine.cli"),
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

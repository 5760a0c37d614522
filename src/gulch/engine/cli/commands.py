"""What the commands of the engine do; each returns its exit code. They may raise DocumentError."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gulch.engine.cli.codes import NOT_SOLVED, SOLVED
from gulch.engine.compiling import making, store
from gulch.engine.document import MAX_BYTES, DocumentError, RegionEntry, SearchEntry, loads, schema
from gulch.engine.exchange import Sentence, best_text, ledger, on_branches, scan_csv, scan_xlsx
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.fitting.study import study
from gulch.engine.fitting.use import use
from gulch.engine.flowsheet.guard import finite
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses
from gulch.engine.project.results import readable
from gulch.engine.project.variants import BASE, applied, misfits
from gulch.engine.quantities import QuantityError, format_number, show
from gulch.engine.regions import RegionTrouble
from gulch.engine.regions.question import attain, told
from gulch.engine.scans import ScanError, answered, ready_plan, run_scan

if TYPE_CHECKING:
    from argparse import Namespace

    from gulch.engine.document import Project
    from gulch.engine.document.studies import ScanEntry
    from gulch.engine.fitting.study import Study
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.scans.scan import ScanResult


def read(path: Path) -> Project:
    """A Project from a file, or from standard input where its name is "-". Raises DocumentError."""
    try:
        if str(path) == "-":
            content = sys.stdin.buffer.read(MAX_BYTES + 1)
            if len(content) > MAX_BYTES:
                raise DocumentError(f"What comes in is larger than {MAX_BYTES // 1_000_000} MB, which no project is.")
            return loads(content)
        if path.stat().st_size > MAX_BYTES:
            raise DocumentError(f"{path} is larger than {MAX_BYTES // 1_000_000} MB, which no project is.")
        return loads(path.read_bytes())
    except OSError as error:
        raise DocumentError(f"{path} cannot be read: {error.strerror}.") from None


def solve_command(args: Namespace) -> int:
    """Solve a file and print a summary, or the whole Solution; 0 when solved, 1 when not."""
    project, misfits = chosen(read(args.file), args.variant)
    solution = solve(project)
    if not making.progress().done:
        print("Solved while not all kernels are compiled, which is slow: “gulch compile” does that, in about a minute.", file=sys.stderr)
    if args.json:
        print(json.dumps(finite(solution.to_dict()), indent=1, allow_nan=False))
    else:
        print(summary(project, solution))
    return SOLVED if solution.solved and all(t.met for t in solution.targets) and not misfits else NOT_SOLVED


def chosen(project: Project, name: str | None = None) -> tuple:
    """(the Project as a named variant, or as it is worked on; sentences on edits that find no place). Raises DocumentError.

    The sentences are printed too, so that nobody takes the base's figures for the variant's.
    """
    if name is None:
        name = project.working or BASE
    if name.lower() == BASE:
        return project, []
    variant = next((v for v in project.variants if name in (v.name, v.id)), None)
    if variant is None:
        there = ", ".join([BASE, *(v.name for v in project.variants)])
        raise DocumentError(f"There is no variant {name}: the file holds {there}.")
    lines = misfits(project, variant)
    for line in lines:
        print(line, file=sys.stderr)
    return applied(project, variant), lines


def summary(project: Project, solution: Solution) -> str:
    """A readable account of a Solution."""
    lines = [f"{project.name}: {'solved' if solution.solved else 'not solved'} in {1000 * solution.seconds:.0f} ms"]
    columns, rows = ledger(project, solution)
    head = ["stream", *(f"{c['label']} {c['unit']}".strip() for c in columns)]
    table = [head, *([r["id"], *(format_number(c) for c in r["cells"])] for r in rows)]
    widths = [max(len(row[i]) for row in table) for i in range(len(head))]
    lines += [
        "",
        *("  ".join(c.rjust(w) if i else c.ljust(w) for i, (c, w) in enumerate(zip(r, widths, strict=True))) for r in table),
    ]
    for loop in solution.loops:
        gain = "" if loop.gain is None else f", loop gain {loop.gain:.3f}"
        state = "settled" if loop.settled else "did not settle"
        lines += [
            "",
            f"Loop {' → '.join(loop.units)}: {state} in {loop.passes} passes{gain}, torn at {', '.join(loop.tears)}",
        ]
        for s in loop.states.states if loop.states is not None else ():
            at = show(s.temperature, "temperature", project.display)
            lasts, shown = "lasts" if s.stable else "does not last", ", shown here" if s.here else ""
            lines.append(f"  steady state with {loop.states.tear} at {at}: {lasts}{shown}")
    known = readings(project)
    inputs = addresses(project)
    for t in solution.targets:
        state = "met" if t.met else "not met"
        at = show(t.knob_value, inputs[t.address].dimension, project.display)
        lines += ["", f"Target {t.id}: {state} with {t.address} at {at}"]
    for tie in project.ties:
        if tie.sets in solution.found:
            lines.append(f"Tie {tie.sets} = {show(solution.found[tie.sets], inputs[tie.sets].dimension, project.display)}")
    for g in project.gauges:
        if g.reads in known:
            lines.append(f"{g.label or known[g.reads].label}: {show(solution.gauges.get(g.id), known[g.reads].dimension, project.display)}")
    lines += [f"{m.level}: {m.what} {m.todo}".rstrip() for m in solution.messages]
    return "\n".join(lines)


def scan_command(args: Namespace) -> int:
    """Run a scan of a file and print its table; 0 when all points solved, 1 when not. Raises DocumentError."""
    project, lost = chosen(read(args.file), args.variant)
    scan = project.scan(args.scan) if args.scan else (project.scans[0] if project.scans else None)
    if scan is None:
        raise DocumentError(f"{args.file} has no scan {args.scan or ''}".rstrip() + ".")
    quick()
    try:
        result = _on_workers(project, scan, args.workers) if args.workers > 1 else run_scan(project, scan)
    except ScanError as error:
        print(error, file=sys.stderr)
        return NOT_SOLVED
    plain = result.to_dict()
    if plain["points"] and plain["gauges"]:
        told = [Sentence(plain, scan, project.display, {}, {}).text, *on_branches(plain, project.display)]
        print(" ".join(told), file=sys.stderr if args.out is None else sys.stdout)
    if args.out is None:
        print(scan_csv(plain, project.display), end="")
    else:
        whole = args.out.suffix.lower() == ".xlsx"
        try:
            args.out.write_bytes(scan_xlsx(plain, project.display) if whole else scan_csv(plain, project.display).encode())
        except OSError as error:
            print(f"{args.out} cannot be written: {error.strerror}.", file=sys.stderr)
            return NOT_SOLVED
        print(f"{len(result.points)} points in {args.out}")
    return SOLVED if all(p["solved"] for p in result.points) and not lost else NOT_SOLVED


def _on_workers(project: Project, scan: ScanEntry, count: int) -> ScanResult:
    from gulch.engine.work import Workers  # what one process does without is not loaded
    from gulch.engine.work.scanning import scan_on

    workers = Workers(later=count)
    try:
        return scan_on(workers, project, scan)
    finally:
        workers.close()


def best_command(args: Namespace) -> int:
    """Find the best of a file and print it; 0 when a point inside all limits was found and the search came to its end, 1 when not.

    Raises DocumentError.
    """
    project, lost = chosen(read(args.file), args.variant)
    if args.aim:
        way = "lowest" if args.lowest else "highest"
        entry = SearchEntry(id="asked", aim=args.aim, way=way, against=args.against)
    else:
        entry = project.search(args.search) if args.search else next(iter(project.searches), SearchEntry(id="asked"))
    if entry is None:
        raise DocumentError(f"{args.file} has no search {args.search}.")
    quick()
    try:
        found = answered(ready_plan(project), entry, most=args.solves)
    except ScanError as error:
        print(json.dumps({"error": str(error)}, ensure_ascii=False)) if args.json else print(error, file=sys.stderr)
        return NOT_SOLVED
    print(json.dumps(finite(found), indent=1, allow_nan=False) if args.json else best_text(project, found))
    there = found["points"] if found["kind"] == "trade-off" else found["values"]
    return SOLVED if there and not found["ended"] and not lost else NOT_SOLVED


def fit_command(args: Namespace) -> int:
    """Fit the rate laws of a file to its measurements and print what was found; 0 when every number is determined, 1 when not.

    Raises DocumentError.
    """
    project, lost = chosen(read(args.file), args.variant)
    entry = project.fit(args.fit) if args.fit else next(iter(project.fits), None)
    if entry is None:
        raise DocumentError(f"{args.file} has no fit{f' {args.fit}' if args.fit else ': ask one on the page “Measured” first'}.")
    quick()
    found = study(project, entry)
    print(json.dumps(finite(found.to_dict()), indent=1, allow_nan=False) if args.json else fit_text(found))
    if found.answer.trouble or lost:
        return NOT_SOLVED
    if args.use:
        use(project, entry, found.answer)
        args.use.write_text(project.to_json(), encoding="utf-8")
    return SOLVED if all(n.text != "not determined" for n in found.answer.numbers) else NOT_SOLVED


def region_command(args: Namespace) -> int:
    """Find what can be had at all and print it; 0 when found, 1 when something stands in its way. Raises DocumentError."""
    project, lost = chosen(read(args.file), args.variant)
    asked = {"stream": args.stream, "set": args.set, "temperature": args.temperature, "up_to": args.up_to}
    entry = (project.region or RegionEntry()).model_copy(update={k: v for k, v in asked.items() if v})
    quick()
    try:
        found = attain(project, solve(project), entry)
    except (RegionTrouble, QuantityError) as error:
        print(error)
        return NOT_SOLVED
    print(json.dumps(finite(found.to_dict()), indent=1, allow_nan=False) if args.json else "\n".join(told(found, project.display)))
    return NOT_SOLVED if lost else SOLVED


def fit_text(found: Study) -> str:
    """A Study as text."""
    answer = found.answer
    if answer.trouble:
        return answer.trouble
    lines = [f"{n.symbol:24} {n.text}" for n in answer.numbers]
    lines += ["", f"k at {answer.T - 273.15:.6g} °C; intervals hold 95 % by the profile.", *answer.said]
    lines += [
        f"{r.name:24} AICc {r.aicc:8.2f}  odds {100.0 * r.odds:5.1f} %" if not r.trouble else f"{r.name}: {r.trouble}" for r in found.rivals
    ]
    lines += [found.told] if found.told else []
    lines += [f"To tell the laws apart: {found.parts.words}; {found.parts.why}."] if found.parts is not None else []
    lines += [f"To know the numbers better: {found.narrows.words} {found.narrows.why}."] if found.narrows is not None else []
    return "\n".join(lines)


def check_command(args: Namespace) -> int:
    """Print the to-do lines of a file; 0 where `solve` has something to begin with, 1 when it has not."""
    project, lost = chosen(read(args.file), args.variant)
    messages = check(project)
    for m in messages:
        print(f"{m.level}: {m.where}: {m.what} {m.todo}".rstrip())
    if not messages:
        print("Nothing to do.")
    return NOT_SOLVED if lost or not project.units or any(m.level == "error" for m in messages) else SOLVED


def addresses_command(args: Namespace) -> int:
    """Print the addresses of a file's inputs and results."""
    project, _ = chosen(read(args.file), args.variant)
    rows = [("input", a.address, a.dimension, a.label) for a in addresses(project).values()]
    rows += [("result", r.address, r.dimension, r.label) for r in readable(project).values()]
    words = [w.lower() for w in args.words]
    for kind, address, dimension, label in rows:
        line = f"{kind:6}  {address:40}  {dimension:20}  {label}"
        if all(w in line.lower() for w in words):
            print(line)
    return SOLVED


def quick() -> making.Progress:
    """Have the machine code made that long work needs, and say on standard error how far it is."""
    told = sys.stderr.isatty()

    def say(now: Any) -> None:
        if told and not now.trouble:
            print(f"\rCompiling the kernels, once after each install: {now.made} of {now.wanted}", end="", file=sys.stderr, flush=True)

    if not told and not making.progress().done:
        print("Compiling the kernels, once after each install …", file=sys.stderr)
    now = making.make_all(say)
    if told and not now.trouble:
        print("\r" + " " * 60, end="\r", file=sys.stderr, flush=True)
    if now.trouble:
        print(f"{now.trouble[:1].upper()}{now.trouble[1:]} Going on with kernels that are not compiled, which is slow.", file=sys.stderr)
    return now


def compile_command(args: Namespace) -> int:
    """Make the machine code of all kernels; 0 when all of it is there."""
    now = quick()
    if now.done:
        print(f"All {now.wanted} kernels are compiled, in {store.folder()}.")
    return SOLVED if now.done else NOT_SOLVED


def schema_command(args: Namespace) -> int:
    """Print the JSON Schema of the project file."""
    print(json.dumps(schema(), indent=1, ensure_ascii=False))
    return SOLVED

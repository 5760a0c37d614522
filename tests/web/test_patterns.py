"""No pattern of the code takes time that grows out of hand with what is typed or pasted."""

import subprocess
import sys
import textwrap

# Patterns that only ever see so many characters.
SHORT = {
    "gulch.engine.pasted.tables._UNIT": 120,
    "gulch.engine.project.measured.UNIT": 120,
    "gulch.engine.chemistry.equations._ARROWS": 400,
    "gulch.engine.quantities._PAIR": 400,
    "gulch.engine.species.nasa._NINE": 4000,
    "gulch.engine.species.nasa._NUMBER": 4000,
    "gulch.engine.formulas._LITERAL": 600,
    "gulch.engine.unit_names._TOKEN": 400,
} | {f"gulch.web.projects.finding.{name}": 200 for name in ("SETS", "WATCHES", "TURNS", "APPENDS", "WHY", "PINS", "RUNS")}

FEED = """
import importlib, os, pkgutil, re, resource, sys
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gulch.web.settings")
import django
django.setup()
import gulch
short = eval(sys.argv[1])
names = [m.name for m in pkgutil.walk_packages(gulch.__path__, "gulch.") if ".migrations" not in m.name and not m.name.endswith("wsgi")]
patterns = {}
for name in names:
    module = importlib.import_module(name)
    patterns |= {f"{name}.{k}": v for k, v in vars(module).items() if isinstance(v, re.Pattern)}
assert len(patterns) > 20 and set(short) <= set(patterns), set(short) - set(patterns)
resource.setrlimit(resource.RLIMIT_CPU, (int(resource.getrusage(resource.RUSAGE_SELF).ru_utime) + 60,) * 2)
units = [" ", "\\t", " -", "- ", "a ", " a", "a, ", "((", "[", "1,", "1.", "1 ", "+ ", "/a", "a/", "0", ".", "a.b", "'", "="]
units += [" to ", "7 ", "e+", "·", "kg/"]
for name, pattern in sorted(patterns.items()):
    size = short.get(name, 20_000)
    print(name, flush=True)
    for a in units:
        for text in ("a" + a * size + "x", a * size, "1" + a * (size // 2) + " " * (size // 2) + "~"):
            text = text[:size]
            pattern.search(text), pattern.match(text), pattern.fullmatch(text), pattern.split(text)
"""


def test_no_pattern_takes_long_over_blanks_and_marks(tmp_path):
    """Within a minute of CPU for all; one that does not is named last."""
    done = subprocess.run(
        [sys.executable, "-c", textwrap.dedent(FEED), repr(SHORT)],
        capture_output=True,
        text=True,
        env={"GULCH_HOME": str(tmp_path), "PATH": "/usr/bin:/bin"},
    )
    assert done.returncode == 0, f"stopped in {done.stdout.splitlines()[-1:]}: {done.stderr[-400:]}"

"""Imported by the process that workers are forked from, for its effect: everything loaded, machine code where it lies ready.

A fresh worker is then there within milliseconds, so one that hangs can simply be killed. What prints reports is loaded too: it is large.
Where machine code is still being made the workers take it as it comes.
What is loaded stays: looking through it for garbage, again and again, would take a third of a warm solve.
"""

import contextlib
import gc

from gulch.demo import projects
from gulch.engine.compiling import taking
from gulch.engine.explain import solve

if taking.take_all():
    with contextlib.suppress(Exception):  # whatever is wrong, workers can still be made and will say it
        for project in projects():
            solve(project)
with contextlib.suppress(ImportError, OSError):  # where its libraries are missing, whoever wants a PDF is told
    import weasyprint  # noqa: F401
gc.collect()
gc.freeze()
gc.set_threshold(50_000)

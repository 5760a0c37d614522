"""The computation: nothing here knows of the web.

The front door for scripts; each name is loaded when it is first used:

>>> from gulch import engine
>>> project = engine.loads('{"format": "gulch-project", "version": 1, "name": "Empty"}')
>>> engine.solve(project).solved
False

`load`, `loads` read a project; `solve` solves it; `Plan` prepares it for many solves with other inputs; `run_scan`, `scan_on`
scan it, here or on worker processes; `best` and `trade_off` search (with `Aim`); `answered` answers a search of the document;
`swings` and `sure` say what matters and how sure figures are.
"""

from importlib import import_module
from typing import Any

_DOORS = {
    "load": "document",
    "loads": "document",
    "solve": "explain",
    "Plan": "explain",
    "run_scan": "scans",
    "answered": "scans",
    "Aim": "scans",
    "swings": "scans.swings",
    "sure": "scans.sure",
    "best": "scans.best",
    "trade_off": "scans.tradeoff",
    "scan_on": "work.scanning",
    "Workers": "work",
}
__all__ = list(_DOORS)


def __getattr__(name: str) -> Any:
    """A name of the front door. Raises AttributeError for another one."""
    if name not in _DOORS:
        raise AttributeError(f"gulch.engine has no {name}: its front door offers {', '.join(_DOORS)}.")
    return getattr(import_module(f"gulch.engine.{_DOORS[name]}"), name)

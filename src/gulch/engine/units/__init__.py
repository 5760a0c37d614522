"""Unit kinds. Every module beside this one, and in `reactors`, that defines a kind is found here."""

from __future__ import annotations

import importlib
import pkgutil

from gulch.engine import reactors
from gulch.engine.declared.base import FAMILIES, Unit


def _discover() -> dict[str, type[Unit]]:
    kinds = {}
    for module in (*pkgutil.walk_packages(__path__, __name__ + "."), *pkgutil.walk_packages(reactors.__path__, reactors.__name__ + ".")):
        loaded = importlib.import_module(module.name)
        for value in vars(loaded).values():
            if isinstance(value, type) and issubclass(value, Unit) and value.kind:
                kinds[value.kind] = value
    return dict(sorted(kinds.items(), key=lambda kv: (FAMILIES.index(kv[1].family), kv[0])))


KINDS = _discover()

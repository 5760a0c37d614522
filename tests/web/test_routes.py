"""Every address of the application, asked with seeded random parts, queries and forms: an answer each time, never a fault."""

import os
import random
import time
from itertools import count

import pytest

from gulch.engine.species import find
from gulch.web.projects import actions
from gulch.web.projects.views import STAGES
from gulch.web.urls import urlpatterns

LEFT_OUT = {"sign-out", "remove", "load-demo", "password"}  # which end what the other requests need
SECONDS = 2.0  # that no request may take when script/fuzz throws many
WORDS = ["", "R1", "feed", "S1", "knob:drum_T", "gauge:made", "why:product.flow.ethanol", "species:ethanol", "0", "-1", "1e999", "a" * 3000]
WORDS += ["%00", "<script>", "../..", "\x07", "½", "🙂", "None", "null", "[]", "{}", "true", "50 °C", "36 foo", "product.flow.ethanol"]
KEYS = ["select", "q", "shade", "value", "id", "address", "stage", "of", "page", "order", "from", "to", "name", "kind", "position", "text"]


def routes():
    """[(name, route, {part: converter})] of everything but the interface for programs, which has tests of its own."""
    for pattern in urlpatterns:
        if getattr(pattern, "name", None) and pattern.name not in LEFT_OUT:
            yield pattern.name, str(pattern.pattern), pattern.pattern.converters


def part(pick, name, converter, row):
    """One part of an address: mostly of something that is there."""
    if name == "pk":
        return str(pick.choice([row.pk] * 8 + [99_999]))
    if type(converter).__name__ == "IntConverter":
        return str(pick.choice([1, 2, 7, row.version, 10**9]))
    known = {"stage": list(STAGES), "kind": ["csv", "xlsx", "html"], "unit": ["R1", "K1"], "of": ["names", "commands"]}
    return pick.choice([*known.get(name, ["R1", "units", "set", "formulas"]), "zz"])


def asked(pick, row):
    """(method, address, data) of one request."""
    name, route, converters = pick.choice(sorted(routes(), key=lambda r: r[0]))
    for key, converter in converters.items():
        text = part(pick, key, converter, row)
        route = route.replace(f"<{'int' if type(converter).__name__ == 'IntConverter' else 'slug'}:{key}>", text)
    data = {pick.choice(KEYS): pick.choice(WORDS) for _ in range(pick.randint(0, 4))}
    return pick.choice(["get", "get", "post"]), f"/{route}", data


@pytest.mark.django_db
def test_no_address_ends_in_a_fault(client, row):
    find("water")  # as a server does before it answers
    pick, client.raise_request_exception = random.Random(7), False
    many, slow, seen = int(os.environ.get("GULCH_FUZZ", "250")), [], set()
    for number in count():
        if number == many:
            break
        method, address, data = asked(pick, row)
        headers = {"HX-Request": "true"} if pick.random() < 0.5 else {}
        began = time.monotonic()
        response = getattr(client, method)(address, data, headers=headers)
        took = time.monotonic() - began
        seen.add(response.status_code)
        assert response.status_code < 500, (method, address, data)
        if took > SECONDS:
            slow.append((round(took, 1), method, address, data))
        if not type(row).objects.filter(pk=row.pk).exists():
            row = actions.create_project(row.owner, row.current.read, "again")
        row.refresh_from_db()
    assert {200, 404} <= seen
    assert "GULCH_FUZZ" not in os.environ or not slow, slow

"""A seeded monkey at the keyboard: whatever it does, no script fails, and what a page shows is what a reload shows."""

import os
import random

import pytest
from helpers import document

from gulch.demo import projects
from gulch.web.projects.actions import create_project

MANY = int(os.environ.get("GULCH_MONKEY", "24"))
EVERY = 6  # actions between two reloads
VALUES = ["60 °C", "5", "0.1", "7 %", "2 bar", "130 F", "36 foo", "", "1e3", "-4", "250 degC", "0", "100 kmol/h"]
SHOWN = """() => ({
  strip: [...document.querySelectorAll("#strip input")].map((n) => n.id + "=" + n.value),
  gauges: [...document.querySelectorAll("#strip .gauge .value")].map((n) => n.textContent.trim()),
  fields: [...document.querySelectorAll("#inspector .field input[name=value], #inspector .field select")].map((n) => n.id + "=" + n.value),
  ledger: document.querySelector(".ledger-table")?.textContent.replace(/\\s+/g, " ") ?? "",
  todo: document.querySelector("#todo")?.textContent.replace(/\\s+/g, " ") ?? "",
})"""
READY = """() => document.readyState === "complete" && !document.querySelector(".htmx-request, #solving")
  && document.getElementById("busy").hidden"""


def ready(page):
    page.wait_for_function(READY, timeout=60_000)


def fields(page):
    return page.locator("#strip :not([inert]) > input.value:not([readonly]), #inspector .field input[name=value]:not([readonly])")


def typed(page, pick):
    """Type into some field, and leave it one way or another."""
    found = fields(page)
    if not found.count():
        return
    field = found.nth(pick.randrange(found.count()))
    field.fill(pick.choice(VALUES))
    field.press(pick.choice(["Enter", "Tab", "Tab"]))


def pressed(selector):
    def act(page, pick):
        found = page.locator(selector)
        if found.count():
            found.nth(pick.randrange(found.count())).click(timeout=5_000, force=True)

    return act


def key(name):
    return lambda page, pick: page.keyboard.press(name)


def slid(page, pick):
    found = page.locator(".slider")
    if found.count():
        found.nth(pick.randrange(found.count())).focus()
        page.keyboard.press(pick.choice(["ArrowRight", "ArrowLeft", "PageUp"]))


def chosen(page, pick):
    found = page.locator("#inspector .field select")
    if found.count():
        select = found.nth(pick.randrange(found.count()))
        options = select.evaluate("n => [...n.options].map(o => o.value)")
        select.select_option(pick.choice(options))


ACTS = [typed] * 6 + [slid] * 2 + [chosen] * 2
ACTS += [pressed(s) for s in ("a[id^=rail-]", "#ledger tbody a", ".ledger-table tbody a", "#todo a", "#strip a.name", "#inspector .pin")]
ACTS += [key(k) for k in ("Control+z", "Control+y", "Escape", "Alt+3", "Alt+5", "m", "i", "Tab", "ArrowRight", "Enter")]


@pytest.mark.parametrize("of", ["ethanol", "styrene", "empty"])
def test_a_monkey_breaks_nothing(page, user, of):
    """Faults of scripts and answers of 500 fail the page's own fixture."""
    pick = random.Random(of)
    project = document({"water": "7732-18-5"}, [], []) if of == "empty" else next(p for p in projects() if of in p.name)
    row = create_project(user, project, of)
    page.goto(f"/p/{row.pk}/process/")
    done: list[str] = []
    for number in range(1, MANY + 1):
        ready(page)
        act = pick.choice(ACTS)
        done.append(getattr(act, "__qualname__", ""))
        act(page, pick)
        if number % EVERY:
            continue
        ready(page)
        page.evaluate("document.activeElement.blur()")
        page.wait_for_timeout(50)
        ready(page)
        before = page.evaluate(SHOWN)
        page.reload()
        ready(page)
        assert page.evaluate(SHOWN) == before, (done[-EVERY:], page.url)
    row.refresh_from_db()
    assert of == "empty" or row.version > 1  # it did something

"""From a key press in the browser until the map stands again with its new figures, on plants of 5, 16, 30 and 60 units.

Run by `script/bench edit`: the server is a process of its own, a headless Chromium types into a field and leaves it.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

PORT, TIMES = 8791, 9
SIZES = tuple(int(n) for n in sys.argv[1:]) or (5, 16, 30, 60)
HOME = Path(tempfile.mkdtemp(prefix="gulch-edit-"))
os.environ |= {"GULCH_HOME": str(HOME), "DJANGO_SETTINGS_MODULE": "gulch.web.settings", "DJANGO_ALLOW_ASYNC_UNSAFE": "1"}
ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests")]

WATCH = """() => {
  window.marks = [];
  const mark = (name) => window.marks.push([name, performance.now()]);
  document.addEventListener('keydown', (e) => { if (e.key === 'Tab' || e.key === 'Enter') mark('key'); }, true);
  document.addEventListener('click', () => mark('key'), true);
  for (const n of ['htmx:beforeRequest', 'htmx:beforeSwap', 'htmx:afterSwap']) document.addEventListener(n, () => mark(n));
  new MutationObserver(() => mark('drawn')).observe(document.querySelector('#map-canvas'), { childList: true });
}"""
AT_REST = "() => [window.marks.length, document.querySelectorAll('.solving, .htmx-request').length]"


def set_up():
    """(session key, {units: project}) of a user with a plant of each size, unsolved."""
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.contrib.auth.hashers import make_password
    from django.contrib.sessions.backends.db import SessionStore
    from django.core.management import call_command
    from helpers import plant

    from gulch.web.projects.actions import add_revision
    from gulch.web.projects.models import Project

    call_command("migrate", verbosity=0)
    user = get_user_model().objects.create(username="bench", password=make_password(None))
    rows = {}
    for size in SIZES:
        rows[size] = Project.objects.create(owner=user, name=f"{size} units")
        add_revision(rows[size], plant(size), "bench")
    store = SessionStore()
    store["_auth_user_id"], store["_auth_user_backend"] = str(user.pk), "django.contrib.auth.backends.ModelBackend"
    store["_auth_user_hash"] = user.get_session_auth_hash()
    store.create()
    return store.session_key, {size: row.pk for size, row in rows.items()}


def serve():
    """The server's process, once it answers."""
    server = subprocess.Popen(
        [sys.executable, "-m", "gulch.main", "serve", "--port", str(PORT)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    for _ in range(1200):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{PORT}/", timeout=5)
            return server
        except OSError:
            time.sleep(0.5)
    raise SystemExit("The server did not start.")


def settled(page):
    """The marks of an edit once its map has been drawn and nothing is under way."""
    seen = -1
    for _ in range(400):
        page.wait_for_timeout(100)
        count, busy = page.evaluate(AT_REST)
        if count and not busy and count == seen and page.evaluate("() => window.marks.at(-1)[0] === 'drawn'"):
            return page.evaluate("() => window.marks")
        seen = count
    raise SystemExit("An edit was not drawn within 40 s.")


def spans(marks):
    """(from key to request, to the answer, to the swapped page, to the last drawing), ms, each from the one before."""
    first = {}
    for name, at in marks:
        first.setdefault(name, at)
    drawn = [at for name, at in marks if name == "drawn"][-1]
    at = [first["key"], first["htmx:beforeRequest"], first["htmx:beforeSwap"], first["htmx:afterSwap"], drawn]
    return [b - a for a, b in zip(at, at[1:], strict=False)]


def edit(page, unit, text):
    """The spans of typing a unit's temperature into its field and leaving it."""
    field = f"[id='f-{unit}.temperature']"
    page.fill(field, text)
    page.evaluate("() => { window.marks.length = 0; }")
    page.press(field, "Tab")
    return spans(settled(page))


def append(page):
    """The spans of growing the process by a heater at its end."""
    page.evaluate("() => { window.marks.length = 0; }")
    page.click("#append-heater")
    return spans(settled(page))


def say(what, runs):
    total = [sum(r) for r in runs]
    parts = [statistics.median(column) for column in zip(*runs, strict=True)]
    words = ", ".join(f"{n} {p:.0f}" for n, p in zip(("asked", "answered", "swapped", "drawn"), parts, strict=True))
    print(f"{what:42} {min(total):6.0f} least {statistics.median(total):6.0f} median {max(total):6.0f} most ms   ({words})", flush=True)


def main():
    from playwright.sync_api import sync_playwright

    session, projects = set_up()
    server = serve()
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking"]
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
            context = browser.new_context(base_url=f"http://127.0.0.1:{PORT}", viewport={"width": 1280, "height": 800})
            context.add_cookies([{"name": "gulch_session", "value": session, "url": f"http://127.0.0.1:{PORT}"}])
            page = context.new_page()
            for size, pk in projects.items():
                unit = "COOL_1" if size >= 7 else "COOLER_2"
                page.goto(f"/p/{pk}/process/?select={unit}")
                page.wait_for_selector("#map-canvas svg")
                page.wait_for_selector("#workspace:not(.solving)")
                page.evaluate(WATCH)
                runs = [edit(page, unit, f"{31 + n} degC") for n in range(TIMES + 2)][2:]
                say(f"{size} units: a temperature", runs)
                page.goto(f"/p/{pk}/process/?select=product")
                page.wait_for_selector("#map-canvas svg")
                page.evaluate(WATCH)
                runs = []
                for _ in range(4):
                    runs.append(append(page))
                    page.goto(f"/p/{pk}/process/?select=product")
                    page.wait_for_selector("#map-canvas svg")
                    page.evaluate(WATCH)
                say(f"{size} units: a heater more", runs[1:])
            browser.close()
    finally:
        server.terminate()


if __name__ == "__main__":
    main()

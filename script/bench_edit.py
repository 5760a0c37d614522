"""From a key press in the browser until the map is painted with its new figures, on plants of 5, 16, 30 and 60 units.

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

PORT, TIMES, MORE = 8791, 30, 10
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
  const painted = new MessageChannel();
  painted.port1.onmessage = () => mark('painted');
  const drawn = () => { mark('drawn'); requestAnimationFrame(() => painted.port2.postMessage(0)); };
  new MutationObserver(drawn).observe(document.querySelector('#map-canvas'), { childList: true });
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
        if count and not busy and count == seen and page.evaluate("() => window.marks.at(-1)[0] === 'painted'"):
            return page.evaluate("() => window.marks")
        seen = count
    raise SystemExit("An edit was not drawn within 40 s.")


def spans(marks):
    """(from key to request, to the answer, to the swapped page, to the last drawing, to its frame), ms, each from the one before."""
    first = {}
    for name, at in marks:
        first.setdefault(name, at)
    last = dict(marks)
    at = [first["key"], first["htmx:beforeRequest"], first["htmx:beforeSwap"], first["htmx:afterSwap"], last["drawn"], last["painted"]]
    return [b - a for a, b in zip(at, at[1:], strict=False)]


def speed():
    """How long a fixed sum takes now [s]: the clocks of small machines come and go by the second."""
    least = 9.0
    for _ in range(8):
        began, total = time.perf_counter(), 0
        for i in range(100_000):
            total += i * i
        least = min(least, time.perf_counter() - began)
    return least


def at_speed(do, times):
    """[(spans, slowness)] of something done so often; slowness: of the machine before or after, whichever was slower."""
    runs = []
    for n in range(times):
        before = speed()
        found = do(n)
        runs.append((found, max(before, speed())))
    return runs


def edit(page, unit, text):
    """The spans of typing a unit's temperature into its field and leaving it."""
    field = f"[id='f-{unit}.temperature']"
    page.fill(field, text)
    page.evaluate("() => { window.marks.length = 0; }")
    page.press(field, "Tab")
    return spans(settled(page))


def grow(page, pk):
    """The spans of growing the process by a heater at its end."""
    end = page.evaluate("() => [...document.querySelectorAll('.plus')].map((p) => p.dataset.id.slice(1)).findLast((s) => !/purge/.test(s))")
    page.evaluate("(s) => document.querySelector(`#ledger a[href*='select=${s}'], .ledger-table a[href*='select=${s}']`).click()", end)
    page.wait_for_selector("#append-heater")
    page.wait_for_timeout(300)
    page.evaluate("() => { window.marks.length = 0; }")
    page.click("#append-heater")
    return spans(settled(page))


def say(what, runs):
    """Print the runs at the machine's full speed apart from all of them."""
    least = min(slowness for _, slowness in runs)
    fast = [r for r, slowness in runs if slowness < 1.2 * least]
    parts = [statistics.median(column) for column in zip(*fast, strict=True)]
    words = ", ".join(f"{n} {p:.0f}" for n, p in zip(("asked", "answered", "swapped", "drawn", "painted"), parts, strict=True))
    drawn, painted = (statistics.median(sum(r[:n]) for r in fast) for n in (4, 5))
    slow = statistics.median(sum(r[:4]) for r, _ in runs)
    print(f"{what:26} drawn {drawn:4.0f} ms, painted {painted:4.0f} ms ({words})", flush=True)
    print(f"{'':26} {len(fast)} of {len(runs)} runs at {1e3 * least:.1f} ms a fixed sum; of all runs drawn {slow:.0f} ms", flush=True)


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
                runs = at_speed(lambda n: edit(page, unit, f"{31 + n} degC"), TIMES + 2)[2:]  # noqa: B023
                say(f"{size} units: a temperature", runs)
                say(f"{size} units: a heater more", at_speed(lambda _: grow(page, pk), MORE)[1:])  # noqa: B023
            browser.close()
    finally:
        server.terminate()


if __name__ == "__main__":
    main()

"""A server under load: users who edit, scans and a hard solve going on. Prints times of answers, errors, lost edits.

Run by `script/bench load`; the server is a process of its own, the users are threads of this one.
"""

import http.client
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

USERS, SECONDS, PORT = 50, 60.0, 8790
RATES = (("half rate", 2.0), ("full rate", 1.0))  # s between two edits of a user
HOME = Path(tempfile.mkdtemp(prefix="gulch-load-"))
os.environ |= {"GULCH_HOME": str(HOME), "DJANGO_SETTINGS_MODULE": "gulch.web.settings"}
sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from bench_work import NOMINAL, fixed_loop  # noqa: E402


class User:
    """A signed-in user with a project of their own and an open page of it."""

    def __init__(self, session, project):
        self.session, self.project, self.version = session, project, None
        self.times, self.faults, self.kept, self.solving = [], [], 0, 0
        self.pace, self.figures, self.owed = (
            0.7,
            [],
            [],
        )  # s until figures were shown; when edits without any were made
        self.line = http.client.HTTPConnection("127.0.0.1", PORT, timeout=120)

    def ask(self, method, path, body=None):
        """(status, seconds, text) of one request."""
        token = "a" * 32
        headers = {
            "Cookie": f"gulch_session={self.session}; gulch_csrf={token}",
            "X-CSRFToken": token,
            "HX-Request": "true",
            "Content-Type": "application/x-www-form-urlencoded",
        }
        began = time.perf_counter()
        try:
            self.line.request(method, path, body, headers)
            answer = self.line.getresponse()
            text = answer.read().decode(errors="replace")
        except OSError as error:
            self.line.close()
            self.faults.append(repr(error))
            return 0, time.perf_counter() - began, ""
        if answer.status >= 400:
            self.faults.append(f"{answer.status} at {path}: {text[:80]}")
        if version := answer.getheader("X-Gulch-Version"):
            self.version = version
        return answer.status, time.perf_counter() - began, text

    def edit(self, address, value, client="load"):
        status, seconds, text = self.ask(
            "POST",
            f"/p/{self.project}/do/set/",
            f"address={address}&value={value}&version={self.version}&client={client}&stage=process&select=SPLIT",
        )
        self.times.append(seconds)
        self.kept += status == 200
        self.owed.append(time.monotonic() - seconds)
        late = 'id="solving"' in text
        self.heed(text)
        self.solving += late
        if not late:
            self.shown()
        return text

    def heed(self, text):
        """Take the pace at which an open page is told to ask again."""
        pace = re.search(r'id="solving-next"[^>]*delay:(\d+)ms', text)
        self.pace = int(pace[1]) / 1000 if pace else 0.7

    def shown(self):
        """The newest figures stand: those of all edits that waited."""
        now = time.monotonic()
        self.figures += [now - at for at in self.owed]
        self.owed = []

    def await_figures(self, until):
        """Ask as an open page does, as often as it was told to, until figures are there or the user edits again."""
        while self.owed and time.monotonic() < until:
            time.sleep(min(self.pace, max(0.0, until - time.monotonic())))
            if time.monotonic() >= until:
                return
            text = self.ask("GET", f"/p/{self.project}/progress/process/")[2]
            self.heed(text)
            if "<b>Solving</b>" not in text:
                if 'id="solving"' not in self.look()[1]:
                    self.shown()

    def look(self):
        status, seconds, text = self.ask("GET", f"/p/{self.project}/process/")
        return seconds, text


def set_up():
    """Users and projects in a database of their own; returns Users and one more with a scan and a hard case."""
    import django

    django.setup()
    from django.contrib.auth import get_user_model
    from django.contrib.auth.hashers import make_password
    from django.contrib.sessions.backends.db import SessionStore
    from django.core.management import call_command

    from gulch.demo import figures, projects
    from gulch.web.projects.actions import create_project

    call_command("migrate", verbosity=0)
    out = []
    for k in range(USERS + 1):
        user = get_user_model().objects.create(username=f"user{k}", password=make_password(None))
        row = create_project(user, document := projects()[0], "load", figures(document))
        store = SessionStore()
        store["_auth_user_id"], store["_auth_user_backend"] = str(user.pk), "django.contrib.auth.backends.ModelBackend"
        store["_auth_user_hash"] = user.get_session_auth_hash()
        store.create()
        out.append(User(store.session_key, row.pk))
    return out


def hard_project(owner_of):
    """A process that solves for long: direct passes of a loop that hardly loses anything, on many flashes."""
    from gulch.demo import projects
    from gulch.web.projects.actions import add_revision
    from gulch.web.projects.models import Project

    document = projects()[4]
    document.closing.method, document.closing.max_passes = "direct", 5000
    document.unit("SPLIT").drawn = "0.01 %"
    owner = Project.objects.get(pk=owner_of.project).owner
    row = Project.objects.create(owner=owner, name="hard")
    add_revision(row, document, "hard")  # the server solves it when its page is asked for
    return row.pk


def percentile(values, share):
    return sorted(values)[min(len(values) - 1, int(share * len(values)))] if values else float("nan")


def report(title, users, pages):
    times, figures = ([t for u in users for t in getattr(u, of)] for of in ("times", "figures"))
    faults = [f for u in users for f in u.faults]
    late = sum(u.solving for u in users)
    print(
        f"{title}: {len(times)} edits, acknowledged p50 {percentile(times, 0.5):.2f} s, p95 {percentile(times, 0.95):.2f} s; "
        f"figures p50 {percentile(figures, 0.5):.2f} s, p95 {percentile(figures, 0.95):.2f} s, {len(times) - len(figures)} without; "
        f"{late} answered “solving”; pages p95 {percentile(pages, 0.95):.2f} s; errors {len(faults)} {faults[:2]}",
        flush=True,
    )
    for u in users:
        u.times, u.faults, u.solving, u.figures, u.owed = [], [], 0, [], []


def crowd(users, every, seconds):
    """All users edit, one edit in so many seconds each, while one looks at a page now and then."""
    stop, pages = time.monotonic() + seconds, []

    def work(k, user):
        time.sleep(every * k / len(users))
        number = 0
        while time.monotonic() < stop:
            began = time.monotonic()
            number += 1
            user.edit("SPLIT.drawn", f"{5 + (7 * number + k) % 40 / 10}%20%25")
            user.await_figures(began + every)
            time.sleep(max(0.0, every - (time.monotonic() - began)))
        user.await_figures(stop + 10.0)

    def look(user):
        while time.monotonic() < stop:
            pages.append(user.look()[0])
            time.sleep(0.5)

    threads = [threading.Thread(target=work, args=(k, u)) for k, u in enumerate(users[:-1])]
    threads.append(threading.Thread(target=look, args=(users[-1],)))
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return pages


def memory(server):
    """Resident memory of the server and its workers [MB], shared pages counted once."""
    tree, found = [server.pid], []
    while tree:
        pid = tree.pop()
        found.append(pid)
        children = Path(f"/proc/{pid}/task/{pid}/children")
        tree += [int(c) for c in children.read_text().split()] if children.exists() else []
    total = 0
    for pid in found:
        text = Path(f"/proc/{pid}/smaps_rollup").read_text()
        total += int(re.search(r"Pss:\s+(\d+)", text)[1]) / 1024
    return total


def scans(user):
    """Start two scans of 100 points."""
    for name in ("scan1", "scan2"):
        if name == "scan2":
            user.ask("POST", f"/p/{user.project}/do/scan-add/", f"version={user.version}&client=load")
        user.ask("POST", f"/p/{user.project}/do/scan-edit/", f"id={name}&points=100&version={user.version}&client=load")
        user.ask("POST", f"/p/{user.project}/scan-run/", f"id={name}")


def main():
    users = set_up()
    hard = hard_project(users[-1])
    log = (HOME / "log").open("w")
    server = subprocess.Popen(
        [sys.executable, "-c", "from gulch.main import main; main()", "serve", "--port", str(PORT)], stdout=subprocess.DEVNULL, stderr=log
    )
    try:
        for _ in range(600):
            time.sleep(0.2)
            try:
                http.client.HTTPConnection("127.0.0.1", PORT, timeout=5).request("GET", "/sign-in/")
                break
            except OSError:
                continue
        for user in users:
            user.look()
        time.sleep(10.0)
        for title, every in RATES:
            slow = fixed_loop() / NOMINAL  # a slower machine is given fewer edits a second
            users[-1].look()
            scans(users[-1])
            pages = crowd(users, slow * every, SECONDS)
            time.sleep(5.0)
            after = fixed_loop() / NOMINAL
            report(
                f"{USERS} users, two scans, {title} for a machine {slow:.2f} to {after:.2f} × slower than nominal "
                f"({USERS / (slow * every):.1f} edits a second)",
                users[:-1],
                pages,
            )
        worker = User(users[-1].session, hard)
        worker.look()
        pages = []
        until = time.monotonic() + 15.0
        while time.monotonic() < until:
            pages.append(users[0].look()[0])
            users[0].edit("SPLIT.drawn", f"{5 + len(pages) % 30 / 10}%20%25")
            time.sleep(0.3)
        under_way = 'id="solving"' in worker.look()[1]
        report(f"beside a hard solve ({'still going on' if under_way else 'which ended'})", users[:1], pages)
        print(f"memory of server and workers: {memory(server):.0f} MB")
    finally:
        server.terminate()
        server.wait(20)
    from gulch.web.projects.models import Project, Revision

    for user in users[:-1]:
        last = Project.objects.get(pk=user.project).current.number
        if last < user.kept - 3:  # values that stood already make no revision
            print(f"project {user.project}: {user.kept} edits acknowledged, {last} revisions")
    size, count = (HOME / "gulch.sqlite3").stat().st_size, Revision.objects.count()
    print(f"database: {size / count / 1000:.1f} kB a revision over {count} revisions; log in {HOME}")


if __name__ == "__main__":
    main()

"""Serving: the loopback demo, and the application with sign-in."""

from __future__ import annotations

import gc
import getpass
import os
import signal
import socket
import sys
import threading
import time
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from _io import TextIOWrapper


SAY_EVERY = 5.0  # s between two words on the making of machine code
SWITCH = 0.001  # s that a thread computes before another may: those that feed workers and store answers are not to wait long
THREADS = 80  # most of them wait for workers, or for their turn, at any time


def say(text: str) -> None:
    print(text, flush=True)


def prepare(collect: Any = False, compress: Any = False) -> None:
    """Django set up, database migrated; with `collect` the static files under hashed names as well, with `compress` compressed."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gulch.web.settings")
    if collect:
        os.environ["GULCH_COLLECTED"] = "1"
    import django

    django.setup()
    migrate(told=collect)
    if collect:
        collect_static(compress)


def migrate(told: Any = True) -> None:
    """Bring the database to the state of this version, unless it says itself that it is there: looking takes a while."""
    import axes
    import django
    from django.conf import settings
    from django.core.management import call_command
    from django.db import connection

    steps = sorted(p.name for p in (settings.HERE / "projects/migrations").glob("*.py"))
    wanted = int(sha256(repr((steps, django.__version__, axes.__version__)).encode()).hexdigest()[:7], 16)
    with connection.cursor() as cursor:
        (found,) = cursor.execute("PRAGMA user_version").fetchone()
    if found == wanted:
        return
    if told and not found:
        say("Making the database …")
    call_command("migrate", verbosity=0, interactive=False)
    with connection.cursor() as cursor:
        cursor.execute(f"PRAGMA user_version = {wanted}")


def collect_static(compress: Any) -> None:
    """Collect the static files, unless those at hand are collected already. On this computer alone nobody gains by their compression."""
    from django.conf import settings
    from django.contrib.staticfiles.storage import staticfiles_storage
    from django.core.management import call_command

    import gulch

    newest = max(p.stat().st_mtime_ns for p in Path(settings.STATICFILES_DIRS[0]).rglob("*") if p.is_file())
    stamp, now = Path(settings.STATIC_ROOT) / "collected", f"{gulch.__version__} {newest} {compress}"
    if not stamp.exists() or stamp.read_text() not in (now, now.replace("False", "True")):
        say(
            "Collecting the files of the pages, and compressing them: half a minute, once …"
            if compress
            else "Collecting the files of the pages …"
        )
        staticfiles_storage.compressed = compress
        call_command("collectstatic", verbosity=0, interactive=False, clear=True)
        stamp.write_text(now)


def only_server() -> TextIOWrapper | None:
    """A file that no other server on this home has locked, kept open while this one lives; None, and who it is, where one has."""
    from django.conf import settings

    path = Path(settings.HOME) / "serving"
    handle = open(path, "a+")  # noqa: SIM115  (kept open)
    try:
        import fcntl

        fcntl.lockf(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)  # of this process, not of the workers it makes
    except ImportError:
        return handle  # a system without such locks
    except OSError:
        handle.seek(0)
        say(f"Another server{f' (process {who})' if (who := handle.read().strip()) else ''} serves {settings.HOME}: stop it first, or let")
        say("GULCH_HOME name another folder.")
        handle.close()
        return None
    handle.truncate(0)
    handle.write(str(os.getpid()))
    handle.flush()
    return handle


def listen(host: str, port: Any, tries: Any = 50) -> socket.socket | None:
    """A bound socket; one of the next ports when the wanted one is taken. Raises OSError where the host is not here."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for candidate in range(port, min(port + tries, 65536)):
        sock = socket.socket(family, socket.SOCK_STREAM)
        if os.name == "posix":
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            sock.bind((host, candidate))
            return sock
        except socket.gaierror:
            sock.close()
            raise
        except OSError as error:
            sock.close()
            if error.errno in (99, 49):  # address not of this machine (Linux, macOS)
                raise
    return None


def run(host: str, port: Any, begin: Any = None, tries: Any = 1) -> int:
    """Serve on an address until stopped; begin: what a thread does once the server is there; tries: ports that may be taken in turn."""
    lock = only_server()
    if lock is None:
        return 1
    try:
        sock = listen(host, port, tries)
    except OSError:
        say(f"{host} is no address of this computer: give one of its own with --host.")
        return 1
    if sock is None:
        taken = f"Port {port} is taken" if tries == 1 else f"No port from {port} to {port + tries - 1} is free"
        say(f"{taken}: give another with --port.")
        return 1
    if sock.getsockname()[1] != port:
        say(f"Port {port} is taken: the next free one is used.")
    import waitress

    from gulch.engine.compiling import taking
    from gulch.engine.species.kept import gather_elsewhere
    from gulch.web.projects import solving
    from gulch.web.scans.jobs import abandon_unfinished
    from gulch.web.wsgi import application

    abandon_unfinished()
    if begin is not None:
        threading.Thread(target=begin, daemon=True, name="beginning").start()
    # neither machine code nor the species index are waited for: pages say where something is still being made or loaded
    taking.stay_plain()  # the server itself hardly computes
    sys.setswitchinterval(SWITCH)
    gather_elsewhere()
    threading.Thread(target=first_worker, daemon=True, name="first-worker").start()
    threading.Thread(target=load, daemon=True, name="loading").start()
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    sock.listen(256)  # before it is said
    shown = f"[{host}]" if ":" in host else host
    say(f"Gulch is ready: http://{shown}:{sock.getsockname()[1]}/  (Ctrl-C stops it)")
    try:
        waitress.serve(
            application,
            sockets=[sock],
            threads=THREADS,
            ident="gulch",
            max_request_body_size=3_000_000,
            channel_timeout=60,
            connection_limit=500,
            **believed(),
        )
    finally:
        solving.close()
        lock.close()
    return 0


def believed() -> dict[str, Any]:
    """What the server takes from a reverse proxy: who asks, and whether by HTTPS. Whoever else says such things is not listened to."""
    from django.conf import settings

    if settings.PROXY is None:
        return {}
    return {"trusted_proxy": settings.PROXY, "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"}}


def first_worker() -> None:
    """Have the first worker made; say how far the making of machine code is while it lasts."""
    from gulch.web.projects import solving

    solving.warm()
    told = 0.0
    while (now := solving.compiling()) is not None:
        if now.trouble or time.monotonic() > told + SAY_EVERY:
            told = time.monotonic()
            say(f"Ready, but {now.slow}.")
        if now.trouble:
            return
        time.sleep(0.5)
    if told:
        say("All kernels are compiled: solves are fast now.")


def load() -> None:
    """Load what the first pages would wait for: the views, the index of species. It stays, so it is never looked through for garbage."""
    from django.urls import get_resolver

    from gulch.engine.species.search import find

    get_resolver().url_patterns  # noqa: B018
    find("water")
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000)


def demo(port: Any) -> Any:
    """Migrate, load the demo with its figures, and serve on the loopback address, signed in as the demo user."""
    os.environ["GULCH_DEMO"] = "1"
    say("Loading …")
    prepare(collect=True)
    from django.contrib.auth import get_user_model

    from gulch.demo import figures, projects
    from gulch.web.projects.actions import create_project
    from gulch.web.projects.models import Project

    user, made = get_user_model().objects.get_or_create(username="demo")
    if made:
        say("Making the demo projects …")
        user.set_unusable_password()
        user.save()
    new = []
    there = set(Project.objects.filter(owner=user).values_list("name", flat=True))
    for document in projects(but=there):
        new.append(create_project(user, document, "Demo project", figures(document)))
    return run("127.0.0.1", port, lambda: answer_scans(new), tries=50)


def answer_scans(rows: Any) -> None:
    """Have the scans of demo projects run, so that they are answered when somebody opens them."""
    from gulch.web.projects import solving
    from gulch.web.scans import jobs

    try:
        for row in rows:
            for scan in (*row.current.worked.searches, *row.current.worked.scans):
                jobs.start(row, scan.id)
    finally:
        solving.leave_thread()


def serve(host: Any, port: Any) -> Any:
    """Serve with accounts; on the loopback address unless another is asked for."""
    say("Loading …")
    prepare(collect=True, compress=True)
    return run(host, port)


def prune(days: int, yes: bool = False) -> int:
    """Say what of more than so many days may go, and remove it where that is asked for."""
    prepare()
    from gulch.web.operating import prune as pruning

    whole = 0
    for words, rows in pruning.spare(days).items():
        count, held = rows.count(), pruning.size(rows)
        whole += held
        say(f"{count:7d} {words}{f', {held / 1e6:.1f} MB' if held else ''}")
        if yes:
            pruning.remove(rows)
    if not yes:
        say(f"About {whole / 1e6:.1f} MB in all. Nothing was removed: add --yes to do it, after a backup.")
        return 0
    lock = only_server()
    if lock is None:
        say("They are removed. The file itself becomes smaller when this is run while no server runs.")
        return 0
    try:
        pruning.shrink()
    finally:
        lock.close()
    say(f"They are removed, and the file is smaller by about {whole / 1e6:.1f} MB.")
    return 0


def close_account(name: str, closed: bool = True) -> int:
    """Close an account, or open it again."""
    prepare()
    from django.contrib.auth import get_user_model

    from gulch.web.projects.accounts import AccountError, set_open

    user = get_user_model().objects.filter(username=name).first()
    if user is None:
        say(f"There is no account {name}.")
        return 1
    try:
        say(set_open(user, not closed))
    except AccountError as error:
        say(str(error))
        return 1
    return 0


def add_user(name: str, admin: Any = False, reset: bool = False) -> int:
    """Create an account, or set a new password for one; asks for the password twice."""
    prepare()
    from django.contrib.auth import get_user_model
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError

    users = get_user_model()
    user = users.objects.filter(username=name).first()
    if user is None and reset:
        say(f"There is no account {name}.")
        return 1
    if user is not None and not reset:
        say(f"There is an account {name} already: give it a new password with --reset.")
        return 1
    try:
        if user is None:
            user = users(username=name, is_superuser=admin, is_staff=admin)
            user.full_clean(exclude=["password"])
        password = getpass.getpass("Password: ")
        if password != getpass.getpass("Once more: "):
            say("The two do not agree: nothing was changed.")
            return 1
        validate_password(password, user)
    except ValidationError as error:
        say(" ".join(error.messages))
        return 1
    except EOFError:
        say("The password is typed at a terminal, and there is none here: nothing was changed.")
        return 1
    user.set_password(password)
    user.save()
    say(f"{name} can sign in now.")
    return 0

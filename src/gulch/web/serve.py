"""Serving: the loopback demo, and the application with sign-in."""

import os
import socket
import threading
import time


def say(text):
    print(text, flush=True)


def prepare():
    """Django set up, database migrated."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gulch.web.settings")
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0, interactive=False)


def warm_up():
    """Compile or load the kernels; says how long it took."""
    say("Loading the compiled kernels (the first start compiles them, which takes a minute or two) …")
    began = time.perf_counter()
    from gulch.demo import projects
    from gulch.engine.flowsheet import solve

    for project in projects():
        solve(project)
    say(f"  ready after {time.perf_counter() - began:.0f} s.")


def listen(host, port):
    """A bound socket; the next free port when the wanted one is taken."""
    for candidate in range(port, port + 50):
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        if os.name == "posix":
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            sock.bind((host, candidate))
            return sock
        except OSError:
            sock.close()
    return None


def run(host, port):
    sock = listen(host, port)
    if sock is None:
        say(f"No free port between {port} and {port + 49}: give another with --port.")
        return 1
    import waitress

    from gulch.web.scans.jobs import abandon_unfinished
    from gulch.web.wsgi import application

    abandon_unfinished()
    from gulch.engine.species.search import find

    # the index takes seconds; only the first search would wait for it
    threading.Thread(target=find, args=("water",), daemon=True, name="species-index").start()
    say(f"Gulch is ready: http://127.0.0.1:{sock.getsockname()[1]}/  (Ctrl-C stops it)")
    sock.listen(128)
    waitress.serve(application, sockets=[sock], threads=6, ident="gulch", max_request_body_size=3_000_000)
    return 0


def demo(port):
    """Migrate, load the demo, warm up and serve on the loopback address, signed in as the demo user."""
    os.environ["GULCH_DEMO"] = "1"
    say("Preparing the database …")
    prepare()
    from django.contrib.auth import get_user_model

    from gulch.demo import projects
    from gulch.web.projects.actions import create_project
    from gulch.web.projects.models import Project

    user, made = get_user_model().objects.get_or_create(username="demo")
    if made:
        user.set_unusable_password()
        user.save()
    warm_up()
    for document in projects():
        if not Project.objects.filter(owner=user, name=document.name).exists():
            create_project(user, document, "Demo project")
    return run("127.0.0.1", port)


def serve(port):
    """Serve on the loopback address with Django's accounts."""
    say("Preparing the database …")
    prepare()
    warm_up()
    return run("127.0.0.1", port)


def add_user(name):
    """Create an account, asking for a password."""
    prepare()
    from django.core.management import call_command

    call_command("createsuperuser", username=name, email="")
    return 0

"""Accounts, signing in, headers and files of the server; the demo's shipped figures; migration of older databases."""

import csv
import io
import json
import os
import subprocess
import sys

import pytest
from django.contrib.auth import get_user_model
from django.test import Client
from helpers import demo

from gulch.demo import figures, projects
from gulch.engine.exchange import safe
from gulch.engine.explain import solve
from gulch.engine.work import solution_of
from gulch.web import serve
from gulch.web.projects.models import Project
from gulch.web.scans.jobs import start


@pytest.mark.parametrize("place", range(6))
def test_figures_ship_with_the_demo_as_the_engine_solves_it(place):
    """`script/figures` writes them; without them a fresh machine shows nothing until kernels are compiled."""
    project = projects()[place]
    shipped = figures(project)
    assert shipped is not None, "run script/figures"
    found, solved = solution_of(shipped[1]), solve(project)
    assert found.gauges == pytest.approx(solved.gauges, rel=1e-6, abs=1e-9)
    project.units[0].id = "OTHER"
    assert figures(project) is None


def test_the_list_reads_no_solution_and_asks_few_questions(client, user, row, django_assert_max_num_queries):
    for k in range(20):
        Project.objects.create(owner=user, name=f"p{k}", current=row.current, good_outcome=row.good_outcome)
    client.get("/")  # makes the cards
    with django_assert_max_num_queries(6) as asked:
        assert client.get("/").content.decode().count("<article") == 21
    assert not any("packed" in q["sql"] or '"document"' in q["sql"] for q in asked.captured_queries)


def test_revisions_come_in_pages(client, act, row):
    from gulch.web.projects.models import Revision

    Revision.objects.bulk_create(Revision(project=row, number=n, label=f"r{n}", document={}, parent=row.current) for n in range(2, 252))
    html = client.get(f"/p/{row.pk}/revisions/").content.decode()
    assert "r251" in html and "<b>r220</b>" not in html and "page 1 of 11" in html
    assert "<b>r220</b>" in client.get(f"/p/{row.pk}/revisions/?page=2").content.decode()


def test_signing_in_is_slowed_after_wrong_passwords(user):
    guest = Client()
    for _ in range(8):
        response = guest.post("/sign-in/", {"username": "ada", "password": "wrong"})
    assert response.status_code == 429 and "Too many tries" in response.content.decode()
    assert guest.post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 429
    assert Client().post("/sign-in/", {"username": "grace", "password": "x"}).status_code == 200


def test_a_password_is_changed_by_its_owner_and_set_by_an_administrator(client, user):
    assert client.get("/accounts/").status_code == 404
    form = {"old_password": "a long enough one", "new_password1": "quite another 7", "new_password2": "quite another 7"}
    assert client.post("/password/", form).status_code == 302
    user.refresh_from_db()
    assert user.check_password("quite another 7")
    boss = get_user_model().objects.create_superuser("boss", password="the boss's own 1")
    admin = Client()
    admin.force_login(boss)
    assert "ada" in admin.get("/accounts/").content.decode()
    new = {"new_password1": "set by the boss 2", "new_password2": "set by the boss 2"}
    assert admin.post(f"/accounts/{user.pk}/", new, follow=True).status_code == 200
    user.refresh_from_db()
    assert user.check_password("set by the boss 2") and client.get("/").status_code == 302  # open sessions end


def test_accounts_from_the_command_line(db, monkeypatch, capsys):
    monkeypatch.setattr(serve, "prepare", lambda: None)
    typed = iter(["short", "short", "long enough 55", "long enough 55", "one thing 77", "another 77"])
    monkeypatch.setattr("getpass.getpass", lambda prompt: next(typed))
    assert serve.add_user("ada") == 1 and not get_user_model().objects.exists()
    assert serve.add_user("ada") == 0
    made = get_user_model().objects.get()
    assert made.check_password("long enough 55") and not made.is_superuser
    assert serve.add_user("ada") == 1 and serve.add_user("bob", reset=True) == 1
    assert serve.add_user("ada", reset=True) == 1
    said = capsys.readouterr().out
    assert "too short" in said and "--reset" in said and "do not agree" in said


def test_a_page_whose_session_ended_is_told_and_not_sent_elsewhere(row):
    response = Client().post(f"/p/{row.pk}/do/set/", {"address": "x"}, headers={"HX-Request": "true"})
    assert response.status_code == 401
    assert Client().get(f"/p/{row.pk}/process/").status_code == 302


def test_pages_are_compressed_and_small(client, row):
    response = client.get(f"/p/{row.pk}/process/", headers={"Accept-Encoding": "gzip"})
    assert response["Content-Encoding"] == "gzip" and len(response.content) < 60_000


def test_behind_https_cookies_are_secure_and_origins_trusted(tmp_path):
    code = (
        "from django.conf import settings as s; import json; print(json.dumps([s.SESSION_COOKIE_SECURE, s.CSRF_COOKIE_SECURE,"
        "s.CSRF_TRUSTED_ORIGINS, oct(s.HOME.stat().st_mode)[-3:]]))"
    )
    environment = os.environ | {
        "GULCH_HOME": str(tmp_path / "home"),
        "GULCH_HTTPS": "1",
        "GULCH_HOSTS": "gulch.example.org",
        "DJANGO_SETTINGS_MODULE": "gulch.web.settings",
    }
    said = subprocess.run([sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True)
    assert json.loads(said.stdout) == [True, True, ["https://gulch.example.org"], "700"]
    assert oct((tmp_path / "home" / "secret-key").stat().st_mode)[-3:] == "600"


@pytest.mark.parametrize("text", ["=1+1", "+1", "-1", "−1", "@SUM(A1)", "\t=1", "\r=1", " =1", "\n=1"])
def test_cells_are_no_formulas(text):
    out = io.StringIO()
    csv.writer(out).writerow([safe(text)])
    assert out.getvalue().lstrip('"').startswith("'") and safe("plain = text") == "plain = text"


def test_every_table_that_goes_out_is_made_harmless(client, act, row):
    act("gauge-edit", id="overall", field="label", value="=cmd()")
    run = start(row, "scan1")
    text = client.get(f"/p/{row.pk}/scan-run/{run.pk}.csv").content.decode()
    assert "'=cmd()" in text and not any(cell.startswith("=") for cells in csv.reader(io.StringIO(text)) for cell in cells)


def test_variants_are_solved_once(client, act, row, monkeypatch):
    from gulch.web.projects import solving

    client.get(f"/p/{row.pk}/variants/")
    handed_in = []
    monkeypatch.setattr(solving, "hand_in", lambda *a, **k: handed_in.append(a))  # both ways to a solve go through it
    client.get(f"/p/{row.pk}/variants/")
    act("variant-work", id="single_pass")
    act("variant-work", id="")
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    assert handed_in == []


def test_outcomes_are_thinned_and_found_again(client, act, row, monkeypatch):
    from gulch.web.projects import solving

    monkeypatch.setattr(solving, "KEPT", 2)
    for k in range(14):
        act("set", address="SPLIT.drawn", value=f"{6 + k / 10:.1f} %")
    assert row.outcomes.count() <= 13 and row.latest["solved"]
    for _ in range(14):
        client.post(f"/p/{row.pk}/undo/", {"version": row.version})
        row.refresh_from_db()
    assert row.current.number == 1 and row.latest["gauges"]["overall"] == pytest.approx(solve(demo()).gauges["overall"])


def test_a_new_password_ends_tokens_and_a_secret_is_not_cached(client, user):
    shown = client.post("/tokens/", {"name": "script"})
    assert shown.headers["Cache-Control"] == "no-store" and user.tokens.filter(revoked=False).count() == 1
    assert "Cache-Control" not in client.get("/tokens/").headers
    user.is_superuser = True
    user.save()
    other = get_user_model().objects.create_user("other", password="rather long 4 a word")
    other.tokens.create(name="program", digest="0" * 64)
    form = {"new_password1": "another long 4 word", "new_password2": "another long 4 word"}
    page = client.post(f"/accounts/{other.pk}/", form, follow=True).content.decode()
    assert "other has a new password. Its 1 token is revoked." in page and not other.tokens.filter(revoked=False).exists()


def test_nobody_locks_another_out_and_one_password_over_many_names_is_limited(user, settings):
    guest, elsewhere = Client(REMOTE_ADDR="10.0.0.7"), Client(REMOTE_ADDR="10.0.0.8")
    for _ in range(9):
        guest.post("/sign-in/", {"username": "ada", "password": "wrong"})
    assert guest.post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 429
    assert elsewhere.post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 302
    spray = [guest.post("/sign-in/", {"username": f"name{k}", "password": "Summer 2026"}).status_code for k in range(60)]
    assert spray[0] == 200 and spray[-1] == 429 and spray.count(200) <= settings.GULCH_MOST_GUESSES, spray
    assert Client(REMOTE_ADDR="10.0.0.9").post("/sign-in/", {"username": "name1", "password": "x"}).status_code == 200


def test_an_account_is_closed_and_opened_again(client, user, row, monkeypatch, capsys):
    boss = get_user_model().objects.create_superuser("boss", password="the boss's own 1")
    admin = Client()
    admin.force_login(boss)
    user.tokens.create(name="program", digest="0" * 64)
    page = admin.post(f"/accounts/{user.pk}/close/", follow=True).content.decode()
    assert "ada is closed" in page and "Its 1 token is revoked." in page and "Open again" in page
    assert client.get("/").status_code == 302 and Project.objects.filter(owner=user).exists()
    assert Client().post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 200
    assert client.post(f"/accounts/{boss.pk}/close/").status_code == 302  # to the sign-in page
    assert "by another administrator" in admin.post(f"/accounts/{boss.pk}/close/", follow=True).content.decode()
    monkeypatch.setattr(serve, "prepare", lambda: None)
    assert serve.close_account("ada", closed=False) == 0 and serve.close_account("nobody") == 1 and serve.close_account("boss") == 1
    assert "only administrator" in capsys.readouterr().out
    boss.refresh_from_db()
    assert boss.is_active and Client().post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 302


def test_a_proxy_is_believed_and_nobody_else(settings):
    """Who asks, and whether by HTTPS, as the server hands it to the application: waitress' own reading of the headers."""
    from waitress.adjustments import Adjustments
    from waitress.proxy_headers import proxy_headers_middleware

    def seen(proxy, sender):
        settings.PROXY = proxy
        set_ = Adjustments(**serve.believed())
        told = {}
        app = proxy_headers_middleware(
            lambda environ, start: told.update(environ) or [],
            trusted_proxy=set_.trusted_proxy,
            trusted_proxy_count=set_.trusted_proxy_count,
            trusted_proxy_headers=set_.trusted_proxy_headers,
            clear_untrusted=set_.clear_untrusted_proxy_headers,
        )
        environ = {"REMOTE_ADDR": sender, "wsgi.url_scheme": "http", "REMOTE_PORT": "1", "SERVER_NAME": "x", "SERVER_PORT": "80"}
        headers = {"HTTP_X_FORWARDED_FOR": "6.6.6.6, 203.0.113.5", "HTTP_X_FORWARDED_PROTO": "https"}
        app(environ | headers, lambda *a: None)
        return told["REMOTE_ADDR"], told["wsgi.url_scheme"]

    assert seen("127.0.0.1", "127.0.0.1") == ("203.0.113.5", "https")
    assert seen("127.0.0.1", "198.51.100.1") == ("198.51.100.1", "http")
    assert seen(None, "127.0.0.1") == ("127.0.0.1", "http")


def test_thinning_never_drops_the_good_outcome_or_the_current_one(row, act, monkeypatch):
    """The good figures are the oldest of all here: they are what the page shows while nothing newer solves."""
    from datetime import timedelta

    from django.utils import timezone

    from gulch.web.projects import solving

    monkeypatch.setattr(solving, "KEPT", 1)
    good, old = row.good_outcome, timezone.now() - timedelta(days=9)
    row.outcomes.filter(pk=good.pk).update(created=old)
    act("set", address="SPLIT.drawn", value="36 foo")  # which does not solve
    row.outcomes.filter(digest=row.current.digest).update(created=old)
    for k in range(6):
        row.outcomes.create(digest=f"{k:064d}", packed=b"", solved=True)
    row.refresh_from_db()
    solving.thin(row)
    kept = set(row.outcomes.values_list("digest", flat=True))
    assert {good.digest, row.current.digest} <= kept and len(kept) == 3 and f"{5:064d}" in kept

"""Ownership, history, conflicts, files, security headers."""

import json

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from helpers import demo

from gulch.demo import projects
from gulch.web.projects.actions import create_project
from gulch.web.projects.models import Project


def test_a_visitor_must_sign_in(client, row):
    client.logout()
    for url in ("/", f"/p/{row.pk}/process/", f"/p/{row.pk}/export.json"):
        response = client.get(url)
        assert response.status_code == 302 and response.url.startswith("/sign-in/")
    assert client.get("/sign-in/").status_code == 200
    response = client.post("/sign-in/", {"username": "ada", "password": "wrong"})
    assert "do not fit together" in response.content.decode()
    assert client.post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 302


def test_owners_see_only_their_own(client, row):
    other = get_user_model().objects.create_user("eve", password="another long one")
    client.force_login(other)
    assert row.name not in client.get("/").content.decode()
    for url in (
        f"/p/{row.pk}/process/",
        f"/p/{row.pk}/export.json",
        f"/p/{row.pk}/ledger.csv",
        f"/p/{row.pk}/revisions/",
        f"/p/{row.pk}/species/?q=a",
    ):
        assert client.get(url).status_code == 404
    for url in (
        f"/p/{row.pk}/do/add-feed/",
        f"/p/{row.pk}/undo/",
        f"/p/{row.pk}/remove/",
        f"/p/{row.pk}/try/",
        f"/p/{row.pk}/scan-run/",
    ):
        assert client.post(url).status_code == 404
    assert Project.objects.filter(pk=row.pk).exists()


def test_demo_signs_in_from_this_computer_only(client, settings, db):
    settings.GULCH_DEMO = True
    client.logout()
    assert client.get("/").status_code == 200
    client.logout()
    assert client.get("/", REMOTE_ADDR="192.0.2.7").status_code == 302


def test_security_headers(client, row):
    response = client.get(f"/p/{row.pk}/process/")
    policy = response["Content-Security-Policy"]
    assert "script-src 'self'" in policy and "unsafe" not in policy
    assert response["X-Frame-Options"] == "DENY" and response["X-Content-Type-Options"] == "nosniff"
    html = response.content.decode()
    assert "<style" not in html and " style=" not in html and "onclick" not in html


def test_posts_need_the_csrf_token(row, user):
    from django.test import Client

    strict = Client(enforce_csrf_checks=True)
    strict.force_login(user)
    assert strict.post(f"/p/{row.pk}/do/add-feed/").status_code == 403


def test_edit_undo_redo_and_history(client, row, act):
    act("set", address="SPLIT.drawn", value="8")
    assert row.current.document["units"][5]["drawn"] == "8 %" and row.current.number == 2
    assert row.current.label == "Set first drawn share of SPLIT to 8 %"
    before = row.good["gauges"]["overall"]
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    row.refresh_from_db()
    assert row.current.number == 1 and row.good["gauges"]["overall"] > before
    client.post(f"/p/{row.pk}/redo/", {"version": row.version})
    row.refresh_from_db()
    assert row.current.number == 2 and row.good["gauges"]["overall"] == pytest.approx(before, rel=1e-7)
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    act("set", address="SPLIT.drawn", value="9 %")
    assert row.current.number == 3 and row.current.parent.number == 1  # nothing is lost: revision 2 stays in the history
    assert "revision 1" not in client.get(f"/p/{row.pk}/revisions/").content.decode().split("</h1>")[0]
    client.post(f"/p/{row.pk}/restore/2/")
    row.refresh_from_db()
    assert row.current.number == 4 and row.current.document["units"][5]["drawn"] == "8 %"


def test_nothing_to_undo_is_said(client, row):
    response = client.post(f"/p/{row.pk}/undo/", {"version": row.version}, headers={"HX-Request": "true"})
    assert "nothing to undo" in response.content.decode()


def test_second_tab_is_told_and_nothing_is_lost(client, row, act):
    first = row.version
    act("set", address="SPLIT.drawn", value="8 %")
    html = act("set", status=409, version=first, address="COOL.temperature", value="61 degC", stage="process")
    assert "changed in another tab" in html and "61 degC" in html and "Apply my edit" in html
    assert row.current.document["units"][3]["temperature"] == "50 degC" and row.current.document["units"][5]["drawn"] == "8 %"
    act("set", address="COOL.temperature", value="61 degC")  # what the banner's button posts
    assert row.current.document["units"][3]["temperature"] == "61 degC" and row.current.document["units"][5]["drawn"] == "8 %"


def test_invalid_edit_is_kept_and_the_last_good_state_stands(client, row, act):
    row.refresh_from_db()
    good = row.good
    html = act("set", address="R1.temperature", value="36 foo", stage="process", select="R1")
    assert "not a unit Gulch knows" in html and 'value="36 foo"' in html and "figures are those of revision 1" in html
    assert row.good == good and row.latest["solved"] is False
    html = act("set", address="R1.temperature", value="310", stage="process", select="R1")
    assert row.good_revision == 3 and "310 °C" in html and "figures are those" not in html


@pytest.mark.parametrize(
    ("name", "form", "words"),
    [
        ("set", {"address": "NOPE.x", "value": "1"}, "not an input any more"),
        ("set", {"address": "R1.temperature", "value": "9" * 200}, "too long"),
        ("set", {"address": "R1.mode", "value": "magic"}, "mode"),
        ("set", {}, "cannot be done here"),
        ("append", {"id": "product", "kind": "teapot"}, "no unit kind"),
        ("append", {"id": "gone", "kind": "mixer"}, "no stream gone"),
        ("send", {"id": "product", "to": "gone"}, "no unit gone"),
        ("rename", {"id": "R1", "value": "K1"}, "taken already"),
        ("rename", {"id": "R1", "value": "1 2"}, "cannot be a name"),
        ("remove", {"id": "product"}, "outlet of DRUM"),
        ("species-add", {"cas": "0000-00-0"}, "no species with CAS"),
        ("species-add", {"cas": "74-85-1"}, "already"),
        ("reaction-add", {"equation": "C2H4 + = x"}, "missing beside"),
        ("reaction-add", {"equation": "CH4 + O2 = CO2"}, "not a species of this project"),
        ("knob", {"address": "R1.magic"}, "cannot be turned"),
        ("gauge", {"address": "R1.magic"}, "cannot be watched"),
        ("turn", {"id": "purge_share", "position": "x"}, "is not a number of slider steps"),
        ("scan-edit", {"id": "scan1", "points": "1"}, "1 points"),
        ("scan-edit", {"id": "scan1", "points": "many"}, "not a number of points"),
        ("display", {"value": "furlongs"}, "display"),
        ("phase-model", {"value": "magic"}, "kind"),
    ],
)
def test_edits_that_cannot_be_made_get_a_sentence(act, row, name, form, words):
    number = row.current.number
    html = act(name, status=422, **form)
    assert words in html.split('id="notice"')[1][:400]
    assert row.current.number == number


def test_export_and_import_give_the_same_project(client, row):
    response = client.get(f"/p/{row.pk}/export.json")
    assert response["Content-Disposition"] == 'attachment; filename="Juniper-Flats-ethanol.json"'
    assert json.loads(response.content) == demo().dump()
    file = SimpleUploadedFile("mine.json", response.content)
    assert client.post("/import/", {"file": file}).status_code == 302
    copy = Project.objects.exclude(pk=row.pk).get()
    assert copy.current.document == row.current.document and copy.good["gauges"] == pytest.approx(row.good["gauges"])


def test_a_workbook_keeps_the_projects_name_in_any_script_and_is_refused_without_figures(client, row, act):
    act("project-name", value="Würze 酒 / 2")
    response = client.get(f"/p/{row.pk}/project.xlsx")
    assert response.content[:2] == b"PK"
    assert response["Content-Disposition"] == "attachment; filename*=utf-8''W%C3%BCrze-%E9%85%92-2.xlsx"
    act("set", address="H1.pressure_drop", value="80 bar")  # more than enters
    refused = client.get(f"/p/{row.pk}/project.xlsx")
    assert refused.status_code == 409 and "no figures for a workbook" in refused.content.decode()
    refused = client.get(f"/p/{row.pk}/ledger.csv")
    assert refused.status_code == 409 and "no figures of it for a table" in refused.content.decode()


def test_a_profile_of_old_figures_is_refused(client, user):
    row = create_project(user, projects()[2], "Styrene")
    client.get(f"/p/{row.pk}/process/")
    unit = next(u.id for u in row.current.worked.units if u.kind == "plug-flow")
    assert client.get(f"/p/{row.pk}/profile/{unit}.csv").status_code == 200
    form = {"address": f"{next(u.id for u in row.current.worked.units if u.kind == 'heater')}.temperature", "value": "36 foo"}
    row.refresh_from_db()
    client.post(f"/p/{row.pk}/do/set/", form | {"version": row.version}, headers={"HX-Request": "true"})
    assert client.get(f"/p/{row.pk}/profile/{unit}.csv").status_code == 409


@pytest.mark.parametrize(
    "content",
    [b"", b"not json", b'{"format": "x"}', b"\x89PNG\r\n", b'{"format": "gulch-project", "version": 1, "units": 3}'],
)
def test_foreign_files_are_refused_with_a_sentence(client, row, content):
    html = client.post("/import/", {"file": SimpleUploadedFile("odd.json", content)}, follow=True).content.decode()
    assert "odd.json: " in html or "Choose a project file" in html or "empty" in html
    assert Project.objects.count() == 1


def test_ledger_csv(client, row):
    text = client.get(f"/p/{row.pk}/ledger.csv").content.decode()
    assert text.startswith("Stream,Temperature [°C]") and "\nproduct," in text


def test_new_copy_remove(client, row):
    assert client.post("/new/", {"name": "Mine"}).status_code == 302
    html = client.get("/").content.decode()
    assert "Mine" in html
    client.post(f"/p/{row.pk}/copy/")
    assert Project.objects.filter(name="Juniper Flats ethanol (copy)").exists()
    client.post(f"/p/{row.pk}/remove/")
    assert not Project.objects.filter(pk=row.pk).exists()
    for p in Project.objects.all():
        client.post(f"/p/{p.pk}/remove/")
    assert "No projects yet" in client.get("/").content.decode()


def test_queries_stay_few(client, row, django_assert_max_num_queries):
    with django_assert_max_num_queries(6):
        client.get(f"/p/{row.pk}/process/")
    with django_assert_max_num_queries(8):
        client.get("/")


def test_a_page_does_not_conflict_with_its_own_edits(client, row):
    """Two edits sent before the first was answered both count; another page's stale edit still conflicts."""

    def post(page, version, address, value):
        form = {"address": address, "value": value, "version": version, "client": page}
        return client.post(f"/p/{row.pk}/do/set/", form, headers={"HX-Request": "true"}).status_code

    row.refresh_from_db()
    seen = row.version
    assert post("one", seen, "COOL.temperature", "51 degC") == 200
    assert post("one", seen, "SPLIT.drawn", "7 %") == 200
    assert post("two", seen, "SPLIT.drawn", "9 %") == 409
    row.refresh_from_db()
    assert post("two", row.version, "SPLIT.drawn", "9 %") == 200
    assert post("one", seen, "COOL.temperature", "52 degC") == 409  # the other page came between
    row.refresh_from_db()
    units = {u["id"]: u for u in row.current.document["units"]}
    assert (units["COOL"]["temperature"], units["SPLIT"]["drawn"]) == ("51 degC", "9 %")


def test_redo_goes_to_the_newest_of_several_ways_on(client, act, row):
    """Undone and edited otherwise, undone again: what is done again is what was done last."""
    act("set", address="SPLIT.drawn", value="7 %")
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    act("set", address="SPLIT.drawn", value="8 %")
    row.refresh_from_db()
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    row.refresh_from_db()
    client.post(f"/p/{row.pk}/redo/", {"version": row.version})
    row.refresh_from_db()
    assert row.current.read.unit("SPLIT").drawn == "8 %"


def test_a_page_is_told_of_another_pages_edit_though_it_edited_before(act, row):
    """The second page's edit came between: what the first one saw before it is not its own newest state any more."""
    seen = row.version
    act("set", address="SPLIT.drawn", value="7 %", version=seen, client="one")
    act("set", address="SPLIT.drawn", value="8 %", version=seen + 1, client="two")
    act("set", address="SPLIT.drawn", value="9 %", version=seen + 2, client="one")
    row.refresh_from_db()
    assert row.client == "one" and row.client_since == seen + 2
    act("set", address="SPLIT.drawn", value="10 %", version=seen + 1, client="one", status=409)  # before two's edit
    act("set", address="SPLIT.drawn", value="11 %", version=seen + 2, client="one")  # faster than its own edit was answered
    assert row.current.read.unit("SPLIT").drawn == "11 %"

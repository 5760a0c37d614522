"""Revisions: what each changed and what it did to the gauges; two compared; names."""

from gulch.web.projects.models import Revision


def test_a_revision_says_what_changed_and_what_it_did(client, row, act):
    act("set", address="SPLIT.drawn", value="10 %")
    html = client.get(f"/p/{row.pk}/revisions/").content.decode()
    mine = html.split('id="revision-2"')[1].split('id="revision-1"')[0]
    assert "unit SPLIT, first drawn share: 6.5 % → 10 %" in mine
    assert "recycle flow 654.2" in " ".join(mine.split()) and "ethanol in product" in mine
    assert "→" not in html.split('id="revision-1"')[1]  # the first has nothing before it


def test_two_revisions_stand_side_by_side(client, row, act):
    act("set", address="SPLIT.drawn", value="10 %")
    act("set", address="R1.temperature", value="230 degC")
    html = client.get(f"/p/{row.pk}/revisions/compare/?from=3&to=1").content.decode()
    assert "From revision 1 to 3" in html and "unit SPLIT, first drawn share" in html and "unit R1, temperature" in html
    effects = html.split('id="effects"')[1]
    assert "53.91" in effects and "%</td>" in effects
    same = client.get(f"/p/{row.pk}/revisions/compare/?from=1&to=1", follow=True).content.decode()
    assert "Choose two different revisions" in same
    for odd in ("?from=1&to=99", "?from=x&to=1", "?from=1", "?from=²&to=1"):
        assert "Choose two different" in client.get(f"/p/{row.pk}/revisions/compare/{odd}", follow=True).content.decode()


def test_revisions_are_named_and_found_by_it(client, row, act):
    act("set", address="SPLIT.drawn", value="10 %")
    client.post(f"/p/{row.pk}/revisions/1/name/", {"name": " as sent to review "})
    assert Revision.objects.get(project=row, number=1).name == "as sent to review"
    only = client.get(f"/p/{row.pk}/revisions/?named=1").content.decode()
    assert 'id="revision-1"' in only and 'id="revision-2"' not in only
    client.post(f"/p/{row.pk}/revisions/1/name/", {"name": ""})
    assert "No revision has a name yet" in client.get(f"/p/{row.pk}/revisions/?named=1").content.decode()
    assert client.post(f"/p/{row.pk}/revisions/77/name/", {"name": "x"}).status_code == 404


def test_strangers_see_no_revisions(client, row, django_user_model):
    client.force_login(django_user_model.objects.create_user("stranger", password="a long enough one"))
    for path in ("revisions/", "revisions/compare/?from=1&to=2"):
        assert client.get(f"/p/{row.pk}/{path}").status_code == 404
    assert client.post(f"/p/{row.pk}/revisions/1/name/", {"name": "mine"}).status_code == 404

"""What can be had at all: asked, told, put into the process, kept as a variant."""

import json
import re

import pytest
from django.urls import reverse

from gulch.demo import projects
from gulch.engine.document import load
from gulch.web.projects.actions import create_project


@pytest.fixture
def styrene(user):
    project = next(p for p in projects() if "styrene" in p.name)
    project.region = None
    return create_project(user, project, "Styrene")


def page_of(client, row):
    return client.get(reverse("stage", args=[row.pk, "sizing"]) + "?select=region").content.decode()


def ask(client, row, **more):
    row.refresh_from_db()
    data = {"version": row.version, "stage": "sizing", "select": "region", **more}
    return client.post(reverse("do", args=[row.pk, "region"]), data)


def test_the_first_question_is_what_enters_the_first_reactor(client, styrene):
    page = page_of(client, styrene)
    assert "Press “Find it”" in page and re.search(r"<option\s+selected>hot</option>", page)
    assert 'value="42 %"' in page and 'value="1300 kg/m3"' in page


def test_the_answer_is_told_before_the_picture(client, styrene):
    ask(client, styrene)
    page = page_of(client, styrene)
    answer = re.search(r'id="region-answer"><p>(.*?)</p>', page, re.S)[1]
    assert "Most yield of styrene found: 70.7" in answer and "Reached by a tube of" in answer and "gains less than a thousandth" in answer
    assert "BED makes 44.24 % now, outside of this region, which is for vessels held at 630.0 °C" in answer
    data = json.loads(re.search(r'id="region-data" type="application/json">(.*?)</script>', page, re.S)[1])
    assert data["best"][1] == pytest.approx(70.79, abs=0.05) and len(data["outline"]) > 10
    across = [p[0] for p in data["tube"]]
    assert across == pytest.approx(sorted(across), abs=1e-3)


def test_the_arrangement_takes_the_reactors_place_under_its_name(client, styrene):
    ask(client, styrene)
    page = page_of(client, styrene)
    sent = re.search(r'id="place-region".*?hx-vals=\'(.*?)\'', page, re.S)[1]
    values = {k: v for k, v in json.loads(sent).items()}
    styrene.refresh_from_db()
    client.post(reverse("do", args=[styrene.pk, "region-place"]), {"version": styrene.version, **values})
    styrene.refresh_from_db()
    document = load(styrene.current.document)
    bed = document.unit("BED")
    assert bed.kind == "plug-flow" and bed.heat.mode == "isothermal" and bed.size_by == "volume" and bed.bulk_density == "1300 kg/m3"
    assert any(g.reads.startswith("BED.") for g in document.gauges)
    solution = styrene.outcome().solution()
    assert solution.units["BED"].values["yield"] == pytest.approx(0.7079, abs=5e-4)


def test_several_vessels_are_kept_as_a_variant(client, styrene):
    ask(client, styrene)
    steps = [
        {"device": "tank", "volume": "2 m3", "temperature": "600 degC", "share": "100 %"},
        {"device": "side-fed tube", "volume": "5 m3", "temperature": "610 degC", "share": "80 %"},
    ]
    styrene.refresh_from_db()
    data = {"version": styrene.version, "where": "instead", "arrangement": json.dumps({"steps": steps})}
    client.post(reverse("do", args=[styrene.pk, "region-keep"]), data)
    styrene.refresh_from_db()
    document = load(styrene.current.document)
    assert document.variants[-1].name == "tank, then side-fed tube" and document.working == document.variants[-1].id
    assert document.unit("BED") is not None  # the base keeps it
    assert styrene.outcome().solution().solved, styrene.outcome().solution().messages


def test_what_cannot_be_found_is_said(client, styrene):
    ask(client, styrene, temperature="600 degC", up_to="500 degC")
    assert "The range of temperatures ends below where it begins." in page_of(client, styrene)
    styrene.refresh_from_db()
    data = {"version": styrene.version, "where": "instead", "arrangement": "{}"}
    said = client.post(reverse("do", args=[styrene.pk, "region-place"]), data)
    assert "find it again" in said.content.decode()

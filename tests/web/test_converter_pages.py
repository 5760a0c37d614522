"""A converter's path, its CSV, and the least catalyst at one press."""

import csv
import io
import re

from django.urls import reverse

from gulch.demo import projects
from gulch.engine.document import load
from gulch.web.projects.actions import create_project


def converter(user):
    return create_project(user, next(p for p in projects() if "trioxide" in p.name), "Converter")


def test_the_path_is_the_first_of_its_pictures(client, user):
    row = converter(user)
    page = client.get(reverse("stage", args=[row.pk, "process"]) + "?select=CONV").content.decode()
    assert re.findall(r'data-group="(\w+)"', page)[0] == "path"
    assert "conversion of sulfur dioxide" in page and "{key}" not in page
    assert "Outlet temperature, stage 1" in page and "Equilibrium conversion, stage 3" in page
    text = client.get(reverse("profile-csv", args=[row.pk, "CONV"])).content.decode()
    head, *rows = csv.reader(io.StringIO(text))
    assert head[:3] == ["volume [m³]", "temperature [°C]", "path of the stages [%]"]
    assert len(rows) > 150 and rows[0][1] == "430"


def test_the_least_catalyst_is_asked_and_begun_at_one_press(client, user):
    row = converter(user)
    page = client.post(reverse("scan-run", args=[row.pk]), {"least": "CONV", "keep": "95 %"}).content.decode()
    assert "Volume of stage 3 in CONV" in page
    row.refresh_from_db()
    document = load(row.current.document)
    search = document.searches[-1]
    assert search.way == "lowest" and len(search.over) == 4
    assert next(g for g in document.gauges if g.reads == "CONV.stage_conversion.3").at_least == "95 %"
    assert row.scan_runs.filter(scan=search.id).count() == 1
    said = client.post(reverse("scan-run", args=[row.pk]), {"least": "HEAT", "keep": "95 %"})
    assert said.status_code == 422 and "has no stages" in said.content.decode()
    said = client.post(reverse("scan-run", args=[row.pk]), {"least": "CONV", "keep": "a lot"})
    assert said.status_code == 422

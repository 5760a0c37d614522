"""Order and hiding of knobs and gauges: no figure hangs on them, and they follow what becomes of the project."""

import pytest
from helpers import demo

from gulch.engine.document import load
from gulch.engine.project import edit, strip
from gulch.engine.project.edit import EditError
from gulch.engine.work import asked_digest, document_digest


def ids(project, kind):
    return [[e.id for e in part] for part in strip.ordered(project, kind)]


def test_they_stand_as_they_were_made_until_they_are_moved():
    project = demo()
    made = [k.id for k in project.knobs]
    assert ids(project, "knob") == [made, []]
    strip.move(project, "knob", made[-1], 0)
    assert ids(project, "knob") == [[made[-1], *made[:-1]], []]
    strip.move(project, "knob", made[-1], 99)
    assert ids(load(project.dump()), "knob") == [made, []]


def test_hidden_ones_stand_apart_and_come_back():
    project = demo()
    first, *rest = [g.id for g in project.gauges]
    assert strip.hide(project, "gauge", first) is True
    assert ids(project, "gauge") == [rest, [first]]
    strip.move(project, "gauge", rest[1], 0)
    assert strip.hide(project, "gauge", first) is False
    assert ids(project, "gauge")[0][0] == rest[1] and ids(project, "gauge")[1] == []


def test_no_figure_and_no_scan_hangs_on_it():
    project = demo()
    before = document_digest(project.dump()), [asked_digest(project, s) for s in (*project.scans, *project.searches)]
    strip.move(project, "knob", project.knobs[-1].id, 0)
    strip.hide(project, "gauge", project.gauges[0].id)
    assert (document_digest(project.dump()), [asked_digest(project, s) for s in (*project.scans, *project.searches)]) == before


def test_new_ones_come_last_and_removed_ones_go():
    project = demo()
    names = [k.id for k in project.knobs]
    strip.move(project, "knob", names[1], 0)
    strip.hide(project, "knob", names[0])
    made = edit.knob_on(project, "R1.pressure_drop", "1 bar", "2 bar")
    assert ids(project, "knob")[0][-1] == made.id
    project.knobs = [k for k in project.knobs if k.id != names[0]]
    assert ids(project, "knob")[1] == []


@pytest.mark.parametrize(("kind", "id_"), [("knob", "nothing"), ("gauge", "nothing"), ("dial", "reactor_T")])
def test_what_is_not_there_is_refused(kind, id_):
    with pytest.raises(EditError, match="reload the page"):
        strip.move(demo(), kind, id_, 0)

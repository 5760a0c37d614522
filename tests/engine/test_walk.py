"""The first walk: which step is next, and where it is done."""

from gulch.demo import projects
from gulch.engine.document import Project, load
from gulch.engine.explain.walk import next_step

BASE = {
    "format": "gulch-project",
    "version": 1,
    "name": "walk",
    "species": [{"id": "ethylene", "cas": "74-85-1"}, {"id": "water", "cas": "7732-18-5"}, {"id": "ethanol", "cas": "64-17-5"}],
    "reactions": [{"id": "r1", "equation": "ethylene + water = ethanol"}],
    "streams": [{"id": "feed", "given": {"flow": {"ethylene": "1 kmol/h"}}}],
}
REACTOR = {"id": "R1", "kind": "stoichiometric-reactor"}


def step(**changes):
    return next_step(load(BASE | changes)).step


def test_an_empty_project_begins_with_its_reaction():
    walk = next_step(Project(name="empty"))
    assert (walk.number, walk.of, walk.step.name, walk.step.stage) == (1, 8, "reaction", "chemistry")


def test_the_next_step_follows_what_is_there():
    assert step(streams=[]).name == "feed"
    assert step(streams=[{"id": "feed", "given": {}}]).name == "amounts"
    reactor = step()
    assert (reactor.name, reactor.select) == ("reactor", "feed")
    fed = [{**BASE["streams"][0], "to": "R1"}, {"id": "S1", "from": "R1"}]
    separator = step(units=[REACTOR], streams=fed)
    assert (separator.name, separator.select) == ("separator", "S1")


def test_what_goes_back_leaves_a_splitter_where_there_is_one():
    drum, split = {"id": "D", "kind": "flash-drum"}, {"id": "SPLIT", "kind": "splitter", "drawn": "5 %"}
    fed = [{**BASE["streams"][0], "to": "R1"}, {"id": "S1", "from": "R1", "to": "D"}, {"id": "liquid", "from": "D.liquid"}]
    once = [*fed, {"id": "gas", "from": "D.vapour"}]
    assert (step(units=[REACTOR, drum], streams=once).name, step(units=[REACTOR, drum], streams=once).select) == ("return", "gas")
    purged = [
        *fed,
        {"id": "gas", "from": "D.vapour", "to": "SPLIT"},
        {"id": "purge", "from": "SPLIT.drawn"},
        {"id": "back", "from": "SPLIT.rest"},
    ]
    assert step(units=[REACTOR, drum, split], streams=purged).select == "back"


def test_the_demo_has_walked():
    assert next_step(projects()[0]) is None


def test_the_walk_ends_with_an_answer():
    """What is turned and what is watched is named in the question; a scan that was not run is no end."""
    project = projects()[0]
    project.knobs, project.scans, project.gauges, project.searches, project.targets = [], [], [], [], []
    assert (next_step(project, False).step.name, next_step(project, False).step.at) == ("scan", "#add-first-scan")
    whole = projects()[0]
    assert next_step(whole, False).step.name == "answer" and next_step(whole) is None

"""What is kept of the databank: it ships for the common species, and a process that stays loads no tables."""

import json
import os
import subprocess
import sys
import threading
import time

import pytest

from gulch.demo import projects
from gulch.engine.species import kept, lookup
from gulch.engine.species.search import find, index, trade_names

STAYS = """
import json, resource, sys
from gulch.engine.species import kept, lookup
from gulch.engine.species.search import find
from gulch.engine.phases import phase_model
if sys.argv[1] == "elsewhere":
    kept.gather_elsewhere()
if sys.argv[2] == "bare":
    kept.shipped = dict
species = lookup(sys.argv[3])
model = phase_model("peng-robinson", (sys.argv[3],))
tables = [n for n in sys.modules if n.startswith(("pandas", "thermo."))]
print(json.dumps([find("methyl chl")[0].name, species.critical_temperature.value, float(model.par.sum()), tables]))
"""


def process(tmp_path, *args):
    env = os.environ | {"GULCH_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", STAYS, *args], capture_output=True, text=True, timeout=300, env=env)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_what_ships_is_of_this_code_and_holds_the_common_species():
    """Red after an edit in the room of species until `script/figures` has run."""
    assert {"index", "_plain_tables", *trade_names(), *(s.cas for p in projects() for s in p.species if s.cas)} <= set(kept.shipped())


def test_a_species_that_ships_needs_no_tables(tmp_path):
    name, tc, numbers, tables = process(tmp_path, "here", "shipped", "64-17-5")
    assert (name, tables) == (find("methyl chl")[0].name, []) and tc == pytest.approx(514.0, abs=1.5)  # ethanol
    assert not (tmp_path / "cache").exists()


RARE = "629-78-7"  # heptadecane: Tc 736 K (Ambrose & Tsonopoulos, J. Chem. Eng. Data 40 (1995) 531; from memory)


def test_a_process_that_stays_has_others_gather(tmp_path):
    assert RARE not in kept.shipped() and any(row[0] == RARE for row in index())
    away = process(tmp_path, "elsewhere", "shipped", RARE)
    assert away[3] == [] and away[1] == pytest.approx(736.0, abs=3.0)
    assert [file.name for file in (tmp_path / "cache").glob("*/*.pickle")] == [f"{RARE}.pickle"]
    assert process(tmp_path / "other", "here", "shipped", RARE)[1:3] == away[1:3]


def test_several_species_are_gathered_by_one_process(tmp_path, monkeypatch):
    begun = []
    monkeypatch.setattr(kept, "_elsewhere", True)
    monkeypatch.setattr(kept, "folder", lambda: tmp_path)
    monkeypatch.setattr(kept.subprocess, "run", lambda command, **_: begun.append(command[3:]))
    monkeypatch.setattr(kept, "_asked", {})
    kept._book.cache_clear()
    try:
        kept.expect([RARE, "64-17-5", "", "593-45-3", RARE])
        kept.expect([RARE])
    finally:
        kept._book.cache_clear()
    assert begun == [[RARE, "593-45-3"]]  # the one that ships and the user's own are not asked for


def test_what_ships_says_what_the_tables_say(tmp_path):
    assert process(tmp_path, "here", "bare", "64-17-5")[1:3] == process(tmp_path, "here", "shipped", "64-17-5")[1:3]


def test_an_archive_of_other_code_or_none_is_not_believed(tmp_path, monkeypatch):
    try:
        for content in (None, b"no archive", kept.SHIPPED.read_bytes()[:-4] + b"0000"):
            if content is not None:
                (tmp_path / "shipped.zip").write_bytes(content)
            monkeypatch.setattr(kept, "SHIPPED", tmp_path / "shipped.zip")
            kept.shipped.cache_clear()
            assert kept.shipped() == {}
        lookup.cache_clear()
        assert lookup("7732-18-5").molar_mass.value == pytest.approx(0.018015, rel=1e-4)
    finally:
        kept.shipped.cache_clear()


def test_a_file_adds_to_what_ships(tmp_path, monkeypatch):
    monkeypatch.setattr(kept, "folder", lambda: tmp_path)
    try:
        kept._write("64-17-5", {("asked", "(1.0,)"): 7.0})
        kept._book.cache_clear()
        book = kept._book("64-17-5")
        assert book[("asked", "(1.0,)")] == 7.0 and ("known", "()") in book
        (tmp_path / "64-17-5.pickle").write_bytes(b"cut short")
        kept._book.cache_clear()
        assert ("known", "()") in kept._book("64-17-5")
    finally:
        kept._book.cache_clear()


def test_what_is_looked_at_is_gathered_meanwhile_and_only_once(monkeypatch, tmp_path):
    """Searching foresees; whoever takes a species while it is gathered waits for that and starts nothing of its own."""
    begun, go_on, calls = threading.Event(), threading.Event(), []

    def run(command, **_):
        calls.append(command[3:])
        begun.set()
        go_on.wait(10)

    monkeypatch.setattr(kept.subprocess, "run", run)
    monkeypatch.setattr(kept, "_elsewhere", True)
    monkeypatch.setattr(kept, "_asked", {})
    monkeypatch.setattr(kept, "folder", lambda: tmp_path)
    kept._book.cache_clear()
    kept.foresee(["111-71-7", "124-19-6"])
    assert begun.wait(10)
    kept.foresee(["112-31-2"])  # overtaken by the next one
    kept.foresee(["112-44-7"])
    ended = threading.Event()
    taker = threading.Thread(target=lambda: (kept.expect(["124-19-6"]), ended.set()))
    taker.start()
    assert not ended.wait(0.2)
    go_on.set()
    taker.join(10)
    assert ended.is_set()
    for _ in range(100):
        if kept._wish is None:
            break
        time.sleep(0.05)
    assert calls == [["111-71-7", "124-19-6"], ["112-44-7"]]
    kept._book.cache_clear()


NONE = """
import resource
from gulch.engine.species import SpeciesError, kept, lookup
from gulch.engine.species.search import find
kept.gather_elsewhere()
find("water")
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
for _ in range(2):
    try:
        lookup("999-99-9")
    except SpeciesError as error:
        print(error)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 40_000)
"""


def test_a_number_that_is_no_species_loads_no_tables(tmp_path):
    """A server that was asked for one kept 200 MB of tables for its whole life."""
    done = subprocess.run(
        [sys.executable, "-c", NONE], capture_output=True, text=True, timeout=300, env=os.environ | {"GULCH_HOME": str(tmp_path)}
    )
    assert done.stdout.splitlines() == ["The databank has no species with CAS number 999-99-9."] * 2 + ["True"], done.stderr

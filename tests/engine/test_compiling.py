"""Machine code and its absence: keys, seals, claims, whatever may be wrong with a folder, and the same figures without it."""

import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

import gulch
from gulch.demo import NAMES, projects
from gulch.engine import fluids as k
from gulch.engine.compiling import Vector, ieee, making, native, store, taking
from gulch.engine.compiling.chapters import ENTRIES, KERNELS, PARTS, Chapter, Entry, Kernel, plain
from gulch.engine.explain import solve
from gulch.engine.phases import PhaseModel
from gulch.engine.species import lookup
from gulch.engine.work import Solve, Workers, solution_of

SOURCE = Path(gulch.__file__).parents[1]
ONE = "fluids.ideal_gas.ideal_gas"  # and its entry


def run(*command, env=(), **more):
    """A Python process with another environment."""
    given = {**os.environ, **dict(env)}
    return subprocess.run([sys.executable, *command], env=given, capture_output=True, text=True, timeout=300, **more)


def make(folder, *chosen, **more):
    return run("-m", "gulch.engine.compiling.making", *chosen, env={"GULCH_KERNELS": str(folder)}, **more)


@pytest.fixture
def elsewhere(tmp_path, monkeypatch):
    """A folder of machine code of its own, empty."""
    monkeypatch.setenv("GULCH_KERNELS", str(tmp_path))
    store.folder.cache_clear()
    yield tmp_path
    store.folder.cache_clear()


@pytest.fixture
def entry():
    """An entry as it is before anybody has called it."""
    return Entry(next(e for e in ENTRIES if e.kernel.symbol == f"{ONE}_of").kernel)


def ideal_gas(entry):
    """What an entry of `ideal_gas` fills."""
    par = PhaseModel("ideal", [lookup("7732-18-5")]).par
    h, s = np.zeros(1), np.zeros(1)
    entry(450.0, par, h, s)
    return h[0], s[0]


# What a key hangs on

kernel = Chapter()
SCALE = 3.0


def marked(text, **space):
    """Functions of a made-up chapter, marked; {name: function}."""
    space |= {"kernel": kernel, "Vector": Vector, "SCALE": SCALE, "__name__": "gulch.engine.made_up.kernels.first"} | space
    exec(text, space)
    return space


CALLER = "@kernel\ndef caller(x: Vector) -> float:\n    return called(x) + part(x[0])\n"
CALLED = "@kernel\ndef called(x: Vector) -> float:\n    return {}\n"
PART = "@kernel.part\ndef part(x: float) -> float:\n    return {}\n"


@pytest.fixture
def key_of_caller():
    """The key of a kernel that calls a kernel and holds a part, by what these two say."""
    before = dict(KERNELS), set(PARTS)

    def get(called="x[0]", part="x * SCALE", **space):
        made = marked(CALLED.format(called) + PART.format(part) + CALLER, **space)
        return Kernel(made["caller"]).key

    yield get
    KERNELS.clear(), PARTS.clear()
    KERNELS.update(before[0]), PARTS.update(before[1])


def test_a_key_hangs_on_all_that_the_code_hangs_on_and_no_more(key_of_caller):
    first = key_of_caller()
    assert key_of_caller() == first
    assert key_of_caller(called="x[0] + 1.0") == first  # what a called kernel does is its own affair
    assert key_of_caller(part="x / SCALE") != first
    assert key_of_caller(part="x * 2.0") != first
    assert key_of_caller(SCALE=4.0) != first
    assert (
        Kernel(marked(CALLED.format("float(x)").replace("x: Vector", "x: float") + PART.format("x * SCALE") + CALLER)["caller"]).key
        != first
    )


def test_who_calls_a_kernel_is_made_anew_where_it_moves_to_another_chapter(key_of_caller):
    """Callers find it by a name that holds its chapter: code that looks for it where it was ends the process."""
    elsewhere = marked(CALLED.format("x[0]"), __name__="gulch.engine.made_up.kernels.second")
    moved = marked(PART.format("x * SCALE") + CALLER, called=elsewhere["called"])
    assert Kernel(moved["caller"]).key != key_of_caller()


def test_kernels_know_what_they_call():
    by_symbol = {kernel.symbol: kernel for kernel in making.wanted()}
    flash = by_symbol["fluids.flash.flash_amounts"]
    assert {c.symbol.rpartition(".")[2] for c in flash.calls} == {"flash", "present_part"}  # `spread` is a part
    closure = taking._closure(flash)
    assert closure[-1] is flash and all(c in closure[: closure.index(k)] for k in closure for c in k.calls)
    assert "fluids.cubic.attraction" in {c.symbol for c in closure}
    assert len({kernel.key for kernel in making.wanted()}) == len(by_symbol) == len(making.wanted())


# Numbers of plain kernels


@pytest.mark.parametrize("x", [-2.0, -1.0, 0.0, 0.5, 1.0, 800.0, np.inf, np.nan])
def test_plain_functions_say_what_numpy_says(x):
    with np.errstate(all="ignore"):
        for function in ieee.ONE:
            wanted = getattr(np, {"acos": "arccos"}.get(function.__name__, function.__name__))(x)
            assert function(x) == pytest.approx(wanted, rel=1e-15, nan_ok=True), function
            assert isinstance(function(x), np.float64)


def test_a_plain_kernel_neither_raises_nor_returns_numbers_of_numpy():
    def odd(x: float, y: Vector) -> tuple[float, float, bool]:
        return 1.0 / x, y[0] / ieee.log(x), x < y[0]

    assert plain(odd)(0.0, np.array([1.0])) == (np.inf, -0.0, True)
    assert [type(v) for v in plain(odd)(0.0, np.array([1.0]))] == [float, float, bool]


def test_arrays_that_do_not_lie_whole_and_whole_numbers_are_taken():
    model = PhaseModel("peng-robinson", [lookup(c) for c in ("74-85-1", "7732-18-5")])
    assert taking.take(k.flash_amounts) and taking.take(k.ideal_gas_of)
    wanted = k.flash_amounts(400.0, 1e6, np.array([3.0, 2.0]), *model.mix)
    sliced, frozen = np.array([3.0, 0.0, 2.0])[::2], np.array([3.0, 2.0])
    frozen.setflags(write=False)
    for n in (sliced, frozen, np.array([3, 2])):
        assert k.flash_amounts(400, 1_000_000, n, *model.mix)[0] == wanted[0]
    both = np.zeros((2, 4))
    k.ideal_gas_of(400.0, model.par, both[0, ::2], both[1, ::2])  # filled in place
    np.testing.assert_allclose(both[0, ::2], model.ideal_gas_properties(400.0)[0])
    with pytest.raises(ValueError):
        k.flash_amounts("hot", 1e6, np.array([3.0, 2.0]), *model.mix)


# What lies on disk


def test_machine_code_is_made_once_and_taken(elsewhere, entry, caplog):
    before = ideal_gas(entry)
    assert not entry.compiled  # nothing lies there
    done = make(elsewhere, ONE)
    assert done.returncode == 0, done.stderr
    files = {p: p.stat().st_ino for p in store.folder().iterdir() if p.suffix == ".nbc"}
    assert len(files) == 2  # the kernel and its entry
    assert make(elsewhere, ONE).returncode == 0
    assert {p: p.stat().st_ino for p in files} == files
    assert not list(store.folder().glob("*.claim"))
    assert taking.take(entry) and entry.compiled  # in the middle of a session
    assert ideal_gas(entry) == pytest.approx(before, rel=1e-13) and not caplog.records


@pytest.mark.parametrize("harm", ["cut", "other", "gone", "seal"])
def test_what_does_not_fit_its_seal_is_not_taken_and_made_again(elsewhere, entry, harm):
    assert make(elsewhere, ONE).returncode == 0
    (code,) = store.folder().glob(f"*-{entry.kernel.key}.py*.nbc")
    seal = store._seal(entry.kernel)
    {
        "cut": lambda: code.write_bytes(code.read_bytes()[:1000]),
        "other": lambda: code.write_bytes(b"\x80\x05foreign" * 500),
        "gone": lambda: code.unlink(),
        "seal": lambda: seal.write_text('["not", "a seal"]'),
    }[harm]()
    assert not taking.take(entry)
    assert np.isfinite(ideal_gas(entry)).all()
    assert not seal.exists()
    assert make(elsewhere, ONE).returncode == 0
    assert taking.take(entry)


def test_a_folder_that_cannot_be_written_is_said_and_solves_go_on(elsewhere, tmp_path, monkeypatch, entry):
    blocked = tmp_path / "blocked"
    blocked.write_text("a file stands where the folder should be")
    monkeypatch.setenv("GULCH_KERNELS", str(blocked))
    store.folder.cache_clear()
    told = making.make_all()
    assert not told.done and f"compiled kernels cannot be kept in {store.folder()}" in told.trouble
    assert "slow, since its kernels are not compiled" in told.slow and told.waits == ""
    assert not taking.take(entry) and np.isfinite(ideal_gas(entry)).all()


def test_a_full_disk_is_said(elsewhere):
    import resource

    done = make(elsewhere, ONE, preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (3000, 3000)))
    assert done.returncode == 1
    assert "Traceback" not in done.stderr and done.stderr.strip()
    assert not list(store.folder().glob("*.seal")) and not list(store.folder().glob("*.claim"))
    assert make(elsewhere, ONE).returncode == 0


def test_two_processes_at_once_share_the_work(elsewhere):
    command = [sys.executable, "-m", "gulch.engine.compiling.making", "fluids.arrays"]
    both = [subprocess.Popen(command, stderr=subprocess.PIPE) for _ in range(2)]
    said = [p.communicate(timeout=300)[1] for p in both]
    assert [p.returncode for p in both] == [0, 0], said
    kernels = [c for c in making.wanted() if c.symbol.startswith("fluids.arrays")]
    assert len(kernels) > 5 and all(store.is_sound(c) for c in kernels)


def test_a_process_that_holds_much_begins_anew_and_ends_the_work(elsewhere):
    """With no memory allowed it begins anew after its first kernel; the one that goes on has the usual measure."""
    assert 1e7 < making.held() < 1e10
    once = "from gulch.engine.compiling import making; making.MOST_MEMORY = 0.0; making.work(['fluids.arrays']); print('not anew')"
    done = run("-c", once, env={"GULCH_KERNELS": str(elsewhere)})
    assert done.returncode == 0 and "not anew" not in done.stdout
    assert all(store.is_sound(c) for c in making.wanted() if c.symbol.startswith("fluids.arrays"))


def test_what_others_have_claimed_is_waited_for(elsewhere, entry):
    store.prepare()
    assert store.claim(entry.kernel)
    process = subprocess.Popen([sys.executable, "-m", "gulch.engine.compiling.making", ONE], stderr=subprocess.PIPE)
    with pytest.raises(subprocess.TimeoutExpired):  # it has nothing else to do, and does not call that broken off
        process.wait(6.0)
    store.release(entry.kernel)
    assert process.wait(60.0) == 0 and store.is_sound(entry.kernel)


def test_a_broken_file_is_found_before_it_is_needed(elsewhere, entry):
    assert make(elsewhere, ONE).returncode == 0 and making.progress().made == 2
    (code,) = store.folder().glob(f"*-{entry.kernel.key}.py*.nbc")
    code.write_bytes(b"cut short")
    assert making.progress().made == 2 and making.looked_through().made == 1


def test_a_making_that_is_killed_says_so(elsewhere):
    begun = making.Making(processes=1)
    begun.stop()
    assert begun.ended.wait(60.0) and begun.progress().trouble == "compiling was broken off."


def test_a_claim_holds_while_its_process_lives(elsewhere, entry):
    store.prepare()
    assert store.claim(entry.kernel) and not store.claim(entry.kernel)  # this process lives
    path = store._claim(entry.kernel)
    os.utime(path, (time.time() - 2 * store.STALE,) * 2)
    assert store.claim(entry.kernel)  # too long ago
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    path.write_text(str(gone.pid))
    assert store.claim(entry.kernel)  # killed meanwhile
    path.write_text("")
    assert not store.claim(entry.kernel)  # somebody may be writing their number just now
    store.release(entry.kernel)
    assert not path.exists()


def test_what_nobody_wants_is_forgotten_after_a_month(elsewhere, entry):
    store.prepare()
    old, fresh, wanted = (
        store.folder() / n for n in ("flash.f-aaaa.py311.nbi", "flash.f-bbbb.py311.nbi", f"x-{entry.kernel.key}.py311.nbi")
    )
    for path in (old, fresh, wanted):
        path.write_bytes(b"x")
    for path in (old, wanted):
        os.utime(path, (time.time() - 2 * store.UNUSED,) * 2)
    other, strange = store.folder().parent / "cpython-310-linux-numba-0.1", store.folder().parent / "of somebody else"
    for path in (other, strange):
        path.mkdir()
        os.utime(path, (time.time() - 2 * store.UNUSED,) * 2)
    store.forget_unused([entry.kernel])
    assert strange.exists() and not other.exists()
    assert not old.exists() and fresh.exists() and wanted.exists()


def test_machine_code_is_for_any_machine_of_its_kind():
    assert native.for_any_machine()
    text = "import numba\nnumba.njit(lambda x: x)(1)\n" + USING
    done = run("-c", text)  # numba at work before, for this very processor
    assert done.returncode == 0 and "numba was put to work before Gulch was loaded" in done.stderr
    assert json.loads(done.stdout) == [False, pytest.approx(373.2, abs=1.0)]


USING = """
import json, numpy as np
from gulch.engine.compiling.chapters import ENTRIES
from gulch.engine.phases import phase_model
T = phase_model("ideal", ("7732-18-5",)).at_vapour_fraction(0.5, 101325.0, np.ones(1)).temperature
print(json.dumps([any(e.compiled for e in ENTRIES), T]))
"""


def test_a_copied_checkout_compiles_nothing(tmp_path):
    copy = tmp_path / "elsewhere" / "src"
    shutil.copytree(SOURCE / "gulch", copy / "gulch", ignore=lambda at, names: ["static"] if at.endswith("web") else [])
    done = run("-c", USING, env={"PYTHONPATH": str(copy), "GULCH_KERNELS": ""})
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)[0]


# Whole processes


def near(a, b, at=""):
    """Compare two plain structures of numbers, to 1e-9."""
    if isinstance(a, dict):
        assert a.keys() == b.keys(), at
        for key in a:
            near(a[key], b[key], f"{at}.{key}")
    elif isinstance(a, list):
        assert len(a) == len(b), at
        for i, (x, y) in enumerate(zip(a, b, strict=True)):
            near(x, y, f"{at}[{i}]")
    elif isinstance(a, float) and isinstance(b, int | float):
        assert a == pytest.approx(b, rel=1e-9, abs=1e-9), at
    else:
        assert a == b, at


@pytest.mark.slow
@pytest.mark.parametrize("name", NAMES)
def test_every_demo_has_the_same_figures_without_machine_code(tmp_path, name):
    file = SOURCE / f"gulch/demo/{name}.json"
    said = run("-m", "gulch.main", "solve", str(file), "--json", env={"GULCH_KERNELS": str(tmp_path)})
    assert said.returncode == 0 and "“gulch compile” does that" in said.stderr
    plainly = json.loads(said.stdout)
    quickly = solve(next(p for p in projects() if p.name == json.loads(file.read_text())["name"])).to_dict()
    for part in ("streams", "units", "gauges", "targets", "found"):
        near(json.loads(json.dumps(quickly[part])), plainly[part], part)


@pytest.mark.slow
def test_workers_solve_at_once_and_scans_wait_for_machine_code(elsewhere):
    """All but one kernel lie there: making that takes seconds, in which the first lane works."""
    here = store.folder()
    store.folder.cache_clear()
    del os.environ["GULCH_KERNELS"]
    shutil.copytree(store.folder(), here, dirs_exist_ok=True)
    os.environ["GULCH_KERNELS"] = str(elsewhere)
    store.folder.cache_clear()
    store.unseal(next(c for c in making.wanted() if c.symbol.endswith("newton_three")))
    workers = Workers(now=1, later=1)
    try:
        assert workers.compiling().made == workers.compiling().wanted - 1
        assert "waits: Gulch is compiling its kernels" in workers.compiling().waits
        document = projects()[1].dump()
        later = workers.submit(Solve(document), key="later", lane="later")
        now = workers.submit(Solve(document), key="now")
        assert now.wait(60.0) and now.value[0]
        assert workers.making.ended.wait(120.0)
        assert later.wait(60.0) and later.value[0] and workers.compiling() is None
        near(solution_of(now.value[1]).gauges, solution_of(later.value[1]).gauges)
    finally:
        workers.close()


def test_commands_say_when_there_is_no_machine_code(elsewhere, tmp_path):
    blocked = tmp_path / "blocked"
    blocked.write_text("")
    env = {"GULCH_KERNELS": str(blocked)}
    done = run("-m", "gulch.main", "compile", env=env)
    assert done.returncode == 1 and "cannot be kept" in done.stderr and "Traceback" not in done.stderr
    assert k.flash_amounts.kernel.symbol == "fluids.flash.flash_amounts"


ITEMS = """
import numba, numpy as np
from numba.core.runtime import rtsys
from gulch.engine.compiling import lean

lean.hasten()


def moved(x, M, C, ways, flags, n):
    kept = np.zeros(n)
    for i in range(n):
        row = M[i]
        ways[i] = i - 2
        flags[-1 - i] = x[ways[i]] > 0.0
        kept[i] = row[-1] + C[-1, i, -2] + x[-1 - i]
        C[i, -1, 0] = ways[i]
        M[-1, -1 - i] = flags[i]
        if i % 2:
            kept = kept.copy()
    x[:] = kept
    return kept, M[:, 1].sum() + kept[-1]


def given():
    rng = np.random.default_rng(5)
    return [rng.normal(size=4), rng.normal(size=(4, 4)), rng.normal(size=(4, 4, 4)), np.arange(4), np.zeros(4, bool), 4]


here, there = given(), given()
told = moved(*here)
made = numba.njit(pipeline_class=lean.Lean)(moved)
answer = made(*there)
assert all(np.array_equal(a, b) for a, b in zip((*here, *told), (*there, *answer)))
del answer
before = rtsys.get_allocation_stats()
for _ in range(10):
    made(*there)
after = rtsys.get_allocation_stats()
assert after.alloc - before.alloc == after.free - before.free >= 20, (before, after)
"""


def test_short_code_for_items_reads_and_writes_what_python_does_and_keeps_no_memory():
    """Negative indices, numbers of other kinds, views and copies, in one to three dimensions, beside the same lines in Python."""
    done = run("-c", ITEMS, env={"NUMBA_NRT_STATS": "1"})
    assert done.returncode == 0, done.stderr


def test_a_numba_that_nobody_has_tried_is_left_as_it_is(elsewhere, entry):
    """Kernels are then made by numba's own way, and say the same."""
    told = ideal_gas(entry)
    untried = "import numba, sys; numba.__version__ = '0.1'; sys.modules['gulch.engine.compiling.lean'] = None"  # what it names may be gone
    making = f"{untried}; from gulch.engine.compiling import making; making.work(['fluids.ideal_gas'])"
    done = run("-c", making, env={"GULCH_KERNELS": str(elsewhere)})
    assert done.returncode == 0, done.stderr
    assert taking.take(entry) and entry.compiled
    assert ideal_gas(entry) == pytest.approx(told, rel=1e-13)

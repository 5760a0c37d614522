"""Compiled chapters: the same cases compiled and as plain Python, and code that is compiled anew when a source changes."""

import copy
import importlib
import sys

import numba
import numpy as np
import pytest

from gulch.engine.chemistry.constants import Constant
from gulch.engine.chemistry.kernels import equilibrium, rates
from gulch.engine.chemistry.rates import RateConstant, RateLaw, pack
from gulch.engine.chemistry.reaction import Reaction
from gulch.engine.phases import PhaseModel
from gulch.engine.phases.kernels import compiling, cubic, flash, fluid, ideal_gas, phase, split, temperature
from gulch.engine.phases.kernels.constants import ENTHALPY, ENTROPY, FOUND, LIQUID, VAPOUR, VAPOUR_SHARE
from gulch.engine.species import lookup
from gulch.engine.units.reactors.kernels import plug_flow, tank

CAS = ("74-85-1", "7732-18-5", "64-17-5")  # ethylene, water, ethanol
N = np.array([3.0, 2.0, 1.0])
NU = np.array([[-1.0, -1.0, 1.0]])


def model(kind):
    return PhaseModel(kind, [lookup(c) for c in CAS])


def laws(model):
    law = RateLaw(
        constant=RateConstant(np.log(2e-5), 0.0, 2e4), forward=np.array([1.0, 1.0, 0.0]), basis="concentration", reverse="equilibrium"
    )
    reaction = Reaction("r", NU[0], 0, None, -45e3, Constant(), rate=law)
    return pack([reaction], [reaction.constant], model.n)


def cases():
    """(module, function, arguments); arrays that a function fills are compared too."""
    for kind in ("peng-robinson", "soave-redlich-kwong", "ideal"):
        m = model(kind)
        yield ideal_gas, "ideal_gas", (450.0, m.par, np.zeros(3), np.zeros(3))
        yield ideal_gas, "rackett_volume", (300.0, m.par, 1)
        for T, P in ((300.0, 2e6), (380.0, 1e5), (500.0, 5e6)):
            yield flash, "flash_amounts", (T, P, N, *m.mix)
            for name in (VAPOUR, LIQUID):
                yield phase, "phase_properties", (T, P, N / N.sum(), name, *m.mix)
                yield phase, "ln_phi_phase", (T, P, N / N.sum(), name, *m.mix)
        for column, target in ((ENTHALPY, -1.2e5), (ENTROPY, 200.0), (VAPOUR_SHARE, 0.7)):
            yield temperature, "flash_amounts_to", (2e6, target, column, N, 330.0, 1e-6, *m.mix)
        yield (
            equilibrium,
            "extents_in_phase",
            (550.0, 7e6, N.copy(), NU, NU, np.arange(3), np.array([-4.0]), np.array([0.1]), VAPOUR, 50, *m.mix),
        )
        pack_, per = laws(m)
        yield rates, "reaction_rates", (600.0, 5e6, N / N.sum(), 1e-3, VAPOUR, pack_, *m.mix)
        yield (
            tank,
            "tank",
            (600.0, 5e6, N, 2.0, False, VAPOUR, pack_, per, 0.4, 800.0, np.zeros(1), *m.mix),
        )
        fixed = np.zeros(12)
        fixed[[plug_flow.F_T, plug_flow.F_VOID, plug_flow.F_LIMIT]] = 600.0, 0.4, 2000.0
        y = np.r_[N, 0.0, 25e12, 400.0]
        yield (
            plug_flow,
            "plug_change",
            (
                y,
                VAPOUR,
                plug_flow.ISOTHERMAL,
                plug_flow.LEVEL,
                fixed,
                pack_,
                per,
                m.molar_mass,
                np.array([600.0, 0.0]),
                *m.mix,
            ),
        )
    A = np.array([[2.0, 0.0, 2.0], [4.0, 2.0, 6.0], [0.0, 1.0, 1.0]])
    yield (
        equilibrium,
        "newton_elements",
        (A, A @ N, np.array([5.0, -10.0, -5.0]), 0.0, np.log(N), np.zeros(3), 0.0, False, 0.0),
    )
    yield split, "rachford_rice", (np.array([0.5, 0.3, 0.2]), np.array([5.0, 0.3, 0.2]), -1.0)
    yield fluid, "wilson_ln_k", (400.0, 1e6, m.par, np.zeros(3))
    yield cubic, "compressibility", (0.4, 0.05, 1 + 2**0.5, 1 - 2**0.5, 0)


@pytest.fixture(scope="module")
def plain():
    """The chapters once more, as plain Python throughout."""
    own = {name: m for name, m in sys.modules.items() if name.startswith("gulch.engine.") and ".kernels" in name}
    for name in own:
        del sys.modules[name]
    numba.config.DISABLE_JIT = 1
    try:
        found = {name: importlib.import_module(name) for name in own}
    finally:
        numba.config.DISABLE_JIT = 0
        for name in [n for n in sys.modules if n.startswith("gulch.engine.") and ".kernels" in n]:
            del sys.modules[name]
        sys.modules.update(own)
        for name, module in own.items():  # packages point at their own chapters again
            parent, _, last = name.rpartition(".")
            if parent in own:
                setattr(own[parent], last, module)
            elif parent in sys.modules and last == "kernels":
                setattr(sys.modules[parent], last, module)
    return found


def numbers(value):
    return np.concatenate([numbers(v) for v in value]) if isinstance(value, tuple) else np.ravel(np.asarray(value, float))


def test_compiled_and_plain_agree(plain):
    seen = set()
    with np.errstate(all="ignore"):
        for module, name, arguments in cases():
            compiled, same = copy.deepcopy(arguments), copy.deepcopy(arguments)
            function = getattr(plain[module.__name__], name)
            assert not hasattr(function, "py_func")
            a, b = getattr(module, name)(*compiled), function(*same)
            for x, y in [(a, b)] * (a is not None) + list(zip(compiled, same, strict=True)):
                if not isinstance(x, str):
                    np.testing.assert_allclose(numbers(x), numbers(y), rtol=1e-7, atol=1e-9, err_msg=f"{name} {arguments[:3]}")
            seen.add(name)
    assert len(seen) == 14


def test_searches_of_the_cases_find_something():
    """So that the comparison above compares answers."""
    m = model("peng-robinson")
    outcome, low, high, *_ = temperature.flash_amounts_to(2e6, -1.2e5, ENTHALPY, N, 330.0, 1e-6, *m.mix)
    assert outcome == FOUND and high - low < 1e-9
    pack_, per = laws(m)
    outcome, xi, volume = tank.tank(600.0, 5e6, N, 2.0, False, VAPOUR, pack_, per, 0.4, 800.0, np.zeros(1), *m.mix)
    assert outcome == FOUND and -1.0 < xi[0] < -0.01 and volume == 2.0  # ethanol goes back at 600 K


@pytest.fixture
def two_chapters(tmp_path, monkeypatch):
    """Two chapters of a made-up package, the second importing from the first."""

    def write(first):
        compiling._stamps.clear()
        for name, text in (("first", first), ("second", "from gulch.engine.made_up.kernels.first import f\n")):
            path = tmp_path / f"{name}.py"
            path.write_text(text)
            module = type(sys)(f"gulch.engine.made_up.kernels.{name}")
            module.__file__ = str(path)
            monkeypatch.setitem(sys.modules, module.__name__, module)
        return [compiling.stamp(f"gulch.engine.made_up.kernels.{n}") for n in ("first", "second")]

    yield write
    compiling._stamps.clear()


def test_an_edit_of_a_chapter_renames_the_folders_of_all_that_use_it(two_chapters):
    before, same, after = (two_chapters(text) for text in ("f = 1\n", "f = 1\n", "f = 2\n"))
    assert before == same
    assert before[0] != after[0] and before[1] != after[1]


def test_each_chapter_compiles_into_its_own_folder():
    folders = {m: m.__dict__["kernel"].__closure__ for m in (cubic, flash, rates, tank)}
    named = {str(c.cell_contents) for cells in folders.values() for c in cells if "kernels" in str(c.cell_contents)}
    assert len(named) == len(folders)
    assert numba.config.CACHE_DIR == ""


def test_old_folders_are_forgotten(tmp_path):
    for k in range(compiling.KEPT + 3):
        (tmp_path / f"phases.kernels.cubic-{k:016x}").mkdir()
    (tmp_path / f"phases.kernels.flash-{0:016x}").mkdir()
    compiling._forget_old(tmp_path, "phases.kernels.cubic")
    assert len(list(tmp_path.glob("phases.kernels.cubic-*"))) == compiling.KEPT
    assert len(list(tmp_path.glob("phases.kernels.flash-*"))) == 1

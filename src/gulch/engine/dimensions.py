"""Kinds of quantities: their SI units, and the units offered for each. Every unit of the engine is declared here."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Dimension:
    """A kind of quantity: its SI unit and the units offered for it."""

    name: str
    si: str
    offered: tuple[str, ...]  # as a user writes them


def _dimensions() -> dict[str, Dimension]:
    rows = [
        ("temperature", "K", "degC", "K", "degF", "degR"),
        ("temperature difference", "delta_degC", "K", "degC", "degF"),
        ("pressure", "Pa", "bar", "bara", "barg", "kPa", "MPa", "Pa", "atm", "psi", "psia", "psig", "torr", "mmHg"),
        ("pressure difference", "Pa", "bar", "kPa", "Pa", "psi", "mbar"),
        ("molar flow", "mol/s", "kmol/h", "mol/s", "mol/h", "kmol/s", "kmol/d", "lbmol/h"),
        ("mass flow", "kg/s", "kg/h", "t/h", "kg/s", "t/d", "t/year", "lb/h", "short_ton/year", "g/s"),
        ("amount", "mol", "kmol", "mol", "lbmol"),
        ("heat", "J", "MJ", "kJ", "GJ", "kWh", "Btu", "MMBtu"),
        ("volume flow", "m**3/s", "m3/h", "m3/s", "L/min", "L/h", "ft3/h", "gal/min"),
        ("power", "W", "kW", "MW", "W", "GJ/h", "MJ/h", "kcal/h", "Btu/h", "MMBtu/h", "hp"),
        ("fraction", "", "%", "1", "ppm"),
        ("fraction difference", "", "points", "%", "1"),  # points of per cent, not per cent of something
        ("ratio", "", "1", "%"),
        ("count", "", "1"),
        ("molar energy", "J/mol", "kJ/mol", "J/mol", "kcal/mol", "cal/mol", "Btu/lbmol"),
        ("molar entropy", "J/mol/K", "J/(mol K)", "cal/(mol K)", "kJ/(kmol K)", "Btu/(lbmol R)"),
        ("molar mass", "kg/mol", "g/mol", "kg/kmol", "lb/lbmol"),
        ("molar volume", "m**3/mol", "m3/kmol", "L/mol", "cm3/mol", "ft3/lbmol"),
        ("molar concentration", "mol/m**3", "kmol/m3", "mol/L", "mol/m3", "mol/cm3", "lbmol/ft3"),
        ("volume", "m**3", "m3", "L", "ft3", "gal"),
        ("length", "m", "m", "cm", "mm", "ft", "in"),
        ("area", "m**2", "m2", "ft2", "cm2"),
        ("mass", "kg", "kg", "t", "lb", "g"),
        ("time", "s", "h", "s", "min", "d"),
        ("heat conductance", "W/K", "kW/K", "W/K", "Btu/(h degF)"),
        ("heat transfer coefficient", "W/m**2/K", "W/(m2 K)", "kW/(m2 K)", "Btu/(h ft2 degF)"),
        ("heat capacity flow", "W/K", "kW/K", "W/K", "Btu/(h degF)"),
        ("heat per length", "W/m", "kW/m", "W/m", "Btu/(h ft)"),
        ("viscosity", "Pa*s", "mPa s", "Pa s", "cP"),
        ("rate", "mol/m**3/s", "mol/(m3 s)", "kmol/(m3 h)", "lbmol/(ft3 h)"),
        ("rate per mass", "mol/kg/s", "mol/(kg s)", "kmol/(kg h)", "lbmol/(lb h)"),
        ("rate per area", "mol/m**2/s", "mol/(m2 s)", "kmol/(m2 h)", "lbmol/(ft2 h)"),
        ("area per volume", "1/m", "m2/m3", "cm2/cm3", "ft2/ft3"),
        ("velocity", "m/s", "m/s", "cm/s", "ft/s"),
        ("diffusivity", "m**2/s", "m2/s", "cm2/s", "ft2/h"),
        ("space velocity", "1/s", "1/h", "1/s"),
        ("mass over flow", "kg*s/mol", "kg h/kmol", "g h/mol", "kg s/mol", "lb h/lbmol"),
        ("volume over flow", "m**3*s/mol", "m3 h/kmol", "L s/mol", "L min/mol", "ft3 h/lbmol"),
        ("money", "", "1"),
        ("money rate", "1/s", "1/hr", "1/d"),
        ("permeance", "mol/m**2/s/Pa", "kmol/(m2 h bar)", "mol/(m2 s Pa)", "mol/(m2 s bar)", "lbmol/(ft2 h psi)"),
        ("frequency", "1/s", "1/d", "1/h"),
        ("density", "kg/m**3", "kg/m3", "g/cm3", "lb/ft3"),
        ("voltage", "V", "V", "mV", "kV"),
        ("current", "A", "kA", "A", "MA"),
    ]
    return {name: Dimension(name, si, tuple(units)) for name, si, *units in rows}


CONSTANT = "rate constant in "  # before the unit in which one is typed, " | " and its SI unit: its kind hangs on the orders of a law


class _Kinds(dict):
    """Kinds of quantities by name; also those of rate constants, whose names say their units."""

    def __missing__(self, name: str) -> Dimension:
        typed, apart, si = name.removeprefix(CONSTANT).partition(" | ")
        if not name.startswith(CONSTANT) or not apart:
            raise KeyError(name)
        return Dimension("rate constant", si, (typed,))


DIMENSIONS: dict[str, Dimension] = _Kinds(_dimensions())

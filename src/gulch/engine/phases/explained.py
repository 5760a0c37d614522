"""How each phase model is computed, for its help; the kernels say the same beside their code."""

from __future__ import annotations

from gulch.engine.handbook import MICHELSEN_MOLLERUP, SMITH_VAN_NESS, Relation

_FLASH = Relation(
    "least G(T, P, z) over the split in phases",
    "stability test by the tangent plane, substitution, then Newton’s method; a third phase is looked for where the test points to it",
    f"{MICHELSEN_MOLLERUP}, ch. 9 to 12",
)
_LIQUIDS = Relation(
    "v = v(model) + sum x_i c_i(T),  h = h(model) + sum x_i d_i(T)",
    "liquid volumes and heats are translated to the published ones of the pure liquids, which leaves equilibria unchanged",
    "Peneloux, Rauzy & Freze, Fluid Phase Equilib. 8 (1982) 7",
)
_IDEAL_GAS = Relation(
    "h_i = ΔHf_i(25 °C) + integral of Cp_i dT",
    "ideal-gas enthalpy from the elements; heat capacities are refitted once to one closed form",
    f"{SMITH_VAN_NESS}, ch. 4",
)
_RAOULT = Relation("y_i P = x_i Psat_i(T)", "Raoult’s law; the vapour is an ideal gas", f"{SMITH_VAN_NESS}, ch. 13")
_MIXING = Relation(
    "a = sum sum x_i x_j sqrt(a_i a_j) (1 − k_ij),  b = sum x_i b_i",
    "mixing rule; k_ij: interaction parameters",
    f"{SMITH_VAN_NESS}, ch. 15",
)
_ACTIVITY = Relation(
    "y_i phi_i P = x_i gamma_i Psat_i phi_i(sat) exp(v_i (P − Psat_i)/RT)",
    "liquid by activity coefficients, with Poynting’s factor; the vapour ideal or by SRK, paired where a carboxylic acid is in it",
    f"{SMITH_VAN_NESS}, ch. 13",
)
_HENRY = Relation(
    "ln H_i = sum x_j ln H_ij",
    "gases above their critical temperature dissolve by Henry’s law, with constants in water as published and others by predictive SRK",
    "Prausnitz, Lichtenthaler & de Azevedo, Molecular Thermodynamics, 3rd ed., ch. 10",
)
_GROUPS = Relation(
    "ln gamma_i = ln gamma_i(size and shape) + sum over groups nu_k (ln Gamma_k − ln Gamma_k(pure i))",
    "activity coefficients from structural groups",
    "Fredenslund, Jones & Prausnitz, AIChE J. 21 (1975) 1086",
)
_SRK = Relation("P = RT/(v − b) − a(T)/(v (v + b))", "equation of state", "Soave, Chem. Eng. Sci. 27 (1972) 1197")

HOW: dict[str, tuple[Relation, ...]] = {
    "ideal": (_RAOULT, _IDEAL_GAS, _LIQUIDS),
    "free-water": (
        _RAOULT,
        Relation("y_w P = Psat_w(T)", "where liquid water stands apart it is pure; it holds nothing else", "common practice"),
        _IDEAL_GAS,
        _LIQUIDS,
    ),
    "peng-robinson": (
        Relation(
            "P = RT/(v − b) − a(T)/(v (v + b) + b (v − b))", "equation of state", "Peng & Robinson, Ind. Eng. Chem. Fundam. 15 (1976) 59"
        ),
        _MIXING,
        _FLASH,
        _IDEAL_GAS,
        _LIQUIDS,
    ),
    "soave-redlich-kwong": (_SRK, _MIXING, _FLASH, _IDEAL_GAS, _LIQUIDS),
    "predictive-srk": (
        _SRK,
        Relation(
            "a/(b RT) = sum x_i a_i/(b_i RT) + (gE/RT + sum x_i ln(b/b_i))/A1,  A1 = −0.64663",
            "mixing rule with the excess Gibbs energy of structural groups",
            "Holderbaum & Gmehling, Fluid Phase Equilib. 70 (1991) 251",
        ),
        _FLASH,
        _IDEAL_GAS,
        _LIQUIDS,
    ),
    "unifac": (_ACTIVITY, _GROUPS, _HENRY, _FLASH, _IDEAL_GAS),
    "modified-unifac": (
        _ACTIVITY,
        _GROUPS,
        Relation(
            "psi_mn = exp(−(a + b T + c T²)/T),  size by r^(3/4)",
            "as modified in Dortmund",
            "Weidlich & Gmehling, Ind. Eng. Chem. Res. 26 (1987) 1372",
        ),
        _HENRY,
        _FLASH,
        _IDEAL_GAS,
    ),
    "nrtl": (
        _ACTIVITY,
        Relation(
            "ln gamma_i = sum tau_ji G_ji x_j/sum G_ki x_k + sum (x_j G_ij/sum G_kj x_k)(tau_ij − sum x_m tau_mj G_mj/sum G_kj x_k)",
            "G = exp(−alpha tau), tau = a + b/T; pairs that nobody typed are filled from UNIFAC",
            "Renon & Prausnitz, AIChE J. 14 (1968) 135",
        ),
        _HENRY,
        _FLASH,
        _IDEAL_GAS,
    ),
    "wilson": (
        _ACTIVITY,
        Relation(
            "ln gamma_i = 1 − ln sum x_j L_ij − sum x_k L_ki/sum x_j L_kj",
            "L_ij = v_j/v_i exp(−tau_ij); pairs that nobody typed are filled from UNIFAC",
            "Wilson, J. Am. Chem. Soc. 86 (1964) 127",
        ),
        _HENRY,
        _FLASH,
        _IDEAL_GAS,
    ),
    "electrolytes": (
        _ACTIVITY,
        Relation(
            "K = product of a_i^nu_i,  a_i = m_i gamma_i;  ln K = A/T + B ln T + C T + D",
            "dissociation of NH3, CO2, H2S and SO2, carbamate, and water; HCl, NaOH and salts are ions altogether",
            "Edwards, Maurer, Newman & Prausnitz, AIChE J. 24 (1978) 966",
        ),
        Relation(
            "ln gamma_i = −A z² (√I/(1 + 1.2 √I) + (2/1.2) ln(1 + 1.2 √I)) + 2 sum m_j B_ij + z² sum sum m_j m_k B'_jk + …",
            "ions by Pitzer's equations on the scale of molalities; I: ionic strength; parameters of 25 °C, up to some 6 mol/kg",
            "Pitzer, Activity Coefficients in Electrolyte Solutions, 2nd ed., ch. 3; Pitzer & Mayorga, J. Phys. Chem. 77 (1973) 2300",
        ),
        Relation("pH = −log10(m_H gamma_H)", "of the liquid with most water", "common practice"),
        _HENRY,
        _FLASH,
        _IDEAL_GAS,
    ),
}

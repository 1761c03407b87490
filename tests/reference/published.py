"""Published cases with their sources. "From memory" means: not looked up in the book here."""

ENGAGEMENT = [(0.05, 25.84), (0.10, 36.87), (0.25, 60.0), (0.50, 90.0), (1.0, 180.0)]
"""ae/D -> engagement angle in degrees. Source: geometry, phi = arccos(1 - 2 ae/D)."""

KIENZLE = {"carbon-steel": (2220, 0.14), "alloy-steel": (2500, 0.26), "grey-iron": (1160, 0.26)}
"""kc1.1 in N/mm2 and mc of Ck45, 42CrMo4 and GG-25. Source: König/Essel tables, from memory."""

UNIT_POWER = {"aluminium-wrought": (0.010, 0.025), "carbon-steel": (0.035, 0.070), "grey-iron": (0.020, 0.050)}
"""Power at the cutter over removal rate, kW per cm3/min, at a mean chip of about 0.1 to 0.2 mm.

Source: the spread of unit-power constants in machinist's handbooks (0.25 to 0.4 hp per
in3/min for aluminium, 0.8 to 1.4 for carbon steel, 0.5 to 1.0 for cast iron), from memory.
"""

SEMI_DISCRETISATION = {
    "teeth": 2,
    "tangential": 6e8,
    "radial": 2e8,
    "frequency": 922.0,
    "damping": 0.011,
    "mass": 0.03993,
}
"""The one-mode benchmark of Insperger and Stépán, Int. J. Numer. Meth. Engng 61 (2004): N/m2, Hz, kg."""

GROWTH_AT_5000 = ((0.2, 0.8192), (0.5, 1.0726), (1.0, 1.4040))
"""Depth in mm and largest eigenvalue, full slot at 5000 rpm: reference values of later papers on this benchmark
(full-discretisation method, Ding et al., Int. J. Mach. Tools Manuf. 50 (2010)), from memory."""

"""Grades of materials by name, with the values their standards give. SI."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache

KSI = 6.894757e6  # Pa


@dataclass(frozen=True, slots=True)
class Grade:
    """Values of one grade, Pa and kg/m3, and where they stand. `G` None: of an isotropic material with
    `poisson`."""

    name: str
    kind: str
    E: float
    poisson: float
    density: float
    strength: float
    where: str
    G: float | None = None


# EN 1992-1-1 table 3.1: f_ck to f_ck,cube, MPa. E_cm = 22 (f_cm / 10)^0.3 GPa with f_cm = f_ck + 8 MPa.
CONCRETE = {
    12: 15, 16: 20, 20: 25, 25: 30, 30: 37, 35: 45, 40: 50, 45: 55, 50: 60, 55: 67, 60: 75, 70: 85, 80: 95, 90: 105,
}  # fmt: skip
# EN 1993-1-1 table 3.1 (t up to 40 mm): grade to f_y, MPa.
STEEL = {"S235": 235, "S275": 275, "S355": 355, "S420": 420, "S450": 440, "S460": 460}
# ASTM grades to f_y, ksi. From memory.
ASTM = {
    "A36": 36, "A53 Gr.B": 35, "A500 Gr.B": 46, "A500 Gr.C": 50, "A572 Gr.50": 50, "A588": 50, "A913 Gr.65": 65,
    "A992": 50, "A1085": 50,
}  # fmt: skip
ACI = (2500, 3000, 3500, 4000, 5000, 6000, 7000, 8000, 10000)  # f'_c, psi
# EN 338:2016 table 1 (softwoods C, hardwoods D): E_0,mean in GPa, mean density in kg/m3; f_m,k is in the
# name. From memory.
TIMBER = {
    "C14": (7.0, 350), "C16": (8.0, 370), "C18": (9.0, 380), "C20": (9.5, 400), "C22": (10.0, 410),
    "C24": (11.0, 420), "C27": (11.5, 430), "C30": (12.0, 460), "C35": (13.0, 470), "C40": (14.0, 480),
    "C45": (15.0, 490), "C50": (16.0, 520), "D18": (9.5, 570), "D24": (10.0, 580), "D27": (10.5, 610),
    "D30": (11.0, 640), "D35": (12.0, 650), "D40": (13.0, 660), "D45": (13.5, 700), "D50": (14.0, 740),
    "D55": (15.5, 790), "D60": (17.0, 840), "D70": (20.0, 1080),
}  # fmt: skip
# EN 14080 tables 4 and 5: E_0,g,mean in GPa, mean density. G_g,mean = 0.65 GPa. From memory.
GLUED = {
    "GL20h": (8.4, 370), "GL22h": (10.5, 410), "GL24h": (11.5, 420), "GL26h": (12.1, 445), "GL28h": (12.6, 460),
    "GL30h": (13.6, 480), "GL32h": (14.2, 490), "GL24c": (11.0, 400), "GL28c": (12.5, 420), "GL30c": (13.0, 430),
    "GL32c": (13.5, 440),
}  # fmt: skip


# EN 1999-1-1 table 3.2b, profiles: alloy and temper to f_o, MPa, the lowest over their thicknesses; E, G and
# density 3.2.5. From memory.
ALUMINIUM = {"6060 T66": 150, "6063 T6": 160, "6005A T6": 200, "6061 T6": 240, "6082 T6": 250}


@cache
def grades() -> dict[str, Grade]:
    """All grades by the name the standard writes."""
    out: dict[str, Grade] = {}
    for fck, cube in CONCRETE.items():
        name = f"C{fck}/{cube}"
        e = 22e9 * ((fck + 8) / 10) ** 0.3
        # reinforced concrete weighs 25 kN/m3: EN 1991-1-1 table A.1
        out[name] = Grade(
            name, "concrete", round(e / 1e9) * 1e9, 0.2, 2500.0, fck * 1e6, f"EN 1992-1-1 table 3.1, {name}"
        )
    for psi in ACI:
        # ACI 318-19 19.2.2.1b: E_c = 57000 sqrt(f'_c) psi for normal-weight concrete; 150 lb/ft3 reinforced
        name, fc = f"{psi} psi", psi * KSI / 1000
        e = 57000 * math.sqrt(psi) * KSI / 1000
        out[name] = Grade(name, "concrete", e, 0.2, 2403.0, fc, f"ACI 318 19.2.2.1, f'c = {psi} psi")
    for name, fy in STEEL.items():
        out[name] = Grade(
            name, "steel", 210e9, 0.3, 7850.0, fy * 1e6, f"EN 1993-1-1 3.2.6 and table 3.1, {name}"
        )
    for name, ksi in ASTM.items():
        # 29,000 ksi and 490 lb/ft3: AISC 360 and the usual tables
        out[name] = Grade(name, "steel", 29000 * KSI, 0.3, 7850.0, ksi * KSI, f"AISC 360, ASTM {name}")
    for alloy, fo in ALUMINIUM.items():
        name = f"EN AW-{alloy}"
        where = f"EN 1999-1-1 3.2.5 and table 3.2b, {name}"
        out[name] = Grade(name, "aluminium", 70e9, 0.3, 2700.0, fo * 1e6, where, 27e9)
    for name, (e, density) in TIMBER.items():
        where = f"EN 338 table 1, {name}"
        out[name] = Grade(name, "timber", e * 1e9, 0.0, density, float(name[1:]) * 1e6, where, e * 1e9 / 16)
    for name, (e, density) in GLUED.items():
        where = f"EN 14080, {name}"
        out[name] = Grade(name, "timber", e * 1e9, 0.0, density, float(name[2:4]) * 1e6, where, 0.65e9)
    return out

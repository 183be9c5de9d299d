"""Storey forces: equivalent lateral forces of an earthquake by EN 1998-1 and ASCE 7, and how a height shares
a sum."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..model.entities.loads import GRAVITY
from ..model.geometry.vectors import Array

# EN 1998-1 4.3.3.2.2(3): Ct for T1 = Ct H^0.75 (H in m)
EN_CT = {
    "steel moment frames": 0.085,
    "concrete moment frames": 0.075,
    "braced eccentrically": 0.075,
    "other": 0.050,
}
# ASCE 7-16 table 12.8-2: Ct (metric) and x for Ta = Ct h^x (h in m)
ASCE_CT = {
    "steel moment frames": (0.0724, 0.8),
    "concrete moment frames": (0.0466, 0.9),
    "braced eccentrically": (0.0731, 0.75),
    "other": (0.0488, 0.75),
}


class LateralError(ValueError):
    """Values that make no lateral forces; the message says which."""


def period_en(height: float, system: str) -> float:
    """T1 = Ct H^0.75 by EN 1998-1 4.3.3.2.2(3), s; for H up to 40 m."""
    if height <= 0:
        raise LateralError("the building has no height above its base")
    return float(EN_CT[system] * height**0.75)


def period_asce(height: float, system: str) -> float:
    """Ta = Ct h^x by ASCE 7-16 12.8-7, s."""
    if height <= 0:
        raise LateralError("the building has no height above its base")
    ct, x = ASCE_CT[system]
    return float(ct * height**x)


@dataclass(slots=True)
class DesignSpectrum:
    """EN 1998-1 3.2.2.5: ag (m/s2), soil factor, corner periods (s), behaviour factor q, lower bound beta."""

    ag: float
    s: float = 1.0
    tb: float = 0.15
    tc: float = 0.4
    td: float = 2.0
    q: float = 1.5
    beta: float = 0.2

    def at(self, period: float) -> float:
        """Sd(T) in m/s2, expressions 3.13 to 3.16."""
        base = self.ag * self.s
        if period < self.tb:
            return base * (2 / 3 + period / self.tb * (2.5 / self.q - 2 / 3))
        if period <= self.tc:
            return base * 2.5 / self.q
        low = self.beta * self.ag
        if period <= self.td:
            return max(base * 2.5 / self.q * self.tc / period, low)
        return max(base * 2.5 / self.q * self.tc * self.td / period**2, low)

    def curve(self) -> list[tuple[float, float]]:
        """Points of Sd(T) up to 6 s, dense enough for straight lines between."""
        return _sampled(self.at, (self.tb, self.tc, self.td))


def vertical_en(ag: float, q: float) -> DesignSpectrum:
    """The vertical design spectrum of EN 1998-1 3.2.2.5(5) to (7), from memory: avg is 0.9 ag, with the soil
    factor 1 and the periods of table 3.4 for spectra of type 1; q is 1.5 at the most."""
    return DesignSpectrum(0.9 * ag, 1.0, 0.05, 0.15, 1.0, min(q, 1.5))


@dataclass(slots=True)
class AsceSpectrum:
    """ASCE 7-16 11.4.6 divided by R/Ie: `sds`, `sd1` in g, long-period transition `tl` (s)."""

    sds: float
    sd1: float
    r: float = 1.0
    importance: float = 1.0
    tl: float = 8.0

    def at(self, period: float) -> float:
        """Sa(T) in m/s2, expressions 11.4-5 to 11.4-7."""
        scale = GRAVITY * self.importance / self.r
        ts = self.sd1 / self.sds
        if period < 0.2 * ts:
            return scale * self.sds * (0.4 + 0.6 * period / (0.2 * ts))
        if period <= ts:
            return scale * self.sds
        return scale * self.sd1 / period * min(1.0, self.tl / period)

    def curve(self) -> list[tuple[float, float]]:
        ts = self.sd1 / self.sds
        return _sampled(self.at, (0.2 * ts, ts, self.tl))


# ASCE 7-16 table 11.9-1, from memory: Cv at these Ss (g) by site class
CV_AT = (0.2, 0.3, 0.6, 1.0, 2.0)
CV = {
    **dict.fromkeys(("A", "B"), (0.7, 0.8, 0.9, 0.9, 0.9)),
    "C": (0.7, 0.8, 1.0, 1.1, 1.3),
    **dict.fromkeys(("D", "E", "F"), (0.7, 0.9, 1.1, 1.3, 1.5)),
}


@dataclass(slots=True)
class AsceVertical:
    """The vertical design spectrum of ASCE 7-16 11.9, from memory: two thirds of the MCE one. `sds` and the
    mapped `ss` in g, `site` the class. Not divided by R."""

    sds: float
    ss: float
    site: str

    @property
    def cv(self) -> float:
        """The vertical coefficient, between its values by straight lines, level beyond them."""
        return float(np.interp(self.ss, CV_AT, CV[self.site]))

    def at(self, period: float) -> float:
        """Sav(T) in m/s2, expressions 11.9-1 to 11.9-4; SMS is 1.5 SDS."""
        scale = 2 / 3 * GRAVITY * self.cv * 1.5 * self.sds
        if period <= 0.025:
            return 0.3 * scale
        if period <= 0.05:
            return scale * (20.0 * (period - 0.025) + 0.3)
        return scale * 0.8 * min(1.0, (0.15 / max(period, 1e-9)) ** 0.75)

    def curve(self) -> list[tuple[float, float]]:
        """Points of Sav(T) up to 6 s. Beyond 2 s, where the standard gives none, it goes on falling."""
        return _sampled(self.at, (0.025, 0.05, 0.15))


def _sampled(at: Callable[[float], float], corners: tuple[float, ...]) -> list[tuple[float, float]]:
    periods = np.unique(np.concatenate([np.linspace(0.0, 6.0, 241), corners]))
    return [(float(t), float(at(float(t)))) for t in periods]


# EN 1998-1 table 3.2, type 1 spectrum: S, TB, TC, TD by ground type
GROUND_TYPE_1 = {
    "A": (1.0, 0.15, 0.4, 2.0),
    "B": (1.2, 0.15, 0.5, 2.0),
    "C": (1.15, 0.20, 0.6, 2.0),
    "D": (1.35, 0.20, 0.8, 2.0),
    "E": (1.4, 0.15, 0.5, 2.0),
}


def base_shear_en(spectrum: DesignSpectrum, period: float, mass: float, storeys: int) -> float:
    """Fb = Sd(T1) m lambda by EN 1998-1 4.5, N; lambda 0.85 when T1 <= 2 TC and there are more than two
    storeys."""
    factor = 0.85 if period <= 2 * spectrum.tc and storeys > 2 else 1.0
    return spectrum.at(period) * mass * factor


def base_shear_asce(
    sds: float,
    sd1: float,
    r: float,
    importance: float,
    period: float,
    weight: float,
    tl: float = 8.0,
    s1: float = 0.0,
) -> float:
    """V = Cs W by ASCE 7-16 12.8-1 to 12.8-6, N: `sds`, `sd1`, `s1` in g, `r` over `importance` the
    reduction."""
    if r <= 0 or importance <= 0 or sds <= 0:
        raise LateralError("SDS, R and Ie must exceed zero")
    reduction = r / importance
    cs = sds / reduction
    cap = sd1 / (period * reduction) if period <= tl else sd1 * tl / (period**2 * reduction)
    least = max(0.044 * sds * importance, 0.01)
    if s1 >= 0.6:
        least = max(least, 0.5 * s1 / reduction)
    return max(min(cs, cap), least) * weight


def share_en(mass: Array, height: Array) -> Array:
    """Fi / Fb = z_i m_i / sum z_j m_j by EN 1998-1 4.11; heights above the base (n,), m."""
    return _share(mass * height)


def share_asce(mass: Array, height: Array, period: float) -> Array:
    """Cvx = w h^k / sum w h^k by ASCE 7-16 12.8-12; k is 1 up to 0.5 s, 2 from 2.5 s, linear between."""
    k = float(np.interp(period, [0.5, 2.5], [1.0, 2.0]))
    return _share(mass * np.maximum(height, 0.0) ** k)


def _share(values: Array) -> Array:
    total = float(values.sum())
    if not total > 0:
        raise LateralError("no storey above the base has any mass")
    return np.asarray(values / total)

"""Probe checks: ice and boiling water, and the step response of a plunge."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from firnel.core.vocabulary import FloatArray
from firnel.core.words import tr

#: A probe is fine within this of ice or boiling water. [degC]
FINE_WITHIN_C = 1.0


class ProbeCheckError(ValueError):
    """A check that says nothing; the message says why."""


def boiling_point(altitude_m: float) -> float:
    r"""Boiling point of water at an altitude, in the standard atmosphere. [degC]

    Pressure by the barometric formula of the U.S. Standard Atmosphere 1976 (troposphere); boiling from the Antoine equation
    of water, :math:`\log_{10} p = 8.07131 - 1730.63 / (233.426 + T)` with p in mmHg (valid 1 to 100 degC).

    Parameters
    ----------
    altitude_m : above sea level. [m]

    Raises
    ------
    ProbeCheckError : outside -500 to 5000 m.
    """
    if not -500.0 <= altitude_m <= 5000.0:
        raise ProbeCheckError(tr("an altitude of {:g} m: roasteries stand between -500 and 5000 m.", altitude_m))
    mmhg = 760.0 * (1.0 - 2.25577e-5 * altitude_m) ** 5.25588
    return float(1730.63 / (8.07131 - np.log10(mmhg)) - 233.426)


@dataclass(frozen=True)
class OffsetCheck:
    """What a probe read in water against what it should: offset [degC] and a verdict in words."""

    expected_c: float
    read_c: float
    verdict: str

    @property
    def offset_c(self) -> float:
        """Reading minus truth. [degC]"""
        return self.read_c - self.expected_c


def check_offset(kind: str, read_c: float, altitude_m: float = 0.0) -> OffsetCheck:
    """Judge a reading in ice water or boiling water.

    Parameters
    ----------
    kind : ``ice`` or ``boiling``.
    read_c : what the probe shows once it is steady. [degC]
    altitude_m : of the roastery. [m]

    Raises
    ------
    ProbeCheckError : for another kind, or a reading more than 25 degC off, which is no offset.
    """
    if kind not in ("ice", "boiling"):
        raise ProbeCheckError(tr("{!r} is no probe check: ice or boiling.", kind))
    expected = 0.0 if kind == "ice" else boiling_point(altitude_m)
    off = read_c - expected
    if abs(off) > 25.0:
        raise ProbeCheckError(tr("{:g} °C in {} water is no offset: is the probe in the water, and in °C?", read_c, kind))
    if abs(off) <= FINE_WITHIN_C:
        return OffsetCheck(expected, read_c, tr("fine"))
    return OffsetCheck(
        expected, read_c, tr("reads {:.1f} K {}: re-seat it, check the wiring", abs(off), tr("high") if off > 0 else tr("low"))
    )


def step_response(t: FloatArray, reading: FloatArray) -> float:
    """Time constant of a probe from a logged plunge: to 63.2 % of the way. [s]

    Parameters
    ----------
    t : times, shape (n,). [s]
    reading : of the probe, steady, then plunged, then steady again, shape (n,). [degC]

    Raises
    ------
    ProbeCheckError : if the log holds no step of 20 degC, or does not settle.
    """
    known = np.isfinite(t) & np.isfinite(reading)
    t, reading = np.asarray(t, float)[known], np.asarray(reading, float)[known]
    if t.size < 10:
        raise ProbeCheckError(tr("{} readings are too few for a step response: log at least ten.", t.size))
    edge = max(3, t.size // 12)
    before, after = float(np.median(reading[:edge])), float(np.median(reading[-edge:]))
    height = after - before
    if abs(height) < 20.0:
        raise ProbeCheckError(
            tr("the readings move by {:.0f} K only: plunge the probe from air into boiling water.", abs(height))
        )
    if abs(float(np.mean(reading[-2:])) - float(np.mean(reading[-edge - 1 : -edge + 1]))) > 0.025 * abs(height):
        raise ProbeCheckError(tr("the probe has not settled at the end of the log: wait until it is steady."))
    share = (reading - before) / height
    begun = t[np.flatnonzero(share > 0.05)[0]]
    # The step began a little before it shows: a first-order probe has done 5 % after 0.051 time constants.
    reached = float(np.interp(1.0 - np.exp(-1.0), np.maximum.accumulate(share), t))
    lag = (reached - begun) / (1.0 - 0.0513)
    if lag <= 0:
        raise ProbeCheckError(tr("the step is steeper than the sampling: log faster."))
    return float(lag)

"""Eyewear: exposure limits of the eye for a point source, and the optical density that brings a
beam below them.

Formulas of ICNIRP, Health Phys. 105:271 (2013), as in IEC 60825-1:2014 Annex A, from memory.  An
aid, no certification: a qualified laser safety officer decides.
"""

from __future__ import annotations

import math

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["EDITION", "aperture_mm", "eye_limit_w_m2", "eyewear_od", "optical_density"]

EDITION = tr("IEC 60825-1:2014, ICNIRP 2013")


def eye_limit_w_m2(*, wavelength_nm: float, seconds: float) -> float:
    """Return the exposure limit at the cornea, W/m2, for 0.25 s to 30 000 s and 400 to 1400 nm or
    above 2600 nm.

    Visible: 18 t^0.75 / t up to 10 s; then 10 (thermal) and, below 600 nm, 100 C3 / t up to 100 s,
    C3 after (photochemical), the lower one.  1050 to 1400 nm: 90 C7 t^0.75 / t, 50 C7 from 10 s on.
    Far infrared: 5600 t^0.25 / t up to 10 s, 1000 after.
    """
    if not 0.25 <= seconds <= 30000:
        raise OutOfRange(tr("Exposure time"), seconds, tr("from 0.25 to 30000"), "s")
    if 400 <= wavelength_nm < 700:
        return _visible(wavelength_nm, seconds)
    if 700 <= wavelength_nm < 1400:
        c4: float
        if wavelength_nm >= 1050:
            c4 = 5.0
        else:
            c4 = 10 ** (0.002 * (wavelength_nm - 700))
        c7: float
        if wavelength_nm < 1150:
            c7 = 1.0
        else:
            c7 = 10 ** (0.018 * (min(wavelength_nm, 1200) - 1150))
        if seconds >= 10:
            return float(10 * c4 * c7)
        return float((90 * c7 if wavelength_nm >= 1050 else 18 * c4) * seconds**0.75 / seconds)
    if wavelength_nm > 2600:
        if seconds < 10:
            return float(5600 * seconds**0.25 / seconds)
        return 1000.0
    raise OutOfRange(tr("Wavelength"), wavelength_nm, tr("from 400 to 1400 or above 2600"), "nm")


def _visible(wavelength_nm: float, seconds: float) -> float:
    thermal = 10.0
    if seconds < 10:
        thermal = 18 * seconds**0.75 / seconds
    if seconds < 10 or wavelength_nm >= 600:
        return thermal
    if wavelength_nm <= 450:
        c3 = 1.0
    else:
        c3 = 10 ** (0.02 * (wavelength_nm - 450))
    return min(thermal, 100 * c3 / min(seconds, 100.0))


def aperture_mm(*, wavelength_nm: float, seconds: float) -> float:
    """Return the limiting aperture over which an exposure is averaged, mm: the pupil, or 1 to 3.5
    mm above 1400 nm.
    """
    if wavelength_nm < 1400:
        return 7.0
    if seconds <= 0.35:
        return 1.0
    if seconds >= 10:
        return 3.5
    return float(1.5 * seconds**0.375)


def optical_density(*, power_w: float, wavelength_nm: float, seconds: float) -> float:
    """Return the optical density needed against the whole beam inside the aperture: log10(P / A /
    limit), at least 0.
    """
    if not (math.isfinite(power_w) and power_w > 0):
        raise OutOfRange(tr("Power"), power_w, tr("above 0"), "W")
    area_m2 = math.pi * (aperture_mm(wavelength_nm=wavelength_nm, seconds=seconds) / 2000) ** 2
    return max(
        0.0,
        math.log10(
            power_w / area_m2 / eye_limit_w_m2(wavelength_nm=wavelength_nm, seconds=seconds)
        ),
    )


def eyewear_od(*, power_w: float, wavelength_nm: float, seconds: float) -> float | None:
    """Return the optical density to ask of eyewear, rounded up to a tenth; None where no formula
    covers the wavelength.
    """
    if not (400 <= wavelength_nm < 1400 or wavelength_nm > 2600):
        return None
    return (
        math.ceil(
            10 * optical_density(power_w=power_w, wavelength_nm=wavelength_nm, seconds=seconds)
        )
        / 10
    )

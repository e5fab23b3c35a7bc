"""Heights of the head: focus from a gauge, and how to keep a mirror's reflection out of
the lens.
"""

from __future__ import annotations

import math

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.words import tr

__all__ = ["head_height", "mirror_offset", "mirror_tilt_deg"]


def head_height(
    *, gauge_mm: float, focus_below_face_mm: float = 0.0, mask_mm: float = 0.0
) -> float:
    """Return the gap to set between the head and the top of what lies there, mm.

    The gauge gives the gap at which the focus lies on the face it stands on.  Lowering the focus by
    f lowers the head by f; a mask under the gauge lifts it by its thickness, so the head must come
    down by that too.
    """
    for name, value in ((tr("Gauge"), gauge_mm), (tr("Mask"), mask_mm)):
        if not 0 <= value <= 500:
            raise OutOfRange(name, value, tr("from 0 to 500"), "mm")
    gap = gauge_mm - focus_below_face_mm - mask_mm
    if not gap > 0:
        raise OutOfRange(
            tr("Gap under the head"), gap, tr("above 0; the head would touch the stock"), "mm"
        )
    return gap


def mirror_offset(*, lens_opening_mm: float, beam_at_lens_mm: float) -> float:
    """Return how far off the axis a shiny piece must lie under a scan head so that its reflection
    misses the lens, mm.

    The beam reaches a point at x off the axis slanted, and a flat mirror sends it on to 2x at the
    lens; it misses when 2x is more than the sum of the radii of opening and beam: x = (opening +
    beam) / 4.  Geometry, our own.
    """
    for name, value in (
        (tr("Lens opening"), lens_opening_mm),
        (tr("Beam at the lens"), beam_at_lens_mm),
    ):
        if not 0 < value <= 500:
            raise OutOfRange(name, value, tr("above 0 and at most 500"), "mm")
    return (lens_opening_mm + beam_at_lens_mm) / 4


def mirror_tilt_deg(
    *, working_distance_mm: float, lens_opening_mm: float, beam_at_lens_mm: float
) -> float:
    """Return the tilt of a shiny piece under a head that looks straight down, degrees:
    atan((opening + beam) / 2 wd) / 2.

    A mirror tilted by t turns the reflection by 2t.  Geometry, our own.
    """
    if not 0 < working_distance_mm <= 2000:
        raise OutOfRange(
            tr("Working distance"), working_distance_mm, tr("above 0 and at most 2000"), "mm"
        )
    away = 2 * mirror_offset(lens_opening_mm=lens_opening_mm, beam_at_lens_mm=beam_at_lens_mm)
    return math.degrees(math.atan(away / working_distance_mm)) / 2

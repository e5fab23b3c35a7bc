"""What the weekly checks of a machine found: how much more energy a burn needs now than it did
before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

__all__ = ["Drift", "WeeklyCheck", "drift_since"]

SURE_SD = 1.64  # standard errors by which a drift must stand out: one-sided 95 %


@dataclass(frozen=True)
class WeeklyCheck:
    """One weekly check.

    Checks with the same `series` burn the same ladder on the same lot and can be compared.

    `needs` is ln(energy that this check needed / energy that the first of its series needed); `sd`
    its standard error.  A series goes on through the machine's states.
    """

    machine_uid: str
    machine_state: int
    series: str
    on: str  # ISO date
    needs: float
    sd: float
    trial_id: str = ""


@dataclass(frozen=True)
class Drift:
    """How much more energy is needed (ln; negative: less) at the newest check than at the one
    before a day, and its date.
    """

    more: float
    on: str


def drift_since(checks: Sequence[WeeklyCheck], day: str, *, machine_state: int) -> Drift | None:
    """Return what has drifted since an ISO date by the newest check after it; None where no drift
    stands out.

    The newest is compared with the last check of its series up to that day, else with the first
    one.
    """
    after = [check for check in checks if check.on > day and check.machine_state == machine_state]
    if not after:
        return None
    newest = max(after, key=lambda check: check.on)
    series = [
        check
        for check in checks
        if (check.series, check.machine_state) == (newest.series, machine_state)
    ]
    before = max(
        (c for c in series if c.on <= day),
        key=lambda c: c.on,
        default=min(series, key=lambda c: c.on),
    )
    more = newest.needs - before.needs
    if abs(more) > SURE_SD * (newest.sd**2 + before.sd**2) ** 0.5:
        return Drift(more, newest.on)
    return None

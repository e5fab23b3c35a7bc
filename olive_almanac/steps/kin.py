"""How far lots, stocks and machines of this shop differ, learnt from its own read coupons.

The work reads the library in a worker; coupons of the stand-in count in a playground alone.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from datetime import date
from typing import TYPE_CHECKING, Any

from olive_almanac.core.design.kinds.kind import kind_of
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.trial import Trial
from olive_almanac.steps.trials import counted

if TYPE_CHECKING:
    from olive_almanac.core.fitting.kin_learning import KinGroup, KinSds
    from olive_almanac.core.upkeep.drift_told import MachineDrift
    from olive_almanac.steps.ports import Library
    from olive_almanac.steps.session import Session

__all__ = ["KinLearner"]

READ = ("decide", "book")
Coupon = tuple[Trial, tuple[Reading, ...]]


class KinLearner:
    """Holds what was learnt of the library that is open; groups whose coupons are the same are not
    fitted again.
    """

    def __init__(self, session: Session) -> None:
        self.session = session
        self.forget()

    def forget(self) -> None:
        """Forget everything: another library is open."""
        self.sds: KinSds | None = None
        self._fitted: dict[tuple[object, ...], tuple[object, KinGroup | None]] = {}

    def take(self, sds: KinSds) -> None:
        """Take what was learnt."""
        self.sds = sds

    def work(self) -> Iterator[KinSds]:
        """Return the work that learns from all read coupons of cuts: for a worker."""
        session = self.session
        library, fitted = session.store, self._fitted
        trials = [
            trial
            for trial, stage, _ in session.trials.kept
            if trial.task == "cut" and stage in READ and kind_of(trial.kind).teaches_setting
        ]
        drifts = dict(session.shop.watch.told)

        def run() -> Iterator[KinSds]:
            from olive_almanac.core.fitting.kin_learning import learn_kin

            groups = _groups_of(library, trials)
            found = []
            for key, coupons in groups.items():
                if key not in fitted or fitted[key][0] != coupons:
                    fitted[key] = (coupons, _fit(coupons))
                group = fitted[key][1]
                if group is not None:
                    found.append(_without_drift(group, coupons, drifts))
            yield learn_kin(found)

        return run()


def _groups_of(library: Library, trials: list[Trial]) -> dict[tuple[object, ...], list[Coupon]]:
    from olive_almanac.core.deciding.cut_knowledge import group_key
    from olive_almanac.core.fitting.recipes import by_recipe

    groups: dict[tuple[object, ...], list[Coupon]] = {}
    for trial in trials:
        readings = tuple(counted(library, library.readings(trial.id)))
        for part, told in by_recipe([(trial, readings)]):
            if told:
                groups.setdefault(group_key(part), []).append((part, tuple(told)))
    return groups


def _fit(coupons: list[Coupon]) -> Any:
    """What a group says, fitted on its family's prior alone."""
    import numpy as np

    from olive_almanac.core.deciding.cut_knowledge import FIT_SEED
    from olive_almanac.core.fitting.cut import case_of, data_of, fit_cut
    from olive_almanac.core.fitting.kin_carry import KinFit, kin_group
    from olive_almanac.core.fitting.prior import family_prior
    from olive_almanac.core.fitting.transfer import transfer_between

    first = coupons[0][0]
    machine, stock = first.machine, first.stock
    case = case_of(machine, stock, first.recipe)
    data = data_of(case, coupons)
    if not len(data):
        return None
    rng = np.random.default_rng(FIT_SEED)
    posterior = fit_cut(case, data, rng=rng, prior=family_prior(case.prior))
    itself = transfer_between(machine, stock, machine, stock)
    return kin_group(KinFit(machine, stock, case, posterior, itself))


def _without_drift(
    group: KinGroup, coupons: list[Coupon], drifts: dict[str, MachineDrift | None]
) -> KinGroup:
    """A group as its machine was when its record began: else a dirty lens becomes a lot."""
    from dataclasses import replace

    drift = drifts.get(coupons[0][0].machine.uid)
    if drift is None or drift.level == "unknown":
        return group
    days = [date.fromisoformat(trial.made).toordinal() + 0.5 for trial, _ in coupons]
    at = bisect_right([point.day for point in drift.path], sum(days) / len(days))
    if at == 0:
        return group
    return replace(group, energy=group.energy - drift.path[at - 1].need)

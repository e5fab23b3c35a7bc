"""Learning how far a shop's lots differ from its own library: what counts, what is fitted again."""

import math
from dataclasses import replace
from unittest import mock

from olive_almanac.core.fitting.kin_learning import usual_kin
from olive_almanac.core.upkeep.drift_told import PathPoint
from olive_almanac.steps import kin
from olive_almanac.storage.library import Library
from tests.samples import BIRCH, cut_trial, read_by_energy
from tests.steps.test_presenters import SessionCase

LOTS = (("a", 1.2), ("b", 3.4), ("c", 1.3), ("d", 3.5), ("e", 1.1), ("f", 3.6))


class KinLearnerTest(SessionCase):
    def keep(self, library, lot, edge_j_mm, *, simulated=False):
        trial = cut_trial()
        trial = replace(trial, id=f"t{lot}", name=f"T {lot}", stock=replace(BIRCH, lot=lot))
        readings = [replace(one, simulated=simulated) for one in read_by_energy(trial, edge_j_mm)]
        library.save_trial(trial, "decide", "read")
        library.save_readings(trial.id, readings, "read")

    def learnt(self):
        learner = self.session.shop.kin
        for sds in learner.work():
            learner.take(sds)
        return learner.sds

    def test_uneven_lots_are_learnt_group_by_group(self):
        self.fill()
        for lot, edge in LOTS:
            self.keep(self.library, lot, edge)
        self.session.attach(self.library)
        sds = self.learnt()
        self.assertEqual(sds.groups, len(LOTS))
        lots, usual = sds.sd_of_difference("lot")[0], usual_kin().sd_of_difference("lot")[0]
        self.assertGreater(lots, 1.3 * usual)

    def test_a_group_whose_coupons_are_the_same_is_not_fitted_again(self):
        self.fill()
        for lot, edge in LOTS[:3]:
            self.keep(self.library, lot, edge)
        self.session.attach(self.library)
        first = self.learnt()
        with mock.patch.object(kin, "_fit", wraps=kin._fit) as fit:
            self.assertEqual(self.learnt(), first)
            fit.assert_not_called()
            self.keep(self.library, *LOTS[3])
            self.session.read_again()
            self.assertEqual(self.learnt().groups, 4)
            fit.assert_called_once()

    def test_burns_of_the_stand_in_teach_nothing_in_a_real_library(self):
        folder = self.folder / "real"
        real = Library.open(folder)
        self.addCleanup(real.close)
        for lot, edge in LOTS:
            self.keep(real, lot, edge, simulated=True)
        self.session.attach(real)
        self.assertEqual(self.learnt(), usual_kin())

    def test_a_weak_machine_is_not_taken_for_a_hard_lot(self):
        """What the machine had drifted by then is taken off: a lot burnt on it is as the others."""
        self.fill()
        for lot, edge in (("a", 2.6), ("b", 2.6 * math.exp(0.2))):
            self.keep(self.library, lot, edge)
        self.session.attach(self.library)
        told = mock.Mock(level="alarm", path=(PathPoint(1.0, 0.0, 0.2, 0.01),))
        groups = []
        with mock.patch("olive_almanac.core.fitting.kin_learning.learn_kin", groups.append):
            list(self.session.shop.kin.work())
            machine = cut_trial().machine.uid
            self.session.shop.watch.told[machine] = told
            list(self.session.shop.kin.work())
        plain, drifted = groups
        for before, after in zip(plain, drifted, strict=True):
            self.assertAlmostEqual(before.energy - after.energy, 0.2)

    def test_another_library_begins_anew(self):
        self.fill()
        for lot, edge in LOTS:
            self.keep(self.library, lot, edge)
        self.session.attach(self.library)
        self.learnt()
        self.session.attach(self.library)
        self.assertIsNone(self.session.shop.kin.sds)

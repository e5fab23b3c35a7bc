"""Pieces of a job on the stand-in bench: slow ones fall free, quick ones hang, a day is shared."""

import unittest

from olive_almanac.core.records.setting import Setting
from olive_almanac.standins.bench import StandInBench
from tests.samples import BIRCH, LONG


class PiecesTest(unittest.TestCase):
    def fates(self, speed_mm_s, *, seed=3, day=0, count=20, length_mm=240.0):
        bench = StandInBench(seed)
        setting = Setting(1.0, speed_mm_s, 1, 1.5)
        return bench.cut_pieces(LONG, BIRCH, setting, [length_mm] * count, day=day)

    def test_slow_pieces_fall_free_and_quick_ones_hang(self):
        self.assertNotIn("hangs", self.fates(4.0))
        self.assertEqual(set(self.fates(200.0)), {"hangs"})

    def test_the_same_day_comes_out_alike_and_longer_cuts_hang_more(self):
        best = StandInBench(3).best(LONG, BIRCH, "cut")[0].speed_mm_s
        self.assertEqual(self.fates(best), self.fates(best))
        quick = [1.25 * best] * 12
        short, long = (
            sum(self.fates(v, day=d, length_mm=mm).count("hangs") for d, v in enumerate(quick))
            for mm in (60.0, 900.0)
        )
        self.assertLess(short, long)

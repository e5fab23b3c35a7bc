"""Two changes of one record put together."""

import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from olive_almanac.core.records.entry import Proof, Room
from olive_almanac.core.records.merge import merge_changes
from olive_almanac.core.records.run import CellBurn, RunRecord
from tests.samples import BIRCH, sample_entry

RUN = RunRecord(by="machine", log=("begun",), ticks={"focus": "9:00"})
names = st.sets(st.sampled_from("abcdefgh"), max_size=6)


class MergeTest(unittest.TestCase):
    def test_a_failure_here_and_a_good_burn_there_both_stand(self):
        base = sample_entry(proofs=())
        failed, passed = Proof("2026-04-14", "failed"), Proof("2026-04-14", "passed")
        both, clashes = merge_changes(
            base, replace(base, proofs=(failed,)), replace(base, proofs=(passed,))
        )
        self.assertEqual((both.proofs, clashes), ((passed, failed), ()))

    def test_ticks_here_and_the_air_there_both_stand(self):
        mine = replace(RUN, ticks={**RUN.ticks, "square": "9:05"}, cells={"A1": CellBurn()})
        theirs = replace(RUN, room=Room(21.0), cells={"A2": CellBurn(flared=True)}, log=("x",))
        both, clashes = merge_changes(RUN, mine, theirs)
        self.assertEqual(clashes, ())
        self.assertEqual((both.ticks, both.room), (mine.ticks, Room(21.0)))
        self.assertEqual((set(both.cells), both.log), ({"A1", "A2"}, ("x",)))

    def test_the_same_field_changed_twice_is_told_and_theirs_stands(self):
        mine, theirs = replace(BIRCH, colour="light"), replace(BIRCH, colour="dark", lot="8")
        both, clashes = merge_changes(BIRCH, mine, theirs)
        self.assertEqual((both, clashes), (theirs, ("colour",)))

    def test_inner_records_are_put_together_too(self):
        base = sample_entry()
        mine = replace(base, setting=replace(base.setting, power=0.5))
        theirs = replace(base, setting=replace(base.setting, passes=3))
        both, clashes = merge_changes(base, mine, theirs)
        self.assertEqual((both.setting.power, both.setting.passes, clashes), (0.5, 3, ()))
        slower = replace(base, setting=replace(base.setting, power=0.6))
        self.assertEqual(merge_changes(base, mine, slower)[1], ("setting.power",))

    @given(names, names, names)
    def test_what_either_added_is_there_and_what_either_took_away_is_not(self, was, ours, other):
        def run(cells):
            return replace(
                RUN, cells=dict.fromkeys(sorted(cells), CellBurn()), maybe=tuple(sorted(cells))
            )

        both, clashes = merge_changes(run(was), run(ours), run(other))
        wanted = (was & ours & other) | (ours - was) | (other - was)
        self.assertEqual((set(both.cells), set(both.maybe), clashes), (wanted, wanted, ()))


if __name__ == "__main__":
    unittest.main()

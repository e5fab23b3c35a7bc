"""Several photos of one side: what they show together of cells with known answers."""

import unittest
from dataclasses import replace

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.photo.together import DIFFER, seen_together, tones_apart
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.run import (
    MOST_OF_SIDE,
    CellBurn,
    KeptPhoto,
    RunRecord,
    photos_of,
    side_shown,
    with_photo,
    without_photo,
)
from olive_almanac.core.records.sight import CellSight
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.photo import cells_of_side, together_told
from tests.samples import kind_plan


def toned(cell, delta_l, *flags, **more):
    return CellSight(cell, 0.9, flags, delta_l=delta_l, lightness=80 + delta_l, **more)


def cut(cell, out, *flags, **more):
    return CellSight(cell, 0.9, flags, out=out, **more)


class TogetherTest(unittest.TestCase):
    def test_one_photo_is_taken_as_it_is(self):
        cells = (toned("A1", -20.0), toned("A2", -10.0, "clipped"))
        self.assertEqual(seen_together([cells]), cells)

    def test_a_cell_that_one_cannot_judge_is_judged_by_the_other(self):
        first = (toned("A1", -4.0, "uneven_light"), toned("A2", -30.0))
        second = (toned("A1", -20.0), toned("A2", -31.0, "bright_spot", "clipped"))
        one, two = seen_together([first, second])
        self.assertEqual((one.delta_l, one.flags), (-20.0, ()))
        self.assertEqual((two.delta_l, two.flags), (-30.0, ()))

    def test_where_none_can_the_one_with_the_fewest_faults_tells_why(self):
        (cell,) = seen_together(
            [[toned("A1", -4.0, "clipped", "gradient")], [toned("A1", -9.0, "blur")]]
        )
        self.assertEqual(cell.flags, ("blur",))

    def test_tones_are_their_mean_and_gross_contradictions_do_not_count(self):
        (cell,) = seen_together([[toned("A1", -20.0, evenness=1.0)], [toned("A1", -23.0)]])
        self.assertEqual((cell.delta_l, cell.lightness, cell.evenness), (-21.5, 58.5, 1.0))
        (cell,) = seen_together([[toned("A1", -20.0)], [toned("A1", -25.5)]])
        self.assertEqual(cell.flags, (DIFFER,))
        (cell,) = seen_together([[toned("A1", d)] for d in (-20.0, -33.0, -21.0)])
        self.assertEqual((cell.delta_l, cell.flags), (-20.5, ()))

    def test_whether_a_piece_is_out_is_told_by_the_most(self):
        pair = [[cut("A1", True)], [cut("A1", False)]]
        self.assertEqual(seen_together(pair)[0].flags, (DIFFER,))
        self.assertIs(seen_together([*pair, [cut("A1", True)]])[0].out, True)
        self.assertIs(seen_together([*pair, [cut("A1", True, "unsure")]])[0].out, True)

    def test_cells_of_any_photo_are_told(self):
        cells = seen_together([[toned("A1", -20.0)], [toned("A2", -21.0)]])
        self.assertEqual([cell.cell for cell in cells], ["A1", "A2"])

    def test_how_far_tones_lie_apart(self):
        self.assertIsNone(tones_apart([[toned("A1", -20.0)], [toned("A1", -25.0, "blur")]]))
        pair = [[toned("A1", -20.0), toned("A2", -9.0)], [toned("A1", -21.0), toned("A2", -12.0)]]
        self.assertEqual(tones_apart(pair), 2.0)


class KeptPhotosTest(unittest.TestCase):
    def kept(self, name, *cells):
        return KeptPhoto(name, cells=cells)

    def test_photos_of_a_side_are_numbered_and_the_same_picture_is_kept_once(self):
        photos, name = with_photo({}, "front", self.kept("a"))
        self.assertEqual(name, "front")
        photos, name = with_photo(photos, "front", self.kept("b"))
        self.assertEqual((name, side_shown(name)), ("front 2", "front"))
        photos, name = with_photo(photos, "back", self.kept("c"))
        again, name = with_photo(photos, "front", replace(self.kept("a"), source="later"))
        self.assertEqual((name, len(again)), ("front", 3))
        self.assertEqual(photos_of(photos, "front"), ("front", "front 2"))
        left = without_photo(photos, "front")
        self.assertEqual({key: one.name for key, one in left.items()}, {"back": "c", "front": "b"})

    def test_enough_is_enough(self):
        photos = {}
        for n in range(MOST_OF_SIDE):
            photos, _ = with_photo(photos, "front", self.kept(str(n)))
        with self.assertRaisesRegex(OutOfRange, "take one away first"):
            with_photo(photos, "front", self.kept("more"))
        with_photo(photos, "back", self.kept("more"))

    def test_what_the_second_adds_is_told(self):
        trial = kind_plan("grid", "engrave").trial
        first = self.kept("a", toned("A1", -20.0), toned("A2", -3.0, "clipped"))
        second = self.kept("b", toned("A1", -22.0), toned("A2", -9.0))
        run = RunRecord(cells={"A1": CellBurn()}, photos={"front": first})
        one = ActiveTrial(trial, "read", run=run)
        self.assertIn("1 of 2 cells are struck out: a second photo", together_told(one, "front"))
        read = replace(one, readings={"A2": Reading("A2", "right")})
        self.assertEqual(together_told(read, "front"), "")
        dark = self.kept("a", toned("A1", -20.0), toned("A2", -3.0, "needs_lightness"))
        unknown = replace(one, run=replace(run, photos={"front": dark}))
        self.assertEqual(together_told(unknown, "front"), "")
        self.assertEqual(together_told(one, "back"), "")
        both = replace(one, run=replace(run, photos={"front": first, "front 2": second}))
        self.assertEqual(
            together_told(both, "front"),
            "2 photos together judge 2 of 2 cells, the first alone 1. "
            "Their tones differ by 2 L* in the mean.",
        )
        self.assertEqual([cell.delta_l for cell in cells_of_side(both, "front")], [-21.0, -9.0])


if __name__ == "__main__":
    unittest.main()

"""The rack without a window: sheets, clamps and used areas as things, kept at once and undone."""

from dataclasses import replace

from olive_almanac.core.placing.room import free_share, largest_piece
from olive_almanac.core.records.stock import Sheet
from olive_almanac.steps.rack import RackPresenter
from tests.samples import BIRCH
from tests.steps.test_planning import PlannerCase


class RackCase(PlannerCase):
    def setUp(self):
        super().setUp()
        sheets = (Sheet(400, 250, ((5, 5, 105, 80),), ((0, 100, 15, 130),)), Sheet(130, 90))
        self.session.shop.keep_stock(replace(BIRCH, sheets=sheets), "sheets noted")
        self.rack = RackPresenter(self.session, self)
        self.screens, self.refused = [], []
        self.rack.show()

    def show_rack(self, screen):
        self.screens.append(screen)

    def show_bad_field(self, key, problem):
        self.refused.append((key, problem))

    @property
    def kept(self):
        return self.session.catalogue.stock(BIRCH.uid).sheets


class RackTest(RackCase):
    def test_a_clamp_is_moved_as_one_change_and_undone_as_one(self):
        before = self.kept
        self.rack.take(self.screens[-1].things[0])
        for _ in range(3):
            self.rack.move(0, 10)
        self.assertEqual(self.kept, before)  # until it is let go
        self.rack.settle()
        self.assertEqual(self.kept[0].clamps_mm, ((0, 130, 15, 160),))
        self.session.undo_stack.undo()
        self.assertEqual(self.kept, before)

    def test_nothing_leaves_its_sheet(self):
        self.rack.take(self.screens[-1].things[0])
        self.rack.move(-900, 900)
        self.rack.settle()
        _, low, right, _ = self.kept[0].clamps_mm[0]
        self.assertEqual((right, low), (1, 249))  # a clamp stands over the edge
        self.rack.take(self.screens[-1].things[1])
        self.rack.move(900, -900)
        self.rack.settle()
        self.assertEqual(self.kept[0].used_mm, ((300, 0, 400, 75),))
        self.rack.stretch((1, 1), (0, 999))
        self.rack.settle()
        self.assertEqual(self.kept[0].used_mm, ((300, 0, 301, 250),))

    def test_a_place_that_is_typed_is_refused_by_its_field(self):
        self.rack.take(self.screens[-1].things[1])
        self.rack.type_place({"left": "20", "low": "30", "wide": "40,5", "high": "10"})
        self.assertEqual(self.kept[0].used_mm, ((20, 30, 60.5, 40),))
        for key, bad in (("wide", "0"), ("high", "-3")):
            texts = {"left": "20", "low": "30", "wide": "40", "high": "10"} | {key: bad}
            self.rack.type_place(texts)
            self.assertEqual(self.refused[-1][0], key)
        self.assertEqual(self.kept[0].used_mm, ((20, 30, 60.5, 40),))

    def test_sheets_come_and_go(self):
        self.assertTrue(self.rack.add_sheet("12 x 8 in"))
        self.assertAlmostEqual(self.kept[2].width_mm, 304.8, 9)
        self.assertAlmostEqual(self.kept[2].height_mm, 203.2, 9)
        self.assertEqual(self.screens[-1].at, 2)
        for bad in ("", "300", "300x", "0x5", "300 x -2", "9e9 x 3"):
            self.assertFalse(self.rack.add_sheet(bad), bad)
            self.assertEqual(self.refused[-1][0], "new")
        self.rack.choose_sheet(0)
        self.rack.remove_sheet()
        self.assertEqual([round(sheet.width_mm, 1) for sheet in self.kept], [130, 304.8])

    def test_what_is_added_lies_where_there_is_room(self):
        self.rack.add_thing("clamp")
        self.rack.add_thing("used")
        sheet = self.kept[0]
        boxes = (*sheet.clamps_mm, *sheet.used_mm)
        self.assertEqual(len(boxes), 4)
        for n, one in enumerate(boxes):
            for other in boxes[:n]:
                apart = (one[2] <= other[0], other[2] <= one[0], one[3] <= other[1])
                self.assertTrue(any(apart) or other[3] <= one[1], (one, other))
        self.rack.remove_thing()
        self.assertEqual(len(self.kept[0].used_mm), 1)

    def test_what_is_free_is_told_with_its_worth(self):
        # 400 x 250 less 100 x 75 used less 15 x 30 under the clamp: 92.05 %
        self.assertAlmostEqual(free_share(self.kept[0]), 0.9205, 12)
        overlapping = Sheet(100, 100, ((0, 0, 60, 50), (40, 0, 100, 50)), ((-5, 40, 10, 60),))
        self.assertAlmostEqual(free_share(overlapping), 0.49, 12)
        self.assertEqual(largest_piece(Sheet(100, 50, ((0, 0, 20, 50),)), 0.0), (20, 0, 100, 50))
        self.assertIsNone(largest_piece(Sheet(10, 10, ((0, 0, 10, 10),)), 0.0))
        self.session.shop.keep_stock(replace(BIRCH, sheets=self.kept, price_m2=20.0), "price")
        self.rack.show()
        self.assertEqual(self.screens[-1].free_words, "92 % free, worth 1.84 of 2.00")

"""What decisions say: kept picks, enough, never, tones to aim at, ripple and defects; and records
read the quick way.
"""

import json
import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from olive_almanac.core.deciding.cut import decide_cut, margin_sentence
from olive_almanac.core.deciding.cut_knowledge import (
    PICK_NODES,
    PICK_PARTICLES,
    know_cut,
    margins_of,
)
from olive_almanac.core.deciding.engrave import decide_engrave, know_tone
from olive_almanac.core.deciding.scan import USUAL_DRIFT, open_speeds, scan_cut
from olive_almanac.core.design.next_cells import next_cut_cells
from olive_almanac.core.errors import BadFile
from olive_almanac.core.notes.entries import rows_of_lines
from olive_almanac.core.records.entry import Entry, Margins
from olive_almanac.core.records.machine import Machine
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Stock
from olive_almanac.core.records.trial import Trial
from olive_almanac.formats.notes import read_pasted
from olive_almanac.storage.exchange import merged_rows
from tests.samples import (
    BIRCH,
    LONG,
    NORTH,
    bring_in_plainly,
    cut_trial,
    engrave_trial,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
)


def know(*pairs, **more):
    return know_cut(LONG, BIRCH, pairs, rng=np.random.default_rng(3), **more)


class CutWordsTest(unittest.TestCase):
    def setUp(self):
        self.trial = cut_trial()
        self.pairs = [(self.trial, read_by_energy(self.trial, 2.2))]
        self.known = know(*self.pairs)

    def test_the_last_pick_stays_while_it_is_nearly_as_quick_and_goes_when_it_is_not(self):
        first = decide_cut(self.known, self.pairs).picks[0].setting
        near = replace(first, speed_mm_s=0.99 * first.speed_mm_s)
        self.assertEqual(decide_cut(self.known, self.pairs, kept=near).picks[0].setting, near)
        slow = replace(first, speed_mm_s=0.7 * first.speed_mm_s)
        self.assertNotEqual(decide_cut(self.known, self.pairs, kept=slow).picks[0].setting, slow)
        quick = replace(first, speed_mm_s=1.3 * first.speed_mm_s)
        self.assertNotEqual(decide_cut(self.known, self.pairs, kept=quick).picks[0].setting, quick)

    def test_a_well_read_edge_is_enough_and_says_how_many_cells_were_saved(self):
        fine = cut_trial(power=(1.0,), speed_mm_s=tuple(np.round(np.geomspace(10, 26, 20), 2)))
        pairs = [*self.pairs, (replace(fine, id="fine"), read_by_energy(fine, 2.2, band=0.05))]
        decision = decide_cut(know(*pairs), pairs)
        self.assertEqual(
            decision.enough, any("Good enough" in remark for remark in decision.remarks)
        )
        self.assertLess(decision.edge_doubt, decide_cut(self.known, self.pairs).edge_doubt * 1.05)

    def test_a_batch_has_as_many_cells_as_asked_each_once_with_its_reason(self):
        for count in (3, 8, 12):
            decision = decide_cut(self.known, self.pairs, count=count)
            self.assertLessEqual(len(decision.next_cells), count)
            self.assertEqual(len(set(decision.next_cells)), len(decision.next_cells))
            self.assertEqual(len(decision.next_reasons), len(decision.next_cells))

    def test_speeds_are_round_numbers_no_quicker_than_decided(self):
        for pick in decide_cut(self.known, self.pairs).picks:
            self.assertEqual(float(f"{pick.setting.speed_mm_s:.3g}"), pick.setting.speed_mm_s)
            chance = float(
                self.known.chance(
                    power=pick.setting.power,
                    speed_mm_s=pick.setting.speed_mm_s,
                    passes=pick.setting.passes,
                    focus_mm=pick.setting.focus_mm,
                )
            )
            self.assertAlmostEqual(chance, pick.probability, places=6)

    def test_lines_alone_decide_nothing(self):
        trial = kind_plan("focus").trial
        pairs = [(trial, [Reading(cell.id, kerf_mm=0.2) for cell in trial.cells])]
        decision = decide_cut(know(*pairs), pairs)
        self.assertTrue(decision.undecided)
        self.assertIn("Lines show where the focus lies", decision.says)

    def test_one_slow_pass_that_chars_is_told_to_go_faster_more_often(self):
        passes = cut_trial(
            power=(1.0,), speed_mm_s=(8.0, 12.0, 16.0, 24.0, 32.0, 48.0), passes=(1, 2, 4)
        )
        readings = [
            replace(r, char=2 if passes.cell(r.cell).setting.speed_mm_s < 17 else 0)
            for r in read_by_energy(passes, 2.2)
        ]
        pairs = [(passes, readings)]
        decision = decide_cut(know(*pairs), pairs)
        self.assertTrue(decision.picks)
        cleanest = decision.pick("cleanest")
        self.assertLessEqual(cleanest.char, decision.picks[0].char + 1e-9)

    def test_margins_fall_to_nothing_for_a_setting_beyond_the_edge(self):
        margins = margins_of(self.known, Setting(0.3, 60.0, 1, 1.5))
        self.assertEqual((margins.speed, margins.power), (1.0, 1.0))
        self.assertIn("more than twice", margin_sentence(Margins(), Setting(1.0, 1.0)))
        self.assertIn("30 % quicker", margin_sentence(Margins(speed=1.3), Setting(1.0, 1.0)))

    def test_the_scan_agrees_with_the_chance_of_single_settings(self):
        focus, speeds = np.array([0.0, 1.5]), np.geomspace(8, 30, 7)
        scan = scan_cut(
            self.known.posterior,
            self.known.case,
            USUAL_DRIFT,
            power=1.0,
            passes=(1, 3),
            focus_mm=focus,
            speed_mm_s=speeds,
            air="full",
            particles=PICK_PARTICLES,
            nodes=PICK_NODES,
        )
        table = scan.chance()
        for n, count in enumerate((1, 3)):
            for f, height in enumerate(focus):
                alone = self.known.chance(
                    power=1.0, speed_mm_s=speeds, passes=count, focus_mm=height, drift=USUAL_DRIFT
                )
                np.testing.assert_allclose(table[n, f], alone, atol=2e-3)
        time, possible = scan.least_time(0.9)
        self.assertTrue(possible.all())
        self.assertTrue((time > np.log(1 / 60)).all() and (time < np.log(3 / 8) + 0.5).all())

    def test_a_map_of_many_settings_agrees_with_each_worked_out_alone(self):
        speeds, powers = np.geomspace(2, 40, 30), np.linspace(0.3, 1, 9)
        power, speed = np.meshgrid(powers, speeds)
        table = self.known.chance(
            power=power, speed_mm_s=speed, passes=2, focus_mm=1.5
        )  # enough of them to be read off a table
        alone = np.array(
            [self.known.chance(power=powers, speed_mm_s=v, passes=2, focus_mm=1.5) for v in speeds]
        )
        self.assertGreater(float(np.ptp(alone)), 0.98)
        np.testing.assert_allclose(table, alone, atol=4e-3)

    def test_open_speeds_reach_from_sure_to_hopeless(self):
        speeds = open_speeds(
            self.known.posterior,
            self.known.case,
            power=1.0,
            focus_mm=1.5,
            most_passes=4,
            air="full",
        )
        chance = self.known.chance(
            power=1.0, speed_mm_s=speeds[[0, -1]], passes=(1, 4), focus_mm=1.5
        )
        self.assertGreater(chance[0], 0.9)
        self.assertLess(chance[1], 0.2)
        self.assertTrue((np.diff(speeds) > 0).all())

    def test_where_the_prior_knows_nothing_the_cells_spread_wide(self):
        nothing = know()
        cells = next_cut_cells(nothing.posterior, nothing.case, count=8).settings
        energies = [cell.passes / cell.speed_mm_s for cell in cells]
        self.assertGreater(max(energies) / min(energies), 3)
        self.assertEqual({cell.power for cell in cells}, {1.0})


class EngraveWordsTest(unittest.TestCase):
    def setUp(self):
        self.trial = engrave_trial()
        self.areal = lambda c: c.setting.power * 60 / (c.setting.speed_mm_s * c.setting.pitch_mm)

    def lit(self, **more):
        tone = lambda f: 82 - 55 * (1 - math.exp(-((f / 0.6) ** 2)))  # noqa: E731
        return [
            replace(r, lightness=round(tone(self.areal(c)), 1), **more)
            for r, c in zip(read_by_tone(self.trial, 0.5, 0.9), self.trial.cells, strict=True)
        ]

    def test_the_three_tones_lie_in_order_and_are_reached(self):
        pairs = [(self.trial, self.lit())]
        known = know_tone(LONG, BIRCH, pairs)
        lightest, middle, darkest = known.tones()
        self.assertTrue(darkest < middle < lightest < 82)
        self.assertAlmostEqual(82 - lightest, 15, delta=3)
        energies = [
            self.areal_of(decide_engrave(known, pairs, lightness=tone).picks[0].setting)
            for tone in (lightest, middle)
        ]
        self.assertLess(energies[0], energies[1])

    def areal_of(self, setting):
        return setting.power * 60 / (setting.speed_mm_s * setting.pitch_mm)

    def test_without_measured_lightness_there_are_no_tones(self):
        self.assertIsNone(
            know_tone(LONG, BIRCH, [(self.trial, read_by_tone(self.trial, 0.5, 0.9))]).tones()
        )

    def test_ripple_haze_and_unevenness_are_named(self):
        said = " ".join(
            decide_engrave(
                know_tone(LONG, BIRCH, [(self.trial, self.lit())]), [(self.trial, self.lit())]
            ).remarks
        )
        self.assertIn("dose ripple 6 %", said)
        hazy = [(self.trial, self.lit(defects=("haze", "uneven")))]
        said = " ".join(decide_engrave(know_tone(LONG, BIRCH, hazy), hazy).remarks)
        self.assertIn("24 of 24 cells show haze", said)
        coarse = engrave_trial(pitch_mm=(0.2,))
        pairs = [(coarse, read_by_tone(coarse, 0.3, 0.6))]
        self.assertIn(
            "take a finer pitch",
            " ".join(decide_engrave(know_tone(LONG, BIRCH, pairs), pairs).remarks),
        )

    def test_evenness_and_haze_are_told_as_measured_near_the_energy(self):
        pale = [
            replace(
                r,
                evenness=4.0 if self.areal(c) < 0.4 else 1.0,
                halo_mm=0.0 if self.areal(c) < 0.4 else 0.3,
            )
            for r, c in zip(self.lit(), self.trial.cells, strict=True)
        ]
        pairs = [(self.trial, pale)]
        known = know_tone(LONG, BIRCH, pairs)
        dark, light = (
            " ".join(decide_engrave(known, pairs, lightness=tone).remarks) for tone in (32.0, 68.0)
        )
        self.assertIn("uneven by 1 L*, haze reaches 0.3 mm beside it.", dark)
        self.assertRegex(light, r"uneven by (2|3)\.\d L\*")
        self.assertNotIn(
            "uneven by",
            " ".join(decide_engrave(known, [(self.trial, self.lit())], lightness=32.0).remarks),
        )

    def test_too_dark_and_a_bit_light_alone_propose_the_middle(self):
        trial = engrave_trial(power=(0.10, 0.30), speed_mm_s=(200.0,))
        pairs = [(trial, [Reading("A1", "too_light"), Reading("B1", "too_dark")])]
        decision = decide_engrave(know_tone(LONG, BIRCH, pairs), pairs)
        proposed = [pick.setting for pick in decision.picks] or list(decision.next_cells)
        energies = sorted(self.areal_of(setting) for setting in proposed)
        low, high = (self.areal_of(trial.cell(c).setting) for c in ("A1", "B1"))
        self.assertTrue(low < energies[len(energies) // 2] < high)


class PlainRecordsTest(unittest.TestCase):
    """What we wrote is read the quick way; anything odd is read the slow way, which tells what is
    wrong.
    """

    RECORDS = (
        LONG,
        NORTH,
        BIRCH,
        cut_trial(),
        kind_plan("grey", "engrave").trial,
        sample_entry(),
        Reading("A1", "free", char=1),
    )

    def test_every_record_comes_back_the_same(self):
        for record in self.RECORDS:
            plain = json.loads(json.dumps(to_plain(record)))
            self.assertEqual(from_plain(type(record), plain), record)

    def test_whole_numbers_written_for_fractions_and_missing_fields_are_taken(self):
        plain = {
            **json.loads(json.dumps(to_plain(BIRCH))),
            "thickness_mm": 3,
            "measured_mm": [3, 3.05],
        }
        del plain["colour"]
        read = from_plain(Stock, plain)
        self.assertEqual((read.thickness_mm, read.measured_mm, read.colour), (3.0, (3.0, 3.05), ""))
        self.assertIsInstance(read.thickness_mm, float)

    def test_unknown_fields_are_kept_where_there_is_room_and_dropped_elsewhere(self):
        self.assertEqual(
            from_plain(Machine, {**to_plain(LONG), "colour": "red"}).extra, {"colour": "red"}
        )
        self.assertEqual(
            from_plain(Entry, json.loads(json.dumps({**to_plain(sample_entry()), "odd": 1}))),
            sample_entry(),
        )

    def test_what_is_wrong_is_told_with_its_place(self):
        good = json.loads(json.dumps(to_plain(cut_trial())))
        for change, words in (
            ({"cells": 3}, "cells is 3: a list"),
            ({"name": None}, "name is None: a text"),
            ({"task": "bake"}, "task is 'bake'"),
            ({"seconds": float("nan")}, "seconds is nan"),
            ({"coupon": {"width_mm": True, "height_mm": 3}}, "width_mm is True: a number"),
        ):
            with self.assertRaisesRegex(BadFile, words):
                from_plain(Trial, {**good, **change}, "t.json: ")
        del good["id"]
        with self.assertRaisesRegex(BadFile, "id is missing"):
            from_plain(Trial, good, "t.json: ")


row_strategy = st.builds(
    lambda uid, at, why: {
        "uid": uid,
        "at": at,
        "who": "",
        "why": why,
        "removed": False,
        "body": f'{{"n": "{why}"}}',
    },
    st.sampled_from(("a", "b")),
    st.sampled_from(("2026-01-01", "2026-01-02", "2026-01-03")),
    st.sampled_from("uvwxyz"),
)


def numbered(rows):
    counts, out = {}, []
    for row in rows:
        counts[row["uid"]] = counts.get(row["uid"], 0) + 1
        out.append({**row, "revision": counts[row["uid"]]})
    return out


class MergeTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(
        st.lists(row_strategy, max_size=5),
        st.lists(row_strategy, max_size=4),
        st.lists(row_strategy, max_size=4),
    )
    def test_nothing_is_lost_both_ways_and_merging_again_adds_nothing(self, common, ours, theirs):
        here, there = numbered(common + ours), numbered(common + theirs)
        key = lambda row: (row["uid"], row["at"], row["why"], row["body"])  # noqa: E731
        added, conflicts = merged_rows("entry", here, there)
        merged = [*here, *added]
        self.assertTrue(
            {key(r) for r in here} | {key(r) for r in there} <= {key(r) for r in merged}
        )
        for uid in ("a", "b"):
            numbers = [r["revision"] for r in merged if r["uid"] == uid]
            self.assertEqual(sorted(numbers), list(range(1, len(numbers) + 1)))
        again, later = merged_rows("entry", merged, there)
        self.assertEqual((again, later), ([], []))
        for one in conflicts:
            last = max((r for r in merged if r["uid"] == one.uid), key=lambda r: r["revision"])
            side = here if one.kept == "ours" else there
            self.assertEqual(
                last["body"],
                max((r for r in side if r["uid"] == one.uid), key=lambda r: r["revision"])["body"],
            )


class NotesNeverBreakTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.text(max_size=200))
    def test_any_text_is_a_table_or_told_and_any_row_is_taken_or_left_out(self, text):
        try:
            notes = read_pasted(text)
        except BadFile:
            return
        found = bring_in_plainly(notes)
        self.assertLessEqual(len(found.entries) + len(found.told("left out")), len(notes.rows))

    @settings(max_examples=100, deadline=None)
    @given(
        st.integers(1, 30),
        st.integers(1, 100),
        st.integers(1, 500),
        st.integers(1, 12),
        st.sampled_from(("oak", "birch ply", "felt")),
    )
    def test_a_line_written_out_is_read_back(self, thickness, power, speed, passes, name):
        heads, rows = rows_of_lines(f"{thickness}mm {name} cut {power}% {speed}mm/s x{passes}")
        self.assertEqual(len(rows), 1)
        notes = read_pasted(f"{thickness}mm {name} cut {power}% {speed}mm/s x{passes}")
        (entry,) = bring_in_plainly(notes, stocks=()).entries
        self.assertEqual(entry.setting, Setting(power / 100, float(speed), passes))
        self.assertEqual(heads[0], "stock")

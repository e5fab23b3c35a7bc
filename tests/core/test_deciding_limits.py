"""The limits that keep a decision safe, at and beyond their edge, on worlds with known answers."""

import itertools
import math
import re
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.deciding import cut as deciding
from olive_almanac.core.deciding.carry import carry_entry
from olive_almanac.core.deciding.cut import decide_cut
from olive_almanac.core.deciding.cut_knowledge import know_cut, margins_of
from olive_almanac.core.deciding.decision import Decision, Pick, aim_word, came_from
from olive_almanac.core.deciding.directions import compare_directions
from olive_almanac.core.deciding.engrave import decide_engrave, know_tone
from olive_almanac.core.deciding.focus import decide_focus
from olive_almanac.core.deciding.guess import compute_guess
from olive_almanac.core.deciding.kerf import decide_kerf, expected_kerf
from olive_almanac.core.deciding.outliers import outlying_readings
from olive_almanac.core.deciding.shop_drift import drift_of_records
from olive_almanac.core.deciding.weekly import follow_checks, said_of_check
from olive_almanac.core.design.next_cells import NextCells, Proposal, next_cut_cells
from olive_almanac.core.design.suggest import suggest_levels
from olive_almanac.core.errors import Barred, OutOfRange
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.fitting.kerf import check_gauged, stack_kerf
from olive_almanac.core.fitting.tone import areal_energy_of
from olive_almanac.core.fitting.transfer import transfer_between
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.entry import Margins
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from tests.samples import (
    ALLOWED,
    BIRCH,
    LONG,
    MARKER,
    NORTH,
    cut_trial,
    engrave_trial,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
)

EDGE_J_MM = 2.2


def know(*pairs, machine=LONG, stock=BIRCH):
    return know_cut(machine, stock, pairs, rng=np.random.default_rng(5))


class FlareGuardTest(unittest.TestCase):
    """No cell and no pick above the line energy at which the stock flares, none kept away below."""

    def setUp(self):
        self.trial = cut_trial()
        self.pairs = [(self.trial, read_by_energy(self.trial, EDGE_J_MM))]
        self.known = know(*self.pairs)

    def window(self, limit):
        settings = [cell.setting for cell in self.trial.cells]
        return deciding._Window(self.known, self.pairs, settings, 0.99, limit, None, 8)

    def test_a_setting_at_the_limit_may_burn_and_one_above_may_not(self):
        limit = FlareLimit(6.0)
        for passes in (1, 2, 6):
            at = limit.slowest(LONG.watts(1.0), passes)
            with self.subTest(passes=passes):
                window = self.window(limit)
                self.assertTrue(window._may_burn(Setting(1.0, 1.001 * at, passes)))
                self.assertFalse(window._may_burn(Setting(1.0, 0.999 * at, passes)))

    def test_half_the_power_may_burn_at_less_than_half_the_speed(self):
        window = self.window(FlareLimit(6.0))  # 60 W / (8.5 + 1.5) mm/s, 30 W / (3.5 + 1.5) mm/s
        self.assertTrue(window._may_burn(Setting(1.0, 8.6)))
        self.assertFalse(window._may_burn(Setting(1.0, 8.4)))
        self.assertTrue(window._may_burn(Setting(0.5, 3.6)))
        self.assertFalse(window._may_burn(Setting(0.5, 3.4)))

    def test_a_beam_too_weak_to_set_it_alight_may_burn_at_any_speed(self):
        limit = FlareLimit(6.0)  # 8 W cannot bring 6 J/mm together: they spread at 1.5 mm/s
        self.assertEqual((limit.slowest(8.0, 1), limit.most_j_mm(8.0, 1)), (0.0, math.inf))
        self.assertTrue(limit.allows(8.0, 0.01, 1))
        self.assertGreater(limit.slowest(8.0, 6), 0.0)

    def test_what_was_burnt_and_did_not_flare_counts_for_more_than_what_is_expected(self):
        limit = FlareLimit(4.0, held=((7.0, 2),))
        self.assertAlmostEqual(limit.slowest(60.0, 2), 60 / 7 - 1.5)
        self.assertAlmostEqual(limit.slowest(60.0, 1), 60 / 7 - 1.5)  # fewer passes no hotter
        self.assertGreater(limit.slowest(60.0, 3), 60 / 7 - 1.5)
        flared = FlareLimit(4.0, seen=((6.0, 2),), held=((7.0, 2),))
        self.assertAlmostEqual(flared.most_j_mm(60.0, 2), 0.98 * 6.0)

    def test_without_a_limit_everything_may_burn(self):
        self.assertTrue(self.window(None)._may_burn(Setting(1.0, 0.1)))

    def test_proposed_cells_keep_below_the_limit_and_come_near_it_where_it_binds(self):
        limit = FlareLimit(4.0)
        cells = next_cut_cells(
            self.known.posterior, self.known.case, limit=limit, count=12
        ).settings
        self.assertTrue(cells)
        for cell in cells:
            watts = LONG.watts(cell.power)
            self.assertGreaterEqual(1.001 * cell.speed_mm_s, limit.slowest(watts, cell.passes))

    def test_cells_that_ask_whether_it_flares_keep_below_the_limit_too(self):
        readings = [
            replace(one, char=3, verdict=None) if cell.setting.speed_mm_s < 9 else one
            for cell, one in zip(self.trial.cells, self.pairs[0][1], strict=True)
        ]
        pairs = [(self.trial, readings)]
        limit = FlareLimit(9.0, ((60 / 9, 1),))
        decision = decide_cut(know(*pairs), pairs, limit=limit)
        for cell in decision.next_cells:
            slowest = limit.slowest(60 * cell.power, cell.passes)
            self.assertGreaterEqual(1.001 * cell.speed_mm_s, slowest)

    def test_a_flare_seen_bars_from_98_percent_of_it_on_and_more_passes_earlier(self):
        limit = FlareLimit(50.0, ((6.0, 2),))
        once, twice, thrice = (limit.most_j_mm(60.0, n) for n in (1, 2, 3))
        self.assertAlmostEqual(twice, 0.98 * 6.0, places=6)
        self.assertLess(thrice, twice)
        self.assertGreater(once, twice)
        self.assertLess(once, 6.0 * math.exp(0.65 / 2))  # errs on the cool side

    def test_picks_flare_no_more_often_than_once_in_ten(self):
        decision = decide_cut(self.known, self.pairs)
        for pick in decision.picks:
            s = pick.setting
            above = self.known.char_above(power=s.power, speed_mm_s=s.speed_mm_s, passes=s.passes)
            self.assertLessEqual(above[2], deciding.FLARE_LIMIT)

    def test_where_whatever_gets_through_flares_nothing_is_picked(self):
        hot = {  # so that two passes of half the energy are too hot, too
            cell.id: 60 * cell.setting.power / cell.setting.speed_mm_s > 0.6 * EDGE_J_MM
            for cell in self.trial.cells
        }
        readings = [
            replace(one, char=3, verdict=None) if hot[one.cell] else one for one in self.pairs[0][1]
        ]
        pairs = [(self.trial, readings)]
        decision = decide_cut(know(*pairs), pairs)
        self.assertEqual(decision.picks, ())
        self.assertTrue(decision.undecided)


class EnoughTest(unittest.TestCase):
    """When the time is known, only something quicker that may not flare asks for more cells."""

    def setUp(self):
        trial = cut_trial()
        pairs = [(trial, read_by_energy(trial, EDGE_J_MM))]
        settings = [cell.setting for cell in trial.cells]
        self.window = deciding._Window(know(*pairs), pairs, settings, 0.99, None, None, 8)

    def enough(self, *, flare, log_time_sd=0.001):
        def option(seconds, flare):
            char = np.array([1.0, 1.0, flare])
            return deciding._Option(Setting(1.0, 1000 / seconds), seconds, 0.99, 1.1, char, False)

        quickest = option(100.0, 0.0)
        self.window.options = [option(50.0, flare), quickest]
        return self.window._is_enough(NextCells((), math.log(0.05), log_time_sd, 1.0), quickest)

    def test_something_quicker_that_surely_flares_asks_for_nothing(self):
        self.assertTrue(self.enough(flare=deciding.SURE_FLARE + 0.01))

    def test_something_quicker_that_may_not_flare_asks_for_more(self):
        for flare in (0.0, deciding.SURE_FLARE):
            self.assertFalse(self.enough(flare=flare))

    def test_a_time_that_is_not_known_asks_for_more(self):
        self.assertFalse(self.enough(flare=0.9, log_time_sd=0.5))


class OtherHeightsTest(unittest.TestCase):
    """Before a machine is given up the hottest cells are burnt at other heights of the focus."""

    def heights(self, *read):
        trial = cut_trial()
        pairs = [(trial, read_by_energy(trial, EDGE_J_MM))]
        settings = [cell.setting for cell in trial.cells]
        window = deciding._Window(know(*pairs), pairs, settings, 0.99, None, None, 8)
        window.read = list(read)
        return [(one.setting.focus_mm, one.setting.passes) for one in window._other_heights()]

    def test_those_where_nothing_as_hot_was_burnt_at_full_power(self):
        every = [(0.0, 1), (0.0, 4), (1.5, 1), (1.5, 4), (3.0, 1), (3.0, 4)]
        hot, quick, weak = Setting(1.0, 1.0, 4), Setting(1.0, 60.0, 4), Setting(0.6, 1.0, 4)
        self.assertEqual(self.heights(), every)
        self.assertEqual(self.heights(quick, weak), every)
        self.assertEqual(self.heights(hot), every[2:])
        self.assertEqual(self.heights(replace(hot, focus_mm=2.9)), every[:4])
        self.assertEqual(self.heights(*(replace(hot, focus_mm=f) for f in (0.0, 1.5, 3.0))), [])


class OneHeightTest(unittest.TestCase):
    """A focus that is set by hand is one for the whole of the next coupon."""

    def test_the_next_cells_have_the_height_of_most_of_them_or_that_of_the_proof(self):
        by_hand = replace(LONG, focus_by_hand=True)
        trial = cut_trial(by_hand)
        pairs = [(trial, read_by_energy(trial, EDGE_J_MM))]
        settings = [cell.setting for cell in trial.cells]
        known = know(*pairs, machine=by_hand)
        window = deciding._Window(known, pairs, settings, 0.99, None, None, 8)
        heights = (0.0, 1.5, 1.5, 3.0)
        cells = tuple(Proposal(Setting(1.0, 9.0 + n, 1, f), 0.0, "") for n, f in enumerate(heights))
        found = window._of_one_coupon(NextCells(cells, 0.0, 0.0, 0.0))
        self.assertEqual([cell.setting.focus_mm for cell in found.cells], [1.5, 1.5])
        proved = window._of_one_coupon(NextCells(cells, 0.0, 0.0, 0.0), [cells[3]])
        self.assertEqual(proved.cells, cells[3:])


class SaidTest(unittest.TestCase):
    def test_a_margin_is_told_in_percent(self):
        for speed, told in (
            (1.9, "It could run 90 % quicker and still fall free."),
            (None, "It could run more than twice as quick and still fall free."),
        ):
            self.assertEqual(deciding.margin_sentence(Margins(speed=speed), Setting(1.0, 10)), told)
        sure = Margins(speed=1.1, keeps=0.95)
        self.assertEqual(
            deciding.margin_sentence(sure, Setting(1.0, 10)),
            "It could run 10 % quicker and still fall free 19 times in 20.",
        )

    def test_what_is_wanted_and_what_the_best_reaches_are_told(self):
        trial = cut_trial()
        pairs = [(trial, [Reading(cell.id, "hangs") for cell in trial.cells])]
        known = know(*pairs)
        decision = decide_cut(known, pairs)
        told = re.match(
            r"Not decided yet: the surest setting falls free ([\d.]+) % of the time, the house "
            r"rule asks for 99 %",
            decision.says,
        )
        settings = [cell.setting for cell in trial.cells]
        reached = known.chance(
            power=np.array([one.power for one in settings]),
            speed_mm_s=np.array([one.speed_mm_s for one in settings]),
            passes=1,
            focus_mm=settings[0].focus_mm,
        )
        self.assertAlmostEqual(float(told[1]), 100 * np.max(reached), delta=1)

    def test_an_edge_that_chars_is_told_with_what_is_cleaner(self):
        trial = cut_trial()
        pairs = [(trial, read_by_energy(trial, EDGE_J_MM))]
        settings = [cell.setting for cell in trial.cells]
        window = deciding._Window(know(*pairs), pairs, settings, 0.99, None, None, 8)

        def told(few, many, char):
            option = deciding._Option(
                Setting(1.0, 5.0, few), 99.0, 0.99, 1.1, np.array([1.0, char, 0.0]), True
            )
            cleaner = Pick("cleanest", Setting(1.0, 20.0, many), 0.99, Margins())
            return " ".join(window._remarks([cleaner], option, enough=True, doubt=0.0))

        one = "One slow pass chars: 4 faster passes leave a cleaner edge."
        two = "2 slow passes char: 4 faster passes leave a cleaner edge."
        self.assertIn(one, told(1, 4, 0.6))
        self.assertIn(two, told(2, 4, 0.6))
        self.assertIn("The edge will char whichever way", told(4, 4, 0.6))
        self.assertNotIn("char", told(1, 4, 0.4))


class PickRulesTest(unittest.TestCase):
    def setUp(self):
        self.trial = cut_trial(passes=(1, 2))
        self.pairs = [(self.trial, read_by_energy(self.trial, EDGE_J_MM))]
        self.known = know(*self.pairs)
        self.decision = decide_cut(self.known, self.pairs)

    def chance(self, setting):
        return float(
            self.known.chance(
                power=setting.power,
                speed_mm_s=setting.speed_mm_s,
                passes=setting.passes,
                focus_mm=setting.focus_mm,
            )
        )

    def test_the_quickest_meets_the_target_and_five_percent_quicker_does_not(self):
        setting = self.decision.pick("quickest").setting
        self.assertGreaterEqual(self.chance(setting), 0.985)
        self.assertLess(self.chance(replace(setting, speed_mm_s=1.12 * setting.speed_mm_s)), 0.99)

    def test_the_pick_lies_on_the_right_side_of_a_known_edge(self):
        setting = self.decision.pick("quickest").setting
        energy = 60 * setting.power * setting.passes / setting.speed_mm_s
        self.assertTrue(EDGE_J_MM < energy < 2 * EDGE_J_MM, energy)

    def test_no_pick_takes_longer_than_its_aim_allows(self):
        quickest = self.decision.pick("quickest").seconds_per_m
        for pick in self.decision.picks:
            most = {"cleanest": 3.0, "widest": 1.5}.get(pick.aim, 1.0)
            self.assertLessEqual(pick.seconds_per_m, most * quickest * 1.01)
            s = pick.setting
            self.assertAlmostEqual(pick.seconds_per_m, 1000 * s.passes / s.speed_mm_s, delta=0.1)

    def test_picks_are_told_apart(self):
        for one, other in itertools.combinations(self.decision.picks, 2):
            self.assertFalse(one.setting.burns_like(other.setting))

    def test_alike_is_power_speed_passes_and_focus(self):
        base = Setting(0.8, 10.0, 2, 1.5)
        self.assertTrue(base.burns_like(replace(base, power=0.81, speed_mm_s=10.2)))
        for other in (
            replace(base, power=0.83),
            replace(base, speed_mm_s=10.5),
            replace(base, speed_mm_s=9.5),
            replace(base, passes=3),
            replace(base, focus_mm=1.0),
        ):
            self.assertFalse(base.burns_like(other))

    def test_a_pick_says_whether_it_was_burnt_or_reckoned(self):
        burnt = [cell.setting for trial, seen in self.pairs for cell in trial.cells if seen]
        for pick in self.decision.picks:
            self.assertEqual(pick.burnt, any(pick.setting.burns_like(one) for one in burnt))
            self.assertIn("burnt as it is" if pick.burnt else "reckoned", came_from(pick))
        self.assertIn(
            "beyond", came_from(replace(self.decision.picks[0], burnt=False, untried=True))
        )

    def test_a_dialled_speed_has_three_digits_and_is_never_quicker(self):
        for wanted, dialled in ((12.349, 12.3), (0.98765, 0.987), (148.9, 148.0), (7.0, 7.0)):
            self.assertAlmostEqual(deciding._dialled(wanted), dialled, places=9)

    def test_a_last_pick_stays_only_within_its_gain_its_target_and_its_power(self):
        first = self.decision.pick("quickest").setting
        slower = replace(first, speed_mm_s=first.speed_mm_s / 1.012)
        much_slower = replace(first, speed_mm_s=first.speed_mm_s / 1.04)
        too_quick = replace(first, speed_mm_s=1.3 * first.speed_mm_s)
        for kept, stays in (
            (slower, True),
            (much_slower, False),
            (too_quick, False),
            (replace(slower, power=0.9), False),
            (replace(slower, air="low"), False),
        ):
            with self.subTest(kept=kept):
                found = decide_cut(self.known, self.pairs, kept=kept).pick("quickest").setting
                self.assertEqual(found == kept, stays)

    def test_passes_beyond_twice_what_got_through_are_not_promised(self):
        for pick in self.decision.picks:
            self.assertLessEqual(pick.setting.passes, 4)

    def test_up_to_each_margin_19_in_20_fall_free_and_at_its_edge_as_many_as_hang(self):
        setting = self.decision.pick("quickest").setting
        margins = margins_of(self.known, setting)
        here = {"power": setting.power, "speed_mm_s": setting.speed_mm_s}
        held = {"passes": setting.passes, "focus_mm": setting.focus_mm}
        quicker = here | {"speed_mm_s": margins.speed * setting.speed_mm_s}
        weaker = here | {"power": margins.power * setting.power}
        thick = margins.thickness_mm + BIRCH.true_thickness_mm
        for changed, more in ((quicker, {}), (weaker, {}), (here, {"thickness_mm": thick})):
            chance = float(self.known.chance(**changed, **held, **more))
            self.assertAlmostEqual(chance, 0.95, delta=0.004)
        far = here | {"speed_mm_s": margins.edge * setting.speed_mm_s}
        self.assertAlmostEqual(float(self.known.mean_margin(**far, **held)[0]), 0.0, delta=0.02)
        for off in (-margins.focus_up_mm, margins.focus_down_mm):
            focus = setting.focus_mm + off
            chance = float(self.known.chance(**here, passes=setting.passes, focus_mm=focus))
            self.assertAlmostEqual(chance, 0.98, delta=0.004)  # the focus is known least

    def test_the_words_and_the_numbers_of_a_pick_agree(self):
        pick = self.decision.picks[0]
        self.assertIn(f"{100 * pick.probability:.0f} % sure", self.decision.says)
        self.assertIn(f"from {len(self.trial.cells)} cells", self.decision.says)
        self.assertEqual(self.decision.cells_read, len(self.trial.cells))
        self.assertAlmostEqual(pick.margin, pick.margins.speed - 1)


class AirTest(unittest.TestCase):
    def air_of(self, *airs):
        trial = cut_trial(air=airs)
        return know((trial, read_by_energy(trial, EDGE_J_MM))).air

    def test_decides_for_the_air_burnt_most_and_of_two_burnt_as_often_for_the_stronger(self):
        self.assertEqual(self.air_of("off"), "off")
        self.assertEqual(self.air_of("off", "low"), "low")
        self.assertEqual(self.air_of("low", "full"), "full")
        trial = cut_trial(air=("off", "low"))
        cells = tuple(c for n, c in enumerate(trial.cells) if c.setting.air == "off" or n % 3)
        trial = replace(trial, cells=cells)
        self.assertEqual(know((trial, read_by_energy(trial, EDGE_J_MM))).air, "off")


class DecisionTest(unittest.TestCase):
    def test_an_aim_without_a_pick_of_its_own_gets_the_first(self):
        first = Pick("quickest", Setting(1.0, 10.0), 0.99, Margins(speed=1.3))
        wide = Pick("widest", Setting(1.0, 8.0), 0.999, Margins())
        decision = Decision((first, wide), 0.99, 24, "")
        self.assertEqual(decision.pick("widest"), wide)
        self.assertEqual(decision.pick("cleanest"), first)
        self.assertIsNone(Decision((), 0.99, 0, "").pick("quickest"))
        self.assertAlmostEqual(first.margin, 0.3)
        self.assertEqual(wide.margin, 0.0)
        self.assertFalse(decision.enough or decision.never or decision.stall)

    def test_aims_of_a_tone_have_words_of_their_own(self):
        self.assertEqual(aim_word("widest", "cut"), "Widest margin")
        self.assertEqual(aim_word("widest", "engrave"), "Surest tested")
        self.assertEqual(aim_word("cleanest", "engrave"), "Cleanest edge")


class CarryTest(unittest.TestCase):
    def carry(self, entry=None, to_machine=LONG, to_stock=BIRCH, permission=ALLOWED):
        return carry_entry(
            entry or sample_entry(),
            LONG,
            BIRCH,
            to_machine=to_machine,
            to_stock=to_stock,
            permission=permission,
            rng=np.random.default_rng(0),
        )

    def energy(self, setting, machine=LONG):
        return machine.watts(setting.power) * setting.passes / setting.speed_mm_s

    def test_the_same_subject_gets_about_the_same_energy(self):
        entry = sample_entry()
        setting, evidence = self.carry(entry)
        self.assertAlmostEqual(self.energy(setting) / self.energy(entry.setting), 1.0, delta=0.25)
        self.assertEqual(evidence.says, "Carried over from an entry for the same.")
        self.assertEqual(evidence.cells_read, 0)

    def test_power_passes_and_focus_of_what_was_proven_are_kept_and_the_speed_changes(self):
        clean = Setting(0.2, 18.0, 2, 0.6, air="low")
        entry = sample_entry(setting=clean)
        other = replace(BIRCH, lot="8", uid="b8")
        setting, _ = self.carry(entry, to_stock=other)
        self.assertEqual(replace(setting, speed_mm_s=18.0), clean)
        self.assertAlmostEqual(setting.speed_mm_s / 18.0, 1.0, delta=0.4)
        thick = replace(BIRCH, thickness_mm=4.5, measured_mm=(4.5,), uid="b45")
        setting, _ = self.carry(entry, to_stock=thick)
        self.assertAlmostEqual(setting.focus_mm, 0.6 * 4.5 / 3.02, places=1)
        self.assertLess(setting.speed_mm_s / setting.passes, 9.0)
        weak = replace(LONG, optical_power_w=30.0, uid="weak", name="Weak")
        setting, _ = self.carry(entry, to_machine=weak)
        self.assertAlmostEqual(weak.watts(setting.power), LONG.watts(0.2), delta=0.6)

    def test_an_entry_with_more_margin_leads_to_a_quicker_setting(self):
        evidence = sample_entry().evidence
        close = sample_entry(evidence=replace(evidence, margins=Margins(speed=1.1)))
        wide = sample_entry(evidence=replace(evidence, margins=Margins(speed=2.0)))
        self.assertLess(self.energy(self.carry(wide)[0]), 0.8 * self.energy(self.carry(close)[0]))

    def test_thicker_stock_takes_more_energy_and_thinner_less(self):
        same = self.energy(self.carry()[0])
        thick = replace(BIRCH, thickness_mm=6.0, measured_mm=(6.0,), uid="b6")
        thin = replace(BIRCH, thickness_mm=1.5, measured_mm=(1.5,), uid="b1")
        setting, evidence = self.carry(to_stock=thick)
        self.assertGreater(self.energy(setting), 1.5 * same)
        self.assertIn("another thickness", evidence.says)
        self.assertLess(self.energy(self.carry(to_stock=thin)[0]), 0.7 * same)

    def test_an_engraving_keeps_its_areal_energy(self):
        entry = sample_entry(task="engrave", setting=Setting(0.3, 150.0, pitch_mm=0.1))
        wanted = areal_energy_of(entry.setting, LONG, 150.0)
        setting, _ = self.carry(entry, to_machine=NORTH)
        self.assertAlmostEqual(
            areal_energy_of(setting, NORTH, setting.speed_mm_s) / wanted, 1.0, delta=0.1
        )

    def test_an_engraving_scales_by_what_the_families_need(self):
        entry = sample_entry(task="engrave", setting=Setting(0.3, 150.0, pitch_mm=0.1))
        leather = replace(BIRCH, family="leather", name="Map leather", uid="l")
        wanted = areal_energy_of(entry.setting, LONG, 150.0)
        setting, _ = self.carry(entry, to_stock=leather)
        ratio = areal_energy_of(setting, LONG, setting.speed_mm_s) / wanted
        from olive_almanac.core.materials.families import tone_prior

        energies = [tone_prior(one, "co2").right_j_mm2 for one in (leather, BIRCH)]
        expected = energies[0] / energies[1]
        self.assertNotAlmostEqual(expected, 1.0, places=1)
        self.assertAlmostEqual(ratio / expected, 1.0, delta=0.1)

    def test_a_score_goes_with_the_spot(self):
        entry = sample_entry(task="score", setting=Setting(0.4, 60.0))
        wide = replace(LONG, spot_x_mm=0.4, spot_y_mm=0.4, uid="wide", name="Wide")
        here, there = self.carry(entry)[0], self.carry(entry, to_machine=wide)[0]
        self.assertAlmostEqual(self.energy(there, wide) / self.energy(here), 2.0, delta=0.2)

    def test_barred_stock_is_carried_nowhere(self):
        with self.assertRaises(Barred):
            self.carry(permission=Permission(False, "no"))

    def test_every_difference_widens_and_is_named(self):
        alike = transfer_between(LONG, BIRCH, LONG, BIRCH)
        self.assertEqual((alike.energy_sd, alike.words, alike.same_optics), (0.0, (), True))
        for change, sd, word in (
            ({"machine": NORTH}, math.hypot(0.60, 0.20), "another kind of laser"),
            ({"machine": replace(LONG, state=2)}, 0.10, "before its last change"),
            ({"stock": replace(BIRCH, family="hardwood")}, 0.50, "another family"),
            ({"stock": replace(BIRCH, name="Other ply")}, 0.20, "another stock"),
            ({"stock": replace(BIRCH, lot="8")}, 0.12, "another lot"),
            ({"stock": replace(BIRCH, colour="dark")}, 0.15, "another colour"),
            ({"stock": replace(BIRCH, measured_mm=(3.15,))}, 0.10, "another thickness"),
            ({"stock": replace(BIRCH, measured_mm=(3.08,))}, 0.0, ""),
        ):
            with self.subTest(change=change):
                other = {"machine": LONG, "stock": BIRCH} | change
                found = transfer_between(LONG, BIRCH, other["machine"], other["stock"])
                self.assertAlmostEqual(found.energy_sd, sd, places=9)
                self.assertIn(word, " ".join(found.words))


class GuessTest(unittest.TestCase):
    def guess(self, task, machine=LONG, stock=BIRCH, **more):
        return compute_guess(machine, stock, task, ALLOWED, rng=np.random.default_rng(1), **more)

    def test_a_cut_meets_eighty_percent_at_full_power_and_the_time_is_its_own(self):
        setting, evidence = self.guess("cut")
        self.assertEqual(setting.power, 1.0)
        self.assertGreaterEqual(evidence.probability, 0.8)
        self.assertLess(evidence.probability, 0.95)
        self.assertEqual((evidence.target, evidence.cells_read), (0.8, 0))
        self.assertAlmostEqual(
            evidence.seconds_per_m, 1000 * setting.passes / setting.speed_mm_s, places=6
        )

    def test_tones_get_the_familys_energy_or_the_one_aimed_at(self):
        from olive_almanac.core.materials.families import tone_prior

        for aim, wanted in ((None, tone_prior(BIRCH, "co2").right_j_mm2), (0.4, 0.4)):
            setting, evidence = self.guess("engrave", aim=aim)
            energy = areal_energy_of(setting, LONG, setting.speed_mm_s)
            self.assertAlmostEqual(energy / wanted, 1.0, delta=0.06)
            self.assertIsNone(evidence.seconds_per_m)
            self.assertGreater(evidence.seconds_per_100cm2, 60)
        setting, evidence = self.guess("score", aim=1.0)
        self.assertAlmostEqual(60 * setting.power / setting.speed_mm_s, 1.0, delta=0.07)
        self.assertIsNone(evidence.seconds_per_100cm2)
        self.assertAlmostEqual(evidence.seconds_per_m, 1000 / setting.speed_mm_s, places=6)

    def test_where_the_suggested_passes_are_too_few_twice_and_then_four_times_are_taken(self):
        for family, thickness, times in (
            ("plywood", 12.0, 1),
            ("plywood", 14.0, 2),
            ("mdf", 14.5, 4),
        ):
            thick = replace(
                BIRCH, family=family, thickness_mm=thickness, measured_mm=(thickness,), uid="thick"
            )
            suggested = suggest_levels(LONG, thick, "cut").choices.passes[0]
            self.assertEqual(self.guess("cut", stock=thick)[0].passes, times * suggested)

    def test_what_no_machine_here_cuts_is_refused(self):
        block = replace(BIRCH, thickness_mm=60.0, measured_mm=(60.0,), uid="block")
        with self.assertRaisesRegex(OutOfRange, "not expected to cut"):
            self.guess("cut", machine=NORTH, stock=block)


class DirectionsTest(unittest.TestCase):
    def strips(self, x_edge, y_edge):
        trial = kind_plan("direction", machine=NORTH).trial
        edge = {"x": x_edge, "y": y_edge}
        readings = []
        for cell in trial.cells:
            s = cell.setting
            through = 10 * s.power * s.passes / s.speed_mm_s >= edge[s.direction]
            readings.append(Reading(cell.id, "free" if through else "not_through"))
        return trial, readings

    def compare(self, x_edge, y_edge):
        speeds = [c.setting.speed_mm_s for c in kind_plan("direction", machine=NORTH).trial.cells]
        middle = 10 / (math.sqrt(min(speeds) * max(speeds)))
        pair = self.strips(x_edge * middle, y_edge * middle)
        known = know(pair, pair, pair, machine=NORTH)
        setting = replace(pair[0].cells[-1].setting, direction="xy")
        return compare_directions(known, setting, target=0.5)

    def test_the_direction_that_needs_more_is_named_as_slower(self):
        slow_x, slow_y = self.compare(1.15, 0.85), self.compare(0.85, 1.15)
        self.assertLess(slow_x.x_mm_s, slow_x.y_mm_s)
        self.assertGreater(slow_y.x_mm_s, slow_y.y_mm_s)
        self.assertIn("X", slow_x.says.split(".")[0])
        self.assertIn("Y", slow_y.says.split(".")[0])


class FocusLimitsTest(unittest.TestCase):
    """Lines of a known caustic: where the focus lies, and when that is not said."""

    def setUp(self):
        self.trial = kind_plan("focus").trial
        self.heights = sorted(cell.setting.focus_mm for cell in self.trial.cells)

    def decide(self, waist_mm, rayleigh_mm=None, cells=None):
        rayleigh_mm = rayleigh_mm or LONG.rayleigh_mm
        readings = [
            Reading(
                cell.id,
                kerf_mm=0.2
                * math.sqrt(1 + ((cell.setting.focus_mm - waist_mm) / rayleigh_mm) ** 2),
            )
            for cell in self.trial.cells[:cells]
        ]
        return decide_focus(self.trial, readings)

    def test_above_and_below_the_face_are_told_apart(self):
        below, above = self.decide(1.0), self.decide(-1.0)
        self.assertAlmostEqual(below.fit.focus_mm, 1.0, delta=0.15)
        self.assertAlmostEqual(above.fit.focus_mm, -1.0, delta=0.15)
        self.assertIn("below the top face", below.says)
        self.assertIn("above the top face", above.says)
        self.assertIn("1 mm", above.says)
        self.assertTrue(below.decided and above.decided)

    def test_a_waist_beyond_the_heights_burnt_asks_to_burn_further(self):
        for waist in (self.heights[-1] + 1.5, self.heights[0] - 1.5):
            found = self.decide(waist)
            self.assertFalse(found.decided)
            self.assertIn("outside the heights burnt", found.says)

    def test_lines_that_hardly_differ_decide_nothing(self):
        found = self.decide(0.0, rayleigh_mm=40.0)
        self.assertFalse(found.decided)

    def test_too_few_lines_say_how_many_more(self):
        found = self.decide(0.0, cells=2)
        self.assertIsNone(found.fit)
        self.assertRegex(found.says, "measure the width of [2-9] more lines")
        self.assertEqual(len(found.lines), 2)


class OutlierLimitsTest(unittest.TestCase):
    def setUp(self):
        self.trial = cut_trial()
        self.readings = read_by_energy(self.trial, EDGE_J_MM)
        self.by_energy = sorted(
            self.trial.cells, key=lambda c: c.setting.power / c.setting.speed_mm_s
        )

    def found(self, changes):
        readings = [
            replace(one, verdict=changes.get(one.cell, one.verdict)) for one in self.readings
        ]
        pairs = [(self.trial, readings)]
        return outlying_readings(know(*pairs), pairs)

    def test_a_hot_cell_not_through_and_a_cold_one_through_stand_out(self):
        hot, cold = self.by_energy[-1].id, self.by_energy[0].id
        told = {one.cell: one for one in self.found({hot: "not_through", cold: "free"})}
        self.assertEqual(set(told), {hot, cold})
        self.assertEqual((told[hot].expected, told[cold].expected), ("free", "not_through"))
        self.assertTrue(all(0 <= one.chance < 0.08 for one in told.values()))

    def test_a_reading_beside_the_edge_does_not(self):
        edge = min(
            self.trial.cells,
            key=lambda c: abs(60 * c.setting.power / c.setting.speed_mm_s - EDGE_J_MM),
        )
        self.assertEqual(self.found({edge.id: "hangs"}), ())


class ToneLimitsTest(unittest.TestCase):
    def setUp(self):
        self.trial = engrave_trial()
        energies = [
            areal_energy_of(c.setting, LONG, c.setting.speed_mm_s) for c in self.trial.cells
        ]
        self.low, self.high = np.quantile(energies, (0.35, 0.65))
        self.pairs = [(self.trial, read_by_tone(self.trial, self.low, self.high))]
        self.known = know_tone(LONG, BIRCH, self.pairs)

    def test_the_pick_lies_in_the_right_band_and_its_margins_end_at_even_chance(self):
        decision = decide_engrave(self.known, self.pairs)
        for pick in decision.picks:
            energy = areal_energy_of(pick.setting, LONG, pick.setting.speed_mm_s)
            self.assertTrue(0.9 * self.low < energy < 1.1 * self.high)
            for factor in (pick.margins.power, pick.margins.power_up):
                if factor is not None:
                    self.assertLess(self.right(pick.setting, power=factor), 0.52)
                    self.assertGreater(self.right(pick.setting, power=factor**0.9), 0.48)
            quicker = pick.margins.speed
            if quicker is not None:
                self.assertLess(self.right(pick.setting, speed=quicker), 0.52)
                self.assertGreater(self.right(pick.setting, speed=quicker**0.9), 0.48)

    def right(self, setting, power=1.0, speed=1.0):
        """The chance that the tone is right with more or less power or speed."""
        return float(
            self.known.chances(
                power=setting.power * power,
                speed_mm_s=setting.speed_mm_s * speed,
                pitch_mm=setting.pitch_mm,
                runs=setting.runs,
            )[1]
        )

    def test_chances_of_settings_are_those_of_their_energies_where_power_and_speed_trade(self):
        self.known = replace(self.known, reciprocity=0.0)
        setting = Setting(0.4, 200.0, 2, pitch_mm=0.08)
        energy = 2 * 60 * 0.4 / (200 * 0.08)
        by_setting = self.known.chances(
            power=0.4, speed_mm_s=200.0, pitch_mm=0.08, runs=setting.passes
        )
        np.testing.assert_allclose(by_setting, self.known.chances_at(energy), rtol=1e-6)
        line = self.known.chances(power=0.4, speed_mm_s=20.0, pitch_mm=0.0)
        np.testing.assert_allclose(line, self.known.chances_at(60 * 0.4 / 20), rtol=1e-6)

    def test_tones_run_from_legible_to_the_strongest(self):
        readings = [
            replace(one, lightness=85 - 30 * (i / len(self.pairs[0][1])))
            for i, one in enumerate(
                sorted(
                    self.pairs[0][1],
                    key=lambda r: areal_energy_of(
                        self.trial.cell(r.cell).setting,
                        LONG,
                        self.trial.cell(r.cell).setting.speed_mm_s,
                    ),
                )
            )
        ]
        known = know_tone(LONG, BIRCH, [(self.trial, readings)])
        faint, middle, strong = known.tones()
        self.assertTrue(strong < middle < faint < known.curve.blank)
        self.assertAlmostEqual(middle, (faint + strong) / 2, places=6)
        self.assertAlmostEqual(known.curve.blank - faint, 15.0, delta=1.5)


class KerfLimitsTest(unittest.TestCase):
    def setUp(self):
        self.trial = kind_plan("kerf").trial

    def readings(self, kerf):
        told = []
        for cell in self.trial.cells:
            wide = kerf[cell.setting.direction]
            if cell.mark == "comb":
                told.append(Reading(cell.id, None, kerf_mm=cell.nominal_mm + wide))
            else:
                pieces = round(cell.longest_side_mm / cell.nominal_mm)
                total = pieces * (cell.nominal_mm - wide)
                told.append(Reading(cell.id, None, kerf_mm=total))
        return told

    def test_what_a_gauge_cannot_read_is_refused_at_its_edge(self):
        cells = {cell.mark: cell for cell in kind_plan("kerf").trial.cells}
        comb, stack = cells["comb"], cells["stack"]
        for cell, low, high in (
            (comb, comb.nominal_mm - 0.05, comb.nominal_mm + 1.5),
            (stack, stack.nominal_mm - 1.5, stack.nominal_mm + 0.05),
        ):
            with self.subTest(cell.mark):
                check_gauged(cell, low + 1e-9)
                check_gauged(cell, high - 1e-9)
                for beyond in (low - 0.01, high + 0.01, -1.0):
                    with self.assertRaises(OutOfRange):
                        check_gauged(cell, beyond)
        for pieces in (0, -1):
            with self.assertRaises(OutOfRange):
                stack_kerf(20.0, 20.0, pieces)

    def test_each_axis_gets_the_kerf_that_was_burnt(self):
        decision = decide_kerf([(self.trial, self.readings({"x": 0.16, "y": 0.22}))])
        self.assertAlmostEqual(decision.of("x").figures.mean_mm, 0.16, places=6)
        self.assertAlmostEqual(decision.of("y").figures.mean_mm, 0.22, places=6)
        self.assertIn("along Y is wider by 0.06 mm", decision.says)
        self.assertIn("0.08 mm along X and 0.11 mm along Y", decision.says)
        self.assertEqual({how for _, how, _ in decision.measured}, {"slot", "stack"})

    def test_axes_within_the_gauge_agree(self):
        decision = decide_kerf([(self.trial, self.readings({"x": 0.2, "y": 0.203}))])
        self.assertIn("agree", decision.says)

    def test_one_axis_asks_for_the_other(self):
        readings = self.readings({"x": 0.2, "y": 0.2})
        only = {c.id for c in self.trial.cells if c.setting.direction == "x"}
        decision = decide_kerf([(self.trial, [r for r in readings if r.cell in only])])
        self.assertIn("measure along Y too", decision.says)
        self.assertIn("Not decided", decide_kerf([(self.trial, [])]).says)

    def test_the_kerf_of_a_setting_is_that_of_the_nearest_energies(self):
        trial = cut_trial()
        by_energy = sorted(trial.cells, key=lambda c: c.setting.power / c.setting.speed_mm_s)
        cool, hot = by_energy[0], by_energy[-1]
        pairs = [(trial, [Reading(cool.id, kerf_mm=0.1), Reading(hot.id, kerf_mm=0.3)])]

        def energy(cell):
            return 60 * cell.setting.power / cell.setting.speed_mm_s

        self.assertAlmostEqual(expected_kerf(pairs, energy(cool), 1), 0.1, delta=0.03)
        self.assertAlmostEqual(expected_kerf(pairs, energy(hot), 1), 0.3, delta=0.03)
        self.assertIsNone(expected_kerf(pairs, 20 * energy(hot), 1))
        self.assertIsNone(expected_kerf(pairs, energy(hot), 12))


class WeeklyLimitsTest(unittest.TestCase):
    def check(self, day, edge, **changes):
        trial = replace(kind_plan("weekly").trial, id=day, made=day, **changes)
        return trial, read_by_energy(trial, edge)

    def middle(self):
        trial = kind_plan("weekly").trial
        energies = sorted(60 * c.setting.power / c.setting.speed_mm_s for c in trial.cells)
        return energies[len(energies) // 2]

    def test_a_ladder_that_turns_later_needs_so_much_more(self):
        middle = self.middle()
        pairs = [self.check("2026-04-01", middle), self.check("2026-04-08", 1.1 * middle)]
        first, second = follow_checks(pairs)
        self.assertAlmostEqual(first.needs, 0.0, places=6)
        self.assertTrue(0.03 < second.needs < 0.2, second.needs)  # ln 1.1, in steps of 8 %
        self.assertTrue(0 < second.sd < 0.1)
        weaker = [pairs[0], self.check("2026-04-08", 1.17 * middle)]
        self.assertIn("% more energy", said_of_check(weaker[1][0], weaker))
        back = [pairs[0], self.check("2026-04-08", middle / 1.17)]
        self.assertIn("% less energy", said_of_check(back[1][0], back))

    def test_the_same_again_says_so_and_the_first_says_nothing(self):
        pairs = [self.check("2026-04-01", self.middle()), self.check("2026-04-08", self.middle())]
        self.assertEqual(said_of_check(pairs[0][0], pairs[:1]), "")
        self.assertIn("same energy", said_of_check(pairs[1][0], pairs))

    def test_three_verdicts_tell_nothing(self):
        trial, readings = self.check("2026-04-01", self.middle())
        self.assertEqual(follow_checks([(trial, readings[:3])]), ())
        self.assertEqual(len(follow_checks([(trial, readings[:4])])), 1)

    def test_another_lot_begins_a_series_of_its_own(self):
        other = replace(BIRCH, lot="9")
        pairs = [
            self.check("2026-04-01", self.middle()),
            self.check("2026-04-08", 1.2 * self.middle(), stock=other),
        ]
        self.assertEqual([one.needs for one in follow_checks(pairs)], [0.0, 0.0])


class DriftLimitsTest(unittest.TestCase):
    def test_spreads_become_half_widths_of_an_even_distribution(self):
        stock = replace(BIRCH, measured_mm=(2.9, 3.0, 3.1))
        drift = drift_of_records(stock, focus_heights_mm=(-0.5, 0.0, 0.5))
        self.assertAlmostEqual(drift.thickness, 3**0.5 * 0.1 / 3.0, places=9)
        self.assertAlmostEqual(drift.focus_mm, 3**0.5 * 0.5, places=9)
        self.assertIn("from 3 caliper readings", drift.says[0])
        self.assertIn("from 3 focus tests", drift.says[1])

    def test_two_records_change_nothing_and_three_alike_leave_the_least(self):
        usual = drift_of_records(replace(BIRCH, measured_mm=(2.9, 3.1)))
        self.assertEqual((usual.thickness, usual.focus_mm, usual.power), (0.05, 1.0, 0.05))
        self.assertEqual(usual.says, ())
        alike = drift_of_records(
            replace(BIRCH, measured_mm=(3.0, 3.0, 3.0)), focus_heights_mm=(1.0, 1.0, 1.0)
        )
        self.assertEqual((alike.thickness, alike.focus_mm), (0.01, 0.3))


class MarkerTest(unittest.TestCase):
    def test_a_fibre_machine_marks_coated_metal(self):
        from tests.samples import PLATE

        setting, evidence = compute_guess(
            MARKER, PLATE, "mark", ALLOWED, rng=np.random.default_rng(0)
        )
        self.assertGreater(setting.pitch_mm, 0)
        self.assertGreater(evidence.seconds_per_100cm2, 0)

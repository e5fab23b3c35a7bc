"""Where and with what, up to what thickness, what went wrong, and what frees a piece that hangs."""

import math
import unittest
from dataclasses import replace

import numpy as np

from olive_almanac.core.beam.spot import finest_dpi, focused_spot, lens_aberration, rayleigh_range
from olive_almanac.core.deciding.causes import SIGNS, Cause, likely_causes
from olive_almanac.core.deciding.cut_knowledge import know_cut
from olive_almanac.core.deciding.engrave import know_tone
from olive_almanac.core.deciding.one_more import OneMore, one_more
from olive_almanac.core.deciding.reach import PATIENCE_S, reach_of
from olive_almanac.core.deciding.reckon import (
    reckon_cut,
    seconds_per_metre,
    with_lens,
    with_power,
    with_thickness,
)
from olive_almanac.core.deciding.signs import read_signs
from olive_almanac.core.deciding.where import Candidate, WhereRow, ranked, where_row
from olive_almanac.core.design.suggest import flare_limit_of
from olive_almanac.core.fitting.char import FlareLimit
from olive_almanac.core.materials.catalogue import Permission
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.setting import Setting
from olive_almanac.formats.catalogue import load_catalogue, load_causes
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.faults import FAULTS, Fault
from tests.samples import (
    ALLOWED,
    BIRCH,
    LEATHER,
    LONG,
    MARKER,
    NORTH,
    cut_trial,
    engrave_trial,
    read_by_energy,
    read_by_tone,
    sample_entry,
)

RNG = np.random.default_rng


class LensTest(unittest.TestCase):
    def test_published_lens_figures(self):
        """10.6 um, 6 mm beam, M2 1: 38.1 mm gives .0857, 50.8 .1143, 101.6 .2285 mm; depths 1.09,
        1.93, 7.74; 296, 222, 111 dpi; aberration .0043 and .0024 (design table, ISO 11146-1
        definitions; the aberration from memory).
        """
        for focal, spot, depth, dpi in (
            (38.1, 0.0857, 1.09, 296),
            (50.8, 0.1143, 1.93, 222),
            (101.6, 0.2285, 7.74, 111),
        ):
            found = focused_spot(wavelength_nm=10600, focal_length_mm=focal, beam_mm=6.0)
            self.assertAlmostEqual(found, spot, places=4)
            twice = 2 * rayleigh_range(waist_radius_mm=found / 2, wavelength_nm=10600)
            self.assertAlmostEqual(twice, depth, places=2)
            self.assertEqual(round(finest_dpi(found)), dpi)
        self.assertAlmostEqual(lens_aberration(focal_length_mm=38.1, beam_mm=6.0), 0.0043, places=4)
        self.assertAlmostEqual(lens_aberration(focal_length_mm=50.8, beam_mm=6.0), 0.0024, places=4)
        meniscus = lens_aberration(focal_length_mm=50.8, beam_mm=6.0, meniscus=True)
        self.assertLess(meniscus, 0.0024)

    def test_twice_the_focal_length_is_twice_the_spot_and_four_times_the_depth(self):
        longer = with_lens(LONG, 2.0)
        self.assertAlmostEqual(longer.spot_x_mm, 2 * LONG.spot_x_mm)
        self.assertAlmostEqual(longer.rayleigh_mm, 4 * LONG.rayleigh_mm)
        self.assertEqual(longer.state, LONG.state + 1)

    def test_another_source_keeps_the_shape_of_the_meters_table(self):
        metered = replace(LONG, power_table=((10.0, 5.0), (100.0, 58.0)))
        doubled = with_power(metered, 2 * metered.optical_power_w)
        self.assertAlmostEqual(doubled.watts(1.0), 2 * metered.watts(1.0))
        self.assertAlmostEqual(doubled.watts(0.1), 2 * metered.watts(0.1))


class ReckonTest(unittest.TestCase):
    def reckoned(self, machine=LONG, stock=BIRCH, pairs=()):
        known = know_cut(machine, stock, pairs, rng=RNG(1))
        return reckon_cut(known, machine, stock, flare_limit_of(stock, pairs))

    def test_the_setting_gets_through_four_times_in_five(self):
        found = self.reckoned()
        self.assertGreaterEqual(found.chance, 0.8)
        self.assertGreater(found.spread, 0.1)

    def test_twice_the_power_is_quicker_but_not_by_more_than_the_beam(self):
        gain = math.log(
            self.reckoned().seconds_per_m
            / self.reckoned(with_power(LONG, 2 * LONG.optical_power_w)).seconds_per_m
        )
        self.assertTrue(0.4 < gain < 1.1, gain)

    def test_readings_narrow_what_is_reckoned(self):
        trial = cut_trial()
        narrow = self.reckoned(pairs=[(trial, read_by_energy(trial, 2.0))])
        self.assertLess(narrow.spread, 0.5 * self.reckoned().spread)

    def test_one_pass_wins_unless_more_are_clearly_quicker(self):
        """On 6 mm the diode takes 2830, 1950, 1660 s a metre in 3, 4, 6 passes: 6 are worth it."""
        for thick, machine, passes in ((1.0, LONG, 1), (6.0, LONG, 1), (6.0, NORTH, 6)):
            found = self.reckoned(machine, with_thickness(BIRCH, thick))
            self.assertEqual(found.setting.passes, passes)
            self.assertAlmostEqual(found.seconds_per_m, seconds_per_metre(found.setting, machine))

    def test_a_metre_takes_longer_than_its_length_over_the_speed(self):
        """On a square of 100 mm: runs up to speed and corners cost time."""
        slow = Setting(1.0, 5.0)
        self.assertAlmostEqual(seconds_per_metre(slow, LONG), 200.0, delta=1.0)
        quick = Setting(1.0, 400.0)
        self.assertGreater(seconds_per_metre(quick, LONG), 1.2 * 1000 / 400.0)
        twice = Setting(1.0, 5.0, 2)
        self.assertGreater(seconds_per_metre(twice, LONG), 1.95 * 200.0)

    def test_a_board_too_thick_has_no_setting(self):
        block = with_thickness(BIRCH, 60.0)
        found = self.reckoned(NORTH, block)
        self.assertIsNone(found.setting)
        self.assertLess(found.chance, 0.8)


class WhereTest(unittest.TestCase):
    def test_proven_reckoned_and_cannot_stand_side_by_side(self):
        entry = sample_entry()
        proven = Candidate(LONG, BIRCH, ALLOWED, entry, "proven", "until May")
        bare = Candidate(NORTH, BIRCH, ALLOWED)
        no = Candidate(MARKER, BIRCH, Permission(False, "Takes up too little."))
        rows = ranked([where_row(one, "cut") for one in (no, bare, proven)])
        self.assertEqual([row.state for row in rows], ["proven", "reckoned", "cannot"])
        self.assertEqual(rows[0].setting, entry.setting)
        self.assertEqual(rows[2].reason, "Takes up too little.")
        self.assertAlmostEqual(sum(row.quickest for row in rows), 1.0, places=6)
        low, high = rows[1].range_s
        self.assertTrue(low < rows[1].seconds < high)

    def test_what_must_not_burn_stays_barred(self):
        barred = Candidate(LONG, BIRCH, Permission(False, "gives off chlorine", barred=True))
        self.assertEqual(where_row(barred, "cut").state, "barred")

    def test_cost_is_the_machines_rate_over_the_time(self):
        dear = replace(LONG, hour_rate=36.0)
        row = where_row(Candidate(dear, BIRCH, ALLOWED), "cut")
        self.assertAlmostEqual(row.cost, row.seconds / 100)
        free = where_row(
            Candidate(replace(LONG, hour_rate=None, costs=None), BIRCH, ALLOWED), "cut"
        )
        self.assertIsNone(free.cost)

    def test_a_reckoned_row_stands_above_a_proven_one_only_where_it_is_surely_quicker(self):
        proven = WhereRow(LONG, "proven", "", setting=Setting(1, 10), seconds=100.0, spread=0.05)
        maybe = WhereRow(NORTH, "reckoned", "", setting=Setting(1, 10), seconds=80.0, spread=0.4)
        surely = replace(maybe, seconds=20.0)
        self.assertEqual([r.machine for r in ranked([proven, maybe])], [LONG, NORTH])
        self.assertEqual([r.machine for r in ranked([proven, surely])], [NORTH, LONG])

    def test_rows_go_by_the_aim(self):
        quick = WhereRow(
            LONG,
            "proven",
            "",
            setting=Setting(1, 10),
            seconds=10.0,
            cost=5.0,
            grade=2.0,
            margin=1.1,
        )
        clean = WhereRow(
            NORTH,
            "proven",
            "",
            setting=Setting(1, 5),
            seconds=90.0,
            cost=1.0,
            grade=0.0,
            margin=1.5,
        )
        for aim, first in (("time", LONG), ("cost", NORTH), ("edge", NORTH), ("margin", NORTH)):
            with self.subTest(aim):
                self.assertEqual(ranked([quick, clean], aim)[0].machine, first)

    def test_a_machine_without_a_margin_ranks_below_any_that_has_one(self):
        setting = Setting(1.0, 10.0)
        wide, narrow, none = (
            WhereRow(machine, "proven", "", setting=setting, seconds=100.0, margin=margin)
            for machine, margin in ((LONG, 1.5), (NORTH, 1.1), (MARKER, None))
        )
        told = ranked([none, narrow, wide], "margin")
        self.assertEqual([row.machine for row in told], [LONG, NORTH, MARKER])

    def test_a_tone_is_reckoned_too(self):
        row = where_row(Candidate(LONG, LEATHER, ALLOWED), "engrave")
        self.assertEqual(row.state, "reckoned")
        self.assertGreater(row.seconds, 1.0)


class ReachTest(unittest.TestCase):
    def test_thicker_takes_longer_until_it_does_not_go(self):
        points = list(reach_of(NORTH, BIRCH, ()))
        times = [one.found.seconds_per_m for one in points if one.goes]
        self.assertEqual(times, sorted(times))
        self.assertFalse(points[-1].goes)
        self.assertTrue(all(seconds <= PATIENCE_S for seconds in times))
        self.assertIn(BIRCH.true_thickness_mm, [one.thickness_mm for one in points])

    def test_a_stronger_machine_reaches_farther(self):
        def most(machine):
            return max(one.thickness_mm for one in reach_of(machine, BIRCH, ()) if one.goes)

        self.assertGreater(most(LONG), most(NORTH))

    def test_what_was_burnt_is_marked(self):
        trial = cut_trial()
        pairs = [(trial, read_by_energy(trial, 2.0))]
        burnt = [one.thickness_mm for one in reach_of(LONG, BIRCH, pairs) if one.burnt]
        self.assertEqual(burnt, [BIRCH.true_thickness_mm])


class OneMoreTest(unittest.TestCase):
    def known(self, edge=2.0):
        trial = cut_trial()
        return know_cut(LONG, BIRCH, [(trial, read_by_energy(trial, edge))], rng=RNG(1))

    def test_a_piece_that_hangs_falls_after_one_more_pass(self):
        known = self.known()
        speed = float(np.exp(np.median(known.edges(power=1.0, passes=1, focus_mm=1.5))))
        limit = flare_limit_of(BIRCH)
        found = one_more(known, Setting(1.0, speed, 1, 1.5), "hangs", limit)
        self.assertEqual(found.passes, 1)
        self.assertGreaterEqual(found.chance, 0.95)
        self.assertIn("1 more pass", found.says)

    def test_how_many_more_is_told_and_never_more_than_six(self):
        self.assertIn("1 more pass at", OneMore(1, 0.97).says)
        self.assertIn("3 more passes at the same numbers free it, 97 % sure", OneMore(3, 0.97).says)
        known, limit = self.known(), FlareLimit(1000.0)
        speed = float(np.exp(np.median(known.edges(power=1.0, passes=1, focus_mm=1.5))))
        told = [
            one_more(known, Setting(1.0, times * speed, 1, 1.5), "not_through", limit).passes
            for times in (1.0, 1.3, 1.6, 2.4, 6.0)
        ]
        self.assertEqual(told, [1, 2, 4, 6, 0])

    def test_the_farther_it_is_from_through_the_more_passes_it_takes(self):
        known, limit = self.known(), flare_limit_of(BIRCH)
        speed = float(np.exp(np.median(known.edges(power=1.0, passes=1, focus_mm=1.5))))
        passes = [
            one_more(known, Setting(1.0, times * speed, 1, 1.5), "not_through", limit).passes
            for times in (1.0, 1.6, 2.4)
        ]
        self.assertEqual(passes, sorted(passes))
        self.assertGreater(passes[2], passes[0])

    def test_what_hangs_against_all_that_is_believed_is_still_answered(self):
        known, limit = self.known(), flare_limit_of(BIRCH)
        speed = float(np.exp(np.median(known.edges(power=1.0, passes=1, focus_mm=1.5))))
        found = one_more(known, Setting(1.0, 2.4 * speed, 1, 1.5), "hangs", limit)
        self.assertEqual(found.passes, 1)  # it hung: it was close

    def test_no_pass_is_told_that_would_flare(self):
        known = self.known()
        slow = Setting(1.0, 0.5, 1, 1.5)
        found = one_more(known, slow, "hangs", flare_limit_of(BIRCH))
        self.assertEqual(found.passes, 0)
        self.assertIn("lower the focus", found.says)


class CausesTest(unittest.TestCase):
    def causes(self, signs, pointed_at=(), machine=LONG, task="cut", group="Wood"):
        return likely_causes(
            load_causes(), machine, task, group=group, signs=signs, pointed_at=pointed_at
        )

    def names(self, signs, **more):
        return [one.cause.id for one in self.causes(signs, **more)]

    def test_at_least_forty_causes_by_known_signs_and_groups(self):
        causes, groups = load_causes(), set(load_catalogue().groups)
        self.assertGreaterEqual(len(causes), 40)
        for one in causes:
            with self.subTest(one.id):
                self.assertEqual(set(one.tells) - set(SIGNS), set())
                self.assertEqual(set(one.groups) - groups, set())
                self.assertEqual(set(one.needs) - set(SIGNS), set())
                self.assertTrue(one.check and one.mend and one.tasks)
                self.assertTrue(all(0 < share < 1 for share in one.tells.values()))

    def test_chances_add_up_and_bayes_by_hand(self):
        """Two causes, one sign: prior x share, over their sum."""
        made = [
            Cause("a", "a", ("cut",), 2.0, {"stripes": 0.9}),
            Cause("b", "b", ("cut",), 1.0, {}),
        ]
        for so, share in ((True, 0.9 / SIGNS["stripes"].usual), (False, 0.1 / 0.94)):
            found = likely_causes(made, LONG, "cut", group="Wood", signs={"stripes": so})
            chance = {one.cause.id: one.chance for one in found}
            self.assertAlmostEqual(chance["a"], 2 * share / (2 * share + 1), places=6)
            self.assertAlmostEqual(sum(chance.values()), 1.0)

    def test_what_is_pointed_at_by_hand(self):
        """Alone, or with the other beside that what is known comes of (noisy or of both)."""
        made = [
            Cause("a", "a", ("cut",), 1.0, {"weaker": 0.9}),
            Cause("b", "b", ("cut",), 1.0, {"foam": 0.5}),
        ]
        signs = {"weaker": True, "foam": True}
        found = likely_causes(made, LONG, "cut", group="Wood", signs=signs, pointed_at=["foam"])
        usual = SIGNS["weaker"].usual
        both = 0.15 * 0.5 * 0.9 / usual
        a = 0.001 * (0.85 * 0.9 / usual + 2 * both)
        b = (0.5 - SIGNS["foam"].usual) * (0.85 + 0.15 * 0.5 + both)
        self.assertEqual(found[0].cause.id, "b")
        self.assertAlmostEqual(found[0].chance, b / (a + b), places=6)

    def test_another_fault_beside_a_dirty_lens_is_answered_by_its_own_cause(self):
        dirty = {"weaker": True, "lens_due": True, "power_low": True, "drifts": True}
        for sign, first, group, task in (
            ("hangs", {"dirty_lens"}, "Wood", "cut"),
            ("one_side", {"tilt", "mirrors_off"}, "Wood", "cut"),
            ("back_scorch", {"back_reflects"}, "Wood", "cut"),
            ("stripes", {"belt"}, "Wood", "cut"),
            ("passes_useless", {"char_chokes", "focus_stays"}, "Wood", "cut"),
            ("flares", {"flare_gas", "no_air", "tray_burns"}, "Wood", "cut"),
            ("reweld", {"welds"}, "Plastic", "cut"),
            ("foam", {"foam"}, "Plastic", "cut"),
            ("crack", {"crazes"}, "Plastic", "cut"),
            ("haze", {"air_haze"}, "Plastic", "engrave"),
            ("darker_all", {"power_floor"}, "Wood", "engrave"),
            ("uneven", {"grain", "damp"}, "Wood", "engrave"),
            ("crack", {"cracks_heat"}, "Glass and stone", "mark"),
            ("rubs_off", {"mark_rubs"}, "Glass and stone", "mark"),
        ):
            with self.subTest(sign, group=group):
                signs = {**dirty, sign: True}
                found = self.causes(signs, [sign], task=task, group=group)
                self.assertIn(found[0].cause.id, first)
                self.assertEqual(
                    self.causes(signs, task=task, group=group)[0].cause.id, "dirty_lens"
                )

    def test_what_is_not_known_weighs_nothing(self):
        before = {one.cause.id: one.chance for one in self.causes({})}
        self.assertAlmostEqual(sum(before.values()), 1.0)
        whole = sum(one.prior for one in load_causes() if one.id in before)
        focus = next(one for one in load_causes() if one.id == "focus_off")
        self.assertAlmostEqual(before["focus_off"], focus.prior / whole)

    def test_faults_by_their_signs(self):
        cut = {"weaker": True, "kerf_wide": False, "charred": False}
        for first, signs, more in (
            ("focus_off", {"weaker": True, "kerf_wide": True, "one_side": False}, {}),
            ("tilt", {"weaker": True, "one_side": True, "level_unticked": True}, {}),
            ("dirty_lens", {**cut, "lens_due": True, "power_low": True}, {}),
            ("weak_source", {**cut, "source_old": True, "power_low": True, "lens_due": False}, {}),
            ("no_air", {"charred": True, "smokes": True, "flares": True, "weaker": True}, {}),
            ("other_lot", {**cut, "lot_new": True, "lens_due": False}, {}),
            ("back_reflects", {"back_scorch": True, "support_none": True}, {}),
            ("welds", {"reweld": True, "hangs": True, "melt": True}, {"group": "Plastic"}),
            (
                "strong_air",
                {"stripes": True, "thick": True, "full_air": True},
                {"group": "Plastic"},
            ),
            ("foam", {"foam": True}, {"group": "Plastic"}),
            (
                "char_chokes",
                {"passes_useless": True, "charred": True, "many_passes": True, "thick": False},
                {},
            ),
        ):
            with self.subTest(first):
                self.assertEqual(self.names(signs, **more)[0], first)

    def test_faults_of_marks_by_their_signs(self):
        for first, signs, group in (
            ("bubble", {"patchy": True, "medium_on": True}, "Glass and stone"),
            (
                "no_medium",
                {"no_mark": True, "lighter_all": True, "medium_missing": True},
                "Glass and stone",
            ),
            ("cracks_heat", {"crack": True}, "Glass and stone"),
            ("film_on", {"melt": True, "film_on": True, "haze": True}, "Plastic"),
            (
                "air_haze",
                {"haze": True, "full_air": True, "film_on": False, "melt": False},
                "Plastic",
            ),
            ("power_floor", {"darker_all": True, "low_powers": True}, "Wood"),
            (
                "medium_thin",
                {
                    "rubs_off": True,
                    "medium_on": True,
                    "lighter": True,
                    "uneven": True,
                    "patchy": False,
                },
                "Metal",
            ),
            (
                "wrong_face",
                {
                    "no_mark": True,
                    "two_faces": True,
                    "face_unticked": True,
                    "medium_missing": False,
                },
                "Leather and textile",
            ),
            ("damp", {"uneven": True, "damp_room": True, "weaker": True, "wood": False}, "Wood"),
        ):
            with self.subTest(first):
                names = self.names(signs, machine=NORTH, task="engrave", group=group)
                self.assertEqual(names[0], first)

    def test_what_cannot_be_does_not_come_into_question(self):
        self.assertNotIn("mirrors_off", self.names({}, machine=NORTH))
        self.assertNotIn("foam", self.names({}, group="Wood"))
        self.assertNotIn("bubble", self.names({}, task="engrave"))

    def test_reasons_for_and_against_are_named(self):
        found = next(
            one
            for one in self.causes({"weaker": True, "lens_due": True, "power_low": False})
            if one.cause.id == "dirty_lens"
        )
        self.assertIn("the lens is due for cleaning", found.speaks_for)
        self.assertIn("a power reading was low", found.speaks_against)


class SignsTest(unittest.TestCase):
    trial = cut_trial()

    def signs(self, readings, earlier=None):
        earlier = earlier or ((self.trial, read_by_energy(self.trial, 2.0)),)
        known = know_cut(LONG, BIRCH, list(earlier), rng=RNG(1))
        return read_signs(self.trial, readings, known, earlier)

    def test_a_coupon_as_expected_shows_nothing(self):
        signs = self.signs(read_by_energy(self.trial, 2.0))
        self.assertEqual([sign for sign, so in signs.items() if so], [])

    def test_more_and_less_energy_than_expected(self):
        self.assertTrue(self.signs(read_by_energy(self.trial, 2.9))["weaker"])
        self.assertTrue(self.signs(read_by_energy(self.trial, 1.4))["stronger"])

    def test_defects_that_were_noted(self):
        readings = [
            replace(one, defects=("back_scorch",)) for one in read_by_energy(self.trial, 2.0)
        ]
        signs = self.signs(readings)
        self.assertTrue(signs["back_scorch"])
        self.assertFalse(signs["foam"])

    def test_a_wider_cut_than_before(self):
        before = [replace(one, kerf_mm=0.20) for one in read_by_energy(self.trial, 2.0)]
        now = [replace(one, kerf_mm=0.26) for one in before]
        earlier = ((self.trial, before),)
        self.assertTrue(self.signs(now, earlier=earlier)["kerf_wide"])
        self.assertFalse(self.signs(before, earlier=earlier)["kerf_wide"])

    def test_tones_on_one_side_and_a_patch_without_a_mark(self):
        trial = engrave_trial()
        right = read_by_tone(trial, 0.4, 0.7)
        known = know_tone(LONG, BIRCH, [(trial, right)])
        plain = read_signs(trial, right, known)
        self.assertFalse(plain["patchy"])
        strongest = max(trial.cells, key=trial.energy_of).id
        patched = [Reading(one.cell, "no_mark") if one.cell == strongest else one for one in right]
        self.assertTrue(read_signs(trial, patched, known)["patchy"])

    def test_too_light_at_every_setting(self):
        trial = engrave_trial()
        known = know_tone(LONG, BIRCH, [(trial, read_by_tone(trial, 0.4, 0.7))])
        light = [Reading(cell.id, "too_light") for cell in trial.cells]
        signs = read_signs(trial, light, known)
        self.assertTrue(signs["lighter_all"] and signs["lighter"])
        self.assertFalse(signs["darker_all"])

    def test_nothing_read_tells_nothing(self):
        self.assertEqual(self.signs([]), {})


class PlantedFaultsTest(unittest.TestCase):
    def test_each_fault_changes_what_burns(self):
        trial = cut_trial()
        sound = [one.depth_mm for one in StandInBench(2).burn(trial)]
        places = {"bubble": (40.0, 30.0)}
        for kind in FAULTS:
            with self.subTest(kind):
                amount = {"focus": 4.0, "tilt": 6.0, "bubble": 25.0}.get(kind, 0.3)
                fault = Fault(kind, amount, places.get(kind, (0.0, 0.0)))
                burnt = [one.depth_mm for one in StandInBench(2).burn(trial, fault=fault)]
                self.assertNotEqual(burnt, sound)
                self.assertLessEqual(sum(burnt), sum(sound) + 1e-9)


if __name__ == "__main__":
    unittest.main()

"""Services: what is due by hours, days and smoke, the counters behind it, and odd histories."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import ClassVar

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.motion.program import cell_joules
from olive_almanac.core.quoting.job_plan import Layout, plan_job
from olive_almanac.core.quoting.pattern import pattern_of
from olive_almanac.core.records.plain import from_plain, to_plain
from olive_almanac.core.records.service import Counters, Interval, ServiceAct
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.upkeep.drift_told import Optics
from olive_almanac.core.upkeep.due import counters_of, services_of, water_trouble
from olive_almanac.core.upkeep.filling import filter_capacity_g
from olive_almanac.core.upkeep.services import parts_of
from olive_almanac.core.upkeep.usage import usage_of_plan, usage_of_trial
from olive_almanac.steps.hour_costs import cost_texts, costs_of, services_an_hour, with_costs
from tests.core.quoting.test_job_plan import TASKS, drawing
from tests.samples import BIRCH, LONG, MARKER, NORTH, PLATE, cut_trial, engrave_trial

FRESH = Counters()
NOW = datetime(2026, 4, 14, 12, 0, tzinfo=UTC)


def act(part, kind, days_ago, hours=0.0, **more):
    at = (NOW - timedelta(days=days_ago)).isoformat()
    counters = Counters(on_h=hours, smoke_g=more.pop("grams", 0.0))
    uid = f"{part}-{days_ago}"
    return ServiceAct(uid, LONG.uid, part, kind, at, counters=counters, **more)


class DueTest(unittest.TestCase):
    def due(self, acts, counters=FRESH, machine=LONG):
        return {due.part.id: due for due in services_of(machine, acts, counters, NOW)}

    def test_a_part_is_due_by_the_counter_that_is_used_up_first(self):
        lens = self.due([act("lens", "clean", 2, 100.0)], Counters(on_h=107.0))["lens"]
        self.assertEqual((lens.by, lens.is_soon, lens.is_now), ("hours", True, False))
        self.assertAlmostEqual(lens.share, 7 / 8)
        old = self.due([act("lens", "clean", 8, 100.0)], Counters(on_h=101.0))["lens"]
        self.assertEqual((old.by, old.is_now), ("days", True))
        smoke = self.due([act("lens", "clean", 1, 100.0)], Counters(on_h=101, smoke_g=160))["lens"]
        self.assertEqual((smoke.by, smoke.is_now), ("smoke", True))

    def test_where_someone_can_be_hurt_comes_first_among_what_is_due(self):
        acts = [act(part.id, part.act, 1000) for part in parts_of(LONG)]
        order = services_of(LONG, acts, Counters(on_h=10_000, beam_h=9_000), NOW)
        self.assertTrue(order[0].is_now)
        self.assertEqual(order[0].part.danger, 1)
        first_of = {due.part.danger: n for n, due in reversed(list(enumerate(order)))}
        self.assertLess(first_of[1], first_of[4])
        fresh = [act(part.id, part.act, 0.01) for part in parts_of(LONG) if part.id != "lens"]
        late = [*fresh, act("lens", "clean", 7)]  # due now, while nothing else is
        self.assertEqual(services_of(LONG, late, Counters(), NOW)[0].part.id, "lens")

    def test_what_the_readings_say_of_the_optics_comes_before_the_calendar(self):
        acts = [act("lens", "clean", 4, 0.0), act("tray", "clean", 4, 0.0)]
        counters = Counters(on_h=2.0)

        def lens(optics):
            every = services_of(LONG, acts, counters, NOW, optics)
            return {due.part.id: due for due in every}["lens"]

        usual = lens(None)
        self.assertAlmostEqual(usual.share, 4 / 7)
        dirty = lens(Optics(0.9, 0.0, 3e-4, 1))
        self.assertTrue(dirty.is_now)
        self.assertIn("dirty", dirty.why)
        self.assertAlmostEqual(dirty.used, usual.share)
        clean = lens(Optics(0.0, 0.95, 3e-4, 1))
        self.assertAlmostEqual(clean.share, usual.share / 1.5)
        tray = {d.part.id: d for d in services_of(LONG, acts, counters, NOW, Optics(1, 0, 0, 9))}
        self.assertEqual(tray["tray"].why, "")  # where someone can be hurt nothing is stretched

    def test_after_three_cleanings_the_interval_is_this_machines_own(self):
        def lens(rate, cleanings, acts=()):
            optics = Optics(0.1, 0.1, rate, cleanings)
            every = services_of(LONG, acts, Counters(), NOW, optics)
            return {due.part.id: due for due in every}["lens"]

        self.assertEqual(lens(0.034 / 5, 2).interval.hours, 8)
        slow = lens(0.034 / 5, 3)
        self.assertAlmostEqual(slow.interval.hours, 5.0)
        self.assertIn("fouls", slow.why)
        self.assertEqual(lens(1e-6, 3).interval.hours, 16)  # never beyond twice the usual
        own = [act("lens", "interval", 3, interval=Interval(hours=30))]
        self.assertEqual(lens(0.034 / 5, 3, own).interval.hours, 30)

    def test_a_filters_capacity_is_learnt_from_full_ones_and_never_stretched(self):
        def changed(n, grams, found):
            return act("filter", "replace", 90 - 20 * n, 10.0 * n, grams=grams, found=found)

        def filter_of(acts):
            every = services_of(LONG, acts, Counters(smoke_g=2000), NOW)
            return {due.part.id: due for due in every}["filter"]

        few = [changed(0, 0, ""), changed(1, 280, "full"), changed(2, 580, "full")]
        learnt = filter_of([*few, changed(3, 800, "")])
        self.assertAlmostEqual(learnt.interval.grams, 300, delta=25)
        self.assertIn("fill", learnt.why)
        self.assertEqual(filter_of([changed(0, 0, ""), changed(1, 280, "")]).interval.grams, 400)
        large = [changed(0, 0, ""), changed(1, 900, "full"), changed(2, 1800, "full")]
        self.assertEqual(filter_of(large).interval.grams, 400)

    def test_the_capacity_is_the_textbooks_mean_of_normals(self):
        """Precisions add, of ln g: one prior and two readings."""
        grams, sd = filter_capacity_g([280.0, 300.0], [])
        precision = 1 / 0.6**2 + 2 / 0.25**2
        mean = (math.log(400) / 0.6**2 + math.log(280 * 300) / 0.25**2) / precision
        self.assertAlmostEqual(grams, math.exp(mean), delta=0.5)
        self.assertAlmostEqual(sd, precision**-0.5, delta=1e-3)
        self.assertGreater(filter_capacity_g([280.0, 300.0], [350.0])[0], grams)

    def test_each_source_has_its_own_parts(self):
        ids = [{part.id for part in parts_of(machine)} for machine in (LONG, NORTH, MARKER)]
        self.assertIn("tube", ids[0])
        self.assertNotIn("tube", ids[1] | ids[2])
        self.assertIn("scan_window", ids[2])
        for mine in ids:
            self.assertLessEqual({"exhaust", "shield", "extinguisher"}, mine)

    def test_the_shop_changes_an_interval_and_the_newest_counts(self):
        acts = [
            act("lens", "clean", 6),
            act("lens", "interval", 5, interval=Interval(days=30)),
            act("lens", "interval", 3, interval=Interval(days=12)),
        ]
        lens = self.due(acts)["lens"]
        self.assertEqual((lens.is_own, lens.interval.days), (True, 12))
        self.assertAlmostEqual(lens.share, 0.5)

    def test_odd_histories_are_borne(self):
        future = act("lens", "clean", -5, 100.0)  # the clock was set back since
        self.assertEqual(self.due([future], Counters(on_h=90.0))["lens"].share, 0.0)
        shuffled = [act("lens", "clean", 1, 105.0), act("lens", "clean", 9, 100.0)]
        for acts in (shuffled, shuffled[::-1]):
            self.assertAlmostEqual(self.due(acts, Counters(on_h=107))["lens"].share, 0.25)
        self.assertEqual(self.due([act("lens", "clean", 1, 500.0)])["lens"].by, "days")
        with self.assertRaises(OutOfRange):
            act("lens", "polish", 1)
        with self.assertRaises(OutOfRange):
            Counters(on_h=float("nan"))

    def test_water_out_of_range_is_told_until_it_is_read_again(self):
        hot = act("water", "check", 1, celsius=31.0, flow_l_min=3.0)
        self.assertIn("31 °C", water_trouble([hot]))
        slow = act("water", "check", 0.5, celsius=20.0, flow_l_min=0.5)
        self.assertIn("0.5 l/min", water_trouble([slow, hot]))
        good = act("water", "check", 0.1, celsius=20.0, flow_l_min=3.0)
        self.assertEqual(water_trouble([hot, good, slow]), "")
        self.assertEqual(water_trouble([]), "")
        self.assertEqual(water_trouble([hot, act("water", "override", 0.5, note="cold shop")]), "")


class CostsTest(unittest.TestCase):
    TEXTS: ClassVar = {
        "source": "420",
        "life": "3000",
        "resale": "",
        "filters": "90 / 150; 35/40",
        "kw": "1.1",
        "kwh": "0.32",
    }

    def test_the_parts_of_an_hour(self):
        # reckoned by hand: 0.140, 1.475, 0.352 and 0.856 make 2.823
        costs = costs_of(self.TEXTS, 0.856)
        parts = (costs.beam_h, costs.filters_h, costs.electric_h, costs.service_h)
        for part, value in zip(parts, (0.14, 1.475, 0.352, 0.856), strict=True):
            self.assertAlmostEqual(part, value)
        self.assertAlmostEqual(costs.an_hour, 2.823)
        self.assertEqual(costs_of({**cost_texts(costs)}, 0.856), costs)

    def test_services_come_from_what_was_noted(self):
        acts = [
            act("lens", "clean", 9, minutes=8.0, parts_cost=0.1),
            act("lens", "clean", 2, minutes=12.0, parts_cost=0.3),
            act("alignment", "check", 30, minutes=60.0, parts_cost=6.0),
        ]
        parts = services_of(LONG, acts, FRESH, NOW)
        self.assertAlmostEqual(services_an_hour(parts, acts, 25.0), 0.8558, 3)

    def test_the_shops_own_rate_wins_and_wrong_costs_are_told(self):
        costs = costs_of(self.TEXTS, 0.0)
        own = replace(with_costs(LONG, costs), hour_rate=14.0)
        self.assertEqual(own.rate, 14.0)
        self.assertAlmostEqual(replace(own, hour_rate=None).rate, costs.an_hour)
        self.assertIsNone(with_costs(own, costs_of({}, 0.0)).costs)
        for wrong in ({"filters": "90"}, {"life": ""}, {"filters": "9/0"}, {"kw": "x"}):
            with self.assertRaises(OutOfRange):
                costs_of({**self.TEXTS, **wrong}, 0.0)


class CountersTest(unittest.TestCase):
    def test_corrections_are_signed_and_nothing_falls_below_nought(self):
        first = act("hours", "correct", 9, added=Counters(on_h=120.0))
        less = act("hours", "correct", 8, added=Counters(on_h=-20.0))
        used = [Counters(1.5, 1.0, 3e6, 12.0)]
        self.assertEqual(counters_of(used, [first, less]).on_h, 101.5)
        self.assertEqual(counters_of([], [less]).on_h, 0.0)

    def test_a_trial_uses_its_share_of_time_energy_and_smoke(self):
        trial = cut_trial()
        every = usage_of_trial(trial, {cell.id for cell in trial.cells})
        self.assertAlmostEqual(every.on_h * 3600, trial.seconds)
        joules = sum(cell_joules(cell, LONG) for cell in trial.cells)
        self.assertAlmostEqual(every.energy_j, joules)
        half = usage_of_trial(trial, {cell.id for cell in trial.cells[:12]})
        self.assertTrue(0 < half.beam_h < every.beam_h)
        self.assertEqual(usage_of_trial(trial, ()), Counters())
        metal = engrave_trial(MARKER, PLATE)
        self.assertEqual(usage_of_trial(metal, {metal.cells[0].id}).smoke_g, 0.0)

    def test_a_job_uses_the_time_of_its_lines(self):
        plan = plan_job(
            pattern_of(drawing(), TASKS, LONG), LONG, Layout(2, sheets=(Sheet(300, 200),))
        )
        used = usage_of_plan(plan, LONG, BIRCH)
        self.assertAlmostEqual(used.on_h * 3600, plan.seconds)
        self.assertTrue(0 < used.beam_h < used.on_h)
        # two outlines and two holes of 3 mm board, a spot wide: 336 mm, by the density of plywood
        cut = 2 * (2 * (40.2 + 30.1) + 2 * (9.8 + 3.9))
        grams = cut * LONG.spot_longer_mm * BIRCH.true_thickness_mm * 6e-4
        self.assertTrue(grams < used.smoke_g < 1.4 * grams)

    def test_an_act_is_written_and_read_as_it_was(self):
        water = act("water", "check", 1, celsius=18.5, note="after the break")
        self.assertEqual(from_plain(ServiceAct, to_plain(water)), water)
        more = replace(water, added=Counters(2.0), interval=Interval(hours=9))
        self.assertEqual(from_plain(ServiceAct, to_plain(more)), more)

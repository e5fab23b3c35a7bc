"""Following a machine: what its readings, burns and acts tell, and odd histories."""

import math
import unittest
from dataclasses import replace
from datetime import date

import numpy as np

from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.entry import Entry, Evidence, Margins, Proof
from olive_almanac.core.records.job import Job, JobOutcome
from olive_almanac.core.records.service import Counters, ServiceAct
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.weekly import WeeklyCheck
from olive_almanac.core.upkeep.drift import (
    DriftEvent,
    Habits,
    follow_machine,
    learn_sheet,
    need_of,
    step_of,
    steps_a_year,
    used_since,
)
from olive_almanac.core.upkeep.drift_told import MarginOf, Usage, path_point, tell_drift
from olive_almanac.core.upkeep.drift_words import diagnosis_of
from olive_almanac.core.upkeep.history import Used, changes_of, history_of
from tests.samples import LONG, NORTH

HOURS_A_WEEK = 14.0
TODAY = date(2026, 4, 14)
FIRST = TODAY.toordinal() - 40 * 7


def check(week, need, sd=0.02, series="ladder"):
    hours = week * HOURS_A_WEEK
    return DriftEvent(FIRST + 7 * week, hours, 0.6 * hours, "check", series, need, sd)


def act(week, kind):
    hours = week * HOURS_A_WEEK
    return DriftEvent(FIRST + 7 * week + 0.4, hours, 0.6 * hours, kind)


def after(events, habits=None, **more):
    return tuple(follow_machine(events, habits, **more))


def told(events, margins=()):
    habits = Habits()
    banks = after(events, habits)
    return tell_drift(
        LONG,
        events,
        banks[-1],
        [path_point(bank) for bank in banks],
        habits,
        today=TODAY,
        margins=margins,
        usage=Usage(2.0, 1.2),
    )


def readings(needs, seed=0):
    rng = np.random.default_rng(seed)
    return [check(n, need + 0.025 * rng.standard_normal()) for n, need in enumerate(needs)]


def _cleaned(week, event):
    """A check, with a cleaning before it in every tenth week."""
    return (act(week - 0.5, "clean"), event) if week % 10 == 0 and week else (event,)


class FollowTest(unittest.TestCase):
    def test_readings_alone_are_weighed_as_a_kalman_filter_does(self):
        """One part that may move, two readings whose levels are hardly known: precisions add."""
        still = Habits(blunder=0.0001, steps_a_year=1e-9, sheet=0.0, film_left_sd=0.1)
        events = [
            DriftEvent(FIRST, 0, 0, "check", "a", 0.0, 1e-6),
            DriftEvent(FIRST, 0, 0, "meter", "m", 0.0, 1e-6),
        ]
        mean, sd = need_of(after(events, still)[-1])
        precision = 1 / 0.1**2 + 2 / 0.7**2
        self.assertAlmostEqual(mean, still.film_left / 0.1**2 / precision, places=5)
        self.assertAlmostEqual(sd, precision**-0.5, places=4)

    def test_a_sudden_loss_is_told_dated_and_named(self):
        drift = told(readings([0.0] * 20 + [0.16] * 5))
        self.assertEqual(drift.level, "alarm")
        self.assertTrue(drift.is_dated)
        self.assertLess(abs(drift.step.day - (FIRST + 7 * 19.5)), 8)
        self.assertEqual(drift.cause.key, "sudden")
        self.assertAlmostEqual(drift.need, 0.16, delta=0.04)
        words = diagnosis_of(drift, "Long Bed", TODAY)
        self.assertRegex(words.says, r"Long Bed is 1\d % weaker since about \d+ \w+")

    def test_a_quiet_machine_burns_as_it_did(self):
        drift = told(readings([0.0] * 25))
        self.assertEqual((drift.level, drift.is_dated), ("true", False))
        self.assertIn("burns as it did", diagnosis_of(drift, "Long Bed", TODAY).says)

    def test_sudden_losses_are_expected_as_often_as_this_machine_had_them(self):
        """What is usual, one a year, counts as its first year: a Gamma prior of that weight."""
        quiet, often = [0.0] * 40, [0.2 * (n % 10 > 4) for n in range(40)]
        often_read = [event for n, one in enumerate(readings(often)) for event in _cleaned(n, one)]
        years = 39 * 7 / 365
        calm, rough = (after(events)[-1] for events in (readings(quiet), often_read))
        expected = [float(bank.weight @ steps_a_year(bank, Habits())) for bank in (calm, rough)]
        self.assertAlmostEqual(expected[0], 1 / (1 + years), delta=0.15)
        self.assertAlmostEqual(expected[1], 5 / (1 + years), delta=0.3)
        new = after([check(0, 0.0)])[-1]
        self.assertAlmostEqual(float(new.weight @ steps_a_year(new, Habits())), 1.0, delta=0.01)
        highest = [told(events).ahead[8] for events in (readings(quiet), often_read)]
        spread = [one.high - one.middle for one in highest]
        self.assertGreater(spread[1], 2 * spread[0])

    def test_film_grows_with_hours_and_a_cleaning_takes_it_away(self):
        needs = [0.006 * n for n in range(25)]
        drift = told(readings(needs))
        self.assertEqual((drift.level, drift.cause.key), ("alarm", "film"))
        cleaned = [*readings(needs), act(25, "clean"), check(26, 0.0), check(27, 0.01)]
        after = told(cleaned)
        self.assertEqual(after.level, "true")
        self.assertGreater(after.helped, 0.9)

    def test_what_no_cleaning_brings_back_is_the_source(self):
        events = []
        for n in range(40):
            events.append(check(n, 0.005 * n + 0.004 * (-1) ** n))
            if n % 5 == 4:
                events.append(act(n, "clean"))
        events = [replace(one, on_h=3 * one.on_h, beam_h=3 * one.beam_h) for one in events]
        drift = told(events)
        self.assertEqual(drift.cause.key, "age")
        self.assertIn("the source ages", diagnosis_of(drift, "Long Bed", TODAY).why)

    def test_an_act_in_vain_is_told(self):
        quiet = readings([0.0] * 15 + [0.2] * 3)
        drift = told([*quiet, act(18, "clean"), *(check(19 + n, 0.2) for n in range(5))])
        self.assertLess(drift.helped, 0.3)
        self.assertIn("not to have helped", diagnosis_of(drift, "Long Bed", TODAY).do)

    def test_one_wrong_sheet_is_no_loss(self):
        needs = [0.0] * 20
        needs[12] = 0.3
        self.assertEqual(told(readings(needs)).level, "true")

    def test_before_four_readings_nothing_is_told(self):
        drift = told(readings([0.0, 0.0]))
        self.assertEqual(drift.level, "unknown")
        self.assertIn("2 weekly checks", diagnosis_of(drift, "Long Bed", TODAY).do)
        self.assertIn("4 weekly checks", diagnosis_of(None, "Long Bed", TODAY).do)

    def test_burns_tell_of_the_margin_of_their_entry_since_its_proof(self):
        proof = DriftEvent(FIRST + 8, 15, 9, "proof", "e")
        hours = 18 * HOURS_A_WEEK

        def burns(passed):
            burn = DriftEvent(FIRST + 127, hours, hours / 2, "burn", "e", 0.1, 0.05, passed)
            return [
                *readings([0.0] * 8),
                proof,
                *(replace(burn, day=burn.day + n) for n in range(4)),
            ]

        margins = [MarginOf("e", 0.1)]
        good, bad = (told(burns(passed), margins) for passed in (True, False))
        self.assertLess(good.need, 0.05)  # 0.08 of film is usual by then
        self.assertGreater(bad.need, 0.08)
        self.assertGreater(bad.entries[0].half_chance, 0.8)
        self.assertLess(good.entries[0].half_chance, 0.2)
        self.assertEqual(bad.weakest.entry, "e")

    def test_a_proof_is_frozen_exactly(self):
        """Right after it nothing is used, for certain."""
        events = [*readings([0.05] * 10), DriftEvent(FIRST + 70, 140, 84, "proof", "e")]
        mean, sd, chance = used_since(after(events)[-1], "e", 0.05)
        self.assertAlmostEqual(mean, 0)
        self.assertLess(sd, 1e-5)
        self.assertLess(chance, 1e-3)

    def test_going_on_from_stories_gives_what_the_whole_history_gives(self):
        events = readings([0.0] * 15 + [0.15] * 6)
        whole, first = after(events), after(events[:12])
        rest = after(events[12:], bank=first[-1])
        self.assertEqual(need_of(whole[-1]), need_of(rest[-1]))

    def test_only_the_newest_series_and_proofs_are_followed(self):
        events = []
        for n in range(30):
            events.append(check(n, 0.0, series=f"lot {n // 2}"))
            events.append(DriftEvent(FIRST + 7 * n, 14.0 * n, 8.0 * n, "proof", f"e{n}"))
        bank = after(events)[-1]
        self.assertEqual(bank.mean.shape[1], 5 + 8 + 12)
        self.assertIn("proof|e29", bank.places)
        self.assertNotIn("proof|e3", bank.places)

    def test_the_spread_from_sheet_to_sheet_is_learnt(self):
        rng = np.random.default_rng(4)
        even = [check(n, 0.008 * rng.standard_normal(), 0.005) for n in range(60)]
        wild = [check(n, 0.05 * rng.standard_normal(), 0.005) for n in range(60)]
        self.assertLess(learn_sheet(even).sheet, learn_sheet(wild).sheet)
        self.assertEqual(learn_sheet(even[:10]), Habits())

    def test_counters_that_go_backwards_and_days_out_of_order_stand_still(self):
        events = readings([0.0] * 10)
        odd = [*events, replace(events[-1], day=events[2].day, on_h=3.0)]
        drift = told(odd)
        self.assertTrue(math.isfinite(drift.need))
        self.assertGreaterEqual(drift.path[-1].day, drift.path[-2].day)


class AheadTest(unittest.TestCase):
    def test_the_weakest_entry_and_the_source_have_their_days(self):
        events = []
        for n in range(36):
            events.append(check(n, 0.003 * n))
            if n == 2:
                hours = 2 * HOURS_A_WEEK
                events.append(DriftEvent(FIRST + 14.5, hours, 0.6 * hours, "proof", "tight"))
                events.append(DriftEvent(FIRST + 14.5, hours, 0.6 * hours, "proof", "wide"))
        drift = told(events, [MarginOf("tight", 0.25), MarginOf("wide", 0.8)])
        tight, wide = (drift.entry(name) for name in ("tight", "wide"))
        self.assertLess(tight.half_in_days[1], wide.half_in_days[1])
        low, middle, high = tight.half_in_days
        self.assertLessEqual(low, middle)
        self.assertLessEqual(middle, high)
        self.assertEqual(drift.weakest, tight)
        self.assertGreater(drift.ahead[-1].high - drift.ahead[-1].low, 0.02)
        self.assertGreaterEqual(drift.ahead[-1].middle, drift.ahead[0].middle)
        self.assertIsNotNone(drift.source_80_h[1])

    def test_a_step_has_no_day_before_it_is_likely(self):
        step = step_of(after(readings([0.0] * 8))[-1])
        self.assertLess(step.chance, 0.5)


class DayTest(unittest.TestCase):
    def test_days_and_times_that_are_none_are_refused_where_a_record_is_made(self):
        for at in ("yesterday", "", "2026-13-45", "2026-04-14T25:00", "0001-01-01", "9999-12-31"):
            with self.assertRaises(OutOfRange, msg=at):
                ServiceAct("a", LONG.uid, "lens", "clean", at)
            with self.assertRaises(OutOfRange, msg=at):
                Proof(at, "passed")
        with self.assertRaises(OutOfRange):
            replace(LONG, state=2, state_since="last week")
        with self.assertRaises(OutOfRange):
            Proof("2026-04-14T10:00:00", "passed")  # a day, not a time
        self.assertEqual(replace(LONG, state_since="").state_since, "")


class HistoryTest(unittest.TestCase):
    def acts(self, *found):
        return [
            ServiceAct(f"a{n}", LONG.uid, part, kind, at, **more)
            for n, (part, kind, at, more) in enumerate(found)
        ]

    def test_acts_become_what_they_bring_back(self):
        acts = self.acts(
            ("lens", "clean", "2026-03-02T17:30:00", {}),
            ("tray", "clean", "2026-03-03T17:30:00", {}),
            ("tube", "replace", "2026-03-04T17:30:00", {}),
            ("alignment", "align", "2026-03-05T17:30:00", {}),
            ("power", "check", "2026-03-06T09:00:00", {"watts": 54.0, "at_percent": 100.0}),
        )
        events = history_of(LONG, acts=acts).events
        self.assertEqual([one.kind for one in events], ["clean", "source", "align", "meter"])
        self.assertAlmostEqual(events[-1].value, -math.log(54 / LONG.optical_power_w))

    def test_hours_come_from_runs_and_corrections_the_first_is_from_before(self):
        acts = self.acts(
            ("hours", "correct", "2026-01-05T17:00:00", {"added": Counters(1500.0, 900.0)}),
            ("hours", "correct", "2026-02-01T17:00:00", {"added": Counters(30.0, 18.0)}),
            ("lens", "clean", "2026-01-02T17:30:00", {}),
            ("lens", "clean", "2026-03-02T17:30:00", {}),
        )
        history = history_of(LONG, acts=acts, used=[Used("2026-02-10T08:00:00", Counters(2, 1))])
        first, last = history.events
        self.assertEqual((first.on_h, first.beam_h), (1500, 900))
        self.assertEqual((last.on_h, last.beam_h), (1532, 919))
        self.assertFalse(history.usage.assumed)

    def test_where_no_hours_are_kept_some_are_assumed_and_it_is_said(self):
        acts = self.acts(
            ("lens", "clean", "2026-01-02T17:30:00", {}),
            ("lens", "clean", "2026-03-02T17:30:00", {}),
        )
        history = history_of(LONG, acts=acts)
        self.assertTrue(history.usage.assumed)
        self.assertAlmostEqual(history.events[-1].on_h, 59 * 1.5, delta=2)

    def test_entries_give_their_proofs_and_burns_of_their_own_machine_alone(self):
        entry = Entry(
            "e",
            LONG.uid,
            "s",
            "cut",
            Setting(1.0, 10.0),
            "trial",
            "2026-02-01",
            evidence=Evidence(margins=Margins(power=0.8)),
            proofs=tuple(Proof(f"2026-02-0{n}", "passed") for n in (2, 3, 4)),
        )
        other = replace(entry, uid="o", machine_uid=NORTH.uid)
        no_margin = replace(entry, uid="n", evidence=Evidence())
        events = history_of(LONG, entries=[entry, other, no_margin]).events
        self.assertEqual([one.kind for one in events], ["proof", *["burn"] * 3, "proof"])
        self.assertAlmostEqual(events[1].value, -math.log(0.8))

    def test_jobs_tell_by_what_hung_where_no_other_cause_was_noted(self):
        setting = Setting(1.0, 10.0)
        evidence = Evidence(margins=Margins(power=0.8))
        entry = Entry("e", LONG.uid, "s", "cut", setting, "trial", "2026-02-01", evidence=evidence)
        outcomes = [
            JobOutcome("2026-03-02", 40, 1, setting=setting),  # 2.5 %: it passed
            JobOutcome("2026-03-03", 40, 20, setting=setting),  # half hung: it failed
            JobOutcome("2026-03-04", 40, 20, setting=setting, cause="moved"),
            JobOutcome("2026-03-05", 40, 20, setting=setting, cause="weak"),
            JobOutcome("2026-03-06", 40, 20, 20, setting=setting),  # all at knots: it passed
            JobOutcome("2026-03-07", 40, 4, setting=setting),  # neither
            JobOutcome("2026-03-08", 40, 20, setting=Setting(0.5, 10.0)),  # another setting
        ]
        job = Job("j", "Job", "2026-03-01", LONG.uid, "s", "", "d.svg", "p", "h")
        for outcome in outcomes:
            job = job.with_outcome(outcome)
        events = history_of(LONG, entries=[entry], jobs=[job]).events
        told = [(one.day - date(2026, 3, 1).toordinal(), one.passed) for one in events[1:]]
        wanted = [(1.5, True), (2.5, False), (4.5, False), (5.5, True)]
        self.assertEqual(told, wanted)
        self.assertEqual(history_of(NORTH, entries=[entry], jobs=[job]).events, ())

    def test_checks_keep_their_time_and_states_branch_on_the_act(self):
        since = replace(LONG, state=2, state_since="2026-03-10", state_reason="tube: a new one")
        checks = [
            WeeklyCheck(LONG.uid, 1, "s", "2026-03-02", 0.0, 0.02, "t1"),
            WeeklyCheck(LONG.uid, 2, "s", "2026-03-16", -0.1, 0.02, "t2"),
        ]
        history = history_of(
            since,
            checks=checks,
            burnt_at={"t1": "2026-03-03T09:00:00"},
            changes=changes_of(since, [LONG]),
        )
        self.assertEqual([one.kind for one in history.events], ["check", "source", "check"])
        self.assertAlmostEqual(history.events[0].day, date(2026, 3, 3).toordinal() + 9 / 24)
        self.assertEqual(history.events[0].series, history.events[-1].series)
        noted = self.acts(("tube", "replace", "2026-03-10T12:00:00", {}))
        once = history_of(since, acts=noted, changes=changes_of(since, [LONG]))
        self.assertEqual([one.kind for one in once.events], ["source"])


if __name__ == "__main__":
    unittest.main()

"""Weekly checks: what they find on a drifting machine, and how proven entries fall due by them."""

import math
import unittest
from dataclasses import replace
from datetime import date, timedelta
from types import SimpleNamespace

import numpy as np

from olive_almanac.core.deciding.weekly import follow_checks
from olive_almanac.core.records.entry import Evidence, Margins, Proof, state_of
from olive_almanac.core.records.reading import Reading
from olive_almanac.core.records.weekly import WeeklyCheck, drift_since
from olive_almanac.steps.decide import DecidePresenter
from olive_almanac.steps.due import due_list
from olive_almanac.steps.read import ReadPresenter
from olive_almanac.steps.trials import checks_of
from tests.samples import (
    BIRCH,
    LONG,
    NORTH,
    kind_plan,
    read_by_energy,
    read_by_tone,
    sample_entry,
    whole_run,
)
from tests.steps import test_presenters

TODAY = date(2026, 6, 1)
LADDER = kind_plan("weekly").trial
PROVEN = sample_entry(proofs=tuple(Proof(f"2026-05-0{n}", "passed", "7") for n in (1, 2, 3)))


def middle(trial):
    """The energy in the middle of a ladder, J/mm (J/mm2 for a raster)."""
    return float(
        np.exp(
            np.mean(
                [
                    math.log(trial.machine.watts(c.setting.power) * c.setting.dose_per_watt)
                    for c in trial.cells
                ]
            )
        )
    )


def check(day, edge, trial=LADDER, **changes):
    """A weekly coupon of a day that is through from `edge` times the middle of its ladder on."""
    return replace(trial, id=f"w{day}", made=day, **changes), read_by_energy(
        trial, edge * middle(trial), band=0.0
    )


def after(*needs, on=("2026-05-02", "2026-05-20"), sd=0.02):
    return tuple(
        WeeklyCheck(LONG.uid, 1, "birch", day, more, sd)
        for day, more in zip(on, needs, strict=True)
    )


class KeptTest(unittest.TestCase):
    def test_a_year_of_each_machine_is_kept_however_many_there_are(self):
        """The oldest of three years go, of the machine that has them; no other machine's do."""
        days = [(date(2022, 1, 3) + timedelta(weeks=n)).isoformat() for n in range(170)]
        read, trials = {}, []
        for machine, count in ((LONG, 170), (NORTH, 52)):
            for day in days[-count:]:
                trial, found = check(day, 1.0, machine=machine)
                trial = replace(trial, id=f"{machine.uid}-{day}")
                trials.append((trial, "decide", ""))
                read[trial.id] = found
        library = SimpleNamespace(playground=True, readings=read.__getitem__)
        kept = checks_of(library, trials)
        told = {uid: [one.on for one in kept if one.machine_uid == uid] for uid in read_by(kept)}
        self.assertEqual(told[NORTH.uid], days[-52:])
        self.assertEqual(told[LONG.uid], days[-160:])


def read_by(checks):
    return {one.machine_uid for one in checks}


class FollowTest(unittest.TestCase):
    def test_a_weaker_beam_is_told_to_a_few_percent(self):
        for true in (0.9, 1.1, 1.2):
            first, second = follow_checks([check("2026-05-02", 1.0), check("2026-05-09", true)])
            self.assertEqual((first.needs, first.on), (0.0, "2026-05-02"))
            self.assertLess(abs(second.needs - math.log(true)), 2 * second.sd)
            self.assertLess(second.sd, 0.08)

    def test_each_lot_is_compared_with_itself_through_the_machines_states(self):
        found = follow_checks(
            [
                check("2026-05-02", 1.0),
                check("2026-05-09", 1.2, stock=replace(BIRCH, lot="8")),
                check("2026-05-16", 1.2, machine=replace(LONG, state=2)),
            ]
        )
        self.assertEqual([one.needs for one in found[:2]], [0.0, 0.0])
        self.assertGreater(found[2].needs, 0.1)
        self.assertEqual(len({one.series for one in found}), 2)
        self.assertIsNone(drift_since(found, "2026-05-03", machine_state=2))  # of its state alone

    def test_tones_tell_by_verdict_and_finer_by_lightness(self):
        trial = kind_plan("weekly", "engrave").trial
        at = middle(trial)
        spoken = [
            (replace(trial, id=str(f), made=day), read_by_tone(trial, 0.9 * at * f, 1.1 * at * f))
            for day, f in (("2026-05-02", 1.0), ("2026-05-09", 1.15))
        ]
        self.assertLess(abs(follow_checks(spoken)[1].needs - math.log(1.15)), 0.08)

        def toned(day, factor):
            energy = {
                c.id: trial.machine.watts(c.setting.power) * c.setting.dose_per_watt
                for c in trial.cells
            }
            return replace(trial, id=day, made=day), [
                Reading(c, lightness=60 - 25 * math.log(e / at / factor)) for c, e in energy.items()
            ]

        measured = follow_checks([toned("2026-05-02", 1.0), toned("2026-05-09", 1.08)])
        self.assertAlmostEqual(measured[1].needs, math.log(1.08), places=4)
        self.assertEqual(
            len(follow_checks([toned("2026-05-02", 1.0), spoken[1]])), 1
        )  # L* and a word cannot be compared

    def test_too_few_readings_tell_nothing(self):
        trial, readings = check("2026-05-02", 1.0)
        self.assertEqual(follow_checks([(trial, readings[:3])]), ())


class DueByDriftTest(unittest.TestCase):
    def state(self, checks, entry=PROVEN, machine_state=1):
        return state_of(entry, today=TODAY, lot="7", machine_state=machine_state, checks=checks)

    def test_a_proven_cut_is_due_once_half_its_margin_in_power_is_gone(self):
        tight = replace(PROVEN, evidence=Evidence(margins=Margins(power=0.85)))
        wide = replace(PROVEN, evidence=Evidence(margins=Margins(power=0.7)))
        checks = after(0.0, 0.12)
        self.assertEqual(
            self.state(checks, tight), ("due", "needs 13 % more energy: check of 20 May 2026")
        )
        self.assertEqual(self.state(checks, wide)[0], "proven")
        self.assertEqual(self.state(checks)[0], "due")  # no margin known: 8 %

    def test_what_is_within_its_error_or_before_the_proof_is_no_reason(self):
        self.assertEqual(self.state(after(0.0, 0.12, sd=0.1))[0], "proven")
        self.assertEqual(self.state(after(0.0, 0.12, on=("2026-04-02", "2026-05-03")))[0], "proven")
        self.assertIsNone(drift_since(after(0.0, 0.12), "2026-05-03", machine_state=2))

    def test_a_stronger_beam_endangers_a_tone_but_no_cut(self):
        checks = after(0.0, -0.15)
        self.assertEqual(self.state(checks)[0], "proven")
        tone = replace(PROVEN, task="engrave")
        self.assertEqual(
            self.state(checks, tone), ("due", "needs 16 % less energy: check of 20 May 2026")
        )

    def test_a_good_check_later_on_lifts_it_again(self):
        again = after(0.0, 0.15, 0.01, on=("2026-05-02", "2026-05-20", "2026-05-27"))
        self.assertEqual(self.state(again)[0], "proven")


class SessionTest(test_presenters.SessionCase):
    def test_a_weekly_coupon_read_to_its_end_makes_the_entry_due_and_correcting_takes_it_back(self):
        self.fill()
        proofs = tuple(Proof(f"2026-04-0{n}", "passed", "7") for n in (1, 2, 3))
        self.library.save_entry(sample_entry(proofs=proofs), "proved")
        for day, edge, stage in (("2026-04-02", 1.0, "decide"), ("2026-04-10", 1.25, "read")):
            trial, readings = check(day, edge)
            self.library.save_trial(trial, stage, "burnt")
            self.library.save_run(trial.id, whole_run(trial, ""), "burnt")
            self.library.save_readings(
                trial.id, readings[:-1] if stage == "read" else readings, "read"
            )
        self.session.attach(self.library)
        self.session.choose(task="cut")
        self.session.trials.open("w2026-04-10")
        self.assertEqual(self.session.state[0], "proven")
        reader, last = ReadPresenter(self.session, self.view), readings[-1]
        reader.choose(last.cell)
        reader.verdict(last.verdict)
        self.assertEqual(self.session.state[0], "due")
        self.assertRegex(
            self.session.state[1], "needs (2|3). % more energy: check of 10 April 2026"
        )
        self.assertEqual(
            [(one.risk, one.reason) for one in due_list(self.session)], [(1, self.session.state[1])]
        )
        self.assertEqual(self.session.shop.due_count(), 1)
        decider = DecidePresenter(self.session, self.view)
        for item in decider.work():
            decider.take(item)
        self.assertRegex(
            decider.decision.remarks[0],
            r"^Needs (2|3)\d % more energy than the check of 2 April 2026\.$",
        )
        for reading in check("2026-04-10", 1.0)[1]:
            reader.choose(reading.cell)
            reader.verdict(reading.verdict)
        self.assertEqual(self.session.state[0], "proven")


if __name__ == "__main__":
    unittest.main()

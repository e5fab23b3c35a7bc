"""Pulses along a line: how they overlap, and that continuous sources show none of it."""

import unittest
from dataclasses import replace

from olive_almanac.core.burn.pulses import overlaps_text, pulse_overlap, pulse_rate_of
from olive_almanac.core.deciding.engrave import decide_engrave, know_tone
from olive_almanac.core.errors import OutOfRange
from olive_almanac.core.records.setting import Setting
from olive_almanac.steps.book import facts_of
from olive_almanac.steps.set_up import power_fields
from tests.samples import LONG, MARKER, PLATE, kind_plan, read_by_tone, sample_entry

PULSED = replace(MARKER, pulse_khz=30.0, pulse_ns=100.0)


class PulsesTest(unittest.TestCase):
    def test_overlap_is_the_share_of_the_spot_that_is_hit_again(self):
        """1 - v/(f d): 500 mm/s at 20 kHz are 25 µm a pulse, half of a spot of 50 µm (common
        practice, no source).
        """
        at = {"rate_khz": 20.0, "spot_mm": 0.05}
        self.assertAlmostEqual(pulse_overlap(speed_mm_s=500, **at), 0.5)
        self.assertAlmostEqual(pulse_overlap(speed_mm_s=100, **at), 0.9)
        self.assertAlmostEqual(pulse_overlap(speed_mm_s=2000, **at), -1.0)
        for bad in ({"rate_khz": 0.0}, {"spot_mm": 0.0}):
            with self.assertRaises(OutOfRange):
                pulse_overlap(speed_mm_s=500, **{**at, **bad})

    def test_a_settings_rate_goes_before_the_machines_own(self):
        own, set_ = Setting(0.5, 500.0), Setting(0.5, 500.0, pulse_khz=60.0)
        self.assertEqual((pulse_rate_of(PULSED, own), pulse_rate_of(PULSED, set_)), (30.0, 60.0))
        self.assertEqual(pulse_rate_of(replace(LONG, pulse_khz=30.0), set_), 0.0)

    def test_a_range_is_told_and_dots_apart_too(self):
        settings = [Setting(0.5, v) for v in (150.0, 600.0)]
        self.assertEqual(overlaps_text(PULSED, settings), "60 to 90 %")
        self.assertEqual(overlaps_text(PULSED, settings[:1]), "90 %")
        self.assertEqual(overlaps_text(PULSED, [Setting(0.5, 2000.0)]), "pulses apart")
        self.assertEqual(overlaps_text(MARKER, settings), "")

    def test_decision_and_page_tell_it_and_a_continuous_source_does_not(self):
        trial = kind_plan("grid", "engrave", machine=PULSED, stock=PLATE).trial
        pairs = [(trial, read_by_tone(trial, 0.25, 0.45))]
        remarks = decide_engrave(know_tone(PULSED, PLATE, pairs), pairs).remarks
        self.assertTrue(any("Overlap of the pulses" in one for one in remarks))
        entry = sample_entry(task="engrave", setting=Setting(0.3, 600.0, pitch_mm=0.03))
        self.assertIn(("Pulse overlap", "60 %"), facts_of(entry, "", PULSED))
        self.assertNotIn("Pulse overlap", dict(facts_of(entry, "", LONG)))

    def test_only_a_pulsed_source_is_asked_for_its_pulses(self):
        keys = [[one.key for one in power_fields(machine)] for machine in (PULSED, LONG)]
        self.assertEqual(keys[0][-2:], ["pulse_khz", "pulse_ns"])
        self.assertNotIn("pulse_khz", keys[1])


if __name__ == "__main__":
    unittest.main()

"""G-code: what we write passes the checker, and the checker finds what is unsafe in files that
others wrote.
"""

import math
import random
import re
import unittest
from dataclasses import replace

from shapely.geometry import box

from olive_almanac.core.design.choices import TrialChoices, choices_of
from olive_almanac.core.design.kinds.kind import all_kinds, kind_of, kinds_for
from olive_almanac.core.design.pattern import setting_of
from olive_almanac.core.design.plan import NoRoom, plan_trial
from olive_almanac.core.motion.program import Ground
from olive_almanac.core.records.anchors import ANCHORS
from olive_almanac.core.records.recipe import AS_IT_LIES
from olive_almanac.core.records.setting import Setting
from olive_almanac.core.records.stock import Sheet
from olive_almanac.core.records.trial import ORDERS
from olive_almanac.formats.gcode import write_gcode
from olive_almanac.formats.gcode_check import CheckLimits, check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.steps.trial_files import limits_of as limits_of_file
from tests.samples import (
    ALLOWED,
    BIRCH,
    DAY,
    LONG,
    MARKER,
    NORTH,
    PLATE,
    TAPED,
    area_limits,
    cut_trial,
    engrave_trial,
    kind_plan,
)

LIMITS = CheckLimits((400, 400), 300, 1000)
HEAD = "G17 G21 G90 G94\nM5 S0\n"
SQUARE = HEAD + (
    "G0 X10 Y10\nM3 S0\nF600\nG1 X20 Y10 S500\nG1 X20 Y20\nG1 X10 Y20\nG1 X10 Y10\nM5 S0\nG0 X0 "
    "Y0\nM2\n"
)


def codes(text, limits=LIMITS):
    return [finding.code for finding in check_gcode(text, limits).findings]


def area(trial):
    return (trial.on_sheet.x_mm, trial.on_sheet.y_mm, trial.coupon.width_mm, trial.coupon.height_mm)


def corners_of(text):
    return [(float(x), float(y)) for x, y in re.findall(r"X([-\d.]+) Y([-\d.]+)", text)]


def limits_of(trial):
    machine = trial.machine
    return CheckLimits(machine.bed_mm, machine.max_speed_mm_s, machine.power_scale, area(trial))


class WriterTest(unittest.TestCase):
    def trials(self):
        yield cut_trial()
        yield cut_trial(NORTH)
        yield engrave_trial(NORTH)
        yield engrave_trial(replace(LONG, power_scale=255))
        yield cut_trial(passes=(1, 2, 4), rest_s=2.5)
        yield cut_trial(focus_mm=(0.0, 1.0, 2.0))
        for place in ((0.0, 0.0), (300.0, 250.0)):
            yield cut_trial(place=place)

    def test_every_trial_passes_the_checker_inside_its_own_coupon(self):
        for trial in self.trials():
            report = check_gcode(write_gcode(trial), limits_of(trial))
            with self.subTest(machine=trial.machine.name, factors=[f.name for f in trial.factors]):
                self.assertEqual([f.text for f in report.findings], [])
                self.assertGreater(report.moves, len(trial.cells) * 4)

    def test_a_file_from_where_the_head_stands_is_the_same_file_moved(self):
        for make in (cut_trial, engrave_trial):
            plain = make(LONG)
            places = corners_of(write_gcode(plain))
            for anchor, (x, y) in ANCHORS.items():
                with self.subTest(make.__name__, anchor=anchor):
                    trial = make(LONG, anchor=anchor)
                    text = write_gcode(trial)
                    self.assertEqual(check_gcode(text, limits_of_file(trial)).findings, ())
                    moved = corners_of(text)
                    left, low, wide, high = area(plain)
                    stands = (left + x * wide, low + y * high)
                    self.assertEqual(moved[-1], (0.0, 0.0))
                    for before, after in zip(places[:-1], moved[:-1], strict=True):
                        self.assertAlmostEqual(before[0] - stands[0], after[0], delta=0.0011)
                        self.assertAlmostEqual(before[1] - stands[1], after[1], delta=0.0011)
                    self.assertAlmostEqual(trial.seconds, plain.seconds, delta=2.0)

    def test_lines_are_short_and_plain(self):
        text = write_gcode(
            cut_trial(stock=replace(BIRCH, name="Birch (thin) − “seed” drawer front, long"))
        )
        self.assertTrue(text.isascii())
        self.assertLess(max(map(len, text.splitlines())), 80)
        self.assertEqual(check_gcode(text, limits_of(cut_trial())).findings, ())

    def test_each_cell_is_named_and_gets_its_power_and_feed(self):
        trial = cut_trial()
        blocks = write_gcode(trial).split("(cell ")[1:]
        self.assertEqual(len(blocks), len(trial.cells))
        for cell, block in zip(trial.in_order, blocks, strict=True):
            self.assertTrue(block.startswith(f"{cell.id}:"))
            self.assertIn(f"F{60 * cell.setting.speed_mm_s:.3f}".rstrip("0").rstrip("."), block)
            self.assertIn(f"S{cell.setting.power * 1000:.3f}".rstrip("0").rstrip("."), block)
            self.assertEqual(block.count("G1 X"), 4 * cell.setting.passes)

    def test_a_raster_has_every_line_and_runs_up_with_the_beam_off(self):
        trial = engrave_trial(pitch_mm=(0.5,), power=(0.4,), speed_mm_s=(100.0,))
        block = write_gcode(trial).split("(cell ")[1]
        burnt = [
            line
            for line in block.splitlines()
            if line.startswith("G1") and not line.endswith(" S0")
        ]
        self.assertEqual(len(burnt), int(trial.cells[0].rect_mm[3] / 0.5) + 1)

    def test_rest_and_focus_steps_are_written(self):
        self.assertEqual(write_gcode(cut_trial(rest_s=2.5)).count("G4 P2.5"), 23)
        self.assertIn("G1 Z-2 F600", write_gcode(cut_trial(focus_mm=(0.0, 2.0))))
        self.assertNotIn(
            "Z",
            "".join(
                line for line in write_gcode(cut_trial()).splitlines() if not line.startswith("(")
            ),
        )


class DialectTest(unittest.TestCase):
    def test_inches_air_words_and_own_lines(self):
        machine = replace(
            LONG,
            file_units="inch",
            air_words=("M9", "M7", "M7"),
            header=("G54",),
            footer=("G4 P1",),
        )
        trial = cut_trial(machine)
        text = write_gcode(trial)
        self.assertIn("G17 G20 G90 G94", text)
        self.assertIn("\nG54\n", text)
        self.assertNotIn("M8", text)
        self.assertIn(f"F{60 * trial.in_order[0].setting.speed_mm_s / 25.4:.5f}".rstrip("0"), text)
        self.assertEqual(check_gcode(text, limits_of(trial)).findings, ())

    def test_a_header_that_is_unsafe_does_not_pass(self):
        trial = cut_trial(replace(LONG, header=("M3 S500",)))
        self.assertIn("beam-before-motion", codes(write_gcode(trial), limits_of(trial)))


class CheckerTest(unittest.TestCase):
    """Files that we did not write, with one planted fault each."""

    def test_a_plain_square_is_safe(self):
        self.assertEqual(codes(SQUARE), [])

    def test_beam_on_in_rapid(self):
        planted = SQUARE.replace("M5 S0\nG0 X0 Y0", "G0 X0 Y0\nM5 S0")
        self.assertEqual(codes(planted), ["beam-in-rapid"])

    def test_move_off_the_bed(self):
        self.assertEqual(codes(SQUARE.replace("X20 Y20", "X420 Y20")), ["off-bed"])
        self.assertIn("off-bed", codes(SQUARE.replace("G0 X0 Y0", "G0 X-5 Y0")))

    def test_move_off_the_coupon(self):
        inside = replace(LIMITS, area_mm=(0, 0, 30, 30))
        self.assertEqual(codes(SQUARE, inside), [])
        self.assertEqual(codes(SQUARE.replace("X20 Y20", "X35 Y20"), inside), ["off-coupon"])

    def test_over_power_and_over_speed(self):
        self.assertEqual(codes(SQUARE.replace("S500", "S1200")), ["over-power"])
        self.assertEqual(codes(SQUARE.replace("F600", "F60000")), ["over-speed"])
        self.assertEqual(codes(SQUARE.replace("S500", "S-5")), ["over-power"])

    def test_missing_final_m5(self):
        self.assertEqual(codes(SQUARE.replace("M5 S0\nG0 X0 Y0\n", "")), ["beam-left-on"])

    def test_units_and_distance_mode_must_come_first(self):
        self.assertEqual(codes(SQUARE.replace("G17 G21 G90 G94\n", "")), ["modes-missing"])

    def test_inches_and_relative_moves_are_followed(self):
        text = "G20 G91\nM5 S0\nG0 X0.5 Y0.5\nM3 S0\nF20\nG1 X1 S500\nM5\nM2\n"
        self.assertEqual(
            [f.code for f in check_gcode(text, LIMITS).findings], ["lost-place", "lost-place"]
        )
        absolute = "G20 G90\nM5 S0\nG0 X0.5 Y0.5\nM3 S0\nF20\nG1 X20 S500\nM5\nM2\n"
        self.assertEqual(codes(absolute), ["off-bed"])  # 20 inches are 508 mm

    def test_beam_before_the_first_move_and_at_a_standstill(self):
        self.assertEqual(
            codes(HEAD + "M3 S500\nF600\nG1 X5 Y5\nM5\nM2\n"), ["beam-before-motion", "lost-place"]
        )
        self.assertIn("beam-at-rest", codes(SQUARE.replace("G1 X20 Y20\n", "G1 X20 Y20\nG4 P2\n")))

    def test_arcs_are_followed_to_their_farthest_point(self):
        arc = HEAD + "G0 X390 Y100\nM3 S0\nF600\nG3 X390 Y120 I0 J10 S300\nM5\nM2\n"
        self.assertEqual(codes(arc), [])
        self.assertEqual(codes(arc.replace("Y120 I0 J10", "Y140 I0 J20")), ["off-bed"])
        self.assertIn("arc-not-followed", codes(arc.replace("I0 J10", "R10")))

    def test_clamps_are_kept_clear_of(self):
        clamped = replace(LIMITS, clamps_mm=((12, 5, 4, 10),))
        self.assertIn("in-clamp", codes(SQUARE, clamped))
        self.assertEqual(codes(SQUARE, replace(LIMITS, clamps_mm=((30, 30, 4, 4),))), [])

    def test_words_that_are_not_understood(self):
        for line, code in (
            ("Q5", "unknown-word"),
            ("G38 X1", "unknown-word"),
            ("M98", "unknown-word"),
            ("G1 X", "not-understood"),
            ("hello there", "not-understood"),
            ("G1 X1 X2", "word-twice"),
            ("G0 G1 X1", "modes-clash"),
            ("G1 X" + "1" * 90, "long-line"),
        ):
            with self.subTest(line):
                self.assertIn(code, codes(SQUARE.replace("M5 S0\nG0 X0", line + "\nM5 S0\nG0 X0")))

    def test_feed_without_speed_and_programs_without_end_or_motion(self):
        self.assertIn("no-feed", codes(SQUARE.replace("F600\n", "")))
        self.assertIn("no-end", codes(SQUARE.replace("M2\n", "")))
        self.assertIn("no-motion", codes(HEAD + "M2\n"))
        self.assertIn("after-end", codes(SQUARE + "G0 X1\n"))

    def test_each_finding_names_its_line(self):
        finding = check_gcode(SQUARE.replace("S500", "S1200"), LIMITS).findings[0]
        self.assertEqual(finding.where, "line 6")
        self.assertEqual(finding.text, "Line 6 asks for S1200; this machine takes 0 to 1000.")

    def test_garbage_never_raises(self):
        for text in (
            "",
            "\x00\x01",
            "%\n%",
            "G" * 500,
            "((((",
            "G0 X1e9",
            "G99999999999 X1",
            "\n" * 50,
        ):
            with self.subTest(text[:12]):
                self.assertFalse(check_gcode(text, LIMITS).safe)


class EveryKindTest(unittest.TestCase):
    """Each kind of trial for each of its tasks: planned, written, checked, burnt on the
    stand-in.
    """

    def test_is_planned_written_checked_and_burnt(self):
        for kind, tasks in ((one.id, one.tasks) for one in all_kinds()):
            for task in tasks:
                machine, stock = (MARKER, PLATE) if task == "mark" else (LONG, BIRCH)
                with self.subTest(kind=kind, task=task):
                    trial = kind_plan(kind, task, machine, stock).trial
                    report = check_gcode(write_gcode(trial, letters()), area_limits(trial))
                    self.assertEqual(report.findings, ())
                    burnt = {one.cell: one for one in StandInBench(3).burn(trial)}
                    self.assertEqual(set(burnt), {cell.id for cell in trial.cells})
                    for cell in trial.cells:
                        seen = burnt[cell.id].seen
                        if cell.setting.pitch_mm:
                            self.assertIsNotNone(seen.lightness)
                        else:
                            self.assertGreater(seen.kerf_mm, 0)
                            self.assertEqual(seen.verdict is not None, task in ("cut", "score"))

    def test_comments_name_each_cell_and_refocusing_lowers_the_head_pass_by_pass(self):
        trial = kind_plan(
            "grid",
            passes=(3,),
            focus_mm=(0.5,),
            focus_step_mm=1.0,
            power=(1.0,),
            speed_mm_s=(20.0,),
        ).trial
        text = write_gcode(trial, letters())
        self.assertIn("(cell A1: 100 %, 20 mm/s, 3 passes, focus 0.5 mm)", text)
        self.assertEqual(
            [line.split()[1] for line in text.splitlines() if line.startswith("G1 Z")][-3:],
            ["Z-0.5", "Z-1.5", "Z-2.5"],
        )

    def test_a_ramp_moves_no_head_and_speed_following_beams_use_m4(self):
        text = write_gcode(kind_plan("ramp", beam="follows-speed").trial, letters())
        self.assertNotIn(
            "Z", "".join(line for line in text.splitlines() if not line.startswith("("))
        )
        self.assertIn("\nM4 S0\n", text)

    def test_overscan_lies_outside_the_cell_with_the_beam_off(self):
        trial = kind_plan("grid", "engrave", power=(0.5,), speed_mm_s=(300.0,)).trial
        cell, (left, _, _, _) = trial.cells[0], trial.area_mm
        block = write_gcode(trial, letters()).partition("(cell A1")[2]
        burnt, idle = [], []
        for line in block.splitlines():
            words = dict(
                (word[0], float(word[1:]))
                for word in line.split()
                if word[0] in "XYS" and line.startswith("G1")
            )
            if "X" in words:
                (burnt if words.get("S") else idle).append(words["X"] - left)
        x, _, w, _ = cell.rect_mm
        self.assertEqual((round(min(burnt), 3), round(max(burnt), 3)), (x, x + w))
        self.assertAlmostEqual(min(idle), x - 300**2 / (2 * LONG.acceleration_mm_s2), places=2)

    def test_lines_are_run_up_to_and_left_with_the_beam_off(self):
        text = write_gcode(kind_plan("focus", labels=False, fiducials=False).trial, letters())
        place, ways = (0.0, 0.0), []
        for line in text.partition("(cell A1")[2].splitlines():
            words = {word[0]: float(word[1:]) for word in line.split() if word[0] in "XYS"}
            if line.startswith(("G0", "G1")) and "X" in words:
                there = (words["X"], words["Y"])
                if line.startswith("G1"):
                    ways.append((bool(words["S"]), round(math.dist(place, there), 3)))
                place = there
        before, burnt, behind = ways[0::3], ways[1::3], ways[2::3]
        self.assertEqual({on for on, _ in burnt}, {True})
        self.assertEqual(set(before), set(behind))
        ((on, run_up),) = set(before)
        self.assertFalse(on)
        self.assertGreater(run_up, 0)


class RandomTrialsTest(unittest.TestCase):
    def test_where_clamps_leave_no_way_home_the_head_stays(self):
        around = ((22.5, -6.6, 61.4, 41.6), (-6.2, 27.6, 24.8, 75.1), (5.4, 3.8, 31.1, 53.0))
        ground = Ground(LONG, (0.0, 0.0), (0.0, 0.0, 348.8, 153.3), around)
        self.assertEqual(ground.way_home((200.0, 100.0)), ())
        open_ground = replace(ground, clamps=around[:1])
        self.assertEqual(open_ground.way_home((200.0, 100.0))[-1], (0.0, 0.0))

    def test_two_hundred_random_trials_pass_the_checker_and_land_inside_free_area(self):
        draw = random.Random(7)
        laid = 0
        for number in range(200):
            trial = self.random_trial(draw)
            if trial is None:
                continue
            laid += 1
            with self.subTest(number=number, kind=trial.kind):
                self.assertEqual(
                    check_gcode(write_gcode(trial, letters()), area_limits(trial)).findings, ()
                )
                self.check_place(trial)
        self.assertGreater(laid, 160)  # the others had no room, and said so

    def random_trial(self, draw):
        """A trial on a random machine and sheet with clamps and used areas, or None where it has no
        room.
        """
        machine = replace(
            draw.choice((NORTH, LONG)),
            bed_mm=(draw.uniform(150, 700), draw.uniform(150, 700)),
            max_speed_mm_s=draw.uniform(50, 400),
            acceleration_mm_s2=draw.uniform(800, 9000),
            file_units=draw.choice(("mm", "inch")),
            head_clearance_mm=draw.uniform(0, 15),
        )
        width, height = draw.uniform(120, 600), draw.uniform(120, 600)

        def boxes(count, most):
            found = []
            for _ in range(count):
                x, y = draw.uniform(0, width - 15), draw.uniform(0, height - 15)
                found.append(
                    (
                        x,
                        y,
                        min(width, x + draw.uniform(5, most)),
                        min(height, y + draw.uniform(5, most)),
                    )
                )
            return tuple(found)

        sheet = Sheet(width, height, boxes(draw.randint(0, 3), 90), boxes(draw.randint(0, 3), 20))
        task = draw.choice(("cut", "score", "engrave"))
        kind = draw.choice(kinds_for(task)).id
        raster = task == "engrave"
        choices = TrialChoices(
            tuple(sorted(draw.uniform(0.05, 1) for _ in range(draw.randint(1, 3)))),
            tuple(
                sorted(draw.uniform(2, machine.max_speed_mm_s) for _ in range(draw.randint(1, 4)))
            ),
            (draw.randint(1, 3),),
            (-1.0, 0.0, 1.0) if kind in ("focus", "ramp") else (0.0,),
            tuple(sorted(draw.uniform(0.3, 0.8) for _ in range(2 if kind == "pitch" else 1)))
            if raster
            else (0.0,),
            ("off", "low", "full") if kind == "air" else ("full",),
            cell_mm=draw.uniform(4, 14),
            gap_mm=draw.uniform(1, 6),
            kind=kind,
            crosshatch=draw.random() < 0.3,
            turned=draw.random() < 0.4,
            burn_order=draw.choice(ORDERS),
            repeats=draw.randint(1, 4),
            slope=0.1,
            sheet=sheet,
            sheet_number=0,
            sheet_at_mm=(draw.uniform(0, 20), draw.uniform(0, 20)),
            edge_mm=draw.uniform(0, 8),
            place=(draw.uniform(0, 300), draw.uniform(0, 300)),
        )
        if kind == "next":
            cells = range(draw.randint(1, 8))
            speeds = [draw.uniform(2, machine.max_speed_mm_s) for _ in cells]
            settings = tuple(Setting(0.8, v, draw.randint(1, 8), 1.5) for v in speeds)
            choices = replace(choices, settings=settings)
        if kind == "recipes":
            settings = tuple(setting_of(choices, task, speed=v) for v in choices.speed_mm_s)
            prepared = tuple(at % 2 for at, _ in enumerate(settings))
            choices = replace(
                choices, settings=settings, prepared=prepared, recipes=(AS_IT_LIES, TAPED)
            )
        try:
            return plan_trial(
                machine,
                BIRCH,
                task,
                choices,
                permission=ALLOWED,
                trial_id="t",
                name="Coupon 0001",
                made=DAY,
                lettering=letters(),
                engraves=True,
                settle=True,
            ).trial
        except NoRoom as problem:
            self.assertRegex(str(problem), r"^No room")
            return None

    def check_place(self, trial):
        """Everything that is burnt lies on the bed and the sheet, clear of clamps (with the head)
        and used areas.
        """
        choices, keep = choices_of(trial), trial.machine.head_clearance_mm
        x, y = choices.sheet_at_mm
        sheet = box(x, y, x + choices.sheet.width_mm, y + choices.sheet.height_mm).intersection(
            box(0, 0, *trial.machine.bed_mm)
        )
        taken = [
            box(b[0] + x - keep, b[1] + y - keep, b[2] + x + keep, b[3] + y + keep)
            for b in choices.sheet.clamps_mm
        ]
        taken += [box(b[0] + x, b[1] + y, b[2] + x, b[3] + y) for b in choices.sheet.used_mm]
        left, low, right, high = trial.area_mm
        whole = [box(left, low, right, high)]
        if kind_of(trial.kind).spread:
            whole = [
                box(left + a, low + b, left + a + w, low + b + h)
                for a, b, w, h in (cell.rect_mm for cell in trial.cells)
            ]
        for one in whole:
            self.assertTrue(sheet.buffer(1e-3).covers(one))
            for other in taken:
                self.assertFalse(one.buffer(-0.001).intersects(other))

"""A run over a wire: what is surely burnt is known at each moment, and nothing is burnt twice
unseen.
"""

import itertools
import math
import os
import signal
import subprocess
import sys
import time
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from olive_almanac.core.errors import AlmanacError, LibraryTrouble, OutOfRange
from olive_almanac.core.motion.program import Ground, cell_joules
from olive_almanac.core.records.stock import Sheet
from olive_almanac.formats.gcode import gcode_parts, write_gcode
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.controller import StandInWire
from olive_almanac.steps.burn import as_it_lies, check_rest, first_way_words, remaining_trial
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.serial_port import port_fields, preferences_with_port, words_of
from olive_almanac.steps.stream import LinkWords, Stream, lines_of
from olive_almanac.steps.trial_files import limits_of
from olive_almanac.storage.library import Library
from tests.samples import LONG
from tests.steps.test_presenters import SessionCase


class BurningCase(SessionCase):
    def start(self, pace=1.0, **more):
        self.written()
        burner = self.burner()
        burner.start(pace=pace, **more)
        return burner

    def burn(self, burner, cells):
        """Let time pass until so many cells are burnt."""
        for _ in range(20000):
            if len(self.session.active.burnt) >= cells or not burner.pump():
                return
            self.bench_line.let(0.02)

    def cells_by_line(self):
        """Of which cell each line is that goes out."""
        parts = gcode_parts(self.session.active.trial, letters())
        return [cell for _, cell in lines_of(parts)]

    def kept(self):
        """What another program would find in the library now."""
        other = Library.open(self.folder)
        self.addCleanup(other.close)
        return other.run_of(self.session.active.trial.id)


class RunTest(BurningCase):
    def test_runs_to_the_end_and_hands_over_to_read(self):
        burner = self.burnt()
        self.assertEqual(
            (burner.state, self.session.active.stage, burner.broke_off), ("done", "read", "")
        )
        self.assertEqual(
            list(self.session.active.burnt),
            [cell.id for cell in self.session.active.trial.in_order],
        )
        self.assertEqual(burner.left_s, 0)
        self.assertAlmostEqual(
            burner.elapsed_s,
            self.session.active.trial.seconds,
            delta=self.session.active.trial.rest_s * 24 + 0.01,
        )
        self.assertIn("run finished", burner.log[-1])
        self.assertTrue(self.bench_line.closed)
        run = self.kept()
        self.assertEqual((run.complete, run.maybe, len(run.log)), (True, (), 26))

    def test_hold_keeps_the_head_and_goes_on(self):
        self.written()
        burner = self.burner()
        self.assertAlmostEqual(
            burner.left_s, self.session.active.trial.seconds, places=3
        )  # as the plan said
        burner.start(pace=1.0)
        self.burn(burner, 2)
        burner.pause()
        self.assertLess(burner.left_s, self.session.active.trial.seconds - burner.elapsed_s + 0.01)
        place, burnt = self.bench_line.controller.place[:], len(self.session.active.burnt)
        for _ in range(100):
            burner.pump()
            self.bench_line.let(0.1)
        self.assertEqual(
            (self.bench_line.controller.place, len(self.session.active.burnt)), (place, burnt)
        )
        burner.pause()
        self.burn(burner, 24)
        burner.pump()
        self.assertEqual(len(self.session.active.burnt), 24)

    def test_energy_so_far_is_power_times_burnt_time(self):
        burner = self.start()
        self.burn(burner, 3)
        trial = self.session.active.trial
        expected = sum(
            trial.machine.watts(c.setting.power)
            * c.setting.passes
            * 2
            * (c.rect_mm[2] + c.rect_mm[3])
            / c.setting.speed_mm_s
            for c in trial.cells
            if c.id in self.session.active.burnt
        )
        self.assertAlmostEqual(burner.energy_j, expected)
        self.assertAlmostEqual(
            cell_joules(trial.cells[0], trial.machine), expected / 3, delta=expected
        )

    def test_a_stopped_run_goes_on_without_burning_a_cell_twice(self):
        burner = self.start()
        self.burn(burner, 5)
        burner.stop()
        first = dict(self.session.active.burnt)
        self.assertEqual((burner.state, self.session.active.stage), ("stopped", "read"))
        doubtful = burner.unsure
        self.assertLessEqual(len(doubtful), 1)
        burner.start(pace=math.inf)
        while burner.pump():
            pass
        burnt = self.session.active.burnt
        self.assertEqual(len(burnt), 24 - len(doubtful))
        self.assertFalse(set(doubtful) & set(burnt))
        self.assertEqual({cell: burnt[cell] for cell in first}, first)

    def test_only_what_is_left_is_sent_again_and_no_mark_twice(self):
        burner = self.start()
        self.burn(burner, 4)
        burner.stop()
        left = {cell.id for cell in burner.left}
        rest = remaining_trial(self.session.active.trial, self.session.active.run)
        self.assertEqual({cell.id for cell in rest.cells}, left)
        self.assertIsNone(rest.fiducial_setting)
        self.assertIsNone(rest.label_setting)
        check_rest(
            self.session.active.trial, self.session.active.run
        )  # and it passes the independent checker

    def test_a_clamp_that_was_noted_since_the_plan_is_in_the_way(self):
        sheet = Sheet(400, 250, clamps_mm=((350.0, 200.0, 390.0, 240.0),))
        self.fill()
        self.on_sheet(sheet)
        self.grid().write()
        trial, run = self.session.active.trial, self.session.active.run
        check_rest(as_it_lies(self.session, trial), run)
        left, low, right, top = trial.area_mm
        x, y = (left + right) / 2 - trial.sheet.x_mm, (low + top) / 2 - trial.sheet.y_mm
        self.on_sheet(replace(sheet, clamps_mm=(*sheet.clamps_mm, (x, y, x + 9, y + 9))))
        with self.assertRaisesRegex(AlmanacError, "over the clamp"):
            check_rest(as_it_lies(self.session, trial), run)
        self.on_sheet(Sheet(300, 250, clamps_mm=((x, y, x + 9, y + 9),)))
        self.assertEqual(as_it_lies(self.session, trial), trial)

    def test_what_is_sent_goes_around_a_clamp_noted_since_the_plan(self):
        sheet = Sheet(400, 250)
        self.fill()
        self.on_sheet(sheet)
        self.grid().write()
        trial = self.session.active.trial
        self.on_sheet(replace(sheet, clamps_mm=((43.0, 0.3, 43.5, 0.8),)))  # on the way home
        limits = limits_of(as_it_lies(self.session, trial))
        self.assertFalse(check_gcode(write_gcode(trial, letters()), limits).safe)
        burner = self.burner()
        self.assertRegex(
            burner.first_way(), r"goes straight to [\d.]+, [\d.]+ mm: see that no clamp"
        )
        burner.start(pace=math.inf)
        while burner.pump():
            pass
        self.assertEqual((burner.state, burner.first_way()), ("done", ""))
        lines = self.bench_line.sent.translate(None, LinkWords().asks).decode().splitlines()
        program = "\n".join(line.partition(" ")[2] for line in lines)
        report = check_gcode(program, limits)
        self.assertEqual(report.findings, ())
        self.assertGreater(report.moves, 100)

    def test_what_is_said_of_the_first_way(self):
        box = (0.0, 0.0, 90.0, 50.0)
        clamped = Ground(LONG, (10.0, 20.0), box, clamps=((20.0, -5.0, 30.0, 30.0),))
        told = first_way_words(clamped, (60.0, 10.0), goes_on=True)
        self.assertIn("straight to 30, 50 mm", told)  # around the clamp's upper left corner
        self.assertNotIn("zero", told)
        from_head = Ground(LONG, (0.0, 0.0), box, waits_mm=(45.0, 25.0))
        self.assertIn("do not set it anew", first_way_words(from_head, (5.0, 5.0), goes_on=True))
        self.assertEqual(first_way_words(from_head, (5.0, 5.0), goes_on=False), "")

    def on_sheet(self, sheet):
        stock = replace(self.session.subject.stock, sheets=(sheet,))
        self.session.shop.keep_stock(stock, "sheet noted")


class BrokenOffTest(BurningCase):
    def test_marks_that_may_be_half_burnt_are_told_until_a_cell_is_begun(self):
        burner = self.start()
        self.assertFalse(burner.marks_unsure)  # it still runs
        burner.pump()
        burner.stop()
        self.assertEqual((burner.marks_unsure, self.session.active.burnt), (True, {}))
        burner.start(pace=1.0)
        self.burn(burner, 2)
        burner.stop()
        self.assertFalse(burner.marks_unsure)

    def broken(self, **fault):
        burner = self.start()
        self.burn(burner, 3)
        for name, value in fault.items():
            setattr(self.bench_line, name, value)
        for _ in range(2000):
            if not burner.pump():
                break
            self.bench_line.let(0.02)
        return burner

    def test_each_way_of_breaking_off_leaves_the_last_sure_cell(self):
        for fault, why in (
            ({"cut": True}, "connection was lost (broken pipe)"),
            ({"silent": True}, "not answered for 5 s"),
            ({"babble": b"\xff\xfe??\nzz 12\nqq\nww\nee\n"}, "makes no sense"),
        ):
            with self.subTest(why):
                self.setUp()
                burner = self.broken(**fault)
                self.assertEqual(burner.state, "interrupted")
                self.assertIn(why, burner.broke_off)
                run = self.kept()
                self.assertGreaterEqual(len(run.cells), 3)
                self.assertLess(len(run.gone), len(self.session.active.trial.cells))
                self.assertIn(why, run.interrupted)
                self.assertEqual(self.session.active.stage, "read")
                self.assertTrue(self.bench_line.closed)

    def test_a_refused_line_ends_the_run_with_the_reason(self):
        self.written()
        burner = self.burner()
        burner.start()
        self.bench_line.controller.machine = replace(
            self.session.active.trial.machine, max_speed_mm_s=1.0
        )
        while burner.pump():
            self.bench_line.let(0.01)
        self.assertIn("refused line", burner.broke_off)
        self.assertIn("mm/s is over 1", burner.broke_off)

    def test_what_a_machine_goes_on_to_burn_alone_is_burnt_no_second_time(self):
        of_line = None
        for fault in ({"cut": True}, {"silent": True}):
            for cells in range(1, 8):
                self.setUp()
                burner = self.start()
                of_line = of_line or self.cells_by_line()
                self.burn(burner, cells)
                for name, value in fault.items():
                    setattr(self.bench_line, name, value)
                while burner.pump():
                    self.bench_line.let(0.02)
                self.bench_line.let(60.0)  # it has what it holds still before it
                touched = {cell for cell in of_line[: self.bench_line.controller.done] if cell}
                with self.subTest(**fault, cells=cells):
                    self.assertGreater(len(touched), cells)
                    self.assertLessEqual(touched, self.kept().gone)

    def test_a_stop_between_two_cells_leaves_both_in_doubt(self):
        """The controller is a little further than it last told."""
        burner = self.start()
        of_line = self.cells_by_line()
        controller = self.bench_line.controller
        while controller.done < 3 or of_line[controller.done] == of_line[controller.done - 1]:
            burner.pump()
            self.bench_line.let(0.02)
        self.bench_line.silent = True  # the answer comes too late
        begun = of_line[controller.done + 3]
        for _ in range(400):
            if controller.done > of_line.index(begun):
                break
            self.bench_line.let(0.005)
        burner.stop()
        self.assertIn(begun, self.kept().gone)

    def test_a_doubtful_cell_is_judged_by_the_operator(self):
        for found in ("whole", "half", "bare"):
            with self.subTest(found):
                self.setUp()
                burner = self.broken(cut=True)
                cell, *others = burner.unsure
                burner.judge_unsure(cell, found)
                self.assertEqual(burner.unsure, tuple(others))
                self.assertEqual(cell in self.session.active.burnt, found == "whole")
                self.assertEqual(cell in [one.id for one in burner.left], found == "bare")
                kept = self.kept()
                self.assertEqual(cell in kept.gone, found != "bare")
                for other in others:
                    burner.judge_unsure(other, "half")
                burner.close_run()
                self.assertEqual((burner.left, burner.broke_off), ([], ""))

    def test_a_library_that_cannot_be_written_keeps_the_next_cell_from_burning(self):
        burner = self.start()
        self.burn(burner, 2)
        real, before = self.session.library.save_run, self.bench_line.sent

        def full(*_):
            raise LibraryTrouble("the disk is full")

        self.session.library.save_run = full
        with self.assertRaises(LibraryTrouble):
            for _ in range(5000):
                burner.pump()
                self.bench_line.let(0.02)
        self.assertLess(len(self.bench_line.sent) - len(before), 3000)
        self.session.library.save_run = real
        self.burn(burner, 24)
        burner.pump()
        self.assertEqual(len(self.session.active.burnt), 24)

    def test_after_a_full_disk_no_cell_begins_that_the_library_does_not_know(self):
        burner = self.start()
        self.burn(burner, 2)
        freed = self.full()
        with self.assertRaises(LibraryTrouble):
            self.burn(burner, 24)
        freed()
        parts = gcode_parts(self.session.active.trial, letters())
        of_line = [cell for _, cell in lines_of(parts)]
        while len(self.session.active.burnt) < 8 and burner.pump():
            cell = of_line[burner.stream.sent - 1]
            if cell:
                self.assertIn(cell, {*self.kept().maybe, *self.session.active.burnt})
            self.bench_line.let(0.05)
        self.assertEqual(len(self.session.active.burnt), 8)

    def test_a_full_disk_at_the_end_keeps_the_run_until_there_is_room(self):
        for end in ("done", "stopped"):
            with self.subTest(end):
                burner = self.start()
                self.burn(burner, 23)
                if end == "done":
                    freed = self.full(lambda run: run.complete)
                    with self.assertRaises(LibraryTrouble):
                        self.burn(burner, 25)
                else:
                    freed = self.full()
                    with self.assertRaises(LibraryTrouble):
                        burner.stop()
                self.assertTrue(burner.is_going and self.bench_line.closed)
                burner.pause()
                burner.pump()  # a held run tries nothing
                self.assertEqual(burner.state, "held")
                burner.pause()
                freed()
                self.assertFalse(burner.pump())
                self.assertEqual(burner.state, end)
                self.assertEqual(self.kept().complete, end == "done")
                self.assertEqual(self.session.active.stage, "read")

    def full(self, when=lambda run: True):
        """No room in the library for some runs until the returned function is called."""
        library, real = self.session.library, self.session.library.save_run

        def full(uid, run, why):
            if when(run):
                raise LibraryTrouble("the disk is full")
            return real(uid, run, why)

        library.save_run = full
        return lambda: setattr(library, "save_run", real)

    def test_a_kill_in_mid_run_loses_nothing_and_burns_nothing_twice(self):
        self.written()
        trial_id = self.session.active.trial.id
        code = f"""
import time
from datetime import datetime, date
from pathlib import Path
from olive_almanac.formats.gcode import gcode_parts, write_gcode
from olive_almanac.formats.gcode_check import check_gcode
from olive_almanac.formats.letters import letters
from olive_almanac.standins.bench import StandInBench
from olive_almanac.standins.controller import StandInWire
from olive_almanac.steps.burn import BurnPresenter
from olive_almanac.steps.preferences import Preferences
from olive_almanac.steps.session import Session
from olive_almanac.storage.library import Library
class View:
    def show_run(self): pass
session = Session(Preferences(machine_uid="long-bed", stock_uid="birch-3"))
session.attach(Library.open(Path({str(self.folder)!r})))
wire = lambda machine, pace: StandInWire(machine, pace=pace)
burner = BurnPresenter(
    session, View(), lambda: StandInBench(3), datetime.now, wire, time.monotonic
)
burner.start(pace=40.0)
while burner.pump():
    print(len(session.active.burnt), flush=True)
    time.sleep(0.002)
"""
        child = subprocess.Popen(
            [sys.executable, "-c", code],
            stdout=subprocess.PIPE,
            text=True,
            cwd=Path(__file__).parents[2],
        )
        seen = 0
        for line in child.stdout:
            seen = int(line)
            if seen >= 6:
                break
        os.kill(child.pid, signal.SIGKILL)
        child.wait()
        child.stdout.close()
        run = self.kept()
        order = [cell.id for cell in self.session.active.trial.in_order]
        self.assertEqual(self.session.active.trial.id, trial_id)
        self.assertTrue(
            set(order[:seen]) <= {*run.cells, *run.maybe}
        )  # all that was burnt is known of
        self.session.attach(self.library)
        burner = self.burner()
        self.assertIn("the program ended", burner.broke_off)
        doubtful = burner.unsure
        burner.start(pace=math.inf)
        while burner.pump():
            pass
        self.assertEqual(len(self.session.active.burnt), 24 - len(doubtful))


class AlarmTest(BurningCase):
    def hot(self):
        """A run in which a cell flares up."""
        self.written()
        burner = self.burner()
        bench = StandInBench(3)

        class Hot:
            def burn(self, trial):
                for one in bench.burn(trial):
                    yield replace(one, flared=one.cell == trial.in_order[1].id)

        burner._make_bench = Hot
        burner.start()
        while burner.alarm is None:
            burner.pump()
            self.bench_line.let(0.02)
        return burner

    def test_a_flare_up_asks_for_a_hold_and_the_answer_is_kept(self):
        burner = self.hot()
        self.assertIn("Hold: beam off", burner.alarm.text)
        burner.pause()
        self.assertIsNone(burner.alarm)
        self.assertEqual([event.answered for event in self.session.active.run.events], [True])

    def test_one_that_is_not_answered_in_time_is_kept_too(self):
        burner = self.hot()
        for _ in range(500):
            burner.pump()
            self.bench_line.let(0.02)
        self.assertEqual([event.answered for event in self.session.active.run.events], [False])


class Babbler:
    """A wire whose other end answers what it likes."""

    def __init__(self, answers):
        self.answers, self.sent = list(answers), b""

    def write(self, data):
        self.sent += data
        return len(data)

    def read(self):
        return self.answers.pop(0) if self.answers else b""

    def close(self):
        pass


class ForeignAnswersTest(unittest.TestCase):
    LINES = tuple((b"G1 X%d" % n, f"A{n // 10}") for n in range(100))

    def stream(self, answers):
        clock = itertools.count()
        return Stream(
            Babbler(answers),
            iter(self.LINES),
            LinkWords(lines_ahead=60),
            lambda: next(clock) * 0.01,
        )

    def test_a_line_that_was_never_sent_is_not_done(self):
        stream = self.stream([b"ready\n", b"at X0 Y0 Z0 run 912 clock 1.0\n"])
        for _ in range(8):
            stream.pump()
        self.assertEqual((stream.sent, stream.done_line, stream.finished), (60, 0, []))

    def test_more_lines_taken_than_were_sent_count_for_nothing(self):
        stream = self.stream([b"ready\n", b"taken\n" * 63])
        stream.pump()
        stream.pump()
        self.assertEqual(stream.taken, 60)

    def test_a_controller_that_starts_anew_gets_no_further_line(self):
        others = LinkWords(takes="ok", tells="<", asks=b"?", numbers=False, done_lines=False)
        for words, opening, answer in (
            (LinkWords(lines_ahead=60), b"ready 32\n", b"taken\n"),
            (others, b"\r\nSome controller 2.4\r\n<Idle>\n", b"ok\n<Idle>\n"),
        ):
            clock, wire = itertools.count(), Babbler([opening, answer, answer, opening])
            stream = Stream(wire, iter(self.LINES), words, lambda clock=clock: next(clock) * 0.01)
            for _ in range(3):
                stream.pump()
            self.assertEqual(stream.state, "running")
            sent = stream.sent
            stream.pump()
            with self.subTest(opening=opening):
                self.assertEqual((stream.state, stream.sent), ("lost", sent))
                self.assertIn("has started anew", stream.why)
                self.assertTrue(wire.sent.endswith(words.stops))

    @settings(max_examples=400, deadline=None)
    @given(
        st.lists(
            st.one_of(
                st.binary(max_size=60),
                st.builds(
                    "{} X{} Y{} Z{} {} {} clock {}\n".format,
                    st.sampled_from(("at", "ready", "taken", "refused")),
                    *[st.sampled_from(("1", "-3.5", "1.2.3", "9" * 400, ".", "inf", "١"))] * 3,
                    st.sampled_from(("run", "hold", "")),
                    st.sampled_from(("0", "5", "60", "912", "9" * 4500, "-1")),
                    st.sampled_from(("1.0", "1..0", "9" * 500)),
                ).map(str.encode),
                st.sampled_from((b"taken\n", b"ready\n", b"refused\n", b"\n", b"at\n")),
            ),
            max_size=12,
        )
    )
    def test_no_answer_raises_or_counts_a_cell_that_was_not_sent(self, answers):
        stream = self.stream(answers)
        for _ in range(len(answers) + 3):
            stream.pump()
        self.assertLessEqual(stream.done_line, stream.sent)
        sent = {self.LINES[n][1] for n in range(stream.sent)}
        self.assertLessEqual(set(stream.finished), sent)


class Narrow(Babbler):
    """A wire that takes so many bytes at a time: `room` of them, in turn."""

    def __init__(self, room):
        super().__init__([b"ready\n"])
        self.room = itertools.chain(room)

    def write(self, data):
        taken = data[: next(self.room)]
        self.sent += taken
        return len(taken)


class NarrowWireTest(unittest.TestCase):
    """What acts at once goes before all else and is never lost; no line is ever cut short."""

    LINES = tuple(b"G1 X%d.5 Y%d" % (n, 7 * n) for n in range(40))
    WORDS = LinkWords(numbers=False, lines_ahead=60)

    def stream(self, room):
        self.clock = 0.0
        self.wire = Narrow(room)
        lines = ((line, "A1") for line in self.LINES)
        return Stream(self.wire, lines, self.WORDS, lambda: self.clock)

    def pump(self, stream, times=1):
        for _ in range(times):
            self.clock += 0.01
            stream.pump()

    def test_a_hold_amid_a_line_leaves_the_line_whole(self):
        words = self.WORDS
        for every in (1, 2, 3, 5):
            stream = self.stream(itertools.cycle((0, 3, 1, 0, 5, 11)))
            while len(self.wire.sent) < 500 and self.clock < 400:
                self.pump(stream, every)
                stream.hold()
                self.assertEqual(stream.state, "held")
                self.pump(stream, 2)
                stream.go_on()
                self.pump(stream)
                self.clock -= 0.01 * (every + 3)  # nobody answers: its patience is not in question
            with self.subTest(every=every):
                self.assertGreater(self.wire.sent.count(words.holds), 10)
                bare = self.wire.sent.translate(None, words.holds + words.goes_on + words.asks)
                whole = b"".join(line + b"\n" for line in self.LINES)
                self.assertTrue(whole.startswith(bare) and len(bare) > 200, bare[-60:])

    def test_nothing_goes_out_before_the_greeting_though_it_was_held(self):
        stream = self.stream(itertools.repeat(100))
        self.wire.answers.clear()
        self.pump(stream)
        stream.hold()
        stream.go_on()
        self.pump(stream, 5)
        self.assertEqual(stream.sent, 0)
        self.wire.answers.append(b"ready\n")
        self.pump(stream, 5)
        self.assertGreater(stream.sent, 10)

    def test_a_stop_waits_until_the_wire_takes_it_and_nothing_follows(self):
        stream = self.stream(itertools.chain((100, 4), [0] * 9, itertools.repeat(100)))
        self.pump(stream)
        stream.stop("stopped by hand")
        self.assertEqual((stream.state, stream.going), ("stopping", True))
        stream.hold()
        stream.stop("again")
        self.pump(stream, 20)
        self.assertEqual((stream.state, stream.why), ("stopped", "stopped by hand"))
        self.assertEqual(self.wire.sent.count(self.WORDS.stops), 1)
        self.assertTrue(self.wire.sent.endswith(self.WORDS.stops))

    def test_a_wire_that_takes_neither_hold_nor_stop_is_told_with_what_to_do(self):
        for act in (Stream.hold, Stream.stop):
            stream = self.stream(itertools.chain((100, 4), itertools.repeat(0)))
            self.pump(stream)
            act(stream)
            self.pump(stream, 90)
            self.assertTrue(stream.going)
            self.pump(stream, 20)
            with self.subTest(act=act.__name__):
                self.assertEqual(stream.state, "lost")
                self.assertIn("emergency stop", stream.why)

    def test_a_controller_that_is_silent_is_told_to_stop(self):
        stream = self.stream(itertools.repeat(100))
        self.pump(stream)
        self.clock += 6.0
        self.pump(stream)
        self.assertEqual(stream.state, "lost")
        self.assertIn("has not answered", stream.why)
        self.assertTrue(self.wire.sent.endswith(self.WORDS.stops))


class Small:
    """A controller of another kind: says what it likes when the line is opened, now and then a
    remark; takes a line at a time, loses what comes while its 128 bytes are full, tells its place
    where it can be asked.
    """

    def __init__(self, asks):
        self.asks, self.held, self.lines, self.lost = asks, b"", [], 0
        self.out = b"Some controller 2.4\n\n" + b"its settings\n" * 9

    def write(self, data):
        if self.asks and self.asks in data:
            data = data.replace(self.asks, b"")
            self.out += b"<here 0,0>\n"
        self.held += data
        self.lost += max(0, len(self.held) - 128)
        return len(data)

    def read(self):
        line, end, rest = self.held.partition(b"\n")
        if end:
            self.lines.append(line)
            self.held = rest
            self.out += b"(a remark)\nok\n" if len(self.lines) % 10 == 0 else b"ok\n"
        out, self.out = self.out, b""
        return out


class FullWireTest(BurningCase):
    def test_a_run_goes_on_until_its_stop_has_gone_out(self):
        burner = self.start()
        self.burn(burner, 2)
        write, room = self.bench_line.write, [0]
        self.bench_line.write = lambda data: write(data[: room[0]]) if room[0] else 0
        burner.stop()
        burner.pause()
        self.assertEqual((burner.state, burner.is_going), ("running", True))
        self.assertFalse(self.bench_line.closed)
        room[0] = 1000
        self.assertFalse(burner.pump())
        self.assertEqual((burner.state, self.bench_line.closed), ("stopped", True))
        self.assertEqual(self.kept().interrupted, "stopped by hand")
        self.assertEqual(self.bench_line.controller.state, "stopped")


class StreamTest(SessionCase):
    def test_a_controller_that_tells_no_line_is_done_is_followed_by_what_it_takes(self):
        class Plain:
            """Answers each line with one word, and nothing else."""

            def __init__(self):
                self.lines, self.out = [], b"hello\n"

            def write(self, data):
                self.lines += [line for line in data.split(b"\n") if line]
                self.out += b"yes\n" * data.count(b"\n")
                return len(data)

            def read(self):
                out, self.out = self.out, b""
                return out

        words = LinkWords(
            greets="hello", takes="yes", asks=b"", numbers=False, done_lines=False, lines_ahead=4
        )
        lines = [
            (b"G0 X1", ""),
            *[(b"G1 X%d S1" % n, "A1") for n in range(9)],
            *[(b"G1 X%d S1" % n, "A2") for n in range(9)],
            (b"M2", ""),
        ]
        wire, begun = Plain(), []
        stream = Stream(wire, iter(lines), words, lambda: 0.0, begun.append)
        while stream.going:
            stream.pump()
        self.assertEqual(
            (stream.state, stream.finished, begun), ("done", ["A1", "A2"], ["A1", "A2"])
        )
        self.assertEqual(wire.lines, [line for line, _ in lines])

    def test_all_that_was_sent_is_in_doubt_where_a_controller_tells_no_line(self):
        words = LinkWords(takes="ok", tells="", asks=b"", numbers=False, done_lines=False)
        lines = [(b"G1 X%d" % n, f"A{n // 5}") for n in range(100)]
        words, clock = replace(words, lines_ahead=16), itertools.count()
        stream = Stream(Small(b""), iter(lines), words, lambda: next(clock) * 0.03)
        while len(stream.finished) < 3:
            stream.pump()
        stream.stop("stopped by hand")
        sent = {cell for _, cell in lines[: stream.sent]}
        self.assertEqual({*stream.finished, *stream.in_doubt}, sent)
        self.assertGreater(len(stream.in_doubt), 2)

    def test_a_small_controller_never_gets_more_than_it_has_room_for(self):
        lines = [(b"G1 X%.3f Y%.3f S%d" % (n / 7, n / 3, n), "A1") for n in range(200)]
        for tells, asks in (("<", "?"), ("", "")):
            clock, wire = itertools.count(), Small(asks.encode())
            words = words_of(
                preferences_with_port(
                    Preferences(),
                    {field.key: field.text for field in port_fields(Preferences())}
                    | {"port": "/dev/ttyX", "takes": "ok", "tells": tells, "asks": asks},
                )
            )
            stream = Stream(wire, iter(lines), words, lambda clock=clock: next(clock) * 0.03)
            for _ in range(1000):
                stream.pump()
            with self.subTest(asks=asks):
                self.assertEqual((stream.state, stream.finished), ("done", ["A1"]))
                self.assertEqual(wire.lost, 0)
                self.assertEqual(wire.lines, [line for line, _ in lines])

    def test_a_real_wire_carries_a_whole_coupon(self):
        self.written()
        burner = self.burner()
        burner._connect, burner._seconds = (
            (lambda machine, pace: StandInWire(machine, pace=pace)),
            time.monotonic,
        )
        burner.start(pace=math.inf)
        end = time.monotonic() + 60
        while burner.pump() and time.monotonic() < end:
            pass
        self.assertEqual((burner.state, len(self.session.active.burnt)), ("done", 24))


class PortSettingsTest(SessionCase):
    def texts(self, **changes):
        return {field.key: field.text for field in port_fields(Preferences())} | changes

    def test_the_words_of_a_controller_are_kept_as_typed(self):
        kept = preferences_with_port(
            Preferences(),
            self.texts(
                port="/dev/ttyX",
                takes="yes",
                refuses="no",
                tells="pos",
                asks="0x3f",
                holds="h",
                goes_on="33",
                stops="24",
            ),
        )
        words = words_of(kept)
        self.assertEqual(
            (words.takes, words.refuses, words.asks, words.holds, words.goes_on, words.stops),
            ("yes", "no", b"?", b"h", b"!", b"\x18"),
        )
        self.assertFalse(words.done_lines)
        self.assertTrue(words_of(Preferences()).done_lines)

    def test_a_port_without_a_stop_or_with_a_bad_code_is_refused(self):
        for changes in ({"stops": ""}, {"takes": " "}, {"asks": "300"}, {"holds": "nine"}):
            with self.subTest(changes):
                with self.assertRaises(OutOfRange):
                    preferences_with_port(Preferences(), self.texts(port="/dev/ttyX", **changes))

"""Practise: choose an exercise, and see how the last ones went."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout

from olive_almanac.core.dates import day_text
from olive_almanac.core.records.setting import TASK_WORDS, rasters
from olive_almanac.core.units import duration_text, number_text, percent_text, speed_text
from olive_almanac.core.words import tr
from olive_almanac.steps.exercises import CO2, EXERCISES, MECHANIC, MECHANIC_TITLE, exercise_of
from olive_almanac.steps.mechanic import Mechanic
from olive_almanac.steps.practise import best_of, keep_score, kept_scores, title_of
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Heading,
    Page,
    box,
    button,
    clear_layout,
    col,
    fact,
    hair,
    head,
    label,
    page_margins,
    row,
)
from olive_almanac.views.practise.mechanic import MechanicDialog
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import NO_BRUSH, C, Painted, compact, px

if TYPE_CHECKING:
    from olive_almanac.core.records.setting import Setting
    from olive_almanac.steps.practise import Score
    from olive_almanac.views.window import MainWindow


class PointsBar(Painted):
    """Points of a part out of the most there are: an outlined bar, filled as far as they go."""

    def __init__(self, words: str, points: int, most: int) -> None:
        super().__init__()
        self.points, self.most = points, most
        self.setFixedHeight(px(18))
        self.setMinimumWidth(px(120))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(
            tr("{words}: {points} of {most} points", words=words, points=points, most=most)
        )

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        bar = QRectF(0.5, 3.5, width - 1, height - 7)
        painter.fillRect(
            QRectF(bar.left(), bar.top(), bar.width() * self.points / self.most, bar.height()),
            C("olive"),
        )
        painter.setPen(QPen(C("edge"), 1))
        painter.setBrush(NO_BRUSH)
        painter.drawRect(bar)


class PractisePage(StationPage):
    """Left the exercises, right the score in hand and those before it."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        left, right = Page(), Page()
        self._exercises, self._score = QVBoxLayout(), QVBoxLayout()
        layout = QVBoxLayout(left)
        page_margins(layout)
        layout.addLayout(head(label(tr("Practise"), "h1"), None, topic="practise"))
        layout.addSpacing(px(8))
        layout.addWidget(
            label(
                tr(
                    "A stock whose making is hidden, a sheet and a few cells. Plan, burn on the "
                    "stand-in, read, decide, write the setting "
                    "into the book: then see what was true. Nothing of yours is touched."
                ),
                "ui",
                "second",
                wrap=True,
            )
        )
        layout.addSpacing(px(8))
        layout.addLayout(self._exercises)
        layout.addStretch(1)
        right.setMinimumWidth(px(compact(360, 440)))
        inner = QVBoxLayout(right)
        page_margins(inner)
        self._score_title = label(tr("No score yet"), "h2")
        inner.addLayout(head(self._score_title, None))
        inner.addSpacing(px(8))
        inner.addLayout(self._score)
        inner.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(right)
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(left, 5)
        across.addWidget(hair("vhair"))
        across.addWidget(scroll, 4)

    def enter(self) -> None:
        self._show_exercises()
        self.first.setFocus()
        scores = kept_scores(self.main_window.home)
        clear_layout(self._score)
        if scores:
            self._show_score(scores[-1])
            self._show_before(scores[:-1])
        else:
            self._score_title.setText(tr("No score yet"))
            self._score.addWidget(
                label(
                    tr("Finish an exercise, and how it went stands here."),
                    "ui",
                    "second",
                    wrap=True,
                )
            )

    def _show_exercises(self) -> None:
        clear_layout(self._exercises)
        self.first = None
        scores = kept_scores(self.main_window.home)
        for exercise in EXERCISES:
            best = best_of(scores, exercise.id)
            sheet = exercise.stock.sheets[0]
            facts = tr(
                "{machine}, {task_words}, {cells} cells on a sheet of {width_mm:g} × "
                "{height_mm:g} mm",
                machine=exercise.machine.label,
                task_words=TASK_WORDS[exercise.task],
                cells=exercise.cells,
                width_mm=sheet.width_mm,
                height_mm=sheet.height_mm,
            )
            words = col(
                label(exercise.title, "h3"),
                label(exercise.asks, "ui", wrap=True),
                label(facts, "small", "second", wrap=True),
                gap=0,
            )
            begin = button(tr("Begin") if best is None else tr("Begin again"))
            begin.setAccessibleName(tr("Begin {exercise}", exercise=exercise.title))
            begin.clicked.connect(
                lambda _=False, exercise=exercise: self.main_window.practising.begin(exercise)
            )
            begin.setEnabled(self.session.practice is None)
            told = label("" if best is None else tr("best {best}", best=best), "num4")
            line = row(words, told, begin, gap=14)
            line.setStretch(0, 1)
            line.setContentsMargins(0, px(compact(1, 3)), 0, px(compact(1, 3)))
            self._exercises.addWidget(box(line))
            self._exercises.addWidget(hair())
            self.first = self.first or begin
        self._exercises.addWidget(box(self._mechanic_line(best_of(scores, MECHANIC))))

    def _mechanic_line(self, best: int | None) -> QHBoxLayout:
        """The exercise without a coupon: a machine that may be weak."""
        words = col(
            label(MECHANIC_TITLE, "h3"),
            label(
                tr("Half a year of its checks. Find what is wrong, if anything."), "ui", wrap=True
            ),
            label(tr("Long Bed, no cells: minutes count"), "small", "second", wrap=True),
            gap=0,
        )
        begin = button(tr("Begin") if best is None else tr("Begin again"))
        begin.setAccessibleName(tr("Begin {mechanic_title}", mechanic_title=MECHANIC_TITLE))
        begin.clicked.connect(self._begin_mechanic)
        begin.setEnabled(self.session.practice is None)
        line = row(
            words,
            label("" if best is None else tr("best {best}", best=best), "num4"),
            begin,
            gap=14,
        )
        line.setStretch(0, 1)
        return line

    def _begin_mechanic(self) -> None:
        services, home = self.main_window.services, self.main_window.home
        started = services.now()
        bench = services.make_bench(int(started.timestamp()) % 1_000_000)

        def keep(score: Score) -> None:
            self.session.attempt(lambda: keep_score(home, score))
            self.enter()

        on = started.isoformat(timespec="seconds")
        mechanic = Mechanic(bench.ailing(CO2), self.session.today())
        dialog = MechanicDialog(self, mechanic, on, keep)
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _show_score(self, score: Score) -> None:
        self._score_title.setText(
            tr("{score}: {total} of 100", score=title_of(score), total=score.total)
        )
        if score.exercise == MECHANIC:
            self._score.addWidget(label(score.says, "ui", wrap=True))
            return
        unit = self.session.preferences.speed_unit
        task = exercise_of(score.exercise).task
        for words, points, most in (
            (tr("Setting that works"), score.points_setting, 50),
            (tr("Near the quickest"), score.points_time, 15),
            (tr("Cells saved"), score.points_waste, 15),
            (tr("Hazards minded"), score.points_safety, 20),
        ):
            name = label(words, "ui", "second")
            name.setFixedWidth(px(150))
            line = row(
                name,
                PointsBar(words, points, most),
                label(tr("{points} of {most}", points=points, most=most), "small_b"),
                gap=10,
            )
            self._score.addLayout(line)
        self._score.addSpacing(px(8))
        per = "m"
        if rasters(task):
            per = "100 cm²"

        def said(setting: Setting, seconds: float) -> str:
            return tr(
                "{power} %, {speed_mm_s}, {passes} ×: {seconds} per {per}",
                power=percent_text(setting.power),
                speed_mm_s=speed_text(setting.speed_mm_s, unit),
                passes=setting.passes,
                seconds=duration_text(seconds),
                per=per,
            )

        self._score.addWidget(
            fact(
                tr("Your setting"),
                said(score.found, score.seconds) if score.found else tr("none in the book"),
            )
        )
        self._score.addWidget(
            fact(
                tr("It truly works"),
                tr("none")
                if score.success is None
                else tr("{success:.0f} % of the time", success=100 * score.success),
            )
        )
        self._score.addWidget(
            fact(
                tr("The quickest"),
                said(score.best, score.best_seconds) if score.best else tr("nothing does"),
            )
        )
        self._score.addWidget(
            fact(
                tr("Cells burnt"), tr("{cells} of {budget}", cells=score.cells, budget=score.budget)
            )
        )
        self._score.addWidget(fact(tr("Burning time"), duration_text(score.burning_s)))
        for hazard in score.hazards[:4]:
            text = label(hazard, "small", wrap=True)
            line = row(Mark("stop", "mind", 22), text, gap=8)
            line.setStretch(1, 1)
            self._score.addLayout(line)
        self._score.addWidget(Heading(tr("What the fit said, and what it would burn next")))
        self._score.addWidget(label(score.says, "ui", wrap=True))
        for setting in score.next_cells[:4]:
            focus = ""
            if setting.focus_mm:
                focus = tr(", focus {focus_mm} mm", focus_mm=number_text(setting.focus_mm))
            self._score.addWidget(
                label(
                    (
                        f"{percent_text(setting.power)} %, {speed_text(setting.speed_mm_s, unit)}, "
                        f"{setting.passes} ×{focus}"
                    ),
                    "small",
                    "second",
                )
            )

    def _show_before(self, scores: Any) -> None:
        if not scores:
            return
        self._score.addWidget(Heading(tr("Before")))
        for score in scores[::-1][:8]:
            self._score.addWidget(
                fact(
                    f"{title_of(score)}, {day_text(score.on[:10])}",
                    tr("{total} of 100, {cells} cells", total=score.total, cells=score.cells),
                )
            )

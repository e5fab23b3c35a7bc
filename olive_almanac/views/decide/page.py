"""The Decide station: what the coupon shows at the left, the ways to set it at the right, and the
pen that writes into the book.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QSizePolicy, QStackedWidget, QVBoxLayout

from olive_almanac.core.records.factors import further_factors, setting_words
from olive_almanac.core.records.reading import VERDICT_WORDS
from olive_almanac.core.records.recipe import key_of
from olive_almanac.core.units import (
    chance_text,
    length_number,
    length_text,
    number_text,
    percent_text,
    speed_in,
    speed_text,
)
from olive_almanac.core.upkeep.bed_map import STORY_WORDS
from olive_almanac.core.words import mid_sentence, tr
from olive_almanac.steps.active import ActiveTrial
from olive_almanac.steps.book import BookPresenter
from olive_almanac.steps.decide import DecidePresenter
from olive_almanac.steps.photo import shown_again_work
from olive_almanac.steps.read import KEYS
from olive_almanac.steps.requests import LookAtCell, PlanAtFocus, PlanCells, PlanKind
from olive_almanac.views.coupon import CouponPicture, VerdictKeyLine
from olive_almanac.views.decide.bed import BedChart
from olive_almanac.views.decide.charts import FocusChart, KerfChart, SlicesChart, ToneChart
from olive_almanac.views.decide.outliers import OutlierList
from olive_almanac.views.decide.pick_card import PickCard, limit_facts
from olive_almanac.views.decide.recipe_bars import RecipeBars
from olive_almanac.views.decide.setting_map import LETTERS, SettingMapView
from olive_almanac.views.decide.tone_photo import TonePhoto
from olive_almanac.views.marks import Mark
from olive_almanac.views.parts import (
    Heading,
    Segments,
    WordPicker,
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
    set_kind,
    tip_text,
)
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import compact, px
from olive_almanac.views.window import MainWindow
from olive_almanac.views.worker import LatestWork

NOTHING_READ = tr("Nothing has been read yet for this stock.")
UNREAD = tr("has not been read yet. What was read before stands.")
NO_ENTRY = tr("There is no entry to keep it with yet: decide a setting for this stock first.")
STANDS = tr("Alone, and 19 in 20 still fall free")
LEAVES = {"M": 0, "S": 1, "O": 2}  # keys of map, slices, outliers
LOOKS = {"focus": 3, "kerf": 4, "tone": 5, "confirm": 7, "bed": 8}
PHOTO = 6
CAUTION = tr("Nobody at the mirrors while the beam can fire: the machine's manual comes first.")
TITLES = {
    "focus": tr("Where the focus lies"),
    "kerf": tr("What the beam takes away"),
    "tone": tr("Tone curve"),
    "confirm": tr("Confirm run"),
    "bed": tr("Where the bed is weak"),
}


class DecidePage(StationPage):
    """Starts the work when the readings have changed and shows each result as it comes."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.presenter = DecidePresenter(self.session, self)
        self._deciding = LatestWork(self.main_window.work)
        self.title = label("", "h1")
        self.leaf = Segments(
            [tr("map"), tr("slices"), tr("outliers")], 0, tr("What is shown; keys M, S and O")
        )
        self.leaf.chosen.connect(self._turn)
        self.source = Segments(
            [tr("map"), tr("photo")], 0, tr("Where a tone is taken from; keys M and P")
        )
        self.source.chosen.connect(self._turn_source)
        self.photo, self._rectified = (
            TonePhoto(),
            ("", None),
        )  # the photo squared up last, by trial id
        self.photo.cell_clicked.connect(self._aim_at_cell)
        self.map, self.slices, self.outliers = SettingMapView(), SlicesChart(), OutlierList()
        self.focus_chart, self.kerf_chart, self.tone_chart = FocusChart(), KerfChart(), ToneChart()
        self.coupon = CouponPicture()
        self.bed = BedChart()
        self.map.pick_clicked.connect(self.presenter.choose)
        self.map.cell_clicked.connect(self._aim_at_cell)
        self.outliers.chosen.connect(self._look_again)
        self.stack = QStackedWidget()
        for leaf in (
            self.map,
            self.slices,
            self.outliers,
            self.focus_chart,
            self.kerf_chart,
            self.tone_chart,
            self.photo,
            self.coupon,
            self.bed,
        ):
            self.stack.addWidget(leaf)
        self.key_holder = QVBoxLayout()
        self.recipes = RecipeBars()
        self.wrong = button(
            compact(tr("Wrong?"), tr("What went wrong?")),
            "plain",
            tip=tr("the likeliest causes, Ctrl+W"),
        )
        self.wrong.clicked.connect(lambda: self.main_window.ask_wrong())
        self.key_line = VerdictKeyLine((), VERDICT_WORDS)
        left = col(
            head(
                self.title,
                None,
                self.wrong,
                self.leaf,
                self.source,
                topic=compact("", "decide/The map"),
            ),
            self.stack,
            self.key_holder,
            self.recipes,
            gap=8,
        )
        left.setStretch(1, 1)
        across = QHBoxLayout(self)
        page_margins(across)
        across.setSpacing(px(compact(18, 24)))
        across.addLayout(left, 1)
        across.addWidget(self._build_right())

    def _build_right(self) -> Any:
        self.ways, self.rules = label("", "h2"), label("", "small", "second")
        self.says = label("", "ui", wrap=True)
        self.aims = Segments(
            [mid_sentence(VERDICT_WORDS["right"]), tr("lightest"), tr("mid"), tr("darkest")],
            0,
            tr("Tone to aim at"),
        )
        self.aims.chosen.connect(self._aim)
        self.recipe = WordPicker("ui_b", name=tr("Recipe to decide for"))
        self.recipe.picked.connect(self._decide_for)
        self.recipe_row = box(row(label(tr("With"), "ui", "second"), self.recipe, None, gap=6))
        self.cards_holder = QVBoxLayout()
        self.cards_holder.setSpacing(px(compact(7, 10)))
        self.cards: list[PickCard] = []
        self.remarks = label("", "small", "second", wrap=True)
        self.remarks.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        self.limits = QVBoxLayout()
        self.limits.setSpacing(px(4))
        self.stage_mark = Mark("state", "trial", 26)
        self.note = label(
            tr("Goes into the book as On trial. Three confirming burns make it Proven."),
            "ui",
            "second",
            wrap=True,
        )
        self.write = button(tr("Write into the book"), "main", tip="Ctrl+Enter")
        self.write.clicked.connect(self.main_action)
        self.closer = button(tr("Plan the next cells"), tip=tr("a coupon where the doubt is"))
        self.closer.clicked.connect(self._plan_next)
        note = row(self.stage_mark, self.note, gap=10)
        note.setStretch(1, 1)
        right = col(
            head(self.ways, None, self.rules, topic="decide/What a pick says"),
            self.recipe_row,
            self.says,
            self.aims,
            self.cards_holder,
            self.remarks,
            self.limits,
            None,
            note,
            row(self.write, self.closer, gap=10),
            gap=compact(7, 10),
        )
        holder = box(right)
        self.remarks_width = px(compact(336, 380))
        holder.setFixedWidth(self.remarks_width)
        return holder

    # -- state -------------------------------------------------------------------------------------

    def enter(self) -> None:
        self._start()
        self.show_decision()
        self.setFocus()

    def leave(self) -> None:
        self._deciding.stop()

    def subject_changed(self) -> None:
        self._start()
        self.show_decision()

    def trials_changed(self) -> None:
        self.subject_changed()

    def _start(self) -> None:
        """Decide anew where something changed; what the old work finds is no news any more."""
        if self.presenter.is_outdated:
            self._deciding.stop()
        work = self.presenter.work()
        if work is not None:
            self._deciding.start(work, self.presenter.take)

    def show_decision(self) -> None:
        active, question = self.session.active, self.presenter.question
        name = ""
        if active:
            name = mid_sentence(active.trial.name)
        if active and active.readings:
            self.title.setText(tr("From {name}", name=name))
        else:
            self.title.setText(tr("Decide"))
        note = tr("Working it out …")
        if not active or not active.readings:
            note = NOTHING_READ
            if active and active.earlier:
                note = f"{active.trial.name} {UNREAD}"
        clear_layout(self.limits)
        self.leaf.setVisible(question == "setting" and self.session.subject.task == "cut")
        self.aims.setVisible(False)
        self.source.setVisible(False)
        self.recipe_row.setVisible(False)
        self.recipes.show_comparison(self.presenter.found.get("recipes"))
        if question == "setting":
            self._show_setting(active, note)
        else:
            self._show_figures(question, note)

    # -- a setting ---------------------------------------------------------------------------------

    def _show_setting(self, active: ActiveTrial, note: str) -> None:
        found, decision = self.presenter.found, self.presenter.decision
        unit, task = self.session.preferences.speed_unit, self.session.subject.task
        if task == "cut":
            self.stack.setCurrentIndex(self.leaf.at)
        else:
            self.stack.setCurrentIndex(0)
        self._show_photo(active, task)
        self.map.show_map(active, decision, self.presenter.map, self.presenter.chosen, unit, note)
        self.slices.show_slices(
            found.get("slices"),
            decision.target if decision else 0.99,
            self.presenter.pick,
            unit,
            note,
        )
        self.outliers.show_outliers(found.get("outliers"), self.session, note)
        self.leaf.set_word(
            2,
            tr("outliers {found}", found=len(found["outliers"]))
            if found.get("outliers")
            else tr("outliers"),
        )
        self._show_key(task, decision)
        self._show_cards(decision, task, unit)
        known = found.get("known")
        self.aims.setVisible(self._can_aim(task, known))
        picked = bool(decision and decision.picks)
        self.says.setText(
            "" if picked else note if decision is None else self._says(decision, unit)
        )
        self.says.setVisible(not picked)
        compared = found.get("recipes")
        self._show_recipe_choice(active)
        if decision:
            self._show_remarks((*(compared.says if compared else ()), *decision.remarks))
        else:
            self._show_remarks(())
        main = tr("Write into the book") if picked else ""
        if self._earlier_only:
            main = tr("Open {name}", name=mid_sentence(active.earlier[-1][0].name))
        self._offer(main, self._compares_on or bool(decision and decision.next_cells))
        self.closer.setText(tr("Compare on") if self._compares_on else tr("Plan the next cells"))
        self._show_limits(task)

    def _show_recipe_choice(self, active: ActiveTrial) -> None:
        """Where the last coupon compares recipes, the one to decide for is chosen here."""
        several = active is not None and len(active.trial.recipes) > 1
        self.recipe_row.setVisible(several)
        if not several:
            return
        choices = [("", tr("whichever is done soonest"))]
        now = ""
        for at, recipe in enumerate(active.trial.recipes):
            choices.append((str(at), recipe.name))
            if self.presenter.recipe == key_of(recipe):
                now = str(at)
        self.recipe.set_choices(choices, now)

    def _decide_for(self, key: str) -> None:
        active = self.session.active
        if active is None:
            return
        recipe = key_of(active.trial.recipes[int(key)]) if key else None
        self.presenter.decide_for(recipe)
        self._start()
        self.show_decision()

    @staticmethod
    def _can_aim(task: str, known: Any) -> bool:
        """Whether a tone can be aimed at: where lightness was measured."""
        return task in ("engrave", "mark") and known is not None and known.curve is not None

    def _show_photo(self, active: ActiveTrial, task: str) -> None:
        """Offer the coupon's photo where there is one, and show it once it is squared up: that
        takes a moment, in a worker.
        """
        known = self.presenter.found.get("known")
        there = active is not None and self._can_aim(task, known) and "front" in active.run.photos
        self.source.setVisible(there)
        if not there or self.source.at == 0:
            return
        self.stack.setCurrentIndex(PHOTO)
        rectified = None
        if self._rectified[0] == active.trial.id:
            rectified = self._rectified[1]
        if rectified is None and self._rectified[0] != active.trial.id:
            self._rectified = (active.trial.id, None)
            self.main_window.work(
                shown_again_work(self.session.store, active, ("front",)),
                lambda item: self._take_photo(active, item[1]),
            )
        self.photo.show_coupon(active, rectified)

    def _take_photo(self, active: ActiveTrial, codes: Any) -> None:
        if self._rectified[0] == active.trial.id:
            self._rectified = (active.trial.id, codes)
            self.show_decision()

    def _show_remarks(self, remarks: Sequence[str]) -> None:
        """Show as many remarks as there is room for beside the cards; all of them stand in
        the tip.
        """
        metrics, shown = self.remarks.fontMetrics(), []
        left = {0: 9, 1: 6, 2: 3}.get(len(self.cards), compact(1, 2))  # lines
        for remark in remarks:
            size = metrics.boundingRect(
                0, 0, self.remarks_width, 1000, Qt.TextFlag.TextWordWrap, remark
            )
            left -= round(size.height() / metrics.lineSpacing())
            if left < 0 and shown:
                break
            shown.append(remark)
        self.remarks.setText("\n".join(shown))
        self.remarks.setToolTip(tip_text("\n".join(remarks)))
        self.remarks.setVisible(bool(remarks))

    def _offer(self, main: str, closer: bool) -> None:
        """Show the main button with these words (none: not at all) and the one that plans the next
        cells.
        """
        picked = bool(self.presenter.pick)
        self.write.setText(main)
        self.write.setVisible(bool(main))
        room = picked and (len(self.cards) < 3 or compact(False, True))
        self.stage_mark.setVisible(room)
        self.note.setVisible(room)
        self.closer.setVisible(closer)
        set_kind(self.closer, "" if main else "main")

    def _says(self, decision: Any, unit: str) -> str:
        """What stands in the way of a pick, and the cells to burn next in the shop's unit, each
        with what it tells.
        """
        cells = decision.next_cells
        if not cells:
            return decision.says
        lines = []
        for reason in dict.fromkeys(decision.next_reasons or ("",) * len(cells)):
            here = [
                c
                for c, why in zip(cells, decision.next_reasons or ("",) * len(cells), strict=True)
                if why == reason
            ]
            speeds = sorted(speed_in(cell.speed_mm_s, unit) for cell in here)
            if speeds[0] == speeds[-1]:
                span = number_text(speeds[0])
            else:
                span = tr(
                    "{speeds} to {speeds2}",
                    speeds=number_text(speeds[0]),
                    speeds2=number_text(speeds[-1]),
                )
            powers = sorted({percent_text(cell.power) for cell in here}, key=float)
            if len(powers) == 1:
                power = powers[0]
            else:
                power = tr("{powers} to {powers2}", powers=powers[0], powers2=powers[-1])
            lines.append(
                tr(
                    "{here} at {span} {unit}, {power} %",
                    here=len(here),
                    span=span,
                    unit=unit,
                    power=power,
                )
                + (f": {reason}." if reason else ".")
            )
        return tr("{says}\n\nProposed:\n", says=decision.says) + "\n".join(lines)

    def _show_limits(self, task: str) -> None:
        """What may drift, each alone, before the chosen pick fails: below the cards, where there is
        room.
        """
        pick = self.presenter.pick
        if pick is None or compact(True, False) or len(self.cards) > 2:
            return
        if "recipes" in self.presenter.found:
            return  # they take the room
        self.limits.addWidget(Heading(STANDS if task == "cut" else tr("Alone, the tone stands")))
        facts = limit_facts(pick)
        if pick.kerf_mm is not None:
            facts.append((tr("kerf to expect"), length_text(pick.kerf_mm, 2)))
        for name, value in facts:
            self.limits.addWidget(fact(name, value))
            self.limits.addWidget(hair())

    def _show_key(self, task: str, decision: Any) -> None:
        clear_layout(self.key_holder)
        if self.stack.currentWidget() is self.photo:
            self.key_holder.addWidget(
                label(
                    tr("Click a cell, or arrows and Enter: its tone is aimed at."),
                    "small",
                    "second",
                )
            )
            return
        marks = [verdict for _, verdict in KEYS[task]]
        if decision is not None and decision.next_cells and self.stack.currentWidget() is self.map:
            marks.append("next")
        self.key_line = VerdictKeyLine(marks, {**VERDICT_WORDS, "next": tr("Burn next")})
        self.key_line.setFixedHeight(px(24))
        if decision is not None and decision.edge_doubt is not None and not compact(True, False):
            self.key_line.show_remark(
                tr(
                    "known to ± {doubt} % from {cells_read} cells",
                    doubt=max(1, round(100 * decision.edge_doubt)),
                    cells_read=decision.cells_read,
                )
            )
        self.key_holder.addWidget(self.key_line)

    def _show_cards(self, decision: Any, task: str, unit: str) -> None:
        if decision:
            picks = decision.picks
        else:
            picks = ()
        if [card.pick for card in self.cards] != list(picks):
            clear_layout(self.cards_holder)
            self.cards = []
            for n, pick in enumerate(picks):
                card = PickCard(LETTERS[n], pick, task, unit)
                card.clicked.connect(lambda _=False, n=n: self.presenter.choose(n))
                self.cards_holder.addWidget(card, 1)
                self.cards.append(card)
        for n, card in enumerate(self.cards):
            card.setChecked(n == self.presenter.chosen)
        count = {
            0: tr("No way to set it yet"),
            1: tr("One way to set it"),
            2: tr("Two ways to set it"),
            3: tr("Three ways to set it"),
        }[len(picks)]
        if decision:
            self.ways.setText(count)
        else:
            self.ways.setText(tr("Ways to set it"))
        aims_at = None
        if task != "cut":
            aims_at = self.presenter.lightness
        rule = ""
        if decision:
            rule = tr("house rule {target:g} %", target=100 * decision.target)
        self.rules.setText(
            (rule if aims_at is None else tr("aims at L* {aims_at:.0f}", aims_at=aims_at))
            if picks
            else ""
        )

    # -- focus, kerf, tone curve -------------------------------------------------------------------

    def _show_figures(self, question: str, note: str) -> None:
        found = self.presenter.found.get(question)
        self.stack.setCurrentIndex(LOOKS[question])
        clear_layout(self.key_holder)
        self._show_cards(None, self.session.subject.task, "")
        self.ways.setText(TITLES[question])
        self.rules.setText("")
        self.remarks.setVisible(False)
        self.says.setVisible(True)
        decided = None
        if found is not None and not isinstance(found, str):
            decided = found
        self.says.setText(
            note if found is None else found if isinstance(found, str) else found.says
        )
        {
            "focus": self._show_focus,
            "kerf": self._show_kerf,
            "tone": self._show_tone,
            "confirm": self._show_confirm,
            "bed": self._show_bed,
        }[question](decided, self.says.text())

    def _facts(self, title: str, rows: Any) -> None:
        self.limits.addWidget(Heading(title))
        for name, value in rows:
            self.limits.addWidget(fact(name, value))
            self.limits.addWidget(hair())

    def _show_focus(self, decision: Any, note: str) -> None:
        self.focus_chart.show_decision(decision, note)
        fit = None
        if decision:
            fit = decision.fit
        if fit is not None:
            self._facts(
                tr("From the lines"),
                [
                    (
                        tr("best focus"),
                        (
                            tr(
                                "{focus_mm} ± {focus_se_mm} mm below the face",
                                focus_mm=number_text(fit.focus_mm, 2),
                                focus_se_mm=number_text(fit.focus_se_mm, 2),
                            )
                        ),
                    ),
                    (tr("narrowest beam"), length_text(fit.waist_mm, 2)),
                    (
                        tr("half the depth of focus"),
                        (
                            f"{length_number(fit.rayleigh_mm, 2)} ± "
                            f"{length_text(fit.rayleigh_se_mm, 2)}"
                        ),
                    ),
                    (tr("lines measured"), str(len(decision.lines))),
                ],
            )
        self._offer(tr("Plan a grid at this focus") if decision and decision.decided else "", False)

    def _show_bed(self, decision: Any, note: str) -> None:
        machine = self.session.subject.machine
        if machine is not None:
            self.bed.show_bed(decision, machine.bed_mm, note)
        if decision is not None:
            order = sorted(decision.stories, key=lambda name: -decision.stories[name])
            self._facts(
                tr("How likely"),
                [(STORY_WORDS[name], chance_text(decision.stories[name])) for name in order],
            )
            across, up = decision.tilt_mm_m
            if decision.story == "tilt":
                rise = tr(
                    "{across} and {up} mm", across=number_text(across, 2), up=number_text(up, 2)
                )
                self._facts(tr("It rises"), [(tr("a metre to the right, to the rear"), rise)])
            self._show_remarks((decision.do, CAUTION) if decision.do else ())
        self._offer("", False)

    def _show_kerf(self, decision: Any, note: str) -> None:
        self.kerf_chart.show_decision(decision, note)
        for thickness in (
            dict.fromkeys(one.thickness_mm for one in decision.rows) if decision else ()
        ):
            rows = [one for one in decision.rows if one.thickness_mm == thickness]
            facts = [
                (
                    tr("along {axis}", axis=one.axis.upper()),
                    (
                        tr(
                            "{mean_mm:.3f} ± {error_mm:.3f} mm from {count}",
                            mean_mm=one.figures.mean_mm,
                            error_mm=one.figures.error_mm,
                            count=one.figures.count,
                        )
                    ),
                )
                for one in rows
            ]
            facts += [
                (
                    tr("wall along {axis}", axis=one.axis.upper()),
                    tr(
                        "leans {lean_mm} mm, {angle_deg}°",
                        lean_mm=number_text(one.lean_mm, 2),
                        angle_deg=number_text(one.angle_deg, 2),
                    ),
                )
                for one in rows
                if one.lean_mm is not None
            ]
            self._facts(tr("Kerf in {thickness} mm", thickness=number_text(thickness)), facts)
        writable = bool(decision and decision.measured and self.session.entry is not None)
        if decision and decision.measured and not writable:
            self.says.setText(f"{decision.says} {NO_ENTRY}")
        self._offer(tr("Keep with the entry") if writable else "", False)

    def _show_tone(self, table: Any, note: str) -> None:
        self.tone_chart.show_table(table, note)
        if table is not None:
            setting, unit = table.setting, self.session.preferences.speed_unit
            further = [
                (factor.word, factor.told(factor.of(setting), unit))
                for factor in further_factors([setting])
            ]
            power = [(tr("power"), f"{percent_text(setting.power)} %")]
            if table.dial_name == "Power":  # it is what varies
                power = []
            self._facts(
                tr("Holds for"),
                [
                    *power,
                    (tr("speed"), f"{number_text(speed_in(setting.speed_mm_s, unit))} {unit}"),
                    (tr("line pitch"), length_text(setting.pitch_mm)),
                    *further,
                    (
                        mid_sentence(table.dial_name),
                        tr("up to {dial} %", dial=percent_text(float(table.dial[-1]))),
                    ),
                    (
                        "lightness",
                        tr(
                            "L* {lightness:.0f} to {lightness2:.0f}",
                            lightness=table.lightness[0],
                            lightness2=table.lightness[-1],
                        ),
                    ),
                ],
            )
        self._offer(tr("Save the curve table") if table is not None else "", False)

    def _show_confirm(self, decision: Any, _note: str) -> None:
        active = self.session.active
        if active is not None:
            self.coupon.show_desk(active, "")
        if decision is None:
            self._offer("", False)
            return
        book = BookPresenter(self.session)
        self.says.setText(f"{decision.says} {book.confirm_note()}")
        if decision.bad:
            self._facts(tr("Did not come out right"), decision.bad)
        if self.session.entry is not None:
            self._facts(tr("In the book"), [(tr("confirming burns"), book.confirmations_text())])
        self._offer(tr("Open the entry") if self.session.entry is not None else "", False)

    # -- acts --------------------------------------------------------------------------------------

    def _turn(self, at: int) -> None:
        self.stack.setCurrentIndex(at)
        self._show_key(self.session.subject.task, self.presenter.decision)
        if at == 2:
            self.outliers.setFocus()

    def _turn_source(self, at: int) -> None:
        self.show_decision()
        if at == 1:
            self.photo.setFocus()

    def _look_again(self, cell: str) -> None:
        """Go to the cell that the model does not expect."""
        self.main_window.navigate("read", LookAtCell(cell))

    def _aim(self, at: int) -> None:
        known = self.presenter.found.get("known")
        tones = None
        if known is not None:
            tones = known.tones()
        if at == 0 or tones is None:
            self.presenter.aim_at(None)
        else:
            self.presenter.aim_at(tones[at - 1])
        self._start()
        self.show_decision()

    def _aim_at_cell(self, cell: str) -> None:
        """Take the lightness of a measured cell as the tone to reach."""
        active = self.session.active
        reading = None
        if active:
            reading = active.readings.get(cell)
        if reading is not None and reading.lightness is not None and self.aims.isVisible():
            self.presenter.aim_at(reading.lightness)
            self.aims.set_at(-1)
            self.photo.current = cell
            self._start()
            self.show_decision()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        text, key = event.text().upper(), event.key()
        if event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
        ):
            super().keyPressEvent(event)
        elif text and text in LEAVES and self.leaf.isVisible():
            self.leaf.set_at(LEAVES[text])
            self._turn(LEAVES[text])
        elif text in ("M", "P") and self.source.isVisible():
            self.source.set_at("MP".index(text))
            self._turn_source("MP".index(text))
        elif self.cards and text and text in LETTERS:
            self.presenter.choose(LETTERS.index(text))
        elif self.cards and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.presenter.choose(
                (self.presenter.chosen + (1 if key == Qt.Key.Key_Down else -1)) % len(self.cards)
            )
        else:
            super().keyPressEvent(event)

    def main_action(self) -> None:
        question, found = self.presenter.question, self.presenter.found
        if question == "focus":
            if self.write.isVisible():
                focus_mm = found["focus"].fit.focus_mm
                self.main_window.navigate("plan", PlanAtFocus(focus_mm))
        elif question == "kerf":
            if self.presenter.keep_kerf():
                self.main_window.navigate("book")
        elif question == "tone":
            if self.write.isVisible():
                self._save_table()
        elif question == "confirm":
            if self.write.isVisible() and self.presenter.close_confirm_run():
                self.main_window.navigate("book")
        elif self._earlier_only:
            self.session.trials.open(self.session.active.earlier[-1][0].id)
        elif self.presenter.pick is not None:
            if self.presenter.write_entry() is not None:
                self.main_window.navigate("book")
        else:
            self._plan_next()

    @property
    def _earlier_only(self) -> bool:
        """Whether this coupon was not read, but others of the subject were."""
        active = self.session.active
        return active is not None and bool(active.earlier) and not active.readings

    def _save_table(self) -> None:
        suggested = tr("{trial} tone curve.csv", trial=self.session.active.trial.name)
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Save the curve table"), suggested, tr("Tables (*.csv)")
        )
        if name:
            self.presenter.save_table(Path(name))

    @property
    def _compares_on(self) -> bool:
        """Whether the recipes of the last coupon cannot be told apart yet and nobody chose one."""
        active, compared = self.session.active, self.presenter.found.get("recipes")
        if active is None or compared is None or len(active.trial.recipes) < 2:
            return False
        return self.presenter.recipe is None and not all(o.told for o in compared.differences)

    def _plan_next(self) -> None:
        decision = self.presenter.decision
        if self._compares_on:
            self.main_window.navigate("plan", PlanKind("recipes"))
        elif decision is not None and decision.next_cells:
            request = PlanCells(decision.next_cells, recipe=decision.recipe)
            self.main_window.navigate("plan", request)

    def copy_numbers(self) -> None:
        pick, unit = self.presenter.pick, self.session.preferences.speed_unit
        if pick is not None:
            setting = pick.setting
            speed = speed_text(setting.speed_mm_s, unit)
            words = (f"{percent_text(setting.power)} %", speed, *setting_words(setting, unit))
            QGuiApplication.clipboard().setText(", ".join(words))
        elif self.presenter.question != "setting" and self.says.text():
            QGuiApplication.clipboard().setText(self.says.text())

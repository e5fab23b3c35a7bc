"""The Decide station: the map at the left, the ways to set it at the right, and the pen that writes into the book."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QHBoxLayout, QSizePolicy, QVBoxLayout

from olive_almanac.core.deciding.decision import aim_word
from olive_almanac.core.records.reading import VERDICT_WORDS
from olive_almanac.core.units import duration_text, number_text, percent_text, speed_in
from olive_almanac.steps.decide import DecidePresenter
from olive_almanac.steps.read import KEYS
from olive_almanac.views.coupon import VerdictKeyLine
from olive_almanac.views.decide.setting_map import LETTERS, SettingMapView, draw_badge
from olive_almanac.views.marks import Mark, round_pen
from olive_almanac.views.parts import (
    MIDDLE_LEFT,
    MIDDLE_RIGHT,
    Heading,
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
from olive_almanac.views.station_page import StationPage
from olive_almanac.views.theme import LIVE, C, F, close, px

HOUSE_MARGIN = 0.15
EDGE_WORDS = ("clean edge", "brown edge", "charred edge", "may flare")


class PickCard(QAbstractButton):
    """One way to set it: the numbers, the margin bar with the house rule, time and edge."""

    def __init__(self, letter: str, pick, task: str, unit: str) -> None:
        super().__init__()
        self.letter, self.pick, self.unit = letter, pick, unit
        self.name = aim_word(pick.aim, task)
        self.setCheckable(True)
        self.setMinimumHeight(px(close(112, 128)))
        self.setMaximumHeight(px(176))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        setting = pick.setting
        self.setText(self.name)
        self.setToolTip(pick.why)
        self.setAccessibleName(
            f"{letter}: {self.name}, {percent_text(setting.power)} %, {number_text(speed_in(setting.speed_mm_s, unit))} {unit}, "
            f"{setting.passes} passes, {100 * pick.probability:.0f} % sure"
        )

    def sizeHint(self) -> QSize:
        return QSize(px(340), px(132))

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.scale(LIVE.scale, LIVE.scale)
        w, h, on = self.width() / LIVE.scale, self.height() / LIVE.scale, self.isChecked()
        rect = QRectF(1.5, 1.5, w - 3, h - 3)
        painter.setPen(QPen(C("ink"), 2.4) if on else QPen(C("olive"), 2) if self.hasFocus() else QPen(C("edge"), 1))
        painter.setBrush(C("olive_wash") if on else C("wash") if self.underMouse() else C("page"))
        painter.drawRoundedRect(rect, 5, 5)
        if on and self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.drawRoundedRect(rect.adjusted(3, 3, -3, -3), 3, 3)
        left, inner = 16.0, w - 32
        draw_badge(painter, QRectF(left, 13, 26, 26), self.letter, on)
        painter.setFont(F("h2"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(left + 36, 12, inner, 28), MIDDLE_LEFT, self.name)
        painter.setFont(F("small_b" if on else "small"))
        painter.drawText(QRectF(left, 12, inner, 28), MIDDLE_RIGHT, "chosen" if on else self._sure())
        if on:
            tick = QPointF(left + inner - 60, 26)
            painter.setPen(round_pen(C("ink"), 2.2))
            painter.drawPolyline([tick + QPointF(-5, 0), tick + QPointF(-1, 4), tick + QPointF(6, -5)])
        self._paint_numbers(painter, left, max(63.0, h * 0.47 - 3))
        self._paint_foot(painter, left, inner, h)

    def _sure(self) -> str:
        chance = self.pick.probability
        return "over 99 % sure" if chance > 0.99 else f"{100 * chance:.0f} % sure"

    def _paint_numbers(self, painter, x: float, base: float) -> None:
        setting = self.pick.setting
        passes = "pass" if setting.passes == 1 else "passes"
        for number, unit in (
            (percent_text(setting.power), "%"),
            (number_text(speed_in(setting.speed_mm_s, self.unit)), self.unit),
            (str(setting.passes), passes),
        ):
            painter.setFont(F("card"))
            painter.setPen(C("ink"))
            painter.drawText(QPointF(x, base), number)
            x += QFontMetricsF(F("card")).horizontalAdvance(number) + 5
            painter.setFont(F("ui"))
            painter.setPen(C("ink2"))
            painter.drawText(QPointF(x, base), unit)
            x += QFontMetricsF(F("ui")).horizontalAdvance(unit) + 20

    def _paint_foot(self, painter, left: float, inner: float, h: float) -> None:
        margin, y = self.pick.margin, h - close(44, 50)
        known = self.pick.margins.speed is not None
        painter.setFont(F("ui_b"))
        painter.setPen(C("ink"))
        painter.drawText(QRectF(left, y - 7, 104, 20), MIDDLE_LEFT, f"Margin {100 * margin:.0f} %" if known else "Margin wide")
        bar, full = QRectF(left + 108, y, inner - 108, 9), 0.6
        painter.setPen(QPen(C("ink"), 1))
        painter.setBrush(C("page"))
        painter.drawRect(bar)
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * min(1.0, (margin if known else full) / full), 9), C("olive"))
        rule = bar.left() + bar.width() * HOUSE_MARGIN / full
        painter.setPen(QPen(C("ink"), 2))
        painter.drawLine(QPointF(rule, y - 4), QPointF(rule, y + 13))
        painter.setFont(F("ui"))
        painter.setPen(C("ink2"))
        foot = QRectF(left, h - close(30, 33), inner, 22)
        painter.drawText(foot, MIDDLE_LEFT, self._time())
        if self.pick.char is not None:
            painter.drawText(foot, MIDDLE_RIGHT, EDGE_WORDS[min(3, round(self.pick.char))])

    def _time(self) -> str:
        if self.pick.seconds_per_m is not None:
            return f"{duration_text(self.pick.seconds_per_m)} per metre"
        return f"{duration_text(self.pick.seconds_per_100cm2)} per 100 cm²" if self.pick.seconds_per_100cm2 is not None else ""


def limit_facts(pick) -> list[tuple[str, str]]:
    """Return how far each thing may drift alone, as name and value, only those that have a limit."""
    margins, facts = pick.margins, []
    if margins.power is not None:
        facts.append(("weaker beam", f"down to {percent_text(pick.setting.power * margins.power)} % power"))
    if margins.power_up is not None and pick.setting.power * margins.power_up <= 1:
        facts.append(("stronger beam", f"up to {percent_text(pick.setting.power * margins.power_up)} % power"))
    if margins.thickness_mm is not None:
        facts.append(("thicker stock", f"{number_text(margins.thickness_mm, 2)} mm more"))
    if margins.focus_up_mm is not None:
        facts.append(("focus too high", f"{number_text(margins.focus_up_mm, 2)} mm"))
    if margins.focus_down_mm is not None:
        facts.append(("focus too low", f"{number_text(margins.focus_down_mm, 2)} mm"))
    return facts


class DecidePage(StationPage):
    """Starts the work when the readings have changed and shows each result as it comes."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.presenter = DecidePresenter(self.session, self)
        self._worker = None
        self.title, self.held = label("", "h1"), label("", "ui", "second")
        self.map = SettingMapView()
        self.map.pick_clicked.connect(self.presenter.choose)
        self.key_holder = QVBoxLayout()
        self.key_line = VerdictKeyLine((), VERDICT_WORDS)
        self.says = label("", "ui", wrap=True)
        left = col(head(self.title, None, self.held), self.map, self.key_holder, gap=8)
        left.setStretch(1, 1)
        across = QHBoxLayout(self)
        page_margins(across)
        across.setSpacing(px(close(18, 24)))
        across.addLayout(left, 1)
        across.addWidget(self._build_right())

    def _build_right(self):
        self.ways, self.rules = label("", "h2"), label("", "small", "second")
        self.cards_holder = QVBoxLayout()
        self.cards_holder.setSpacing(px(close(7, 10)))
        self.cards: list[PickCard] = []
        self.limits = QVBoxLayout()
        self.limits.setSpacing(px(4))
        self.leaf = Mark("state", "trial", 26)
        self.note = label("Goes into the book as On trial. Three confirming burns make it Proven.", "ui", "second", wrap=True)
        self.write = button("Write into the book", "main", tip="Ctrl+Enter")
        self.write.clicked.connect(self.main_action)
        self.closer = button("Plan the next cells", tip="a coupon where the doubt is")
        self.closer.clicked.connect(self._plan_next)
        note = row(self.leaf, self.note, gap=10)
        note.setStretch(1, 1)
        right = col(
            head(self.ways, None, self.rules),
            self.says,
            self.cards_holder,
            self.limits,
            None,
            note,
            row(self.write, self.closer, gap=10),
            gap=close(7, 10),
        )
        holder = box(right)
        holder.setFixedWidth(px(close(336, 380)))
        return holder

    # -- state -------------------------------------------------------------------------------------------------------

    def enter(self) -> None:
        self._start()
        self.show_decision()
        self.setFocus()

    def leave(self) -> None:
        if self._worker is not None:
            self._worker.halt()
            self._worker = None

    def heard(self, what: str) -> None:
        if what in ("subject", "desk"):
            self._start()
            self.show_decision()

    def _start(self) -> None:
        work = self.presenter.work()
        if work is None:
            return
        if self._worker is not None:
            self._worker.requestInterruption()
            self._worker.item.disconnect()
        self._worker = self.main_window.work(work, self.presenter.take)

    def show_decision(self) -> None:
        desk, decision = self.session.desk, self.presenter.decision
        unit, task = self.session.preferences.speed_unit, self.session.subject.task
        name = f"{desk.trial.name[0].lower()}{desk.trial.name[1:]}" if desk else ""
        self.title.setText(f"Decide from {name}" if desk and desk.readings else "Decide")
        self._show_held(desk)
        note = "Nothing has been read yet for this stock." if not desk or not desk.readings else "Working it out …"
        self.map.show_map(desk, decision, self.presenter.map, self.presenter.chosen, unit, note)
        self._show_key(task, decision)
        self._show_cards(decision, task, unit)
        picked = bool(decision and decision.picks)
        self.says.setText("" if picked else note if decision is None else self._says(decision, unit))
        self.says.setVisible(not picked)
        self.write.setVisible(picked)
        self.leaf.setVisible(picked)
        self.note.setVisible(picked)
        self.closer.setVisible(bool(decision and decision.next_cells))
        self.closer.setProperty("kind", "" if picked else "main")
        self.closer.style().unpolish(self.closer)
        self.closer.style().polish(self.closer)
        self._show_limits(task)

    def _says(self, decision, unit: str) -> str:
        """What stands in the way of a pick, and the cells to burn next in the shop's unit."""
        cells = decision.next_cells
        if not cells:
            return decision.says
        speeds = sorted(speed_in(cell.speed_mm_s, unit) for cell in cells)
        span = number_text(speeds[0]) if speeds[0] == speeds[-1] else f"{number_text(speeds[0])} to {number_text(speeds[-1])}"
        powers = sorted({percent_text(cell.power) for cell in cells}, key=float)
        power = powers[0] if len(powers) == 1 else f"{powers[0]} to {powers[-1]}"
        return f"{decision.says}\n\nProposed: {span} {unit} at {power} %."

    def _show_limits(self, task: str) -> None:
        """What may drift, each alone, before the chosen pick fails: below the cards, where there is room."""
        clear_layout(self.limits)
        pick = self.presenter.pick
        if pick is None or close(True, False) or len(self.cards) > 2:
            return
        self.limits.addWidget(Heading("Alone, it stands" if task == "cut" else "Alone, the tone stands"))
        for name, value in limit_facts(pick):
            self.limits.addWidget(fact(name, value))
            self.limits.addWidget(hair())

    def _show_held(self, desk) -> None:
        if desk is None or not desk.readings or close(True, False):
            self.held.setText("")
            return
        setting = desk.trial.cells[0].setting
        passes = "one pass" if setting.passes == 1 else f"{setting.passes} passes"
        pitch = f", line pitch {number_text(setting.pitch_mm)} mm" if setting.pitch_mm else ""
        self.held.setText(f"{passes}, focus {number_text(setting.focus_mm)} mm, air {setting.air}{pitch}")

    def _show_key(self, task: str, decision) -> None:
        clear_layout(self.key_holder)
        self.key_line = VerdictKeyLine([verdict for _, verdict in KEYS[task]], VERDICT_WORDS)
        self.key_line.setFixedHeight(px(24))
        if decision is not None and decision.edge_doubt is not None and not close(True, False):
            self.key_line.show_remark(f"known to ± {max(1, round(100 * decision.edge_doubt))} % from {decision.cells_read} cells")
        self.key_holder.addWidget(self.key_line)

    def _show_cards(self, decision, task: str, unit: str) -> None:
        picks = decision.picks if decision else ()
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
        count = {0: "No way to set it yet", 1: "One way to set it", 2: "Two ways to set it", 3: "Three ways to set it"}[len(picks)]
        self.ways.setText(count if decision else "Ways to set it")
        self.rules.setText(f"{100 * decision.target:g} % or better" if decision and picks else "")

    # -- keys --------------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event) -> None:
        text, key = event.text().upper(), event.key()
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier) or not self.cards:
            super().keyPressEvent(event)
        elif text and text in LETTERS:
            self.presenter.choose(LETTERS.index(text))
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.presenter.choose((self.presenter.chosen + (1 if key == Qt.Key.Key_Down else -1)) % len(self.cards))
        else:
            super().keyPressEvent(event)

    def main_action(self) -> None:
        if self.presenter.pick is not None:
            if self.presenter.write_entry() is not None:
                self.main_window.go("Book")
        elif self.presenter.decision is not None and self.presenter.decision.next_cells:
            self._plan_next()

    def _plan_next(self) -> None:
        decision = self.presenter.decision
        if decision is not None and decision.next_cells:
            self.main_window.go("Plan")
            self.main_window.page("Plan").plan_next(decision.next_cells)

    def copy_numbers(self) -> None:
        from PySide6.QtGui import QGuiApplication

        pick, unit = self.presenter.pick, self.session.preferences.speed_unit
        if pick is not None:
            setting = pick.setting
            QGuiApplication.clipboard().setText(
                f"{percent_text(setting.power)} %, {number_text(speed_in(setting.speed_mm_s, unit))} {unit}, "
                f"{setting.passes} passes"
            )

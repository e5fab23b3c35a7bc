"""Shared small parts: labels by role, rules, word pickers, buttons with key caps, fields, scrolling
pages.
"""

from __future__ import annotations

import html
from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import (
    QEvent,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QPointF,
    QRectF,
    QRegularExpression,
    QSize,
    QSortFilterProxyModel,
    QStringListModel,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QFontMetricsF,
    QIcon,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPixmapCache,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QBoxLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QListView,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import delete

from olive_almanac.core.units import lengths_shown, lengths_typed
from olive_almanac.core.words import spoken, tr
from olive_almanac.views.marks import round_pen
from olive_almanac.views.theme import NO_BRUSH, NO_PEN, C, F, Painted, compact, px, scaled_font

MIDDLE_LEFT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
MIDDLE_RIGHT = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
CHOOSE = tr("choose")
CENTRE = Qt.AlignmentFlag.AlignCenter
ARROWS = {  # along and up
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


def arrow_step(event: QKeyEvent) -> tuple[float, float] | None:
    """How far an arrow key moves a thing along and up: 1, with Shift 10; None for another key."""
    if event.key() not in ARROWS:
        return None
    along, up = ARROWS[Qt.Key(event.key())]
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        return 10.0 * along, 10.0 * up
    return 1.0 * along, 1.0 * up


def label(
    text: str, role: str = "ui", tone: str = "", *, wrap: bool = False, size: int | None = None
) -> QLabel:
    made = QLabel(text)
    made.setFont(scaled_font(role, size))
    made.setTextFormat(Qt.TextFormat.PlainText)
    if tone:
        made.setProperty("tone", tone)
    if wrap:
        made.setWordWrap(True)
    return made


def tip_text(words: str) -> str:
    """Return words for a tool tip, which would take a name with signs of a page for one."""
    words = words.replace("Ctrl+", tr("Ctrl+")).replace("+Shift+", "+" + tr("Shift+"))
    words = words.replace("+Enter", "+" + tr("Enter"))
    if "<" in words:
        return f"<span>{html.escape(words)}</span>".replace("\n", "<br>")
    return words


def hair(kind: str = "hair") -> QFrame:
    """A rule: "hair" (1 px), "bold" (2 px ink), "vhair" (1 px upright)."""
    frame = QFrame()
    frame.setObjectName(kind)
    if kind == "vhair":
        frame.setFixedWidth(1)
    else:
        if kind == "hair":
            frame.setFixedHeight(1)
        else:
            frame.setFixedHeight(px(2))
    return frame


def _fill(layout: QBoxLayout, items: Any) -> None:
    for item in items:
        if item is None:
            layout.addStretch(1)
        elif isinstance(item, int):
            layout.addSpacing(px(item))
        elif isinstance(item, QLayout):
            layout.addLayout(item)
        else:
            layout.addWidget(item)


def row(*items: Any, gap: int = 8) -> QHBoxLayout:
    """Widgets and layouts side by side; None stretches, an int is a gap in px."""
    layout = QHBoxLayout()
    layout.setSpacing(px(gap))
    layout.setContentsMargins(0, 0, 0, 0)
    _fill(layout, items)
    return layout


def col(
    *items: Any, gap: int = 8, margins: tuple[int, int, int, int] = (0, 0, 0, 0)
) -> QVBoxLayout:
    layout = QVBoxLayout()
    layout.setSpacing(px(gap))
    layout.setContentsMargins(*(px(m) for m in margins))
    _fill(layout, items)
    return layout


def box(layout: QBoxLayout) -> QWidget:
    widget = QWidget()
    widget.setLayout(layout)
    return widget


def button(text: str, kind: str = "", *, shortcut: str = "", tip: str = "") -> QPushButton:
    made = QPushButton(text)
    made.setFont(scaled_font("ui_b"))
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    if kind:
        made.setProperty("kind", kind)
    if shortcut:
        made.setShortcut(shortcut)
        tip = f"{tip}  ({shortcut})".strip()
    made.setToolTip(tip_text(tip))
    made.setAccessibleDescription(tip_text(tip))
    return made


def mark_as_menu(made: QPushButton) -> None:
    """Draw the small triangle of a list behind a button's word: it opens a menu."""
    picture = _triangle()
    made.setIcon(QIcon(picture))
    made.setIconSize(picture.size())
    made.setLayoutDirection(Qt.LayoutDirection.RightToLeft)


def _triangle() -> QPixmap:
    """The same picture each time: Qt keeps what it makes of every other one, up to 10 MB."""
    side, colour = px(10), C("olive")
    key, picture = f"triangle {side} {px(4)} {colour.name()}", QPixmap()
    if QPixmapCache.find(key, picture):
        return picture
    picture = QPixmap(side + px(4), side)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    path = QPainterPath(QPointF(px(4), 0.3 * side))
    path.lineTo(px(4) + side, 0.3 * side)
    path.lineTo(px(4) + side / 2, 0.9 * side)
    painter.fillPath(path, colour)
    painter.end()
    QPixmapCache.insert(key, picture)
    return picture


def set_kind(made: QPushButton, kind: str) -> None:
    """Give a button another kind; nothing happens where it has it already, since a new look costs
    time.
    """
    if made.property("kind") != kind:
        made.setProperty("kind", kind)
        made.style().unpolish(made)
        made.style().polish(made)


class Refilled(QVBoxLayout):
    """A column that is cleared and filled again and again."""

    def addLayout(self, inner: QLayout, stretch: int | None = 0) -> None:
        # Qt's binding keeps what an added layout holds as long as the one that it is added to
        holder = QHBoxLayout()
        super().addLayout(holder, stretch or 0)
        holder.addLayout(inner)


def clear_layout(layout: QLayout) -> None:
    """Take everything out of a layout and delete it.

    An item that was taken belongs to nobody: the binding leaves it, 48 to 96 bytes, for ever.  An
    inner layout is its own item, and goes with the last who knows it.
    """
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            return
        widget, inner = item.widget(), item.layout()
        if inner is not None:
            clear_layout(inner)
            continue
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        delete(item)


def _called(topic: str) -> str:
    """What a topic of the guide is called, in the language of the words."""
    if spoken() == "en":
        return topic.partition("/")[2] or topic.replace("_", " ")
    from olive_almanac.steps.guide import topic_words  # reads the guide: not at an English start

    return topic_words(topic)


class HelpKey(QAbstractButton):
    """A small question mark that opens a page of the guide: "page", or "page/heading"."""

    SIDE = 24

    def __init__(self, topic: str) -> None:
        super().__init__()
        self.topic = topic
        self.setFixedSize(px(self.SIDE), px(self.SIDE))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        words = _called(topic)
        self.setAccessibleName(tr("Help: {words}", words=words))
        self.setToolTip(tip_text(tr("help on this: {words}", words=words)))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.clicked.connect(self._ask)

    def _ask(self) -> None:
        holder: Any = self.parent()
        while holder is not None and not hasattr(holder, "show_help"):
            holder = holder.parent()
        if holder is not None:
            holder.show_help(self.topic)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        lit = self.underMouse() or self.hasFocus()
        painter.setPen(QPen(C("olive_deep" if lit else "edge"), 1.6 if self.hasFocus() else 1.1))
        painter.setBrush(C("olive_wash") if lit else NO_BRUSH)
        room = self.rect().toRectF().adjusted(1.5, 1.5, -1.5, -1.5)
        painter.drawEllipse(room)
        painter.setPen(C("ink2"))
        painter.setFont(scaled_font("small_b"))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, "?")


class Heading(QWidget):
    """Section heading with a hairline running out to the margin, and a question mark where the
    guide has a page on it.
    """

    def __init__(self, text: str, topic: str = "") -> None:
        super().__init__()
        self.title = label(text, "h3")
        layout = row(self.title, gap=10)
        line = hair()
        layout.addWidget(line, 1, Qt.AlignmentFlag.AlignVCenter)
        if topic:
            layout.addWidget(HelpKey(topic))
        self.setLayout(layout)


def head(*items: Any, gap: int = 10, topic: str = "") -> QVBoxLayout:
    """Column head: fixed height so that the heavy rules of neighbouring columns line up; a question
    mark opens the topic's page of the guide.
    """
    shown = [*items, HelpKey(topic)] if topic else items
    top = box(row(*shown, gap=gap))
    top.setFixedHeight(px(40))
    return col(top, hair("bold"), gap=6)


class BigKey(QPushButton):
    """A key for a gloved finger, 88 px high."""

    def __init__(self, text: str, kind: str = "") -> None:
        super().__init__(text)
        self.setFont(scaled_font("h2"))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        if kind:
            self.setProperty("kind", kind)
        self.setFixedHeight(px(compact(76, 88)))

    def sizeHint(self) -> QSize:
        return QSize(px(150), px(88))


class Page(QWidget):
    """A plain page of the book."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)


class Word(Painted):
    """Plain word of a sentence; shares its baseline with WordPicker."""

    def __init__(self, text: str, role: str = "sent", size: int | None = None) -> None:
        super().__init__()
        self.text, self._font = text, (role, size)
        self.setAccessibleName(text.strip())
        self.setFixedSize(px(QFontMetricsF(F(role, size)).horizontalAdvance(text) + 1), px(40))

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        font = F(*self._font)
        painter.setFont(font)
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(0, height / 2 + QFontMetricsF(font).capHeight() / 2), self.text)


class WordPicker(QAbstractButton):
    """A word of a sentence that opens a filtered list: underlined, with a small triangle.

    Signals:
        picked(str): the key of the choice.
        extra_chosen(): the list's last line, such as "Add a machine", was chosen.
    """

    picked = Signal(str)
    extra_chosen = Signal()

    def __init__(self, role: str = "sent_b", size: int | None = None, name: str = "") -> None:
        super().__init__()
        self._font = (role, size)
        self.choices: list[tuple[str, str]] = []
        self.key = ""
        self.extra = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(name)
        self._name = name
        self.clicked.connect(self.open_list)

    def set_choices(
        self, choices: Any, key: str, *, none_text: str = CHOOSE, extra: str = ""
    ) -> None:
        self.choices, self.key, self.extra = list(choices), key, extra
        self.setText(dict(self.choices).get(key, none_text))
        self.setAccessibleDescription(self.text())
        self.updateGeometry()
        self.update()

    def show_key(self, key: str) -> None:
        """Show another of the choices."""
        self.set_choices(self.choices, key, extra=self.extra)

    def sizeHint(self) -> QSize:
        width = QFontMetricsF(F(*self._font)).horizontalAdvance(self.text())
        return QSize(px(width + 22), px(40))

    def minimumSizeHint(self) -> QSize:
        return QSize(px(56), px(40))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        w, h = self.width() / scale, self.height() / scale
        font = F(*self._font)
        metrics = QFontMetricsF(font)
        base = h / 2 + metrics.capHeight() / 2
        text = metrics.elidedText(self.text(), Qt.TextElideMode.ElideRight, w - 20)
        painter.setFont(font)
        painter.setPen(C("ink"))
        painter.drawText(QPointF(1, base), text)
        end = min(w - 2, metrics.horizontalAdvance(text) + 20)
        painter.fillRect(QRectF(0, base + 6, end, 2), C("olive"))
        path = QPainterPath(QPointF(end - 12, base - 8))
        path.lineTo(end - 2, base - 8)
        path.lineTo(end - 7, base - 2)
        painter.fillPath(path, C("olive"))
        if self.hasFocus() or self.underMouse():
            painter.setPen(QPen(C("olive"), 2 if self.hasFocus() else 1))
            painter.setBrush(NO_BRUSH)
            painter.drawRoundedRect(QRectF(-1, base - 22, end + 2, 32).adjusted(2, 1, -1, -1), 4, 4)

    def open_list(self) -> None:
        popup = FilterPopup(self, self.choices, self.key, self.extra, self._name)
        popup.picked.connect(self.picked)
        popup.extra_chosen.connect(self.extra_chosen)
        popup.open_below(self)


def own_picker(name: str, choices: Mapping[str, str], key: str) -> WordPicker:
    """Return a word picker that shows by itself what was picked."""
    picker = WordPicker("ui_b", name=name)
    picker.set_choices(choices.items(), key)
    picker.picked.connect(picker.show_key)
    return picker


class ListLine(QAbstractButton):
    """A line of a list, taken in hand by a click or a key; `draw` draws what stands in it."""

    def __init__(self, *, held: bool) -> None:
        super().__init__()
        self.held = held
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def hold(self, held: bool) -> None:
        """Take it in hand, or leave it."""
        self.held = held
        self.update()

    def draw(self, painter: QPainter, w: float, h: float) -> None:
        """Draw the line's own words in so many logical pixels."""
        raise NotImplementedError

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        w, h = self.width() / scale, self.height() / scale
        if self.held:
            painter.fillRect(QRectF(0, 0, w, h - 1), C("brass_wash"))
        elif self.underMouse() or self.hasFocus():
            painter.fillRect(QRectF(0, 0, w, h - 1), C("wash"))
        painter.fillRect(QRectF(0, h - 1, w, 1), C("rule"))
        self.draw(painter, w, h)
        if self.hasFocus():
            painter.setPen(QPen(C("olive"), 2))
            painter.setBrush(NO_BRUSH)
            painter.drawRect(QRectF(1, 1, w - 2, h - 3))


class FilterPopup(QFrame):
    """A list that filters as you type; arrows move, Enter takes, Escape leaves.

    An extra line, such as "Add a machine", always stays.

    Signals:
        picked(str): the key of the line taken.
        extra_chosen(): the extra line was taken.
    """

    picked = Signal(str)
    extra_chosen = Signal()

    def __init__(self, parent: QWidget, choices: Any, key: str, extra: str, name: str) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._keys = {text: choice for choice, text in choices}
        self._extra = extra
        self.filter = QLineEdit()
        self.filter.setFont(scaled_font("ui"))
        self.filter.setPlaceholderText(tr("Type to filter"))
        self.filter.setAccessibleName(tr("Filter {name}", name=name).strip())
        self._proxy = QSortFilterProxyModel(self)
        self._proxy.setSourceModel(
            QStringListModel([text for _, text in choices] + ([extra] if extra else []), self)
        )
        self.list = QListView()
        self.list.setModel(self._proxy)
        self.list.setFont(scaled_font("ui"))
        self.list.setAccessibleName(name)
        self.list.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        self.nothing = label(tr("Nothing has these letters."), "small", "second")
        self.nothing.setContentsMargins(px(10), px(8), px(10), px(8))
        self.nothing.hide()
        layout = col(self.filter, self.nothing, self.list, gap=0)
        self.setLayout(layout)
        self.filter.textChanged.connect(self._narrow)
        self.filter.installEventFilter(self)
        self.list.clicked.connect(self._take)
        at = next((i for i, (choice, _) in enumerate(choices) if choice == key), 0)
        self.list.setCurrentIndex(self._proxy.index(at, 0))

    def open_below(self, anchor: QWidget) -> None:
        metrics = QFontMetricsF(self.list.font())
        widest = max(
            metrics.horizontalAdvance(text)
            for text in (*self._keys, self._extra, self.filter.placeholderText())
        )
        lines = min(9, len(self._keys) + bool(self._extra))
        self.resize(max(anchor.width(), round(widest) + px(60)), px(46 + 38 * lines))
        self.move(anchor.mapToGlobal(anchor.rect().bottomLeft()))
        self.show()
        self.filter.setFocus()

    def _narrow(self, text: str) -> None:
        always = ""
        if self._extra:
            always = f"|^{QRegularExpression.escape(self._extra)}$"
        pattern = QRegularExpression(QRegularExpression.escape(text) + always)
        pattern.setPatternOptions(QRegularExpression.PatternOption.CaseInsensitiveOption)
        self._proxy.setFilterRegularExpression(pattern)
        self.nothing.setVisible(not self._proxy.rowCount())
        self.list.setCurrentIndex(self._proxy.index(self._nearest(text.casefold()), 0))

    def _nearest(self, typed: str) -> int:
        """The row that begins with what was typed, else one of whose words does, else the first."""
        rows = range(self._proxy.rowCount())
        texts = [str(self._proxy.index(row, 0).data()).casefold() for row in rows]
        begins = [row for row in rows if texts[row].startswith(typed)]
        within = [row for row in rows if f" {typed}" in texts[row]]
        return next(iter([*begins, *within, 0]))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress:
            key = event.key()
            if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                if key == Qt.Key.Key_Down:
                    step = 1
                else:
                    step = -1
                at = min(max(self.list.currentIndex().row() + step, 0), self._proxy.rowCount() - 1)
                self.list.setCurrentIndex(self._proxy.index(at, 0))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.list.currentIndex())
                return True
        return super().eventFilter(watched, event)

    def _take(self, index: QModelIndex | QPersistentModelIndex) -> None:
        text = None
        if index.isValid():
            text = index.data()
        self.close()
        if text is not None and text == self._extra:
            self.extra_chosen.emit()
        elif text in self._keys:
            self.picked.emit(self._keys[text])


def draw_keycap(painter: QPainter, rect: QRectF, text: str) -> None:
    painter.save()
    painter.setPen(QPen(C("ink"), 1.2))
    painter.setBrush(C("page"))
    painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
    painter.fillRect(QRectF(rect.left() + 2, rect.bottom() - 2.6, rect.width() - 4, 1.4), C("ink"))
    painter.setFont(F("cap"))
    painter.setPen(C("ink"))
    painter.drawText(rect.adjusted(0, -1, 0, -1), CENTRE, text)
    painter.restore()


def keycap_width(text: str) -> float:
    return max(22.0, QFontMetricsF(F("cap")).horizontalAdvance(text) + 12)


class SearchField(QLineEdit):
    """A field with a glass at its left and a key cap at its right."""

    def __init__(self, hint: str, keys: str = "") -> None:
        super().__init__()
        self.keys = keys
        self.setFont(scaled_font("ui"))
        self.setPlaceholderText(hint)
        self.setAccessibleName(hint)
        self.setTextMargins(px(24), 0, 0, 0)
        self.setFixedHeight(px(38))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        w, middle = self.width() / scale, self.height() / scale / 2
        painter.setPen(round_pen(C("ink2"), 1.8))
        painter.drawEllipse(QPointF(16, middle - 1.5), 5, 5)
        painter.drawLine(QPointF(19.8, middle + 2.3), QPointF(24, middle + 6.5))
        if self.keys and not self.text() and w > 150:
            width = keycap_width(self.keys)
            draw_keycap(painter, QRectF(w - width - 8, middle - 11, width, 22), self.keys)


class Segments(QWidget):
    """Two or three words, one of them chosen; arrows move while it has the focus.

    Signals:
        chosen(int): the index of the word chosen.
    """

    chosen = Signal(int)

    def __init__(self, words: Any, at: int = 0, name: str = "") -> None:
        super().__init__()
        self.words, self.at = list(words), at
        metrics = QFontMetricsF(F("small_b"))
        self._widths = [round(metrics.horizontalAdvance(word) + 22) for word in self.words]
        self.setFixedSize(px(sum(self._widths) + 2), px(34))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setAccessibleDescription(self.words[at])

    def set_at(self, at: int) -> None:
        """Choose a word without telling; -1: none of them."""
        self.at = at
        if at >= 0:
            self.setAccessibleDescription(self.words[at])
        else:
            self.setAccessibleDescription("")
        self.update()

    def set_word(self, at: int, word: str) -> None:
        """Give a segment another word; the whole widens with it."""
        if self.words[at] == word:
            return
        self.words[at] = word
        self._widths[at] = round(QFontMetricsF(F("small_b")).horizontalAdvance(word) + 22)
        self.setFixedSize(px(sum(self._widths) + 2), px(34))
        self.update()

    def _choose(self, at: int) -> None:
        if 0 <= at < len(self.words) and at != self.at:
            self.set_at(at)
            self.chosen.emit(at)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        x, edge = event.position().x() * 100 / px(100), 1.0
        for i, width in enumerate(self._widths):
            edge += width
            if x < edge:
                self._choose(i)
                return

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Space: 1}.get(event.key())
        if step is None:
            super().keyPressEvent(event)
        else:
            self._choose((self.at + step) % len(self.words))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        scale = px(100) / 100
        painter.scale(scale, scale)
        w, h, x = self.width() / scale, self.height() / scale, 1.0
        painter.setPen(
            QPen(C("olive") if self.hasFocus() else C("edge"), 2 if self.hasFocus() else 1)
        )
        painter.setBrush(C("field"))
        painter.drawRoundedRect(QRectF(1, 1, w - 2, h - 2), 4, 4)
        for i, word in enumerate(self.words):
            rect = QRectF(x, 1, self._widths[i], h - 2)
            if i == self.at:
                painter.setPen(NO_PEN)
                painter.setBrush(C("olive"))
                painter.drawRoundedRect(rect.adjusted(2, 2, -2, -2), 3, 3)
            if i == self.at:
                painter.setPen(C("on_olive"))
            else:
                painter.setPen(C("ink2"))
            painter.setFont(F("small_b" if i == self.at else "small"))
            painter.drawText(rect, CENTRE, word)
            x += self._widths[i]


class TextField(QLineEdit):
    """A field whose text is in the program's own units: where lengths stand in it (one, or
    several), it shows and takes the shop's unit, and is given and gives millimetres.

    Signals:
        edited(str): the text after each key of the operator.
    """

    edited = Signal(str)

    def __init__(self, text: str = "", *, lengths: str = "") -> None:
        super().__init__()
        self._lengths, self._given, self._shown = lengths, "", ""
        self.textEdited.connect(lambda _: self.edited.emit(self.text()))
        self.setText(text)

    def set_lengths(self, lengths: str) -> None:
        """Whether "one" or "several" lengths stand in it, or something else ("")."""
        self._lengths = lengths

    def setText(self, text: str | None) -> None:
        self._given = self._shown = text or ""
        if self._lengths:
            self._shown = lengths_shown(self._given, several=self._lengths == "several")
        super().setText(self._shown)

    def text(self) -> str:
        typed = super().text()
        if not self._lengths:
            return typed
        if typed == self._shown:
            return self._given  # not one digit is lost on the way through inches
        return lengths_typed(typed, several=self._lengths == "several")

    def typed(self) -> str:
        """Return the text as it stands in the field."""
        return super().text()

    def type(self, text: str) -> None:
        """Put a text into the field as the operator would type it."""
        super().setText(text)


class Number(TextField):
    """A short field in a sentence: a number that is typed, never changed by the wheel.

    Up and Down step the last digit; the text is judged by the presenter, not here.
    """

    def __init__(
        self, name: str, width: int = 58, *, grows: bool = True, lengths: str = ""
    ) -> None:
        super().__init__(lengths=lengths)
        self.setFont(scaled_font("field"))
        if grows:
            self.setAlignment(CENTRE)
        else:
            self.setAlignment(MIDDLE_LEFT)
        self._least = px(width)
        self.setFixedSize(self._least, px(38))
        self.setAccessibleName(name)
        self.setAccessibleDescription(tr("up and down step its last digit"))
        if grows:
            self.textChanged.connect(self._make_room)
        else:
            self.textChanged.connect(
                lambda _: self.hasFocus() or self.setCursorPosition(0)
            )  # show where it begins

    def _make_room(self, text: str) -> None:
        """A long number widens its field: a clipped digit would be misread."""
        self.setFixedWidth(max(self._least, self.fontMetrics().horizontalAdvance(text) + px(24)))

    def set_bad(self, bad: bool) -> None:
        if bool(self.property("bad")) != bad:
            self.setProperty("bad", bad)
            self.style().unpolish(self)
            self.style().polish(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(event.key())
        text = self.typed().replace("−", "-").replace(",", ".")
        if step is None or not text:
            super().keyPressEvent(event)
            return
        try:
            decimals = len(text.partition(".")[2])
            self.type(f"{float(text) + step * 10**-decimals:.{decimals}f}".replace("-", "−"))
        except ValueError:
            super().keyPressEvent(event)
            return
        self.textEdited.emit(self.typed())


class Figure(Painted):
    """A label, a number with its unit on the same baseline, and a second unit small below."""

    def __init__(self, name: str, role: str = "honour") -> None:
        super().__init__()
        self.name, self.role = name, role
        self.number = self.unit = self.below = ""
        self.setFixedHeight(px(104 if role == "honour" else 70))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_number(self, number: str, unit: str = "", below: str = "") -> None:
        self.number, self.unit, self.below = number, unit, below
        self.setAccessibleName(f"{self.name} {number} {unit}".strip())
        self.update()

    def paint(self, painter: QPainter, width: float, height: float) -> None:
        big = self.role == "honour"
        painter.setFont(F("ui_b" if big else "small_b"))
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(0, 16), self.name)
        font = F(self.role)
        unit_font = F("num3" if big else "ui")
        unit_width = QFontMetricsF(unit_font).horizontalAdvance(self.unit) + 8
        while (
            QFontMetricsF(font).horizontalAdvance(self.number) + unit_width > width
            and font.pixelSize() > 16
        ):
            font.setPixelSize(font.pixelSize() - 2)
        metrics = QFontMetricsF(font)
        base = 18 + QFontMetricsF(F(self.role)).capHeight() + (14 if big else 9)
        painter.setFont(font)
        painter.setPen(C("ink"))
        painter.drawText(QPointF(-1, base), self.number)
        painter.setFont(unit_font)
        if big:
            painter.setPen(C("ink"))
        else:
            painter.setPen(C("ink2"))
        painter.drawText(
            QPointF(metrics.horizontalAdvance(self.number) + (7 if big else 5), base), self.unit
        )
        painter.setFont(F("ui" if big else "small"))
        painter.setPen(C("ink2"))
        painter.drawText(QPointF(0, base + (24 if big else 20)), self.below)


def fact(name: str, value: str) -> QWidget:
    """A small line: name at the left, value at the right."""
    return box(row(label(name, "small", "second"), None, label(value, "small_b"), gap=6))


def scrolling(widget: QWidget, least: tuple[int, int]) -> QScrollArea:
    """Wrap a page so that it scrolls only when the window is smaller than `least` (logical px)."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    scroll_in(area, widget, least)
    return area


def scroll_in(area: QScrollArea, widget: QWidget, least: tuple[int, int]) -> None:
    """Put a page into a scroll area, from its top on."""
    widget.setMinimumSize(px(least[0]), px(least[1]))
    area.setWidget(widget)
    area.verticalScrollBar().setValue(0)


def page_margins(layout: QLayout, *, left: int | None = None, right: int | None = None) -> None:
    """The usual padding of a page, narrower in the close setting."""
    side = compact(16, 22)
    layout.setContentsMargins(
        px(side if left is None else left),
        px(compact(8, 14)),
        px(side if right is None else right),
        px(12),
    )
    layout.setSpacing(0)

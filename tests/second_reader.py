"""A second reader of G-code, which shares no code with the writer or with the product's checker.

It follows a program word by word as the standard (RS-274, ISO 6983) has it, knows the few words
that a burn file needs, and calls anything else a fault.
"""

import math
import re

ODD_SIGNS = re.compile(r"[^ -~]|[!?~]")
COMMENTS = re.compile(r"\([^)]*\)?|\)")  # also one that is never closed
SLACK_MM = 0.02
FEEDS = {0: "rapid", 1: "line"}


class SecondReader:
    """Where the beam is and what it does; `faults` are what must never be in a burn file."""

    def __init__(self, *, bed_mm, area_mm, most_mm_s, scale, keep_out_mm=()):
        self.bed_mm, self.most_mm_s, self.scale = bed_mm, most_mm_s, scale
        left, low, width, height = area_mm
        self.area_mm = (left, low, left + width, low + height)
        self.keep_out_mm = [(x, y, x + w, y + h) for x, y, w, h in keep_out_mm]
        self.at, self.known = [0.0, 0.0], [False, False]
        self.motion, self.mm, self.absolute, self.by_minute = None, None, None, None
        self.beam, self.power, self.feed, self.ended = "off", 0.0, 0.0, False
        self.burns, self.faults = [], []

    def read(self, text):
        """Follow a whole program; return its faults."""
        for number, line in enumerate(text.splitlines(), 1):
            self._line(number, line)
        if not self.ended:
            self.faults.append("it does not end")
        if self.beam != "off":
            self.faults.append("the beam is on at the end")
        return self.faults

    def _line(self, number, line):
        words = self._words(number, line)
        if words and self.ended:
            self.faults.append(f"line {number}: goes on after its end")
        moves, target, dwell, lifts = False, list(self.at), False, False
        came_from_known = all(self.known)
        for letter, value in words:
            if letter in "XY":
                axis = "XY".index(letter)
                if self.absolute is not True or self.mm is None:
                    self.faults.append(f"line {number}: moves before its units are known")
                target[axis], self.known[axis], moves = value * (self.mm or 1), True, True
            elif letter == "S":
                self.power = value
            elif letter == "F":
                self.feed = value * (self.mm or 1) / 60
            elif letter == "Z":
                lifts = True
            elif letter == "P":
                pass
            elif letter == "G":
                dwell |= value == 4
                self._prepares(number, value)
            elif letter == "M":
                self._switches(number, value)
            else:
                self.faults.append(f"line {number}: the word {letter}{value:g}")
        if not 0 <= self.power <= self.scale * (1 + 1e-9):
            self.faults.append(f"line {number}: power {self.power:g} of {self.scale:g}")
        if dwell and self.beam == "M3" and self.power > 0:
            self.faults.append(f"line {number}: waits with the beam on")
        if lifts and not moves and self.beam == "M3" and self.power > 0:
            self.faults.append(f"line {number}: lifts with the beam on")
        if moves:
            self._moves(number, target, came_from_known)

    def _words(self, number, line):
        for sign in ODD_SIGNS.findall(line):
            self.faults.append(f"line {number}: the sign {ord(sign)}")
        words = []
        for word in COMMENTS.sub("", line).split():
            try:
                value = float(word[1:])
            except ValueError:
                value = math.nan
            if not (word[0].isalpha() and math.isfinite(value)):
                self.faults.append(f"line {number}: “{word}”")
            else:
                words.append((word[0], value))
        return words

    def _prepares(self, number, value):
        if value in FEEDS:
            self.motion = FEEDS[value]
        elif value in (20, 21):
            self.mm = {20: 25.4, 21: 1.0}[value]
        elif value == 90:
            self.absolute = True
        elif value == 94:
            self.by_minute = True
        elif value not in (4, 17):
            self.faults.append(f"line {number}: G{value:g}")

    def _switches(self, number, value):
        if value in (3, 4):
            self.beam = f"M{value:g}"
        elif value == 5:
            self.beam = "off"
        elif value in (2, 30):
            self.ended = True
        elif value not in (7, 8, 9):
            self.faults.append(f"line {number}: M{value:g}")

    def _moves(self, number, target, came_from_known):
        burns = self.beam != "off" and self.power > 0
        if burns and (self.motion != "line" or not came_from_known):
            self.faults.append(f"line {number}: burns in a rapid move or from an unknown place")
        if self.motion == "line" and not (self.by_minute and self.feed > 0):
            self.faults.append(f"line {number}: moves without a speed")
        if self.motion == "line" and self.feed > self.most_mm_s * 1.0005:
            self.faults.append(f"line {number}: {self.feed:g} mm/s")
        if not self._inside(target, (0, 0, *self.bed_mm)):
            self.faults.append(f"line {number}: leaves the bed at {target}")
        if burns:
            if math.dist(self.at, target) < 1e-6:
                self.faults.append(f"line {number}: burns on the spot")
            for place in (self.at, target):
                if not self._inside(place, self.area_mm):
                    self.faults.append(f"line {number}: burns outside the coupon at {place}")
            self.burns.append((tuple(self.at), tuple(target), self.power / self.scale, self.feed))
        for box in self.keep_out_mm:
            if came_from_known and self._crosses(self.at, target, box):
                self.faults.append(f"line {number}: runs into a clamp")
        self.at = target

    @staticmethod
    def _inside(place, box):
        return all(box[i] - SLACK_MM <= place[i] <= box[i + 2] + SLACK_MM for i in (0, 1))

    @staticmethod
    def _crosses(start, end, box):
        """Whether a straight move passes the inside of a box."""
        first, last = 0.0, 1.0
        for axis in (0, 1):
            run = end[axis] - start[axis]
            low = box[axis] + SLACK_MM - start[axis]
            high = box[axis + 2] - SLACK_MM - start[axis]
            if abs(run) < 1e-12:
                if not low <= 0 <= high:
                    return False
                continue
            near, far = sorted((low / run, high / run))
            first, last = max(first, near), min(last, far)
        return first < last


def faults_of(text, limits):
    """Return what a second reader finds wrong with a burn file within some limits."""
    reader = SecondReader(
        bed_mm=limits.bed_mm,
        area_mm=limits.area_mm,
        most_mm_s=limits.max_speed_mm_s,
        scale=limits.power_scale,
        keep_out_mm=limits.clamps_mm,
    )
    return reader.read(text)

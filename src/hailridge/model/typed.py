"""Reading what is typed for a number: units, percent of the present value, groups of digits, small sums. The page reads likewise (ui/typed.ts);
both pass tests/samples/typed_numbers.json."""

from __future__ import annotations

import re
from dataclasses import dataclass
from math import inf, isfinite, isinf

from hailridge.model.units import MEASURES, Measure

BARE = Measure("a bare number", {})
NOTHING = "percent are of what is there, and that is 0"
SPACES = " \t\u202f\u00a0"

_RELATIVE = re.compile(r"^([+-])\s*([\d.,]+)\s*%$")
_NUMBER = re.compile(r"(\d[\d.,]*(?:[\s\u202f\u00a0'’]\d{3}(?!\d))*(?:[.,]\d+)?|[.,]\d+)(?:e[+-]?\d+)?", re.IGNORECASE)
_SUFFIX = re.compile(
    r"(%|°(?:/[sf]²?2?)?|1?/[a-zµ]+²?2?|[a-zµ×°]+(?:/[a-z]+²?2?)?(?: a (?:second|frame|metre)| second| frame)?)", re.IGNORECASE
)  # fmt: skip


_TIMES = re.compile(r"×[\s\u202f\u00a0]*[\d(.]")


class Unreadable(ValueError):
    """What was typed is no number that could stand there; the message says why, in words."""


@dataclass(frozen=True)
class Reading:
    """What is known of the place that a number is typed into."""

    unit: str | None = None
    frames_per_second: float = 24.0
    present: float | None = None
    """What is there now: percent are of it, and so is a factor with nothing before it."""
    base: float | None = None
    """What percent are of, where that is something else than the present value."""
    share: bool = False
    """Whether it is a part of a whole, from 0 to 1: percent are of that."""


def typed(text: str, reading: Reading) -> float:
    """The number that `text` stands for, in the unit that is meant there. Raises `Unreadable`."""
    clean = text.strip().replace("−", "-").replace("–", "-").replace("·", "*").replace("⋅", "*")
    if not clean:
        raise Unreadable("a number is wanted here")
    value = _Reader(clean, reading).whole()
    if not isfinite(value):
        raise Unreadable(f"“{text.strip()}” is not a finite number")
    return value


def digits(text: str) -> float | None:
    """A number with its digits grouped or not: 1,000 and 1 000 are a thousand, 0,5 and 0.5 a half. None where groups do not fit."""
    plain = re.sub(r"[\s\u202f\u00a0'’]", " ", text).strip()
    found = re.search(r"e[+-]?\d+$", plain, re.IGNORECASE)
    power = found.group() if found else ""
    body = plain[: len(plain) - len(power)]
    if re.fullmatch(r"\d+(\.\d*)?|\.\d+", body):
        pass
    elif re.fullmatch(r"[1-9]\d{0,2}(,\d{3})+(\.\d+)?", body):
        body = body.replace(",", "")
    elif re.fullmatch(r"[1-9]\d{0,2}( \d{3})+([.,]\d+)?", body):
        body = body.replace(" ", "").replace(",", ".")
    elif re.fullmatch(r"[1-9]\d{0,2}(\.\d{3})+,\d+", body):
        body = body.replace(".", "").replace(",", ".")
    elif re.fullmatch(r"\d*,\d+", body):
        body = body.replace(",", ".")
    else:
        return None
    return float(body + power)


def _divided(value: float, by: float) -> float:
    """As IEEE 754 has it: by zero is infinite, which is told then."""
    return value / by if by else inf


class _Reader:
    def __init__(self, text: str, reading: Reading) -> None:
        self.text, self.reading, self.at = text, reading, 0
        self.measure = MEASURES.get(reading.unit or "", BARE)

    def whole(self) -> float:
        present, reading = self.reading.present, self.reading
        of = reading.base if reading.base is not None else present
        relative = _RELATIVE.match(self.text)
        # +10 % and -10 % change what is there, where percent are no unit of their own.
        if relative and "%" not in self.measure.suffixes and of is not None:
            part = digits(relative[2])
            if of == 0:
                raise Unreadable(NOTHING)
            if part is not None:
                return (present if present is not None else of) + (-part if relative[1] == "-" else part) / 100 * of
        if self.text[0] in "*/×":
            if present is None:
                raise Unreadable("there is no present value to multiply")
            self.at = 1
            factor = self._sum()
            self._end()
            return _divided(present, factor) if self.text[0] == "/" else present * factor
        value = self._sum()
        self._end()
        return value

    def _peek(self) -> str:
        while self.at < len(self.text) and self.text[self.at] in SPACES:
            self.at += 1
        return self.text[self.at] if self.at < len(self.text) else ""

    def _end(self) -> None:
        if self._peek():
            raise Unreadable(f"“{self.text[self.at :]}” cannot be read here")

    def _sum(self) -> float:
        value = self._product()
        while (sign := self._peek()) and sign in "+-":
            self.at += 1
            other = self._product()
            value = value + other if sign == "+" else value - other
        return value

    def _product(self) -> float:
        value = self._factor()
        while (sign := self._peek()) and (sign in "*/" or _TIMES.match(self.text, self.at)):
            self.at += 1
            other = self._factor()
            value = _divided(value, other) if sign == "/" else value * other
        return value

    def _factor(self) -> float:
        sign = self._peek()
        if sign and sign in "+-":
            self.at += 1
            value = self._factor()
            return -value if sign == "-" else value
        if sign == "(":
            self.at += 1
            value = self._sum()
            if self._peek() != ")":
                raise Unreadable("a bracket is left open")
            self.at += 1
            return value * self._suffix()
        found = _NUMBER.match(self.text, self.at)
        if not found:
            raise Unreadable(f"“{self.text[self.at :] or self.text}” is no number")
        number = digits(found.group())
        if number is None:
            raise Unreadable(f"“{found.group().strip()}” is no number: digits come in groups of three, or not in groups")
        self.at = found.end()
        return number * self._suffix()

    def _known(self, name: str) -> str | None:
        return next((entry for entry in self.measure.suffixes if entry == name or (entry.lower() == name.lower() and entry != "M")), None)

    def _suffix(self) -> float:
        """What the unit behind a number is worth; 1 where there is none."""
        self._peek()
        found = _SUFFIX.match(self.text, self.at)
        # A sign of multiplication before another number is no unit.
        if not found or _TIMES.match(self.text, self.at):
            return 1.0
        word = found.group()
        name = self._known(word)
        if name is None and " " in word:
            word = word.split(" ")[0]
            name = self._known(word)
        if name is not None:
            self.at += len(word)
            worth = self.measure.suffixes[name]
            fps = self.reading.frames_per_second
            return 1 / fps if worth == "frame" else fps if worth == "per frame" else float(worth)
        if word == "%":
            of = 1.0 if self.reading.share else self.reading.base if self.reading.base is not None else self.reading.present
            if of is None or isinf(of):
                raise Unreadable("there is nothing that percent could be of")
            if of == 0:
                raise Unreadable(NOTHING)
            self.at += 1
            return of / 100
        owner = next((entry for entry in MEASURES.values() if word.lower() in (suffix.lower() for suffix in entry.suffixes)), None)
        takes = f"this takes {self.measure.words}"
        stands = owner.words.split(" (")[0] if owner else ""
        raise Unreadable(f"“{word}” stands for {stands}; {takes}" if owner else f"“{word}” is no unit that is known here; {takes}")

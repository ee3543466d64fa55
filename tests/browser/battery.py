"""What every kind has to stand in the page, as `hailridge.testing.check_kind` is for the core.

At a place where it may stand it is chosen in its picker by typing its title and Enter, which has to find it first; then each of its fields is edited
by the keyboard to another valid value. What was saved is compared. Values that vary go through every kind of amount.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from copy import deepcopy
from typing import Any

from playwright.sync_api import Locator, Page

import hailridge.core  # noqa: F401
from hailridge.model.catalogue import catalogue
from hailridge.model.exchanging import NothingFits, exchanged
from hailridge.model.kind import Kind
from hailridge.model.validation import DocumentError, read_effect
from hailridge.testing.grounds import Placed, Raw, placed
from tests.seeds import NIGHT, drawer

Path = tuple[Any, ...]

CATALOGUE = catalogue()

FORMULA = "random(7) * 0.25 + 0.5"
WIDE_FORMULA = "vec3(0.25, 0.5, random(7))"

BY_POINTER = {
    "curve": "its keys are dragged; the curve over life has a story of its own (test_motion)",
}
"""Types whose editors are not gone through here, and why."""

def info_of(slot: str, tag: str) -> Raw:
    found: Raw = next(info for info in CATALOGUE["slots"][slot] if info["kind"] == tag)
    return found


def value_at(document: Any, path: Path) -> Any:
    for key in path:
        document = document[key]
    return document


class Ground:
    """A document into which a kind is to be put by hand: where it will stand, and how the page is asked for it."""

    def __init__(self, cls: type[Kind]) -> None:
        own = placed(cls)
        self.tag = str(cls.model_fields["kind"].default)
        self.slot, self.path = cls.slot, own.path
        self.document = deepcopy(own.document)
        self.document["clock"] = {"duration": 0.25, "frames_per_second": 24.0, "particle_budget": 500}
        around, last = value_at(self.document, self.path[:-1]), self.path[-1]
        self.added = isinstance(last, int)
        if self.added:
            del around[last]
            # What is added comes last.
            self.path = (*own.path[:-1], len(around))
            for source in self.document["sources"]:
                # What stood there is not there yet.
                source["shape"] = "ball" if source["shape"] == "mine" else source["shape"]
            self.document["rules"][2]["actions"][0]["where"] = None
        elif cls.slot == "condition":
            around[last] = None
        else:
            self._put_another(cls, own)
        read_effect(self.document)

    def _put_another(self, cls: type[Kind], own: Placed) -> None:
        """Something else of its slot, to be exchanged for it."""
        others = [tag for tag, other in Kind.registry[cls.slot].items() if other is not cls and _fitting(other, own)]
        for tag in others:
            try:
                document = exchanged(self.document, self.path, tag)
                read_effect(document)
            except (NothingFits, DocumentError):
                continue
            if value_at(document, self.path)["kind"] == tag:
                self.document = document
                return
        raise AssertionError(f"nothing else of {cls.slot} can stand where '{cls.title}' can")

    @property
    def item(self) -> str:
        """The card in which it stands, as the page marks it."""
        collection, index = self.path[:2]
        items = self.document[collection]
        return f"{collection}/{items[index]['id']}" if len(self.path) > 2 else ""


def _fitting(other: type[Kind], own: Placed) -> bool:
    around = {str(value_at(own.document, own.path[:depth]).get("kind")) for depth in range(1, len(own.path)) if isinstance(value_at(own.document, own.path[:depth]), dict)}
    return not other.only_in or bool(set(other.only_in) & around)


class Hand:
    """Somebody who does it in the page, by the keyboard."""

    def __init__(self, page: Page, saved: Callable[[], Raw]) -> None:
        self.page, self.saved = page, saved

    def choose(self, ground: Ground) -> Path:
        """Choose the kind in its picker; returns where it stands."""
        title = info_of(ground.slot, ground.tag)["title"]
        if ground.item:
            self.page.locator(f'[data-item="{ground.item}"]').click(position={"x": 60, "y": 10})
            # A menu that opens under the pointer would take what is there.
            self.page.mouse.move(640, 2)
        if ground.slot == "amount":
            chip = self.chip(ground.path)
            chip.press("Enter")
            self.page.get_by_role("group", name="How it varies").get_by_role("button", name=title, exact=True).press("Enter")
            return ground.path
        where = f'[data-add="{added_to(ground)}"]' if ground.added else f'[data-exchange="{"/".join(map(str, ground.path))}"]'
        self.page.locator(where).first.press("Enter")
        self.page.locator("[cmdk-input]:focus").wait_for()
        self.page.keyboard.type(title)
        first = self.page.locator("[cmdk-item]").first.inner_text().split("\n")[0]
        assert first == title, f"typing '{title}' offers '{first}' first"
        self.page.keyboard.press("Enter")
        self.saved()
        # It opens the box of its first value, if it has one; here all of them have their turn.
        if self.page.get_by_role("dialog").count():
            self.page.keyboard.press("Escape")
        return ground.path

    def chip(self, path: Path) -> Locator:
        """The chip of a value, wherever it shows."""
        return self.page.locator(f'[data-at="{"/".join(map(str, path))}"] button').first

    def reach(self, ground: Ground, name: str) -> Locator:
        """The chip of a field: in the sentence, behind the dots at its end, below the list of kinds, or among all values of its item."""
        chip = self.chip((*ground.path, name))
        if chip.count() == 0:
            title = info_of(ground.slot, ground.tag)["title"]
            scope = f'[data-item="{ground.item}"] ' if ground.item else ""
            own = f'[data-exchange="{"/".join(map(str, ground.path))}"]'
            ways = f'{scope}button[aria-label^="More of {title}:"], {scope}{own}, {scope}button[aria-label^="All values of"]'
            for more in self.page.locator(ways).all():
                more.press("Enter")
                if chip.count():
                    return chip
                self.page.keyboard.press("Escape")
        assert chip.count(), f"'{name}' cannot be reached"
        return chip

    def edit_in_box(self, field: Raw, path: Path, before: Any) -> Any:
        """A field of an amount: its values are edited in one box, by their labels."""
        self.chip(path).press("Enter")
        box = self.page.locator("[data-radix-popper-content-wrapper]").first
        box.wait_for()
        if field["type"] == "formula":
            return self.write(before)
        row = box.locator("div", has_text=field["label"]).last.locator("xpath=..")
        if field["type"] in ("number", "whole", "value"):
            number = box.get_by_role("textbox", name=field["label"], exact=True).first
            assert number.count(), f"no box is called '{field['label']}'"
            number.focus()
            shown = float(number.input_value())
            share = "%" in (number.locator("xpath=..").inner_text()) and field.get("unit") != "percent"
            wanted = another(shown, field.get("low"), field.get("high"), field["type"] == "whole")
            self._typed(f"{wanted:g}%" if share else f"{wanted:g}")
            return wanted / 100 if share else wanted
        return self.edit(field, row.locator("button.chip").first, before)

    # ── Editing, by type; each returns what is to be saved, or a test of it ─────────────────────────────────────────────

    def edit(self, field: Raw, chip: Locator, before: Any) -> Any:
        return getattr(self, f"_{field['type']}")(field, chip, before)

    def _typed(self, text: str) -> None:
        """Typed over what has the focus, and kept."""
        self.page.locator("input:focus").wait_for()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")

    def _number(self, field: Raw, chip: Locator, before: Any) -> Any:
        wanted = another(before, field.get("low"), field.get("high"), field["type"] == "whole")
        chip.press("Enter")
        self._typed(spelled(wanted, field.get("unit")))
        return wanted

    _whole = _number

    def _amount(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        if before["kind"] != "fixed":
            self.page.get_by_role("group", name="How it varies").get_by_role("button", name="fixed", exact=True).press("Enter")
            before = None
        return self._fixed(field, before)

    def _fixed(self, field: Raw, before: Any) -> Any:
        """The value of an amount that is fixed, in the box that is open."""
        page = self.page
        box = page.locator("[data-radix-popper-content-wrapper]").last
        flags = box.get_by_role("radio")
        colour = box.get_by_label("as hexadecimal")
        if colour.count():
            colour.focus()
            self._typed("#336699")
            return lambda node: node["kind"] == "fixed" and near(node["value"], [0.2, 0.4, 0.6], 0.003)
        if flags.count():
            other = flags.nth(0) if flags.nth(1).get_attribute("aria-checked") == "true" else flags.nth(1)
            other.press("Enter")
            return lambda node: node["kind"] == "fixed" and (before is None or node["value"] != before["value"])
        numbers = box.locator("input.tabular")
        numbers.first.focus()
        shown = float(numbers.first.input_value().replace("−", "-").replace("\u202f", "").replace(",", "") if "ever" not in numbers.first.input_value() else 3.0)
        # Beside a value stands its unit.
        share = "%" in numbers.first.locator("xpath=..").inner_text() and field.get("unit") != "percent"
        low, high = (None if end is None else end * (100 if share else 1) for end in (field.get("low"), field.get("high")))
        wanted = another(shown, low, high, False)
        self._typed(f"{wanted:g}%" if share else f"{wanted:g}")
        worth = wanted / 100 if share else wanted
        return lambda node: node["kind"] == "fixed" and near(node["value"][0] if isinstance(node["value"], list) else node["value"], worth)

    def _vector(self, field: Raw, chip: Locator, before: Any) -> Any:
        wanted = another(before[0], field.get("low"), field.get("high"), False)
        chip.press("Enter")
        self._typed(spelled(wanted, field.get("unit")))
        return [wanted, *before[1:]]

    def _color(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        box = self.page.get_by_label("as hexadecimal")
        box.focus()
        self._typed("#336699")
        return [0.2, 0.4, 0.6]

    def _text(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_role("textbox", name=field["label"], exact=True).focus()
        self._typed("Otherwise")
        return "Otherwise"

    def _choice(self, field: Raw, chip: Locator, before: Any) -> Any:
        words = list(field["words"])
        wanted = words[(words.index(before) + 1) % len(words)]
        chip.press("Enter")
        self._entry(words.index(wanted))
        return wanted

    def _flag(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        return not before

    def _reference(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_role("menuitem").first.wait_for()
        entries = self.page.get_by_role("menuitem").all_inner_texts()
        others = [place for place, text in enumerate(entries) if not text.endswith("now") and "through a new dial" not in text and place > 0]
        if not others:
            self.page.keyboard.press("Escape")
            return before
        self._entry(others[-1])
        return lambda value: value != before

    def _references(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        box = self.page.get_by_role("checkbox").first
        if box.count() == 0:
            self.page.keyboard.press("Escape")
            return before
        box.press("Space")
        return lambda value: value != before

    def _entry(self, place: int) -> None:
        """An entry of the menu that is open, by the arrows."""
        self.page.get_by_role("menuitem").first.wait_for()
        self.page.locator("[role=menuitem]:focus").wait_for()
        wanted = self.page.get_by_role("menuitem").nth(place)
        for _ in range(3 * self.page.get_by_role("menuitem").count()):
            # Down until it is there, as one does who looks.
            if wanted.evaluate("(entry) => entry === document.activeElement"):
                break
            self.page.keyboard.press("ArrowDown")
            self.page.wait_for_timeout(30)
        self.page.keyboard.press("Enter")

    def _formula(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        return self.write(before)

    def write(self, before: str) -> str:
        """A formula typed into the editor that is open: the same with something behind it."""
        editor = self.page.locator("[data-formula]")
        editor.wait_for()
        editor.focus()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.type(" * 1.5")
        # It is kept as one pauses.
        self.page.wait_for_timeout(700)
        return f"{before} * 1.5"

    def _points(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_label("Point 1 x").focus()
        self._typed("-1.25")
        return [[-1.25, *before[0][1:]], *before[1:]]

    def _colors(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_role("button", name="One more colour").press("Enter")
        return lambda value: len(value) == len(before) + 1

    def _numbers(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_role("textbox", name=field["label"], exact=True).focus()
        self._typed("3 1 1")
        return [3.0, 1.0, 1.0]

    def _ramp(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.get_by_role("button", name="The other way round").press("Enter")
        return lambda value: value != before

    def _asset(self, field: Raw, chip: Locator, before: Any) -> Any:
        chip.press("Enter")
        self.page.locator('[data-radix-popper-content-wrapper] button[aria-pressed="false"]').first.press("Enter")
        return lambda value: value != before


def added_to(ground: Ground) -> str:
    """How the button is marked that adds to the list in which it is to stand."""
    around = ground.path[:-1]
    return str(around[0]) if len(around) == 1 else "/".join(map(str, around))


def another(before: Any, low: float | None, high: float | None, whole: bool) -> float:
    """A value within the limits that is not the present one, with few digits."""
    start = before if isinstance(before, int | float) and abs(before) < 1e6 else 1.0
    for wanted in (start + 1, start * 0.5 + 0.25, start * 0.75, start - 1, start + 0.05):
        wanted = float(round(wanted)) if whole else float(f"{wanted:.3g}")
        if (low is None or wanted >= low) and (high is None or wanted <= high) and not math.isclose(wanted, start, rel_tol=1e-3, abs_tol=1e-6):
            return wanted
    raise AssertionError(f"nothing else than {before} is within {low} … {high}")


def spelled(value: float, unit: str | None) -> str:
    """As it is typed where percent are shown."""
    return f"{value * 100:g}%" if unit == "share" else f"{value:g}"


def near(found: Any, wanted: Any, tolerance: float = 1e-4) -> bool:
    """Whether what was saved is what was typed."""
    if callable(wanted):
        return bool(wanted(found))
    if isinstance(wanted, list) and isinstance(found, list):
        return len(found) == len(wanted) and all(near(one, other, tolerance) for one, other in zip(found, wanted, strict=True))
    if isinstance(wanted, int | float) and not isinstance(wanted, bool) and isinstance(found, int | float):
        return math.isclose(found, wanted, rel_tol=tolerance, abs_tol=tolerance)
    return bool(found == wanted)


def offered(field: Raw, node: Raw) -> bool:
    """Whether a field means anything where its siblings are as they are (`only_where`)."""
    return all(str(node[name]) in values for name, values in (field.get("only_where") or {}).items())


def check_in_page(ground: Ground, hand: Hand) -> Iterator[tuple[str, str]]:
    """Go through a kind in the page that shows its ground; yields every fault: the field (none for the choosing), and what is wrong."""
    try:
        hand.choose(ground)
        hand.page.keyboard.press("Escape")
        node = value_at(hand.saved(), ground.path)
        assert node["kind"] == ground.tag, f"chosen by its title, '{node['kind']}' stands there"
    except Exception as error:
        yield "", words(error)
        return
    for field in info_of(ground.slot, ground.tag)["fields"]:
        name = field["name"]
        if field["type"] in ("slot", *BY_POINTER) or not offered(field, node):
            continue
        before = node[name]
        if isinstance(before, dict) and "keys" in before:
            continue
        try:
            wanted = hand.edit_in_box(field, ground.path, before) if ground.slot == "amount" else hand.edit(field, hand.reach(ground, name), before)
            close_all(hand.page)
            node = value_at(hand.saved(), ground.path)
            assert near(node[name], wanted), f"typed for {before!r}, {node[name]!r} was saved" + ("" if callable(wanted) else f", not {wanted!r}")
        except Exception as error:
            yield name, words(error)
            close_all(hand.page)
            node = value_at(hand.saved(), ground.path)


def check_amounts(ground: Ground, hand: Hand, path: Path, wide: bool) -> Iterator[tuple[str, str]]:
    """Take a value that varies through every kind of amount; yields every fault."""
    for info in amount_kinds(wide, path):
        name = info["title"]
        try:
            hand.chip(path).press("Enter")
            hand.page.get_by_role("group", name="How it varies").get_by_role("button", name=name, exact=True).press("Enter")
            if info["kind"] == "formula":
                hand.page.wait_for_timeout(300)
                before = value_at(hand.saved(), path)
                assert before["kind"] == "formula", f"'{before['kind']}' stands there"
                wanted = hand.write(before["text"])
                close_all(hand.page)
                assert value_at(hand.saved(), path)["text"] == wanted, f"'{wanted}' was typed, '{value_at(hand.saved(), path)['text']}' was saved"
            else:
                close_all(hand.page)
                found = value_at(hand.saved(), path)["kind"]
                assert found == info["kind"], f"'{found}' stands there"
        except Exception as error:
            yield name, words(error)
            close_all(hand.page)


def amount_kinds(wide: bool, path: Path) -> list[Raw]:
    """All that may stand there at night, two by the seed of the day else; a formula always."""
    kinds = [info for info in CATALOGUE["slots"]["amount"] if not (wide and info["single"])]
    drawn = kinds if NIGHT else drawer(f"amounts {path}").sample(kinds, 2)
    return [info for info in kinds if info in drawn or info["kind"] == "formula"]


def close_all(page: Page) -> None:
    """Every box and menu, from the innermost out."""
    for _ in range(4):
        if page.locator("[data-radix-popper-content-wrapper]").count() == 0:
            return
        page.keyboard.press("Escape")
        page.wait_for_timeout(60)


def words(error: Exception) -> str:
    """The first line of what went wrong."""
    return (str(error).strip().splitlines() or [type(error).__name__])[0]

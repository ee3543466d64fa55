"""Advisories about looks: colours that vanish on the background, trails beyond their budget, pictures that are not there."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

import numpy as np

from hailridge.core.kinds.actions.trail import BeginTrail
from hailridge.core.kinds.amounts.fixed import Fixed
from hailridge.core.kinds.births.emissions import Burst, Rate
from hailridge.core.kinds.looks.blending import contrast
from hailridge.core.kinds.looks.laying import POINT_BYTES
from hailridge.core.kinds.looks.lengths import ByPoints
from hailridge.core.kinds.looks.pictures import Pictures
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.kinds.looks.trails import Trails
from hailridge.core.looking.advisory import Advisory, Path
from hailridge.model.attributes import table_of
from hailridge.model.effect import Effect
from hailridge.model.kind import parts_of
from hailridge.model.ramps import Ramp

FAINTEST = 1.5
"""Contrast (WCAG 2.2) with the background below which a small thing can hardly be found."""

WANTED = 2.2
"""Contrast that lifting the low end of a ramp goes to."""

STOPS = 7


def look_advisories(effect: Effect, pictures: Collection[str] | None = None) -> Iterator[Advisory]:
    """Everything about looks, top to bottom."""
    yield from _no_trails(effect)
    for index, look in enumerate(effect.looks):
        if not effect.works("looks", index):
            continue
        entry: Any = look
        yield from _faint(effect, index, entry)
        if isinstance(look, Trails):
            yield from _budget(effect, index, look)
            yield from _laid_while(effect, index, look)
        if isinstance(look, Pictures) and pictures is not None and look.picture not in pictures:
            fix = {"path": ["looks", index, "picture"], "value": "soft", "label": "Use the soft round one"}
            text = "A picture of this look is not in the library; soft discs stand in for it. Bring it in again, or choose another."
            yield Advisory("warning", ["looks", index, "picture"], text, fix)


def _faint(effect: Effect, index: int, look: Any) -> Iterator[Advisory]:
    """A ramp that covers what is below it and whose low end is as dark as the background, so that those at the low end vanish."""
    for number, layer in enumerate(look.layers):
        ramp = getattr(layer, "ramp", None)
        covers = layer.mode == "normal" and layer.strength.extent()[0] >= 0.75 and number == len(look.layers) - 1
        if not isinstance(ramp, Ramp) or ramp.fault() is not None or not covers:
            continue
        table = ReadyRamp(ramp).table.T
        ground = effect.picture.background
        ratio = contrast(table[0], ground)
        if ratio >= FAINTEST:
            continue
        path: Path = ["looks", index, "layers", number, "ramp"]
        # Along a trail the low end is its head, elsewhere those with the lowest values.
        whose = "what lies at its beginning" if layer.kind in ("along_trail", "noise") else "particles with the lowest values"
        text = f"The ramp begins hardly lighter than the background (contrast {ratio:.1f} to 1): {whose} cannot be seen."
        lifted = _lifted(table, ground)
        fix = {"path": path, "value": lifted, "label": "Begin where it can be seen"} if lifted is not None else None
        yield Advisory("advice", path, text, fix)


def _lifted(table: Any, ground: list[float]) -> dict[str, Any] | None:
    """The ramp from the first of its colours on that stands out enough, as stops; None where none does."""
    clear = [at for at, color in enumerate(table) if contrast(color, ground) >= WANTED]
    if not clear or clear[0] > len(table) * 0.8:
        return None
    places = np.linspace(clear[0], len(table) - 1, STOPS).round().astype(int)
    colors = [[round(float(part), 4) for part in table[at]] for at in places]
    keys = [{"at": round(k / (STOPS - 1), 4), "value": color, "ease": "linear"} for k, color in enumerate(colors)]
    return {"named": None, "reversed": False, "keys": keys}


def _budget(effect: Effect, index: int, look: Trails) -> Iterator[Advisory]:
    """Trails that will be cut: as many as the sources of these groups bring into being, each as long as it is asked for."""
    longest = look.length.most_points(effect.clock.frames_per_second)
    if not np.isfinite(longest):
        return
    points = max(2, round(longest))
    if look.spacing <= 0:
        # A point each frame: no more than there are frames.
        points = min(points, effect.clock.last_frame + 1)
    trails = sum(_alive(effect, source) for source in effect.sources if source.enabled and (not look.who or source.group in look.who))
    wanted = points * max(1, round(trails))
    if wanted <= look.budget:
        return
    size = wanted * POINT_BYTES
    spoken = f"{size / 1e9:.1f} GB" if size >= 1e9 else f"{size / 1e6:.0f} MB"
    fitting = max(2, look.budget // max(1, round(trails)))
    text = (
        f"About {round(trails):,} trails of {points:,} points would be {wanted:,} points, {spoken} for every frame; the budget is {look.budget:,}, "
        f"so each will be cut to about {fitting:,}. Lower the points, or how many particles have trails."
    )
    fix = None
    if isinstance(look.length, ByPoints) and isinstance(look.length.points, Fixed):
        value = {"kind": "fixed", "value": fitting}
        fix = {"path": ["looks", index, "length", "points"], "value": value, "label": f"Lower the points to {fitting:,}"}
    yield Advisory("advice", ["looks", index, "length"], text, fix)


def _laid_while(effect: Effect, index: int, look: Trails) -> Iterator[Advisory]:
    """A condition that is asked of every frame in which points were laid: what it cannot know there, and what is slow."""
    if look.laid_while is None:
        return
    rate = effect.clock.frames_per_second
    where: Path = ["looks", index, "laid_while"]
    table = table_of(vars(attribute) for attribute in effect.attributes)
    for path, part in parts_of(look.laid_while):
        if next(part.remembers(table), None) is not None:
            text = "Frames are asked each for itself where trails are laid: a margin, which holds on to whom it held for before, does nothing here."
            yield Advisory("advice", [*where, *path], text)
        if getattr(part, "category", "") == "Neighbours" or next(part.asks_around(), None) is not None:
            frames = round(min(look.length.most_points(rate), effect.clock.duration * rate))
            text = f"Neighbours are looked for in each of the {frames:,} frames that these trails may reach back to: once, when they are drawn first."
            yield Advisory("advice", [*where, *path], text)


def _no_trails(effect: Effect) -> Iterator[Advisory]:
    """A new trail that nobody sees."""
    if any(isinstance(look, Trails) and effect.works("looks", index) for index, look in enumerate(effect.looks)):
        return
    for path, part in parts_of(effect):
        if isinstance(part, BeginTrail):
            yield Advisory("advice", list(path), "No look draws trails, so beginning a new one changes nothing that is seen. Add a look of trails.")


def _alive(effect: Effect, source: Any) -> float:
    """How many particles of a source live at once, at most; roughly."""
    life = min(source.lifetime.extent()[1], effect.clock.duration)
    if isinstance(source.emission, Burst):
        return float(source.emission.count)
    if isinstance(source.emission, Rate):
        rate = source.emission.all_values("rate")
        return float(min(max(rate) * life, float(effect.clock.particle_budget)))
    return 0.0

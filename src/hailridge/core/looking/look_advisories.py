"""Advisories about looks: colours that vanish on the background, trails beyond their budget, pictures that are not there."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import Any

import numpy as np

from hailridge.core.kinds.births.emissions import Burst, Rate
from hailridge.core.kinds.looks.blending import contrast
from hailridge.core.kinds.looks.pictures import Pictures
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.kinds.looks.trails import POINT_BYTES, Trails
from hailridge.core.looking.advisory import Advisory, Path
from hailridge.model.effect import Effect
from hailridge.model.ramps import Ramp

FAINTEST = 1.5
"""Contrast (WCAG 2.2) with the background below which a small thing can hardly be found."""

WANTED = 2.2
"""Contrast that lifting the low end of a ramp goes to."""

STOPS = 7


def look_advisories(effect: Effect, pictures: Collection[str] | None = None) -> Iterator[Advisory]:
    """Everything about looks, top to bottom."""
    for index, look in enumerate(effect.looks):
        if not effect.works("looks", index):
            continue
        entry: Any = look
        yield from _faint(effect, index, entry)
        if isinstance(look, Trails):
            yield from _budget(effect, index, look)
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
    seconds = getattr(look.length, "seconds", None)
    points = look.wanted_points if seconds is None else round(seconds * effect.clock.frames_per_second)
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
    if seconds is None:
        fix = {"path": ["looks", index, "length", "points"], "value": fitting, "label": f"Lower the points to {fitting:,}"}
    yield Advisory("advice", ["looks", index, "length"], text, fix)


def _alive(effect: Effect, source: Any) -> float:
    """How many particles of a source live at once, at most; roughly."""
    life = min(source.lifetime.extent()[1], effect.clock.duration)
    if isinstance(source.emission, Burst):
        return float(source.emission.count)
    if isinstance(source.emission, Rate):
        rate = source.emission.all_values("rate")
        return float(min(max(rate) * life, float(effect.clock.particle_budget)))
    return 0.0

"""Draws the small pictures that the pickers show beside each kind: what it does, by running a little effect that has it.

Each picture is the outcome of a run, not a drawing: when a kind changes, so does its picture. They go to frontend/public/kinds.
"""

from __future__ import annotations

import io
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PIL import Image

ROOT = Path(__file__).resolve().parents[1]

import hailridge.core  # noqa: E402, F401
from hailridge import demo  # noqa: E402
from hailridge.core.looking.observe import recorded_moment  # noqa: E402
from hailridge.core.scene.moment import Moment  # noqa: E402
from hailridge.core.scene.plan import Plan  # noqa: E402
from hailridge.core.step.simulation import Simulation  # noqa: E402
from hailridge.formats.meshes import mesh_id  # noqa: E402
from hailridge.formats.posters import poster  # noqa: E402
from hailridge.model.catalogue import catalogue  # noqa: E402
from hailridge.model.validation import read_effect  # noqa: E402

TARGET = ROOT / "frontend" / "public" / "kinds"
SIZE = (120, 75)
COLORS = 48
ICE, BRASS, LEAF = [0.66, 0.83, 0.86], [0.85, 0.71, 0.42], [0.35, 0.72, 0.5]

Node = dict[str, Any]
REFERENCES = {"shape": "target", "group": "other", "rule": "rule", "field": "cloud", "attribute": "radius", "dial": "dial", "neighbourhood": "near"}
"""What a kind refers to where it has to refer to something."""


def fixed(value: Any) -> Node:
    return {"kind": "fixed", "value": value}


def node(slot: str, kind: str, **given: Any) -> Node:
    """A part of this kind with its defaults, and these values."""
    info = next(entry for entry in KINDS[slot] if entry["kind"] == kind)
    made: Node = {"kind": kind}
    for field in info["fields"]:
        if field["required"]:
            made[field["name"]] = field["default"] if field["default"] is not None else REFERENCES.get(field.get("to") or "", "")
    return made | given


def shape(kind: str, name: str, visible: bool = True, **given: Any) -> Node:
    return node("shape", kind, **given) | {"id": name, "label": name.capitalize(), "visible": visible}


def source(of: str, emission: Node, **given: Any) -> Node:
    base = {"id": "source", "label": "Source", "group": "first", "shape": of, "emission": emission, "placement": node("placement", "inside")}
    base |= {"radius": fixed(0.07), "lifetime": fixed(9.0), "color": fixed(ICE), "speed": fixed(0.0)}
    return base | given


def effect(**parts: Any) -> Node:
    """A document seen from the front, 4 m wide, 1.5 s long."""
    raw: Node = {
        "format": 7,
        "name": "Picture",
        "summary": "",
        "clock": {"frames_per_second": 24.0, "duration": 1.5, "seed": 3},
        "groups": [{"id": "first", "label": "First", "color": "#56b4e9"}, {"id": "other", "label": "Other", "color": "#e69f00"}],
        "picture": {
            "background": [0.063, 0.078, 0.09],
            "camera": "own",
            "position": [0.0, 0.5, 6.2],
            "target": [0.0, 0.0, 0.0],
            "field_of_view": 21.0,
        },
        "neighbourhoods": [{"id": "near", "label": "Near", "reach": 0.4}],
        "looks": [{"kind": "balls", "id": "look"}],
    }
    return raw | parts


def drawn(raw: Node) -> Image.Image:
    """The last frame, small."""
    read = read_effect(raw)
    assets = demo.assets()
    plan = Plan(read, assets)
    frames = list(Simulation(read, assets, plan=plan).frames(read.clock.last_frame))

    def moment_at(number: int) -> Moment:
        return recorded_moment(plan, frames[number].columns, frames[number].count, number)

    shown = moment_at(len(frames) - 1)
    shown.past = moment_at
    image = Image.open(io.BytesIO(poster(shown)))
    return image.convert("RGB").resize(SIZE, Image.Resampling.LANCZOS)


# What is common to many: particles going from left to right as they grow older, and a sheet of them at rest.

RULE = {"id": "rule", "label": "Rule"}
OLD = {"kind": "compare", "quantity": {"kind": "age"}, "comparison": "above", "threshold": fixed(0.75)}


def conveyor(rules: list[Node], **given: Any) -> Node:
    """Born at the left, old at the right."""
    along = {"kind": "axis", "axis": [1.0, 0.0, 0.0], "cone": 0.0}
    born = source("gate", {"kind": "rate", "rate": 34.0}, direction=along, speed=fixed(2.4), lifetime=fixed(1.6))
    shapes = [shape("box", "gate", False, size=[0.05, 1.3, 0.3], position=[-1.75, 0.0, 0.0]), shape("ball", "target", False, radius=0.5)]
    return effect(shapes=shapes, sources=[born], rules=rules) | given


def sheet(actions: list[Node], visible: bool = False, speed: list[float] | None = None, **given: Any) -> Node:
    """A sheet of particles with the way that each has come."""
    shapes = [shape("box", "cloth", False, size=[2.4, 1.3, 0.02]), shape("ball", "target", visible, radius=0.14)]
    moving = {"speed": fixed(sum(v * v for v in speed) ** 0.5), "direction": {"kind": "axis", "axis": speed, "cone": 0.0}} if speed else {}
    lattice = {"kind": "lattice", "spacing": 0.3}
    born = source("cloth", {"kind": "fill"}, placement=lattice, radius=fixed(0.05), **moving)
    looks = [{"kind": "balls", "id": "look"}, {"kind": "trails", "id": "trail", "length": {"kind": "by_time", "seconds": 1.0}}]
    raw = effect(shapes=shapes, sources=[born], rules=[RULE | {"actions": actions}], looks=looks)
    raw["clock"] = raw["clock"] | {"duration": 0.8}
    return raw | given


def packed(actions: list[Node]) -> Node:
    """Balls too large for their places in a flat ring."""
    shapes = [shape("box", "cloth", False, size=[1.3, 0.7, 0.01])]
    born = source("cloth", {"kind": "burst", "count": 60}, radius={"kind": "spread", "value": 0.085, "spread": 0.035})
    return effect(shapes=shapes, sources=[born], rules=[RULE | {"actions": actions}])


def colored(layers: list[Node], look: str = "discs") -> list[Node]:
    return [{"kind": look, "id": "look", "layers": layers}]


PUSHES: dict[str, Callable[[], Node]] = {
    "gravity": lambda: sheet([node("action", "gravity", acceleration=fixed(2.0))], speed=[1.2, 0.8, 0.0]),
    "constant": lambda: sheet([node("action", "constant")], speed=[0.4, 0.0, 0.0]),
    "wind": lambda: sheet([node("action", "wind")], speed=[0.0, 0.6, 0.0]),
    "drag": lambda: sheet([node("action", "drag")], speed=[1.6, 0.0, 0.0]),
    "square_drag": lambda: sheet([node("action", "square_drag")], speed=[2.6, 0.0, 0.0]),
    "turbulence": lambda: sheet([node("action", "turbulence", size=0.9, strength=fixed(5.0))]),
    "attract": lambda: sheet([node("action", "attract", strength=fixed(3.0))], True),
    "vortex": lambda: sheet([node("action", "vortex", speed=fixed(1.6), core=0.5)], True),
    "spring": lambda: sheet([node("action", "spring", shape="target", period=2.4)], True),
    "centre": lambda: sheet([node("action", "centre", shape="target", strength=fixed(2.5))], True),
    "speed_limit": lambda: sheet([node("action", "gravity"), node("action", "speed_limit")]),
    "drift": lambda: sheet([node("action", "drift")]),
    "steer": lambda: sheet([node("action", "steer", pace=fixed(1.5), urges=[{"kind": "match"}, {"kind": "gather"}])], speed=[1.0, 0.6, 0.0]),
    "repel": lambda: sheet([node("action", "repel", strength=fixed(3.0))]),
    "push_apart": lambda: packed([node("action", "push_apart")]),
    "steer_by_surface": lambda: sheet([node("action", "steer_by_surface", within=2.0, height=fixed(0.5))], True, speed=[1.2, 0.0, 0.0]),
    "bounce": lambda: sheet(
        [node("action", "gravity", acceleration=fixed(9.0)), node("action", "bounce", shape="ground", bounciness=fixed(0.7))],
        shapes=[
            shape("box", "cloth", False, size=[2.4, 1.0, 0.02], position=[0.0, 0.4, 0.0]),
            shape("plane", "ground", width=5.0, depth=3.0, position=[0.0, -0.75, 0.0]),
        ],
        looks=[{"kind": "balls", "id": "look"}, {"kind": "trails", "id": "trail", "length": {"kind": "by_time", "seconds": 0.3}}],
    ),
}

TRAILING: list[Node] = [
    {"kind": "balls", "id": "look"}, {"kind": "trails", "id": "trail", "length": {"kind": "by_time", "seconds": 0.7}, "size": fixed(0.8)},
]  # fmt: skip
CHANGES: dict[str, Node] = {
    "set": {"attribute": "radius", "amount": fixed(0.12)},
    "approach": {"attribute": "radius", "amount": fixed(0.16), "time": 0.5},
    "add": {"attribute": "radius", "amount": fixed(0.16), "per": "second"},
    "multiply": {"attribute": "radius", "factor": fixed(3.0), "per": "second"},
    "restore": {"attribute": "radius"},
    "move": {"group": "other"},
    "remove": {},
    "live_on": {},
    "formula": {"text": "radius = mix(0.02, 0.16, 0.5 + 0.5 * sin(position.x * 5))\nposition.y = 0.4 * sin(position.x * 3)"},
    "switch": {"rule": "rule"},
    "spawn": {"group": "other", "count": fixed(4.0), "speed": fixed(1.2)},
}
AROUND: dict[str, Node] = {
    "move_found": {"group": "other"},
    "take_from": {"attribute": "color", "half_life": 0.3},
    "give_to": {"attribute": "color"},
}
TUMBLING = ["torque", "calm_spin", "face_motion", "flutter"]
ORIENTING: dict[str, Node] = {
    "be_turned": {"angle": {"kind": "formula", "text": "position.x * 150"}, "axis": [1.0, 0.0, 0.0]},
    "point_along": {"own": "y", "direction": {"kind": "formula", "text": "position - vec3(0, -0.2, 0)"}},
}


def action(kind: str) -> Node:
    if kind in PUSHES:
        return PUSHES[kind]()
    if kind in TUMBLING:
        rules = [RULE | {"actions": [node("action", kind), node("action", "turbulence", strength=fixed(1.0))]}]
        facing = {"orientation": {"kind": "any"}} if kind != "torque" else {}
        raw = conveyor(rules, looks=[{"kind": "sheets", "id": "look"}])
        raw["sources"][0] |= {"radius": fixed(0.19), "emission": {"kind": "rate", "rate": 15.0}, **facing}
        return raw
    if kind in ORIENTING:
        raw = conveyor([RULE | {"actions": [node("action", kind, **ORIENTING[kind])]}], looks=[{"kind": "sheets", "id": "look"}])
        raw["sources"][0] |= {"radius": fixed(0.17), "emission": {"kind": "rate", "rate": 22.0}}
        return raw
    if kind in AROUND:
        few = {"kind": "chance", "probability": 0.12, "per": "particle"}
        doing = {"condition": None if kind == "take_from" else few, "actions": [node("action", kind, **AROUND[kind])]}
        raw = conveyor([RULE | {"who": ["first"], **doing}])
        bright = {"kind": "mapped", "quantity": {"kind": "own_random"}, "start": 0.45, "end": 0.55, "low": ICE, "high": [0.95, 0.5, 0.1]}
        raw["sources"][0]["color"] = bright
        if kind == "move_found":
            raw["looks"] = colored([{"kind": "by_group"}], "balls")
        return raw
    if kind in ("collide", "take_met"):
        return meeting(kind)
    if kind in ("stick", "let_go", "keep", "keep_field", "roll", "slide", "notice"):
        return contact(kind)
    raw = conveyor(
        [
            RULE
            | {
                "condition": OLD,
                "trigger": "becomes" if kind in ("spawn", "move", "live_on", "switch") else "each",
                "actions": [node("action", kind, **CHANGES.get(kind, {}))],
            }
        ]
    )
    raw["looks"] = colored([{"kind": "by_group"}], "balls")
    if kind == "begin_trail":
        raw["looks"] = TRAILING
        raw["rules"][0]["trigger"] = "becomes"
        raw["sources"][0]["emission"] = {"kind": "rate", "rate": 12.0}
    if kind == "live_on":
        raw["rules"][0]["actions"][0]["time"] = fixed(0.2)
    if kind == "switch":
        raw["rules"].append({"id": "second", "label": "Second", "waits": True, "actions": [node("action", "gravity", acceleration=fixed(5.0))]})
        raw["rules"][0]["actions"][0]["rule"] = "second"
    if kind == "restore":
        raw["rules"].insert(0, {"id": "grow", "label": "Grow", "actions": [node("action", "set", attribute="radius", amount=fixed(0.14))]})
    return raw


def meeting(kind: str) -> Node:
    """Two streams that meet, one of them brass."""
    rules = [RULE | {"actions": [node("action", "collide")]}]
    if kind == "take_met":
        rules.append({"id": "take", "label": "Take", "trigger": "contact", "actions": [node("action", kind, attribute="color")]})
    raw = conveyor(rules, looks=colored([], "balls"))
    if kind == "met_last":
        mark = {"kind": "set", "attribute": "color", "amount": fixed([0.3, 0.75, 0.45])}
        met = {"kind": "holds", "quantity": node("quantity", kind)}
        raw["rules"].append({"id": "tell", "label": "Tell", "condition": met, "actions": [mark]})
    back = {"kind": "axis", "axis": [-1.0, 0.0, 0.0], "cone": 0.0}
    raw["shapes"].append(shape("box", "far", False, size=[0.05, 1.0, 0.1], position=[1.75, 0.0, 0.0]))
    raw["shapes"][0]["size"] = [0.05, 1.0, 0.1]
    raw["sources"][0] |= {"radius": fixed(0.08), "emission": {"kind": "rate", "rate": 24.0}}
    raw["sources"].append(raw["sources"][0] | {"id": "second", "label": "Second", "shape": "far", "direction": back, "color": fixed(BRASS)})
    return raw


ROUND_A_BALL = ("sliding", "touched_last", "steepness", "touch_normal", "place_on_shape", "pull_along", "pull_away")
"""Quantities that are shown on particles that slide round a ball."""


def contact(kind: str) -> Node:
    """Above a floor: stuck to it, half of them let go again, or kept out of a ball that nobody has to touch."""
    raw = quantity("stuck")
    raw["looks"] = colored([], "balls")
    if kind in ("roll", "slide", "notice"):
        round_it = [shape("ball", "ball", True, radius=0.5, position=[0.1, -0.1, 0.0])]
        slope = [shape("sheet", "ball", True, points=[[-1.7, 0.45, 0.0], [-0.6, -0.1, 0.0], [0.4, -0.5, 0.0], [1.5, -0.2, 0.0]], depth=1.2)]
        raw["shapes"] = [entry for entry in raw["shapes"] if entry["id"] != "ground"] + (slope if kind == "roll" else round_it)
        raw["rules"][0]["actions"] = [node("action", "gravity", acceleration=fixed(4.0 if kind != "notice" else 0.5))]
        raw["rules"][1]["actions"] = [node("action", kind, shape="ball")]
        raw["rules"] = raw["rules"][:2]
        if kind == "notice":
            bright = {"kind": "set", "attribute": "color", "amount": fixed(BRASS)}
            raw["rules"].append({"id": "tell", "label": "Tell", "trigger": "contact", "actions": [bright]})
    if kind == "let_go":
        half = {"kind": "compare", "quantity": {"kind": "own_random"}, "comparison": "above", "threshold": fixed(0.5)}
        jump = node("action", "add", attribute="velocity", amount=fixed([0.0, 1.6, 0.0]), per="occasion")
        some = {"kind": "all", "conditions": [half, {"kind": "holds", "quantity": node("quantity", "stuck")}]}
        raw["rules"].append({"id": "free", "label": "Free", "trigger": "once", "condition": some, "actions": [node("action", kind), jump]})
    if kind == "keep":
        raw["shapes"].append(shape("ball", "ball", True, radius=0.42))
        raw["rules"][1]["actions"] = [node("action", "keep", response="stop", side="inside", shape="ball")]
    if kind == "keep_field":
        raw["fields"] = [cloud("falloff")]
        raw["rules"][1]["actions"] = [node("action", "keep_field", response="brake", half_life=fixed(0.05), field="cloud")]
    return raw


def quantity(kind: str) -> Node:
    if kind == "met_last":
        return meeting(kind)
    info = next(entry for entry in KINDS["quantity"] if entry["kind"] == kind)
    low, high = info["soft"]
    given = {
        "attribute": {"attribute": "radius"},
        "found_direction": {"axis": "x"},
        "velocity_along": {},
        "neighbours": {"distance": fixed(0.4)},
        "formula": {"text": "sin(position.x * 4)"},
    }.get(kind, {})
    layer = node(
        "layer",
        "ramp",
        quantity=node("quantity", kind, **given),
        start=float(low),
        end=float(high),
        ramp={"named": "viridis", "reversed": False, "keys": []},
    )
    rules = [
        {
            "id": "blow",
            "label": "Blow",
            "actions": [node("action", "turbulence", strength=fixed(6.0)), node("action", "gravity", acceleration=fixed(1.5))],
        },
        {"id": "floor", "label": "Floor", "actions": [node("action", "bounce", shape="ground")]},
        RULE | {"condition": OLD, "trigger": "becomes", "actions": [node("action", "move")]},
    ]
    if kind == "stuck":
        rules[1]["actions"] = [node("action", "stick", shape="ground")]
    if kind in ROUND_A_BALL:
        rules[0]["actions"] = [node("action", "gravity", acceleration=fixed(4.0))]
        rules[1]["actions"] = [node("action", "slide", shape="ground")]
    if kind in ("generation", "family", "parent_number"):
        grown = {"kind": "compare", "quantity": {"kind": "age"}, "comparison": "above", "threshold": fixed(0.3)}
        split = node("action", "spawn", count=fixed(2.0), parent="kept", speed=fixed(0.8), cone=90.0, inherit_velocity=70.0, inherit_radius=80.0)
        rules.append({"id": "grow", "label": "Grow", "trigger": "once", "condition": grown, "actions": [split]})
    raw = conveyor(rules, looks=colored([layer], "balls"), fields=[cloud("falloff")])
    round_it = shape("ball", "ground", True, radius=0.55, position=[0.2, -0.15, 0.0])
    raw["shapes"].append(round_it if kind in ROUND_A_BALL else shape("plane", "ground", width=6.0, depth=2.0, position=[0.0, -0.7, 0.0]))
    raw["sources"][0] |= {"radius": {"kind": "spread", "value": 0.085, "spread": 0.035}}
    ends = {
        "number": (0, 50),
        "birth_order": (0, 50),
        "attribute": (0.05, 0.12),
        "population": (0, 60),
        "generation": (0, 3),
        "family": (0, 60),
        "parent_number": (0, 60),
        "time": (0, 1.5),
        "neighbours": (0, 8),
        "found": (0, 8),
        "looked_at": (0, 8),
        "place_in_order": (0, 3),
        "found_density": (0, 20),
        "found_distance": (0, 0.4),
        "nearest_place": (-0.5, 0.5),
        "found_mean": (0.06, 0.11),
        "found_attribute": (0.05, 0.12),
        "height": (-0.7, 0.7),
        "age": (0, 1.5),
        "remaining": (0, 1.5),
        "speed": (1.5, 3.5),
        "distance": (-0.5, 1.5),
        "time_in_group": (0, 1),
        "since_rule": (0, 1),
        "since_contact": (0, 0.6),
        "impact_speed": (0, 3),
        "contact_count": (0, 3),
        "place": (-1.7, 1.7),
        "velocity_along": (0, 4),
        "steepness": (0, 180),
        "touch_normal": (-1, 1),
        "place_on_shape": (-0.6, 0.6),
        "pull_along": (0, 4),
        "pull_away": (-4, 4),
    }
    if kind in ends:
        layer["start"], layer["end"] = (float(end) for end in ends[kind])
    return raw


def cloud(kind: str) -> Node:
    given: dict[str, Node] = {
        "falloff": {"shape": "target", "inner": 0.0, "outer": 0.8},
        "combination": {"fields": []},
        "gradient": {"start": [-1.2, 0.0, 0.0], "end": [1.2, 0.0, 0.0]},
        "formula": {"text": "0.5 + 0.5 * sin(position.x * 5)"},
    }
    return node("field", kind, **given.get(kind, {})) | {"id": "cloud", "label": "Cloud"}


def field(kind: str) -> Node:
    layer = node("layer", "ramp", quantity=node("quantity", "field"), start=0.0, end=1.0, ramp={"named": "viridis", "reversed": False, "keys": []})
    raw = sheet([], looks=colored([layer], "balls"))
    raw["sources"][0] |= {"placement": {"kind": "lattice", "spacing": 0.11}, "radius": fixed(0.05)}
    raw["fields"] = [cloud(kind)]
    if kind == "combination":
        second = shape("ball", "second", False, radius=0.3, position=[0.9, 0.2, 0.0])
        raw["shapes"].append(second)
        raw["fields"] = [
            cloud("falloff") | {"id": "a", "label": "A"},
            cloud("falloff") | {"id": "b", "label": "B", "shape": "second"},
            cloud(kind) | {"fields": ["a", "b"]},
        ]
    return raw


def amount(kind: str) -> Node:
    given: dict[str, Node] = {
        "fixed": {"value": 0.08},
        "spread": {"value": 0.08, "spread": 0.06},
        "noise": {"low": 0.02, "high": 0.14},
        "field": {"low": 0.03, "high": 0.14},
        "mapped": {"quantity": {"kind": "age"}, "low": 0.02, "high": 0.14, "start": 0.0, "end": 1.5},
        "dial": {"factor": 1.0},
        "as_it_is": {"quantity": {"kind": "attribute", "attribute": "radius"}},
        "curve": {"curve": {"keys": [{"at": 0.0, "value": 0.02}, {"at": 0.4, "value": 0.15}, {"at": 1.0, "value": 0.02}]}, "over": "life"},
        "first": {"attribute": "radius"},
        "formula": {"text": "mix(0.02, 0.14, 0.5 + 0.5 * sin(position.x * 4))"},
    }
    raw = conveyor([RULE | {"actions": [node("action", "set", attribute="radius", amount=node("amount", kind, **given.get(kind, {})))]}])
    raw["fields"] = [cloud("falloff")]
    raw["dials"] = [{"id": "dial", "label": "Dial", "type": "number", "unit": "", "value": 0.1}]
    if kind in ("first", "as_it_is"):
        raw["sources"][0] |= {"radius": {"kind": "spread", "value": 0.08, "spread": 0.06}}
    return raw


def condition(kind: str) -> Node:
    high = {"kind": "compare", "quantity": {"kind": "height"}, "comparison": "above", "threshold": fixed(0.0)}
    given: dict[str, Node] = {
        "compare": OLD,
        "between": {"quantity": {"kind": "age"}, "low": fixed(0.5), "high": fixed(1.0)},
        "holds": {"quantity": {"kind": "inside", "shape": "target"}},
        "chance": {"probability": fixed(0.3)},
        "all": {"conditions": [OLD, high]},
        "any": {"conditions": [OLD, high]},
        "not": {"condition": OLD},
        "formula": {"text": "sin(position.x * 6) > 0"},
    }
    paint = {"kind": "set", "attribute": "color", "amount": fixed(BRASS)}
    trigger = "once" if kind == "chance" else "each"
    return conveyor([RULE | {"trigger": "birth" if kind == "chance" else trigger, "condition": {"kind": kind} | given[kind], "actions": [paint]}])


def one_shape(kind: str) -> Node:
    """Points all over it."""
    given: dict[str, Node] = {
        "ball": {"radius": 0.75},
        "box": {"size": [1.6, 0.9, 0.9]},
        "plane": {"width": 2.4, "depth": 1.6},
        "disc": {"radius": 1.0},
        "ring": {"radius": 0.85},
        "tube": {},
        "cone": {},
        "point": {},
        "sheet": {"points": [[-1.2, 0.5, 0.0], [-0.4, 0.2, 0.0], [0.4, -0.35, 0.0], [1.2, 0.1, 0.0]], "depth": 1.4},
        "path": {"points": [[-1.3, -0.3, 0.0], [-0.4, 0.4, 0.0], [0.4, -0.4, 0.0], [1.3, 0.3, 0.0]]},
        "compound": {"members": ["a", "b"]},
        "mesh": {"asset": mesh_id(demo.meshes()["tin-roof.obj"])},
    }
    shapes = (
        [shape("ball", "a", False, radius=0.5, position=[-0.35, 0.0, 0.0]), shape("ball", "b", False, radius=0.55, position=[0.45, 0.1, 0.0])]
        if kind == "compound"
        else []
    )
    made = shape(kind, "it", kind not in ("compound",), **given.get(kind, {}))
    scale = {"tube": 1.3, "cone": 1.5, "mesh": 0.4}.get(kind, 1.0)
    tilted = {"rotation": [35.0, 20.0, 0.0]} if kind in ("plane", "disc", "ring", "sheet") else {}
    flat = kind in ("point", "path")
    placing = {"point": "centre", "path": "along"}.get(kind, "surface")
    born = source("it", {"kind": "burst", "count": 1 if kind == "point" else 220}, placement={"kind": placing}, radius=fixed(0.06 if flat else 0.022))
    raw = effect(shapes=[*shapes, made | {"scale": scale} | tilted], sources=[born])
    raw["clock"] = raw["clock"] | {"duration": 0.2}
    return raw


def placement(kind: str) -> Node:
    target = "path" if kind == "along" else "box" if kind in ("faces", "points") else "ball"
    given: dict[str, Node] = {"lattice": {"spacing": 0.26}, "apart": {"distance": 0.25}}
    raw = one_shape(target)
    raw["shapes"][0]["visible"] = kind in ("surface", "faces", "points")
    full = kind in ("lattice", "points", "faces")
    raw["sources"] = [
        source(
            "it",
            {"kind": "fill"} if full else {"kind": "burst", "count": 1 if kind == "centre" else 130},
            placement={"kind": kind} | given.get(kind, {}),
            radius=fixed(0.05),
        )
    ]
    return raw


def emission(kind: str) -> Node:
    raw = conveyor([])
    given: dict[str, Node] = {"rate": {"rate": 30.0}, "burst": {"count": 26}, "one": {}, "pulses": {"count": 12, "every": 0.35}, "fill": {}}
    raw["sources"][0]["emission"] = node("emission", kind) | given[kind]
    if kind == "fill":
        raw["sources"][0]["placement"] = {"kind": "lattice", "spacing": 0.2}
    if kind in ("burst", "one", "fill"):
        raw["clock"] = raw["clock"] | {"duration": 0.7}
    return raw


def direction(kind: str) -> Node:
    given: dict[str, Node] = {"axis": {"axis": [1.0, 0.6, 0.0], "cone": 12.0}, "target": {"shape": "aim"}}
    shapes = [
        shape("ball", "nozzle", radius=0.35, position=[-0.4, 0.0, 0.0]),
        shape("ball", "aim", kind == "target", radius=0.12, position=[1.5, 0.4, 0.0]),
    ]
    looks = [{"kind": "trails", "id": "look", "length": {"kind": "by_time", "seconds": 1.0}}, {"kind": "balls", "id": "balls"}]
    placing = {"kind": "inside"} if kind == "centre" else {"kind": "surface"}
    born = source(
        "nozzle",
        {"kind": "burst", "count": 40},
        placement=placing,
        direction=node("direction", kind) | given.get(kind, {}),
        speed=fixed(1.8),
        radius=fixed(0.03),
    )
    raw = effect(shapes=shapes, sources=[born], looks=looks)
    raw["clock"] = raw["clock"] | {"duration": 0.45}
    return raw


def facing(kind: str) -> Node:
    raw = one_shape("ball")
    raw["shapes"][0]["radius"] = 0.6
    raw["sources"] = [
        source(
            "it",
            {"kind": "burst", "count": 60},
            placement={"kind": "apart", "distance": 0.25},
            orientation=node("facing", kind),
            radius=fixed(0.16),
            speed=fixed(0.3),
        )
    ]
    raw["looks"] = [{"kind": "sheets", "id": "look"}]
    return raw


def layer(kind: str) -> Node:
    raw = one_shape("ball")
    raw["shapes"][0]["visible"] = False
    raw["sources"] = [
        source("it", {"kind": "burst", "count": 300}, placement={"kind": "inside"}, radius={"kind": "spread", "value": 0.06, "spread": 0.03})
    ]
    ramp = {"named": "viridis", "reversed": False, "keys": []}
    across = {"kind": "place", "axis": "x"}
    given: dict[str, Node] = {
        "plain": {"color": BRASS},
        "ramp": {"quantity": across, "start": -0.7, "end": 0.7, "ramp": ramp},
        "bands": {"quantity": across, "start": -0.7, "width": 0.35},
        "channels": {},
        "noise": {},
        "by_group": {},
        "other": {},
    }
    look = "trails" if kind == "along_trail" else "balls"
    if kind == "along_trail":
        raw = conveyor([RULE | {"actions": [node("action", "turbulence", strength=fixed(5.0))]}])
        raw["sources"][0]["emission"] = {"kind": "rate", "rate": 10.0}
    raw["looks"] = colored(
        [node("layer", kind) | {name: value for name, value in given.get(kind, {}).items() if name in fields_of("layer", kind)}], look
    )
    return raw


def fields_of(slot: str, kind: str) -> set[str]:
    return {field["name"] for field in next(entry for entry in KINDS[slot] if entry["kind"] == kind)["fields"]}


def look(kind: str) -> Node:
    raw = conveyor([RULE | {"actions": [node("action", "turbulence", strength=fixed(2.0))]}])
    raw["sources"][0] |= {"emission": {"kind": "rate", "rate": 22.0}, "radius": fixed(0.14), "orientation": {"kind": "any"}}
    given: dict[str, Node] = {"dots": {"pixels": 7}, "links": {"reach": 0.6, "width": 0.03}, "discs": {"softness": 0.6}}
    raw["looks"] = [node("look", kind) | given.get(kind, {}) | {"id": "look"}]
    if kind == "links":
        raw["looks"].append({"kind": "balls", "id": "balls", "size": 0.4})
    if kind == "instances":
        raw["looks"][0]["form"] = "splinter"
    return raw


def picking(kind: str) -> Node:
    raw = look("pictures")
    raw["looks"][0] |= {"picture": "flakes", "picking": node("picking", kind)}
    return raw


def trail_length(kind: str) -> Node:
    raw = look("trails")
    raw["looks"][0]["length"] = node("trail_length", kind)
    return raw


def urge(kind: str) -> Node:
    """A dozen or two that steer by this alone, with the ways that they have come."""
    way = {"kind": "path", "points": [[-1.2, -0.3, 0.0], [0.0, 0.4, 0.0], [1.2, -0.3, 0.0]]}
    given: dict[str, Node] = {
        "avoid": {"distance": 0.6}, "flee": {"within": 1.2}, "keep_height": {"height": fixed(0.4)}, "stay_in_field": {"field": "cloud"},
        "follow_path": {"shape": "way", "within": 0.05}, "keep_apart": {"distance": 0.8}, "pursue": {"who": ["other"]},
        "follow_leader": {"who": ["other"]},
    }  # fmt: skip
    steering = node("action", "steer", neighbourhood="near", pace=fixed(1.2), force=fixed(5.0), urges=[node("urge", kind, **given.get(kind, {}))])
    raw = sheet([steering], kind in ("seek", "arrive", "flee", "avoid"), speed=[1.0, 0.3, 0.0])
    raw["neighbourhoods"] = [{"id": "near", "label": "Near", "reach": 1.0, "most": 7}]
    raw["sources"][0]["direction"] = {"kind": "any"} if kind in ("match", "gather", "wander", "stay_within") else raw["sources"][0]["direction"]
    around = kind == "stay_within"
    raw["shapes"][1] = shape("ball", "target", around or kind in ("seek", "arrive", "flee", "avoid"), radius=0.7 if around else 0.2)
    raw["shapes"].append(way | {"id": "way", "label": "Way", "visible": kind == "follow_path"})
    raw["fields"] = [cloud("falloff")]
    raw["rules"][0]["who"] = ["first"]
    if kind in ("pursue", "follow_leader"):
        one = source("target", {"kind": "one"}, group="other", placement=node("placement", "centre"), radius=fixed(0.1), speed=fixed(1.0),
            direction={"kind": "axis", "axis": [1.0, 0.0, 0.0], "cone": 0.0})  # fmt: skip
        raw["sources"].append(one | {"id": "leader", "label": "Leader", "color": fixed(BRASS)})
    return raw


def handing(kind: str) -> Node:
    """Children of one that is coloured and large, thrown to all sides."""
    hand = {"memory": {"rule": "act"}}.get(kind, {"attribute": "opacity"} if kind == "attribute" else {})
    split = node("action", "spawn", count=fixed(9.0), group="other", parent="kept", speed=fixed(0.9), heading="any", radius=fixed(0.07),
        lifetime=fixed(30.0), inherit_color=60.0, hands=[node("handing", kind, **hand)])  # fmt: skip
    raw = sheet([split], False, speed=[0.4, 0.0, 0.0])
    raw["rules"][0] |= {"trigger": "once", "id": "act", "who": ["first"]}
    return raw


DRAWN: dict[str, Callable[[str], Node]] = {
    "action": action,
    "urge": urge,
    "handing": handing,
    "quantity": quantity,
    "field": field,
    "amount": amount,
    "condition": condition,
    "shape": one_shape,
    "placement": placement,
    "emission": emission,
    "direction": direction,
    "facing": facing,
    "layer": layer,
    "look": look,
    "picking": picking,
    "trail_length": trail_length,
}
KINDS: dict[str, list[Node]] = catalogue()["slots"]


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:]
    for slot, draw in DRAWN.items():
        for info in KINDS[slot]:
            name = f"{slot}-{info['kind']}"
            if wanted and name not in wanted and slot not in wanted:
                continue
            try:
                picture = drawn(draw(info["kind"]))
            except Exception as error:
                print(f"{name}: {error!r:.300}", file=sys.stderr)
                continue
            picture.quantize(COLORS).save(TARGET / f"{name}.png", optimize=True)
            print(name)


if __name__ == "__main__":
    main()

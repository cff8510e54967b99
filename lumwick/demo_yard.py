"""Saltmere Yard, the second demo place: things and lamps on the shores of the first."""

from __future__ import annotations

import datetime as dt
from functools import lru_cache
from typing import Any

import numpy as np

from lumwick.built.presets import preset
from lumwick.demo import rowing_boat, saltmere
from lumwick.land.starters import saltmarsh
from lumwick.motion.channel import Channel, Key
from lumwick.motion.terms import Swing
from lumwick.motion.throwing import Throw, thrown
from lumwick.place.document import Place, Shot
from lumwick.place.files import asset_of
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Air, DrawnBeach, Water, Wind
from lumwick.place.objects import Copies, Gobo, Lamp, LampGroup, Opening, Shape, Surface, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.water.stream import Reach, fall_line

YARD = (62.0, 60.0)
"""East and north [m] of the courtyard's middle."""
TOP = 1.8
"""Height [m] of its paving."""
SHED = (104.0, 70.0)
"""East and north [m] of the shed for pictures."""


def _swing(base: float, amount: float, period: float, phase: float = 0.0) -> Channel:
    """A value that goes to and fro about a constant."""
    return Channel(keys=[Key(t=0, v=base, join="straight")], terms=(Swing(amount=amount, period=period, phase=phase),))


def _courtyard() -> list[Thing]:
    """A paved terrace with a house, a wall and what stands about."""
    e, n = YARD

    def opening(name: str, **more: Any) -> Opening:
        return Opening(id=name, **more)

    house = Shape(
        kind="room", width=7, depth=5, height=3, thick=0.3,
        openings=[
            opening("door", along=-1.5, up=0, width=1.1, height=2.1),
            opening("window", along=1.6, up=0.9, width=1.6, height=1.3, glazed=True),
            opening("side", wall="east", up=0.9, width=1.4, height=1.3, glazed=True),
        ],
    )  # fmt: skip
    wall = Shape(
        kind="wall", width=14, height=2.6, thick=0.25, openings=[opening("arch", along=3, up=0, width=1.4, height=2.1)]
    )
    ball = Shape(kind="ball", width=0.5, depth=0.5, height=0.5)
    return [
        Thing(id="terrace", name="Terrace", shape=Shape(kind="box", width=24, depth=24, height=1), east=e, north=n,
              up=TOP - 1, surface="paving"),
        Thing(id="house", name="House", shape=house, east=e, north=n + 7, up=TOP + 0.02, surface="plaster"),
        Thing(id="roof", name="Roof slab", shape=Shape(kind="box", width=8.4, depth=6.4, height=0.16), east=e,
              north=n + 7, up=TOP + 3.32, surface="plank"),
        Thing(id="wall", name="Garden wall", shape=wall, east=e - 7.5, north=n + 2.6, up=TOP, turn=90,
              surface="plaster"),
        Thing(id="steps", name="Steps", shape=Shape(kind="stairs", width=1.4, depth=1.4, height=0.7, steps=4),
              east=e + 7.2, north=n + 6, up=TOP, surface="plank"),
        Thing(id="crate", name="Crate", shape=Shape(kind="box", width=0.8, depth=0.8, height=0.8), east=e + 2.6,
              north=n + 2.4, up=TOP, turn=25, surface="plank"),
        Thing(id="pots", name="Pots", shape=Shape(kind="cylinder", width=0.45, depth=0.45, height=0.55), east=e - 6.7,
              north=n - 3.5, up=TOP, turn=90, surface="pot", copies=Copies(count=5, step=1.5, any_size=0.25,
                                                                          on_ground=False)),
        Thing(id="rubber-ball", name="Rubber ball", shape=ball, surface="ball", rolls=True, **_thrown(0.25)),
    ]  # fmt: skip


def _thrown(radius: float) -> dict[str, Channel]:
    """Where a ball is that is thrown across the terrace's south side, half a second into a shot."""

    def paving(x: Any, y: Any, z: Any) -> Any:
        return np.full(len(x), TOP)

    start = np.array([YARD[0] - 6.5, YARD[1] - 9.5, TOP + 1.6])
    keyed = thrown(Throw(speed=5.2, bearing=82, rise=38, bounce=0.62, drag=0.6), start, 0.5, paving, radius)
    lower = tuple(k.model_copy(update={"v": round(k.v - radius, 6)}) for k in keyed["up"].keys)
    keyed["up"] = keyed["up"].model_copy(update={"keys": lower})
    # before four seconds are over it lies in the hand again, so that the other shots' loops close
    return {name: curve.model_copy(update={"keys": _and_back(curve.keys)}) for name, curve in keyed.items()}


def _and_back(keys: tuple[Key, ...]) -> tuple[Key, ...]:
    stays = keys[-1].model_copy(update={"join": "step"})
    return (*keys[:-1], stays, Key(t=3.9, v=keys[0].v, join="step"))


def _shed() -> list[Thing]:
    """A dark shed with a paper sweep, and three things to look at."""
    e, n = SHED
    floor = TOP + 0.3

    def ball(width: float) -> Shape:
        return Shape(kind="ball", width=width, depth=width, height=width)

    return [
        Thing(id="shed", name="Picture shed", shape=Shape(kind="room", width=13, depth=12, height=5.5), east=e, north=n,
              up=floor, surface="tarred"),
        Thing(id="sweep", name="Sweep", shape=Shape(kind="sweep", width=9, depth=6, height=4, curve=1.6), east=e,
              north=n + 1, up=floor + 0.02, surface="paper"),
        Thing(id="varnished", name="Varnished ball", shape=ball(0.9), east=e - 0.95, north=n + 0.4, up=floor + 0.02,
              surface="varnish"),
        Thing(id="glass-ball", name="Glass ball", shape=ball(0.8), east=e + 0.3, north=n - 0.1, up=floor + 0.02,
              surface="glass"),
        Thing(id="brass-pillar", name="Brass pillar", shape=Shape(kind="cylinder", width=0.5, depth=0.5, height=1.1),
              east=e + 1.35, north=n + 0.8, up=floor + 0.02, surface="brass"),
    ]  # fmt: skip


def _tower() -> list[Thing]:
    """A light tower on the dune over the creek's mouth."""
    return [
        Thing(id="tower", name="Light tower", shape=Shape(kind="cylinder", width=2.4, depth=2.4, height=9.0),
              east=-116.0, north=44.0, up=3.2, surface="plaster"),
        Thing(id="gallery", name="Gallery", shape=Shape(kind="cylinder", width=3.2, depth=3.2, height=0.25),
              east=-116.0, north=44.0, up=12.2, surface="tarred"),
        Thing(id="hat", name="Lantern roof", shape=Shape(kind="cone", width=2.8, depth=2.8, height=1.3), east=-116.0,
              north=44.0, up=14.1, surface="tarred"),
    ]  # fmt: skip


def _boats(mesh: Any) -> Thing:
    """A row of boats at their moorings, each moving in its own time."""
    return Thing(
        id="boats", name="Rowing boats", mesh=mesh, east=-44.5, north=11.5, turn=70,
        up=_swing(0.03, 0.035, 2.5), tilt=_swing(0.0, 2.2, 2.5, 0.3), lean=_swing(0.0, 4.0, 5.0 / 3, 0.1),
        floats=True, surface="boat",
        copies=Copies(laid="line", count=6, step=3.1, line=[(-45.0, 12.0), (-28.0, 2.0)], facing=False,
                      on_ground=False, any_turn=9, any_size=0.06, any_later=5.0, seed=4),
    )  # fmt: skip


def _moored(mesh: Any) -> Thing:
    """A boat at its anchor off the beach."""
    return Thing(
        id="moored",
        name="Boat off the beach",
        mesh=mesh,
        east=-207.0,
        north=57.0,
        turn=300,
        floats=True,
        surface="boat",
    )


def _lamps() -> list[Lamp]:
    e, n = YARD
    x, y = SHED
    return [
        Lamp(id="porch", name="Porch lamp", kind="disc", width=0.25, east=e - 1.5, north=n + 3.9, up=TOP + 2.75,
             pitch=-90, amount=900, dusk=True, dusk_below=-1.5, group="yard"),
        Lamp(id="wall-lamp", name="Wall lamp", east=e - 7.05, north=n + 5, up=TOP + 2.1, amount=500, dusk=True,
             dusk_below=-2.5, group="yard"),
        Lamp(id="inside", name="Lamp in the house", kind="rectangle", width=0.9, height=0.5, east=e, north=n + 7.2,
             up=TOP + 2.9, pitch=-90, amount=1600, kelvin=2400, dusk=True, dusk_below=-0.5, group="yard"),
        Lamp(id="blinds", name="Light through blinds", kind="spot", east=e + 4.5, north=n - 5.5, up=TOP + 3.2,
             bearing=300, pitch=-12, amount=9000, kelvin=2600, inner=30, outer=34, source=0.05, dusk=True,
             dusk_below=-3.0, gobo=Gobo(kind="blinds", count=9, cover=0.5, far=0.6, size=0.6)),
        Lamp(id="leaves", name="Light through a plant", kind="spot", east=e + 9, north=n - 4, up=TOP + 4.2,
             bearing=325, pitch=-14, amount=12000, kelvin=3200, inner=24, outer=28, source=0.06, dusk=True,
             dusk_below=-3.5, gobo=Gobo(kind="leaves", count=34, cover=0.5, far=1.2, size=1.4)),
        Lamp(id="key", name="Panel", kind="rectangle", width=1.6, height=1.6, east=x - 3.2, north=y - 2.0, up=TOP + 3.9,
             bearing=50, pitch=-40, amount=14000, kelvin=4200),
        Lamp(id="rim", name="Tube", kind="line", width=0.04, height=1.4, east=x + 2.8, north=y - 0.4, up=TOP + 2.7,
             bearing=270, pitch=-30, amount=3500, kelvin=6000),
        Lamp(id="beam", name="Turning light", kind="spot", east=-116.0, north=44.0, up=13.3, bearing=-20, pitch=-0.4,
             amount=1.1e6, unit="cd", kelvin=4000, inner=0.9, outer=1.8, source=0.5, turns=1, dusk=True,
             dusk_below=-2.0),
    ]  # fmt: skip


def _surfaces() -> list[Surface]:
    return [
        preset("plaster", "plaster"),
        Surface(id="paving", name="Paving", pattern="brick", colour="#8d857a", second="#5c564e", roughness=0.75,
                wet=0.15),
        preset("plank", "plank"),
        preset("varnish", "varnish"),
        preset("glass", "glass"),
        preset("brass", "brass"),
        preset("paper", "paper"),
        Surface(id="tarred", name="Tarred boards", pattern="planks", colour="#3a332c", second="#241f1a", roughness=0.6),
        Surface(id="stone", name="Worn stone", pattern="rock", colour="#7d7a73", second="#5b5952", roughness=0.8),
        Surface(id="pot", name="Glazed pots", colour="#2f5f6a", roughness=0.3, coat=0.8, coat_roughness=0.05),
        Surface(id="ball", name="Orange rubber", colour="#c9531d", roughness=0.5),
        Surface(id="boat", name="Boat paint", pattern="planks", colour="#6d8f8a", second="#3f5350", roughness=0.45,
                coat=0.3, coat_roughness=0.25, scale=0.6),
    ]  # fmt: skip


def _clear_of_the_yard(stand: Stand) -> Stand:
    """A stand, kept off the terrace and the shed."""
    if stand.id == "reeds-walk":
        return stand.model_copy(update={"area": [(-62, 18), (-30, 2), (10, 8), (36, 34), (30, 70), (0, 62), (-50, 46)]})
    return stand


def _fixed(eye: tuple[float, float, float], aim: tuple[float, float, float], focal: float, name: str) -> Route:
    return Route(
        way="fixed", stations=[Station(id="s1", name=name, east=eye[0], north=eye[1], up=eye[2], aim=aim, focal=focal)]
    )


def _drawn_beach() -> DrawnBeach:
    """A beach in flat tones, whose wash goes to and fro in whatever loop it is drawn over."""
    return DrawnBeach(id="wash", name="Drawn wash", reach=_swing(0.45, 0.2, 4.0), seed=4)


BROOK_HEAD = (300.0, 300.0)
"""Where the brook begins [m]: on the slope in the north-east."""
STEEP = (262.0, 238.0)
"""Where it falls among stones [m]."""
POND = [(96.0, 14.0), (108.0, 9.0), (121.0, 13.0), (126.0, 24.0), (119.0, 33.0), (106.0, 34.0), (97.0, 26.0)]


@lru_cache(1)
def _brook_line() -> tuple[tuple[float, float], ...]:
    """The brook's way down the land's own fall to the sea."""
    ground = saltmarsh()
    return tuple(fall_line(ground.height, BROOK_HEAD, ground.bounds, 0.0))


def _waters() -> list[Water]:
    """A brook among stones, a pond by the yard, and puddles on the sand."""
    sand = [(-162.0, 20.0), (-146.0, 20.0), (-146.0, 38.0), (-162.0, 38.0)]
    return [
        Water(id="brook", name="Brook", kind="stream", line=list(_brook_line()), width=2.8, depth=0.2, bed="boulders",
              sheltered=0.8),
        Water(id="pond", name="Pond", kind="pond", line=POND, depth=1.4, water="green", sheltered=0.4),
        Water(id="puddles", name="Puddles on the sand", kind="puddles", line=sand, filled=0.45, water="spring"),
    ]  # fmt: skip


def _brook() -> tuple[Setting, Reach]:
    """The land with the brook in it, and its reach."""
    place, _ = saltmere()
    setting = Setting(place.model_copy(update={"waters": _waters(), "things": [], "growth": []}), saltmarsh())
    run = setting.beds()[0].reach
    assert run is not None
    return setting, run


def _stones() -> list[Thing]:
    """Worn stones in the brook and on its banks, by chance."""
    setting, run = _brook()
    rng = np.random.default_rng(12)
    middle = int(np.argmin(np.hypot(run.x - STEEP[0], run.y - STEEP[1])))
    ux, uy = run.way
    out = []
    for k in range(26):
        at = int(np.clip(middle + rng.integers(-26, 26), 0, len(run.x) - 1))
        aside = rng.uniform(-1.9, 1.9)
        x, y = float(run.x[at] - aside * uy[at]), float(run.y[at] + aside * ux[at])
        wide = float(rng.uniform(0.25, 0.5) if k % 3 else rng.uniform(0.6, 1.15))
        tall = wide * float(rng.uniform(0.5, 0.8))
        low = float(setting.ground.height(np.array([x]), np.array([y]))[0])
        out.append(
            Thing(id=f"stone-{k}", name=f"Stone {k + 1}", east=round(x, 2), north=round(y, 2),
                  up=round(low - 0.3 * tall, 2), turn=round(float(rng.uniform(0, 360)), 1), surface="stone",
                  shape=Shape(kind="stone", width=wide, depth=wide * 0.75, height=tall, number=k + 1))
        )  # fmt: skip
    return out


def _by_water() -> list[Shot]:
    """The brook among its stones, the pond in rain, and under the sea's surface."""
    setting, run = _brook()
    k = int(np.argmin(np.hypot(run.x - STEEP[0], run.y - STEEP[1])))
    ux, uy = run.way
    eye = k + 8  # from below, looking up the fall
    x, y = float(run.x[eye] - 1.2 * uy[eye]), float(run.y[eye] + 1.2 * ux[eye])
    foot = float(setting.ground.height(np.array([x]), np.array([y]))[0])
    aim = (float(run.x[k - 3]), float(run.y[k - 3]), float(run.surface[k - 3]) + 0.1)
    return [
        Shot(
            id="brook", name="The brook among its stones", frames=96, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 15, 20), speed=0),
            wind=Wind(speed=2.0, from_bearing=245, gustiness=0.2),
            exposure=Exposure(ev100=13.2, kelvin=5600, f_number=8, focus=5),
            route=_fixed((x, y, max(foot, float(run.surface[eye])) + 0.8), aim, 26, "By the brook"),
        ),
        Shot(
            id="pond", name="The pond in rain", frames=96, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 20, 10), speed=0),
            wind=Wind(speed=1.5, from_bearing=245, gustiness=0.2),
            air=Air(haze=0.6, fog_visibility=2500, fog_height=60, fog_base=0, rain=7),
            exposure=Exposure(ev100=10.6, kelvin=5200, f_number=8, focus=4),
            route=_fixed((98.3, 14.6, 2.35), (106, 20, 1.2), 26, "By the pond"),
        ),
        Shot(
            id="under", name="Under the water's surface", frames=120, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 17, 10), speed=0),
            exposure=Exposure(ev100=12.2, kelvin=5800, f_number=8, focus=5),
            route=_fixed((-46.6, 8.2, -0.25), (-51.0, 14.5, 0.35), 18, "Below the jetty"),
        ),
    ]  # fmt: skip


def _shots() -> list[Shot]:
    e, n = YARD
    x, y = SHED
    return [
        Shot(
            id="yard", name="The yard as its lamps come on", frames=144,
            clock=Clock(start=dt.datetime(2026, 6, 5, 21, 42), speed=360),
            exposure=Exposure(ev100=Channel(keys=[Key(t=0, v=7.4), Key(t=6, v=4.6)]), kelvin=4300, f_number=5.6,
                              focus=12),
            route=_fixed((e + 6.2, n - 9.6, TOP + 1.7), (e - 1.6, n + 6, TOP + 1.5), 24, "By the steps"),
        ),
        Shot(
            id="beam", name="The turning light in mist", frames=192, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 23, 30), speed=0),
            air=Air(haze=0.1, fog_visibility=800, fog_height=25, fog_base=0),
            wind=Wind(speed=2.0, from_bearing=245, gustiness=0.2),
            exposure=Exposure(ev100=-1.0, kelvin=4800, f_number=2.8, focus=60),
            route=_fixed((-50.2, 13.2, 3.0), (-116, 40, 9.5), 28, "On the jetty"),
        ),
        Shot(
            id="sweep", name="Varnish, glass and brass", frames=96, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 13, 0), speed=0),
            exposure=Exposure(ev100=7.0, kelvin=4400, f_number=5.6, focus=5.6),
            route=_fixed((x + 0.3, y - 4.7, TOP + 1.7), (x + 0.1, y + 0.5, TOP + 0.75), 42, "Before the sweep"),
        ),
        Shot(
            id="boats", name="Boats out of step", frames=120, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 19, 30), speed=0),
            wind=Wind(speed=3.0, from_bearing=245, gustiness=0.2),
            exposure=Exposure(ev100=13.0, kelvin=5600, f_number=8, focus=14),
            route=_fixed((-50.4, 17.5, 3.0), (-36, 5.5, 0.2), 28, "On the jetty"),
        ),
        Shot(
            id="ebb", name="The creek at low water", frames=120, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 13, 15), speed=0),
            wind=Wind(speed=3.0, from_bearing=245, gustiness=0.2),
            exposure=Exposure(ev100=13.8, kelvin=5600, f_number=8, focus=14),
            route=_fixed((-50.4, 17.5, 3.0), (-36, 5.5, 0.2), 28, "On the jetty"),
        ),
        Shot(
            id="beach", name="A boat off the beach", frames=180, loop=True,
            clock=Clock(start=dt.datetime(2026, 6, 5, 16, 30), speed=0),
            exposure=Exposure(ev100=14.0, kelvin=5600, f_number=8, focus=30),
            route=_fixed((-173.0, 30.0, 2.7), (-204.0, 60.0, 0.3), 40, "On the beach"),
        ),
        Shot(
            id="throw", name="A ball across the yard", frames=96,
            clock=Clock(start=dt.datetime(2026, 6, 5, 17, 30), speed=0),
            exposure=Exposure(ev100=13.6, kelvin=5600, f_number=8, focus=9),
            route=_fixed((e - 3.5, n + 0.5, TOP + 1.6), (e + 0.5, n - 10, TOP + 0.6), 24, "By the wall"),
        ),
    ]  # fmt: skip


@lru_cache(1)
def _made() -> tuple[Place, dict[str, bytes]]:
    base, assets = saltmere()
    boat = rowing_boat()
    mesh = asset_of("rowing-boat.glb", boat)
    used = {base.land.elevation.sha256: assets[base.land.elevation.sha256], mesh.sha256: boat}
    place = base.model_copy(
        update={
            "name": "Saltmere Yard",
            "built": [b for b in base.built if b.id == "jetty"],
            "things": [*_courtyard(), *_shed(), *_tower(), _boats(mesh), _moored(mesh), *_stones()],
            "waters": _waters(),
            "beaches": [_drawn_beach()],
            "banks": [],
            "lamps": _lamps(),
            "sea": base.sea.model_copy(
                update={
                    "water": "coastal",
                    "tide_range": 2.2,
                    "tide_high": 19.5,
                    "swell_height": 0.5,
                    "swell_period": 7.5,
                    "swell_from": 285.0,
                }
            ),
            "lamp_groups": [LampGroup(id="yard", name="Yard lamps")],
            "surfaces": _surfaces(),
            "shots": [*_shots(), *_by_water()],
            "growth": [_clear_of_the_yard(s) for s in base.growth],
            "cut": base.cut.model_copy(update={"pieces": [], "fade_in": 0, "fade_out": 0}),
        }
    )
    return place, used


def yard() -> tuple[Place, dict[str, bytes]]:
    """The place's document and its assets."""
    place, assets = _made()
    return place.model_copy(deep=True), dict(assets)

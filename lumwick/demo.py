"""Saltmere Reach, the demo: an invented tidal creek, made by Lumwick's own code."""

from __future__ import annotations

import datetime as dt
from functools import lru_cache
from importlib import import_module
from typing import Any

import numpy as np

from lumwick.built.gltf_out import glb_of
from lumwick.built.meshes import Mesh, MeshPart, MeshSurface
from lumwick.built.timber import build
from lumwick.demo_stands import growth
from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.land.starters import saltmarsh
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Cut, Piece, Place, Shot
from lumwick.place.fields import Asset
from lumwick.place.files import asset_of
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.nature import Air, FogBank, HighClouds, Land, LowClouds, Sea, Site, Wind
from lumwick.place.objects import Built, Lamp, Surface, Thing


def _station(
    sid: str, east: float, north: float, up: float, aim: tuple[float, float, float], focal: float = 28.0, name: str = ""
) -> Station:
    return Station(id=sid, name=name, east=east, north=north, up=up, aim=aim, focal=focal)


@lru_cache(1)
def _elevation() -> bytes:
    return write_elevation(saltmarsh())


@lru_cache(1)
def lamp_post() -> bytes:
    """A timber post with an arm and a sheet-iron shade, as glTF: y up, foot at the origin, the shade's mouth 2.2 m
    over it."""
    # trimesh's own calls have no types
    trimesh: Any = import_module("trimesh")

    def part(mesh: Any, colour: tuple[int, int, int], metal: float, rough: float, name: str) -> Any:
        mesh.visual = trimesh.visual.TextureVisuals(
            material=trimesh.visual.material.PBRMaterial(
                name=name, baseColorFactor=[*colour, 255], metallicFactor=metal, roughnessFactor=rough
            )
        )
        return mesh

    wood, iron = ((92, 82, 68), 0.0, 0.85, "post"), ((70, 92, 84), 0.0, 0.35, "shade")
    post = trimesh.creation.box((0.09, 2.5, 0.09), trimesh.transformations.translation_matrix((0, 1.25, 0)))
    arm = trimesh.creation.box((0.55, 0.05, 0.05), trimesh.transformations.translation_matrix((0.25, 2.42, 0)))
    # the shade, open below: a cone's skin from its tip to its mouth
    n = 24
    turn = 2 * np.pi * np.arange(n) / n
    ring = np.stack([0.45 + 0.17 * np.cos(turn), np.full(n, 2.20), 0.17 * np.sin(turn)], -1)
    v = np.concatenate([[[0.45, 2.38, 0.0]], ring])
    shade = trimesh.Trimesh(v, [[0, 1 + (k + 1) % n, 1 + k] for k in range(n)], process=False)
    scene = trimesh.Scene([part(post, *wood), part(arm, *wood), part(shade, *iron)])
    return bytes(scene.export(file_type="glb"))


@lru_cache(1)
def rowing_boat() -> bytes:
    """A rowing boat as glTF, bow to the north, its waterline at zero."""
    level = Ground(np.zeros((3, 3), np.float32), 10.0, -10.0, -10.0)
    made = build(Built(id="boat", name="Boat", kind="boat", line=[(0.0, 0.0)], width=2.0, deck=0.0), level)
    quads = made.quads.astype(np.int64)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.uint32)
    tarred = MeshSurface("boards", (0.12, 0.07, 0.035), 0.5, coat=0.3, coat_roughness=0.3)
    return glb_of(Mesh((MeshPart(tarred, made.vertices, triangles, None, None),)), "rowing boat")


def spoilt(place: Place) -> Shot:
    """The dawn's flight with everything wrong that happens to a first try: too fast, through the ground, jerking
    about, looking back."""
    dawn = place.shot("dawn")
    stations = [
        _station("s1", 10, -10, 3.1, (4, 70, 3.0), 30, "Over the creek's reeds"),
        _station("s2", 22, 4, 0.9, (60, 0, 2), 30, "Into the bank").model_copy(update={"roll": 1.8}),
        _station("s3", 30, 30, 3.0, (-60, 40, 3), 30, "Back again"),
        _station("s4", 46, 15, 3.9, (80, 112, 4), 30, "Over the flat"),
        _station("s5", 90, 120, 5.0, (30, 60, 5), 30, "Looking back"),
        _station("s6", 96, 150, 7.0, (118, 190, 5.6), 30, "Towards the pines"),
    ]
    return dawn.model_copy(update={"frames": 144, "route": Route(stations=stations)})


def _lamps() -> list[Lamp]:
    """The lamp over the jetty."""
    return [
        Lamp(
            id="jetty-lamp",
            name="Jetty lamp",
            kind="disc",
            east=-50.02,
            north=13.35,
            up=1.35 + 2.21,
            amount=900,
            kelvin=2400,
            width=0.2,
        ),
        Lamp(
            id="hide-lantern",
            name="Lantern in the hide",
            kind="point",
            lit=False,
            east=-19.6,
            north=26.4,
            up=3.9,
            amount=250,
            kelvin=1900,
        ),
    ]


def _surfaces() -> list[Surface]:
    """What they are made of."""
    return [
        Surface(
            id="tarred",
            name="Tarred boards",
            pattern="planks",
            colour="#3a332c",
            second="#3a332c",
            roughness=0.55,
            coat=0.15,
            coat_roughness=0.35,
        ),
        Surface(
            id="wet-sand",
            name="Wet sand",
            pattern="sand",
            colour="#b9a684",
            second="#9f8f70",
            roughness=0.9,
            wet=0.8,
        ),
    ]


def _dawn() -> Shot:
    """Dawn fog over the reeds."""
    return Shot(
        id="dawn",
        name="Dawn fog over the reeds",
        frames=288,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 6, 5, 5, 50), speed=1),
        air=Air(
            haze=0.10,
            fog_visibility=480,
            fog_height=5.0,
            fog_base=0.6,
            low=LowClouds(oktas=2.5, base=950, thick=650, seed=14),
            high=HighClouds(amount=3.5, depth=0.22),
        ),
        wind=Wind(speed=1.8, from_bearing=235, gustiness=0.2),
        exposure=Exposure(
            ev100=Channel(keys=[Key(t=2, v=12.2), Key(t=8, v=12.8)]), kelvin=5600, f_number=5.6, focus=40
        ),
        route=Route(
            way="fly",
            eased_start=0.25,
            eased_end=0.25,
            stations=[
                _station("s1", 10, -10, 4.6, (4, 70, 3.0), 30, "Over the creek's reeds"),
                _station("s2", 21, -3, 4.9, (38, 92, 3.4), 30, "Past the walk"),
                _station("s3", 33, 5, 5.2, (80, 112, 4.0), 30, "Over the flat"),
                _station("s4", 46, 15, 5.7, (118, 152, 5.6), 32, "Towards the pines"),
            ],
        ),
    )


def _boardwalk() -> Shot:
    """The boardwalk into the hide."""
    return Shot(
        id="boardwalk",
        name="The boardwalk into the hide",
        frames=408,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 6, 5, 9, 40), speed=1),
        exposure=Exposure(
            ev100=Channel(keys=[Key(t=0, v=13.7), Key(t=13.4, v=13.7), Key(t=16.4, v=11.7)]),
            kelvin=5600,
            f_number=8,
            focus=12,
        ),
        route=Route(
            way="walk",
            eye_height=1.62,
            gait=0.6,
            eased_start=0.09,
            eased_end=0.09,
            stations=[
                _station("w1", 0.0, 39.6, 3.57, (-14, 30, 3.3), 24, "On the boards"),
                _station("w2", -8.0, 34.7, 3.57, (-20, 26, 3.2), 24, "By the reeds"),
                _station("w3", -17.2, 28.4, 3.57, (-24, 22, 3.25), 24, "At the door"),
                _station("w4", -19.6, 26.4, 3.57, (-40, 6, 2.0), 24, "Inside"),
            ],
        ),
    )


def _sunset() -> Shot:
    """The sea from the dunes, across sunset."""
    return Shot(
        id="sunset",
        name="The sea from the dunes, across sunset",
        frames=240,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 6, 5, 20, 20), speed=900),
        exposure=Exposure(
            ev100=Channel(
                keys=[
                    Key(t=0, v=13.6, join="spline"),
                    Key(t=3.0, v=12.1, join="spline"),
                    Key(t=5.6, v=9.3, join="spline"),
                    Key(t=7.5, v=5.5, join="spline"),
                    Key(t=9.96, v=1.4),
                ]
            ),
            kelvin=5600,
            f_number=8,
            focus=200,
        ),
        route=Route(
            way="fly",
            stations=[
                _station("d1", -98, -100, 4.4, (-298, 246, -28.0), 28, "On the dune"),
                _station("d2", -101, -88, 4.7, (-306, 262, -28.0), 28, "Slid north"),
            ],
        ),
    )


def _pine() -> Shot:
    """A pine in wind."""
    return Shot(
        id="pine",
        name="A pine in wind",
        frames=96,
        fps="24",
        loop=True,
        clock=Clock(start=dt.datetime(2026, 6, 5, 18, 10), speed=0),
        wind=Wind(speed=7.5, from_bearing=245, gustiness=0.28),
        exposure=Exposure(ev100=12.9, kelvin=5600, f_number=8, focus=25),
        route=Route(way="fly", stations=[_station("p1", 130, 128, 2.6, (117, 220, 9.5), 32, "Below the pines")]),
    )


def _jetty() -> Shot:
    """The jetty lamp at dusk."""
    return Shot(
        id="jetty",
        name="The jetty lamp at dusk",
        frames=120,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 6, 5, 22, 35), speed=1),
        wind=Wind(speed=2.5, from_bearing=245, gustiness=0.2),
        exposure=Exposure(ev100=2.6, kelvin=5600, f_number=4, focus=20),
        route=Route(
            way="fly",
            stations=[
                _station("j1", -34, 22, 3.4, (-58, 6, 2.2), 30, "By the reeds"),
                _station("j2", -36, 20.4, 3.3, (-58, 6, 2.2), 30, "A step nearer"),
            ],
        ),
    )


def _shore() -> Shot:
    """The wash on the sand at low water, and a boat that rides off it."""
    return Shot(
        id="shore",
        name="The wash on the sand",
        frames=192,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 6, 5, 13, 10), speed=1),
        exposure=Exposure(ev100=14.2, kelvin=5600, f_number=8, focus=14),
        route=Route(
            way="fly",
            eased_start=0.2,
            eased_end=0.2,
            stations=[
                _station("b1", -184.0, 40.0, 1.6, (-200, 60, -0.3), 26, "By the edge"),
                _station("b2", -186.0, 42.6, 1.55, (-201, 62, -0.3), 26, "Along it"),
            ],
        ),
    )


def _moonlit() -> Shot:
    """The creek by moonlight, and a bank of fog on it."""
    return Shot(
        id="moonlit",
        name="The creek by moonlight",
        frames=192,
        fps="24",
        clock=Clock(start=dt.datetime(2026, 10, 25, 21, 30), speed=1),
        air=Air(
            haze=0.10,
            fog_visibility=30_000,
            fog_height=80,
            low=LowClouds(oktas=2, base=1300, seed=7),
            high=HighClouds(amount=2, depth=0.1),
        ),
        wind=Wind(speed=1.5, from_bearing=235, gustiness=0.2),
        exposure=Exposure(ev100=-2.6, kelvin=4600, f_number=2.8, focus=45),
        route=Route(
            way="fly",
            eased_start=0.2,
            eased_end=0.2,
            stations=[
                _station("m1", -19, -19.5, 3.2, (-58, 13, 4.4), 27, "Off the bank"),
                _station("m2", -25, -13.5, 2.9, (-58, 12, 3.9), 28, "Out over the water"),
            ],
        ),
    )


def _moored(name: str, words: str, mesh: Asset, at: tuple[float, float], turn: float) -> Thing:
    """A boat on a mooring."""
    return Thing(
        id=name, name=words, mesh=mesh, east=at[0], north=at[1], up=0.0, turn=turn, floats=True, mooring="moored",
        slack=0.6, surface="tarred",
    )  # fmt: skip


def _cut() -> Cut:
    """The pieces, and how the film is developed."""
    return Cut(
        fade_in=18,
        fade_out=36,
        pieces=[
            Piece(id="p1", shot="dawn", join="dissolve", over=24),
            Piece(id="p2", shot="boardwalk", join="dissolve", over=18),
            Piece(id="p3", shot="pine", join="dissolve", over=18),
            Piece(id="p6", shot="shore", join="dissolve", over=18),
            Piece(id="p4", shot="sunset", last=216, join="fade", over=24),
            Piece(id="p5", shot="jetty"),
        ],
    )


def saltmere() -> tuple[Place, dict[str, bytes]]:
    """The demo's document and its assets."""
    data = _elevation()
    asset = asset_of("saltmere-ground.tif", data)
    post = asset_of("lamp-post.glb", lamp_post())
    boat = asset_of("rowing-boat.glb", rowing_boat())
    walk = [(118.0, 132.0), (84.0, 104.0), (58.0, 84.0), (28.0, 62.0), (4.0, 42.0), (-10.0, 33.5), (-18.7, 27.3)]
    place = Place(
        name="Saltmere Reach",
        site=Site(latitude=54.6, longitude=-3.5, utc_offset=1.0),
        land=Land(elevation=asset, cover="saltmarsh", beach_top=2.2),
        sea=Sea(
            level=0.0, wind_speed=7.5, wind_from=262, fetch_km=70, depth=16, clarity=2.6, tide_range=1.0, tide_high=17.0
        ),
        air=Air(
            haze=0.12,
            fog_visibility=14000,
            fog_height=80,
            fog_base=0,
            low=LowClouds(oktas=2.5, base=1000, thick=800),
            high=HighClouds(amount=2.5, depth=0.15),
        ),
        wind=Wind(speed=4.5, from_bearing=245, gustiness=0.24),
        banks=[
            FogBank(
                id="creek",
                name="On the creek",
                area=[(-120, -60), (60, -60), (60, 90), (-120, 90)],
                visibility=110,
                thick=3.2,
                size=14,
                only="moonlit",
            )
        ],
        growth=growth(),
        built=[
            Built(id="boardwalk", name="Boardwalk", kind="boardwalk", line=walk, width=1.5, deck=1.95),
            Built(id="hide", name="Watching hide", kind="hide", line=[(-20.0, 26.0)], width=4.2, deck=1.95, turn=225),
            Built(
                id="jetty", name="Plank jetty", kind="jetty", line=[(-53.0, 33.0), (-50.0, 12.0)], width=1.3, deck=1.35
            ),
        ],
        things=[
            Thing(id="lamp-post", name="Lamp post", mesh=post, east=-49.6, north=13.2, up=1.35, turn=200),
            _moored("boat", "Rowing boat", boat, (-44.5, 10.0), 70),
            _moored("beach-boat", "Boat off the beach", boat, (-213.0, 74.0), 130),
        ],
        lamps=_lamps(),
        surfaces=_surfaces(),
        shots=[_dawn(), _boardwalk(), _sunset(), _pine(), _jetty(), _shore(), _moonlit()],
        cut=_cut(),
    )
    return place, {asset.sha256: data, post.sha256: lamp_post(), boat.sha256: rowing_boat()}

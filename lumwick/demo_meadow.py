"""A third demo place: a down with a meadow in flower, trees that turn through the year, and an overgrown stump."""

from __future__ import annotations

import datetime as dt
from functools import lru_cache

import numpy as np
from scipy import ndimage

from lumwick.land.elevation import write_elevation
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Place, Shot
from lumwick.place.files import asset_of
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Front, Spot, Stand
from lumwick.place.nature import Air, GroundWay, HighClouds, Land, LowClouds, Ridge, Sea, Site, Wind
from lumwick.place.objects import Shape, Surface, Thing

MEADOW = [(-46.0, -30.0), (40.0, -34.0), (52.0, 6.0), (44.0, 48.0), (-30.0, 52.0), (-52.0, 14.0)]
BARREN = [(-150.0, -130.0), (-70.0, -150.0), (-62.0, -72.0), (-140.0, -58.0)]
STUMP = (62.0, -58.0)
OAK = (118.0, 40.0)
MIDSUMMER = dt.datetime(2026, 6, 12)


@lru_cache(1)
def downs() -> Ground:
    """A rounded down in long low hills, 2.5 m apart."""
    n, spacing = 321, 2.5
    half = (n - 1) * spacing / 2
    axis = np.arange(n) * spacing - half
    x, y = np.meshgrid(axis, axis)
    rng = np.random.default_rng(12)
    broad, fine = (ndimage.gaussian_filter(rng.standard_normal((n, n)), size, mode="reflect") for size in (34, 7))
    hills = 16 * broad / broad.std() + 0.5 * fine / fine.std()
    near = np.exp(-((np.hypot(x, y) / 120) ** 2))  # the meadow lies on a gentle shoulder
    back = 30 / (1 + np.exp(-(np.hypot(x, y) - 260) / 45))
    shoulder = 0.035 * y - 0.02 * x
    return Ground((hills * (1 - 0.93 * near) + back + shoulder + 60).astype(np.float32), spacing, -half, -half)


def _keys(*points: tuple[float, float]) -> Channel:
    return Channel(keys=[Key(t=t, v=v) for t, v in points])


def _stands() -> list[Stand]:
    flowers = {"area": MEADOW, "slope_most": 40}
    hedge = [(-60.0 + 7.0 * k, 62.0 + 3.0 * np.sin(1.3 * k)) for k in range(19)]
    return [
        Stand(id="meadow", name="Hay meadow", kind="meadow", per_hectare=25_000, height=0.7, dry=0.12, margin=0.2,
              seed=3, **flowers),
        Stand(id="poppies", name="Poppies", kind="poppy", per_hectare=2400, height=0.62, groves=26, groves_cover=0.4,
              seed=4, **flowers),
        Stand(id="oxeyes", name="Oxeye daisies", kind="oxeye", per_hectare=4200, height=0.58, groves=18,
              groves_cover=0.5, seed=5, **flowers),
        Stand(id="cornflowers", name="Cornflowers", kind="cornflower", per_hectare=2200, height=0.66, groves=22,
              groves_cover=0.35, seed=6, **flowers),
        Stand(id="oak", name="The oak", kind="oak", height=14, only_singles=True, leaves="by the dial",
              month=_keys((0, 3.8), (12, 15.8 - 3.0)), singles=[Spot(id="oak", east=OAK[0], north=OAK[1])], seed=7),
        Stand(id="hedge", name="Thorn hedge", kind="hawthorn", height=3.6, variation=0.3, only_singles=True, seed=8,
              singles=[Spot(id=f"h{k}", east=round(x, 1), north=round(float(y), 1), turn=(67.0 * k) % 360,
                            size=0.8 + 0.4 * ((k * 7) % 5) / 5) for k, (x, y) in enumerate(hedge)]),
        Stand(id="birches", name="Birches on the brow", kind="birch", height=12, variation=0.3, per_hectare=130,
              spaced=4.0, area=[(-160, 70), (-84, 74), (-70, 150), (-150, 168)], seed=9),
        Stand(id="pines", name="Pines on the brow", kind="pine", height=13, variation=0.25, per_hectare=140, spaced=4.5,
              lean=3, area=[(70, 96), (150, 84), (176, 168), (84, 176)], seed=10),
        Stand(id="turf", name="Grazed turf", kind="grass", per_hectare=20_000, height=0.22,
              area=[(44, -84), (150, -96), (160, 76), (56, 60), (54, -20)], seed=11),
        Stand(id="moss", name="On the stump", kind="grass", per_hectare=700_000, height=0.09, on="stump", slope_most=90,
              upright=0.35, seed=12,
              front=Front(of="spots", points=[(STUMP[0] - 0.5, STUMP[1] - 0.3)], reach=_keys((0.5, -0.4), (9.5, 1.9)),
                          soft=0.5)),
        Stand(id="ivy", name="Flowers at the stump", kind="oxeye", per_hectare=60_000, height=0.34,
              area=[(STUMP[0] + 1.5 * np.sin(a), STUMP[1] + 1.5 * np.cos(a)) for a in np.linspace(0, 5.9, 14)],
              front=Front(of="spots", points=[STUMP], reach=_keys((3.0, -0.5), (10.0, 2.5)), soft=0.7), seed=13),
        Stand(id="new-grass", name="New grass", kind="meadow", per_hectare=22_000, height=0.5, area=BARREN,
              front=Front(of="line", points=[(-150, -132), (-68, -152)], reach=_keys((0.5, -5), (9, 110)), soft=24),
              seed=14),
        Stand(id="new-birches", name="Young birches", kind="birch", per_hectare=110, height=7, spaced=5, area=BARREN,
              grown=_keys((3, 0), (11.5, 1)), seed=15),
    ]  # fmt: skip


def _fixed(eye: tuple[float, float, float], aim: tuple[float, float, float], focal: float, name: str) -> Route:
    """A camera that stands; heights are told over the ground."""
    ground = downs()
    up, over = (float(ground.height(np.array([p[0]]), np.array([p[1]]))[0]) for p in (eye, aim))
    station = Station(
        id="s1", name=name, east=eye[0], north=eye[1], up=round(up + eye[2], 2),
        aim=(aim[0], aim[1], round(over + aim[2], 2)), focal=focal,
    )  # fmt: skip
    return Route(way="fixed", stations=[station])


def _shots() -> list[Shot]:
    low = {"speed": 0}
    return [
        Shot(
            id="gust", name="A gust over the meadow", frames=144, loop=True,
            clock=Clock(start=MIDSUMMER.replace(hour=18, minute=40), **low),
            wind=Wind(speed=6.5, from_bearing=250, gustiness=0.4),
            exposure=Exposure(ev100=13.1, kelvin=5200, f_number=8, focus=9),
            route=_fixed((-24, -25, 1.75), (6, 40, 0.4), 26, "In the hay"),
        ),
        Shot(
            id="wheel", name="A ball through tall grass", frames=336,
            clock=Clock(start=MIDSUMMER.replace(hour=9, minute=10), **low),
            wind=Wind(speed=2.5, from_bearing=250, gustiness=0.2),
            exposure=Exposure(ev100=13.5, kelvin=5500, f_number=8, focus=9),
            route=_fixed((-5.5, -5.5, 4.3), (-4.5, 4.2, 0.1), 22, "Over the mown way"),
        ),
        Shot(
            id="stump", name="A stump overgrown", frames=264,
            clock=Clock(start=MIDSUMMER.replace(hour=17, minute=20), **low),
            exposure=Exposure(ev100=13.1, kelvin=5300, f_number=5.6, focus=3.2),
            route=_fixed((STUMP[0] - 1.9, STUMP[1] - 2.5, 1.25), (*STUMP, 0.35), 32, "Beside it"),
        ),
        Shot(
            id="year", name="An oak through the year", frames=288,
            clock=Clock(start=MIDSUMMER.replace(hour=10, minute=0), **low),
            wind=Wind(speed=3.0, from_bearing=250, gustiness=0.25),
            exposure=Exposure(ev100=13.8, kelvin=5600, f_number=8, focus=26),
            route=_fixed((OAK[0] - 6, OAK[1] - 27, 1.6), (OAK[0] + 1, OAK[1], 6.2), 24, "Under the sky"),
        ),
        Shot(
            id="green", name="Barren to green", frames=288,
            clock=Clock(start=MIDSUMMER.replace(hour=7, minute=0), **low),
            wind=Wind(speed=3.0, from_bearing=250, gustiness=0.25),
            exposure=Exposure(ev100=13.0, kelvin=5200, f_number=8, focus=20),
            route=_fixed((-102, -164, 3.2), (-110, -90, 2.0), 26, "Before it"),
        ),
        Shot(
            id="gale", name="Pines in a gale", frames=144, loop=True,
            clock=Clock(start=MIDSUMMER.replace(hour=16, minute=0), **low),
            wind=Wind(speed=19, from_bearing=255, gustiness=0.3),
            exposure=Exposure(ev100=13.7, kelvin=5800, f_number=8, focus=26),
            route=_fixed((104, 66, 1.7), (116, 120, 8.5), 26, "Below the brow"),
        ),
    ]  # fmt: skip


@lru_cache(1)
def _made() -> tuple[Place, dict[str, bytes]]:
    ground = downs()
    data = write_elevation(ground)
    asset = asset_of("harrow-down.tif", data)

    def foot(east: float, north: float) -> float:
        return float(ground.height(np.array([east]), np.array([north]))[0])

    stump = Thing(
        id="stump", name="Stump", shape=Shape(kind="cylinder", width=1.1, depth=1.0, height=0.72), surface="bark",
        east=STUMP[0], north=STUMP[1], up=round(foot(*STUMP) - 0.12, 3), turn=20,
    )  # fmt: skip
    ball = Thing(
        id="ball", name="Great red ball", surface="rubber",
        shape=Shape(kind="ball", width=1.15, depth=1.15, height=1.15),
        east=_keys((0, -20), (4, 3)), north=_keys((0, 1.0), (4, 6.5)), up=0.0, rolls=True,
    )  # fmt: skip
    place = Place(
        name="Harrow Down",
        site=Site(latitude=51.0, longitude=-1.6, utc_offset=0, altitude=60),
        land=Land(elevation=asset, cover="upland", seed=4),
        sea=Sea(present=False),
        ridges=[
            Ridge(id="fells", name="Far fells", away=9000, height=330, bearing=20, width=360, peaked=0.25,
                  cover="grass", seed=5),
        ],
        air=Air(
            fog_base=60, fog_visibility=40_000, fog_height=200,
            low=LowClouds(oktas=3, base=1150, thick=900, seed=5), high=HighClouds(amount=2, depth=0.15),
        ),
        wind=Wind(speed=3.5, from_bearing=250, gustiness=0.25),
        ways=[
            GroundWay(id="mown", name="Mown way", line=[(-44, -22), (-20, -12), (4, -16), (38, -8)], width=1.6,
                      left=0.12, worn=0.35),
            GroundWay(id="ploughed", name="Ploughed ground", line=[(-150, -96), (-62, -112)], width=60, left=1.0,
                      worn=0.9),
        ],
        growth=_stands(),
        surfaces=[
            Surface(id="bark", name="Bark", colour="#4d4035", roughness=0.95),
            Surface(id="rubber", name="Rubber", colour="#b5412b", roughness=0.55),
        ],
        things=[stump, ball],
        shots=_shots(),
    )  # fmt: skip
    return place, {asset.sha256: data}


def down() -> tuple[Place, dict[str, bytes]]:
    """The place's document and its assets."""
    place, assets = _made()
    return place.model_copy(deep=True), dict(assets)

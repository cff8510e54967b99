"""Lines, parallel light, IES files, openings, beams in haze and the sun's own gobo, measured on rendered cards."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad

from lumwick.air.bands import LUMA
from lumwick.built.floors import placement
from lumwick.built.gaps import of_built, of_lamp, of_shape
from lumwick.built.ies import CELLS, read_ies
from lumwick.built.lamps import LampLight, dusk_share
from lumwick.errors import PlaceError
from lumwick.lens.camera import Camera, look_at
from lumwick.place.edits import apply, command
from lumwick.place.fields import Asset
from lumwick.place.files import needed
from lumwick.place.objects import Built, Gobo, Lamp, LampGroup, Opening, Shape, SunGobo, Thing
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace.film import blank
from lumwick.trace.quality import Limit
from lumwick.trace.records import FOG
from lumwick.trace.render import expose
from tests.conftest import small_place
from tests.outside.test_gobos import HALF, PICTURE, stage_with
from tests.outside.test_lamps import DOWN, WALL, dark_stage, lamp, lux
from tests.outside.test_surfaces import card, surrounded


def test_a_line_lights_as_a_row_of_small_lamps() -> None:
    """E = (i / h) (a + sin a cos a) under the middle of a line of i [cd/m] across, seen over half an angle a: the
    integral of cos^2 over its length (elementary photometry; handbooks give it as the line source's formula)."""
    stage = dark_stage()
    for length, h in ((1.2, 2.0), (6.0, 1.5)):
        line = lamp("line", h, unit="lm", amount=4000.0, width=0.02, height=length)
        across = 4000 / np.pi**2 / length  # a tube's lumens are pi^2 times what it sends straight out
        a = np.arctan(length / 2 / h)
        want = across / h * (a + np.sin(a) * np.cos(a))
        assert lux(stage, line, samples=512) == pytest.approx(want, rel=0.015)
    cd = lamp("line", 50.0, amount=300.0, width=0.02, height=1.0)
    assert lux(stage, cd, samples=256) == pytest.approx(300 / 50**2, rel=0.02)


def test_parallel_light_is_the_same_everywhere() -> None:
    stage = dark_stage()
    for above in (1.0, 400.0):
        assert lux(stage, lamp("parallel", above, amount=5000.0)) == pytest.approx(5000, rel=0.005)
    slant = replace(lamp("parallel", amount=5000.0), direction=np.array([0.6, 0, -0.8]))
    assert lux(stage, slant) == pytest.approx(4000, rel=0.005)


def ies(candelas: list[list[float]], down: list[float], around: list[float], **more: Any) -> bytes:
    told = {"lumens": -1, "times": 1, "type": 1, "tilt": "NONE", "count": len(down), **more}
    rows = "\n".join(" ".join(f"{v:g}" for v in row) for row in candelas)
    return (
        f"IESNA:LM-63-2002\n[TEST] made here\n[MANUFAC] none\nTILT={told['tilt']}\n"
        f"1 {told['lumens']} {told['times']} {told['count']} {len(around)} {told['type']} 2 0.1 0.1 0\n1 1 25\n"
        f"{' '.join(map(str, down))}\n{' '.join(map(str, around))}\n{rows}\n"
    ).encode()


DOWNS = [float(v) for v in range(0, 91, 5)]
NARROW = [1000 * np.cos(np.radians(v)) ** 4 for v in DOWNS]
FILE = Asset(sha256="7" * 64, name="narrow.ies", bytes=1)


def by_file(data: bytes) -> Any:
    stage = dark_stage()
    stage.furnishing._read = lambda asset: data
    return stage


def test_a_files_candelas_light_a_wall_by_the_inverse_square() -> None:
    """I(g) cos^3 g / h^2 aside of a lamp at a height h, g degrees from straight down."""
    data = ies([NARROW], DOWNS, [0.0])
    lumens = read_ies(data, "n.ies").lumens()
    # of 1000 cos^4: 2 pi 1000 / 5
    assert lumens == pytest.approx(2 * np.pi * 1000 / 5, rel=0.005)
    stage = by_file(data)
    for degrees in (0.0, 20.0, 45.0, 70.0):
        g, h = np.radians(degrees), 2.0
        hung = replace(
            lamp("point", unit="lm", amount=lumens),
            position=np.array([-h * np.tan(g), 0.0, 300.0 + h]),
            distribution=FILE,
            top=np.array([0.0, 1.0, 0.0]),
        )
        want = 1000 * np.cos(g) ** 4 * np.cos(g) ** 3 / h**2
        assert lux(stage, hung) == pytest.approx(want, rel=0.02, abs=0.02)


def test_a_files_angles_about_start_where_the_lamp_bears_and_go_clockwise_seen_from_above() -> None:
    around = [0.0, 45.0, 90.0, 135.0, 180.0, 225.0, 270.0, 315.0, 360.0]
    rows = [[100.0 if a == 90.0 else 1.0] * 2 for a in around]
    stage = by_file(ies(rows, [0.0, 90.0], around))
    lit = {}
    for name, east, north in (("north", 0, 1), ("east", 1, 0), ("south", 0, -1), ("west", -1, 0)):
        # the card lies under the middle: a lamp to its south shines on it to the north
        hung = replace(
            lamp("point", amount=1000.0, unit="lm"),
            position=np.array([-1.5 * east, -1.5 * north, 302.0]),
            distribution=FILE,
            top=np.array([0.0, 1.0, 0.0]),
        )
        lit[name] = lux(stage, hung)
    assert max(lit, key=lambda k: lit[k]) == "east" and lit["east"] > 20 * lit["north"]


def test_a_quarter_and_a_half_are_mirrored() -> None:
    quarter = read_ies(ies([[1, 1], [2, 2], [5, 5]], [0.0, 90.0], [0.0, 45.0, 90.0]), "q.ies")
    at = np.array([0.0, 45, 90, 135, 180, 225, 270, 315, 360])
    assert quarter.at(np.full(9, 30.0), at) == pytest.approx([1, 2, 5, 2, 1, 2, 5, 2, 1])
    half = read_ies(ies([[1, 1], [3, 3], [7, 7]], [0.0, 90.0], [0.0, 90.0, 180.0]), "h.ies")
    assert half.at(np.full(5, 30.0), np.array([0.0, 90, 180, 270, 315])) == pytest.approx([1, 3, 7, 3, 2])
    other = read_ies(ies([[1, 1], [3, 3], [7, 7]], [0.0, 90.0], [90.0, 180.0, 270.0]), "o.ies")
    assert other.at(np.full(5, 30.0), np.array([90.0, 180, 270, 0, 45])) == pytest.approx([1, 3, 7, 3, 2])
    assert other.at(np.array([120.0]), np.array([0.0])) == 0  # nothing is told of what is above
    table = quarter.table()
    assert table.shape == (CELLS, CELLS, 3)
    sines = np.sin(np.linspace(0, np.pi, CELLS))
    assert (table[..., 0].mean(1) * sines).sum() / sines.sum() == pytest.approx(1, rel=0.02)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"no lamp", "no line TILT"),
        (ies([NARROW], DOWNS, [0.0], count=40), "40 by 1 angles"),
        (ies([NARROW], DOWNS, [0.0], count=0), "0 by 1 angles"),
        (ies([NARROW], DOWNS, [0.0], type=2), "type A or B"),
        (ies([NARROW], DOWNS, [0.0], tilt="other.txt"), "another file"),
        (ies([[0.0] * len(DOWNS)], DOWNS, [0.0]), "all nothing"),
        (ies([NARROW], DOWNS[::-1], [0.0]), "out of order"),
        (ies([NARROW], DOWNS, [0.0]).replace(b"25\n", b"watts\n"), "letters"),
        (ies([NARROW], DOWNS, [0.0]).replace(b"25\n", b"nan\n"), "infinite or none"),
        (b"IESNA:LM-63-2002\nTILT=NONE\n1 2 3\n", "before its counts"),
    ],
)
def test_files_that_are_none_are_refused_in_words(data: bytes, words: str) -> None:
    with pytest.raises(PlaceError, match=words):
        read_ies(data, "l.ies")


# -- openings --------------------------------------------------------------------------------------------------


def ceiling(half_a: float, half_b: float, z: float) -> tuple[np.ndarray, np.ndarray]:
    """A wide black ceiling with a hole."""
    w = 400.0
    quads = [
        (-w, -w, w, -half_b), (-w, half_b, w, w), (-w, -half_b, -half_a, half_b), (half_a, -half_b, w, half_b),
    ]  # fmt: skip
    v = [[x, y, z] for x0, y0, x1, y1 in quads for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]
    t = [[4 * k + a, 4 * k + b, 4 * k + c] for k in range(4) for a, b, c in ((0, 1, 2), (0, 2, 3))]
    return np.array(v), np.array(t)


def under_an_opening(folder: Path, told: bool, samples: int) -> np.ndarray:
    """Illuminance [lx] that each of 256 pixels of a card measures under an opening, in an even sky of 10 000 lx."""
    stage = surrounded(folder, np.ones((32, 64, 3)), 10_000.0)
    stage.add_target("wall", *card(0.02, 300.0), colour=(WALL, WALL, WALL))
    stage.add_target("ceiling", *ceiling(0.5, 0.75, 302.0))
    stage.add_target("floor", *card(400.0, 299.9))
    setting = stage.setting
    position = np.array([0.0, -0.25, 300.7])
    camera = Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 1500.0, focus=1000.0)
    hole = LampLight("w", "W", "window", np.array([0, 0, 302.0]), DOWN, 0.0, width=1.0, height=1.5)
    now = replace(evaluate(setting, setting.place.shots[0], 0.0, camera), gaps=(of_lamp(hole),) if told else ())
    stage.set(now)
    film = blank(16, 16)
    expose(stage, film, samples, Limit(0))
    return (film.radiance @ LUMA).ravel() * np.pi / WALL


def test_an_opening_lights_by_the_form_factor_of_its_rectangle_and_with_less_noise(tmp_path: Path) -> None:
    # Howell's catalog of configuration factors, B-4, as in `test_lamps`
    x, y = 0.5 / 2, 0.75 / 2
    corner = (
        x / np.sqrt(1 + x * x) * np.arctan(y / np.sqrt(1 + x * x))
        + y / np.sqrt(1 + y * y) * np.arctan(x / np.sqrt(1 + y * y))
    ) / (2 * np.pi)
    told, plain = under_an_opening(tmp_path, True, 64), under_an_opening(tmp_path, False, 256)
    assert told.mean() == pytest.approx(10_000 * 4 * corner, rel=0.01)
    assert plain.mean() == pytest.approx(10_000 * 4 * corner, rel=0.04)
    assert told.std() * 2 < plain.std() / 3  # of four times as many samples


def test_a_rooms_openings_are_told_where_they_are_cut() -> None:
    window = Opening(id="w", wall="east", along=0.5, up=1, width=1, height=9)
    shape = Shape(kind="room", width=4, depth=3, height=2.5, thick=0.2, openings=[window])
    room = Thing(id="r", name="R", shape=shape, east=10, north=20, up=2, turn=90, scale=2.0)
    (gap,) = of_shape(shape, placement(room, 0.0))
    # its east lies to the south: 2.2 units of 2 m, and half a unit from the wall's middle, to the north, that is east
    assert gap.position == pytest.approx([10 + 2 * 0.5, 20 - 2 * 2.2, 2 + 2 * 1.75])
    assert gap.direction == pytest.approx([0, 1, 0]) and np.linalg.norm(gap.side_a) == pytest.approx(1.0)
    assert np.linalg.norm(gap.side_b) == pytest.approx(1.5)  # no higher than the wall
    setting = Setting(small_place(growth=[], things=[room]), dark_stage().setting.ground)
    assert len(evaluate(setting, setting.place.shots[0], 0.0).gaps) == 1
    hide = Built(id="h", name="H", kind="hide", line=[(5.0, 6.0)], width=4.0, deck=1.0, turn=90)
    slot, door = of_built(hide)
    assert slot.position == pytest.approx([6.6, 6.0, 2.35]) and slot.direction == pytest.approx([-1, 0, 0], abs=1e-9)
    assert door.position == pytest.approx([3.4, 6.0, 2.0]) and door.direction == pytest.approx([1, 0, 0], abs=1e-9)


# -- in haze ---------------------------------------------------------------------------------------------------


def halo(shone: LampLight, aim: np.ndarray, camera_at: np.ndarray, extinction: float, samples: int = 256) -> float:
    """Luminance [cd/m2] of haze before a black night sky."""
    stage = dark_stage()
    setting = stage.setting
    shot = setting.place.shots[0]
    night = shot.model_copy(
        update={"clock": shot.clock.model_copy(update={"start": shot.clock.start.replace(month=12, day=21, hour=0)})}
    )
    stage.set(replace(evaluate(setting, night, 0.0, Camera(camera_at, look_at(camera_at, aim), 1500.0)),
                      lamps=(shone,)))  # fmt: skip
    fog = np.zeros(1, FOG)
    fog["extinction"], fog["height"], fog["base"], fog["asymmetry"] = extinction, 1e9, 300.0, 0.65
    stage.world = stage.world._replace(air=stage.world.air._replace(haze=np.zeros(3), fog=fog))
    film = blank(16, 16)
    expose(stage, film, samples, Limit(0))
    return float((film.radiance @ LUMA).mean())


def scattered(candelas: Any, at: np.ndarray, eye: np.ndarray, direction: np.ndarray, k: float, to: float) -> float:
    """The same by quadrature: k p(cos) I / r^2 exp(-k (r + t)) along the ray."""
    g = 0.65

    def one(t: float) -> float:
        p = eye + t * direction - at
        r = np.linalg.norm(p)
        cos = float(-p @ direction / r)
        phase = (1 - g * g) / (4 * np.pi * (1 + g * g - 2 * g * cos) ** 1.5)
        return float(k * phase * candelas(p / r) / r**2 * np.exp(-k * (r + t)))

    return float(quad(one, 0, to, limit=400, points=[20.0])[0])


def test_a_lamp_in_haze_has_the_halo_of_light_scattered_once() -> None:
    at, eye = np.array([0.0, 0.0, 303.0]), np.array([0.0, -20.0, 301.0])
    aim = np.array([1.0, 0.0, 302.5])
    direction = (aim - eye) / np.linalg.norm(aim - eye)
    point = replace(lamp("point"), position=at)
    want = scattered(lambda d: 1000.0, at, eye, direction, 0.002, 4000.0)
    assert halo(point, aim, eye, 0.002) == pytest.approx(want, rel=0.03)


def test_a_beam_is_seen_from_aside_where_it_is_and_nowhere_else() -> None:
    at, eye = np.array([-30.0, 0.0, 303.0]), np.array([0.0, -20.0, 302.0])
    beam = replace(
        lamp("spot", amount=50_000.0, inner=2.0, outer=3.0), position=at, direction=np.array([1.0, 0, 0]), source=0.0
    )
    aim = np.array([0.0, 0.0, 303.0])
    direction = (aim - eye) / np.linalg.norm(aim - eye)
    c1, c2 = np.cos(np.radians([2.0, 3.0]))

    def candelas(d: np.ndarray) -> float:
        s = np.clip((d[0] - c2) / (c1 - c2), 0, 1)
        return float(50_000 * s * s * (3 - 2 * s))

    want = scattered(candelas, at, eye, direction, 0.002, 200.0)
    assert halo(beam, aim, eye, 0.002) == pytest.approx(want, rel=0.03)
    assert halo(beam, np.array([0.0, 0.0, 308.0]), eye, 0.002, 32) < 0.02 * want


def test_a_beam_goes_round_as_often_as_it_is_said_and_closes() -> None:
    round_it_goes = Lamp(id="b", name="B", kind="spot", pitch=0.0, bearing=30.0, turns=3.0)
    place = small_place(growth=[], lamps=[round_it_goes])
    shot = place.shots[0].model_copy(update={"loop": True})
    setting = Setting(place.model_copy(update={"shots": [shot]}), dark_stage().setting.ground)

    def direction(t: float) -> np.ndarray:
        return evaluate(setting, shot, t).lamps[0].direction

    seconds = shot.seconds
    assert direction(0.0) == pytest.approx([0.5, np.sqrt(0.75), 0]) and direction(seconds) == pytest.approx(
        direction(0.0), abs=1e-9
    )
    assert direction(seconds / 12) == pytest.approx([np.sin(np.radians(120)), np.cos(np.radians(120)), 0])


# -- switches --------------------------------------------------------------------------------------------------


def test_lamps_come_on_at_dusk_by_the_suns_height() -> None:
    assert [dusk_share(v, -1.0) for v in (3.0, -0.5, -1.0, -1.5, -9.0)] == pytest.approx([0, 0, 0.5, 1, 1])
    lamps = [Lamp(id="street", name="Street", dusk=True), Lamp(id="day", name="Day")]
    setting = Setting(small_place(growth=[], lamps=lamps), dark_stage().setting.ground)
    shot = setting.place.shots[0]

    def lit(hour: int) -> list[str]:
        clock = shot.clock.model_copy(update={"start": shot.clock.start.replace(hour=hour)})
        return [one.id for one in evaluate(setting, shot.model_copy(update={"clock": clock}), 0.0).lamps]

    assert lit(12) == ["day"] and lit(23) == ["street", "day"]


def test_a_group_has_one_switch_and_one_dimmer() -> None:
    lamps = [Lamp(id=f"l{k}", name=f"L{k}", group="porch" if k else "", amount=100.0) for k in range(3)]
    place = small_place(growth=[], lamps=lamps, lamp_groups=[LampGroup(id="porch", name="Porch", dim=0.25)])
    setting = Setting(place, dark_stage().setting.ground)
    assert [x.amount for x in evaluate(setting, place.shots[0], 0.0).lamps] == [100, 25, 25]
    off, _ = apply(place, command({"op": "set", "path": "/lamp_groups/porch/lit", "value": False}))
    dark = evaluate(Setting(off, setting.ground), off.shots[0], 0.0)
    assert [x.id for x in dark.lamps] == ["l0"]
    with pytest.raises(PlaceError, match="which this place does not have"):
        apply(place, command({"op": "set", "path": "/lamps/l0/group", "value": "hall"}))


# -- the sun ---------------------------------------------------------------------------------------------------


def test_the_suns_shadow_is_thrown_through_a_gobo_with_the_penumbra_of_its_disc() -> None:
    """The disc's diameter times the distance is the width of an edge, on which half of the disc is covered."""
    stage = stage_with(HALF)
    setting = stage.setting
    shot = setting.place.shots[0]
    far, wide = 20.0, 6.0
    base = SunGobo(kind="picture", picture=PICTURE, far=far, size=wide)
    position = np.array([0.0, -0.25, 300.7])
    camera = Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 1500.0, focus=1000.0)
    now = evaluate(setting, shot, 0.0, camera)
    d = now.sun_direction
    right = np.cross([0.0, 0.0, 1.0], d)
    right /= np.linalg.norm(right)

    def read(aside: float, gobo: SunGobo | None) -> float:
        spot = np.array([0.0, 0.0, 300.0]) - aside * right
        moved = None if gobo is None else gobo.model_copy(update=dict(zip(("east", "north", "up"), spot, strict=True)))
        stage.set(replace(now, sun_gobo=moved))
        film = blank(16, 16, passes=True)
        expose(stage, film, 256, Limit(0))
        return float((film.radiance @ LUMA).mean())

    open_sun, none = read(0.0, None), read(-2.0, base)
    edge = np.radians(now.sun_width) * far
    share = [(read(q * edge / 2, base) - none) / (open_sun - none) for q in (-1.3, -0.5, 0.0, 0.5, 1.3)]
    k = 0.5
    half = 0.5 + (k * np.sqrt(1 - k * k) + np.arcsin(k)) / np.pi
    assert share == pytest.approx([0, 1 - half, 0.5, half, 1], abs=0.05)
    assert read(wide, base) == pytest.approx(open_sun, rel=0.01)  # beside it all passes


def test_the_files_that_lamps_and_gobos_need_go_with_the_place() -> None:
    place = small_place(
        lamps=[Lamp(id="a", name="A", distribution=FILE), Lamp(id="b", name="B", kind="spot", gobo=Gobo())],
        sun_gobo=SunGobo(kind="picture", picture=PICTURE),
    )
    assert {asset.sha256 for asset in needed(place)} >= {FILE.sha256, PICTURE.sha256}

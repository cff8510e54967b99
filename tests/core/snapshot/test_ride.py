"""The ride check finds each fault where it was made, and its repairs mend it."""

import numpy as np
import pytest
import trimesh

from lumwick.errors import RouteError
from lumwick.growth.form_cache import form_of, variant_of
from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.place.document import Shot
from lumwick.place.fields import Asset
from lumwick.place.filming import Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.objects import Built, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.mend import mend, mend_all
from lumwick.snapshot.ride import check, faults
from lumwick.snapshot.riding.sampled import ride
from lumwick.snapshot.surroundings import Surroundings, surroundings
from tests.conftest import small_place

FLAT = Ground(np.full((129, 129), 10.0, np.float32), 2.0, -128.0, -128.0)


def station(
    name: str,
    east: float,
    north: float,
    up: float = 14.0,
    aim: tuple[float, float, float] | None = None,
    **more: object,
) -> Station:
    return Station(id=name, east=east, north=north, up=up, aim=aim or (east, north + 40, up - 2), **more)


def shot_with(*stations: Station, frames: int = 240, exposure: Exposure | None = None, **more: object) -> Shot:
    return Shot(
        id="a",
        name="A",
        frames=frames,
        exposure=exposure or Exposure(f_number=16, focus=15),
        route=Route(stations=list(stations), **more),
    )


def setting_of(shot: Shot, ground: Ground = FLAT, **more: object) -> Setting:
    return Setting(
        small_place(
            **{"growth": [], "sea": small_place().sea.model_copy(update={"present": False}), **more, "shots": [shot]}
        ),
        ground,
    )


def kinds(setting: Setting, shot: Shot | None = None) -> set[str]:
    return {f["kind"] for f in check(setting, shot or setting.place.shots[0])["found"]}


STRAIGHT = (station("a", 0, -20), station("b", 0, 0), station("c", 0, 20))
CASES = {
    "near": (shot_with(station("a", 0, -20), station("b", 0, 0, 10.1, (0, 40, 8)), station("c", 0, 20)), "lift"),
    "under": (shot_with(station("a", 0, -20), station("b", 0, 0, 8.0, (0, 40, 8)), station("c", 0, 20)), "lift"),
    "jolt": (
        shot_with(station("a", 0, -20), station("b", 6, -6), station("b2", -6, 4), station("c", 0, 20), frames=96),
        "smooth",
    ),
    "turning": (
        shot_with(
            station("a", 0, -20, aim=(40, -20, 13)),
            station("b", 0, 0, aim=(-40, 0, 13)),
            station("c", 0, 20, aim=(40, 20, 13)),
            frames=96,
        ),
        "longer",
    ),
    "strobing": (
        shot_with(station("a", 0, -20, aim=(40, -20, 13)), station("c", 0, 20, aim=(-40, 20, 13)), frames=240),
        "longer",
    ),
    "level": (shot_with(*STRAIGHT, level_within=0.0, exposure=Exposure(roll=2.0, f_number=16, focus=15)), "level"),
    "looking away": (shot_with(station("a", 0, -20, aim=(0, -60, 13)), station("c", 0, 20, aim=(0, -60, 13))), "ahead"),
    "focus": (shot_with(*STRAIGHT, exposure=Exposure(f_number=1.4, focus=0.5)), "focus"),
    "same spot": (shot_with(station("a", 0, -20), station("b", 0, -20), station("c", 0, 20)), "apart"),
    "out of frame": (shot_with(*STRAIGHT, spot=(60.0, 20.0, 10.0), focus_on="subject"), "frame"),
    "eye height": (shot_with(*STRAIGHT, way="walk", eye_height=2.4, frames=720), "eye"),
    "abrupt": (
        shot_with(
            *(s.model_copy(update={"time": t}) for s, t in zip(STRAIGHT, (2.0, 4.0, 6.0), strict=True)),
            timing="by stations",
        ),
        "ease",
    ),
    "fast": (shot_with(station("a", 0, -100), station("c", 0, 100), way="walk"), "longer"),
}


@pytest.mark.parametrize("kind", list(CASES))
def test_each_fault_is_found_and_its_repair_mends_it(kind: str) -> None:
    shot, how = CASES[kind]
    setting = setting_of(shot)
    fault = next(f for f in faults(setting, shot)[1] if f.kind == kind)
    assert how in fault.repairs
    mended, label = mend(setting, shot, how, fault.begins, fault.ends, kind)
    assert kind not in kinds(setting_of(mended)), label
    assert mended != shot and label


def test_a_plain_move_is_clean() -> None:
    assert check(setting_of(shot_with(*STRAIGHT)), shot_with(*STRAIGHT))["found"] == []


def test_walls_are_measured_and_gone_through_and_gone_round() -> None:
    hide = Built(id="hide", name="Hide", kind="hide", line=[(0, 0)], width=4.0, deck=10.4)
    shot = shot_with(station("a", -12, -1, 12.0), station("c", 12, -1, 12.0), aim="ahead", keep_clear=0.4)
    setting = setting_of(shot, built=[hide])
    through = next(f for f in faults(setting, shot)[1] if f.kind == "wall")
    assert "goes through Hide" in through.text
    mended, _ = mend(setting, shot, "aside", through.begins, through.ends, "wall")
    assert "wall" not in kinds(setting_of(mended, built=[hide]))
    # distance to a wall against the triangles themselves
    around = Surroundings(setting)
    p = np.array([[-3.5, 0.3, 12.0], [5.0, 1.0, 12.5]])
    for k in range(2):
        sampled = np.concatenate([around.triangles.reshape(-1, 3), around.triangles.mean(1)])
        alone = around.solids(p[k : k + 1], 8.0)
        assert 0 < alone.distance[0] <= np.linalg.norm(sampled - p[k], axis=1).min() + 1e-6
        assert np.linalg.norm(alone.spot[0] - p[k]) == pytest.approx(alone.distance[0])
    assert around.solids(p, 8.0).through.tolist() == [True, False]  # from one to the other it goes through the hide


def test_leaves_are_where_the_plants_are() -> None:
    pines = Stand(
        id="pines",
        name="Pines",
        kind="pine",
        area=[(-30, -30), (30, -30), (30, 30), (-30, 30)],
        per_hectare=60,
        height=8,
    )
    shot = shot_with(station("a", -40, 0, 13), station("c", 40, 0, 13))
    setting = setting_of(shot, growth=[pines])
    around = surroundings(setting)
    plants = around.stands[0].plants
    k = int(np.argmin(np.abs(plants.position[:, 1])))
    form, _ = form_of(pines, int(variant_of(plants)[k]), 1)
    v = form.vertices[len(form.vertices) // 2].astype(float) * plants.scale[k]
    c, s = np.cos(plants.turn[k]), np.sin(plants.turn[k])
    leaf = plants.position[k] + [c * v[0] - s * v[1], s * v[0] + c * v[1], v[2]]
    near = around.leaves(leaf[None] + [0, 0, 0.001], 0.3)
    assert near.distance[0] < 0.002 and near.name[0] == "Pines"
    assert not np.isfinite(around.leaves(np.array([[100.0, 100, 30]]), 0.3).distance[0])
    into = shot_with(
        station("a", float(leaf[0]) - 15, float(leaf[1]), float(leaf[2])),
        station("c", float(leaf[0]) + 15, float(leaf[1]), float(leaf[2])),
    )
    assert "leaf" in kinds(setting_of(into, growth=[pines]))


def test_water_crests_are_met_where_waves_are(marsh: Ground) -> None:
    over = Shot(
        id="a",
        name="A",
        frames=240,
        exposure=Exposure(f_number=16, focus=20),
        route=Route(
            stations=[station("a", -480, -100, 0.35, (-480, 0, 0)), station("c", -470, 100, 0.35, (-470, 200, 0))]
        ),
    )
    setting = Setting(
        small_place(growth=[], shots=[over], sea=small_place().sea.model_copy(update={"wind_speed": 14})), marsh
    )
    for _ in range(4):  # each lift mends the stretch it is asked for
        found = [f for f in faults(setting, over)[1] if f.kind in ("under water", "water")]
        if not found:
            break
        over, _ = mend(setting, over, "lift", found[0].begins, found[0].ends, found[0].kind)
        setting = Setting(setting.place.model_copy(update={"shots": [over]}), marsh)
    else:
        pytest.fail("lifted four times, and still in the waves")
    assert max(one.up for one in over.route.stations) > 0.35
    told = check(setting, over)["water"]
    assert told["highest"] > 0.3  # a crest, not still water


def test_slowing_a_stretch_lowers_its_speed_and_keeps_the_clip() -> None:
    s = [
        station("a", 0, -60, aim=(0, 40, 12)),
        station("b", 0, -30, aim=(0, 40, 12)),
        station("c", 0, 0, aim=(-40, 20, 12)),
        station("d", 0, 60, aim=(0, 140, 12)),
    ]
    shot = shot_with(*s, frames=360)
    setting = setting_of(shot)
    fault = next(f for f in faults(setting, shot)[1] if "slow" in f.repairs and f.ends < 0.9 * shot.seconds)
    mended, _ = mend(setting, shot, "slow", fault.begins, fault.ends, fault.kind)
    assert mended.frames == shot.frames and isinstance(mended.route.pace, Channel)
    middle = (fault.begins + fault.ends) / 2
    before, after = (ride(setting_of(q), q).speed for q in (shot, mended))
    at = int(middle / shot.seconds * 239)
    assert after[at] < before[at] and after.sum() == pytest.approx(before.sum(), rel=0.02)


def test_a_walk_over_water_is_told_and_brought_ashore(marsh: Ground) -> None:
    walk = Shot(
        id="a",
        name="A",
        frames=1200,
        exposure=Exposure(f_number=16, focus=10),
        route=Route(way="walk", stations=[station("a", -560, -60, 0), station("b", -555, -40, 0)]),
    )
    assert "no floor" in kinds(Setting(small_place(growth=[], shots=[walk]), marsh))
    outside = Shot(
        id="a",
        name="A",
        frames=1200,
        route=Route(way="walk", stations=[station("a", 5000, 0, 0), station("b", 5010, 0, 0)]),
    )
    assert "the survey ends" in " ".join(
        f["text"] for f in check(Setting(small_place(growth=[], shots=[outside]), marsh), outside)["found"]
    )


def test_stairs_of_a_model_are_climbed() -> None:
    import trimesh

    steps = trimesh.util.concatenate(
        [
            trimesh.creation.box(bounds=[[-1, 0.3 * k, 0], [1, 7 if k == 11 else 0.3 * (k + 1), 0.17 * (k + 1)]])
            for k in range(12)
        ]
    )
    roof = trimesh.creation.box(bounds=[[-1, 0, 6], [1, 4, 6.2]])
    data = trimesh.util.concatenate([steps, roof]).export(file_type="stl")
    thing = Thing(id="stairs", name="Stairs", mesh=Asset(sha256="1" * 64, name="stairs.stl", bytes=len(data)), up=10.0)
    shot = shot_with(station("a", 0, -2, 11.6), station("b", 0, 6, 13.4), way="walk")
    setting = Setting(setting_of(shot, things=[thing]).place, FLAT, lambda asset: data)
    p = setting.camera_path(shot).at(np.linspace(0, 10, 400)).position
    on = (p[:, 1] > 0.6) & (p[:, 1] < 3.2)
    ramp = 11.6 + 0.17 * (p[on, 1] / 0.3 + 0.5)
    assert np.abs(p[on, 2] - ramp).max() < 0.05  # evened over a footstep: a ramp, not a ladder
    assert p[-1, 2] == pytest.approx(10 + 0.17 * 12 + 1.6, abs=0.03)  # up the stairs, not on the roof


def test_a_spoilt_route_is_mended_as_a_whole() -> None:
    shot = shot_with(
        station("a", 0, -30),
        station("b", 2, -5, 9.2, (30, 0, 9)),
        station("c", 0, 10, aim=(-40, 0, 12), roll=2.0),
        station("d", 4, 40),
        frames=120,
        level_within=0.0,
    )
    setting = setting_of(shot)
    before = kinds(setting)
    mended, done = mend_all(setting, shot)
    after = kinds(setting_of(mended))
    assert {"under", "level"} <= before and len(done) >= 3 and len(after) <= 1 and "under" not in after


def test_a_repair_that_is_not_wanted_is_refused() -> None:
    shot = shot_with(*STRAIGHT)
    with pytest.raises(RouteError, match="Nothing of this kind"):
        mend(setting_of(shot), shot, "lift", 0, 10)
    with pytest.raises(RouteError, match="no repair"):
        mend(setting_of(shot), shot, "polish", 0, 10)
    broken = shot_with(*STRAIGHT, pace=Channel(keys=[Key(t=0, v=0)]))
    assert kinds(setting_of(broken)) == {"cannot run"}


def test_a_cut_that_jumps_in_exposure_is_told_and_matched() -> None:
    from lumwick.place.document import Cut, Piece

    first = shot_with(*STRAIGHT).model_copy(
        update={"id": "first", "name": "First", "frames": 48, "exposure": Exposure(ev100=10.0, f_number=16, focus=15)}
    )
    second = shot_with(
        *STRAIGHT, exposure=Exposure(ev100=Channel(keys=[Key(t=0, v=14), Key(t=2, v=15)]), f_number=16, focus=15)
    )
    place = setting_of(second).place

    def cut(*shots: Shot, join: str = "cut") -> Setting:
        pieces = [Piece(id="p", shot="first", join=join), Piece(id="q", shot="a")]
        return Setting(place.model_copy(update={"shots": list(shots), "cut": Cut(pieces=pieces)}), FLAT)

    setting = cut(first, second)
    fault = next(f for f in faults(setting, second)[1] if f.kind == "exposure jump")
    assert "cut from First it is 4.0 EV darker at once" in fault.text and fault.begins == 0
    mended, _ = mend(setting, second, "match", 0.0, 0.5, "exposure jump")
    assert [k.v for k in mended.exposure.ev100.keys] == pytest.approx([10, 11], abs=0.02)
    assert "exposure jump" not in kinds(cut(first, mended), mended)
    assert "exposure jump" not in kinds(cut(first, second, join="dissolve"), second)


def test_a_cut_out_of_a_dark_room_is_told_by_the_light_in_it() -> None:
    from lumwick.place.document import Cut, Piece
    from lumwick.snapshot.evaluate import camera_at
    from lumwick.snapshot.surroundings import surroundings

    lit = Exposure(ev100=14, f_number=16, focus=15)
    hide = Built(id="hide", name="Hide", kind="hide", line=[(0, 0)], width=4.0, deck=10.4)
    out = shot_with(station("a", 90, 0), station("b", 90, 8), exposure=lit)
    room = shot_with(station("a", 0, 0.6, 12.0, (0, -10, 4)), way="fixed", exposure=lit).model_copy(
        update={"id": "room", "name": "The room"}
    )
    place = setting_of(out).place.model_copy(update={"built": [hide]})

    def cut(first: Shot, second: Shot) -> Setting:
        return Setting(
            place.model_copy(
                update={
                    "shots": [first, second],
                    "cut": Cut(pieces=[Piece(id="p", shot=first.id), Piece(id="q", shot=second.id)]),
                }
            ),
            FLAT,
        )

    setting = cut(room, out)
    inside, clear = (surroundings(setting).openness(camera_at(setting, s, 0.0)) for s in (room, out))
    assert clear == 1.0 and 0.01 <= inside < 0.25
    told = next(f for f in faults(setting, out)[1] if f.kind == "exposure jump")
    assert told.text.startswith(f"cut from The room it is {-np.log2(inside):.1f} EV brighter at once")
    # set for the room's light, as one would, the cut is a quiet one
    quiet = room.model_copy(update={"exposure": lit.model_copy(update={"ev100": 14 + float(np.log2(inside))})})
    assert "exposure jump" not in kinds(cut(quiet, out), out)


def test_the_demos_shots_ride_clean_and_its_spoilt_one_is_mended() -> None:
    from lumwick.demo import saltmere, spoilt
    from lumwick.picture import load_setting

    setting = load_setting(saltmere())
    for shot in setting.place.shots:
        assert check(setting, shot)["clean"], (shot.name, check(setting, shot)["found"])
    shot = spoilt(setting.place)
    before = {f.kind for f in faults(setting, shot)[1]}
    assert {"under", "turning", "jolt", "aim jolt", "fast"} <= before
    mended, done = mend_all(setting, shot)
    left = faults(setting, mended)[1]
    assert len(done) >= 5 and not left, [f.text for f in left]


def inside_of(data: bytes, name: str) -> list[str]:
    """What is said of a camera that flies straight through the middle of a model."""
    thing = Thing(id="m", name="Engine", mesh=Asset(sha256="2" * 64, name=name, bytes=len(data)), up=14.0)
    setting = Setting(setting_of(shot_with(*STRAIGHT), things=[thing]).place, FLAT, lambda asset: data)
    return [f["text"] for f in check(setting, setting.place.shots[0])["found"] if f["kind"] == "inside"]


def test_a_camera_inside_a_model_is_told_and_one_in_a_room_or_beside_it_is_not() -> None:
    whole = trimesh.creation.box((743, 270, 270))  # as large as a model in millimetres that was taken for metres
    (told,) = inside_of(whole.export(file_type="stl"), "engine.stl")
    assert told == "the camera is inside Engine: is it as large as it is meant to be?"
    room = trimesh.creation.box((60, 60, 12))
    room.invert()  # walls that face inwards
    assert not inside_of(room.export(file_type="stl"), "room.stl")
    aside = trimesh.creation.box((20, 20, 20), trimesh.transformations.translation_matrix((40, 0, 0)))
    assert not inside_of(aside.export(file_type="stl"), "aside.stl")

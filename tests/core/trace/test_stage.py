"""The stage between instants: what is kept, what is made again, and that neither shows in the picture."""

import datetime as dt

import numpy as np
import pytest

from lumwick.growth.kinds import KINDS
from lumwick.lens.camera import Camera, direction_of
from lumwick.picture import picture_at
from lumwick.place.document import Shot
from lumwick.place.filming import Clock, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea, Wind
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace import embree
from lumwick.trace.film import blank
from lumwick.trace.instance_batches import Sway
from lumwick.trace.integrator.first_hits import first_of_rows
from lumwick.trace.integrator.rays import buffers
from lumwick.trace.quality import QUALITIES
from lumwick.trace.render import expose
from lumwick.trace.stage import Stage
from lumwick.trace.stands import Stands
from tests.conftest import small_place

EYE = Camera(np.array([0.0, -30.0, 6.0]), direction_of(10.0, -6.0))


def film(stage: Stage, samples: int = 2) -> np.ndarray:
    made = blank(64, 36)
    expose(stage, made, samples)
    return made.sums


@pytest.fixture
def meadow(marsh) -> Setting:
    """Grass and reeds over a few hundred metres, and pines."""
    whole = [(-280, -280), (280, -280), (280, 280), (-280, 280)]
    place = small_place(
        growth=[
            Stand(
                id="grass",
                name="Grass",
                kind="grass",
                area=whole,
                per_hectare=9000,
                height=0.5,
                slope_most=90,
                lowest=-3,
                seed=1,
            ),
            Stand(
                id="reeds",
                name="Reeds",
                kind="reed",
                area=[(-60, 0), (60, 0), (60, 60), (-60, 60)],
                per_hectare=9000,
                height=1.8,
                slope_most=90,
                lowest=-3,
                seed=2,
            ),
            Stand(
                id="pines",
                name="Pines",
                kind="pine",
                area=[(30, 100), (120, 100), (120, 200), (30, 200)],
                per_hectare=60,
                height=9,
                slope_most=90,
                seed=3,
            ),
        ],
        sea=Sea(present=False),
    )
    return Setting(place, marsh)


def test_another_wind_bends_plants_as_a_fresh_stage_does(setting: Setting) -> None:
    shot = setting.place.shots[0]
    stage = Stage(setting)
    stage.set(evaluate(setting, shot, 0.5, EYE))
    turned = Setting(setting.place.model_copy(update={"wind": Wind(speed=9, from_bearing=20)}), setting.ground)
    stage.change(turned)
    stage.set(evaluate(turned, shot, 0.5, EYE))
    fresh = Stage(turned)
    fresh.set(evaluate(turned, shot, 0.5, EYE))
    assert np.array_equal(film(stage), film(fresh))


def test_a_glance_leaves_no_trace_in_the_picture_after_it(setting: Setting) -> None:
    shot = setting.place.shots[0]
    stage, fresh = Stage(setting), Stage(setting)
    stage.set_view_and_light(
        evaluate(setting, shot, 0.0, EYE)
    )  # the first is a whole set: there is nothing yet to keep
    assert any(n.startswith("stand") for n in stage.parts())
    before = stage._top.made
    other = Camera(EYE.position + 5.0, direction_of(40.0, -3.0))
    stage.set_view_and_light(evaluate(setting, shot, 0.7, other))
    assert stage._top.made is before  # plants and waves stayed
    stage.set(evaluate(setting, shot, 0.7, other))
    fresh.set(evaluate(setting, shot, 0.7, other))
    assert stage._top.made is not before and np.array_equal(film(stage), film(fresh))


def test_a_turn_of_the_camera_or_another_hour_places_nothing_again(setting: Setting) -> None:
    shot = setting.place.shots[0]
    stage = Stage(setting)
    stage.set(evaluate(setting, shot, 0.0, EYE))
    top, sky = stage._top.made, stage.clear
    stage.set(evaluate(setting, shot, 0.0, Camera(EYE.position, direction_of(80.0, -2.0), 50.0)))
    assert stage._top.made is top and stage.clear is sky
    evening = shot.model_copy(update={"clock": Clock(start="2026-06-05T19:00")})
    stage.set(evaluate(setting, evening, 0.0, EYE))
    assert stage._top.made is top and stage.clear is not sky
    stage.set(evaluate(setting, evening, 0.1, EYE))
    assert stage._top.made is not top


def test_frames_of_a_fast_day_do_not_depend_on_the_frames_before(setting: Setting) -> None:
    shot = setting.place.shots[0].model_copy(
        update={"clock": Clock(start="2026-06-05T20:00", speed=0.01)}
    )  # steps of the sun far below any rounding
    ran, alone = Stage(setting), Stage(setting)
    for t in (0.0, 0.25, 0.5):
        ran.set(evaluate(setting, shot, t))
    alone.set(evaluate(setting, shot, 0.5))
    assert np.array_equal(film(ran), film(alone))


def test_a_looped_place_is_back_where_it_began(marsh) -> None:
    still = Route(stations=[Station(id="s1", east=0, north=-30, up=6, aim=(10, 60, 2))])
    place = small_place(
        shots=[
            Shot(
                id="a",
                name="A",
                frames=36,
                loop=True,
                clock=Clock(start="2026-06-05T10:00", speed=0),
                exposure=Exposure(ev100=14.0),
                route=still,
            )
        ]
    )
    setting = Setting(place, marsh)
    shot = place.shots[0]
    stage = Stage(setting)
    states = []
    for t in (0.0, 0.4, shot.seconds):
        stage.set(evaluate(setting, shot, t))
        states.append(
            (
                stage.world.geometry.transform.copy(),
                stage.world.waters.crests.copy(),
                stage.world.waters.slope3.copy(),
                stage.world.waters.body["drift"].copy(),
                stage.sheet.near.vertices.copy(),
            )
        )
    for first, between, last in zip(*states, strict=True):
        assert np.allclose(first, last, atol=2e-4)
        assert not np.allclose(first, between, atol=2e-4)


def drawn(stands: Stands, setting: Setting, eye: Camera) -> list[tuple[str, np.ndarray, int]]:
    parts, _ = stands.parts(Sway.of(evaluate(setting, setting.place.shots[0], 0.0, eye)))
    return [(name, p.transforms, p.mask) for name, p in parts.items()]


def test_every_tuft_within_sight_is_drawn_once_near_or_far(meadow: Setting) -> None:
    stage = Stage(meadow)
    stand_state = stage.stands.stand_states[0]
    large, patches, single = stand_state.batches
    assert large.far and large.side == 2 * patches.side and single.side == 0
    parts = drawn(stage.stands, meadow, EYE)
    seen = [(n, t) for n, t, mask in parts if n.startswith("stand grass") and mask & embree.MASK_FINE]
    scattered = [(n, t) for n, t, mask in parts if n.startswith("stand grass") and mask & embree.MASK_COARSE]
    # the ground is covered by squares that do not overlap: every square metre once
    for group in (seen, scattered):
        cells: list[tuple[int, int]] = []
        for name, transforms in group:
            side = float(name.split()[2])
            if side:
                k = round(side / patches.side)
                low = np.round(transforms[:, 9:11] / patches.side - k / 2).astype(int)
                cells += [(int(x) + i, int(y) + j) for x, y in low for i in range(k) for j in range(k)]
        assert len(cells) == len(set(cells)) > 3000
    near = [t for n, t in seen if n.split()[2:4] == ["2", "0"]]
    assert near and all(
        np.linalg.norm(t[:, 9:] - EYE.position, axis=1).max() < 1.2 * KINDS["grass"].reaches[0] for t in near
    )
    most = max(np.linalg.norm(t[:, 9:] - EYE.position, axis=1).max() for _, t in seen)
    assert most < 1.2 * KINDS["grass"].reaches[-1]


def test_scattered_light_meets_the_same_plants_in_their_simplest_form(meadow: Setting) -> None:
    stage = Stage(meadow)
    parts, _ = stage.stands.parts(Sway.of(evaluate(meadow, meadow.place.shots[0], 0.0, EYE)))
    fine = {n: p for n, p in parts.items() if p.mask == embree.MASK_FINE}
    assert fine
    for name, part in fine.items():
        twin = parts[f"{name} scattered"]
        assert twin.mask == embree.MASK_COARSE and twin.transforms is part.transforms and twin.child is not part.child
    assert all(
        p.mask in (embree.MASK_FINE, embree.MASK_COARSE, embree.MASK_FINE | embree.MASK_COARSE) for p in parts.values()
    )


def test_a_stand_that_did_not_change_is_kept(meadow: Setting) -> None:
    stage = Stage(meadow)
    kept = stage.stands.stand_states[1]
    grown = meadow.place.growth[0].model_copy(update={"height": 0.8})
    stage.change(Setting(meadow.place.model_copy(update={"growth": [grown, *meadow.place.growth[1:]]}), meadow.ground))
    assert stage.stands.stand_states[1] is kept and stage.stands.stand_states[0].stand.height == 0.8


def test_plants_sway_and_do_not_move_alike(meadow: Setting) -> None:
    shot = meadow.place.shots[0].model_copy(update={"wind": Wind(speed=7, gustiness=0.3)})
    pines = Setting(meadow.place.model_copy(update={"growth": meadow.place.growth[2:]}), meadow.ground)
    stage = Stage(pines)
    leans = []
    for t in np.arange(0, 6, 0.25):
        parts, _ = stage.stands.parts(
            Sway.of(evaluate(pines, shot, float(t), Camera(np.array([75.0, 60.0, 6.0]), direction_of(0, 0))))
        )
        m = np.concatenate(
            [p.transforms for n, p in parts.items() if n.startswith("stand pines") and p.mask & embree.MASK_FINE]
        )
        order = np.lexsort((m[:, 10], m[:, 9]))
        leans.append(m[order, 6] / m[order, 8])
    motion = np.array(leans)
    motion = motion - motion.mean(0)
    assert (motion.std(0) > 1e-4).all()
    alike = np.corrcoef(motion.T)
    pairs = alike[np.triu_indices(len(alike), 1)]
    assert np.abs(pairs).mean() < 0.65  # neighbours feel the same gust; they do not march in step


def seen_plants(stage: Stage) -> dict[str, np.ndarray]:
    """Placements of the plants that the camera sees, by part."""
    return {n: p.transforms for n, p in stage.parts().items() if n.startswith("stand") and p.mask & embree.MASK_FINE}


def test_plants_keep_their_forms_while_a_shutter_is_open_and_move(meadow: Setting) -> None:
    stage, shot = Stage(meadow), meadow.place.shots[0]
    on = Camera(EYE.position + [0.0, 4.0, 0.0], EYE.forward)
    stage.set(evaluate(meadow, shot, 0.0, EYE))
    first = seen_plants(stage)
    stage.set(evaluate(meadow, shot, 0.02, on), EYE.position)
    held = seen_plants(stage)
    stage.set(evaluate(meadow, shot, 0.02, on))
    moved = seen_plants(stage)
    assert {n: len(t) for n, t in held.items()} == {n: len(t) for n, t in first.items()}
    assert {n: len(t) for n, t in moved.items()} != {n: len(t) for n, t in first.items()}
    assert any(np.abs(held[n][:, 6:8] - first[n][:, 6:8]).max() > 1e-5 for n in first)


def test_a_bent_mesh_is_met_where_a_new_one_of_the_same_vertices_is(meadow: Setting) -> None:
    stage, shot = Stage(meadow), meadow.place.shots[0]
    windy = shot.model_copy(update={"wind": Wind(speed=18, gustiness=0.4)})
    stage.set(evaluate(meadow, windy, 0.0, EYE))
    stage.set(evaluate(meadow, windy, 2.7, EYE))
    part = next(p for n, p in stage.parts().items() if n.startswith("stand pines 0 1 "))
    vertices, faces = part.mesh()
    made_new = embree.still_scene(vertices.copy(), faces)
    view = stage.view(160, 90)
    crown = vertices.mean(0)
    aside = view._replace(origin=crown - [0.0, 14.0, 0.0], forward=np.array([0.0, 1.0, 0.0]))
    aside = aside._replace(right=np.array([1.0, 0.0, 0.0]), up=np.array([0.0, 0.0, 1.0]))
    distances = []
    for scene in (part.child, made_new):
        where, found = np.zeros((90, 160, 2), np.int64), np.zeros((90, 160, 3))
        first_of_rows(int(scene.handle), aside, buffers(90), np.zeros(where.shape[:2], np.float32), where, found)
        distances.append(np.where(where[..., 1] >= 0, found[..., 2], 0.0))
    assert (distances[0] > 0).sum() > 300
    assert (np.abs(distances[0] - distances[1]) > 1e-3).mean() < 1e-3


def test_a_view_wholly_inside_a_stand(meadow: Setting) -> None:
    stage, shot = Stage(meadow), meadow.place.shots[0]
    floor = meadow.ground.height(0.0, 30.0)
    eye = Camera(np.array([0.0, 30.0, floor + 0.4]), direction_of(40.0, -3.0))
    made = [picture_at(stage, shot, 0.0, (96, 54), QUALITIES[name], eye) for name in ("rehearsal", "study")]
    for picture in made:
        assert picture is not None and np.isfinite(picture.light).all() and picture.light.min() >= 0
        assert np.median(picture.film.distance) < 8.0  # reeds on all sides
        assert picture.pixels.std() > 5


def test_the_sky_follows_the_sun_in_steps_that_nobody_sees(setting: Setting) -> None:
    stage, shot = Stage(setting), setting.place.shots[0]
    stage.set(evaluate(setting, shot, 0.0, EYE))
    sky, key = stage.world.lights.lit_sky.copy(), stage._daylight.key
    stage.set(evaluate(setting, shot, 0.02, EYE))  # a shutter later
    assert stage._daylight.key == key
    later = shot.model_copy(update={"clock": Clock(start=shot.clock.start + dt.timedelta(seconds=2))})
    stage.set(evaluate(setting, later, 0.0, EYE))
    assert stage._daylight.key != key
    step = np.abs(stage.world.lights.lit_sky - sky).max() / sky.max()
    assert 0 < step < 1e-3


def test_targets_are_placed_when_they_are_set_up(setting: Setting) -> None:
    stage = Stage(setting)
    snap = evaluate(setting, setting.place.shots[0], 0.0, EYE)
    stage.set(snap)
    bare = film(stage)
    card = np.array([[-3, -20, 2], [3, -20, 2], [3, -20, 8], [-3, -20, 8]], np.float32)
    stage.add_target("card", card, np.array([[0, 1, 2, 3]], np.uint32), (0.0, 0.0, 0.0))
    stage.set(snap)
    assert film(stage)[18, 30, :3].sum() < 0.5 * bare[18, 30, :3].sum()

"""What makes the next instant cheaper and must not change it: two sets of a loop's clouds kept, a hull's answers and a
creek's current kept, the sea's tile raised in one loop, wash only where it comes, the sky's light by a table; and what
takes less room: forms let go, pictures cleaned in pieces."""

from dataclasses import replace

import numpy as np
import pytest

from lumwick.air.atmosphere import clear_sky, sky_at, sky_illuminance
from lumwick.air.clouds import Deck
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, direction_of
from lumwick.place.nature import Sea, SeaNow
from lumwick.snapshot.creeks import LEVELS, Current, current_of
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.memory import Memory
from lumwick.trace import cleaning, stands
from lumwick.trace.film import blank
from lumwick.trace.integrator.film import COUNTED, SQUARED
from lumwick.trace.render import expose
from lumwick.trace.sections.clouds import grid_of, kept_grid
from lumwick.trace.sections.sea import SeaInputs, make_sea
from lumwick.trace.sections.sheet import WASHES
from lumwick.trace.stage import Stage
from lumwick.water.floating import Afloat, Hull
from lumwick.water.shore import wash_of
from lumwick.water.surface import raise_tile
from tests.conftest import small_place

SUN = np.array([0.6, 0.0, 0.8])
DECK = Deck(
    base=900.0, thick=500.0, oktas=4.0, size=700.0, soft=0.4, extinction=0.02, age=0.0, closed=0.0, seed=3,
    offset=((0.0, 0.0), (0.0, 0.0)), share=1.0,
)  # fmt: skip


@pytest.mark.parametrize("share", [0.0, 0.3, 0.75])
def test_a_loops_clouds_are_mixed_of_two_sets_as_if_made_anew(share: float) -> None:
    deck = replace(DECK, offset=((400.0, 90.0), (-800.0, -180.0)), share=share)
    steps = np.round(SUN / 3e-4) * 3e-4
    made, kept = grid_of(deck, steps), kept_grid(deck, SUN)
    assert made.max() > 5 and np.abs(kept - made).max() < 1e-3
    # as both go on, they stay as far apart: what is kept serves the next frame, and no other deck
    on = replace(deck, offset=((430.0, 96.0), (-770.0, -174.0)))
    assert np.abs(kept_grid(on, SUN) - grid_of(on, steps)).max() < 1e-3
    more = replace(deck, oktas=6.0)
    assert np.abs(kept_grid(more, SUN) - grid_of(more, steps)).max() < 1e-3


def test_light_of_the_sky_by_a_table_is_the_sum_over_the_sky() -> None:
    sky = clear_sky(32.0, 3.0)
    rise = (np.arange(96) + 0.5) / 96
    el, az = np.meshgrid(np.degrees(np.arcsin(rise)), np.arange(-180, 180) + 0.5, indexing="ij")
    whole = (sky_at(sky, el, az) * rise[:, None, None]).mean((0, 1)) * 2 * np.pi
    assert sky_illuminance(sky) == pytest.approx(whole, rel=1e-6)


def test_a_hull_that_turns_answers_as_one_that_never_headed_elsewhere() -> None:
    rng = np.random.default_rng(2)
    k = rng.normal(0, 0.2, (2, 40))
    waves = (rng.normal(size=40) + 1j * rng.normal(size=40), k[0], k[1], np.sqrt(9.81 * np.hypot(*k)))
    hull, t = Hull(5.0, 1.8, 0.4), np.array([3.0])
    kept = Afloat(waves, hull, (4.0, 7.0))
    for bearing in (0.3, 2.0, 0.3):
        way = np.array([bearing])
        a, b = kept.ride(way, t), Afloat(waves, hull, (4.0, 7.0)).ride(way, t)
        assert (a.up, a.pitch, a.roll, a.east) == (b.up, b.pitch, b.roll, b.east)


def test_what_floats_rides_the_sea_as_it_was_keyed_and_edited_not_as_it_was_met() -> None:
    raft = {"id": "raft", "name": "Raft", "floats": True, "shape": {"kind": "box", "width": 1.2, "depth": 3.0}}
    deep = Ground(np.full((65, 65), -12.0, np.float32), 4.0, -128.0, -128.0)

    def rides(memory: Memory, **more: object) -> np.ndarray:
        told = {"level": 1.0, "wind_speed": 8.0, "fetch_km": 50.0, **more}
        turn = told.pop("turn", 0.0)
        place = small_place(things=[{**raft, "turn": turn}], growth=[], sea=Sea(**told))
        return evaluate(replace(Setting(place, deep), memory=memory), place.shots[0], 0.4).stood["raft"]

    memory = Memory()
    first = rides(memory)
    for more in ({"seed": 9}, {}, {"wind_speed": 11.0}, {"choppiness": 0.2}, {"turn": 70.0}, {}):
        assert np.array_equal(rides(memory, **more), rides(Memory(), **more))
        assert more == {} or not np.allclose(rides(memory, **more), first, atol=1e-4)


def test_a_current_stands_in_one_step_of_the_tide_and_is_right_by_a_thousandth() -> None:
    x = np.arange(-100, 101) * 2.0
    heights = np.full((81, 201), 0.6, np.float32)
    heights[34:47] = -2.0  # a creek through a flat that the tide covers
    ground = Ground(np.where(x[None] < -196, -2.0, heights).astype(np.float32), 2.0, -200.0, -80.0)

    def at(surface: float, rises: float = 2e-4) -> tuple[Current, np.ndarray]:
        """The current, and laid out over the whole survey."""
        current = current_of(ground, SeaNow(tide=surface, rises=rises))
        assert current is not None
        out = np.zeros((81, 201, 2))
        i, j = round((current.south - ground.south) / 2), round((current.west - ground.west) / 2)
        rows, columns, _ = current.velocity.shape
        out[i : i + rows, j : j + columns] = current.velocity
        return current, out

    current, here = at(0.83)
    close = 2e-3 * float(np.abs(here).max())
    assert close > 5e-5 and at(0.83 + 0.2 * LEVELS / 1000)[0] is current  # the next frame's
    assert at(0.83, -2e-4)[1] == pytest.approx(-here, abs=1e-6)
    assert here == pytest.approx(0.7 * at(0.8)[1] + 0.3 * at(0.9)[1], abs=close)
    assert at(0.83, 2.004e-4)[1] == pytest.approx(here * 1.002, abs=close)


def test_a_tile_is_raised_to_its_waves_and_meets_itself() -> None:
    n, rng = 6, np.random.default_rng(1)
    tile = rng.normal(size=(n, n, 4)).astype(np.float32)
    x, y = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0))
    rest = np.stack([x, y, np.full_like(x, 2.0)], -1).reshape(-1, 3)
    out = np.full(((n + 1) ** 2 + 1, 3), 7.0, np.float32)  # and a row that pads it
    raise_tile(rest, tile, 0.5, out)
    moved = (out[:-1] - rest).reshape(n + 1, n + 1, 3) - [0.0, 0.0, 0.5]
    assert moved[:n, :n] == pytest.approx(tile[..., :3], abs=1e-5)
    assert moved[n] == pytest.approx(moved[0], abs=1e-5) and moved[:, n] == pytest.approx(moved[:, 0], abs=1e-5)
    assert (out[-1] == 7.0).all()


def test_wash_is_left_out_only_where_less_than_a_millimetre_of_it_comes(setting: Setting) -> None:
    stage = Stage(setting)
    shot = setting.place.shots[0]
    snapshot = evaluate(setting, shot, 0.7)
    stage.set(snapshot)
    near, sea = stage.sheet.near, snapshot.place.sea
    assert near is not None and snapshot.sea is not None and 0 < len(near.washed) < len(near.shore)
    made = near.vertices[: len(near.rest), 2].copy()
    wash = wash_of(snapshot.sea, stage.sheet.slope, sea.seed, None)
    everywhere = replace(near, washed=np.arange(len(near.shore)))
    sheet = replace(stage.sheet, near=everywhere)
    make_sea(SeaInputs(snapshot.sea, snapshot.t, snapshot.loop, sea, sheet))
    whole = near.vertices[: len(near.rest), 2]
    assert np.abs(whole - made).max() <= WASHES * wash.highest < 1e-3
    assert np.abs(made[near.washed]).max() > 0


def test_forms_that_nothing_is_drawn_by_are_let_go_and_come_back_the_same(
    setting: Setting, monkeypatch: pytest.MonkeyPatch
) -> None:
    stage, shot = Stage(setting), setting.place.shots[0]
    near, far = (
        evaluate(setting, shot, 0.2, Camera(np.array(eye), direction_of(0.0, -10.0)))
        for eye in ((0.0, -12.0, 3.0), (0.0, -400.0, 120.0))
    )

    def shown() -> np.ndarray:
        film = blank(48, 27)
        expose(stage, film, 2)
        return film.sums

    def forms() -> set[tuple[str, float, object]]:
        return {
            (s.stand.id, batch.side, form)
            for s in stage.stands.stand_states
            for batch in s.batches
            for form in batch.shapes
        }

    stage.set(near)
    first, close = shown(), forms()
    stage.set(far)
    assert close <= forms()  # kept: one may soon be back
    monkeypatch.setattr(stands, "IDLE_QUADS", 0)
    stage.set(evaluate(setting, shot, 0.25, far.camera))
    left = forms()
    assert left and not close <= left
    stage.set(near)
    assert close <= forms() and np.array_equal(shown(), first)


def test_a_picture_cleaned_in_pieces_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(4)
    images = {"color": rng.random((600, 800, 3)).astype(np.float32)}
    whole = cleaning._filtered(images, "high", hdr=True)
    monkeypatch.setattr(cleaning, "ROOM", 1)
    assert np.array_equal(cleaning._filtered(images, "high", hdr=True), whole)


def test_openness_of_two_tides_is_held_and_is_that_of_its_level(setting: Setting) -> None:
    spots = np.linspace(-60, 60, 9), np.linspace(-60, 60, 9)
    fresh = {level: replace(setting, memory=Memory()).openness(level)(*spots) for level in (0.0, 0.4, 0.9)}
    for level in (0.0, 0.4, 0.9, 0.4, 0.0):
        assert np.array_equal(setting.openness(level)(*spots), fresh[level])
        assert len(setting.memory["openness"]) <= 2
    assert not np.array_equal(fresh[0.0], fresh[0.9])


def test_a_films_error_is_a_number_beside_a_spark() -> None:
    # running sums over a neighbourhood leave less than nothing where what was large has gone out of it again
    film, n = blank(64, 48), 16
    film.sums[..., COUNTED], film.sums[..., :3] = n, n * 1e-3
    film.sums[..., SQUARED] = (3 * n * 1e-3) ** 2 / n * (1 + 1e-7 * np.random.default_rng(1).random((48, 64)))
    film.sums[20, 5, :3], film.sums[20, 5, SQUARED] = 3e6, 9e15
    assert np.isfinite(film.error()).all() and (film.error() >= 0).all()

"""Small motions by their form, edits in any order, and a stage that stays a pure function of time when everything
moves."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.demo import saltmere
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.motion import keys as edits
from lumwick.motion.channel import Channel, ColourChannel, Key, MomentChannel, at, evaluate, moment_of
from lumwick.motion.recipes import cook, recipe
from lumwick.motion.terms import Flicker, Pulse, Swing, chance, laid_over, wander, whole_period
from lumwick.picture import frame_picture
from lumwick.place.document import Place
from lumwick.place.edits import apply, command
from lumwick.place.edits.keys import BEYOND_WORDS, JOIN_WORDS
from lumwick.place.files import asset_of, parse
from lumwick.place.filming import Exposure
from lumwick.place.growing import Stand
from lumwick.place.instant import Motions
from lumwick.place.objects import Lamp, Surface, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.trace.furnish import Furnishing
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.place.test_time import crate
from tests.core.timing import flat, ramp

T = np.linspace(0, 60, 24001)


def over_one(term: Any, t: np.ndarray, loop: float | None = None) -> np.ndarray:
    return laid_over(np.zeros_like(t), term, t, loop)


# -- small motions by their form ----------------------------------------------------------------------------


def test_a_swing_by_its_quarters() -> None:
    quarters = np.array([0.0, 0.5, 1.0, 1.5, 2.0])
    for form in ("round", "straight", "held"):
        assert over_one(Swing(amount=3, period=2, form=form), quarters) == pytest.approx([0, 3, 0, -3, 0], abs=1e-9)
    assert over_one(Swing(amount=3, period=2, phase=0.25), quarters) == pytest.approx([3, 0, -3, 0, 3], abs=1e-9)
    straight = over_one(Swing(amount=1, period=2, form="straight"), np.linspace(0, 0.5, 6))
    assert np.diff(straight) == pytest.approx(np.full(5, 0.2))
    held = over_one(Swing(amount=1, period=4, form="held"), np.array([0.6, 1.0, 1.4]))
    assert held == pytest.approx([1, 1, 1])  # it stays at its end for a while


def test_a_pulse_rises_holds_and_falls() -> None:
    bump = Pulse(amount=2, period=5, start=1, rise=0.5, hold=1, fall=1)
    assert over_one(bump, np.array([0.9, 1.25, 1.5, 2.4, 3.0, 3.6, 6.6])) == pytest.approx([0, 1, 2, 2, 1, 0, 2])
    sharp = Pulse(amount=1, period=2, rise=0, hold=0.5, fall=0)
    assert over_one(sharp, np.array([0.0, 0.4, 0.6, 2.1])) == pytest.approx([1, 1, 0, 1])
    long_ = Pulse(amount=1, period=1, rise=0.1, hold=0.1, fall=1.5)  # still falling when the next begins
    assert over_one(long_, np.linspace(3, 4, 50)).min() > 0.1


@pytest.mark.parametrize(
    ("period", "loop", "whole"), [(0.7, 4.0, 4 / 6), (9.0, 4.0, 4.0), (0.7, None, 0.7), (2.0, 4.0, 2.0)]
)
def test_a_loop_holds_whole_periods(period: float, loop: float | None, whole: float) -> None:
    assert whole_period(period, loop) == pytest.approx(whole)


def test_wandering_has_its_size_and_its_rate() -> None:
    for rate in (0.2, 1.5):
        v = wander(T, rate, 0.0, 3, None)
        assert v.std() == pytest.approx(0.45, abs=0.08) and np.abs(v).max() < 1.6
        turns = (np.diff(np.sign(v)) != 0).sum() / 2 / T[-1]
        assert turns == pytest.approx(rate, rel=0.35)
    smooth, rough = (np.abs(np.diff(wander(T, 1.0, r, 3, None))).mean() for r in (0.0, 1.0))
    assert rough > 2 * smooth
    assert not np.allclose(wander(T, 1.0, 0.0, 3, None), wander(T, 1.0, 0.0, 4, None))


def test_flickers_have_the_character_of_their_source() -> None:
    tube, candle, storm = (
        laid_over(np.ones_like(T), Flicker(source=s, depth=1.0, seed=5), T, None)
        for s in ("tube", "candle", "lightning")
    )
    assert (tube > 0.95).mean() > 0.5 and (tube < 0.35).mean() > 0.02  # mostly bright, with drops
    assert 0.4 < candle.mean() < 0.8 and 0.05 < candle.std() < 0.4
    assert (storm < 0.02).mean() > 0.8 and storm.max() > 0.6  # mostly dark, with strokes
    flashes = (np.diff((storm > 0.4).astype(int)) == 1).sum()
    assert 10 < flashes < 120
    half = laid_over(np.full_like(T, 8.0), Flicker(source="candle", depth=0.5, seed=5), T, None)
    assert half.min() >= 4.0 - 1e-9 and half.max() <= 8.0 + 1e-9


def test_chance_is_even_and_answers_to_its_seed_alone() -> None:
    k = np.arange(20000)
    u = chance(7, k, 3)
    assert (
        u.mean() == pytest.approx(0.5, abs=0.01)
        and u.std() == pytest.approx(12**-0.5, abs=0.005)
        and u.min() >= 0
        and u.max() < 1
    )
    assert np.array_equal(chance(7, k[::-1], 3)[::-1], u) and not np.allclose(chance(8, k, 3), u)
    assert abs(np.corrcoef(u[:-1], u[1:])[0, 1]) < 0.03 and chance(7, np.array([-3]), 3).shape == (1,)


def test_recipes_are_cooked_onto_what_there_is() -> None:
    turning = cook(10.0, recipe({"kind": "turning", "turns": 0.5}), 4.0, None, True)
    assert [at(turning, t) for t in (-4.0, 0.0, 2.0, 4.0, 8.0)] == [-170, 10, 100, 190, 370]
    keyed = ramp((0, 1), (1, 3))
    pulsing = cook(
        keyed, recipe({"kind": "term", "term": {"kind": "pulse", "rise": 0, "hold": 0.1, "fall": 0}}), 4.0, None, False
    )
    assert (
        pulsing.keys == keyed.keys
        and at(pulsing, 0.05) == pytest.approx(2.1)
        and at(pulsing, 0.5) == pytest.approx(2.0)
    )
    again = cook(pulsing, recipe({"kind": "sway", "amount": 1, "period": 2}), 4.0, 4.0, False)
    assert again.terms == pulsing.terms and again.after == "cycle" and 4.0 / again.keys[-1].t == pytest.approx(2)
    for wrong in (
        {"kind": "waltz"},
        {"kind": "sway", "period": 0},
        {"kind": "term", "term": {"kind": "swing", "period": -1}},
        {"kind": "turning", "turns": float("nan")},
    ):
        with pytest.raises(ValueError):
            recipe(wrong)


# -- edits of keys ------------------------------------------------------------------------------------------


def test_a_first_key_makes_a_channel_of_the_constants_own_kind() -> None:
    assert isinstance(edits.channel_of(3.0, 0.5), Channel) and isinstance(
        edits.channel_of("#aabbcc", 0.5), ColourChannel
    )
    moment = edits.channel_of(moment_of(0.0), 0.5)
    assert isinstance(moment, MomentChannel) and edits.channel_of(moment, 9.0) is moment


def test_a_new_key_goes_on_as_the_one_before_it() -> None:
    channel = ramp((0, 1), (2, 3), join="sine_in")
    assert edits.set_key(channel, 1.0, 2.0).keys[1].join == "sine_in"
    assert edits.set_key(channel, -1.0, 2.0).keys[0].join == "sine_in"
    assert edits.set_key(channel, 1.0, 2.0, "step").keys[1].join == "step"
    assert (
        edits.set_key(edits.joined(channel, [0.0], join="free"), 1.0, 2.0).keys[1].join == "cubic_both"
    )  # handles of another interval fit no new one
    assert len(edits.set_key(channel, 2.00005, 9.0).keys) == 2  # that is the key that stands there


def test_copies_land_where_they_are_set_and_replace_what_stood_there() -> None:
    channel = ramp((0, 1), (1, 2), (3, 4))
    made, over = edits.copied(channel, [0.0, 1.0], channel, 2.0)
    assert over == 1 and [(k.t, k.v) for k in made.keys] == [(0.0, 1.0), (1.0, 2.0), (2.0, 1.0), (3.0, 2.0)]
    with pytest.raises(PlaceError, match="another kind"):
        edits.copied(channel, [0.0], edits.channel_of("#aabbcc", 0.0), 1.0)
    assert [k.t for k in edits.retimed(channel, lambda t: 2 * t + 1).keys] == [1, 3, 7]


def test_every_way_has_its_words() -> None:
    from typing import get_args

    from lumwick.motion.channel import Beyond, Join

    assert set(JOIN_WORDS) == set(get_args(Join)) and set(BEYOND_WORDS) == set(get_args(Beyond))


PATHS = ("/air/haze", "/shots/a/exposure/ev100", "/shots/a/exposure/roll", "/wind/from_bearing", "/lamps/l/amount")


@st.composite
def edits_of_time(draw: st.DrawFn) -> dict[str, Any]:
    path, t = draw(st.sampled_from(PATHS)), draw(st.integers(0, 24)) / 24
    picked = [{"path": path, "times": [draw(st.integers(0, 24)) / 24]}]
    value = {
        "/air/haze": 0.3,
        "/shots/a/exposure/ev100": 11.0,
        "/shots/a/exposure/roll": 5.0,
        "/wind/from_bearing": 200.0,
        "/lamps/l/amount": 300.0,
    }[path] * draw(st.floats(0.5, 1.5))
    return draw(
        st.sampled_from(
            [
                {"op": "key", "path": path, "t": t, "value": value},
                {"op": "key", "path": path, "t": t, "value": value},
                {"op": "shift_keys", "picked": picked, "by": draw(st.integers(-12, 12)) / 24},
                {"op": "remove_keys", "picked": picked},
                {
                    "op": "join_keys",
                    "picked": picked,
                    "join": draw(st.sampled_from(["step", "smooth", "spline", "free", "bezier", "steps"])),
                },
                {"op": "mirror_keys", "picked": picked, "about": t},
                {"op": "stretch_keys", "picked": picked, "about": t, "by": 1.5},
                {"op": "beyond", "path": path, "after": draw(st.sampled_from(list(BEYOND_WORDS)))},
                {"op": "copy_keys", "picked": picked, "at": t + 1},
                {"op": "unkey", "path": path, "t": t},
                {
                    "op": "repair",
                    "shot": "a",
                    "path": path,
                    "how": draw(st.sampled_from(["match", "add", "round", "mirror"])),
                },
                {
                    "op": "recipe",
                    "shot": "a",
                    "path": path,
                    "recipe": {"kind": "term", "term": {"kind": "wander", "amount": 0.1}},
                },
                {"op": "retime", "shot": "a", "frames": draw(st.integers(1, 99)), "fps": "25", "keep": "scale"},
                {"op": "raise", "path": path, "t": t, "value": value},
                {"op": "remove_term", "path": path, "index": 0},
            ]
        )
    )


@settings(max_examples=60, deadline=None)
@given(st.lists(edits_of_time(), min_size=4, max_size=14))
def test_whatever_is_edited_the_place_stays_sound_or_says_why_not(steps: list[dict[str, Any]]) -> None:
    place = small_place(lamps=[Lamp(id="l", name="L")])
    for data in steps:
        before = place.model_dump_json()
        try:
            place, label = apply(place, command(data))
            assert label
        except PlaceError as refused:
            assert str(refused).endswith(".") and place.model_dump_json() == before  # a sentence, and nothing half made
    again = parse(place.model_dump(mode="json"))
    assert again == place
    still, shot = Motions(place, place.shots[0]).at(0.37)
    assert (
        0.02 <= still.air.haze <= 1.5
        and isinstance(shot.exposure.ev100, float)
        and Place.model_validate(still.model_dump(mode="json"))
    )


def test_a_curve_of_one_key_holds_whatever_its_rules() -> None:
    for rule in BEYOND_WORDS:
        assert evaluate(Channel(keys=(Key(t=1, v=4),), before=rule, after=rule), [-5, 1, 9]) == pytest.approx([4, 4, 4])


# -- the stage when everything moves ------------------------------------------------------------------------


def moving_place(data: bytes) -> Place:
    shot = small_place().shots[0]
    return small_place(
        growth=[
            Stand(
                id="pines",
                name="Pines",
                kind="pine",
                area=[(10, 40), (60, 40), (60, 90), (10, 90)],
                per_hectare=80,
                height=ramp((0, 6), (1, 9)),
                lean=ramp((0, 0), (1, 12)),
            )
        ],
        sea=small_place().sea.model_copy(
            update={"level": ramp((0, 0.0), (1, 0.6)), "wind_speed": ramp((0, 4), (1, 9))}
        ),
        things=[
            Thing(
                id="box",
                name="Box",
                mesh=asset_of("box.glb", data),
                east=ramp((0, -6), (1, 6)),
                north=10.0,
                up=4.0,
                turn=ramp((0, 0), (1, 90)),
                scale=ramp((0, 0.5), (1, 1.5)),
                surface="s",
            )
        ],
        surfaces=[
            Surface(
                id="s",
                name="S",
                colour=ColourChannel.model_validate({"keys": [{"t": 0, "v": "#aa3322"}, {"t": 1, "v": "#2233aa"}]}),
                roughness=ramp((0, 0.2), (1, 0.9)),
                glow=ramp((0, 0), (1, 900)),
            )
        ],
        lamps=[Lamp(id="l", name="L", east=ramp((0, -5), (1, 5)), north=8.0, up=9.0, amount=4000.0)],
        shots=[
            shot.model_copy(
                update={
                    "exposure": Exposure(ev100=ramp((0, 14), (1, 13)), f_number=ramp((0, 4), (1, 11)), shutter=120.0)
                }
            )
        ],
    )


def test_a_frame_in_which_everything_moves_is_the_same_alone_and_in_a_row(marsh: Ground) -> None:
    data = crate()
    setting = Setting(moving_place(data), marsh, lambda asset: data)
    shot, size, quick = setting.place.shots[0], (64, 36), Quality(2, 1, "fast")
    stage = Stage(setting)
    row = [frame_picture(stage, shot, n, size, quick) for n in (1, 20, 9)]
    alone = frame_picture(Stage(setting), shot, 9, size, quick)
    assert row[0] is not None and row[2] is not None and alone is not None
    assert np.array_equal(row[2].film.sums, alone.film.sums)
    assert not np.array_equal(row[0].film.sums, row[2].film.sums)
    assert (
        row[2].snapshot.place.sea.level == pytest.approx(0.2, abs=0.05)
        and setting.place.sea.level is not row[2].snapshot.place.sea.level
    )


def test_a_thing_that_is_carried_about_is_not_built_anew(marsh: Ground, monkeypatch: pytest.MonkeyPatch) -> None:
    from lumwick.snapshot.evaluate import evaluate as instant

    data, built = crate(), []
    place = small_place(
        growth=[],
        things=[Thing(id="box", name="Box", mesh=asset_of("box.glb", data), east=ramp((0, -6), (1, 6)), up=4.0)],
        sea=small_place().sea.model_copy(update={"present": False}),
    )
    setting = Setting(place, flat(), lambda asset: data)
    stage = Stage(setting)
    make = Furnishing.make
    monkeypatch.setattr(Furnishing, "make", lambda self, s: (built.append(1), make(self, s))[1])
    spots = []
    for t in (0.0, 0.5, 1.0):
        stage.set(instant(setting, place.shots[0], t))
        spots.append(float(stage.furnishing.parts["thing box 0"].transforms[0, 9]))
    assert built == [] and spots == pytest.approx([-6, 0, 6])


def test_a_walk_over_a_deck_that_is_keyed_is_checked_as_it_stands_at_the_start() -> None:
    from lumwick.place.objects import Built
    from lumwick.snapshot.ride import check

    deck = Built(id="b", name="B", kind="boardwalk", line=[(-40, 0), (40, 0)], deck=ramp((0, 21), (1, 23)), width=2.0)
    shot = small_place().shots[0]
    stations = [
        s.model_copy(update={"north": 0.0, "east": x})
        for s, x in zip(shot.route.stations, (-1.0, 0.0, 0.4), strict=True)
    ]
    place = small_place(
        growth=[],
        built=[deck],
        shots=[shot.model_copy(update={"route": shot.route.model_copy(update={"way": "walk", "stations": stations})})],
    )
    report = check(Setting(place, flat()), place.shots[0])
    assert report["clearance"]["least"] == pytest.approx(1.6, abs=0.02)


def test_the_demo_is_sound_and_names_what_moves() -> None:
    place = saltmere()[0]
    assert [m.path for m in Motions(place, place.shot("sunset")).movers] == ["/shots/sunset/exposure/ev100"]
    now = Motions(place, place.shot("pine")).at(1.0)[0]  # where nothing is keyed nothing is copied but the tide's sea
    assert all(getattr(now, name) is getattr(place, name) for name in type(place).model_fields if name != "sea")
    dry = place.model_copy(update={"sea": place.sea.model_copy(update={"tide_range": 0.0})})
    assert Motions(dry, dry.shot("pine")).at(1.0)[0] is dry

"""Everything that moves: keys and their edits, small motions, loops and their seams, what frames depend on."""

import datetime as dt
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.demo import saltmere
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.motion import keys as edits
from lumwick.motion.channel import Channel, ColourChannel, ColourKey, Key, MomentChannel, MomentKey, at, evaluate
from lumwick.motion.terms import Follow, Wander
from lumwick.place.compare import changes
from lumwick.place.describe import numbers, whole_at
from lumwick.place.document import Place, Shot
from lumwick.place.edits import apply, command
from lumwick.place.files import parse
from lumwick.place.instant import Motions, place_clock
from lumwick.place.nature import Air
from lumwick.place.objects import Lamp, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.evaluate import evaluate as evaluate_place
from lumwick.snapshot.footprint import footprints
from lumwick.trace.amount import amount_of_motion, verdict
from lumwick.trace.motion_vectors import skyline
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.motion.test_motion import channels
from tests.core.timing import edit, flat, ramp, with_shot

# -- editing keys -------------------------------------------------------------------------------------------


@settings(max_examples=80, deadline=None)
@given(channels(), st.floats(-5, 5), st.sampled_from([0.25, 0.5, 2.0, 3.0]), st.integers(0, 3))
def test_edits_of_keys_can_be_taken_back(channel: Channel, by: float, factor: float, skip: int) -> None:
    times = [k.t for k in channel.keys]
    there, over = edits.shifted(channel, times, by, 2.0)
    back, _ = edits.shifted(there, [k.t for k in there.keys], -by, -2.0)
    assert (
        over == 0
        and [k.t for k in back.keys] == pytest.approx(times)
        and [k.v for k in back.keys] == pytest.approx([k.v for k in channel.keys])
    )
    wide, _ = edits.stretched(channel, times, 1.0, factor)
    narrow, _ = edits.stretched(wide, [k.t for k in wide.keys], 1.0, 1 / factor)
    assert [k.t for k in narrow.keys] == pytest.approx(times, abs=1e-6)
    # turned round, it does backwards what it did (PCHIP and steps too)
    turned, _ = edits.mirrored(channel, times)
    x = np.linspace(times[0], times[-1], 39)[1:-1] + 1e-3
    x = x[x < times[-1]]
    plain = channel.model_copy(update={"before": "hold", "after": "hold"})
    assert evaluate(
        turned.model_copy(update={"before": "hold", "after": "hold"}), times[0] + times[-1] - x
    ) == pytest.approx(evaluate(plain, x), abs=1e-6) or "step" in {k.join for k in channel.keys}
    few = edits.removed(channel, times[: min(skip, len(times) - 1)]) if skip else channel
    assert few is not None and len(few.keys) == len(times) - min(skip, len(times) - 1)


def test_a_moved_key_takes_the_place_of_one_in_its_way() -> None:
    channel = ramp((0, 1), (1, 2), (2, 3))
    moved, over = edits.shifted(channel, [0.0], 1.0)
    assert over == 1 and [(k.t, k.v) for k in moved.keys] == [(1.0, 1.0), (2.0, 3.0)]
    with pytest.raises(PlaceError, match="same time"):
        edits.stretched(channel, [0.0, 1.0], 0.5, 1e-9)
    with pytest.raises(PlaceError, match="factor above 0"):
        edits.stretched(channel, [0.0], 0.0, 0.0)
    with pytest.raises(PlaceError, match=r"no key at 0\.500"):
        edits.shifted(channel, [0.5], 1.0)
    assert edits.removed(channel, [0.0, 1.0, 2.0]) is None


@pytest.mark.parametrize(
    ("typed", "near", "angle"),
    [(10, 350, 370), (350, 10, -10), (90, 0, 90), (0, 180, 360), (720, 0, 720), (-90, 300, -90), (20, 745, 740)],
)
def test_a_typed_bearing_is_reached_by_the_shorter_turn(typed: float, near: float, angle: float) -> None:
    assert edits.nearest_turn(typed, near) == angle


def test_commands_of_time_are_named_and_sound() -> None:
    place = small_place(lamps=[Lamp(id="l", name="Beam", kind="spot")])
    ev = "/shots/a/exposure/ev100"
    for t, v in ((0.0, 14.0), (0.5, 12.0), (0.9, 13.0)):
        place, _ = edit(place, op="key", path=ev, t=t, value=v)
    place, said = edit(place, op="shift_keys", picked=[{"path": ev, "times": [0.5, 0.9]}], by=0.1, rise=-1)
    assert said == "moved 2 keys of exposure by +0.10 s"
    curve: Any = place.shots[0].exposure.ev100
    assert [(k.t, k.v) for k in curve.keys] == [(0.0, 14.0), (0.6, 11.0), (1.0, 12.0)]
    place, said = edit(place, op="place_key", path=ev, t=0.6, to=0.7, value=10.5)
    assert said == "key: exposure 10.5 EV at 0.70 s"
    place, said = edit(
        place, op="join_keys", picked=[{"path": ev, "times": [0.0]}], join="free", handles=[-0.3, -2, 0.6, 1]
    )
    assert "free handles (a handle folded back in time and was held)" in said
    assert place.shots[0].exposure.ev100.keys[0].handles == (0.0, -2.0, 0.6, 1.0)
    place, said = edit(place, op="copy_keys", picked=[{"path": ev, "times": [0.0, 0.7]}], at=2.0)
    assert said == "copied 2 keys of exposure to 2.00 s"
    with pytest.raises(PlaceError, match="values of the same kind"):
        edit(place, op="copy_keys", picked=[{"path": ev, "times": [0.0]}], at=1.0, onto="/air/haze")
    dim, _ = edit(place, op="set", path="/shots/a/develop/vignette", value=ramp((0, 1), (0.5, 2)).model_dump())
    onto, said = edit(
        dim,
        op="copy_keys",
        picked=[{"path": "/shots/a/develop/vignette", "times": [0.0, 0.5]}],
        at=1.0,
        onto="/shots/a/develop/curve_light",
    )
    assert "of curve, light" in said and [k.t for k in onto.shots[0].develop.curve_light.keys] == [1.0, 1.5]
    place, said = edit(place, op="beyond", path=ev, after="mirror")
    assert said == "exposure: after the last key it runs back and forth"
    place, said = edit(place, op="raise", path=ev, t=0.0, value=15.0)
    assert "whole curve" in said and at(place.shots[0].exposure.ev100, 0.0) == 15.0
    place, said = edit(place, op="remove_keys", picked=[{"path": ev, "times": [2.0, 2.7, 1.0, 0.7]}])
    place, said = edit(place, op="remove_keys", picked=[{"path": ev, "times": [0.0]}])
    assert said == "removed a key of exposure" and place.shots[0].exposure.ev100 == 15.0
    place, said = edit(place, op="recipe", shot="a", path="/lamps/l/bearing", recipe={"kind": "turning", "turns": 2})
    assert said == "shines to turns 2 times a clip"
    beam: Any = place.lamps[0].bearing
    assert (
        at(beam, 1.0) == 720 and at(beam, 2.0) == 1440 and at(beam, -0.5) == -360
    )  # it goes on, and does not spring back
    with pytest.raises(PlaceError, match="Only an angle"):
        edit(place, op="recipe", shot="a", path="/lamps/l/amount", recipe={"kind": "turning", "turns": 2})
    place, _ = edit(
        place,
        op="recipe",
        shot="a",
        path="/lamps/l/amount",
        recipe={"kind": "term", "term": {"kind": "flicker", "source": "tube"}},
    )
    place, said = edit(
        place,
        op="set_term",
        path="/lamps/l/amount",
        index=0,
        term={"kind": "flicker", "source": "candle", "depth": 0.2},
    )
    assert said == "light: changed a small motion"
    with pytest.raises(PlaceError, match="not there any more"):
        edit(place, op="remove_term", path="/lamps/l/amount", index=3)
    place, _ = edit(place, op="remove_term", path="/lamps/l/amount", index=0)
    assert place.lamps[0].amount == 800.0
    with pytest.raises(PlaceError, match="cannot be keyed"):
        edit(place, op="key", path="/lamps/l/kind", t=0, value=1)


def test_colours_and_the_hour_can_be_keyed() -> None:
    place = saltmere()[0]
    for t, v in ((0.0, "#3a332c"), (4.0, "#c08030")):
        place, said = edit(place, op="key", path="/surfaces/tarred/colour", t=t, value=v)
    assert said == "key: colour #c08030 at 4.00 s" and isinstance(place.surfaces[0].colour, ColourChannel)
    for t, v in ((0.0, "2026-06-05T20:00"), (4.0, "2026-06-05T23:00"), (8.0, "2026-06-05T21:00")):
        place, _ = edit(place, op="key", path="/shots/dawn/clock/start", t=t, value=v, join="straight")
    shot = place.shot("dawn")
    assert isinstance(shot.clock.start, MomentChannel)
    assert place_clock(shot, 2.0) == dt.datetime(2026, 6, 5, 21, 30) and place_clock(shot, 6.0) == dt.datetime(
        2026, 6, 5, 22
    )  # time may run back
    still, now = Motions(place, shot).at(2.0)
    assert still.surfaces[0].colour not in ("#3a332c", "#c08030") and now.clock.start == dt.datetime(2026, 6, 5, 21, 30)
    with pytest.raises(PlaceError, match="1900 to 2100"):
        edit(place, op="key", path="/shots/dawn/clock/start", t=1.0, value="3000-01-01T10:00")
    with pytest.raises(PlaceError, match="outside 1900 to 2100"):
        edit(place, op="set", path="/shots/boardwalk/clock/start", value="1800-01-01T10:00")
    with pytest.raises(PlaceError, match="Free handles"):
        edit(place, op="join_keys", picked=[{"path": "/surfaces/tarred/colour", "times": [0.0]}], join="free")
    assert parse(place.model_dump(mode="json")) == place


def test_sizes_blend_by_ratios() -> None:
    place = small_place(things=[])
    for t, v in ((0.0, 100.0), (1.0, 10000.0)):
        place, _ = edit(place, op="key", path="/air/fog_visibility", t=t, value=v, join="straight")
    assert place.air.fog_visibility.blend == "ratio" and at(place.air.fog_visibility, 0.5) == pytest.approx(1000)
    with pytest.raises(PlaceError, match="never 0 or less"):
        edit(
            small_place(),
            op="set",
            path="/shots/a/exposure/ev100",
            value=ramp((0, 0), (1, 3)).model_dump() | {"blend": "ratio"},
        )


# -- a place at an instant ----------------------------------------------------------------------------------


def test_an_instant_shares_what_does_not_move() -> None:
    place = small_place(
        lamps=[Lamp(id="l", name="L", bearing=ramp((0, 0), (1, 90))), Lamp(id="m", name="M")],
        air=Air(haze=ramp((0, 0.1), (1, 0.3))),
    )
    still, shot = Motions(place, place.shots[0]).at(0.5)
    assert (still.lamps[0].bearing, still.air.haze) == (45.0, pytest.approx(0.2))
    assert still.growth is place.growth and still.lamps[1] is place.lamps[1] and shot is place.shots[0]
    assert isinstance(place.lamps[0].bearing, Channel)  # the document is as it was
    own = with_shot(place, air=Air(haze=0.05))
    assert [m.path for m in Motions(own, own.shots[0]).movers] == [
        "/lamps/l/bearing"
    ]  # not the place's air: this shot has its own


def test_what_a_motion_adds_never_leaves_the_fields_range() -> None:
    wild = Channel(keys=(Key(t=0, v=0.1),), terms=(Wander(amount=9.0, per_second=3),))
    place = small_place(air=Air(haze=wild))
    values = Motions(place, place.shots[0]).value("/air/haze", np.linspace(0, 1, 99))
    assert values.min() == 0.02 and values.max() == 1.5


def test_following_with_lag_and_gain_and_never_itself() -> None:
    place = small_place(
        lamps=[Lamp(id="l", name="Leader", bearing=ramp((0, 0), (1, 100))), Lamp(id="f", name="Follower")]
    )
    place, said = edit(
        place,
        op="recipe",
        shot="a",
        path="/lamps/f/bearing",
        recipe={"kind": "term", "term": {"kind": "follow", "path": "/lamps/l/bearing", "lag": 0.25, "gain": 0.5}},
    )
    assert said == "shines to follows leader: shines to"
    follows = Motions(place, place.shots[0]).value("/lamps/f/bearing", [0.0, 0.25, 0.75, 3.0])
    assert follows == pytest.approx([0, 0, 25, 50])
    with pytest.raises(PlaceError, match="follows itself"):
        edit(
            place,
            op="recipe",
            shot="a",
            path="/lamps/l/bearing",
            recipe={"kind": "term", "term": {"kind": "follow", "path": "/lamps/f/bearing"}},
        )
    with pytest.raises(PlaceError, match="cannot follow itself"):
        edit(
            place,
            op="recipe",
            shot="a",
            path="/lamps/l/bearing",
            recipe={"kind": "term", "term": {"kind": "follow", "path": "/lamps/l/bearing"}},
        )
    alone, _ = edit(place, op="remove", of="lamps", id="l")
    assert alone.lamps[0].bearing.terms == ()
    names = {n["path"]: n for n in numbers(place, place.shots[0])}
    assert (
        names["/lamps/f/bearing"]["turn"]
        and names["/lamps/f/bearing"]["keyed"]
        and names["/lamps/l/amount"]["light"]
        and len(names) > 60
    )
    assert whole_at(place, place.shots[0], 0.75).lamps[1].bearing == pytest.approx(25)


# -- clip, clock, seam --------------------------------------------------------------------------------------


def test_frames_are_known_by_what_they_show() -> None:
    place = small_place(things=[])
    setting = Setting(place, flat())

    def prints(p: Place, **shot: Any) -> list[str]:
        p = with_shot(p, **shot) if shot else p
        return footprints(Setting(p, setting.ground), p.shots[0], range(1, p.shots[0].frames + 1), 1)

    before = prints(place)
    assert len(set(before)) == 24 and prints(place.model_copy(update={"name": "Other"})) == before
    e = place.shots[0].exposure
    held = prints(place, exposure=e.model_copy(update={"ev100": ramp((0, 14.0), (0.5, 14.0), (1.0, 12.0))}))
    other = prints(place, exposure=e.model_copy(update={"ev100": ramp((0, 14.0), (0.5, 14.0), (1.0, 11.0))}))
    same = [a == b for a, b in zip(held, other, strict=True)]
    assert all(same[:12]) and not any(same[13:])  # the shutter of frame 13 may just see it
    assert prints(place, frames=30)[:24] != before  # the route spans the clip, so the camera goes slower
    assert (
        prints(place, exposure=e.model_copy(update={"ev100": ramp((0, 14.0), (0.5, 14.0))})) == before
    )  # keyed to what it was
    still = place.shots[0].route.model_copy(update={"stations": place.shots[0].route.stations[:1]})
    assert prints(place, route=still, frames=30)[:24] == prints(place, route=still)


# -- on the stage -------------------------------------------------------------------------------------------


def crate() -> bytes:
    import trimesh

    return bytes(trimesh.Scene([trimesh.creation.box((4, 4, 4))]).export(file_type="glb"))


def test_a_keyed_thing_moves_on_the_picture_and_the_amount_is_its_formula() -> None:
    from lumwick.place.files import asset_of

    data = crate()
    thing = Thing(id="box", name="Box", mesh=asset_of("box.glb", data), east=ramp((0, -2), (1, 2)), north=40.0, up=22.0)
    base = small_place(growth=[], things=[thing], sea=small_place().sea.model_copy(update={"present": False}))
    place = with_shot(
        base,
        route=base.shots[0].route.model_copy(
            update={
                "stations": [
                    base.shots[0]
                    .route.stations[0]
                    .model_copy(update={"east": 0, "north": 0, "up": 22.0, "aim": (0, 50, 22.0)})
                ]
            }
        ),
    )
    setting = Setting(place, flat(), lambda asset: data)
    stage = Stage(setting)
    motion = amount_of_motion(stage, setting, place.shots[0], 0.2, size=(160, 90), later=(0.0,))
    amounts = {a.name: a for a in motion.amounts}
    # the front stands 38 m away, 4 m a second to the right: pixels = 1280 * 28 mm / 36 mm * (4 / 24) / 38
    assert amounts["things"].middle == pytest.approx(1280 * 28 / 36 * 4 / 24 / 38, rel=0.03)
    assert amounts["things"].text == "reads well" and amounts["camera"].text == "stands still" and motion.map.max() > 4
    assert [verdict(v, 24) for v in (0.03, 0.3, 9.0)] == ["too small to see", "reads well", "strobes at this rate"]
    # a camera that pans by a degree a frame: 1280 pixels on 2 atan(18 / 28) degrees, about 17 a frame in the middle
    stations = place.shots[0].route.stations
    pan = with_shot(
        place,
        route=place.shots[0].route.model_copy(
            update={
                "stations": [
                    stations[0],
                    stations[0].model_copy(
                        update={"id": "s2", "aim": (50 * np.sin(np.radians(24)), 50 * np.cos(np.radians(24)), 22.0)}
                    ),
                ]
            }
        ),
    )
    amounts = {
        a.name: a
        for a in amount_of_motion(
            Stage(Setting(pan, flat(), lambda asset: data)),
            Setting(pan, flat(), lambda asset: data),
            pan.shots[0],
            0.1,
            size=(160, 90),
            later=(0.0,),
        ).amounts
    }
    assert amounts["camera"].middle == pytest.approx(1280 * 28 / 36 * np.tan(np.radians(1)), rel=0.12) and amounts[
        "camera"
    ].text.startswith("strobes")


def test_the_skyline_of_a_ridge_is_where_the_ridge_is() -> None:
    y = np.arange(65) * 8.0 - 256
    heights = np.broadcast_to(np.where(y > 150, 60.0, 20.0).astype(np.float32)[:, None], (65, 65)).copy()
    base = small_place(growth=[], sea=small_place().sea.model_copy(update={"present": False}))
    place = with_shot(
        base,
        route=base.shots[0].route.model_copy(
            update={
                "stations": [
                    base.shots[0]
                    .route.stations[0]
                    .model_copy(update={"east": 0, "north": 0, "up": 22.0, "aim": (0, 50, 30.0)})
                ]
            }
        ),
    )
    setting = Setting(place, Ground(heights, 8.0, -256.0, -256.0))
    azimuth, height = skyline(Stage(setting), evaluate_place(setting, place.shots[0], 0.0), (320, 180))
    middle = np.abs(azimuth) < 5
    # the ridge's edge stands 152 m north and 38 m over the eye
    assert height[middle] == pytest.approx(np.degrees(np.arctan2(38, 152)) * np.ones(middle.sum()), abs=0.4)
    assert azimuth[0] == pytest.approx(-33.4, abs=0.5) and (np.diff(azimuth) > 0).all()


# -- states compared, older files ---------------------------------------------------------------------------


def test_two_states_are_told_apart_in_plain_words() -> None:
    before = saltmere()[0]
    after = before
    for data in (
        {"op": "set", "path": "/air/haze", "value": 0.3},
        {"op": "key", "path": "/shots/dawn/exposure/focus", "t": 1, "value": 20},
        {"op": "key", "path": "/shots/sunset/exposure/ev100", "t": 3.0, "value": 9.0},
        {"op": "remove", "of": "lamps", "id": "hide-lantern"},
        {"op": "move_station", "shot": "dawn", "station": "s2", "east": 30, "north": 2},
        {"op": "own_air", "shot": "pine", "own": True},
        {"op": "beyond", "path": "/shots/sunset/exposure/ev100", "after": "straight_on"},
        {"op": "set", "path": "/shots/pine/loop", "value": False},
    ):
        after, _ = apply(after, command(data))
    told = changes(before, after)
    assert changes(before, before) == []
    for words in (
        "air: haze 0.12 → 0.3",
        "Dawn fog over the reeds: focus 40 m → keyed, 1 key",
        "across sunset: exposure: at 3.00 s 12.1 EV → 9 EV",
        "removed lamp Lantern in the hide",
        "Past the walk: east 21 m → 30 m",
        "A pine in wind: own air: given",
        "after the last key it goes straight on",
        "A pine in wind: loop yes → no",
    ):
        assert any(words in line for line in told), (words, told)


def test_places_of_the_first_version_are_read() -> None:
    old = small_place(air=Air(haze=ramp((0, 0.1), (1, 0.3), join="cubic_in"))).model_dump(mode="json")
    old["version"] = 1
    for key in old["air"]["haze"]["keys"]:
        key["join"] = "ease_in"
        for name in ("handles", "steps", "jump"):
            del key[name]
    for name in ("blend", "terms"):
        del old["air"]["haze"][name]
    place = parse(old)
    assert place.version == 4 and place.air.haze.keys[0].join == "cubic_in"


@pytest.mark.parametrize(
    ("keys", "says"),
    [
        ([{"t": 1, "v": 0.1}, {"t": 1, "v": 0.2}], "same time, 1 s"),
        ([], "at least 1"),
        ([{"t": 0, "v": 99}], "Haze is 99"),
        ([{"t": float("nan"), "v": 0.1}], "no number"),
        ([{"t": 0, "v": "much"}], "number"),
        ([{"t": 0, "v": 0.1, "join": "steps", "steps": 1, "jump": "none"}], "at least two"),
    ],
)
def test_channels_that_cannot_be(keys: list, says: str) -> None:
    data = small_place().model_dump(mode="json")
    data["air"]["haze"] = {"keys": keys}
    with pytest.raises(PlaceError, match=says):
        parse(data)


def test_keys_out_of_order_are_put_in_order() -> None:
    data = small_place().model_dump(mode="json")
    data["air"]["haze"] = {"keys": [{"t": 2, "v": 0.3}, {"t": 0, "v": 0.1}]}
    assert [k.t for k in parse(data).air.haze.keys] == [0.0, 2.0]
    data["air"]["haze"] = {"keys": [{"t": 0, "v": 0.1}], "terms": [{"kind": "follow", "path": "/lamps/gone/amount"}]}
    with pytest.raises(PlaceError, match="gone"):
        parse(data)


def test_colour_keys_are_checked() -> None:
    with pytest.raises(ValueError, match="pattern"):
        ColourKey(t=0, v="red")
    with pytest.raises(ValueError, match="1900 to 2100"):
        MomentKey(t=0, v=dt.datetime(1800, 1, 1))
    assert isinstance(Follow(path="/x"), Follow) and isinstance(small_place().shots[0], Shot)

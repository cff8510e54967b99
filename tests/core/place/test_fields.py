"""Every field that the slip can show: told in words, typed back, and edited one by one."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import BaseModel

from lumwick.demo import saltmere
from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, at
from lumwick.place.describe import FieldView, fields, typed, whole_at
from lumwick.place.document import Place, Shot
from lumwick.place.edits import apply, command, fresh_id
from lumwick.place.filming import Clock, Develop, Exposure, Route, Station
from lumwick.place.growing import Stand
from lumwick.place.instant import Motions
from lumwick.place.nature import Air, Land, Sea, Site, Surround, Wind
from lumwick.place.objects import Built, Lamp, Surface, Thing
from lumwick.place.paths import find

DEMO = saltmere()[0]


def all_fields() -> list[FieldView]:
    shot, stand = DEMO.shots[0], DEMO.growth[-1]
    things: list[tuple[BaseModel, str]] = [
        (DEMO.site, "/site"),
        (DEMO.land, "/land"),
        (DEMO.sea, "/sea"),
        (DEMO.air, "/air"),
        (DEMO.wind, "/wind"),
        (stand, f"/growth/{stand.id}"),
        (DEMO.built[0], "/built/boardwalk"),
        (shot, f"/shots/{shot.id}"),
        (shot.clock, f"/shots/{shot.id}/clock"),
        (shot.exposure, f"/shots/{shot.id}/exposure"),
        (shot.develop, f"/shots/{shot.id}/develop"),
        (shot.route, f"/shots/{shot.id}/route"),
        (shot.route.stations[0], f"/shots/{shot.id}/route/stations/s1"),
        (DEMO.surround, "/surround"),
        *((item, f"/{of}/{item.id}") for of in ("surfaces", "things", "lamps") for item in getattr(DEMO, of)),
    ]
    now = whole_at(DEMO, shot, 0.0)
    return [view for model, prefix in things for view in fields(model, prefix, now)]


ALL = all_fields()
FIELDS = [f for f in ALL if f.kind != "file"]  # a file is brought, not typed
NUMBERS = [f for f in FIELDS if f.kind == "number" and f.low is not None and not f.optional]
LEFT_OUT = [f for f in FIELDS if f.optional]
KEYABLE = [
    f for f in NUMBERS if f.animatable and not f.path.endswith("per_hectare")
]  # more plants than can be filmed are refused


@pytest.mark.parametrize(
    "model",
    [
        Site,
        Land,
        Sea,
        Air,
        Wind,
        Stand,
        Built,
        Station,
        Route,
        Clock,
        Exposure,
        Develop,
        Shot,
        Surface,
        Thing,
        Lamp,
        Surround,
    ],
)
def test_every_number_says_its_unit_its_range_and_what_it_is_for(model: type[BaseModel]) -> None:
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra
        if isinstance(extra, dict) and "low" in extra:
            assert info.title and extra["unit"] and info.description, f"{model.__name__}.{name}"
            assert float(extra["low"]) < float(extra["high"]) and info.description.endswith("."), (
                f"{model.__name__}.{name}"
            )
            default = info.get_default(call_default_factory=True)
            if extra.get("optional"):
                assert default is None
                continue
            assert float(extra["low"]) <= float(default) <= float(extra["high"]), f"{model.__name__}.{name}"


def test_the_slip_shows_each_kind_of_field() -> None:
    assert {f.kind for f in ALL} == {"number", "switch", "choice", "text", "moment", "colour", "file"}
    assert len(NUMBERS) > 90 and len({f.path for f in ALL}) == len(ALL)
    assert {f.path for f in ALL if f.kind == "file"} >= {
        "/land/elevation",
        "/surfaces/tarred/colour_map",
        "/things/lamp-post/mesh",
    }
    assert all(f.low <= f.value <= f.high for f in NUMBERS)


@pytest.mark.parametrize("field", FIELDS, ids=lambda f: f.path)
def test_what_is_shown_can_be_typed_back_and_changes_nothing(field: FieldView) -> None:
    value = typed(DEMO, field.path, field.shown)
    owner, name, _ = find(DEMO, field.path)
    if field.optional:
        assert value is None and field.shown == ""
    elif field.kind == "number":
        assert value == pytest.approx(field.value, rel=1e-3, abs=1e-6)
    if field.keyed:
        return
    place, label = apply(DEMO, command({"op": "set", "path": field.path, "value": value}))
    assert label
    before, after = getattr(owner, name), getattr(find(place, field.path)[0], name)
    assert after == (pytest.approx(before, rel=1e-3, abs=1e-6) if isinstance(before, float) else before)


@pytest.mark.parametrize("field", NUMBERS, ids=lambda f: f.path)
def test_a_number_outside_its_range_is_refused_with_the_range(field: FieldView) -> None:
    assert field.low is not None and field.high is not None
    for outside in (field.low - 1.5 * (1 + abs(field.low)), field.high + 1.5 * (1 + abs(field.high))):
        with pytest.raises(PlaceError, match="lies from"):
            typed(DEMO, field.path, f"{outside:.9g}")
        with pytest.raises(PlaceError):
            apply(DEMO, command({"op": "set", "path": field.path, "value": outside}))
    for text in ("", "plenty", "1 m 2", "nan", "inf"):
        with pytest.raises(PlaceError):
            typed(DEMO, field.path, text)


@pytest.mark.parametrize("field", LEFT_OUT, ids=lambda f: f.path)
def test_what_may_be_left_out_is_set_and_left_out_again(field: FieldView) -> None:
    assert field.low is not None and field.high is not None
    middle = typed(DEMO, field.path, f"{(field.low + field.high) / 2:.6g}")
    place, _ = apply(DEMO, command({"op": "set", "path": field.path, "value": middle}))
    owner, name, _ = find(place, field.path)
    assert getattr(owner, name) == middle
    for nothing in ("", " as the shot "):
        assert typed(place, field.path, nothing) is None
    with pytest.raises(PlaceError, match="lies from"):
        typed(DEMO, field.path, f"{field.high * 2 + 9:.9g}")
    assert apply(place, command({"op": "set", "path": field.path, "value": None}))[0] == DEMO


def test_a_lens_may_be_told_by_its_angle() -> None:
    path = "/shots/dawn/route/stations/s1/focal"
    assert typed(DEMO, path, "39.6°") == pytest.approx(50, abs=0.02) and typed(DEMO, path, "90 deg") == pytest.approx(
        18
    )
    with pytest.raises(PlaceError, match="An angle of view"):
        typed(DEMO, path, "170°")


@settings(max_examples=80, deadline=None)
@given(st.lists(st.tuples(st.sampled_from(KEYABLE), st.floats(0.01, 1), st.integers(0, 190)), min_size=1, max_size=7))
def test_keys_gather_wherever_they_are_set_and_the_place_stays_sound(steps: list[tuple[FieldView, float, int]]) -> None:
    place, told = DEMO, {}
    for field, share, frame in steps:
        assert field.low is not None and field.high is not None
        value, t = field.low + share * (field.high - field.low), frame / 24
        place, label = apply(place, command({"op": "key", "path": field.path, "t": t, "value": value}))
        assert label.startswith("key: ")
        told[field.path, frame] = value
    for (path, frame), value in told.items():
        owner, name, _ = find(place, path)
        channel = getattr(owner, name)
        off = at(channel, frame / 24) - value
        if find(place, path)[2].json_schema_extra.get("quantity") == "turn":
            off = (off + 180) % 360 - 180  # it goes there by the shorter way
        assert isinstance(channel, Channel) and off == pytest.approx(0, abs=1e-9 * (1 + abs(value)))
    assert {p for p, _ in told} <= {mover.path for shot in place.shots for mover in Motions(place, shot).movers}
    assert Place.model_validate(place.model_dump(mode="json")) == place


def test_a_key_set_again_keeps_how_the_curve_leaves_it() -> None:
    sunset = "/shots/sunset/exposure/ev100"
    before = DEMO.shot("sunset").exposure.ev100
    assert isinstance(before, Channel)
    place, _ = apply(DEMO, command({"op": "key", "path": sunset, "t": before.keys[1].t, "value": 9.0}))
    after: Any = place.shot("sunset").exposure.ev100
    assert [k.join for k in after.keys] == [k.join for k in before.keys] and after.keys[1].v == 9.0
    held, _ = apply(
        DEMO, command({"op": "set", "path": sunset, "value": before.model_copy(update={"after": "cycle"}).model_dump()})
    )
    again, _ = apply(held, command({"op": "key", "path": sunset, "t": 2.5, "value": 12.0}))
    times = sorted([2.5, *(k.t for k in before.keys)])
    channel: Any = again.shot("sunset").exposure.ev100
    assert channel.after == "cycle" and [k.t for k in channel.keys] == times


def test_ids_are_the_first_that_is_free() -> None:
    assert fresh_id(["s1", "s2", "s4"], "s") == "s3" and fresh_id([], "stand") == "stand1"
    assert np.isfinite(DEMO.shots[0].seconds)

"""Loops: small motions, lengths and rates, the seam and its repairs."""

from __future__ import annotations

import datetime as dt
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lumwick.errors import PlaceError
from lumwick.motion.channel import Channel, Key, MomentChannel, MomentKey, at, evaluate
from lumwick.motion.terms import Flicker, Pulse, Swing, Wander, laid_over
from lumwick.picture import fade, frame_picture, open_for, seam_step
from lumwick.place.edits.clip import closed
from lumwick.place.files import parse
from lumwick.place.nature import Air
from lumwick.place.objects import Lamp
from lumwick.snapshot.evaluate import Setting, clip_time
from lumwick.snapshot.seam import seam_gaps
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.core.motion.test_motion import channels
from tests.core.timing import edit, flat, ramp, with_shot

TERMS = [
    Swing(period=0.7),
    Swing(form="held", period=1.3),
    Swing(form="straight", phase=0.3),
    Wander(per_second=1.7, rough=1),
    Flicker(source="tube"),
    Flicker(source="candle"),
    Flicker(source="lightning", depth=1),
    Pulse(period=0.9, fall=1.4),
]

STRAIGHT_UP = Channel(keys=[Key(t=-0.1, join="bezier", bezier=(0, 1, 0, 0), v=0), Key(t=0, v=1), Key(t=0.1, v=0)])
"""A join that sets out straight up."""


@pytest.mark.parametrize("term", TERMS, ids=lambda t: f"{t.kind} {getattr(t, 'source', getattr(t, 'form', ''))}")
def test_small_motions_close_in_a_loop_and_depend_on_nothing_before(term: Any) -> None:
    t, loop = np.linspace(0, 4, 777), 4.0
    base = np.full_like(t, 5.0)
    values = laid_over(base, term, t, loop)
    assert laid_over(base, term, t + loop, loop) == pytest.approx(values, abs=1e-7)
    assert np.ptp(values) > 0.05
    one = [laid_over(np.array([5.0]), term, np.array([x]), loop)[0] for x in t[::111]]
    assert one == pytest.approx(values[::111], abs=1e-12)  # any instant alone, in any order
    free = laid_over(base, term, t, None)
    assert not np.allclose(free, laid_over(base, term, t + loop, None)) or term.kind == "swing"
    if isinstance(term, Flicker):
        assert values.min() >= 5 * (1 - term.depth) - 1e-9 and values.max() <= 5 + 1e-9
        assert not np.allclose(values, laid_over(base, term.model_copy(update={"seed": 2}), t, loop))  # seeded


def test_an_irregular_sway_is_ordinary_keys_that_close() -> None:
    place = small_place()
    place, _ = edit(
        with_shot(place, loop=True),
        op="recipe",
        shot="a",
        path="/shots/a/exposure/roll",
        recipe={"kind": "sway", "amount": 2, "period": 0.45, "keys": 5},
    )
    roll: Any = place.shots[0].exposure.roll
    assert (
        roll.terms == () and len(roll.keys) == 6 and roll.keys[-1].t == pytest.approx(0.5)
    )  # two rounds fit in a second
    (gap,) = [g for g in seam_gaps(Setting(place, flat()), place.shots[0]) if g.path]
    assert gap.closes and 0.5 < max(abs(k.v) for k in roll.keys) <= 2.5


@pytest.mark.parametrize(("keep", "times"), [("seconds", [0.0, 1.0]), ("frames", [0.0, 0.8]), ("scale", [0.0, 2.0])])
def test_another_length_or_rate_and_what_becomes_of_keys(keep: str, times: list[float]) -> None:
    place = with_shot(
        small_place(air=Air(haze=ramp((0, 0.1), (1, 0.2)))),
        exposure=small_place().shots[0].exposure.model_copy(update={"ev100": ramp((0, 10), (1, 12))}),
    )
    after, said = edit(place, op="retime", shot="a", frames=60, fps="30", keep=keep)
    shot = after.shots[0]
    assert (shot.frames, shot.fps) == (60, "30") and keep.removesuffix("s") in said
    assert [k.t for k in shot.exposure.ev100.keys] == pytest.approx(times)
    assert [k.t for k in after.air.haze.keys] == [0.0, 1.0]  # the place's keys are every shot's


@pytest.mark.parametrize("data", [{"frames": 0}, {"fps": "0"}, {"fps": "1000"}, {"frames": 30000}])
def test_lengths_and_rates_that_cannot_be(data: dict) -> None:
    with pytest.raises(Exception, match=r"frame rate|greater than|less than"):
        edit(small_place(), **{"op": "retime", "shot": "a", "frames": 24, "fps": "24", "keep": "seconds", **data})


@settings(max_examples=100, deadline=None)
@given(channels(), st.sampled_from(["match", "add", "mirror"]), st.floats(0.5, 12))
@example(STRAIGHT_UP, "mirror", 1.0)
def test_every_repair_closes_in_value(channel: Channel, how: str, seconds: float) -> None:
    try:
        made = closed(channel, seconds, how, False)
    except PlaceError as refused:
        assert "only one key" in str(refused)
        return
    end = evaluate(made, [0.0, seconds - 1e-12])  # so near, since a join may set out straight up
    if not {"step", "steps"} & {k.join for k in made.keys}:  # what goes by steps may step where it comes round
        assert end[0] == pytest.approx(end[1], abs=1e-3 * (1 + np.ptp([k.v for k in made.keys])))
    assert parse(
        small_place(
            air=Air(
                fog_base=made.model_copy(
                    update={
                        "keys": tuple(k.model_copy(update={"v": float(np.clip(k.v, -400, 400))}) for k in made.keys)
                    }
                )
            )
        ).model_dump(mode="json")
    )


def test_a_turn_is_rounded_to_whole_turns() -> None:
    beam = ramp((0, 10), (3, 610), before="cycle_offset", after="cycle_offset")
    made = closed(beam, 4.0, "round", True)
    assert (at(made, 4.0) - at(made, 0.0)) == pytest.approx(720)  # 800 degrees in four seconds are nearest two turns
    again = closed(ramp((0, 0), (0.9, 4), (1.3, 0), before="cycle", after="cycle"), 4.0, "round", False)
    assert 4.0 / (again.keys[-1].t - again.keys[0].t) == pytest.approx(3)


def test_the_seam_check_says_what_jumps_by_how_much_and_what_would_mend_it() -> None:
    place = small_place(
        air=Air(haze=ramp((0, 0.1), (1, 0.3))),
        lamps=[Lamp(id="l", name="Beam", bearing=ramp((0, 0), (1, 540), before="straight_on", after="straight_on"))],
    )
    place = place.model_copy(
        update={
            "growth": [],
            "shots": [
                place.shots[0].model_copy(
                    update={
                        "loop": True,
                        "route": place.shots[0].route.model_copy(
                            update={"stations": place.shots[0].route.stations[:1]}
                        ),
                    }
                )
            ],
        }
    )
    setting = Setting(place, flat())
    gaps = {g.title: g for g in seam_gaps(setting, place.shots[0])}
    assert (
        gaps["Haze"].value == pytest.approx(0.2, rel=1e-3)
        and "match" in gaps["Haze"].repairs
        and "jumps by 0.2" in gaps["Haze"].text
    )
    assert gaps["Beam: shines to"].value == pytest.approx(180, abs=0.01) and "round" in gaps["Beam: shines to"].repairs
    assert gaps["The camera"].closes and gaps["The sea's waves"].closes
    mended, said = edit(place, op="repair", shot="a", path="/air/haze", how="match")
    assert said == "haze: ends as it starts"
    mended, _ = edit(mended, op="repair", shot="a", path="/lamps/l/bearing", how="round")
    assert all(
        g.closes for g in seam_gaps(Setting(mended, flat()), mended.shots[0]) if g.path and "speed" not in g.text
    )
    # not a loop: the sea and what was laid over say so; a day that runs moves the sun; two repairs mend all at once
    fast = with_shot(place, loop=False, clock=place.shots[0].clock.model_copy(update={"speed": 3600.0}))
    gaps = {g.title: g for g in seam_gaps(Setting(fast, flat()), fast.shots[0])}
    assert (
        not gaps["The sea's waves"].closes and "loop" in gaps["The sea's waves"].repairs and gaps["The sun"].value > 10
    )
    assert "still" in gaps["The sun"].repairs
    hours = MomentChannel(
        keys=(MomentKey(t=0, v=dt.datetime(2026, 6, 5, 8)), MomentKey(t=1, v=dt.datetime(2026, 6, 5, 12)))
    )
    by_hand = with_shot(place, clock=place.shots[0].clock.model_copy(update={"start": hours}))
    (sun,) = [g for g in seam_gaps(Setting(by_hand, flat()), by_hand.shots[0]) if g.title == "The sun"]
    assert sun.value > 10 and "still" not in sun.repairs  # the keys say the hour, so no speed can be taken away
    for seam in ("mirror", "cross-fade"):
        whole, _ = edit(fast, op="seam", shot="a", seam=seam, frames=6)
        assert all(g.closes for g in seam_gaps(Setting(whole, flat()), whole.shots[0]))


def test_there_and_back_and_the_cross_fade() -> None:
    shot = small_place().shots[0].model_copy(update={"seam": "mirror"})
    assert [clip_time(shot, n / 24) for n in (0, 6, 12, 18, 23)] == pytest.approx([0, 0.25, 0.5, 0.25, 1 / 24])
    over = shot.model_copy(update={"seam": "cross-fade", "seam_frames": 4})
    assert [fade(over, n) for n in (20, 21, 22, 23, 24)] == pytest.approx([0, 0.2, 0.4, 0.6, 0.8])
    assert fade(shot, 24) == 0


def test_a_cross_faded_loop_comes_round_in_the_picture() -> None:
    # the exposure falls by three stops over the clip: cut, the picture jumps; faded, it does not
    base = small_place(growth=[])
    dim = with_shot(
        base,
        frames=12,
        exposure=base.shots[0].exposure.model_copy(
            update={"ev100": ramp((0, 13.0), (0.5, 16.0), before="straight_on"), "shutter": 0.0}
        ),
    )
    steps = {}
    for name, changes_ in {"cut": {}, "faded": {"seam": "cross-fade", "seam_frames": 8}}.items():
        place = with_shot(dim, **changes_)
        setting = Setting(place, flat())
        stage = Stage(setting)
        steps[name] = seam_step(stage, place.shots[0], (48, 32), 3)
        if name == "faded":
            last, first = (frame_picture(stage, place.shots[0], n, (48, 32), QUALITIES["sketch"]) for n in (12, 1))
            assert last is not None and first is not None
    assert steps["cut"].seam > 4 * steps["cut"].usual and "the loop jumps" in steps["cut"].text
    assert steps["faded"].seam < 0.5 * steps["cut"].seam
    assert open_for(Setting(dim, flat()), dim.shots[0], 0.0) == 0.0


def test_keys_before_the_clip_are_no_part_of_its_round() -> None:
    curve = Channel(keys=[Key(t=-0.3, v=1.0, join="straight"), Key(t=-0.2, v=0.0, join="straight"), Key(t=-0.1, v=0.0)])
    made = closed(curve, 1.0, "match", False)
    assert made.keys[0].t == 0.0 and made.keys[-1].t == 1.0
    assert evaluate(made, [0.0, 0.4, 1.0 - 1e-7]) == pytest.approx([0.0, 0.0, 0.0])

"""Frames' names: a change of anything that a picture goes by changes the name, also of what was before its time."""

from __future__ import annotations

import threading

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.land.ground import Ground
from lumwick.motion.channel import Channel, Key
from lumwick.once import once
from lumwick.place.document import Place, Shot
from lumwick.place.objects import Copies, Lamp, Shape, Thing
from lumwick.snapshot.evaluate import Setting
from lumwick.snapshot.footprint import footprints
from lumwick.snapshot.memory import KEPT_AT_MOST, Memory
from tests.conftest import small_place

FRAME = 20


def keyed(*values: float) -> Channel:
    """A value keyed at every eighth of a second."""
    return Channel(keys=[Key(t=k / 8, v=v) for k, v in enumerate(values)])


def name_of(ground: Ground, place: Place, frame: int = FRAME) -> str:
    return footprints(Setting(place, ground), place.shots[0], [frame], 1)[0]


def ball(**more: object) -> Thing:
    return Thing(id="ball", name="Ball", shape=Shape(kind="ball", width=0.4), **more)  # type: ignore[arg-type]


def changed(place: Place, path: str, k: int, by: float) -> Place:
    """A place with one key of a channel moved."""
    data = place.model_dump(mode="json")
    held = data
    *most, last = path.strip("/").split("/")
    for part in most:
        held = next(x for x in held if x["id"] == part) if isinstance(held, list) else held[part]
    held[last]["keys"][k]["v"] += by
    return Place.model_validate(data)


LATE = (0.0, 1.0, 2.0, 3.0, 3.0, 3.0, 3.0)
"""Moves at first and lies still at the frame that is asked."""


def rolling() -> tuple[Place, str]:
    return small_place(things=[ball(east=keyed(*LATE), rolls=True)]), "/things/ball/east"


def trampling() -> tuple[Place, str]:
    return small_place(things=[ball(east=keyed(*LATE), north=30.0)]), "/things/ball/east"


def wading() -> tuple[Place, str]:
    return small_place(growth=[], things=[ball(east=keyed(*LATE))]), "/things/ball/east"


def in_step() -> tuple[Place, str]:
    rows = Copies(count=3, later=0.5)
    return small_place(growth=[], things=[ball(turn=keyed(*LATE), copies=rows)]), "/things/ball/turn"


def raining() -> tuple[Place, str]:
    place = small_place()
    return place.model_copy(update={"air": place.air.model_copy(update={"rain": keyed(*LATE)})}), "/air/rain"


def snowing() -> tuple[Place, str]:
    place = small_place()
    return place.model_copy(update={"air": place.air.model_copy(update={"snowing": keyed(*LATE)})}), "/air/snowing"


@pytest.mark.parametrize("make", [rolling, trampling, wading, in_step, raining, snowing])
@given(k=st.integers(0, 2), by=st.floats(0.001, 5.0))
@settings(max_examples=12, deadline=None)
def test_a_value_of_the_past_is_in_the_name(marsh: Ground, make, k: int, by: float) -> None:  # type: ignore[no-untyped-def]
    """Keys before a frame's time, at which all stands still again, are in the name of what goes by them."""
    place, path = make()
    assert name_of(marsh, place) == name_of(marsh, Place.model_validate(place.model_dump(mode="json")))
    assert name_of(marsh, place) != name_of(marsh, changed(place, path, k, by))


def test_what_goes_by_its_own_instant_alone_keeps_its_name(marsh: Ground) -> None:
    """Neither water nor growth nor copies: where a thing was before its frame is not seen in it."""
    place = small_place(growth=[], things=[ball(east=keyed(*LATE))])
    dry = place.model_copy(update={"sea": place.sea.model_copy(update={"present": False})})
    assert name_of(marsh, dry) == name_of(marsh, changed(dry, "/things/ball/east", 0, 1.0))
    assert name_of(marsh, dry) != name_of(marsh, changed(dry, "/things/ball/east", 6, 1.0))


def test_what_follows_a_value_goes_by_its_past_too(marsh: Ground) -> None:
    """A ball that follows a lamp's height: the lamp's keys before are in the name."""
    lamp = Lamp(id="lamp", name="Lamp", up=keyed(*LATE))
    east = Channel.model_validate(
        {"keys": [{"t": 0, "v": 0}], "terms": [{"kind": "follow", "path": "/lamps/lamp/up", "lag": 0.2, "gain": 1}]}
    )
    place = small_place(things=[ball(east=east, rolls=True)], lamps=[lamp])
    assert name_of(marsh, place) != name_of(marsh, changed(place, "/lamps/lamp/up", 0, 1.0))


def test_a_lamp_that_turns_goes_by_the_clips_length(marsh: Ground) -> None:
    place = small_place(lamps=[Lamp(id="lamp", name="Lamp", turns=2)])
    longer = place.model_copy(update={"shots": [place.shots[0].model_copy(update={"frames": 48})]})
    assert name_of(marsh, place) != name_of(marsh, longer)


def test_a_tide_goes_by_how_fast_the_day_runs(marsh: Ground) -> None:
    """Frame 1 has the same clock whatever the pace; the tide before it has not."""
    place = small_place()
    tidal = place.model_copy(update={"sea": place.sea.model_copy(update={"tide_range": 2.0})})
    shot: Shot = tidal.shots[0]
    quick = shot.model_copy(update={"clock": shot.clock.model_copy(update={"speed": 600.0})})
    assert name_of(marsh, tidal, 1) != name_of(marsh, tidal.model_copy(update={"shots": [quick]}), 1)


def test_names_do_not_ask_where_anything_stands(marsh: Ground, monkeypatch: pytest.MonkeyPatch) -> None:
    """What cost minutes: a name says what a frame goes by, not where that leads."""

    def never(*_: object, **__: object) -> None:
        raise AssertionError("a name asked where something stands")

    place, _ = trampling()
    monkeypatch.setattr(Setting, "standing", never)
    monkeypatch.setattr(Setting, "whereabouts", never)
    assert len(set(footprints(Setting(place, marsh), place.shots[0], range(1, 25), 6))) == 24


def test_what_many_ask_for_is_worked_out_once() -> None:
    begun, done, calls = threading.Event(), threading.Event(), []

    @once(2)
    def work(number: int) -> int:
        calls.append(number)
        begun.set()
        done.wait(5)
        if number < 0:
            raise ValueError(number)
        return number * 2

    answers: list[int] = []
    threads = [threading.Thread(target=lambda: answers.append(work(4))) for _ in range(5)]
    for thread in threads:
        thread.start()
    begun.wait(5)
    done.set()
    for thread in threads:
        thread.join(5)
    assert answers == [8] * 5 and calls == [4]
    for _ in range(2):  # an error is not kept
        with pytest.raises(ValueError):
            work(-1)
    assert calls == [4, -1, -1]
    work(5), work(6)
    work(4)  # which was forgotten
    assert calls[-1] == 4


def test_a_settings_memory_lets_the_oldest_go_alone() -> None:
    """It was cleared whole while other threads read it."""
    memory, wrong = Memory(), []

    def use(of: int) -> None:
        for k in range(2000):
            if memory.remembered((of, k % 300), lambda k=k: k % 300) != k % 300:
                wrong.append(k)

    threads = [threading.Thread(target=use, args=(n,)) for n in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert not wrong and len(memory) == KEPT_AT_MOST

"""The look's engine: what it keeps, what gives way, and that its refinements add up."""

import datetime as dt
import io
import threading
from typing import Any

import numpy as np
import pytest
from django.utils import timezone
from PIL import Image

from lumwick.errors import RenderError
from lumwick.snapshot.evaluate import evaluate
from lumwick.trace.quality import Quality
from lumwick.trace.stage import Stage
from studio.looks.engine import STEPS, LookEngine, PreviewRequest, Superseded, jpeg, light_key
from studio.looks.preload import preload
from studio.looks.request_queue import QUEUE
from studio.looks.settings import revision_setting
from studio.places.models import Place
from tests.studio.conftest import kept_place

pytestmark = pytest.mark.django_db


def pixels(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


def test_refinements_grow_in_size_and_samples(place: Any) -> None:
    engine = LookEngine()
    head = place.head.pk
    sizes, samples = [], []
    for step in range(len(STEPS)):
        data, known = engine.look(PreviewRequest("v", place.pk, head, "a", 0.4, None, step, 1))
        sizes.append(pixels(data).shape[:2])
        samples.append(known["samples"])
        assert known["last"] == (step == len(STEPS) - 1)
    assert sizes[0] == (90, 160) and sizes[-1] == (360, 640) and sizes == sorted(sizes)
    assert samples == [1, 1, 2, 6, 16]  # a film of one size is added to


def test_a_wish_sets_its_stage_once_unless_it_was_moved_meanwhile(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    engine, moved = LookEngine(), []
    engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.1, None, 0, 1))
    really = Stage.set
    monkeypatch.setattr(Stage, "set", lambda stage, *given: (moved.append(1), really(stage, *given)))

    def shown(t: float, steps: tuple[int, ...]) -> np.ndarray:
        for step in steps:
            data, _ = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", t, None, step, 1))
        return pixels(data)

    at_once = shown(0.4, (0, 1, 2))
    assert len(moved) == 1
    engine.with_stage(
        place.pk, place.head.pk, lambda stage, setting: stage.set(evaluate(setting, setting.place.shots[0], 0.9))
    )
    assert np.array_equal(shown(0.4, (0, 1, 2)), at_once) and len(moved) == 3


def test_the_finished_look_is_the_same_whatever_was_looked_at_before(place: Any) -> None:
    wandered, fresh = LookEngine(), LookEngine()
    own = {"x": 3.0, "y": -30.0, "z": 9.0, "bearing": 20.0, "pitch": -8.0, "focal": 30.0}
    for t, camera in ((0.0, None), (0.7, own), (0.2, None)):
        for step in (0, 1):
            wandered.look(PreviewRequest("v", place.pk, place.head.pk, "a", t, camera, step, 1))
    last = [
        engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.5, own, step, 1))[0]
        for engine in (wandered, fresh)
        for step in (0, 1, 2)
    ]
    assert last[2] == last[5] and last[1] == last[4]


def test_an_older_wish_gives_way(place: Any) -> None:
    engine = LookEngine()
    engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 5))
    with pytest.raises(Superseded):
        engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 1, 4))
    engine.look(
        PreviewRequest("somebody else", place.pk, place.head.pk, "a", 0.0, None, 0, 1)
    )  # another viewer's wishes are their own


@pytest.mark.django_db(transaction=True)
def test_a_refinement_under_way_stops_for_a_newer_wish(place: Any) -> None:
    engine, told = LookEngine(), []
    for step in (0, 1, 2):
        engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, step, 1))

    def refine() -> None:
        try:
            engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 4, 1))
            told.append("finished")
        except Superseded:
            told.append("gave way")

    revision_setting(place.head.pk)
    worker = threading.Thread(target=refine)
    worker.start()
    while not QUEUE.busy and worker.is_alive():
        pass
    data, known = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.3, None, 0, 2))
    worker.join()
    assert told == ["gave way"] and known["samples"] == 1 and pixels(data).std() > 5


def test_two_places_are_kept_and_the_third_pushes_out_the_oldest(account: Any) -> None:
    engine = LookEngine(room=10**12, keep=2)  # whatever the tests before it took
    places = [kept_place(account) for _ in range(3)]
    for p in places:
        engine.look(PreviewRequest("v", p.pk, p.head.pk, "a", 0.0, None, 0, 1))
    assert list(engine._open) == [places[1].pk, places[2].pk]


def test_an_edit_is_seen_in_the_next_look(place: Any) -> None:
    engine = LookEngine()
    before, _ = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 1))
    place.edit(1, {"op": "set", "path": "/shots/a/clock/start", "value": "2026-06-05T21:20"})
    place.refresh_from_db()
    after, _ = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 2))
    assert pixels(after).mean() < 0.5 * pixels(before).mean()


def test_a_place_without_a_station_still_has_a_look(place: Any) -> None:
    for n, sid in enumerate(("s1", "s2", "s3"), 1):
        place.edit(n, {"op": "remove_station", "shot": "a", "station": sid})
    place.refresh_from_db()
    data, _ = LookEngine().look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 1))
    assert pixels(data).std() > 5


def test_the_budget_grows_with_what_is_asked(place: Any) -> None:
    engine = LookEngine()
    small = engine.measure(place.pk, place.head.pk, "a", (160, 90), Quality(4, 1, "balanced"))
    large = engine.measure(place.pk, place.head.pk, "a", (640, 360), Quality(16, 1, "balanced"))
    assert (
        0 < small["least"] <= small["seconds"] <= small["most"]
        and large["seconds"] > 3 * small["seconds"]
        and large["bytes"] > 5 * small["bytes"]
    )


def test_jpeg_is_a_picture() -> None:
    ramp = np.repeat(np.linspace(0, 255, 64).astype(np.uint8)[None, :, None], 3, 2).repeat(32, 0)
    assert np.abs(pixels(jpeg(ramp)) - ramp).mean() < 4


def test_developing_anew_traces_nothing(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    engine = LookEngine()
    for step in (0, 1, 2):
        before, _ = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.2, None, step, 1))
    monkeypatch.setattr("studio.looks.engine.expose", lambda *_, **__: pytest.fail("traced again"))
    for n, (path, value) in enumerate(
        (("develop/saturation", 0.0), ("exposure/ev100", 12.5), ("exposure/kelvin", 4000), ("develop/vignette", 2.0)), 1
    ):
        place.edit(n, {"op": "set", "path": f"/shots/a/{path}", "value": value})
        place.refresh_from_db()
        after, known = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.2, None, 0, n + 1))
        assert known["samples"] == 2 and known["step"] == 2 and after != before
        if path == "develop/saturation":
            assert np.abs(np.diff(pixels(after), axis=2)).mean() < 2.5
        if path == "exposure/ev100":
            assert pixels(after).mean() > 1.2 * pixels(before).mean()
        before = after


def test_focus_and_opening_do_trace(place: Any) -> None:
    engine = LookEngine()
    for step in (0, 1, 2):
        engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.2, None, step, 1))
    place.edit(1, {"op": "set", "path": "/shots/a/exposure/f_number", "value": 1.4})
    place.refresh_from_db()
    assert engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.2, None, 0, 2))[1]["samples"] == 1


def test_the_place_edited_last_is_open_before_it_is_asked_for(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    engine, asked = LookEngine(), []
    assert preload(engine)
    monkeypatch.setattr("studio.looks.engine.Stage", lambda setting: asked.append(setting))
    data, _ = engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.4, None, 0, 1))
    assert not asked and pixels(data).std() > 5  # the stage was there
    monkeypatch.undo()
    wish = PreviewRequest("v", place.pk, place.head.pk, "a", 0.4, None, 1, 1)
    assert engine.look(wish)[0] == LookEngine().look(wish)[0]  # and it is the same look
    assert not preload(engine)  # whoever is there goes first


def test_a_place_that_cannot_be_opened_beforehand_stops_nothing(place: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(self: LookEngine, place_id: int, revision_id: int) -> None:
        raise RenderError("its ground is gone")

    monkeypatch.setattr(LookEngine, "open", refuse)
    assert not preload(LookEngine())
    Place.objects.all().update(thrown_out=timezone.now())
    monkeypatch.undo()
    assert not preload(LookEngine())  # nor is there one


def test_a_picked_spot_lies_where_it_is_seen(place: Any) -> None:
    """A spot of the picture is a point of the place: projected by the camera as the trade does it, it comes back to the
    spot; and further down the picture is nearer on the ground."""
    engine = LookEngine()
    own = {"x": 3.0, "y": -60.0, "z": 12.0, "bearing": 20.0, "pitch": -8.0, "focal": 30.0}
    for step in (0, 1, 2):
        engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, own, step, 1))
    away = {}
    for u, v in ((0.5, 0.9), (0.2, 0.8), (0.8, 0.7), (0.5, 0.6)):
        spot, along = engine.point(place.pk, u, v)
        # right-handed: bearing clockwise from north, pitch up; written out here
        b, p = np.radians(own["bearing"]), np.radians(own["pitch"])
        forward = np.array([np.sin(b) * np.cos(p), np.cos(b) * np.cos(p), np.sin(p)])
        right = np.array([np.cos(b), -np.sin(b), 0.0])
        up = np.cross(right, forward)
        to = spot - np.array([own["x"], own["y"], own["z"]])
        wide = 36.0 / own["focal"]  # full frame: tangents over the whole width
        assert to @ forward == pytest.approx(along, rel=1e-3)
        assert 0.5 + to @ right / (to @ forward) / wide == pytest.approx(u, abs=0.01)
        assert 0.5 - to @ up / (to @ forward) / (wide * 360 / 640) == pytest.approx(v, abs=0.01)
        away[v] = float(np.hypot(*to[:2]))
        assert spot[2] < own["z"]
    assert away[0.9] < away[0.8] < away[0.7] < away[0.6]


def test_a_picked_grey_is_of_the_spot_that_was_picked(place: Any) -> None:
    """Neither the mirrored row nor the mirrored column."""
    engine = LookEngine()
    engine.look(PreviewRequest("v", place.pk, place.head.pk, "a", 0.0, None, 0, 1))
    h, w = 36, 64
    light = np.zeros((h, w, 3), np.float32)
    light[:] = np.stack(np.broadcast_arrays(np.arange(h)[:, None], np.arange(w)[None], 1.0), -1)
    engine._open[place.pk].light = light
    for u, v in ((0.25, 0.1), (0.25, 0.9), (0.75, 0.1), (0.9, 0.75)):
        row, column, _ = engine.spot(place.pk, u, v)
        assert row == pytest.approx(v * (h - 1), abs=1) and column == pytest.approx(u * (w - 1), abs=1), (u, v)


def test_the_light_is_another_in_another_season_and_behind_another_shutter(place: Any) -> None:
    """The look traces anew for what light depends on (every field: tests/studio/test_every_field.py)."""
    document = place.head.parsed()
    shot = document.shots[0]
    usual = light_key(document, shot)
    later = shot.model_copy(update={"clock": shot.clock.model_copy(update={"start": dt.datetime(2026, 10, 20, 10)})})
    slower = shot.model_copy(update={"exposure": shot.exposure.model_copy(update={"shutter": 90.0})})
    assert len({usual, light_key(document, later), light_key(document, slower)}) == 3

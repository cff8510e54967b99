"""The film: what each of its frames shows, whatever its pieces and joins."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lumwick.errors import PlaceError
from lumwick.picture import film_picture, frame_picture, mixed
from lumwick.place.document import Cut, Piece, Place, Shot
from lumwick.place.edits import apply, command
from lumwick.place.film import film_frames, laid_out, parts_at
from lumwick.place.filming import Develop
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.footprint import footprints
from lumwick.trace.quality import QUALITIES
from lumwick.trace.stage import Stage
from tests.conftest import small_place


def two_shots(*pieces: Piece, **cut: object) -> Place:
    base = small_place().shots[0]
    shots = [
        base.model_copy(update={"frames": 30}),
        base.model_copy(update={"id": "b", "name": "B", "frames": 20, "fps": "24"}),
    ]
    return Place.model_validate(small_place(shots=shots, cut=Cut(pieces=list(pieces), **cut)).model_dump(mode="json"))


def test_without_a_cut_all_shots_follow_one_another() -> None:
    place = two_shots()
    assert film_frames(place) == 50
    assert parts_at(place, 30)[0].shot == "a" and parts_at(place, 31)[0] == type(parts_at(place, 1)[0])("b", 1, 1.0)
    with pytest.raises(PlaceError, match="ends at frame 50"):
        parts_at(place, 51)


@settings(max_examples=80, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.sampled_from("ab"),
            st.integers(1, 5),
            st.integers(12, 20),
            st.sampled_from(["cut", "dissolve", "fade"]),
            st.integers(2, 4),
        ),
        min_size=1,
        max_size=6,
    ),
    st.integers(0, 5),
    st.integers(0, 5),
)
def test_every_frame_of_a_film_has_its_light(cuts: list, fade_in: int, fade_out: int) -> None:
    place = two_shots(
        *(Piece(id=f"p{i}", shot=s, first=a, last=b, join=j, over=o) for i, (s, a, b, j, o) in enumerate(cuts)),
        fade_in=fade_in,
        fade_out=fade_out,
    )
    spliced = laid_out(place)
    total = film_frames(place)
    assert total == sum(s.last - s.first + 1 for s in spliced) - sum(
        s.piece.over for s in spliced[:-1] if s.piece.join == "dissolve"
    )
    shares = []
    for n in range(1, total + 1):
        parts = parts_at(place, n, spliced)
        assert 1 <= len(parts) <= 2 and all(0 < p.share <= 1 for p in parts)
        for p in parts:
            assert any(s.first <= p.frame <= s.last for s in spliced if s.begins <= n < s.ends and s.shot.id == p.shot)
        shares.append(sum(p.share for p in parts))
    assert max(shares) <= 1 + 1e-9
    if not fade_in and not fade_out and all(j != "fade" for _, _, _, j, _ in cuts):
        assert shares == pytest.approx([1.0] * total)


def test_dissolves_and_fades_go_evenly() -> None:
    place = two_shots(Piece(id="p", shot="a", first=1, last=20, join="dissolve", over=4), Piece(id="q", shot="b"))
    assert film_frames(place) == 36
    assert [[round(p.share, 6) for p in parts_at(place, n)] for n in (16, 17, 20, 21)] == [
        [1.0],
        [0.8, 0.2],
        [0.2, 0.8],
        [1.0],
    ]
    assert [p.frame for p in parts_at(place, 18)] == [18, 2]
    faded = two_shots(Piece(id="p", shot="a", join="fade", over=6), Piece(id="q", shot="b"))
    light = [sum(p.share for p in parts_at(faded, n)) for n in range(27, 35)]
    assert light == pytest.approx([1, 0.75, 0.5, 0.25, 0.25, 0.5, 0.75, 1])


def test_pieces_that_cannot_be_are_told() -> None:
    with pytest.raises(ValueError, match="which this place does not have"):
        two_shots(Piece(id="p", shot="gone"))
    with pytest.raises(ValueError, match="share one id"):
        two_shots(Piece(id="p", shot="a"), Piece(id="p", shot="b"))
    with pytest.raises(PlaceError, match="has no frames"):
        laid_out(two_shots(Piece(id="p", shot="a", first=25, last=20)))
    with pytest.raises(PlaceError, match="dissolves take 60"):
        laid_out(two_shots(Piece(id="p", shot="a", join="dissolve", over=60), Piece(id="q", shot="b")))


def test_edits_of_the_cut_and_of_shots() -> None:
    place, label = apply(
        two_shots(),
        command(
            {"op": "set_cut", "pieces": [{"id": "p1", "shot": "b"}, {"id": "p2", "shot": "a"}], "label": "turned round"}
        ),
    )
    assert label == "turned round" and [s.shot.id for s in laid_out(place)] == ["b", "a"]
    place, _ = apply(place, command({"op": "set", "path": "/cut/pieces/p1/join", "value": "dissolve"}))
    assert place.cut.pieces[0].join == "dissolve"
    more, _ = apply(place, command({"op": "duplicate_shot", "shot": "a"}))
    assert [s.id for s in more.shots] == ["a", "shot1", "b"]
    less, _ = apply(more, command({"op": "remove_shot", "shot": "b"}))
    assert [p.shot for p in less.cut.pieces] == ["a"]
    with pytest.raises(PlaceError, match="one shot at least"):
        apply(small_place(), command({"op": "remove_shot", "shot": "a"}))


def test_stations_in_order_in_time_and_doubled() -> None:
    place = small_place()
    told, label = apply(place, command({"op": "order_station", "shot": "a", "station": "s3", "to": 0}))
    assert [s.id for s in told.shots[0].route.stations] == ["s3", "s1", "s2"] and label == "station 3 is now number 1"
    told, _ = apply(place, command({"op": "duplicate_station", "shot": "a", "station": "s1"}))
    a, b = told.shots[0].route.stations[:2]
    assert (
        np.hypot(b.east - a.east, b.north - a.north) == pytest.approx(1, abs=2e-3)
        and len(told.shots[0].route.stations) == 4
    )
    told, _ = apply(place, command({"op": "time_stations", "shot": "a", "times": [0, 0.4, None]}))
    assert told.shots[0].route.timing == "by stations" and told.shots[0].route.stations[1].time == 0.4
    # views joined with k steps from each to the next make (n - 1) k + 1 frames: 3 stations, 10 steps, 21 (the
    # guide's rule; common practice)
    told, label = apply(place, command({"op": "in_betweens", "shot": "a", "steps": 10}))
    assert (
        told.shots[0].frames == 21
        and [s.time for s in told.shots[0].route.stations] == pytest.approx([0, 10 / 24, 20 / 24], abs=1e-6)
        and "21 frames" in label
    )
    told, _ = apply(
        place,
        command(
            {
                "op": "update_station",
                "shot": "a",
                "station": "s2",
                "east": 1,
                "north": 2,
                "up": 9,
                "aim": [0, 50, 3],
                "focal": 50,
                "roll": 4,
            }
        ),
    )
    assert (told.shots[0].route.stations[1].up, told.shots[0].route.stations[1].roll) == (9, 4)
    told, _ = apply(
        place, command({"op": "draw_pace", "shot": "a", "points": [[0, 1], [0.5, -2], [0.5002, 9], [1, 30]]})
    )
    assert [(k.t, k.v) for k in told.shots[0].route.pace.keys] == [(0, 1), (0.5, 0), (1, 20)]
    for bad, words in (
        ({"op": "time_stations", "shot": "a", "times": [1]}, "3 stations, and 1 times"),
        ({"op": "order_station", "shot": "a", "station": "z", "to": 0}, "no station 'z'"),
        ({"op": "reshoot", "shot": {"id": "z", "name": "Z"}, "label": "x"}, "not there any more"),
    ):
        with pytest.raises(PlaceError, match=words):
            apply(place, command(bad))


def test_a_mixed_picture_is_the_sum_and_a_lone_one_itself(setting: Setting) -> None:
    a, b = np.full((4, 6, 3), 200, np.uint8), np.full((4, 6, 3), 100, np.uint8)
    assert mixed([(a, 1.0)]) is a and (mixed([(a, 0.25), (b, 0.75)]) == 125).all() and (mixed([(a, 0.5)]) == 100).all()
    shot = setting.place.shots[0]
    other: Shot = shot.model_copy(update={"id": "b", "name": "B", "frames": 4})
    place = setting.place.model_copy(
        update={
            "shots": [shot, other],
            "cut": Cut(
                pieces=[Piece(id="p", shot="a", first=1, last=4, join="dissolve", over=2), Piece(id="q", shot="b")]
            ),
        }
    )
    stage = Stage(Setting(place, setting.ground))
    size, grade = (48, 27), QUALITIES["sketch"]
    two = [frame_picture(stage, s, n, size, grade) for s, n in ((shot, 3), (other, 1))]
    assert two[0] is not None and two[1] is not None
    film = film_picture(stage, 3, size, grade)
    assert film is not None and np.abs(film.astype(float) - (two[0].pixels * 2.0 + two[1].pixels) / 3).max() <= 0.51


def test_a_shot_may_develop_as_the_film_and_only_then_depends_on_it(setting: Setting) -> None:
    def with_cut(as_film: bool, **develop: float) -> tuple[Setting, Shot]:
        shot = setting.place.shots[0].model_copy(update={"as_film": as_film})
        return Setting(
            setting.place.model_copy(
                update={
                    "shots": [shot],
                    "cut": Cut(develop=Develop(**develop), pieces=[Piece(id="p", shot="a", last=9)]),
                }
            ),
            setting.ground,
        ), shot

    def prints(pair: tuple[Setting, Shot]) -> list[str]:
        return footprints(*pair, [1, 2], 1)

    assert (
        evaluate(*with_cut(True, contrast=1.7), 0.0).grade.contrast == 1.7
        and evaluate(*with_cut(False, contrast=1.7), 0.0).grade.contrast == 1.0
    )
    assert prints(with_cut(True, contrast=1.7)) != prints(with_cut(True))
    assert (
        prints(with_cut(False, contrast=1.7))
        == prints(with_cut(False))
        == footprints(setting, setting.place.shots[0], [1, 2], 1)
    )

"""Small things that were wrong, each with what showed it."""

from __future__ import annotations

import numpy as np
import pytest

from lumwick.place.describe import fields, whole_at
from lumwick.place.document import Place
from lumwick.place.edits import apply, command
from lumwick.place.files import parse
from lumwick.place.growing import Stand
from lumwick.place.objects import Lamp
from lumwick.water.stream import hydraulic_radius, manning_speed, normal_depth
from scripts.guide_tables import GUIDE, written
from tests.conftest import small_place


def test_a_leafs_outline_of_the_first_days_of_version_3_opens() -> None:
    """`leaf_half` was a list of points before an outline was typed: such files were refused."""
    data = small_place().model_dump(mode="json")
    wood = Stand(id="o", name="O", kind="oak", area=[(0, 0), (9, 0), (9, 9)], wood={}).model_dump(mode="json")  # type: ignore[arg-type]
    wood["wood"].pop("own_outline")
    wood["wood"]["leaf_half"] = [[0, 0], [0.4, 0.5], [1, 0]]
    data["growth"].append(wood)
    assert parse(data).growth[-1].wood.own_outline == "0 0, 0.4 0.5, 1 0"
    wood["wood"]["leaf_half"] = []
    assert parse(data).growth[-1].wood is not None


@pytest.mark.parametrize("version", [1, 2, 3])
def test_places_of_every_version_open(version: int) -> None:
    """Built by hand as each version wrote them: easings without a family, one easing for both ends, today's."""
    data = small_place().model_dump(mode="json")
    data["version"] = version
    route = data["shots"][0]["route"]
    if version < 3:
        route["ease"] = route.pop("eased_start")
        route.pop("eased_end")
    if version == 1:
        keys = [{"t": 0, "v": 40, "join": "ease_both"}, {"t": 1, "v": 30, "join": "straight"}]
        data["shots"][0]["exposure"]["shutter"] = {"keys": keys}
    place = parse(data)
    assert isinstance(place, Place) and place.version == 3
    if version == 1:
        assert place.shots[0].exposure.shutter.keys[0].join == "cubic_both"  # type: ignore[union-attr]


def test_a_shot_may_have_a_wind_of_its_own() -> None:
    place = small_place()
    place.wind.speed = 7.0
    own, said = apply(place, command({"op": "own_wind", "shot": "a", "own": True}))
    assert own.shots[0].wind is not None and own.shots[0].wind.speed == 7.0 and "wind of its own" in said
    back, _ = apply(own, command({"op": "own_wind", "shot": "a", "own": False}))
    assert back.shots[0].wind is None


def test_lamps_are_called_what_they_are() -> None:
    place = small_place(lamps=[Lamp(id="l", name="L", kind="window")])
    (kind,) = fields(place.lamps[0], "/lamps/l", whole_at(place, place.shots[0], 0.0), ("kind",))
    assert dict(kind.choices)["window"] == "opening" and dict(kind.choices)["parallel"] == "from afar"


def test_the_guides_table_of_qualities_is_the_codes() -> None:
    text = GUIDE.read_text()
    assert text == written(text), "run python -m scripts.guide_tables"


def test_a_narrow_beds_hydraulic_radius_is_less_than_its_depth() -> None:
    """Chow, Open-Channel Hydraulics (1959), table 2-1: a parabola of width 2 m and depth 0.5 m has a wetted perimeter
    of T + 8 y^2 / (3 T) = 2.333 m within 1 %, an area of 2 T y / 3, so R = 0.286 m; a wide one's is its mean depth."""
    mean = 2 / 3 * 0.5
    assert hydraulic_radius(mean, 2.0) == pytest.approx(2 / 3 * 2.0 * 0.5 / (2.0 + 8 * 0.25 / 6), rel=0.02)
    assert hydraulic_radius(0.5, 500.0) == pytest.approx(0.5, rel=1e-3)
    slopes = np.array([0.001, 0.02, 0.2])
    for width in (1.0, 4.0):
        depth = normal_depth(0.3, slopes, 0.04, width)
        speed = manning_speed(hydraulic_radius(depth, width), slopes, 0.04)
        assert depth * speed == pytest.approx(0.3, rel=1e-6)
        assert (depth > normal_depth(0.3, slopes, 0.04)).all()  # its banks hold it back: deeper, and slower

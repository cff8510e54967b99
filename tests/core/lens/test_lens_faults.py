"""What a lens does to the picture: distortion, roll, dispersion, blades."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from lumwick.lens.camera import Camera, direction_of
from lumwick.place.filming import Exposure
from lumwick.trace.stage import Stage
from tests.core.lens.test_surfaces_and_lens import AHEAD, exposed
from tests.outside.test_rendered import flat, quad


def lit_columns(stage: Stage, camera: Camera) -> np.ndarray:
    picture = exposed(stage, camera, 32, (192, 108))[..., 1]
    return np.asarray(picture > 0.5 * (picture.max() + np.median(picture)))


@pytest.fixture
def dots() -> Stage:
    """White dots on a dark wall: in the middle, and far out to the right."""
    _, stage = flat()
    stage.add_target("wall", *quad(-60, 40.0, -20, 60, 40.0, 90), (0.0, 0.0, 0.0))
    for k, x in enumerate((0.0, 17.0)):
        stage.add_target(f"dot {k}", *quad(x - 0.4, 39.9, 29.6, x + 0.4, 39.9, 30.4), (0.9, 0.9, 0.9))
    return stage


def test_distortion_moves_the_edge_and_keeps_middle_and_corner(dots: Stage) -> None:
    def edge(camera: Camera) -> float:
        _, x = np.nonzero(lit_columns(dots, camera)[:, 120:])
        return float(x.mean()) + 120

    plain, barrel, cushion = (edge(replace(AHEAD, distortion=d)) for d in (0.0, -8.0, 8.0))
    r = (plain - 95.5) / np.hypot(96, 54)
    for found, percent in ((barrel, -0.08), (cushion, 0.08)):
        bend = -percent / (1 + percent)
        s = np.linspace(0, 1, 20001)
        expected = np.interp(r, s * (1 + bend * s * s) / (1 + bend), s) * np.hypot(96, 54) + 95.5
        assert found == pytest.approx(expected, abs=0.4)
    assert lit_columns(dots, replace(AHEAD, distortion=-8.0))[50:58, 92:100].any()


def test_roll_turns_the_picture_the_other_way(dots: Stage) -> None:
    rows, cols = np.nonzero(lit_columns(dots, replace(AHEAD, roll=20.0))[:, 120:])
    x, y = cols.mean() + 120 - 95.5, rows.mean() - 53.5
    assert np.degrees(np.arctan2(y, x)) == pytest.approx(-20.0, abs=1.0)
    right, up = replace(AHEAD, roll=90.0).axes()
    assert right == pytest.approx([0, 0, -1], abs=1e-9) and up == pytest.approx([1, 0, 0], abs=1e-9)


def test_dispersion_parts_red_from_blue_at_the_edge_alone(dots: Stage) -> None:
    picture = exposed(dots, replace(AHEAD, dispersion=10.0), 96, (192, 108))
    light = np.maximum(picture - np.median(picture, axis=(0, 1)), 0)

    def middle(part: np.ndarray, c: int) -> float:
        return float((part[..., c].sum(0) * np.arange(part.shape[1])).sum() / part[..., c].sum())

    edge, centre = light[50:58, 150:], light[50:58, 90:102]
    assert middle(edge, 0) - middle(edge, 2) > 0.6 and abs(middle(centre, 0) - middle(centre, 2)) < 0.1


def test_blades_make_a_polygon_as_large_as_the_circle() -> None:
    spread = {}
    for blades in (0, 5, 9):
        _, stage = flat()
        stage.add_target("wall", *quad(-60, 80.0, -20, 60, 80.0, 90), (0.0, 0.0, 0.0))
        stage.add_target("dot", *quad(-0.15, 20.0, 29.85, 0.15, 20.0, 30.15), (0.9, 0.9, 0.9))
        camera = Camera(np.array([0.0, 0.0, 30.0]), direction_of(0.0, 0.0), 85.0, 1.4, 1.5, 14.0, blades=blades)
        picture = exposed(stage, camera, 400, (96, 54))[..., 1]
        light = np.maximum(picture - np.median(picture), 0)
        y, x = np.indices(light.shape)
        whole = (((x - 47.5) ** 2 + (y - 26.5) ** 2) * light).sum() / light.sum()
        spread[blades] = (
            light.sum(),
            whole - (85 * 0.3 / 20 / (36 / 96)) ** 2 / 6 - 1 / 3,
        )  # without the dot's own size and the pixel's
    # a regular polygon of the circle's area has nearly its second moment: 4 % more for five sides, half a percent
    # for nine (geometry)
    turn = 2 * np.pi / 5
    assert spread[5][1] / spread[0][1] == pytest.approx(np.pi / 5 / np.sin(turn) * 2 * (2 + np.cos(turn)) / 3, rel=0.05)
    assert spread[9][0] == pytest.approx(spread[0][0], rel=0.08) and spread[5][0] == pytest.approx(
        spread[0][0], rel=0.08
    )
    with pytest.raises(ValidationError, match="5 to 9 blades"):
        Exposure(blades=3)

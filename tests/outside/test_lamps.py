"""Lamps measured on rendered walls, against photometry's laws and published form factors."""

from dataclasses import replace

import colour
import numpy as np
import pytest
import trimesh
from pydantic import ValidationError

from lumwick.air.bands import LUMA
from lumwick.built.lamps import LampLight
from lumwick.errors import PlaceError
from lumwick.land.ground import Ground
from lumwick.lens.camera import Camera, look_at
from lumwick.lens.colour import TO_XYZ, planckian_white, temperature_rgb
from lumwick.place.nature import Air, Heavens, Sea
from lumwick.place.objects import Lamp
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.trace import lamps
from lumwick.trace.film import blank
from lumwick.trace.lamps import glowing_mesh
from lumwick.trace.materials import plain_material
from lumwick.trace.quality import Limit
from lumwick.trace.render import expose
from lumwick.trace.sections.weather import lamplit
from lumwick.trace.stage import Stage
from tests.conftest import small_place
from tests.outside.test_surfaces import card

UP, DOWN = np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, -1.0])
WALL = 0.4
NO_MOON = Heavens(moon_by="none", stars=0.0, galaxy=0.0)


def dark_stage() -> Stage:
    """A level place on a moonless midwinter night, with a small grey card at 300 m."""
    place = small_place(growth=[], sea=Sea(present=False), air=Air(haze=0.02, fog_visibility=200000, heavens=NO_MOON))
    stage = Stage(Setting(place, Ground(np.zeros((65, 65), np.float32), 20.0, -640.0, -640.0)))
    stage.add_target("wall", *card(0.02, 300.0), colour=(WALL, WALL, WALL))
    return stage


def lux(stage: Stage, *given: LampLight, samples: int = 64) -> float:
    """Illuminance [lx] of the card, from its luminance: E = pi L / albedo."""
    setting = stage.setting
    shot = setting.place.shots[0]
    night = shot.model_copy(
        update={
            "clock": shot.clock.model_copy(
                update={"start": shot.clock.start.replace(month=12, day=21, hour=0, minute=0)}
            )
        }
    )
    position = np.array([0.0, -0.25, 300.7])
    stage.set(
        replace(
            evaluate(
                setting,
                night,
                0.0,
                Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 1500.0, focus=1000.0),
            ),
            lamps=given,
        )
    )
    film = blank(16, 16)
    expose(stage, film, samples, Limit(0))
    return float((film.radiance @ LUMA).mean()) * np.pi / WALL


def lamp(kind: str, above: float = 2.0, **more: object) -> LampLight:
    return LampLight(
        "l",
        "L",
        kind,
        np.array([0.0, 0.0, 300.0 + above]),
        DOWN,
        **{"amount": 1000.0, "unit": "cd", "kelvin": 6500.0, **more},
    )


def test_a_known_candela_lights_a_wall_by_the_inverse_square() -> None:
    stage = dark_stage()
    assert lux(stage, lamp("point")) == pytest.approx(1000 / 2**2, rel=0.005)
    assert lux(stage, lamp("point", 5.0)) == pytest.approx(1000 / 5**2, rel=0.005)
    aside = replace(lamp("point"), position=np.array([2.0, 0.0, 302.0]))
    assert lux(stage, aside) == pytest.approx(1000 / 8 * np.cos(np.radians(45)), rel=0.005)  # and by the cosine
    assert lux(stage, lamp("point"), aside) == pytest.approx(250 + 1000 / 8 * np.cos(np.radians(45)), rel=0.02)


def test_lumens_are_candelas_over_the_solid_angle() -> None:
    stage = dark_stage()
    assert lux(stage, lamp("point", unit="lm", amount=4000 * np.pi)) == pytest.approx(250, rel=0.005)
    spot = lamp("spot", unit="lm", amount=500.0, inner=20.0, outer=20.0001)
    angle = 2 * np.pi * (1 - np.cos(np.radians(20)))
    assert lux(stage, spot) == pytest.approx(500 / angle / 4, rel=0.005)


def test_a_spot_is_full_within_dark_without_and_smooth_between() -> None:
    stage = dark_stage()
    readings = []
    for degrees in (0, 19, 25, 31):
        a = np.radians(degrees)
        shone = replace(lamp("spot", inner=20.0, outer=30.0), direction=np.array([np.sin(a), 0.0, -np.cos(a)]))
        readings.append(lux(stage, shone, samples=8))
    assert readings[0] == pytest.approx(250, rel=0.005) == readings[1]
    assert 0.2 * 250 < readings[2] < 0.8 * 250 and readings[3] < 0.01
    # its lumens, summed over the sphere by the mean of its edge
    c = np.cos(np.radians(np.linspace(0, 40, 20001)))
    s = np.clip((c - np.cos(np.radians(30))) / (np.cos(np.radians(20)) - np.cos(np.radians(30))), 0, 1)
    total = 2 * np.pi * np.trapezoid(s * s * (3 - 2 * s), -c)
    assert lamp("spot", inner=20.0, outer=30.0).spot_angle() == pytest.approx(total, rel=1e-4)


def test_a_disc_against_its_published_form_factor() -> None:
    # a small surface parallel to a disc on its axis: F = r^2 / (r^2 + h^2) (Howell's catalog of configuration
    # factors, B-13)
    stage = dark_stage()
    for radius, h in ((1.0, 2.0), (2.0, 1.0)):
        disc = lamp("disc", h, width=2 * radius)
        factor = radius**2 / (radius**2 + h**2)
        luminance = 1000 / (np.pi * radius**2)
        assert lux(stage, disc, samples=256) == pytest.approx(np.pi * luminance * factor, rel=0.01)


def test_a_rectangle_against_its_published_form_factor() -> None:
    # a small surface parallel to a rectangle under one of its corners (Howell's catalog, B-4), four of which make
    # one above its middle
    stage = dark_stage()
    for a, b, h in ((1.0, 2.0, 2.0), (3.0, 1.0, 1.5)):
        x, y = a / 2 / h, b / 2 / h
        corner = (
            x / np.sqrt(1 + x * x) * np.arctan(y / np.sqrt(1 + x * x))
            + y / np.sqrt(1 + y * y) * np.arctan(x / np.sqrt(1 + y * y))
        ) / (2 * np.pi)
        flat = lamp("rectangle", h, width=a, height=b)
        assert lux(stage, flat, samples=256) == pytest.approx(np.pi * 1000 / (a * b) * 4 * corner, rel=0.01)
    assert lux(stage, replace(lamp("rectangle"), direction=UP)) < 1e-3  # its back is dark


@pytest.mark.parametrize(
    "shone",
    [
        lamp("point"),
        lamp("spot", inner=20.0, outer=30.0),
        replace(lamp("spot", inner=20.0, outer=30.0), direction=np.array([np.sin(0.436), 0.0, -np.cos(0.436)])),
        lamp("disc", 3.0, width=0.2),
        lamp("rectangle", 3.0, width=0.3, height=0.2),
        replace(lamp("disc", 3.0, width=0.2), direction=UP),
    ],
    ids=["point", "spot", "a spot's edge", "disc", "rectangle", "a disc's back"],
)
def test_what_falls_is_lit_by_lamps_as_a_card_is(shone: LampLight) -> None:
    measured = lux(dark_stage(), shone, samples=256)
    told = float(lamplit(lamps.row(shone), np.array([[0.0, 0.0, 300.0]]))[0])
    assert told == pytest.approx(measured, rel=0.03, abs=0.01)


def test_a_glowing_mesh_is_found_by_lamps_sampling_and_by_chance_alike() -> None:
    stage = dark_stage()
    ball = trimesh.creation.icosphere(subdivisions=4, radius=0.5)
    glow = plain_material((0.0, 0.0, 0.0))
    glow["emission"] = 500.0
    stage.add_target("ball", ball.vertices + [0, 0, 302], ball.faces, material=glow)
    # a sphere of luminance L and radius r at a distance d lights as pi L (r / d)^2
    expected = np.pi * 500 * (0.5 / 2) ** 2
    setting = stage.setting
    night = setting.place.shots[0].model_copy(
        update={
            "clock": setting.place.shots[0].clock.model_copy(
                update={"start": setting.place.shots[0].clock.start.replace(month=12, hour=0)}
            )
        }
    )
    position = np.array([0.0, -0.25, 300.7])
    stage.set(
        evaluate(
            setting, night, 0.0, Camera(position, look_at(position, np.array([0.0, 0.0, 300.0])), 1500.0, focus=1000.0)
        )
    )
    part = stage.parts()["target ball"]
    row, triangles = glowing_mesh(part.corners_in_place(), np.full(3, 500.0))
    for sampled in (False, True):
        part.material["lamp"] = 0 if sampled else -1
        geometry, materials, lights = stage.world.geometry, stage.world.materials, stage.world.lights
        surface = materials.surface.copy()
        surface[geometry.row[list(stage.parts()).index("target ball")]] = part.material
        stage.world = stage.world._replace(
            materials=materials._replace(surface=surface),
            lights=lights._replace(lamp=row[None] if sampled else row[None][:0], emitter=triangles),
        )
        film = blank(16, 16)
        expose(stage, film, 256 if sampled else 2048)
        measured = float((film.radiance @ LUMA).mean()) * np.pi / WALL
        assert measured == pytest.approx(expected, rel=0.02 if sampled else 0.06)


def test_a_mesh_without_area_or_light_is_no_lamp() -> None:
    point = np.zeros((2, 3, 3))
    assert glowing_mesh(point, np.ones(3)) is None
    assert glowing_mesh(np.random.default_rng(1).normal(size=(2, 3, 3)), np.zeros(3)) is None


def test_lamps_without_area_are_refused_in_words() -> None:
    with pytest.raises(ValidationError, match="has no area"):
        Lamp(id="a", name="Strip", kind="rectangle", width=2.0, height=0.0)
    with pytest.raises(PlaceError, match="has no area"):
        lamps.row(lamp("disc", width=0.0))


@pytest.mark.parametrize("kelvin", [1850.0, 2700.0, 3500.0, 4500.0, 6500.0, 12000.0])
def test_lamp_colours_against_colour_science(kelvin: float) -> None:
    xyz = planckian_white(kelvin)
    assert xyz[:2] / xyz.sum() == pytest.approx(colour.temperature.CCT_to_xy_Kang2002(kelvin), abs=3e-3)
    rgb = temperature_rgb(kelvin)
    assert TO_XYZ[1] @ rgb == pytest.approx(1.0)
    if kelvin >= 2700:
        blackbody = colour.sd_to_XYZ(colour.sd_blackbody(kelvin)) / 100
        assert rgb / rgb.sum() == pytest.approx(
            np.maximum(np.linalg.inv(TO_XYZ) @ blackbody, 0) / np.maximum(np.linalg.inv(TO_XYZ) @ blackbody, 0).sum(),
            abs=0.02,
        )

"""Sections of the stage: made from one frozen record, again only when it is another; and the tables of the house."""

from __future__ import annotations

from dataclasses import FrozenInstanceError, dataclass, field, fields, is_dataclass, replace
from importlib import import_module
from pathlib import Path
from types import SimpleNamespace
from typing import Any, get_args

import numpy as np
import pytest
from typer.testing import CliRunner

from lumwick import cli
from lumwick.deliver.beside import BESIDE
from lumwick.deliver.paths_in import READERS
from lumwick.deliver.paths_out import WRITERS
from lumwick.errors import PlaceError
from lumwick.growth.kinds import KINDS
from lumwick.growth.kinds.form import LEVELS
from lumwick.land.ground import Ground
from lumwick.place.document import Clock
from lumwick.place.edits.clip import REPAIRS, RepairSeam
from lumwick.place.growing import Stand
from lumwick.place.nature import Sea, Wind
from lumwick.snapshot.evaluate import Setting, evaluate
from lumwick.snapshot.ride import CHECKS
from lumwick.trace.furnish import BuiltInputs, LampInputs, MovedInputs, PlacedInputs
from lumwick.trace.sections.daylight import DaylightInputs
from lumwick.trace.sections.land import LandInputs
from lumwick.trace.sections.sea import SeaInputs
from lumwick.trace.sections.section import Section, key_of
from lumwick.trace.sections.sheet import SheetInputs
from lumwick.trace.stage import PlantsInputs, Stage, TopInputs
from tests.conftest import small_place

INPUTS = (
    LandInputs,
    SheetInputs,
    SeaInputs,
    DaylightInputs,
    BuiltInputs,
    PlacedInputs,
    MovedInputs,
    LampInputs,
    PlantsInputs,
    TopInputs,
)


@dataclass(frozen=True)
class Inputs:
    number: float
    values: Any = None
    read: Any = field(default=None, compare=False)


def test_a_section_makes_once_for_equal_inputs_and_says_whether_it_made() -> None:
    made: list[float] = []

    def make(inputs: Inputs) -> float:
        made.append(inputs.number)
        return 2 * inputs.number

    section = Section(make)
    assert section.of(Inputs(1.0)) == 2 and section.fresh
    assert section.of(Inputs(1.0, read=print)) == 2 and not section.fresh  # how a file is read counts for nothing
    assert section.of(Inputs(1.0 + 1e-15)) != 2.0 and section.fresh  # exact: no rounding
    section.reset()
    assert section.of(Inputs(1.0 + 1e-15)) and section.fresh and len(made) == 3


def test_what_cannot_be_made_leaves_what_was_there() -> None:
    def make(inputs: Inputs) -> float:
        if inputs.number < 0:
            raise PlaceError("no")
        return inputs.number

    section = Section(make)
    section.of(Inputs(3.0))
    with pytest.raises(PlaceError):
        section.of(Inputs(-1.0))
    assert section.made == 3.0
    assert section.of(Inputs(3.0)) == 3.0 and not section.fresh


def test_a_key_tells_arrays_documents_and_records_and_refuses_what_it_does_not_know() -> None:
    values = [
        1.0,
        2.0,
        "a",
        None,
        True,
        np.arange(3.0),
        np.arange(4.0),
        Wind(speed=3),
        Wind(speed=4),
        (1.0, Wind(speed=3)),
        {"a": 1.0},
        {"b": 1.0},
        Inputs(1.0),
        Inputs(2.0),
        SimpleNamespace(fingerprint="x"),
    ]
    keys = [key_of(Inputs(0.0, value)) for value in values]
    assert len(set(keys)) == len(values) and keys == [key_of(Inputs(0.0, value)) for value in values]
    with pytest.raises(TypeError, match="has changed"):
        key_of(Inputs(0.0, object()))


@pytest.mark.parametrize("inputs", INPUTS)
def test_inputs_are_frozen_records(inputs: Any) -> None:
    assert is_dataclass(inputs)
    blank = object.__new__(inputs)
    with pytest.raises(FrozenInstanceError):
        setattr(blank, fields(inputs)[0].name, 1)


@pytest.fixture(scope="module")
def whole(marsh: Ground) -> tuple[Setting, Stage]:
    stands = [
        Stand(id="p", name="P", kind="pine", area=[(30, 30), (60, 30), (60, 60)], per_hectare=60, height=9),
    ]
    setting = Setting(small_place(growth=stands), marsh)
    stage = Stage(setting)
    stage.set(evaluate(setting, setting.place.shots[0], 0.0))
    return setting, stage


def keys(stage: Stage) -> dict[str, str]:
    names = ("land", "sheet", "built", "placed", "sea", "plants", "lamps", "daylight", "top")
    return {name: getattr(stage, f"_{name}").key for name in names}


def changed(stage: Stage, act: Any) -> set[str]:
    """Which sections something makes anew."""
    before = keys(stage)
    act()
    after = keys(stage)
    return {name for name in before if before[name] != after[name]}


def test_an_edit_makes_only_the_sections_anew_that_it_touches(whole: tuple[Setting, Stage]) -> None:
    setting, stage = whole
    shot = setting.place.shots[0]
    now = evaluate(setting, shot, 0.0)
    assert changed(stage, lambda: stage.set(now)) == set()
    later = evaluate(setting, shot, 0.5)
    assert changed(stage, lambda: stage.set(later)) >= {"sea", "plants", "top"}
    stage.set(now)
    evening = shot.model_copy(update={"clock": Clock(start="2026-06-05T19:00")})
    assert changed(stage, lambda: stage.set(evaluate(setting, evening, 0.0))) == {"daylight"}
    stage.set(now)
    windy = Setting(setting.place.model_copy(update={"wind": Wind(speed=11)}), setting.ground)

    def edited() -> None:
        stage.change(windy)
        stage.set(evaluate(windy, shot, 0.0))

    assert changed(stage, edited) == {"plants", "top"}
    stage.change(setting)
    stage.set(now)
    raised = Setting(setting.place.model_copy(update={"sea": Sea(level=0.4)}), setting.ground)

    def flooded() -> None:
        stage.change(raised)
        stage.set(evaluate(raised, shot, 0.0))

    assert changed(stage, flooded) >= {"land", "sheet", "sea", "top"}
    stage.change(setting)


def test_a_stage_that_was_elsewhere_is_the_one_that_was_not(whole: tuple[Setting, Stage]) -> None:
    setting, stage = whole
    shot = setting.place.shots[0]
    stage.set(evaluate(setting, shot, 0.7))
    stage.set(evaluate(setting, shot, 0.2))
    fresh = Stage(setting)
    fresh.set(evaluate(setting, shot, 0.2))
    assert keys(stage) == keys(fresh)
    for ours, other in zip(stage.world.waters, fresh.world.waters, strict=True):
        assert np.array_equal(ours, other)
    assert np.array_equal(stage.world.geometry.transform, fresh.world.geometry.transform)


@pytest.mark.parametrize(("package", "table", "call"), [("paths_in", READERS, "read"), ("paths_out", WRITERS, "write")])
def test_every_format_has_its_module(package: str, table: dict[str, str], call: str) -> None:
    for ending, module in table.items():
        made = import_module(f"lumwick.deliver.{package}.{module}")
        assert callable(getattr(made, call)) and made.__doc__ and ending.startswith(".")


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_kind_of_plant_is_whole(name: str) -> None:
    kind = KINDS[name]
    assert len(kind.reaches) == LEVELS and list(kind.reaches) == sorted(kind.reaches)
    for colour in (kind.bark, kind.leaf, kind.through, kind.stalk, kind.plume):
        assert all(0 <= share <= 1 for share in colour)
    assert (kind.compliance > 0) != kind.still and kind.branch_hz > 0 and 0 <= kind.clearings <= 1
    assert kind.woody == (kind.patch == 0)
    Stand(id="s", name="S", kind=name)
    with pytest.raises(ValueError, match="pine"):
        Stand(id="s", name="S", kind=f"{name}?")


def test_every_repair_of_a_seam_is_one_that_can_be_asked_for() -> None:
    assert set(get_args(RepairSeam.model_fields["how"].annotation)) == set(REPAIRS)
    assert len({words for _, words in REPAIRS.values()}) == len(REPAIRS)
    assert len(CHECKS) == len(set(CHECKS)) == 8


def test_the_command_line_writes_what_is_wanted_beside_a_picture(tmp_path: Path, marsh: Ground) -> None:
    from tests.core.deliver.test_cli_films import written

    file = written(tmp_path / "a.zip", small_place(growth=[]), marsh)
    common = ["render", str(file), "--shot", "a", "--frames", "1", "--size", "64x36", "--quality", "sketch", "--out"]
    made = CliRunner().invoke(cli.app, [*common, str(tmp_path / "f"), "--beside", ",".join(BESIDE)])
    assert made.exit_code == 0, made.output
    names = {path.name for path in (tmp_path / "f").glob("a.*")}
    assert names == {"a.00001.png", *(f"a.00001{output.ending}" for output in BESIDE.values())}
    wrong = CliRunner().invoke(cli.app, [*common, str(tmp_path / "f"), "--beside", "negative"])
    assert wrong.exit_code == 1 and "Beside a picture" in str(wrong.exception)
    assert all(output.title and output.help and output.bytes_a_pixel > 0 for output in BESIDE.values())


def test_a_replaced_record_is_another_key() -> None:
    first = Inputs(1.0, "a")
    assert key_of(first) == key_of(replace(first)) != key_of(replace(first, values="b"))

"""What the command line says when something unexpected goes wrong inside."""

import re
from pathlib import Path

import pytest

from lumwick import cli
from lumwick.snapshot.lay import AskClock


def test_a_fault_of_ours_is_one_line_and_exit_code_1(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    def broken(**_: object) -> None:
        raise IndexError("a number out of nowhere")

    monkeypatch.setattr(cli, "app", broken)
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    monkeypatch.setattr("tempfile.tempdir", None)
    with pytest.raises(SystemExit) as ended:
        cli.main()
    told = capsys.readouterr().err.strip()
    assert ended.value.code == 1 and "\n" not in told and "Traceback" not in told
    where = re.search(r"The details are in (\S+)\.$", told)
    assert where and "a number out of nowhere" in Path(where[1]).read_text()


def test_what_is_asked_names_its_option(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    def asks(**_: object) -> None:
        raise AskClock("Whose time counts?")

    monkeypatch.setattr(cli, "app", asks)
    with pytest.raises(SystemExit) as ended:
        cli.main()
    assert ended.value.code == 2 and "Whose time counts? Say it with --clock." in capsys.readouterr().err

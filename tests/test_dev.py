"""The script that sets the project up and starts it."""

import importlib
import importlib.util
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import SimpleNamespace

import pytest

from scripts import base, check, cluster, dev, reload, within


def test_a_free_port_is_free() -> None:
    with socket.socket() as s:
        s.bind(("127.0.0.1", dev.free_port()))


def test_a_port_that_is_taken_is_told(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        s.listen()
        for asked in (str(s.getsockname()[1]), "eighty", "99999"):
            monkeypatch.setenv("PORT", asked)
            with pytest.raises(SystemExit):
                dev.chosen_port()
            assert f"port {asked} cannot be used" in capsys.readouterr().err
    monkeypatch.delenv("PORT")
    assert 1024 < dev.chosen_port() < 65536


def test_what_is_there_is_not_installed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(subprocess, "run", lambda *_, **__: pytest.fail("nothing should run"))
    dev.debian("postgresql", present=True)


def test_a_package_that_cannot_be_had_is_told(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(base, "VAR", tmp_path)
    monkeypatch.setattr(subprocess, "run", lambda *_, **__: subprocess.CompletedProcess([], 100))
    with pytest.raises(SystemExit):
        dev.debian("chromium", present=False)
    assert "apt-get install chromium" in capsys.readouterr().err


def test_the_cluster_listens_on_loopback_with_a_password() -> None:
    import psycopg

    own = dev.Cluster()
    assert own.running()  # the tests themselves run on it
    port = int((own.notes / "port").read_text())
    reachable = dict(host="127.0.0.1", port=port, user="lumwick", dbname="postgres")
    with psycopg.connect(**reachable, password=(own.notes / "password").read_text().strip()) as c:
        assert c.execute("show listen_addresses").fetchone() == ("127.0.0.1",)
        assert c.execute("show unix_socket_directories").fetchone() == ("",)
    with pytest.raises(psycopg.OperationalError):
        psycopg.connect(**reachable, password="guessed")
    assert (own.notes / "password").stat().st_mode & 0o077 == 0


def test_requirements_are_pinned_with_hashes_and_name_no_host() -> None:
    sets = []
    for name in dev.SETS:
        text = dev.pins(name).read_text()
        pinned = [line for line in text.splitlines() if line and not line.startswith((" ", "#", "-"))]
        assert len(pinned) > 30 and all("==" in line for line in pinned)
        assert text.count("--hash=sha256:") >= len(pinned)
        sets.append({line.split("==")[0] for line in pinned})
    core, studio, all_of_them = sets
    assert core < studio < all_of_them  # each set has all before it
    assert not {"django", "psycopg", "gunicorn"} & core and not {"pytest", "ruff", "pvlib", "playwright"} & studio
    for path in [
        *map(dev.pins, dev.SETS),
        dev.ROOT / "pyproject.toml",
        dev.ROOT / "frontend/package-lock.json",
    ]:
        content = path.read_text()
        assert "index-url" not in content and "find-links" not in content and '"resolved"' not in content


def test_help_is_printed_for_an_unknown_command() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "scripts.dev", "dance"],
        cwd=dev.ROOT,
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ},
    )
    assert "setup|demo|dev|check|test|lint" in done.stdout


def test_single_instance_at_a_time(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(dev, "VAR", tmp_path)
    monkeypatch.setattr(dev, "LOCK_WAIT", 2)
    first = dev.single_instance()
    with pytest.raises(SystemExit):
        dev.single_instance()
    told = capsys.readouterr()
    assert "waiting for it to end" in told.out and "still up" in told.err
    first.close()
    dev.single_instance().close()


def test_the_database_is_started_again_at_its_port_after_its_first_process_was_killed(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    import psycopg

    monkeypatch.setattr(cluster, "VAR", tmp_path)
    tmp_path.chmod(0o755)
    for parent in (tmp_path.parent, tmp_path.parent.parent):
        parent.chmod(0o755)
    own = dev.Cluster()
    try:
        assert own.start() and own.listens()
        port, password = own.port, (own.notes / "password").read_text().strip()
        os.kill(int((own.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        end = time.monotonic() + 20
        while own.listens() and time.monotonic() < end:
            pass
        assert not own.listens()
        own.mend()
        assert own.listens() and own.port == port
        with psycopg.connect(host="127.0.0.1", port=port, user="lumwick", dbname="postgres", password=password) as c:
            assert c.execute("select 1").fetchone() == (1,)
    finally:
        own.stop()
        shutil.rmtree(own.data.parent if "lumwick-" in str(own.data) else tmp_path, ignore_errors=True)


def test_what_benches_import_is_there() -> None:
    """Most of it stands in scripts that they run in processes of their own, where no type checker looks."""
    names = re.compile(r"""from (lumwick[\w.]*|bench[\w.]*) import ([\w, ]+)""")
    missing = []
    for path in sorted(Path("bench").glob("*.py")):
        lines = path.read_text().splitlines()
        for k, line in enumerate(lines):
            if any("except ImportError" in before for before in lines[max(0, k - 2) : k]):
                continue  # what an older commit calls it
            for module, told in names.findall(line):
                there = importlib.import_module(module)
                for name in (one.strip() for one in told.split(",")):
                    if not hasattr(there, name) and importlib.util.find_spec(f"{module}.{name}") is None:
                        missing.append(f"{path.name}:{k + 1}: {module}.{name}")
    assert not missing


def test_a_change_is_checked_by_the_tests_that_import_it_the_most_particular_first() -> None:
    found = check.tests_of(["lumwick/air/clouds.py"])
    assert {"tests/core/air/test_clouds.py", "tests/outside/test_clouds.py"} <= {*found} and len(found) <= check.NEAREST
    assert check.tests_of(["studio/templates/guests/shown.html"]) == ["tests/studio/test_guests.py"]
    assert check.tests_of(["tests/core/air/test_clouds.py"]) == ["tests/core/air/test_clouds.py"]
    assert check.tests_of(["docs/guide.md"]) == []
    assert check.module_of("lumwick/growth/kinds/__init__.py") == "lumwick.growth.kinds"


def test_no_test_begins_when_the_minute_is_up(monkeypatch: pytest.MonkeyPatch) -> None:
    item = SimpleNamespace(nodeid="tests/a.py::test_b")
    monkeypatch.setattr(within, "_left", [])
    monkeypatch.setattr(within, "_BEGUN", time.monotonic())
    assert within.pytest_runtest_protocol(item) is None and not within._left
    monkeypatch.setattr(within, "_BEGUN", time.monotonic() - within.WITHIN_S - 1)
    assert within.pytest_runtest_protocol(item) is True
    lines: list[str] = []
    within.pytest_terminal_summary(SimpleNamespace(write_line=lines.append))
    assert "1 more" in lines[0]


def test_a_file_that_changes_makes_a_new_server(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A child serves until a file's time is another; one that fails to start says why and ends, and is made again."""
    monkeypatch.setattr(reload, "ROOT", tmp_path)
    for folder in ("lumwick", "studio"):
        (tmp_path / folder).mkdir()
    code, served = tmp_path / "lumwick" / "a.py", tmp_path / "served"
    code.write_text("1")
    before = reload.stamps()

    def serve(port: int) -> None:
        served.write_text(code.read_text())
        if code.read_text() == "broken":
            raise SyntaxError("half written")
        time.sleep(60)

    monkeypatch.setattr(reload, "serve", serve)
    child = reload.forked(0)
    for _ in range(200):
        if served.exists() and served.read_text() == "1":
            break
        time.sleep(0.05)
    assert served.read_text() == "1" and reload.stamps() == before
    reload.ended(child)
    code.write_text("broken")
    assert reload.stamps() != before
    assert os.waitstatus_to_exitcode(os.waitpid(reload.forked(0), 0)[1]) == 1
    reload.ended(child)  # it is gone already


def test_debug_pages_are_for_development_alone() -> None:
    """Nobody gets them who does not ask by the environment, and `make dev` serves on loopback."""
    from django.conf import settings

    assert settings.DEBUG is False and {*settings.ALLOWED_HOSTS} == {"127.0.0.1", "localhost", "testserver"}
    assert "127.0.0.1" in Path(reload.__file__).read_text() and "0.0.0.0" not in Path(reload.__file__).read_text()

"""Set the project up, start it, test it: the one script behind the Makefile. Only the standard library is needed.

python3.11 -m scripts.dev setup|demo|dev|check|test|lint|shots|stills|bench|stop
"""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import TextIO

from scripts.base import PYTHON, ROOT, VAR, VENV, debian, fail, free_port, postgres_bin, run, say
from scripts.check import changed_files, lint_changed, tests_of
from scripts.cluster import Cluster
from scripts.lints import lint, node_tools

CORE_TESTS, REST = ["tests/core", "tests/outside"], ["tests/studio", "tests/browser", "tests/test_dev.py"]
LOCK_WAIT = 60
"""Seconds that a second one in a folder waits for the first to stop."""
SIGN_IN = ("warden@saltmere.example", "reeds-and-tide")


# -- what Debian provides ---------------------------------------------------------------------------------


SETS = ("core", "studio", "dev")
"""What may be installed, each with all before it: the engine and the command line; the web application; and what tests,
linters and benches need. Pinned with hashes in requirements/."""


def pins(name: str) -> Path:
    return ROOT / "requirements" / f"{name}.txt"


def environment(wanted: str) -> None:
    """The virtual environment with one of `SETS`, from the pinned requirements, and the project itself."""
    mark = VENV / "installed"
    have = mark.read_text() if mark.exists() else ""
    project = hashlib.sha256((ROOT / "pyproject.toml").read_bytes()).hexdigest()
    state = {name: hashlib.sha256(pins(name).read_bytes() + project.encode()).hexdigest() for name in SETS}
    if have in [f"{name} {state[name]}" for name in SETS[SETS.index(wanted) :]]:
        return
    name = max(wanted, have.partition(" ")[0] or wanted, key=SETS.index)  # what was there is not taken away
    python = shutil.which("python3.11") or sys.executable
    if not PYTHON.exists():
        say("making the virtual environment …")
        try:
            subprocess.run([python, "-m", "venv", str(VENV)], check=True, capture_output=True)
        except subprocess.CalledProcessError:
            debian("python3.11-venv", False)
            run(python, "-m", "venv", str(VENV))
    say("installing pinned requirements (some minutes the first time) …")
    pip = (PYTHON, "-m", "pip", "install", "-qq", "--disable-pip-version-check")
    run(*pip, "--require-hashes", "-r", pins(name))
    run(*pip, "--no-deps", "--no-build-isolation", "--editable", ROOT)
    mark.write_text(f"{name} {state[name]}")


# -- the private PostgreSQL cluster -----------------------------------------------------------------------


# -- commands ---------------------------------------------------------------------------------------------


def compile_kernels() -> None:
    """Compile the kernels once, with progress; a digest of their sources names the cache."""
    where = subprocess.run(
        [str(PYTHON), "-c", "import lumwick, os; print(os.environ['NUMBA_CACHE_DIR'])"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    mark = Path(where) / "compiled"
    if not mark.exists():
        say("compiling the kernels, once (about a minute) …")
        run(PYTHON, "-m", "lumwick.cli", "compile")
        mark.parent.mkdir(parents=True, exist_ok=True)
        mark.write_text("yes")


def setup(wanted: str = "studio") -> None:
    """Install what is missing of one of `SETS`, and compile the kernels."""
    VAR.mkdir(exist_ok=True)
    if wanted != "core":
        debian("postgresql", postgres_bin() is not None)
    environment(wanted)
    compile_kernels()


def manage(*args: str) -> None:
    run(PYTHON, "manage.py", *args)


def answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(url, timeout=2) as reply:
            return bool(reply.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def web_command(port: int) -> list[str]:
    """What starts the web server on loopback: the demo and the bench measure the same one."""
    bind = ["--bind", f"127.0.0.1:{port}"]
    size = ["--workers", "1", "--threads", "12", "--timeout", "120", "--worker-class", "studio.serving.Worker"]
    return [str(PYTHON), "-m", "gunicorn", "studio.wsgi:application", *bind, *size]


def chosen_port() -> int:
    """The port asked for by PORT, or a free one."""
    asked = os.environ.get("PORT")
    if not asked:
        return free_port()
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", int(asked)))
        except (OSError, ValueError, OverflowError):
            fail(
                f"port {asked} cannot be used (is something else listening "
                "there?): choose another with PORT=, or leave it out."
            )
    return int(asked)


def single_instance() -> TextIO:
    """The lock that the one supervisor of this folder holds while it is up; a second waits for it.

    It is let go when the file is closed, or with the process.
    """
    lock = (VAR / "dev.lock").open("a+")
    for second in range(LOCK_WAIT):
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            if second == 0:
                say("another `make demo` of this folder is up or stopping: waiting for it to end …")
            time.sleep(1)
            continue
        return lock
    fail("another `make demo` of this folder is still up: stop it with Ctrl-C, or work with it.")
    raise AssertionError


def demo(reloads: bool = False) -> None:
    """Everything up under one supervisor: database, web server, one render worker.

    With ``reloads`` the web server is the one for development (`scripts.reload`).
    """
    lock = single_instance()
    try:
        _demo(reloads)
    finally:
        lock.close()


class Supervisor:
    """The web server and the render worker, started again where they stop."""

    def __init__(self, port: int, reloads: bool = False) -> None:
        self.port = port
        web = [str(PYTHON), "-m", "scripts.reload", str(port)] if reloads else web_command(port)
        self.commands = {
            "web": web if reloads else [*web, "--log-level", "warning"],
            "worker": [str(PYTHON), "manage.py", "render_worker"],
        }
        self.logs = {name: VAR / f"{name}.log" for name in self.commands}
        self.running: dict[str, subprocess.Popen[bytes]] = {}

    def start(self, name: str) -> None:
        with self.logs[name].open("ab") as log:
            self.running[name] = subprocess.Popen(
                self.commands[name], cwd=ROOT, stdout=log, stderr=log, start_new_session=True
            )

    def start_all(self) -> str:
        """Start both, and wait until pages are answered; gives their address."""
        for name in self.commands:
            self.start(name)
        url = f"http://127.0.0.1:{self.port}"
        for _ in range(300):
            if answers(url + "/healthz"):
                return url
            if self.running["web"].poll() is not None:
                fail(f"the web server stopped: see {self.logs['web']}")
            time.sleep(0.2)
        fail(f"the web server does not answer: see {self.logs['web']}")

    def mend(self) -> None:
        """Start again what has stopped."""
        for name, child in list(self.running.items()):
            if child.poll() is not None:
                say(f"the {name} stopped (code {child.returncode}) and is started again; see {self.logs[name]}")
                self.start(name)

    def stop(self) -> None:
        for child in self.running.values():
            if child.poll() is None:
                os.killpg(child.pid, signal.SIGTERM)
        for child in self.running.values():
            try:
                child.wait(15)
            except subprocess.TimeoutExpired:
                os.killpg(child.pid, signal.SIGKILL)


def _demo(reloads: bool) -> None:
    port = chosen_port()
    setup("dev" if reloads else "studio")
    cluster = Cluster()
    ours = cluster.start()
    supervisor = Supervisor(port, reloads)

    def leave(*_: object) -> None:
        raise KeyboardInterrupt

    for number in (signal.SIGTERM, signal.SIGINT):  # also where a shell started this with SIGINT ignored
        signal.signal(number, leave)
    try:
        manage("migrate", "--verbosity", "0")
        manage("seed_demo")
        url = supervisor.start_all()
        say(
            f"\n  Lumwick is up:  {url}\n  Sign in as      {SIGN_IN[0]}\n  "
            f"password        {SIGN_IN[1]}\n\n  Ctrl-C stops everything."
        )
        if reloads:
            say(f"  Code, templates, scripts and styles are served as they change; see {supervisor.logs['web']}.")
        while True:
            time.sleep(1)
            if not cluster.listens():
                say(f"the database stopped and is started again; see {cluster.log}")
                cluster.mend()
            supervisor.mend()
    except KeyboardInterrupt:
        say("\nstopping …")
    finally:
        supervisor.stop()
        if ours:
            cluster.stop()


def with_cluster(*args: str) -> None:
    """Run a command while the cluster is up."""
    cluster = Cluster()
    ours = cluster.start()
    code = 1
    try:
        code = subprocess.run(list(args), cwd=ROOT, check=False).returncode
    finally:
        if ours:
            cluster.stop()
    if code:
        raise SystemExit(code)


def test(extra: list[str]) -> None:
    setup("dev")
    if not extra:
        lint()
        if node_tools() is None:
            say("Node is not here: the tests of the scripts (tests/scripts) are left out.")
        else:
            run("node", "--test", "--test-reporter=dot", "tests/scripts/")
    debian("chromium", Path("/usr/bin/chromium").exists())
    if not extra:
        # the core's tests need no database and no browser: one process for each core
        run(PYTHON, "-m", "pytest", "-n", str(min(os.cpu_count() or 1, 2)), *CORE_TESTS)
        extra = REST
    with_cluster(str(PYTHON), "-m", "pytest", *extra)


def check() -> None:
    """Lint, and the tests that the changes touch, as many as fit in a minute."""
    begun, files = time.monotonic(), changed_files()
    if not files:
        say("nothing has changed since the last commit, and that changed no file of ours")
        return
    lint_changed(files)
    tests = tests_of(files)
    if tests:
        say(f"tests that touch it: {', '.join(tests[:6])}{' …' if len(tests) > 6 else ''}")
        pytest = (str(PYTHON), "-m", "pytest", "-q", "--no-header", "-p", "scripts.within", *tests)
        if any(name.startswith(("tests/studio", "tests/browser")) for name in tests):
            with_cluster(*pytest)
        else:
            run(*pytest)
    say(f"checked in {time.monotonic() - begun:.0f} s; `make test` runs all")


def main() -> None:
    command, extra = (sys.argv[1] if len(sys.argv) > 1 else "help"), sys.argv[2:]
    VAR.mkdir(exist_ok=True)
    if command == "setup":
        setup()
    elif command == "demo":
        demo()
    elif command == "dev":
        demo(reloads=True)
    elif command == "check":
        setup("dev")
        check()
    elif command == "lint":
        setup("dev")
        lint()
    elif command == "test":
        test(extra)
    elif command == "shots":
        setup("dev")
        debian("chromium", Path("/usr/bin/chromium").exists())
        with_cluster(str(PYTHON), "scripts/shots.py", *extra)
    elif command == "stills":
        setup("core")
        sys.exit(subprocess.run([str(PYTHON), "scripts/stills.py", *extra], cwd=ROOT, check=False).returncode)
    elif command == "bench":
        setup("dev")
        debian("chromium", Path("/usr/bin/chromium").exists())
        with_cluster(str(PYTHON), "-m", "bench", *extra)
    elif command == "stop":
        Cluster().stop()
    else:
        print(__doc__)


if __name__ == "__main__":
    main()

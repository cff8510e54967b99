"""Set the house up, start it, test it: the one script behind the Makefile. Only the standard library is needed.

python3.11 scripts/house.py setup|demo|test|lint|shots|stills|bench|stop
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import pwd
import secrets
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

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
MENDING_TRIES = 20
LOCK_WAIT = 60
"""Seconds that a second house in a folder waits for the first to stop."""
SIGN_IN = ("warden@saltmere.example", "reeds-and-tide")


def say(text: str) -> None:
    print(text, flush=True)


def fail(text: str) -> None:
    print(f"lumwick: {text}", file=sys.stderr)
    raise SystemExit(1)


def run(*args: str, **more: object) -> None:
    done = subprocess.run([str(a) for a in args], cwd=ROOT, check=False, **more)  # type: ignore[call-overload]
    if done.returncode:
        fail(f"`{' '.join(map(str, args))}` failed with code {done.returncode}.")


# -- what Debian provides ---------------------------------------------------------------------------------


def postgres_bin() -> Path | None:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    return found[-1].parent if found else None


def debian(package: str, present: bool) -> None:
    """Install a Debian package if what it brings is missing."""
    if present:
        return
    say(f"installing {package} from Debian's packages …")
    prefix = [] if os.geteuid() == 0 else ["sudo", "-n"]
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    log = VAR / "apt.log"
    with log.open("ab") as out:
        subprocess.run([*prefix, "apt-get", "update", "-q"], stdout=out, stderr=out, env=environment, check=False)
        if subprocess.run(
            [*prefix, "apt-get", "install", "-y", "-q", "--no-install-recommends", package],
            stdout=out,
            stderr=out,
            env=environment,
            check=False,
        ).returncode:
            fail(
                f"{package} is missing and could not be installed (see "
                f"{log}). As an administrator: apt-get install {package}"
            )


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


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Cluster:
    """A PostgreSQL cluster of this checkout's own, on loopback, with a generated password.

    PostgreSQL refuses to run as root; then it runs as the `postgres` user that Debian's package makes. Where
    that user cannot reach this folder, the data lie under /var/tmp instead, and var/pg/where says so.
    """

    def __init__(self) -> None:
        self.notes = VAR / "pg"
        self.notes.mkdir(parents=True, exist_ok=True)
        self.user = "postgres" if os.geteuid() == 0 else pwd.getpwuid(os.geteuid()).pw_name
        where = self.notes / "where"
        if not where.exists():
            data = self.notes / "data"
            if self.user == "postgres" and self._as(["test", "-x", str(self.notes)], check=False).returncode:
                data = Path("/var/tmp") / f"lumwick-{hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]}" / "data"
            where.write_text(str(data))
        self.data = Path(where.read_text().strip())
        self.log = self.data.parent / "server.log"
        found = postgres_bin()
        if not found:
            fail("PostgreSQL is not installed: run `make setup`.")
        self.bin = found

    def _as(self, args: list[str], check: bool = True) -> subprocess.CompletedProcess[str]:
        prefix = ["runuser", "-u", "postgres", "--"] if self.user == "postgres" and os.geteuid() == 0 else []
        done = subprocess.run([*prefix, *args], capture_output=True, text=True, check=False, cwd="/")
        if check and done.returncode:
            fail(f"{Path(args[0]).name}: {(done.stderr or done.stdout).strip()[-800:]}")
        return done

    def running(self) -> bool:
        return (
            self.data.exists()
            and self._as([str(self.bin / "pg_ctl"), "-D", str(self.data), "status"], check=False).returncode == 0
        )

    def start(self, again: bool = False) -> bool:
        """Start the cluster, made if need be; True if it was not running. ``again`` keeps the port that others know."""
        if not (self.data / "PG_VERSION").exists():
            say("making a private PostgreSQL cluster …")
            password = secrets.token_urlsafe(24)
            shutil.rmtree(self.data, ignore_errors=True)
            self.data.parent.mkdir(parents=True, exist_ok=True)
            if self.user == "postgres":
                shutil.chown(self.data.parent, "postgres", "postgres")
            secret = self.data.parent / "initial-password"
            secret.write_text(password)
            if self.user == "postgres":
                shutil.chown(secret, "postgres", "postgres")
            secret.chmod(0o600)
            self._as(
                [
                    str(self.bin / "initdb"),
                    "-D",
                    str(self.data),
                    "-U",
                    "lumwick",
                    "--pwfile",
                    str(secret),
                    "-A",
                    "scram-sha-256",
                    "-E",
                    "UTF8",
                    "--locale=C.UTF-8",
                ]
            )
            secret.unlink()
            (self.notes / "password").write_text(password)
            (self.notes / "password").chmod(0o600)
        if self.running():
            return False
        port = self.port if again else free_port()
        (self.notes / "port").write_text(str(port))
        options = {
            "listen_addresses": "127.0.0.1",
            "port": str(port),
            "unix_socket_directories": "",
            "max_connections": "60",
            "shared_buffers": "64MB",
            "fsync": "on",
        }
        told = " ".join(f"-c {name}={value}" for name, value in options.items())
        control = [str(self.bin / "pg_ctl"), "-D", str(self.data), "-l", str(self.log), "-w", "-t", "60", "-o", told]
        self._as([*control, "start"])
        return True

    @property
    def port(self) -> int:
        """Where it listens, or did."""
        return int((self.notes / "port").read_text())

    def listens(self) -> bool:
        """Whether something answers at its port: asked every second, so without starting a process."""
        with socket.socket() as s:
            s.settimeout(0.5)
            return s.connect_ex(("127.0.0.1", self.port)) == 0

    def _forget_the_dead(self) -> None:
        """Take away the note of a first process that is dead, though nobody has collected it: it stops every start."""
        note = self.data / "postmaster.pid"
        with contextlib.suppress(OSError, IndexError, ValueError):
            number = int(note.read_text().split()[0])
            status = Path(f"/proc/{number}/stat")
            if not status.exists() or status.read_text().rpartition(")")[2].split()[0] == "Z":
                note.unlink()

    def mend(self) -> None:
        """Start it again, at the same port, after its first process died; what that left of it ends within seconds."""
        for _ in range(MENDING_TRIES):
            self._forget_the_dead()
            with contextlib.suppress(SystemExit):  # what was left has not ended yet
                self.start(again=True)
            if self.listens():
                return
            time.sleep(1)
        say(f"the database does not start: see {self.log}")

    def stop(self) -> None:
        self._as([str(self.bin / "pg_ctl"), "-D", str(self.data), "-m", "fast", "-w", "stop"], check=False)


# -- commands ---------------------------------------------------------------------------------------------


def warm() -> None:
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
    warm()


def manage(*args: str) -> None:
    run(PYTHON, "manage.py", *args)


def answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(url, timeout=2) as reply:
            return reply.status == 200
    except (urllib.error.URLError, OSError):
        return False


def web_command(port: int) -> list[str]:
    """What starts the web server on loopback: the demo and the bench measure the same one."""
    bind = ["--bind", f"127.0.0.1:{port}"]
    size = ["--workers", "1", "--threads", "12", "--timeout", "120"]
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


def one_house() -> TextIO:
    """The lock that the one house of this folder holds while it is up; a second waits for it.

    It is let go when the file is closed, or with the process.
    """
    lock = (VAR / "house.lock").open("a+")
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


def demo() -> None:
    """Everything up under one supervisor: database, web server, one render worker."""
    lock = one_house()
    try:
        _demo()
    finally:
        lock.close()


class Household:
    """The web server and the render worker, started again where they stop."""

    def __init__(self, port: int) -> None:
        self.port = port
        self.commands = {
            "web": [*web_command(port), "--log-level", "warning"],
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


def _demo() -> None:
    port = chosen_port()
    setup()
    cluster = Cluster()
    ours = cluster.start()
    household = Household(port)

    def leave(*_: object) -> None:
        raise KeyboardInterrupt

    for number in (signal.SIGTERM, signal.SIGINT):  # also where a shell started this with SIGINT ignored
        signal.signal(number, leave)
    try:
        manage("migrate", "--verbosity", "0")
        manage("seed_demo")
        url = household.start_all()
        say(
            f"\n  Lumwick is up:  {url}\n  Sign in as      {SIGN_IN[0]}\n  "
            f"password        {SIGN_IN[1]}\n\n  Ctrl-C stops everything."
        )
        while True:
            time.sleep(1)
            if not cluster.listens():
                say(f"the database stopped and is started again; see {cluster.log}")
                cluster.mend()
            household.mend()
    except KeyboardInterrupt:
        say("\nstopping …")
    finally:
        household.stop()
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


LINTS = (
    ("ruff", "check", "-q", "."),
    ("ruff", "format", "--check", "-q", "."),
    ("mypy", "lumwick", "studio"),
    ("lint-imports",),
    ("djlint", "--lint", "--quiet", "studio/templates"),
)
OWN_SCRIPTS = ("studio/static/*.js", "studio/static/kit/*.js", "studio/static/workspace/*.js", "tests/scripts/*.mjs")


def node_tools() -> Path | None:
    """Where the scripts' own tools are, installed if they are not there yet; None without Node."""
    if shutil.which("npm") is None:
        return None
    front = ROOT / "frontend"
    tools = front / "node_modules" / ".bin"
    if not (tools / "prettier").exists():
        run("npm", "ci", "--silent", "--ignore-scripts", "--prefix", front)
    return tools


def lint() -> None:
    """Formatters, linters, types, the direction of imports; and, where Node is, scripts and built assets."""
    for command in LINTS:
        run(VENV / "bin" / command[0], *command[1:], stdout=subprocess.DEVNULL)
    tools = node_tools()
    if tools is None:
        say("Node is not here: the scripts' form and types, and the built assets, are not checked.")
        return
    scripts = sorted(str(path.relative_to(ROOT)) for glob in OWN_SCRIPTS for path in ROOT.glob(glob))
    run(tools / "prettier", "--check", "--log-level", "warn", *scripts)
    run(tools / "eslint", *scripts)
    run(tools / "tsc", "-p", ROOT / "frontend" / "tsconfig.json")
    front, built = ROOT / "frontend", VAR / "assets"
    shutil.rmtree(built, ignore_errors=True)
    made = subprocess.run(["sh", "build.sh", str(built)], cwd=front, capture_output=True, text=True, check=False)
    if made.returncode:
        fail(f"the assets cannot be built: {made.stderr.strip()[-300:]}")
    for path in sorted(p for p in built.rglob("*") if p.is_file()):
        committed = ROOT / "studio" / "static" / path.relative_to(built)
        if not committed.exists() or committed.read_bytes() != path.read_bytes():
            fail(f"{committed.relative_to(ROOT)} is not what the sources build: run `make assets`.")
    say("formatted, linted, typed, and the committed assets are what the sources build")


def test(extra: list[str]) -> None:
    setup("dev")
    if not extra:
        lint()
        if node_tools() is None:
            say("Node is not here: the tests of the scripts (tests/scripts) are left out.")
        else:
            run("node", "--test", "--test-reporter=dot", "tests/scripts/")
    debian("chromium", Path("/usr/bin/chromium").exists())
    with_cluster(str(PYTHON), "-m", "pytest", *extra)


def main() -> None:
    command, extra = (sys.argv[1] if len(sys.argv) > 1 else "help"), sys.argv[2:]
    VAR.mkdir(exist_ok=True)
    if command == "setup":
        setup()
    elif command == "demo":
        demo()
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

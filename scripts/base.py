"""What every script needs: where things are, how to say something, and Debian's packages."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from pathlib import Path
from typing import NoReturn

ROOT = Path(__file__).resolve().parent.parent


VAR = ROOT / "var"


VENV = ROOT / ".venv"


PYTHON = VENV / "bin" / "python"


def say(text: str) -> None:
    print(text, flush=True)


def fail(text: str) -> NoReturn:
    print(f"lumwick: {text}", file=sys.stderr)
    raise SystemExit(1)


def run(*args: str | Path, quiet: bool = False) -> None:
    """Run a command at the root; where it fails, say so and leave. A quiet one is heard only then."""
    words = [str(a) for a in args]
    done = subprocess.run(words, cwd=ROOT, check=False, capture_output=quiet, text=True)
    if done.returncode:
        if quiet:
            say((done.stdout + done.stderr).strip())
        fail(f"`{' '.join(words)}` failed with code {done.returncode}.")


def postgres_bin() -> Path | None:
    """Where PostgreSQL's programs are, if they are there."""
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


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])

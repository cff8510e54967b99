"""What every script of the house needs: where things are, how to say something, and Debian's packages."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


VAR = ROOT / "var"


VENV = ROOT / ".venv"


PYTHON = VENV / "bin" / "python"


def say(text: str) -> None:
    print(text, flush=True)


def fail(text: str) -> None:
    print(f"lumwick: {text}", file=sys.stderr)
    raise SystemExit(1)


def run(*args: str, **more: object) -> None:
    done = subprocess.run([str(a) for a in args], cwd=ROOT, check=False, **more)  # type: ignore[call-overload]
    if done.returncode:
        fail(f"`{' '.join(map(str, args))}` failed with code {done.returncode}.")


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


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])

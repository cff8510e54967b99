"""The private PostgreSQL cluster."""

from __future__ import annotations

import contextlib
import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import time
from pathlib import Path

from scripts.base import ROOT, VAR, fail, free_port, postgres_bin, say

MENDING_TRIES = 20


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

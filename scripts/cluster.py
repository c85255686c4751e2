"""A private PostgreSQL cluster on loopback, in an ignored folder, on a free port; never run as root."""

import os
import pwd
import socket
import subprocess
from dataclasses import dataclass
from pathlib import Path

BINARIES = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda p: int(p.parent.name), reverse=True)


class ClusterError(RuntimeError):
    """One clear sentence on why there is no database."""


@dataclass
class Cluster:
    """A cluster in a folder. `port` is chosen at the start."""

    folder: Path
    port: int = 0

    def __post_init__(self) -> None:
        self.folder = self.folder.resolve()

    def url(self, database: str = "gullywind") -> str:
        """SQLAlchemy URL of a database in it."""
        return f"postgresql+psycopg://gullywind@127.0.0.1:{self.port}/{database}"

    def start(self) -> None:
        """Create it if need be, and start it unless it runs."""
        if not BINARIES:
            raise ClusterError("PostgreSQL is not installed; `make setup` installs it (Debian's package postgresql).")
        data = self.folder / "data"
        self.folder.mkdir(parents=True, exist_ok=True)
        if os.geteuid() == 0:
            self._reachable_for_postgres()
        if not (data / "PG_VERSION").exists():
            if data.exists() and any(data.iterdir()):
                raise ClusterError(
                    f"The database folder {data} is broken: it has no PG_VERSION. Move it away and start again."
                )
            self._run(
                "initdb",
                "-D",
                str(data),
                "-U",
                "gullywind",
                "-A",
                "trust",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                "--no-sync",
            )
        running = self._running_port(data)
        if running:
            self.port = running
        else:
            # After a stop it comes back where its users look for it.
            self.port = self.port or free_port()
            options = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c max_connections=80"
            try:
                self._run(
                    "pg_ctl", "-D", str(data), "-l", str(self.folder / "log"), "-w", "-t", "30", "-o", options, "start"
                )
            except ClusterError as error:
                raise ClusterError(f"The database does not start; its log is {self.folder / 'log'}. {error}") from error
        self.create("gullywind")

    def create(self, database: str) -> None:
        """Create a database unless it is there."""
        there = self._run(
            "psql",
            "-h",
            "127.0.0.1",
            "-p",
            str(self.port),
            "-U",
            "gullywind",
            "-d",
            "postgres",
            "-Atc",
            f"SELECT 1 FROM pg_database WHERE datname = '{database}'",
        )
        if there.strip() != "1":
            self._run("createdb", "-h", "127.0.0.1", "-p", str(self.port), "-U", "gullywind", database)

    def is_running(self) -> bool:
        """Whether it answers."""
        return self._running_port(self.folder / "data") is not None

    def stop(self) -> None:
        """Stop it, if it runs."""
        data = self.folder / "data"
        if self._running_port(data):
            self._run("pg_ctl", "-D", str(data), "-m", "fast", "-w", "stop")

    def _running_port(self, data: Path) -> int | None:
        pid_file = data / "postmaster.pid"
        try:
            lines = pid_file.read_text().split("\n")
            os.kill(int(lines[0]), 0)
            with socket.create_connection(("127.0.0.1", int(lines[3])), 1):
                return int(lines[3])
        except (OSError, ValueError, IndexError):
            return None

    def _reachable_for_postgres(self) -> None:
        account = pwd.getpwnam("postgres")
        os.chown(self.folder, account.pw_uid, account.pw_gid)
        for parent in self.folder.resolve().parents:
            if not parent.stat().st_mode & 0o001:
                raise ClusterError(f"The user postgres cannot enter {parent}; PostgreSQL does not run as root.")

    def _run(self, program: str, *arguments: str) -> str:
        command = [str(BINARIES[0] / program), *arguments]
        if os.geteuid() == 0:
            command = ["runuser", "-u", "postgres", "--", *command]
        environment = {k: v for k, v in os.environ.items() if not k.startswith("PG")}
        log = self.folder / "last-output"
        with log.open("w") as out:
            done = subprocess.run(
                command, stdout=out, stderr=subprocess.STDOUT, env=environment, cwd="/", stdin=subprocess.DEVNULL
            )
        text = log.read_text()
        if done.returncode:
            raise ClusterError(f"{program} said: {' '.join(text.split())[-300:]}")
        return text


def free_port() -> int:
    """A TCP port on loopback that nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])

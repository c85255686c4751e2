"""The program's parts as processes: started, started again where they die, ended together, never left behind."""

import contextlib
import ctypes
import os
import signal
import subprocess
import time
from dataclasses import dataclass, field
from pathlib import Path

#: From <sys/prctl.h>: the kernel sends this signal when the parent dies, however it dies.
PR_SET_PDEATHSIG = 1
#: Who dies again at once is started again ever more slowly.
FIRST_PAUSE_S, MOST_PAUSE_S, STEADY_S = 0.5, 10.0, 30.0
STOP_PATIENCE_S = 2.5
_LIBC = ctypes.CDLL(None, use_errno=True)


@dataclass(eq=False)
class Part:
    """One process, by a name; its number is kept in `run_dir` so that it is known after a crash of its parent."""

    name: str
    command: list[str]
    folder: Path
    run_dir: Path
    _process: "subprocess.Popen[bytes] | None" = None
    _started: float = 0.0
    _pause_s: float = field(default=FIRST_PAUSE_S)

    @property
    def pid(self) -> int | None:
        """The process's number while it runs."""
        return self._process.pid if self._process and self._process.poll() is None else None

    def start(self) -> None:
        """Start it, in a session of its own: Ctrl-C reaches only the parent, which then stops the parts in order."""
        self._process = subprocess.Popen(
            self.command, cwd=self.folder, start_new_session=True, preexec_fn=_end_with_parent
        )
        self._started = time.monotonic()
        self.run_dir.mkdir(parents=True, exist_ok=True)
        # Whole or not at all: whoever reads it just now, or after a crash, must not find half of it.
        part = self._note.with_suffix(".part")
        part.write_text(f"{self._process.pid} {_start_ticks(self._process.pid)}")
        part.replace(self._note)

    def start_again_if_dead(self) -> bool:
        """Whether it was dead and is started again; not before its pause is over."""
        if self.pid is not None:
            return False
        lived_s = time.monotonic() - self._started
        if lived_s < self._pause_s:
            return False
        self._pause_s = FIRST_PAUSE_S if lived_s > STEADY_S else min(2 * self._pause_s, MOST_PAUSE_S)
        self.start()
        return True

    def ask_to_end(self) -> None:
        """Send it and its children the signal to end."""
        self._signal(signal.SIGTERM)

    def end_by(self, deadline: float) -> None:
        """Wait until a moment of the monotonic clock, then end it for good."""
        if self._process is None:
            return
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(max(0.0, deadline - time.monotonic()))
        self._signal(signal.SIGKILL)
        self._process.wait()
        self._note.unlink(missing_ok=True)

    @property
    def _note(self) -> Path:
        return self.run_dir / f"{self.name}.pid"

    def _signal(self, number: int) -> None:
        if self._process is not None:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.killpg(self._process.pid, number)


def stop_all(parts: list[Part]) -> None:
    """End all parts at once, within a few seconds."""
    for part in parts:
        part.ask_to_end()
    deadline = time.monotonic() + STOP_PATIENCE_S
    for part in parts:
        part.end_by(deadline)


def end_orphans(run_dir: Path) -> None:
    """End parts that a killed parent left behind, where they have not ended by themselves."""
    for note in run_dir.glob("*.pid") if run_dir.is_dir() else ():
        with contextlib.suppress(ValueError, ProcessLookupError, PermissionError, FileNotFoundError):
            pid, ticks = (int(one) for one in note.read_text().split())
            # Numbers come again: only the process that started at the noted moment is ours.
            if _start_ticks(pid) == ticks and _parent_of(pid) != os.getpid():
                os.killpg(pid, signal.SIGKILL)
        note.unlink(missing_ok=True)


def _end_with_parent() -> None:
    _LIBC.prctl(PR_SET_PDEATHSIG, signal.SIGTERM, 0, 0, 0)


def _start_ticks(pid: int) -> int:
    return int(_stat(pid)[19])


def _parent_of(pid: int) -> int:
    return int(_stat(pid)[1])


def _stat(pid: int) -> list[str]:
    """Fields of /proc/PID/stat from the third on (proc(5)); raises FileNotFoundError."""
    # The name, in brackets, may hold anything.
    return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()

"""Progress on standard error."""

import sys
import threading
from pathlib import Path


class Progress:
    """One line on standard error with how much of all is done; quiet where nobody watches a terminal."""

    def __init__(self, files: int) -> None:
        self._files = files
        self._done: dict[Path, float] = {}
        self._lock = threading.Lock()
        self._shown = -1
        self._live = sys.stderr.isatty()

    def report(self, path: Path, fraction_done: float) -> None:
        """Take note of one file's progress, 0..1; from any thread."""
        with self._lock:
            self._done[path] = fraction_done
            done = int(100 * sum(self._done.values()) / self._files)
            if done > self._shown and (self._live or done >= self._shown + 10):
                self._shown = done
                print(f"listening {done:3d} %", end="\r" if self._live else "\n", file=sys.stderr, flush=True)

    def end(self) -> None:
        """Clear the line."""
        if self._live:
            print(" " * 20, end="\r", file=sys.stderr, flush=True)

"""`gullywind listen FILE...`: what is heard in each file alone."""

import argparse
from pathlib import Path
from typing import Any


def add_to(commands: Any) -> None:
    """Add the command and its options to the parser."""
    words = "tell what is heard in each file alone"
    details = f"{words.capitalize()}: loudness, true peak, sharp sounds, timecode."
    parser = commands.add_parser("listen", help=words, description=details)
    parser.add_argument("files", metavar="FILE", type=Path, nargs="+")
    parser.add_argument("--json", metavar="FILE", help="write the result as JSON to FILE, - for standard output")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    """Listen to all files; returns the exit status: 0 done, 1 some file could not be read or written."""
    # Loaded for those who have something to listen to: help comes at once.
    from gullywind.command_line.listen_files import listen_files

    return listen_files(tuple(given.files), json_to=given.json)

"""`gullywind`: dispatches to the commands."""

import argparse
import sys

from gullywind import __version__
from gullywind.command_line import align, listen


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 1 some file failed, 2 wrong usage."""
    parser = argparse.ArgumentParser(prog="gullywind", description="Line up recordings of one event to one reference.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND")
    align.add_to(commands)
    listen.add_to(commands)
    given = parser.parse_args(arguments)
    try:
        return int(given.run(given, parser))
    except KeyboardInterrupt:
        print("gullywind: stopped.", file=sys.stderr)
        return 130


if __name__ == "__main__":
    sys.exit(main())

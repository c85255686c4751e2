"""`gullywind align REFERENCE RECORDING...`: its options, and which of them go together."""

import argparse
from pathlib import Path
from typing import Any

#: Ways to find a place, as they are named.
WAYS = ("sound", "neighbours", "claps", "timecode")


def add_to(commands: Any) -> None:
    """Add the command and its options to the parser."""
    parser = commands.add_parser(
        "align", help="find where each recording belongs", description="Find where each recording belongs."
    )
    parser.add_argument("reference", metavar="REFERENCE", type=Path)
    parser.add_argument("recordings", metavar="RECORDING", type=Path, nargs="+")
    parser.add_argument(
        "--match", choices=["same", "performance"], default="same", help="same event (default) or another performance"
    )
    parser.add_argument("--closeness", type=float, default=None, metavar="X", help="with --match performance: 0 to 1")
    parser.add_argument("--by", metavar="WAYS", help=f"ways that may find a place, with commas: {', '.join(WAYS)}")
    parser.add_argument("--render", type=Path, metavar="DIR", help="write each placed recording into DIR")
    parser.add_argument(
        "--picture", type=Path, metavar="DIR", help="write each placed video into DIR with the reference's sound"
    )
    parser.add_argument("--json", metavar="FILE", help="write the result as JSON to FILE, - for standard output")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    """Refuse what makes no sense, then do the work; returns the exit status."""
    if given.closeness is not None and not 0 <= given.closeness <= 1:
        parser.error(f"--closeness must be from 0 to 1, got {given.closeness}")
    if given.closeness is not None and given.match == "same":
        parser.error("--closeness goes with --match performance")
    if given.match == "performance":
        parser.error("--match performance is not possible yet: this version lines up recordings of the same event")
    ways = WAYS if given.by is None else tuple(one.strip() for one in given.by.split(","))
    for one in ways:
        if one not in WAYS:
            parser.error(f"--by takes {', '.join(WAYS)}, got {one!r}")
    if ways == ("neighbours",):
        parser.error("--by neighbours needs another way beside it: some recording must find the reference itself")
    # Loaded for those who have something to line up: help and refusals come at once.
    from gullywind.command_line.align_files import align_files

    return align_files(
        given.reference,
        tuple(given.recordings),
        render_dir=given.render,
        picture_dir=given.picture,
        json_to=given.json,
        ways=ways,
    )

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
    bending = parser.add_argument_group("with --match performance")
    bending.add_argument(
        "--closeness",
        type=float,
        metavar="X",
        help="0 leaves the timing alone, 1 (default) follows the reference fully",
    )
    bending.add_argument("--leave-below", type=float, metavar="MS", help="smaller differences stay; 0 unless given")
    bending.add_argument(
        "--limit", type=float, metavar="PERCENT", help="nothing is stretched or squeezed further; 30 unless given"
    )
    bending.add_argument("--ends", choices=["keep", "follow"], help="ends of words and notes; follow unless given")
    parser.add_argument("--by", metavar="WAYS", help=f"ways that may find a place, with commas: {', '.join(WAYS)}")
    parser.add_argument("--render", type=Path, metavar="DIR", help="write each placed recording into DIR")
    parser.add_argument(
        "--picture", type=Path, metavar="DIR", help="write each placed video into DIR with the reference's sound"
    )
    parser.add_argument("--json", metavar="FILE", help="write the result as JSON to FILE, - for standard output")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    """Refuse what makes no sense, then do the work; returns the exit status."""
    _check_bending(given, parser)
    ways = WAYS if given.by is None else tuple(one.strip() for one in given.by.split(","))
    for one in ways:
        if one not in WAYS:
            parser.error(f"--by takes {', '.join(WAYS)}, got {one!r}")
    if ways == ("neighbours",):
        parser.error("--by neighbours needs another way beside it: some recording must find the reference itself")
    if given.match == "performance" and "sound" not in ways:
        parser.error("--match performance goes by sound: --by must contain it")
    # Loaded for those who have something to line up: help and refusals come at once.
    from gullywind.command_line.align_files import align_files

    return align_files(
        given.reference,
        tuple(given.recordings),
        render_dir=given.render,
        picture_dir=given.picture,
        json_to=given.json,
        ways=ways,
        bending=_bending(given) if given.match == "performance" else None,
    )


def _check_bending(given: argparse.Namespace, parser: argparse.ArgumentParser) -> None:
    """Refuse figures that make no sense, and options of another kind of work."""
    options = ("closeness", "leave_below", "limit", "ends")
    for name in options:
        if given.match == "same" and getattr(given, name) is not None:
            parser.error(f"--{name.replace('_', '-')} goes with --match performance")
    # "not in range" refuses NaN as well.
    if given.closeness is not None and not 0 <= given.closeness <= 1:
        parser.error(f"--closeness must be from 0 to 1, got {given.closeness}")
    if given.leave_below is not None and not 0 <= given.leave_below < float("inf"):
        parser.error(f"--leave-below must be 0 ms or more, got {given.leave_below}")
    if given.limit is not None and not 0 < given.limit < float("inf"):
        parser.error(f"--limit must be above 0 per cent, got {given.limit}")


def _bending(given: argparse.Namespace) -> dict[str, Any]:
    """What was given of it, by the core's names."""
    found = {
        "closeness": given.closeness,
        "leave_below_s": None if given.leave_below is None else given.leave_below / 1e3,
        "limit": None if given.limit is None else given.limit / 100,
        "ends": None if given.ends is None else given.ends == "follow",
    }
    return {name: value for name, value in found.items() if value is not None}

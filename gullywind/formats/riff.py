"""What a RIFF/RF64 header says: is the data whole, and the BWF time reference (EBU Tech 3285, 3306)."""

import struct
from dataclasses import dataclass
from pathlib import Path

#: Offset of the time reference in a `bext` chunk: after description, originator, its reference, date and time.
BEXT_TIME_REFERENCE = 256 + 32 + 32 + 10 + 8
#: Streaming writers leave these in the length: unknown, not truncated.
UNKNOWN_LENGTHS = {0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000}


#: No recorder counts further than a week of samples at 768 kHz; larger values are noise where a time should stand.
MOST_TIME_REFERENCE = 7 * 86400 * 768000


def sane_time_reference(value: int | str | None) -> int | None:
    """A time reference in samples since midnight; None where there is none, or one that cannot be meant.

    Examples
    --------
    >>> sane_time_reference("172800000"), sane_time_reference(2**64 - 1), sane_time_reference("0")
    (172800000, None, None)
    """
    if isinstance(value, str):
        value = int(value) if value.isascii() and value.isdigit() and len(value) < 20 else None
    return value if value and value <= MOST_TIME_REFERENCE else None


@dataclass(frozen=True, slots=True)
class RiffFacts:
    """`truncated`: the data chunk is longer than the file. Both None/False for other containers."""

    truncated: bool = False
    time_reference_samples: int | None = None


def riff_facts(path: Path) -> RiffFacts:
    """Walk the chunks of a RIFF, RF64 or BW64 file; anything else gives the defaults."""
    size = path.stat().st_size
    truncated, time_reference, data64 = False, None, None
    with path.open("rb") as file:
        head = file.read(12)
        if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64", b"BW64") or head[8:] != b"WAVE":
            return RiffFacts()
        while len(chunk := file.read(8)) == 8:
            name, length = chunk[:4], struct.unpack("<I", chunk[4:])[0]
            start = file.tell()
            if name == b"ds64" and length >= 16:
                sizes = file.read(16)
                data64 = struct.unpack("<QQ", sizes)[1] if len(sizes) == 16 else None
            elif name == b"bext":
                body = file.read(min(length, BEXT_TIME_REFERENCE + 8))
                if len(body) >= BEXT_TIME_REFERENCE + 8:
                    time_reference = struct.unpack("<Q", body[BEXT_TIME_REFERENCE:][:8])[0]
            elif name == b"data":
                if length == 0xFFFFFFFF and data64:
                    length = data64
                if length not in UNKNOWN_LENGTHS and start + length > size:
                    truncated = True
            # Compared before it is sought: a length of 64 bits is beyond any file's end, and beyond what seeking takes.
            if start + length + (length & 1) >= size:
                break
            file.seek(start + length + (length & 1))
    return RiffFacts(truncated, sane_time_reference(time_reference))

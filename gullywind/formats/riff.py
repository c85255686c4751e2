"""What a RIFF/RF64 header says: is the data whole, the time reference (EBU Tech 3285, 3306), iXML's timecode."""

import struct
import xml.etree.ElementTree as ElementTree
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from gullywind.core.ground.frames import FRAME_RATES

#: Offset of the time reference in a `bext` chunk: after description, originator, its reference, date and time.
BEXT_TIME_REFERENCE = 256 + 32 + 32 + 10 + 8
#: Streaming writers leave these in the length: unknown, not truncated.
UNKNOWN_LENGTHS = {0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000}


#: An iXML chunk holds some kilobytes.
MOST_IXML = 1 << 20
#: Rates at which numbers can be dropped.
DROPPING = (Fraction(30000, 1001), Fraction(60000, 1001))

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
    """`truncated`: the data chunk is longer than the file. All None or False for other containers."""

    truncated: bool = False
    time_reference_samples: int | None = None
    timecode_rate: Fraction | None = None
    timecode_drop: bool = False


def riff_facts(path: Path) -> RiffFacts:
    """Walk the chunks of a RIFF, RF64 or BW64 file; anything else gives the defaults."""
    size = path.stat().st_size
    truncated, time_reference, data64, ixml = False, None, None, RiffFacts()
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
            elif name == b"iXML" and length <= MOST_IXML:
                ixml = _ixml_facts(file.read(length))
            elif name == b"data":
                if length == 0xFFFFFFFF and data64:
                    length = data64
                if length not in UNKNOWN_LENGTHS and start + length > size:
                    truncated = True
            # Compared before it is sought: a length of 64 bits is beyond any file's end, and beyond what seeking takes.
            if start + length + (length & 1) >= size:
                break
            file.seek(start + length + (length & 1))
    reference = sane_time_reference(time_reference) or ixml.time_reference_samples
    return replace(ixml, truncated=truncated, time_reference_samples=reference)


def _ixml_facts(body: bytes) -> RiffFacts:
    """What recorders write of their timecode, as far as it can be read: a chunk of nonsense says nothing."""
    if b"<!" in body[:2048].replace(b"<!--", b""):
        # No recorder declares entities; what does means harm.
        return RiffFacts()
    try:
        speed = ElementTree.fromstring(body.rstrip(b"\0 \r\n")).find("SPEED")
    except ElementTree.ParseError:
        return RiffFacts()
    if speed is None:
        return RiffFacts()
    said = {one.tag: (one.text or "").strip() for one in speed}
    high, low = (said.get(f"TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_{part}", "0") for part in ("HI", "LO"))
    samples = (int(high) << 32) + int(low) if (high + low).isascii() and (high + low).isdigit() else None
    try:
        rate = Fraction(said.get("TIMECODE_RATE", "0"))
    except (ValueError, ZeroDivisionError):
        rate = Fraction(0)
    return RiffFacts(
        time_reference_samples=sane_time_reference(samples),
        timecode_rate=rate if rate in FRAME_RATES else None,
        timecode_drop=said.get("TIMECODE_FLAG") == "DF" and rate in DROPPING,
    )

"""How long the headers of MP3 and ADTS frames say that a frame is, to tell how many frames a damaged stretch held.

Neither format counts its frames, so what is damaged would close up and move all that follows.
"""

import mmap
from pathlib import Path

#: ISO 11172-3, table of bit rates of layer III in kbit/s, for MPEG 1 and for MPEG 2 and 2.5.
_KBITS_1 = (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)
_KBITS_2 = (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160)
_RATES_HZ = (44100, 48000, 32000)


def mp3_frame_bytes(head: bytes) -> int | None:
    """Length in bytes of the layer III frame that starts with `head` (4 bytes or more); None where none starts."""
    return _layer3_bytes(head) if len(head) >= 4 and head[0] == 0xFF else None


def adts_losses(path: Path) -> list[tuple[int, int]]:
    """Where an ADTS file has no frames: `(frames before it, frames lost)`, in order (ISO 13818-7, 6.2)."""
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        at = _after_id3(data)
        frames, total, losses = 0, 0, []
        while at < len(data):
            length = _adts_bytes(data, at)
            if length:
                frames, total, at = frames + 1, total + length, at + length
                continue
            begin, at = at, _next_adts(data, at + 1)
            if frames and at < len(data):
                losses.append((frames, max(1, round((at - begin) / (total / frames)))))
    return losses


def _next_adts(data: mmap.mmap, at: int) -> int:
    """The next place with two frames in a row; the end where there is none."""
    while (at := data.find(b"\xff", at)) >= 0:
        length = _adts_bytes(data, at)
        if length and _adts_bytes(data, at + length):
            return at
        at += 1
    return len(data)


def _adts_bytes(data: mmap.mmap, at: int) -> int | None:
    head = data[at : at + 7]
    if len(head) < 7 or head[0] != 0xFF or head[1] & 0xF6 != 0xF0:
        return None
    length = (head[3] & 3) << 11 | head[4] << 3 | head[5] >> 5
    return length if length >= 7 else None


def _after_id3(data: mmap.mmap) -> int:
    if data[:3] != b"ID3" or len(data) < 10:
        return 0
    return 10 + (data[6] << 21 | data[7] << 14 | data[8] << 7 | data[9])


def _layer3_bytes(packet: bytes) -> int | None:
    version, layer = packet[1] >> 3 & 3, packet[1] >> 1 & 3
    bits, rate = packet[2] >> 4, packet[2] >> 2 & 3
    if packet[1] & 0xE0 != 0xE0 or version == 1 or layer != 1 or bits in (0, 15) or rate == 3:
        return None
    kbits = _KBITS_1[bits] if version == 3 else _KBITS_2[bits]
    rate_hz = _RATES_HZ[rate] // {3: 1, 2: 2, 0: 4}[version]
    return (144 if version == 3 else 72) * kbits * 1000 // rate_hz + (packet[2] >> 1 & 1)

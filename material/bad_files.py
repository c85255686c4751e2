"""Malformed files of every kind that an editor may meet: cut, overwritten, with headers that lie, texts that pretend.

Made from seeds, from good files that are made here too.
"""

import io
import struct
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from material.devices import RATE_HZ, encode
from material.pictures import video

#: Descriptions of sound and lists of other files, which FFmpeg would follow or make up sound from.
TEXTS = {
    "list.m3u8": b"#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\nfile:///etc/hostname\n#EXT-X-ENDLIST\n",
    "concat.txt": b"ffconcat version 1.0\nfile /etc/hostname\nduration 100000\n",
    "cues.sdp": b"v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 5004 RTP/AVP 0\n",
    "meta.txt": b";FFMETADATA1\ntitle=x\n[CHAPTER]\nTIMEBASE=1/1\nSTART=0\nEND=999999999\n",
    "words.srt": b"1\n00:00:00,000 --> 99:59:59,000\nHello\n",
    "tones.rtttl": b"a:d=4,o=5,b=63:c,d,e\n",
    "art.txt": b"\x1b[2J\x1b[1;1Hhello" * 40,
    "page.html": b"<html><body>404</body></html>",
    "script.sh": b"#!/bin/sh\nyes\n",
    "mod.avs": b"ToneGenerator(length=1000000)\n",
}


def good_files(folder: Path, seconds: float = 3.0) -> dict[str, bytes]:
    """A small good file of each kind, by suffix."""
    rng = np.random.default_rng(77)
    sound = 0.2 * rng.standard_normal(int(seconds * RATE_HZ))
    made: dict[str, bytes] = {}
    for suffix, form, subtype in [
        ("wav", "WAV", "PCM_16"),
        ("float.wav", "WAV", "FLOAT"),
        ("rf64.wav", "RF64", "PCM_24"),
        ("w64", "W64", "PCM_16"),
        ("aiff", "AIFF", "PCM_24"),
        ("caf", "CAF", "PCM_16"),
        ("flac", "FLAC", "PCM_16"),
        ("ogg", "OGG", "VORBIS"),
    ]:
        buffer = io.BytesIO()
        soundfile.write(buffer, sound, RATE_HZ, format=form, subtype=subtype)
        made[suffix] = buffer.getvalue()
    for suffix, codec in (("mp3", "mp3"), ("m4a", "aac"), ("opus", "opus")):
        path = folder / f"good.{suffix}"
        encode(path, sound, RATE_HZ, codec)
        made[suffix] = path.read_bytes()
    path = folder / "good.mp4"
    video(path, sound, seconds=seconds, hue=0.4, codec="aac", time_s=36000.0)
    made["mp4"] = path.read_bytes()
    return made


def bad_files(folder: Path, count: int, seed: int = 0) -> Iterator[tuple[str, bytes]]:
    """`count` names and contents: texts and lying headers first, then good files damaged in turn."""
    good = good_files(folder)
    fixed = [*TEXTS.items(), *lying_headers(good["wav"], good["rf64.wav"]), ("empty.wav", b"")]
    yield from fixed[:count]
    rng = np.random.default_rng(seed)
    kinds = sorted(good)
    for i in range(count - len(fixed)):
        suffix = kinds[i % len(kinds)]
        how = DAMAGES[(i // len(kinds)) % len(DAMAGES)]
        yield f"{i:03d}-{how.__name__}.{suffix}", how(good[suffix], rng)


def lying_headers(wav: bytes, rf64: bytes) -> list[tuple[str, bytes]]:
    """WAV files whose headers say what cannot be."""

    def with_format(**fields: int) -> bytes:
        places = {"codec": 20, "channels": 22, "rate": 24, "align": 32, "bits": 34}
        body = bytearray(wav)
        for name, value in fields.items():
            struct.pack_into("<I" if name == "rate" else "<H", body, places[name], value)
        return bytes(body)

    def with_sizes(riff: int, data: int, samples: int) -> bytes:
        body = bytearray(rf64)
        at = body.index(b"ds64") + 8
        struct.pack_into("<QQQ", body, at, riff, data, samples)
        return bytes(body)

    bext = struct.pack("<256s32s32s10s8sQ", b"", b"", b"", b"", b"", 2**64 - 1) + bytes(256)
    chunk = b"bext" + struct.pack("<I", len(bext)) + bext
    return [
        *((f"bits-{bits}.wav", with_format(bits=bits)) for bits in (0, 33, 65535)),
        *((f"codec-{codec}.wav", with_format(codec=codec)) for codec in (0, 0x1234, 0xFFFF)),
        *((f"channels-{n}.wav", with_format(channels=n)) for n in (0, 65, 65535)),
        *((f"rate-{n}.wav", with_format(rate=n)) for n in (0, 1, 2**32 - 1)),
        ("align-0.wav", with_format(align=0)),
        ("sizes-huge.wav", with_sizes(2**63, 2**62, 2**61)),
        ("sizes-most.wav", with_sizes(2**64 - 1, 2**64 - 1, 2**64 - 1)),
        ("sizes-none.wav", with_sizes(0, 0, 0)),
        ("time-of-day.wav", wav[:12] + chunk + wav[12:]),
        ("chunk-loop.wav", wav[:12] + b"junk\xff\xff\xff\xff" * 50 + wav[12:]),
    ]


def cut(body: bytes, rng: np.random.Generator) -> bytes:
    """Ends early."""
    return body[: int(rng.uniform(0.02, 0.95) * len(body))]


def burst(body: bytes, rng: np.random.Generator) -> bytes:
    """Some hundred bytes in the middle are noise."""
    at, length = int(rng.uniform(0.1, 0.9) * len(body)), int(rng.integers(50, 2000))
    return body[:at] + rng.bytes(min(length, len(body) - at)) + body[at + length :]


def zeros(body: bytes, rng: np.random.Generator) -> bytes:
    """A block was never written."""
    at, length = int(rng.uniform(0.0, 0.8) * len(body)), int(rng.integers(200, 8000))
    return body[:at] + bytes(min(length, len(body) - at)) + body[at + length :]


def header(body: bytes, rng: np.random.Generator) -> bytes:
    """A few bytes of the first hundred are wrong."""
    changed = bytearray(body)
    for at in rng.integers(4, min(120, len(body)), size=4):
        changed[int(at)] = int(rng.integers(256))
    return bytes(changed)


def sprinkled(body: bytes, rng: np.random.Generator) -> bytes:
    """One byte in a thousand is wrong."""
    changed = bytearray(body)
    for at in rng.integers(0, len(body), size=max(3, len(body) // 1000)):
        changed[int(at)] = int(rng.integers(256))
    return bytes(changed)


def headless(body: bytes, rng: np.random.Generator) -> bytes:
    """The beginning is missing."""
    return body[int(rng.uniform(0.01, 0.5) * len(body)) :]


def doubled(body: bytes, rng: np.random.Generator) -> bytes:
    """Followed by itself from somewhere."""
    return body + body[int(rng.uniform(0, 1) * len(body)) :]


DAMAGES = (cut, burst, zeros, header, sprinkled, headless, doubled)

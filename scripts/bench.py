"""Measure the program itself: speed as ratios within one run, memory, precision. Prints one table.

Run: make bench   (all), or python -m scripts.bench batch pair memory precision render ways bend sound frames drag
"""

import json
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soundfile
import soxr

from material.arrays import ArraySound
from material.devices import SoundPath, clocked, encode, heard
from material.music import piece
from material.speech import talk
from scripts.bench_bending import bench_bending
from scripts.bench_interface import bench_drag, bench_frames, bench_nudge, bench_seek, bench_sound
from scripts.bench_ways import bench_ways
from scripts.figures import line

ROOT = Path(__file__).resolve().parent.parent
PROGRAM = ROOT / ".venv" / "bin" / "gullywind"
RATE_HZ = 48000
HANN = np.hanning(2048).astype(np.float32)


def program(*arguments: object) -> float:
    """Wall time of one run of the command line, s."""
    start = time.perf_counter()
    subprocess.run([str(PROGRAM), *map(str, arguments)], check=True, capture_output=True)
    return time.perf_counter() - start


def spectrum(sound: np.ndarray) -> None:
    """STFT 2048/1024 in float32: the cheapest form of it."""
    if sound.size >= 2048:
        frames = np.lib.stride_tricks.sliding_window_view(sound.astype(np.float32, copy=False), 2048)[::1024]
        for first in range(0, len(frames), 512):
            scipy.fft.rfft(frames[first : first + 512] * HANN)


def one_spectrum_of_each(paths: list[Path]) -> float:
    """Wall time of reading every file once with one spectrum of each, one thread, s."""
    import av

    start = time.perf_counter()
    for path in paths:
        try:
            for block in soundfile.blocks(str(path), blocksize=1 << 20, dtype="float32", always_2d=True):
                spectrum(block.mean(axis=1))
        except soundfile.LibsndfileError:
            with av.open(str(path)) as container:
                gathered: list[np.ndarray] = []
                for frame in container.decode(audio=0):
                    gathered.append(frame.to_ndarray().mean(axis=0))
                    if len(gathered) == 1024:
                        spectrum(np.concatenate(gathered))
                        gathered.clear()
                if gathered:
                    spectrum(np.concatenate(gathered))
    return time.perf_counter() - start


def bench_batch(folder: Path) -> None:
    """A reference of 15 min, 9 recordings of 4 to 10 min in several formats."""
    rng = np.random.default_rng(1)
    event = talk(1, 900.0)
    event += piece(2, 300.0).repeat(1).take(range(event.size), mode="wrap") * 0.2
    event += (rng.standard_normal(event.size) * 0.003).astype(np.float32)
    reference = folder / "reference.wav"
    soundfile.write(reference, np.stack([event, event * 0.9], 1), RATE_HZ, subtype="PCM_24")
    paths = [reference]
    for i in range(9):
        length, start = int(rng.uniform(240, 600) * RATE_HZ), int(rng.uniform(0, 300) * RATE_HZ)
        part = event[start : start + length] + (rng.standard_normal(length) * 0.01).astype(np.float32)
        kind = ("wav", "flac", "m4a", "wav", "mp3")[i % 5]
        path = folder / f"take{i}.{kind}"
        if kind in ("wav", "flac"):
            soundfile.write(path, part, RATE_HZ, subtype="PCM_16")
        else:
            encode(path, part, RATE_HZ, "aac" if kind == "m4a" else "mp3")
        paths.append(path)
    program("align", *paths[:2])  # warm the caches of the system
    ratios = [program("align", *paths) / one_spectrum_of_each(paths) for _ in range(2)]
    line("batch of 9 against one spectrum of each file", f"{np.median(ratios):.2f} times", "1.0")


def bench_pair(folder: Path) -> None:
    """Pairs of 4 minutes against scipy's correlation at full rate, files in, in one batch."""
    event = talk(3, 260.0)
    rng = np.random.default_rng(2)
    paths = []
    for i in range(9):
        part = event[int(rng.uniform(0, 20) * RATE_HZ) :][: 240 * RATE_HZ]
        path = folder / f"pair{i}.wav"
        soundfile.write(path, part + rng.standard_normal(part.size) * 0.002, RATE_HZ, subtype="PCM_16")
        paths.append(path)
    one, two = (soundfile.read(path)[0] for path in paths[:2])
    start = time.perf_counter()
    scipy.signal.correlate(one, two, method="fft")
    full = time.perf_counter() - start
    alone, batch = min(program("align", *paths[:2]) for _ in range(3)), min(program("align", *paths) for _ in range(3))
    each = (batch - alone) / (len(paths) - 2)
    line("pair of 4 min, command alone, start-up included", f"{full / alone:.1f} times faster", "30")
    line("pair of 4 min, each further one in a batch", f"{full / each:.1f} times faster", "30")
    from gullywind.core.align import align_recording, hear, prepare_reference

    prepared = prepare_reference(ArraySound(one, RATE_HZ))
    alone_s = []
    for path in paths[1:]:
        recording = hear(ArraySound(soundfile.read(path)[0], RATE_HZ))
        start = time.perf_counter()
        align_recording(prepared, recording)
        alone_s.append(time.perf_counter() - start)
    # The first of them loads what is loaded once.
    line("pair of 4 min, placing alone, both listened to", f"{full / np.median(alone_s):.1f} times faster", "30")


def tree_memory(process: "subprocess.Popen[bytes]", stop: threading.Event) -> list[int]:
    """Peak resident memory of a process tree, bytes, sampled."""
    peak = [0]

    def sample() -> None:
        while not stop.wait(0.05):
            total = 0
            for status in Path("/proc").glob("[0-9]*/status"):
                try:
                    text = status.read_text()
                except OSError:
                    continue
                pid = int(status.parent.name)
                parent = int(text.split("PPid:")[1].split()[0])
                if (pid == process.pid or parent == process.pid) and "VmRSS:" in text:
                    total += int(text.split("VmRSS:")[1].split()[0]) * 1024
            peak[0] = max(peak[0], total)

    threading.Thread(target=sample, daemon=True).start()
    return peak


def bench_memory(folder: Path) -> None:
    """Three hours against three hours."""
    rng = np.random.default_rng(4)
    base = talk(5, 300.0)
    paths = [folder / "long-reference.wav", folder / "long-recording.wav"]
    writers = [soundfile.SoundFile(str(path), "w", RATE_HZ, 2, "PCM_16") for path in paths]
    for i in range(36):
        gain = rng.uniform(0.5, 1.0, 300).repeat(RATE_HZ)[: base.size].astype(np.float32)
        block = np.roll(base, int(rng.integers(base.size))) * gain
        block = block + (rng.standard_normal(block.size) * 0.003).astype(np.float32)
        both = np.stack([block, block], 1)
        writers[0].write(both)
        skipped = both[7 * RATE_HZ :] if i == 0 else both
        writers[1].write(skipped + (rng.standard_normal(skipped.shape) * 0.005).astype(np.float32))
    for writer in writers:
        writer.close()
    stop = threading.Event()
    start = time.perf_counter()
    process = subprocess.Popen(
        [str(PROGRAM), "align", *map(str, paths), "--json", "-"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    peak = tree_memory(process, stop)
    out, _ = process.communicate()
    wall = time.perf_counter() - start
    stop.set()
    found = json.loads(out)["recordings"][0]
    line("3 h against 3 h: peak memory of the process tree", f"{peak[0] / 1e9:.2f} GB", "1")
    line(
        "3 h against 3 h: wall time against one spectrum of each",
        f"{wall / one_spectrum_of_each(paths):.2f} times",
        "1.5",
    )
    line(
        "3 h against 3 h: offset", f"{found['status']}, {abs((found['offset_s'] or 1e9) - 7) * 1e6:.2f} µs off", "right"
    )


def bench_precision(folder: Path) -> None:
    """Errors on copies, through another microphone, and of the clock."""
    from gullywind.core.align import align_recording, hear, prepare_reference

    copies, through, clocks = [], [], []
    for seed in range(24):
        rng = np.random.default_rng(seed)
        event = (talk(seed % 6, 120.0) if seed % 2 else piece(seed % 6, 120.0, looped=False)).astype(np.float64)
        prepared = prepare_reference(ArraySound(event, RATE_HZ))
        offset_s = float(rng.uniform(0, 60))
        rate_hz = int(rng.choice([48000, 44100, 96000]))
        if rate_hz == 48000:
            taken = clocked(event, offset_s, 1.0, 50.0)
            truth = offset_s
        else:
            first = int(offset_s * RATE_HZ)
            taken, truth = (
                soxr.resample(event[first : first + 50 * RATE_HZ], RATE_HZ, rate_hz, quality="VHQ"),
                first / RATE_HZ,
            )
        found = align_recording(prepared, hear(ArraySound(taken, rate_hz)))
        copies.append(abs(found.time_map.offset_s - truth) if found.time_map else 1.0)
        noisy = heard(event, SoundPath(0.4, rng.uniform(3, 12), rng.uniform(5, 25), "pink", microphone=True), rng)
        found = align_recording(
            prepared, hear(ArraySound(clocked(noisy, offset_s, 1 + rng.normal(0, 40) * 1e-6, 50.0), RATE_HZ))
        )
        through.append(abs(found.time_map.offset_s - offset_s) if found.time_map else 1.0)
    line(
        "copies, resampled or delayed by fractions: error",
        f"{np.median(copies) * 1e6:.3f} µs, worst {max(copies) * 1e6:.2f}",
        "1 µs, worst 5",
    )
    line("another microphone, noise and room: error", f"{np.median(through) * 1e6:.1f} µs median", "10 µs median")
    for seed in range(8):
        rng = np.random.default_rng(100 + seed)
        event = talk(seed, 620.0).astype(np.float64)
        ppm = float(rng.normal(0, 60))
        noisy = heard(event, SoundPath(0.4, rng.uniform(3, 12), rng.uniform(5, 25), "pink", microphone=True), rng)
        found = align_recording(
            prepare_reference(ArraySound(event, RATE_HZ)),
            hear(ArraySound(clocked(noisy, 3.0, 1 + ppm * 1e-6, 605.0), RATE_HZ)),
        )
        clocks.append(abs(found.time_map.clock_ppm - ppm) if found.time_map else 1e3)
    line(
        "clock over 10 min, room and noise: error",
        f"{np.percentile(clocks, 95):.4f} ppm at the 95th percentile",
        "0.05 ppm",
    )


def bench_render(folder: Path) -> None:
    """Residual delay against an ideal render, and speed."""
    from gullywind.core.maps.time_map import TimeMap
    from gullywind.core.render.warp import render

    times = np.arange(20 * RATE_HZ) / RATE_HZ
    rng = np.random.default_rng(8)
    parts = [(hz, rng.uniform(0, 6)) for hz in np.geomspace(60, 18000, 60)]

    def ideal(t: np.ndarray) -> np.ndarray:
        return np.asarray(sum(np.sin(2 * np.pi * hz * t + phase) for hz, phase in parts) / 60)

    placed = TimeMap.placement(0.123456789, 1.0000381, 20.0)
    rendered = render(ArraySound(ideal(times), RATE_HZ), placed, sample_rate_hz=RATE_HZ, samples=18 * RATE_HZ)[
        0
    ].astype(np.float64)
    wanted = ideal(1.0000381 * (times[: 18 * RATE_HZ] - 0.123456789))
    inside = slice(RATE_HZ, 17 * RATE_HZ)
    slope = np.gradient(wanted, 1 / RATE_HZ)[inside]
    delay_s = float(((rendered - wanted)[inside] * slope).sum() / (slope**2).sum())
    residual_db = 10 * np.log10(np.mean((rendered - wanted)[inside] ** 2) / np.mean(wanted[inside] ** 2))
    line("rendering at 38 ppm: residual delay; residual", f"{abs(delay_s) * 1e6:.5f} µs; {residual_db:.0f} dB", "1 µs")
    levels_db = []
    for hz in np.append(np.geomspace(50, 20000, 24), 19500):
        tone = ArraySound(np.sin(2 * np.pi * hz * times[: 4 * RATE_HZ]), RATE_HZ)
        heard_ = render(tone, TimeMap.placement(0.1234567, 1.0000381, 4.0), sample_rate_hz=RATE_HZ, samples=3 * RATE_HZ)
        levels_db.append(20 * np.log10(np.std(heard_[0, RATE_HZ : 2 * RATE_HZ].astype(np.float64)) * np.sqrt(2)))
    line("rendering at 38 ppm: flat to 20 kHz", f"within {np.abs(levels_db).max():.5f} dB", "0.01 dB")
    sound = ArraySound(rng.standard_normal((2, 120 * RATE_HZ)) * 0.1, RATE_HZ)
    start = time.perf_counter()
    render(sound, placed, sample_rate_hz=RATE_HZ, samples=120 * RATE_HZ)
    line("rendering, stereo, one thread", f"{120 / (time.perf_counter() - start):.0f} times real time", "")


BENCHES: dict[str, Callable[[Path], None]] = {
    "batch": bench_batch,
    "pair": bench_pair,
    "memory": bench_memory,
    "precision": bench_precision,
    "render": bench_render,
    "ways": bench_ways,
    "bend": bench_bending,
    "sound": bench_sound,
    "frames": bench_frames,
    "drag": bench_drag,
    "nudge": bench_nudge,
    "seek": bench_seek,
}


def main() -> int:
    for name in sys.argv[1:] or list(BENCHES):
        with tempfile.TemporaryDirectory(prefix="gullywind-bench-", dir=ROOT / ".local") as folder:
            BENCHES[name](Path(folder))
    print(f"(this process itself peaked at {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.1f} GB)")
    return 0


if __name__ == "__main__":
    sys.exit(main())

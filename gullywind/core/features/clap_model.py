"""What tells sharp sounds from others, as fitted by `scripts/claps.py` on 288 minutes of 2145 sharp sounds."""

CLAP_BIAS = -7.7888
#: One for each number that describes a moment (`claps.py`, `_described` and `_against_others`).
CLAP_WEIGHTS = (
    *(1.4139, -0.2217, -0.7328, 0.0740, -0.5365, 0.5259, -0.2236, 0.3668),
    *(-0.3843, -0.5611, 0.1188, -0.0934, 0.6917, 0.2763, -0.0139, 0.0994, 0.0063, -0.0845, 0.1278, 0.0801, -0.0328),
    *(0.2556, 0.0124, -0.1521, -0.1607, -0.0799),
    *(0.1948, 0.3496, -1.7094),
)

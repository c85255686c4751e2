"""What tells sharp sounds from others, as fitted by `scripts/claps.py` on 288 minutes of 2126 sharp sounds."""

CLAP_BIAS = -9.2094
#: One for each number that describes a moment (`claps.py`, `_described` and `_against_others`).
CLAP_WEIGHTS = (
    *(1.7698, -0.1858, -0.6350, 0.0206, -0.2482, 0.5431, -0.1886, 0.3435),
    *(-0.4587, -0.6173, 0.1196, -0.1750, 0.6608, 0.2607, -0.0951, 0.1635, 0.0812, -0.0823, 0.1565, 0.1527, 0.0020),
    *(0.2627, -0.0238, -0.1465, -0.1324, -0.0439),
    *(-0.1552, -0.0330, -2.2161),
)

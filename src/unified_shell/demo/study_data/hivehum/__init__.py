"""How strongly a hive hums at each pitch."""

import math

BANDS_HZ = tuple(range(100, 601, 25))


def strength(samples, rate, pitch):
    """Return the share of a recording's power at one pitch (Goertzel's filter)."""
    turn = 2 * math.cos(2 * math.pi * pitch / rate)
    before = last = 0.0
    for sample in samples:
        before, last = last, sample + turn * last - before
    power = before * before + last * last - turn * before * last
    whole = sum(sample * sample for sample in samples) * len(samples) / 2
    return power / whole if whole else 0.0


def spectrum(samples, rate):
    """Return (pitch in Hz, strength) for each band."""
    return [(pitch, strength(samples, rate, pitch)) for pitch in BANDS_HZ]

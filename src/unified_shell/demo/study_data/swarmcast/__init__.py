"""Foresees swarms: a hive whose hum rises above its usual pitch is likely to swarm."""

from hivehum import spectrum
from waggle import read

USUAL_HZ, SWARMING_HZ = 225, 400


def chance(samples, rate):
    """Return the chance of a swarm within a week, from 0 to 1."""
    bands = spectrum(samples, rate)
    power = sum(strength for _, strength in bands) or 1.0
    pitch = sum(hz * strength for hz, strength in bands) / power
    return min(1.0, max(0.0, (pitch - USUAL_HZ) / (SWARMING_HZ - USUAL_HZ)))


def chance_of(path):
    """Return the chance for a recording."""
    return chance(*read(path))

"""Reads and writes recordings of hives (WAV, one channel, 16 bit)."""

import array
import math
import wave


def read(path):
    """Return the samples, from -1 to 1, and their rate in Hz."""
    with wave.open(path) as file:
        raw = array.array("h", file.readframes(file.getnframes()))
        return [value / 32768 for value in raw], file.getframerate()


def write_hum(path, pitch, rate=4000, seconds=1.0):
    """Write the recording of a made-up hive that hums at one pitch, with an overtone."""
    count = int(rate * seconds)
    turn = 2 * math.pi * pitch / rate
    raw = array.array("h", (int(16000 * math.sin(turn * n) + 5000 * math.sin(2 * turn * n)) for n in range(count)))
    with wave.open(path, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(raw.tobytes())

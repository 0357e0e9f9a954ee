"""The command `hivehum`."""

import argparse

from hivehum import spectrum
from waggle import read


def main():
    parser = argparse.ArgumentParser(prog="hivehum", description="Show how a recorded hive hums.")
    parser.add_argument("recording")
    parser.add_argument("--version", action="version", version="hivehum 2.1.0")
    words = parser.parse_args()
    samples, rate = read(words.recording)
    for pitch, strength in spectrum(samples, rate):
        print("%4d Hz  %s" % (pitch, "=" * round(40 * strength)))
    return 0

"""The command `swarmcast`."""

import argparse
import os
import sys

from combgraph import bars
from swarmcast import chance_of
from waggle import write_hum


def main():
    parser = argparse.ArgumentParser(prog="swarmcast", description="Foresee which hives will swarm.")
    parser.add_argument("folder", nargs="?", default=".", help="where the recordings are")
    parser.add_argument("--sample", action="store_true", help="write three recordings there first")
    parser.add_argument("--version", action="version", version="swarmcast 1.2.0")
    words = parser.parse_args()
    if words.sample:
        os.makedirs(words.folder, exist_ok=True)
        for name, pitch in (("clover", 225), ("heather", 300), ("linden", 375)):
            write_hum(os.path.join(words.folder, name + ".wav"), pitch)
    names = sorted(name for name in os.listdir(words.folder) if name.endswith(".wav"))
    if not names:
        sys.stderr.write("swarmcast: no recording in %s\n" % words.folder)
        return 1
    rows = [(name[:-4], chance_of(os.path.join(words.folder, name))) for name in names]
    print("chance of a swarm within a week")
    print("\n".join(bars(rows)))
    return 0

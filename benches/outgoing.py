#!/usr/bin/env python3
"""10,000 commits to go out: `redshank outgoing` beside `git rev-list --objects` of the same.

    cargo build --release --locked && benches/outgoing.py [PROGRAM]

Prints the medians of rounds in turn and their ratio; exits with 1 if it is over what is wanted.
"""
import pathlib
import random
import statistics
import subprocess
import sys
import tempfile
import time

COMMITS = 10_000
ROUNDS = 5
WANTED = 3.0
WORDS = "tide level gauge harbour pier sounding wave moon spring neap buoy mooring log row".split()


def history(folder):
    """A history on `main`, by git's own fast-import (git-fast-import(1))."""
    dice = random.Random(7)
    out = []
    for nth in range(COMMITS):
        text = "".join(f"{' '.join(dice.choices(WORDS, k=9))} {nth}\n" for _ in range(20))
        message = f"Row {nth}\n\n{' '.join(dice.choices(WORDS, k=20))}\n"
        path = f"station{nth % 40}/row{nth % 400}.txt"
        out.append(
            f"commit refs/heads/main\nmark :{nth + 1}\n"
            f"committer Nia <nia@tidewatch.example> {1_700_000_000 + nth} +0000\n"
            f"data {len(message)}\n{message}"
            f"M 100644 inline {path}\ndata {len(text)}\n{text}\n"
        )
    git = ["git", "-C", folder]
    subprocess.run([*git, "init", "--quiet", "--initial-branch", "main"], check=True)
    subprocess.run([*git, "fast-import", "--quiet"], input="".join(out).encode(), check=True)
    subprocess.run([*git, "reset", "--quiet", "--hard", "main"], check=True)
    subprocess.run([*git, "remote", "add", "origin", "../hub.git"], check=True)


def timed(command, codes=(0,)):
    begun = time.perf_counter()
    ended = subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    took = time.perf_counter() - begun
    if ended.returncode not in codes:
        sys.exit(f"{command}: {ended.returncode}")
    return took


def main():
    default = pathlib.Path(__file__).parent.parent / "target/release/redshank"
    program = sys.argv[1] if len(sys.argv) > 1 else str(default)
    with tempfile.TemporaryDirectory() as folder:
        history(folder)
        ours = [program, "--root", folder, "outgoing", "origin/main", "--format", "json"]
        gits = ["git", "-C", folder, "rev-list", "--objects", "HEAD", "--not", "--remotes=origin"]
        timed(ours, (0, 1)), timed(gits)
        rounds = [(timed(ours, (0, 1)), timed(gits)) for _ in range(ROUNDS)]
    ours, gits = (statistics.median(side) for side in zip(*rounds))
    print(f"redshank outgoing {ours:.3f} s, git rev-list --objects {gits:.3f} s: {ours / gits:.2f}")
    sys.exit(ours / gits > WANTED)


main()

#!/usr/bin/env python3
"""How fast `check` reads, beside `cat` in the same run, and how much memory it takes.

    cargo fetch --locked; cargo build --release --locked
    benches/reading.py [--rounds 5] [--folder DIR]

Lays out 600 MB of source in 24,000 files, from the crates that Cargo has fetched, and lets `check` and `xargs -P2 cat` read
them in turn. Then `check` reads a single file of 5 GB with a key across the edge of what it reads at a time.
"""

import argparse
import json
import os
import pathlib
import statistics
import subprocess
import sys
import tempfile
import time

HERE = pathlib.Path(__file__).resolve().parent.parent
REDSHANK = HERE / "target" / "release" / "redshank"
FILES, TOTAL = 24_000, 600_000_000
TEXT = {".rs", ".c", ".h", ".md", ".toml", ".S", ".json", ".py", ".js", ".yml", ".txt"}


def sources():
    """Source files that Cargo has fetched, of which the mean size is the wanted one."""
    registry = pathlib.Path(os.environ.get("CARGO_HOME", pathlib.Path.home() / ".cargo")) / "registry" / "src"
    found = sorted(p for p in registry.rglob("*") if p.suffix in TEXT and p.is_file() and p.stat().st_size < 400_000)
    if not found:
        sys.exit(f"no sources under {registry}: run `cargo fetch` first")
    # The smallest are left out until the mean is right.
    by_size = sorted(found, key=lambda p: p.stat().st_size)
    sizes = [p.stat().st_size for p in by_size]
    total, first = sum(sizes), 0
    while total / (len(sizes) - first) < TOTAL / FILES and first < len(sizes) - 1:
        total -= sizes[first]
        first += 1
    return sorted(by_size[first:])


def lay_out(top):
    subprocess.run(["git", "init", "-q", top], check=True)
    chosen = sources()
    size = 0
    for nth in range(FILES):
        text = chosen[nth % len(chosen)].read_bytes()
        path = top / f"part{nth // len(chosen)}" / f"crate{nth % len(chosen) // 50}" / f"{nth}{chosen[nth % len(chosen)].suffix}"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text)
        size += len(text)
    return size


def seconds(command, top):
    start = time.perf_counter()
    subprocess.run(command, cwd=top, shell=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
    return time.perf_counter() - start


def memory(top):
    """The most memory that `check` takes, in kB."""
    said = subprocess.run(["/usr/bin/time", "-f", "%M", REDSHANK, "check", "-q"], cwd=top, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False)
    return int(said.stderr.split()[-1])


def large_file(top):
    """A file of 5 GB of lines, with keys that lie across edges of what is read at a time."""
    subprocess.run(["git", "init", "-q", top], check=True)
    line = b"gauge 17 level 1.204 m above datum, valid, sent by relay 3\n"
    block = line * ((1 << 20) // len(line) + 1)
    key = b"AKIA" + b"Q3ZJ5RM7TXK2WVBN"
    with open(top / "levels.txt", "wb") as out:
        # One byte longer than a window each, so that the edges wander over the keys.
        while out.tell() < 5_000_000_000:
            out.write(block[: (1 << 20) - len(key) - 1] + b" " + key + b"\n")


def main():
    asked = argparse.ArgumentParser()
    asked.add_argument("--rounds", type=int, default=5)
    asked.add_argument("--folder")
    asked.add_argument("--large", action="store_true", help="the file of 5 GB, too")
    asked = asked.parse_args()
    with tempfile.TemporaryDirectory(dir=asked.folder) as temporary:
        top = pathlib.Path(temporary) / "sources"
        size = lay_out(top)
        listing = "find . -path ./.git -prune -o -type f -print0"
        contenders = {"check": f"{REDSHANK} check -q", "cat": f"{listing} | xargs -0 -P2 -n100 cat"}
        times = {name: [] for name in contenders}
        for command in contenders.values():
            seconds(command, top)
        for _ in range(asked.rounds):
            for name, command in contenders.items():
                times[name].append(seconds(command, top))
        middle = {name: statistics.median(all_of) for name, all_of in times.items()}
        ratios = [a / b for a, b in zip(times["check"], times["cat"])]
        print(f"{FILES} files, {size / 1e6:.0f} MB: check {middle['check']:.2f} s, cat {middle['cat']:.2f} s; ratio of the medians "
              f"{middle['check'] / middle['cat']:.2f}, of the rounds {min(ratios):.2f} to {max(ratios):.2f} (2 wanted)")
        print(f"memory {memory(top) / 1000:.0f} MB (150 wanted)")
        if asked.large:
            top = pathlib.Path(temporary) / "large"
            top.mkdir()
            large_file(top)
            print(f"one file of {(top / 'levels.txt').stat().st_size / 1e9:.1f} GB: memory {memory(top) / 1000:.0f} MB (150 wanted)")
            said = subprocess.run([REDSHANK, "check", "--class", "secret", "--format", "json"], cwd=top, capture_output=True, check=False).stdout
            print(f"keys found: {sum(1 + len(found['also']) for found in json.loads(said)['findings'])}")


if __name__ == "__main__":
    main()

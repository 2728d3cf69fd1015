#!/usr/bin/env python3
"""How long the full-screen view takes, with 200,000 files in the working tree.

benches/live.py [--binary FILE] [--files N] [--rounds N]

Side by side: the whole of `redshank files --state candidate,tracked,ignored` and the view's first picture; then 200 keys, each until the screen
shows it, and each until its effect shows.
"""
import argparse
import fcntl
import os
import pathlib
import pty
import re
import select
import statistics
import struct
import subprocess
import tempfile
import termios
import time

from grounds import stations


class View:
    def __init__(self, binary, top):
        self.start = time.perf_counter()
        pid, self.terminal = pty.fork()
        if pid == 0:
            os.environ["TERM"] = "xterm-256color"
            os.execv(binary, [str(binary), "live", "--root", str(top)])
        fcntl.ioctl(self.terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 45, 140, 0, 0))
        self.pid = pid

    def wait(self, pattern):
        """Until what is drawn anew has that in it."""
        seen = b""
        while not re.search(pattern, seen):
            if not select.select([self.terminal], [], [], 30)[0]:
                raise TimeoutError(seen)
            seen += os.read(self.terminal, 65536)
        return time.perf_counter()

    def types(self, keys):
        os.write(self.terminal, keys)
        return time.perf_counter()

    def leave(self):
        os.write(self.terminal, b"\x03")
        os.waitpid(self.pid, 0)


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--binary", default="target/release/redshank")
    parser.add_argument("--files", type=int, default=200_000)
    parser.add_argument("--rounds", type=int, default=5)
    given = parser.parse_args()
    binary = pathlib.Path(given.binary).resolve()
    with tempfile.TemporaryDirectory() as work:
        top = pathlib.Path(work).resolve()
        stations(top, given.files)
        lists, pictures = [], []
        for _ in range(given.rounds):
            start = time.perf_counter()
            subprocess.run([binary, "files", "--root", top, "--state", "candidate,tracked,ignored"], stdout=subprocess.DEVNULL, check=True)
            lists.append((time.perf_counter() - start) * 1000)
            view = View(binary, top)
            pictures.append((view.wait(rb"commit:") - view.start) * 1000)
            view.leave()
        print(f"files: {statistics.median(lists):.0f} ms; first picture: {statistics.median(pictures):.0f} ms")
        view = View(binary, top)
        view.wait(rb"commit:")
        # What is found here comes once, a moment later.
        time.sleep(5)
        while select.select([view.terminal], [], [], 0.2)[0]:
            os.read(view.terminal, 65536)
        keys = []
        for nth in range(200):
            letter = bytes([ord("a") + nth % 26]) if nth % 8 else b"\x15"
            start = view.types(letter)
            shown = view.wait(re.escape(letter) if nth % 8 else rb"\x1b")
            keys.append((shown - start) * 1000)
            time.sleep(0.02)
        time.sleep(2)
        while select.select([view.terminal], [], [], 0.2)[0]:
            os.read(view.terminal, 65536)
        effects = []
        for _ in range(10):
            view.types(b"\x15")
            time.sleep(1)
            while select.select([view.terminal], [], [], 0.2)[0]:
                os.read(view.terminal, 65536)
            start = view.types(b"*.csv")
            effects.append((view.wait(rb"ignores") - start) * 1000)
        view.leave()
        keys.sort()
        print(f"a key shows: median {statistics.median(keys):.1f} ms, 99 of 100 {keys[int(len(keys) * 0.99)]:.1f} ms")
        print(f"its effect shows: median {statistics.median(effects):.0f} ms, most {max(effects):.0f} ms")


main()

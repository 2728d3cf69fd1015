#!/usr/bin/env python3
"""The program for Windows, under wine, in the order in which a person works: each command runs on a
copy of the demo by the program for this system, and on another by that for Windows, and both must say
and leave the same.

    sessions.py PROGRAM PROGRAM.exe GIT.exe

git is the real one of this system: GIT.exe (git.rs) hands each call over.
"""

import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from bridge import tools


class Person:
    """Somebody who types commands in a folder of their own."""

    def __init__(self, work, command, env):
        self.folder = work / "tidewatch"
        self.command = command
        self.env = env

    def run(self, *words):
        ended = subprocess.run(
            [*self.command, *words],
            cwd=self.folder,
            env=self.env,
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=300,
        )
        return ended.returncode, self.plain(ended.stdout), self.plain(ended.stderr)

    def plain(self, text):
        text = text.decode(errors="replace").replace("\r\n", "\n")
        # wine's own words.
        text = re.sub(r"(?m)^0x[0-9a-f]+:.*\n", "", text)
        # One may run a minute later than the other.
        text = re.sub(r"\d{4}-\d\d-\d\d \d\d:\d\d", "WHEN", text)
        text = re.sub(r"(?i)(\\\\\?\\)?z:[\\/]+", "/", text.replace("\\\\", "/"))
        return text.replace(str(self.folder), "HERE").replace("\\", "/")

    def git(self, *words):
        done = subprocess.run(["git", *words], cwd=self.folder, capture_output=True, check=True, env=self.env)
        return done.stdout.decode()

    def state(self):
        """What is on disk and staged, without git's own files."""
        files = {}
        for path in sorted(self.folder.rglob("*")):
            below = path.relative_to(self.folder)
            if below.parts[0] != ".git" and path.is_file() and not path.is_symlink():
                files[str(below)] = hash(path.read_bytes())
        return files, self.git("ls-files", "--stage")


SESSIONS = [
    ["survey", "--format", "json"],
    ["survey"],
    ["files", "--format", "json"],
    ["why", "gateway/target/debug", "dashboard/node_modules/a.js", "--format", "json"],
    ["try", "*.raw", "--format", "json"],
    ["draft", "--format", "json"],
    ["check", "--format", "json"],
    ["draft", "--write", "--yes"],
    ["check", "--format", "json"],
    ["tidy", "--format", "json"],
    ["tidy", "--apply", "--yes"],
    ["files", "--tree", "2"],
    ["rules", "--format", "json"],
    ["undo", "--yes"],
    ["undo", "--yes"],
    ["undo", "--list"],
    ["add", "--like", "soundings/2026-03-20.raw", "--width", "type", "--write", "--yes"],
    ["drop", "*.raw", "--write", "--yes"],
    ["untrack", "--ignored", "--yes"],
    ["hook", "on", "--yes"],
    ["hook", "status"],
    ["hook", "off", "--yes"],
    ["draft", "--attributes", "--write", "--yes"],
    ["rules", "--attributes", "--format", "json"],
    ["why", "--attributes", "gateway/src/main.rs", "--format", "json"],
    ["try", "--attributes", "*.raw -text", "--format", "json"],
    ["add", "--attributes", "*.raw -text", "--write", "--yes"],
    ["drop", "--attributes", "*.raw -text", "--write", "--yes"],
    ["undo", "--yes"],
    ["prove"],
    ["outgoing"],
    ["setup", "--yes", "--no-hook"],
    ["why", "nowhere.log"],
]


def main():
    program, windows, shim = (os.path.abspath(one) for one in sys.argv[1:4])
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder).resolve()
        (work / "home").mkdir()
        (work / "home/.gitconfig").write_text("[user]\n name = Nia\n email = nia@tidewatch.example\n")
        base = {
            **os.environ,
            "HOME": str(work / "home"),
            "GIT_CONFIG_NOSYSTEM": "1",
            "LC_ALL": "C.UTF-8",
            "TZ": "UTC",
        }
        under_wine = tools(work / "tools", shim, base)
        shutil.copy(windows, work / "tools/redshank.exe")
        people = []
        for name, command, env in [
            ("here", [program], base),
            ("there", ["wine", str(work / "tools/redshank.exe")], under_wine),
        ]:
            (work / name).mkdir()
            people.append(Person(work / name, command, env))
        here, there = people
        subprocess.run([program, "demo", "--files-only", here.folder], check=True, capture_output=True, env=base)
        shutil.copytree(here.folder, there.folder, symlinks=True)
        wrong = 0
        for words in SESSIONS:
            ours, theirs = here.run(*words), there.run(*words)
            line = "redshank " + " ".join(words)
            same_files = here.state() == there.state()
            if ours == theirs and same_files:
                print(f"same  {line}")
                continue
            wrong += 1
            print(f"OTHER {line}")
            for what, a, b in zip(("exit", "out", "err"), ours, theirs):
                if a != b:
                    show(what, a, b)
            if not same_files:
                (a, ai), (b, bi) = here.state(), there.state()
                print("  files:", sorted(set(a.items()) ^ set(b.items()))[:8])
                print("  index:", sorted(set(ai.split("\n")) ^ set(bi.split("\n")))[:8])
        print(f"{len(SESSIONS) - wrong} of {len(SESSIONS)} the same under wine")
        sys.exit(wrong > 0)


def show(what, a, b):
    if not isinstance(a, str):
        print(f"  {what}: {a} | {b}")
        return
    ours, theirs = a.split("\n"), b.split("\n")
    for one, other in list(zip(ours + [""] * len(theirs), theirs + [""] * len(ours)))[: max(len(ours), len(theirs))]:
        if one != other:
            print(f"  {what}: {one[:150]}\n   not: {other[:150]}")
            break


main()

#!/usr/bin/env python3
"""What the check before a commit costs: commits of 50 files in a repository of 200,000.

    cargo build --release --locked
    benches/commit.py [--rounds 7] [--folder DIR]

Every round commits three times, in turn: without a hook, with one that does nothing, and with Redshank's. git itself reads
its index again once there is any hook.
"""

import argparse
import pathlib
import statistics
import subprocess
import tempfile
import time

HERE = pathlib.Path(__file__).resolve().parent.parent
REDSHANK = HERE / "target" / "release" / "redshank"
FILES, FOLDERS, CHANGED = 200_000, 4_000, 50


def git(top, *words):
    who = ["-c", "user.name=Nia", "-c", "user.email=nia@tidewatch.example", "-c", "gc.auto=0"]
    subprocess.run(["git", *who, *words], cwd=top, check=True, stdout=subprocess.DEVNULL)


def lay_out(top):
    git(top, "init", "-q")
    for folder in range(FOLDERS):
        place = top / f"part{folder % 40}" / f"sub{folder // 40}"
        place.mkdir(parents=True)
        for nth in range(FILES // FOLDERS):
            (place / f"gauge{nth}.c").write_text(f"int level = {folder * 1000 + nth};\n")
    git(top, "add", ".")
    git(top, "commit", "-qm", "all")
    return [top / f"part{nth % 40}" / f"sub{nth}" / "gauge0.c" for nth in range(CHANGED)]


def commit(top, changed, hook, nth):
    for path in changed:
        path.write_text(f"int level = {nth};\n")
    git(top, "add", "-u", *[str(path.relative_to(top)) for path in changed])
    script = top / ".git" / "hooks" / "pre-commit"
    script.unlink(missing_ok=True)
    if hook == "empty hook":
        script.write_text("#!/bin/sh\nexit 0\n")
        script.chmod(0o755)
    elif hook == "redshank":
        subprocess.run([REDSHANK, "hook", "on", "-q"], cwd=top, check=True)
    start = time.perf_counter()
    git(top, "commit", "-qm", "some")
    return time.perf_counter() - start


def main():
    asked = argparse.ArgumentParser()
    asked.add_argument("--rounds", type=int, default=7)
    asked.add_argument("--folder")
    asked = asked.parse_args()
    with tempfile.TemporaryDirectory(dir=asked.folder) as temporary:
        top = pathlib.Path(temporary) / "tidewatch"
        top.mkdir()
        changed = lay_out(top)
        times = {"no hook": [], "empty hook": [], "redshank": []}
        for nth in range(asked.rounds + 1):
            for at, hook in enumerate(times):
                taken = commit(top, changed, hook, nth * 10 + at)
                if nth > 0:
                    times[hook].append(taken)
        middle = {hook: statistics.median(all_of) for hook, all_of in times.items()}
        for hook, seconds in middle.items():
            print(f"{hook}: {seconds * 1000:.0f} ms")
        print(f"more than with an empty hook: {(middle['redshank'] - middle['empty hook']) * 1000:.0f} ms (100 wanted)")


if __name__ == "__main__":
    main()

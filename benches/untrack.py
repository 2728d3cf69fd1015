#!/usr/bin/env python3
"""What it costs to stop tracking 100,000 files, and to take that back, beside git's own removal of them from its index.

    cargo build --release --locked
    benches/untrack.py [--rounds 5] [--folder DIR]

Every round runs, in turn and from the same index: `git rm -r --cached`, `redshank tidy --apply`, and `redshank undo`.
"""

import argparse
import pathlib
import shutil
import statistics
import subprocess
import tempfile
import time

HERE = pathlib.Path(__file__).resolve().parent.parent
REDSHANK = HERE / "target" / "release" / "redshank"
FILES, FOLDERS = 100_000, 2_000


def run(top, *words):
    start = time.perf_counter()
    subprocess.run([str(word) for word in words], cwd=top, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - start


def lay_out(top):
    run(top, "git", "init", "-q")
    (top / "package.json").write_text('{ "name": "kiosk" }\n')
    for folder in range(FOLDERS):
        place = top / "node_modules" / f"part{folder % 200}" / f"sub{folder // 200}"
        place.mkdir(parents=True)
        for nth in range(FILES // FOLDERS):
            (place / f"gauge{nth}.js").write_text(f"exports.level = {folder * 1000 + nth};\n")
    run(top, "git", "add", ".")
    run(top, "git", "-c", "user.name=Nia", "-c", "user.email=nia@tidewatch.example", "-c", "gc.auto=0",
        "commit", "-qm", "all of it, too early")


def main():
    asked = argparse.ArgumentParser()
    asked.add_argument("--rounds", type=int, default=5)
    asked.add_argument("--folder")
    asked = asked.parse_args()
    with tempfile.TemporaryDirectory(dir=asked.folder) as folder:
        top = pathlib.Path(folder)
        lay_out(top)
        index, kept = top / ".git" / "index", top / ".git" / "index-kept"
        shutil.copy(index, kept)
        times = {"git": [], "tidy": [], "undo": []}
        for _ in range(asked.rounds):
            times["git"].append(run(top, "git", "rm", "-r", "-q", "--cached", "node_modules"))
            shutil.copy(kept, index)
            times["tidy"].append(run(top, REDSHANK, "tidy", "--apply", "--yes", "-q"))
            times["undo"].append(run(top, REDSHANK, "undo", "--yes", "-q"))
            assert index.read_bytes() == kept.read_bytes(), "undo gives the index back byte for byte"
            shutil.rmtree(top / ".git" / "redshank")
        medians = {name: statistics.median(each) for name, each in times.items()}
        for name in ("tidy", "undo"):
            ratio = medians[name] / medians["git"]
            print(f"{name}: {medians[name]:.2f} s, git's own removal {medians['git']:.2f} s; ratio {ratio:.2f} (3 wanted)")


if __name__ == "__main__":
    main()

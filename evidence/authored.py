#!/usr/bin/env python3
"""What a draft and a tidy would ignore of what authors ship.

    cargo build --release --locked
    evidence/authored.py --packages DIR [--limit N]

--packages holds unpacked source packages, in which every file is somebody's. Each becomes a repository without ignore files of its own;
`draft --write` and `tidy --apply` run, and git says which files it would leave out. Ends with 1 if there are any.
"""

import argparse
import concurrent.futures
import os
import pathlib
import subprocess
import sys
import tempfile

HERE = pathlib.Path(__file__).resolve().parent
REDSHANK = pathlib.Path(os.environ.get("REDSHANK", HERE.parent / "target" / "release" / "redshank"))
NOT_THEIRS = (".cargo-ok", ".cargo_vcs_info.json", "Cargo.toml.orig", "PKG-INFO")  # the package manager's own


def ignored(package):
    """The name of a package, the number of its files, and those that would be left out."""
    with tempfile.TemporaryDirectory() as temporary:
        repository, home = pathlib.Path(temporary) / "repository", pathlib.Path(temporary) / "home"
        subprocess.run(["cp", "-a", package, repository], check=True)
        home.mkdir()
        for name in NOT_THEIRS:
            (repository / name).unlink(missing_ok=True)
        subprocess.run(["find", repository, "-name", ".gitignore", "-delete"], check=True)
        environment = {**os.environ, "HOME": str(home), "GIT_CONFIG_NOSYSTEM": "1"}
        run = lambda *words: subprocess.run(words, cwd=repository, env=environment, capture_output=True, check=False).stdout
        run("git", "init", "-q")
        there = {os.path.relpath(os.path.join(folder, name), repository)
                 for folder, _, names in os.walk(repository) if "/.git" not in folder for name in names}
        run(REDSHANK, "draft", "--write", "--yes")
        run(REDSHANK, "tidy", "--apply", "--yes")
        listed = run("git", "ls-files", "-o", "-c", "--exclude-standard", "-z").split(b"\0")
        return package.name, len(there), sorted(there - {os.fsdecode(path) for path in listed})


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--packages", type=pathlib.Path, required=True)
    arguments.add_argument("--limit", type=int)
    asked = arguments.parse_args()
    with concurrent.futures.ThreadPoolExecutor(2) as workers:
        rows = list(workers.map(ignored, sorted(asked.packages.iterdir())[: asked.limit]))
    files, lost = sum(count for _, count, _ in rows), sum(len(paths) for *_, paths in rows)
    for name, _, paths in rows:
        if paths:
            print(f"{name}: {len(paths)}, such as {', '.join(paths[:4])}")
    print(f"{len(rows)} packages, {files} files; ignored {lost}, {1000 * lost / max(files, 1):.2f} in 1,000")
    sys.exit(lost > 0)


if __name__ == "__main__":
    main()

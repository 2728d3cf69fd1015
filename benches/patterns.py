#!/usr/bin/env python3
"""How fast the rules are, beside git and find in the same run.

    cargo build --release --locked
    benches/patterns.py [--rounds 5] [--folder DIR]

Makes a tree of 200,000 files in 20,000 folders, half of the files in ignored folders, with 300 rules at the top and 40
nested ignore files, then prints medians and ratios. Every round runs all contenders once, in turn.
"""

import argparse
import os
import pathlib
import random
import resource
import statistics
import subprocess
import sys
import tempfile
import time

HERE = pathlib.Path(__file__).resolve().parent.parent
REDSHANK = HERE / "target" / "release" / "redshank"
FILES, FOLDERS, NESTED = 200_000, 20_000, 40


def rules(count, dice):
    """Rules as people write them: names, extensions, paths, a few with wildcards inside."""
    made = ["out/", "*.tmp"]
    kinds = [
        lambda n: f"name{n}",
        lambda n: f"*.ext{n}",
        lambda n: f"/part{n % 100}/only{n}/",
        lambda n: f"part{n % 100}/**/deep{n}",
        lambda n: f"gauge{n}_*.dat",
        lambda n: f"*_level{n}.[ch]",
        lambda n: f"!keep{n}.ext{n}",
    ]
    weights = [30, 30, 15, 5, 10, 8, 2]
    while len(made) < count:
        made.append(dice.choices(kinds, weights)[0](len(made)))
    return made


def make_tree(top):
    """Lays the tree out; gives the paths of all files."""
    dice = random.Random(1)
    subprocess.run(["git", "init", "-q", top], check=True)
    (top / ".gitignore").write_text("\n".join(rules(300, dice)) + "\n")
    paths = []
    for folder in range(FOLDERS):
        # A hundred parts; every other folder lies in an ignored one.
        part = top / f"part{folder % 100}" / f"sub{folder // 100 % 20}"
        place = (part / "out" if folder % 2 else part) / f"d{folder}"
        place.mkdir(parents=True)
        for nth in range(FILES // FOLDERS):
            path = place / f"{dice.choice(['gauge', 'level', 'tide'])}{nth}.{dice.choice(['c', 'h', 'rs', 'dat', 'md'])}"
            path.touch()
            paths.append(path)
        if folder % (FOLDERS // NESTED) == 0:
            (place / ".gitignore").write_text("*.bak\n/local/\n!keep.bak\n")
    tracked = [p for p in paths if "/out/" not in str(p)][:20_000]
    listing = "\0".join(str(p.relative_to(top)) for p in tracked)
    subprocess.run(["git", "add", "--pathspec-from-file=-", "--pathspec-file-nul"], cwd=top, input=listing, text=True, check=True)
    return [str(p.relative_to(top)) for p in paths]


def run(command, top, stdin=None):
    """Wall and CPU seconds of a command. Nobody reads what it says: a reader would take a core from those who use two."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    start = time.perf_counter()
    with open(stdin, "rb") if stdin else open(os.devnull, "rb") as given:
        subprocess.run(command, cwd=top, stdin=given, stdout=subprocess.DEVNULL, check=False)
    wall = time.perf_counter() - start
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return wall, cpu


def medians(contenders, top, rounds):
    """Runs all contenders in turn, so often; gives median wall and CPU seconds of each."""
    seen = {name: [] for name in contenders}
    for _ in range(rounds):
        for name, (command, stdin) in contenders.items():
            seen[name].append(run(command, top, stdin))
    return {n: (statistics.median(r[0] for r in s), statistics.median(r[1] for r in s)) for n, s in seen.items()}


def listing(top, rounds):
    files = [REDSHANK, "files", "--state", "candidate,tracked", "-z"]
    git = ["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"]
    find = ["find", ".", "-name", "out", "-prune", "-o", "-name", ".git", "-prune", "-o", "-type", "f", "-print0"]
    result = medians({"redshank": (files, None), "git": (git, None), "find": (find, None)}, top, rounds)
    said = [subprocess.run(command, cwd=top, stdout=subprocess.PIPE, check=True).stdout for command in (files, git)]
    same = sorted(said[0].split(b"\0")) == sorted(said[1].split(b"\0"))
    for name, (wall, cpu) in result.items():
        print(f"  {name:9} {wall * 1000:8.1f} ms wall {cpu * 1000:8.1f} ms CPU")
    ours, git, find = result["redshank"], result["git"], result["find"]
    print(f"  same set as git: {same}")
    print(f"  git/redshank wall {git[0] / ours[0]:.2f} (4 wanted); redshank/git CPU {ours[1] / git[1]:.2f} (0.6 at most); "
          f"redshank/find wall {ours[0] / find[0]:.2f} (1.5 at most)")


def memory(top):
    """Peak bytes for each listed file, over what the program takes on an empty folder."""
    def peak(folder):
        code = ("import resource,subprocess,sys;subprocess.run(sys.argv[1:],stdout=subprocess.DEVNULL);"
                "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)")
        command = [sys.executable, "-c", code, REDSHANK, "files", "--state", "candidate,tracked,ignored", "-z"]
        return int(subprocess.run(command, cwd=folder, stdout=subprocess.PIPE, check=True).stdout) * 1024
    with tempfile.TemporaryDirectory() as empty:
        base = peak(empty)
    print(f"  {(peak(top) - base) / FILES:.0f} bytes a listed file (200 at most)")


def questions(top, paths, rounds, work):
    dice = random.Random(2)
    asked = [dice.choice(paths) for _ in range(300_000)]
    for order, given in [("random", asked), ("sorted", sorted(asked))]:
        # git answers in step with their number, so a part of them measures it.
        part = given[:: 10 if order == "random" else 5]
        whole_file, part_file = work / "whole", work / "part"
        whole_file.write_text("".join(p + "\0" for p in given))
        part_file.write_text("".join(p + "\0" for p in part))
        why = [REDSHANK, "why", "--stdin", "-z", "--format", "jsonl"]
        git = ["git", "check-ignore", "--no-index", "--verbose", "--non-matching", "-z", "--stdin"]
        result = medians({"redshank": (why, whole_file), "git": (git, part_file)}, top, rounds)
        ours, theirs = result["redshank"][0] / len(given), result["git"][0] / len(part)
        wanted = 30 if order == "random" else 10
        print(f"  {order}: redshank {ours * 1e6:.2f} µs a path, git {theirs * 1e6:.1f} µs; ratio {theirs / ours:.1f} ({wanted} wanted)")


def many_rules(top, paths, rounds, work):
    dice = random.Random(3)
    file = work / "asked"
    file.write_text("".join(dice.choice(paths) + "\0" for _ in range(300_000)))
    (work / "none").write_text("")
    kept = (top / ".gitignore").read_bytes()
    why = [REDSHANK, "why", "--stdin", "-z", "--format", "jsonl"]
    last = None
    for count in [300, 3_000, 30_000]:
        (top / ".gitignore").write_text("\n".join(rules(count, random.Random(1))) + "\n")
        result = medians({"asked": (why, file), "start": (why, work / "none")}, top, rounds)
        path = (result["asked"][0] - result["start"][0]) / 300_000
        growth = f", {path / last:.2f} times the last (1.5 at most)" if last else ""
        print(f"  {count:6} rules: {path * 1e6:.2f} µs a path{growth}; start {result['start'][0] * 1000:.1f} ms")
        last = path
    (top / ".gitignore").write_bytes(kept)


def start_up(rounds):
    with tempfile.TemporaryDirectory() as empty:
        version = [REDSHANK, "--version"]
        result = medians({"version": (version, None), "true": (["true"], None)}, empty, rounds * 5)
    print(f"  --version {result['version'][0] * 1000:.1f} ms (`true` takes {result['true'][0] * 1000:.1f} ms; 5 at most)")


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--rounds", type=int, default=5)
    arguments.add_argument("--folder", type=pathlib.Path, help="where to keep the tree; without it, a temporary folder")
    asked = arguments.parse_args()
    for name in ("HOME", "XDG_CONFIG_HOME"):
        os.environ[name] = "/nonexistent"
    os.environ["GIT_CONFIG_NOSYSTEM"] = "1"
    with tempfile.TemporaryDirectory() as work:
        work = pathlib.Path(work)
        top = asked.folder or work / "tree"
        if not top.exists():
            top.mkdir(parents=True)
            make_tree(top)
        listed = subprocess.run(["find", ".", "-type", "f", "-not", "-path", "./.git/*", "-printf", "%P\\n"], cwd=top, stdout=subprocess.PIPE, text=True, check=True)
        paths = sorted(p for p in listed.stdout.splitlines() if not p.endswith(".gitignore"))
        print("listing what a commit would hold")
        listing(top, asked.rounds)
        print("memory")
        memory(top)
        print("questions about single paths")
        questions(top, paths, asked.rounds, work)
        print("ten times the rules")
        many_rules(top, paths, asked.rounds, work)
        print("start")
        start_up(asked.rounds)


if __name__ == "__main__":
    main()

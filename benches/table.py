#!/usr/bin/env python3
"""Where we stand beside git, `find` and `cat`, each figure measured beside the others in one run.

    cargo build --release --locked
    benches/table.py [ROW…] [--rounds 7] [--keep DIR] [--binary FILE]

Prints a line a figure: the median, the lowest and the highest, and what is wanted. Ends with 1 where that is missed. Rows:
"""

import argparse
import pathlib
import random
import re
import subprocess
import sys
import tempfile

import grounds
from contest import Command, environment, in_turn, peak, ratios

HERE = pathlib.Path(__file__).resolve().parent.parent


class Table:
    """Prints figures as they come, and remembers which ones miss what is wanted."""

    def __init__(self):
        self.missed = 0

    def line(self, what, figure, wanted, unit="x", at_least=False):
        """One figure, or a median with the lowest and the highest."""
        middle, *spread = figure if isinstance(figure, tuple) else (figure,)
        holds = middle >= wanted if at_least else middle <= wanted
        self.missed += not holds
        spread = f"({spread[0]:.2f}–{spread[1]:.2f})" if spread else ""
        print(f"{'  ' if holds else '! '}{what:62} {middle:8.2f} {unit:4} {spread:15} wanted {'≥' if at_least else '≤'} {wanted}", flush=True)


class Ground:
    def __init__(self, asked, work):
        self.ours, self.rounds, self.work, self.kept = asked.binary, asked.rounds, work, asked.keep or work

    def tree(self, maker):
        return grounds.lay_out(self.kept / maker.__name__, maker)


def listing(ground, table):
    """what a commit of everything would hold, beside git and find"""
    commands = {
        "ours": Command([ground.ours, "files", "--state", "candidate,tracked", "-z"]),
        "git": Command(["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"]),
        "find": Command("find . -name out -prune -o -name .git -prune -o -type f -print0"),
    }
    top = ground.tree(grounds.wide)
    said = [subprocess.run(commands[who].words, cwd=top, env=environment(), stdout=subprocess.PIPE, check=True).stdout for who in ("ours", "git")]
    if sorted(said[0].split(b"\0")) != sorted(said[1].split(b"\0")):
        sys.exit("listing: not the same set as git's")
    took = in_turn(commands, top, ground.rounds)
    table.line("listing: git's wall time over ours", ratios(took["git"].wall, took["ours"].wall), 6, at_least=True)
    table.line("listing: our CPU time over git's", ratios(took["ours"].cpu, took["git"].cpu), 0.3)
    table.line("listing: our wall time over find's", ratios(took["ours"].wall, took["find"].wall), 0.7)


def questions(ground, table):
    """100,000 questions about single paths, beside git"""
    top = ground.tree(grounds.wide)
    paths = all_paths(top)
    asked = random.Random(2).choices(paths, k=100_000)
    for order, given, wanted in [("random", asked, 40), ("sorted", sorted(asked), 10)]:
        file = ground.work / "asked"
        file.write_text("".join(path + "\0" for path in given))
        took = in_turn({
            "ours": Command([ground.ours, "why", "--stdin", "-z", "--format", "jsonl"], file),
            "git": Command(["git", "check-ignore", "--no-index", "--verbose", "--non-matching", "-z", "--stdin"], file),
        }, top, ground.rounds)
        table.line(f"100,000 questions, {order}, with the start: git over ours", ratios(took["git"].wall, took["ours"].wall), wanted, at_least=True)


def all_paths(top):
    listed = subprocess.run("find . -name .git -prune -o -type f -printf '%P\\n'", cwd=top, shell=True, stdout=subprocess.PIPE, text=True, check=True)
    return sorted(path for path in listed.stdout.splitlines() if not path.endswith(".gitignore"))


def many_rules(ground, table):
    """ten times the rules: what a rule and what a path costs"""
    top = ground.tree(grounds.wide)
    asked, none = ground.work / "asked", ground.work / "none"
    asked.write_text("".join(path + "\0" for path in random.Random(3).choices(all_paths(top), k=300_000)))
    none.write_text("")
    kept = (top / ".gitignore").read_bytes()
    why, seen = [ground.ours, "why", "--stdin", "-z", "--format", "jsonl"], {}
    try:
        for count in (300, 3_000, 30_000):
            (top / ".gitignore").write_text(grounds.rules(count))
            took = in_turn({"asked": Command(why, asked), "start": Command(why, none)}, top, ground.rounds)
            start = took["start"].middle
            seen[count] = (start, (took["asked"].middle - start) / len(range(300_000)))
    finally:
        (top / ".gitignore").write_bytes(kept)
    for fewer, more in ((300, 3_000), (3_000, 30_000)):
        table.line(f"{fewer} → {more} rules: time a path", seen[more][1] / seen[fewer][1], 1.5)
    table.line("loading, a rule", (seen[30_000][0] - seen[300][0]) / 29_700 * 1e6, 0.5, "µs")


def every_rule(ground, table):
    """`rules` with up to a million of them, beside git's own load"""
    before = None
    for count in (3_000, 30_000, 300_000, 1_000_000):
        top = ground.work / f"rules{count}"
        top.mkdir()
        grounds.git(top, "init", "-q")
        (top / ".gitignore").write_text(grounds.rules(count))
        for nth in range(100):
            (top / f"name{nth}").touch()
        one = ground.work / "one"
        one.write_text("name17\0")
        took = in_turn({
            "ours": Command([ground.ours, "rules"]),
            "git": Command(["git", "check-ignore", "--no-index", "-z", "--stdin"], one),
        }, top, ground.rounds)
        ours = took["ours"].middle
        if before and count < 1_000_000:
            table.line(f"`rules`: {count // 10} → {count} rules", ours / before, 12)
        if count == 1_000_000:
            table.line("`rules` of a million over git's load of them", ratios(took["ours"].wall, took["git"].wall), 2)
        before = ours


def whole_tree(ground, table):
    """survey, draft and check of 200,000 small files in 869 projects"""
    top = ground.tree(grounds.wide)
    took = in_turn({
        "sizes": Command("find . -name .git -prune -o -type f -printf '%s %p\\n'"),
        "read": Command("find . -name out -prune -o -name .git -prune -o -type f -print0 | xargs -0 -P2 -n500 cat"),
        "survey": Command([ground.ours, "survey"]),
        "draft": Command([ground.ours, "draft"]),
        "check": Command([ground.ours, "check"]),
    }, top, ground.rounds)
    table.line("survey over listing with sizes (find)", ratios(took["survey"].wall, took["sizes"].wall), 1.5)
    table.line("draft over listing with sizes (find)", ratios(took["draft"].wall, took["sizes"].wall), 1.5)
    table.line("check over listing and reading (find, cat)", ratios(took["check"].wall, took["read"].wall), 2)


def reading(ground, table):
    """check of 555 MB in 24,000 files, beside cat"""
    took = in_turn({
        "ours": Command([ground.ours, "check"]),
        "cat": Command("find . -path ./.git -prune -o -type f -print0 | xargs -0 -P2 -n100 cat"),
    }, ground.tree(grounds.large), ground.rounds)
    table.line("check of 555 MB over cat", ratios(took["ours"].wall, took["cat"].wall), 1.25)
    table.line("check of 555 MB: memory", peak([ground.ours, "check"], ground.tree(grounds.large)) / 1e6, 150, "MB")


def hook(ground, table):
    """a commit of 50 files in 200,000, beside one with an empty hook"""
    top = ground.tree(grounds.committed)
    script = top / ".git" / "hooks" / "pre-commit"
    changed = [f"part{nth % 40}/sub{nth}/gauge0.c" for nth in range(50)]
    level = iter(range(1_000_000))

    def prepared(put_hook):
        def prepare():
            text = f"int level = {next(level)};\n"
            for path in changed:
                (top / path).write_text(text)
            grounds.git(top, "add", "-u", *changed)
            script.unlink(missing_ok=True)
            put_hook()
        return prepare

    def empty():
        script.write_text("#!/bin/sh\nexit 0\n")
        script.chmod(0o755)

    def on():
        subprocess.run([ground.ours, "hook", "on", "-q"], cwd=top, env=environment(), check=True)

    who = ["-c", "user.name=Nia", "-c", "user.email=nia@tidewatch.example", "-c", "gc.auto=0"]
    commit = ["git", *who, "commit", "-qm", "some"]
    took = in_turn({name: Command(commit, before=prepared(put)) for name, put in [("empty", empty), ("ours", on)]}, top, ground.rounds * 2)
    more = [(a - b) * 1000 for a, b in zip(took["ours"].wall, took["empty"].wall)]
    table.line("hook: more than an empty one", ((took["ours"].middle - took["empty"].middle) * 1000, min(more), max(more)), 40, "ms")


def memory(ground, table):
    """bytes a listed file, in one folder of 500,000 and in 20,000 folders"""
    with tempfile.TemporaryDirectory() as empty:
        base = peak([ground.ours, "files", "-z"], empty)
    for maker, states, count in [(grounds.flat, "candidate", 500_000), (grounds.wide, "candidate,tracked,ignored", 200_000)]:
        taken = peak([ground.ours, "files", "--state", states, "-z"], ground.tree(maker)) - base
        table.line(f"memory a listed file: {maker.__doc__[:-1]}"[:61], taken / count, 150, "B")


def verdicts(_ground, table):
    """200,000 verdicts under one changed rule file, from one snapshot"""
    said = subprocess.run(["cargo", "bench", "-q", "-p", "redshank-worktree", "--bench", "overlay"], cwd=HERE, capture_output=True, text=True, check=True)
    median = re.search(r"[│├╰─ \w]+?([\d.]+) ms\s+│ ([\d.]+) ms\s+│ ([\d.]+) ms", said.stdout)
    table.line("200,000 verdicts anew", (float(median[3]), float(median[1]), float(median[2])), 30, "ms")


def monorepo(ground, table):
    """a million files in 1,000 projects, beside `git status` (only when asked for)"""
    top = ground.tree(grounds.monorepo)
    ways = {
        "survey": ["survey"],
        "draft": ["draft"],
        "check": ["check"],
        "files": ["files", "--state", "candidate,tracked,ignored"],
        "tidy": ["tidy"],
        "undo": ["undo", "--yes"],
    }
    commands = {name: Command([ground.ours, *words]) for name, words in ways.items()}
    # Something to undo, each time.
    write = [ground.ours, "draft", "--write", "--yes", "-q"]
    commands["undo"].before = lambda: subprocess.run(write, cwd=top, env=environment(), check=False, stdout=subprocess.DEVNULL)
    took = in_turn({"git": Command(["git", "status"]), **commands}, top, max(1, ground.rounds // 2))
    for name in ways:
        table.line(f"monorepo: {name} over git status", ratios(took[name].wall, took["git"].wall), 4)
    for name, words in ways.items():
        if commands[name].before:
            commands[name].before()
        table.line(f"monorepo: {name}, memory", peak([ground.ours, *words], top) / 1e6, 400, "MB")


ROWS = {row.__name__.replace("_", "-"): row for row in (listing, questions, many_rules, every_rule, whole_tree, reading, hook, memory, verdicts, monorepo)}


def main():
    rows = "\n".join(f"    {name:12} {row.__doc__}" for name, row in ROWS.items())
    parser = argparse.ArgumentParser(description=__doc__ + "\n" + rows, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("rows", nargs="*", choices=[[], *ROWS], metavar="ROW", help="only these; without any, all but the last")
    parser.add_argument("--rounds", type=int, default=7)
    parser.add_argument("--keep", type=pathlib.Path, help="where the trees are kept for another time")
    parser.add_argument("--binary", type=pathlib.Path, default=HERE / "target" / "release" / "redshank")
    asked = parser.parse_args()
    asked.binary = asked.binary.resolve()
    table = Table()
    with tempfile.TemporaryDirectory() as work:
        ground = Ground(asked, pathlib.Path(work))
        for name in asked.rows or [name for name in ROWS if name != "monorepo"]:
            ROWS[name](ground, table)
    sys.exit(table.missed > 0)


if __name__ == "__main__":
    main()

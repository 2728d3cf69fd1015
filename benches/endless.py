#!/usr/bin/env python3
"""What long lines and many rules cost: a megabyte in one line beside the same bytes in lines of eighty, and rules beside git.

    cargo build --release --locked
    benches/endless.py [--rounds 5]

Everything is measured in turn, in one run; the figures are ratios of medians.
"""

import argparse
import pathlib
import random
import statistics
import subprocess
import tempfile
import time

HERE = pathlib.Path(__file__).resolve().parent.parent
REDSHANK = HERE / "target" / "release" / "redshank"
WORDS = ["const", "function", "return", "password", "token", "api_key", "value", "if(x)", "x=1;", '"foo"', "{", "}", "import", "=>"]


def took(words, top):
    start = time.perf_counter()
    subprocess.run(words, cwd=top, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    return time.perf_counter() - start


def in_lines(text):
    return "\n".join(text[at : at + 80] for at in range(0, len(text), 80))


def medians(rounds, *measured):
    return [statistics.median(times) for times in zip(*[[measure() for measure in measured] for _ in range(rounds)])]


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--rounds", type=int, default=5)
    rounds = parser.parse_args().rounds
    chance = random.Random(1)
    texts = {"source": " ".join(chance.choices(WORDS, k=180_000))[: 1 << 20]}
    for unit in ['--password="x', 'token="x', "secret_", "fm2_", "password=", "://a:b@"]:
        texts[f"dense {unit}"] = (unit * (1 << 20))[: 1 << 20]
    with tempfile.TemporaryDirectory() as folder:
        for name, text in texts.items():
            tops = []
            for kind, content in [("one", text), ("lines", in_lines(text))]:
                top = pathlib.Path(folder, f"{name.replace('/', '_')}-{kind}")
                top.mkdir()
                subprocess.run(["git", "init", "-q"], cwd=top, check=True)
                (top / "a.env").write_text(content)
                subprocess.run(["git", "add", "--all", "--force"], cwd=top, check=True)
                tops.append(top)
            check = [REDSHANK, "check", "--staged"]
            one, lines = medians(rounds, lambda: took(check, tops[0]), lambda: took(check, tops[1]))
            print(f"1 MiB in one line, {name}: {one / lines:.2f} of the same in lines of 80 ({one * 1000:.0f} ms)")
        top = pathlib.Path(folder, "rules")
        top.mkdir()
        subprocess.run(["git", "init", "-q"], cwd=top, check=True)
        for nth in range(200):
            (top / f"f{nth}.txt").write_text("x")
        for many in (30_000, 300_000, 1_000_000):
            forms = ["/dir{0}/sub/file{0}.txt", "*.ext{0}", "name{0}/", "a*b{0}?c"]
            (top / ".gitignore").write_text("".join(forms[nth % 4].format(nth) + "\n" for nth in range(many)))
            listed = ["git", "ls-files", "--others", "--exclude-standard"]
            ours, rules, git = medians(
                max(1, rounds // 2),
                lambda: took([REDSHANK, "files", "--state", "candidate", "-z"], top),
                lambda: took([REDSHANK, "check"], top),
                lambda: took(listed, top),
            )
            print(f"{many:,} rules: listing {ours / git:.2f}, check {rules / git:.2f} of the time of git ls-files ({git:.2f} s)")


main()

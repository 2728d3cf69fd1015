#!/usr/bin/env python3
"""How many instructions six fixed workloads take, beside what they took when benches/instructions.json was written.

    CARGO_PROFILE_RELEASE_STRIP=false cargo build --release --locked
    benches/instructions.py [--write] [--binary FILE]

Counted by callgrind, on one thread, without the calls of git. Ends with 1 where a workload takes over a tenth more, and names
the function that grew most. `--write` writes the file anew, for a change that is worth its price.
"""

import argparse
import json
import os
import pathlib
import re
import subprocess
import sys
import tempfile

import grounds
from contest import environment

HERE = pathlib.Path(__file__).resolve().parent
COUNTS = HERE / "instructions.json"
#: How much more a workload may take.
MORE = 1.1
#: Of so many functions the count is kept.
FUNCTIONS = 25


def workloads(top, work):
    """The name of each, its words, and what it reads from the standard input."""
    asked = work / "asked"
    asked.write_text("".join(f"part{nth % 20}/sub{nth % 7}/d{nth}/gauge{nth % 13}.c\0" for nth in range(5_000)))
    many = work / "many"
    many.mkdir()
    grounds.git(many, "init", "-q")
    (many / ".gitignore").write_text(grounds.rules(4_000))
    return {
        "listing": (top, ["files", "--state", "candidate,tracked,ignored", "-z"], os.devnull),
        "questions": (top, ["why", "--stdin", "-z", "--format", "jsonl"], asked),
        "rules": (many, ["rules"], os.devnull),
        "survey": (top, ["survey"], os.devnull),
        "draft": (top, ["draft"], os.devnull),
        "check": (top, ["check"], os.devnull),
    }


def counted(binary, top, words, stdin, out):
    """The instructions of a run: all, and those of the functions that take most."""
    call = ["valgrind", "--tool=callgrind", f"--callgrind-out-file={out}", str(binary), *words]
    with open(stdin, "rb") as given:
        ran = subprocess.run(call, cwd=top, stdin=given, env={**environment(), "RAYON_NUM_THREADS": "1"}, check=False, capture_output=True, text=True)
    if ran.returncode not in (0, 1) or not out.exists():
        sys.exit(f"{' '.join(words)}: {ran.stderr}")
    said = subprocess.run(["callgrind_annotate", "--threshold=100", "--auto=no", out], check=True, capture_output=True, text=True).stdout
    functions = {}
    for count, name in re.findall(r"^ *([\d,]+) \([ \d.]+%\)  [^:\n]*:(.*?)(?: \[.*)?$", said, re.MULTILINE):
        # Without the hash of a symbol, which changes with every build.
        name = re.sub(r"::h[0-9a-f]{16}|'\d+$", "", name)
        functions[name] = functions.get(name, 0) + int(count.replace(",", ""))
    return sum(functions.values()), dict(sorted(functions.items(), key=lambda one: -one[1])[:FUNCTIONS])


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--write", action="store_true")
    parser.add_argument("--binary", type=pathlib.Path, default=HERE.parent / "target" / "release" / "redshank")
    asked = parser.parse_args()
    binary = asked.binary.resolve()
    known = json.loads(COUNTS.read_text()) if COUNTS.exists() else {}
    now, grew = {}, False
    with tempfile.TemporaryDirectory() as work:
        work = pathlib.Path(work)
        top = grounds.lay_out(work / "small", grounds.small)
        for name, (place, words, stdin) in workloads(top, work).items():
            total, functions = counted(binary, place, words, stdin, work / f"{name}.out")
            now[name] = {"instructions": total, "functions": functions}
            before = known.get(name)
            if not before:
                print(f"  {name:10} {total:14,}  not known yet")
                continue
            ratio = total / before["instructions"]
            print(f"{'! ' if ratio > MORE else '  '}{name:10} {total:14,}  {ratio:.3f} of what is written down")
            if ratio > MORE:
                grew = True
                more = {one: count - before["functions"].get(one, 0) for one, count in functions.items()}
                most = max(more, key=more.get)
                print(f"    {most} grew most: from {before['functions'].get(most, 0):,} to {functions[most]:,}")
    if asked.write:
        COUNTS.write_text(json.dumps(now, indent=1) + "\n")
        return
    sys.exit(grew or set(now) != set(known))


if __name__ == "__main__":
    main()

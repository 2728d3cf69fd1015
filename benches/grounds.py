"""The trees that are measured on. Each is laid out the same way every time; `lay_out` keeps one that is there already."""

import os
import pathlib
import random
import subprocess
import sys

from contest import environment

#: What makes a folder a project, and what lies in it that isn't its work.
KINDS = [
    ({"Cargo.toml": "[package]\nname = \"gauge\"\n", "src/main.rs": "fn main() {}\n"}, "target/debug"),
    ({"package.json": "{\"name\": \"gauge\"}\n", "index.js": "module.exports = 1;\n"}, "node_modules/level"),
    ({"pyproject.toml": "[project]\nname = \"gauge\"\n", "gauge.py": "LEVEL = 1\n"}, "__pycache__"),
    ({"go.mod": "module tidewatch.example/gauge\n", "main.go": "package main\n"}, "out"),
    ({"pom.xml": "<project/>\n", "src/main/java/Gauge.java": "class Gauge {}\n"}, "target/classes"),
    ({"CMakeLists.txt": "project(gauge C)\n", "gauge.c": "int level = 1;\n"}, "build"),
    ({"composer.json": "{\"name\": \"tide/gauge\"}\n", "gauge.php": "<?php $level = 1;\n"}, "vendor/tide"),
    ({"Gemfile": "source 'https://gems.example'\n", "gauge.rb": "LEVEL = 1\n"}, "out"),
]
TEXT = {".rs", ".c", ".h", ".md", ".toml", ".S", ".json", ".py", ".js", ".yml", ".txt"}


def git(top, *words, said=None):
    who = ["-c", "user.name=Nia", "-c", "user.email=nia@tidewatch.example", "-c", "gc.auto=0"]
    subprocess.run(["git", *who, *words], cwd=top, check=True, input=said, env=environment(), stdout=subprocess.DEVNULL)


def lay_out(top, maker):
    if not top.exists():
        print(f"laying out {top.name} …", file=sys.stderr)
        top.mkdir(parents=True)
        git(top, "init", "-q")
        maker(top)
    return top


def stations(top, files):
    """A repository of so many empty files, 200 in a folder."""
    git(top.parent, "init", "-q", str(top))
    for folder in range(files // 200):
        place = top / f"station-{folder % 40}" / f"year-{folder}"
        place.mkdir(parents=True)
        for number in range(200):
            (place / f"level-{number}.{'raw' if number % 3 else 'csv'}").touch()


def rules(count):
    """Rules as people write them: names, extensions, paths, a few with wildcards inside."""
    dice = random.Random(1)
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
    while len(made) < count:
        made.append(dice.choices(kinds, [30, 30, 15, 5, 10, 8, 2])[0](len(made)))
    return "\n".join(made) + "\n"


def put(folder, contents):
    for name, text in contents.items():
        place = folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)


def wide(top):
    """200,000 files in 20,000 folders, half of them ignored, 869 small projects, 300 rules and 40 nested ignore files."""
    dice = random.Random(1)
    (top / ".gitignore").write_text(rules(300))
    tracked = []
    for folder in range(20_000):
        # A hundred parts; every other folder lies in an ignored one.
        part = top / f"part{folder % 100}" / f"sub{folder // 100 % 20}"
        place = (part / "out" if folder % 2 else part) / f"d{folder}"
        place.mkdir(parents=True)
        for nth in range(10):
            kind, end = dice.choice(["gauge", "level", "tide"]), dice.choice(["c", "h", "rs", "dat", "md"])
            path = place / f"{kind}{nth}.{end}"
            path.write_text(f"int level = {folder * 10 + nth};\n")
            if not folder % 2 and len(tracked) < 20_000:
                tracked.append(str(path.relative_to(top)))
        if folder % 500 == 0:
            (place / ".gitignore").write_text("*.bak\n/local/\n!keep.bak\n")
        if folder % 23 == 0:
            put(place, KINDS[folder % len(KINDS)][0])
    git(top, "add", "--pathspec-from-file=-", "--pathspec-file-nul", said="\0".join(tracked).encode())


def flat(top):
    """One folder of 500,000 files."""
    folder = os.open(top, os.O_DIRECTORY)
    for nth in range(500_000):
        os.close(os.open(f"level-{nth:06}.dat", os.O_CREAT, 0o644, dir_fd=folder))
    os.close(folder)


def committed(top):
    """200,000 files, all committed."""
    for folder in range(4_000):
        place = top / f"part{folder % 40}" / f"sub{folder // 40}"
        place.mkdir(parents=True)
        for nth in range(50):
            (place / f"gauge{nth}.c").write_text(f"int level = {folder * 1000 + nth};\n")
    git(top, "add", ".")
    git(top, "commit", "-qm", "all")


def sources():
    """Source files that Cargo has fetched, of which the mean size is 23 kB."""
    registry = pathlib.Path(os.environ.get("CARGO_HOME", pathlib.Path.home() / ".cargo")) / "registry" / "src"
    found = [p for p in registry.rglob("*") if p.suffix in TEXT and p.is_file() and p.stat().st_size < 400_000]
    if not found:
        sys.exit(f"no sources under {registry}: run `cargo fetch` first")
    # The smallest are left out until the mean is right.
    found.sort(key=lambda p: p.stat().st_size)
    sizes = [p.stat().st_size for p in found]
    total, first = sum(sizes), 0
    while total / (len(sizes) - first) < 23_125 and first < len(sizes) - 1:
        total -= sizes[first]
        first += 1
    return sorted(found[first:])


def large(top):
    """555 MB of foreign source in 24,000 files."""
    chosen = sources()
    for nth in range(24_000):
        of = chosen[nth % len(chosen)]
        path = top / f"part{nth // len(chosen)}" / f"crate{nth % len(chosen) // 50}" / f"{nth}{of.suffix}"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(of.read_bytes())


def monorepo(top):
    """1,000,000 files in 1,000 projects of eight types; 600,000 of them ignored, the rest tracked."""
    (top / ".gitignore").write_text("target/\nnode_modules/\n__pycache__/\nout/\nbuild/\nvendor/\n")
    for nth in range(1_000):
        contents, litter = KINDS[nth % len(KINDS)]
        place = top / f"area{nth // 50}" / f"project{nth}"
        put(place, contents)
        for folder, names in [("lib", 400 - len(contents)), (litter, 600)]:
            for part in range(-(-names // 20)):
                inner = place / folder / f"d{part}"
                inner.mkdir(parents=True)
                for name in range(min(20, names - part * 20)):
                    (inner / f"level{name}.c").write_text(f"int level = {nth * 1000 + part * 20 + name};\n")
    git(top, "add", ".")
    git(top, "commit", "-qm", "all")


def small(top):
    """5,000 files in 500 folders, 40 projects, 300 rules; and 4 MB of text with words that credentials begin with."""
    dice = random.Random(7)
    (top / ".gitignore").write_text(rules(300))
    for folder in range(500):
        part = top / f"part{folder % 20}" / f"sub{folder // 20 % 5}"
        place = (part / "out" if folder % 2 else part) / f"d{folder}"
        put(place, {f"{dice.choice(['gauge', 'level', 'tide'])}{nth}.{dice.choice(['c', 'rs', 'dat'])}": f"int level = {nth};\n" for nth in range(10)})
        if folder % 12 == 0:
            put(place, KINDS[folder // 12 % len(KINDS)][0])
    words = ["const", "function", "password", "token", "value", "if(x)", "x=1;", '"foo"', "{", "}", "import", "level", "gauge", "\n"]
    for nth in range(16):
        put(top / "text", {f"{nth}.js": " ".join(dice.choices(words, k=40_000))})

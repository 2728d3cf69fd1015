#!/usr/bin/env python3
"""What `check` and `tidy` say of packages that others published.

    cargo build --release --locked
    evidence/findings.py [--only NAME,...] [--cache DIR] [--unjudged] [--plans] [--write]

Fetches the packages of packages.toml from their registries, puts each into a repository of its own, runs `check` and plans a
`tidy`, and holds each finding against judged.toml, where somebody who read it says what it is: right, a fixture, a stand-in, or
wrong. A finding that nobody judged makes the run fail; --unjudged prints those, one a line, and
--plans each step that tidy would take. --write puts the table into
docs/findings.md.
"""

import argparse
import collections
import concurrent.futures
import datetime
import json
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
import tomllib
import urllib.request

HERE = pathlib.Path(__file__).resolve().parent
REDSHANK = pathlib.Path(os.environ.get("REDSHANK", HERE.parent / "target" / "release" / "redshank"))
PAGE = HERE.parent / "docs" / "findings.md"
VERDICTS = ("right", "fixture", "stand-in", "wrong")
PLANTS = ("<!-- measured: plants -->", "<!-- end of plants -->")
MARKS = ("<!-- measured: packages -->", "<!-- end of what is measured -->")


def get(address, accept="*/*"):
    request = urllib.request.Request(address, headers={"User-Agent": "redshank evidence", "Accept": accept})
    with urllib.request.urlopen(request, timeout=180) as answer:
        return answer.read()


def address(registry, name, version):
    if registry == "crates":
        return f"https://static.crates.io/crates/{name}/{name}-{version}.crate"
    if registry == "npm":
        return f"https://registry.npmjs.org/{name}/-/{name.rsplit('/', 1)[-1]}-{version}.tgz"
    about = json.loads(get(f"https://pypi.org/simple/{name}/", "application/vnd.pypi.simple.v1+json"))
    wanted = re.compile(r"[-_.]".join(re.split(r"[-_.]", name)) + f"-{re.escape(version)}\\.tar\\.gz", re.IGNORECASE)
    return next(one["url"] for one in about["files"] if wanted.fullmatch(one["filename"]))


def fetched(package, cache):
    """The unpacked package, from the cache or its registry."""
    registry, name, version = package
    folder = cache / registry / f"{name.replace('/', '+')}-{version}"
    if not folder.exists():
        packed = folder.with_name(folder.name + ".packed")
        packed.parent.mkdir(parents=True, exist_ok=True)
        packed.write_bytes(get(address(*package)))
        unpacked = folder.with_name(folder.name + ".part")
        shutil.rmtree(unpacked, ignore_errors=True)
        with tarfile.open(packed) as archive:
            archive.extractall(unpacked, filter="data")
        packed.unlink()
        unpacked.rename(folder)
    inner = list(folder.iterdir())
    return inner[0] if len(inner) == 1 and inner[0].is_dir() else folder


def said(top, *arguments):
    command = [REDSHANK, "--root", top, *arguments, "--format", "json"]
    run = subprocess.run(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, check=False, timeout=600)
    if run.returncode not in (0, 1):
        sys.exit(f"{top}: {run.stderr.decode(errors='replace')}")
    return json.loads(run.stdout)


def findings_of(package, cache):
    """The number of its files, its findings as (rule, level, path, line, message), and the steps that tidy plans."""
    source = fetched(package, cache)
    with tempfile.TemporaryDirectory() as folder:
        top = pathlib.Path(folder) / source.name
        shutil.copytree(source, top, symlinks=True)
        subprocess.run(["git", "init", "-q", top], check=True)
        files = sum(len(names) for at, _, names in os.walk(top) if ".git" not in pathlib.Path(at).parts)
        found = said(top, "check")["findings"]
        steps = said(top, "tidy")["steps"]
    places = []
    for one in found:
        places.append((one["rule"], one["level"], one["path"], one.get("line"), one["message"]))
    return files, places, steps


def judged():
    """What somebody said of findings, by package, rule and path."""
    said_of = {}
    for row in tomllib.loads((HERE / "judged.toml").read_text()).get("judged", []):
        if row["verdict"] not in VERDICTS:
            sys.exit(f"judged.toml: no such verdict: {row['verdict']}")
        said_of |= {(row["package"], row["rule"], path): row["verdict"] for path in row["paths"]}
    return said_of


def is_wrong(level, what):
    """Whether whoever reads the list is told something that isn't so."""
    return what == "wrong" or what in ("fixture", "stand-in") and level != "note"


def table_of(counts, files, packages):
    """The table of the page."""
    kinds = collections.defaultdict(collections.Counter)
    for (kind, level, what), count in counts.items():
        kinds[kind, level]["all"] += count
        kinds[kind, level]["wrong"] += count if is_wrong(level, what) else 0
    day, version = datetime.date.today(), said_version()
    lines = [f"{day}, {version}: {packages} packages, {files:,} files.", "",
             "| class, level | findings | wrong | wrong in 1,000 files |", "| --- | --- | --- | --- |"]
    for (kind, level), count in sorted(kinds.items()):
        lines.append(f"| {kind}, {level} | {count['all']} | {count['wrong']} | {1000 * count['wrong'] / files:.2f} |")
    total = sum(count["wrong"] for count in kinds.values())
    lines.append(f"| all | {sum(count['all'] for count in kinds.values())} | {total} | {1000 * total / files:.2f} |")
    return lines


def recall():
    """The recall by family, as the corpus test says it."""
    command = ["cargo", "test", "--offline", "--quiet", "-p", "redshank", "--test", "it", "credentials_are_told", "--", "--nocapture"]
    run = subprocess.run(command, cwd=HERE.parent, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, check=False)
    rows = re.findall(r"^recall: (\w+) (\d+) of (\d+)$", run.stdout.decode(), re.MULTILINE)
    hit, all_of = sum(int(row[1]) for row in rows), sum(int(row[2]) for row in rows)
    lines = ["| family | found |", "| --- | --- |", *(f"| {name} | {hits} of {of} |" for name, hits, of in rows)]
    return lines + [f"| all | {hit} of {all_of} ({100 * hit / all_of:.1f}%) |"]


def said_version():
    run = subprocess.run([REDSHANK, "--version"], stdout=subprocess.PIPE, check=True)
    return run.stdout.decode().split(" (")[0].strip()


def write(lines, marks):
    page = PAGE.read_text()
    before, rest = page.split(marks[0])
    after = rest.split(marks[1])[1]
    PAGE.write_text(before + "\n".join([marks[0], *lines, marks[1]]) + after)


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--only", default="")
    arguments.add_argument("--cache", type=pathlib.Path, default=pathlib.Path.home() / ".cache" / "redshank-evidence")
    arguments.add_argument("--unjudged", action="store_true")
    arguments.add_argument("--plans", action="store_true")
    arguments.add_argument("--write", action="store_true")
    options = arguments.parse_args()
    table = tomllib.loads((HERE / "packages.toml").read_text())
    packages = [(registry, name, version) for registry, names in table.items() for name, version in names.items()]
    if options.only:
        packages = [one for one in packages if one[1] in options.only.split(",")]
    rows = judged()
    files, counts, open_ones, steps = 0, collections.Counter(), [], collections.Counter()
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        for package, answer in zip(packages, pool.map(lambda one: findings_of(one, options.cache), packages)):
            here, found, plan = answer
            files += here
            for rule, level, path, line, message in found:
                what = rows.get((package[1], rule, path))
                if what is None:
                    open_ones.append((package[1], rule, level, path, line, message))
                counts[rule.split("/")[0], level, what or "unjudged"] += 1
            for step in plan:
                steps[step["act"]] += 1
                if options.plans:
                    print(package[1], step["act"], step.get("pattern") or step["path"], step["files"], sep="\t")
    print(f"{len(packages)} packages, {files} files")
    for (kind, level, what), count in sorted(counts.items()):
        print(f"{kind:10} {level:8} {what:10} {count:6} {1000 * count / files:8.2f} in 1,000 files")
    lines = table_of(counts, files, len(packages))
    if options.write and not open_ones and not options.only:
        write(lines, MARKS)
        write(recall(), PLANTS)
    print("tidy:", ", ".join(f"{kind} {count}" for kind, count in sorted(steps.items())))
    if options.unjudged:
        for one in open_ones:
            print("\t".join(str(part) for part in one))
    sys.exit(1 if open_ones else 0)


if __name__ == "__main__":
    main()

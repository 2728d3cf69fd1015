#!/usr/bin/env python3
"""What each kind of evidence of a file's origin is worth, measured.

    cargo build --release --locked
    pip install numpy scipy
    evidence/origin.py --projects DIR [--authored DIR] [--write] [--check]

--projects holds NAME.tar.xz, each a project as its tools left it, and NAME.json, which lists its `source`, `kept` and `generated`
files. --authored holds unpacked source packages, in which every file is somebody's. Every file is judged by every witness
(`files --origin`). The weights are those of a logistic regression, in decibans: ten times the decimal logarithm of how much likelier the
evidence makes it that the file is made, with the other evidence known. Each file is seen twice, with and without what templates say,
so that what an unknown tool made is judged, too. A package's file that says itself that a tool made it is left out: its
authors keep it on purpose, which is no origin. --write puts the weights into core/origin/src/weights.toml. --check weighs each tenth of the projects by the weights of the others, and prints how
many files come out wrong.
"""

import argparse
import collections
import concurrent.futures
import json
import math
import os
import pathlib
import subprocess
import tarfile
import tempfile
import tomllib

import numpy
from scipy.optimize import minimize
from scipy.sparse import csr_matrix

HERE = pathlib.Path(__file__).resolve().parent
REDSHANK = pathlib.Path(os.environ.get("REDSHANK", HERE.parent / "target" / "release" / "redshank"))
TABLE = HERE.parent / "core" / "origin" / "src" / "weights.toml"
DRAWN = 0.2  # how strongly a weight is drawn to none
FEW = 4  # a word is measured apart from its row if so many projects have it
WORSE = 10  # so much worse is a swallowed source than a leak
MOST = 45  # no kind weighs more, in decibans
FOLDS = 10
# Files of which some teams keep what others ignore: no measure.
ARGUABLE = {"CMakeUserPresets.json", "profiles.yml", "pdm.toml", "phpunit.xml", "worker-configuration.d.ts", "next-env.d.ts"}
PEOPLES = ["known-to-people", "known-in-output", "known-in-hidden", "lock", "common", "data", "public", "uploads", "fixtures", "expected", "tests", "samples", "documentation", "assets", "sources",
           "vendored", "packaging", "kept-hidden", "authored", "checksummed"]
HEAD = """# What each kind of evidence is worth, in decibans: ten times the decimal logarithm of how much likelier it makes it that a tool
# made the file. Below zero, it speaks for an author. Written by evidence/origin.py; those below the line are rules of the trade and
# were not measured.

any_file = {any_file}

[weight]
"""


def judged(folder, environment):
    """All files that a commit would take, each with the kinds of its evidence."""
    subprocess.run(["git", "init", "-q", folder], check=True)
    asked = [REDSHANK, "files", "--origin", "--format", "json"]
    answer = subprocess.run(asked, cwd=folder, env=environment, stdout=subprocess.PIPE, check=True)
    return {row["path"]: {one["kind"] for one in row.get("evidence", [])} for row in json.loads(answer.stdout)}


def project(truth):
    """(name, [(is made, kinds, path)]) of a labelled project."""
    labels = json.loads(truth.read_text())
    with tempfile.TemporaryDirectory() as temporary:
        repository = pathlib.Path(temporary) / "repository"
        repository.mkdir()
        with tarfile.open(truth.with_suffix(".tar.xz")) as archive:
            archive.extractall(repository, filter="fully_trusted")
        kinds = judged(repository, environment_in(temporary))
    made, authored = set(labels["generated"]), set(labels["source"]) | set(labels["kept"])
    files = [(path in made, kinds, path) for path, kinds in kinds.items() if (path in made or path in authored) and path.split("/")[-1] not in ARGUABLE]
    return truth.stem, files


def package(folder):
    """The same of a package whose every file is authored."""
    with tempfile.TemporaryDirectory() as temporary:
        repository = pathlib.Path(temporary) / "repository"
        subprocess.run(["cp", "-a", folder, repository], check=True)
        for name in (".cargo-ok", ".cargo_vcs_info.json", "Cargo.toml.orig", "PKG-INFO"):
            (repository / name).unlink(missing_ok=True)
        subprocess.run(["find", repository, "-name", ".gitignore", "-delete"], check=True)
        kinds = judged(repository, environment_in(temporary))
    says_so = lambda kinds: "tool/mark" in kinds or any(kind.startswith("says-so/") and kind != "says-so/unmarked" for kind in kinds)
    return folder.name, [(False, kinds, path) for path, kinds in kinds.items() if not says_so(kinds)]


def environment_in(temporary):
    home = pathlib.Path(temporary) / "home"
    home.mkdir()
    return {**os.environ, "HOME": str(home), "XDG_CONFIG_HOME": str(home / ".config"), "GIT_CONFIG_NOSYSTEM": "1"}


def features(kinds):
    """Each kind, and the row that it is a word of."""
    rows = {kind.split(".")[0] for kind in kinds}
    return sorted(rows | set(kinds))


def heard(kinds):
    """A file as it is seen: by all witnesses, without the templates' word, and twice with every other witness silent, so that each must
    stand for itself."""
    witnesses = sorted({kind.split("/")[0] for kind in kinds})
    yield kinds
    yield {kind for kind in kinds if not kind.startswith("tool/")}
    for half in (0, 1):
        silent = {witness for nth, witness in enumerate(witnesses) if nth % 2 == half and witness not in ("language", "place")} | {"tool"}
        yield {kind for kind in kinds if kind.split("/")[0] not in silent}


def side_of(feature):
    """The side that a kind of evidence can speak for, whatever a few projects make of it."""
    witness, row = feature.split("/")
    row = row.split(".")[0]
    # The language of what a template has named says nothing for its being made: the template's word counts already.
    if row.endswith("-named"):
        return (None, 0)
    if "." in feature or witness in ("format", "language"):
        return (None, None)
    if witness == "referenced" or row in PEOPLES or feature == "says-so/unmarked":
        return (None, 0)
    return (0, None)


def samples(projects, index):
    """A matrix of the files' features, which side each file is on, and how much it counts."""
    rows, columns, sides, counts = [], [], [], []
    for _, files in projects:
        for side in (True, False):
            of_side = [kinds for is_made, kinds, _ in files if is_made == side]
            # A project's hundredth file says less than its first; and a swallowed source is worse than a leak.
            each = (4 + 2 * math.log(len(of_side))) / max(len(of_side), 4) / 2 if of_side else 0
            for kinds in of_side:
                for seen in heard(kinds):
                    columns += [index[feature] for feature in features(seen) if feature in index]
                    rows += [len(sides)] * (len(columns) - len(rows))
                    sides.append(1.0 if side else -1.0)
                    counts.append(each if side else WORSE * each)
    shape = (len(sides), len(index))
    return csr_matrix((numpy.ones(len(rows)), (rows, columns)), shape=shape), numpy.array(sides), numpy.array(counts)


def weights(projects):
    """The weight of each kind and row, and that of any file, under `""`: a logistic regression, in decibans."""
    seen_in = collections.Counter()
    for _, files in projects:
        seen_in.update({feature for _, kinds, _ in files for feature in features(kinds)})
    # A word of a row that few projects have is no more than its row.
    kinds = {feature for feature, count in seen_in.items() if "." not in feature or count >= FEW}
    index = {feature: at for at, feature in enumerate(sorted(kinds))}
    matrix, sides, counts = samples(projects, index)

    def loss(known):
        margin = sides * (matrix @ known[:-1] + known[-1])
        value = (counts * numpy.logaddexp(0, -margin)).sum() + DRAWN * (known[:-1] ** 2).sum()
        slope = -sides * counts / (1 + numpy.exp(margin))
        return value, numpy.append(matrix.T @ slope + 2 * DRAWN * known[:-1], slope.sum())

    bounds = [side_of(feature) for feature in index] + [(None, None)]
    found = minimize(loss, numpy.zeros(len(index) + 1), jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": 500}).x
    found *= 10 / math.log(10)
    known = {feature: found[at] for feature, at in index.items()}
    # A word's weight is that of its row and its own.
    known = {kind: weight + (known[kind.split(".")[0]] if "." in kind else 0) for kind, weight in known.items()}
    def within(kind, weight):
        least, most = side_of(kind.split(".")[0])
        # Text in a programming language or in prose is somebody's unless something shows that it isn't.
        if kind.split(".")[0] in ("language/code", "language/prose"):
            return max(-MOST, min(-8, round(weight)))
        # Plain text, pages and data alone make nobody an author.
        if kind.split(".")[0] in ("language/text", "language/data", "language/page"):
            return max(-7, round(weight))
        return max(-MOST if least is None else 0, min(MOST if most is None else 0, round(weight)))

    rounded = {kind: within(kind, weight) for kind, weight in known.items()}
    rounded[""] = round(found[-1])
    return rounded | fixed()


def weigh(kinds, known):
    """The sum of a file's evidence, as the program has it."""
    of = lambda kind: known.get(kind, known.get(kind.split(".")[0], 0))
    return known[""] + sum(of(kind) for kind in kinds)


def check(projects):
    rows = []
    for fold in range(FOLDS):
        rest = [one for nth, one in enumerate(projects) if nth % FOLDS != fold]
        known = weights(rest)
        for nth, (name, files) in enumerate(projects):
            if nth % FOLDS == fold:
                rows += [(weigh(kinds, known), is_made, name, path, kinds) for is_made, kinds, path in files]
    return rows


def rules_of_the_trade():
    text = TABLE.read_text()
    return text[text.index("\n# ---"):] if "\n# ---" in text else ""


def fixed():
    """The weights that are rules of the trade."""
    return tomllib.loads("[weight]" + rules_of_the_trade())["weight"]


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--projects", type=pathlib.Path, required=True)
    arguments.add_argument("--authored", type=pathlib.Path)
    arguments.add_argument("--limit", type=int, default=10_000)
    arguments.add_argument("--write", action="store_true")
    arguments.add_argument("--check", action="store_true")
    arguments.add_argument("--dump", type=pathlib.Path)
    asked = arguments.parse_args()
    with concurrent.futures.ThreadPoolExecutor(2) as workers:
        projects = list(workers.map(project, sorted(asked.projects.glob("*.json"))[: asked.limit]))
        if asked.authored:
            projects += list(workers.map(package, sorted(asked.authored.iterdir())[: asked.limit]))
    if asked.dump:
        asked.dump.write_text(json.dumps([(name, [(made, sorted(kinds), path) for made, kinds, path in files]) for name, files in projects]))
    if asked.check:
        rows = check(projects)
        for least in (0, 5, 10, 15, 20, 30):
            right = sum(weight >= least for weight, is_made, *_ in rows if is_made)
            wrong = sum(weight >= least for weight, is_made, *_ in rows if not is_made)
            made = sum(is_made for _, is_made, *_ in rows)
            print(f"from {least} on: {right} of {made} made, {wrong} of {len(rows) - made} authored")
    known = weights(projects)
    if asked.write:
        trade = rules_of_the_trade()
        is_open = lambda kind: kind and kind.split(".")[0] not in fixed() and (known[kind] != known.get(kind.split(".")[0]) or "." not in kind)
        lines = [f'"{kind}" = {weight}' for kind, weight in sorted(known.items()) if is_open(kind)]
        TABLE.write_text(HEAD.format(any_file=known[""]) + "\n".join(lines) + "\n" + trade)


if __name__ == "__main__":
    main()

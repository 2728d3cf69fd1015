#!/usr/bin/env python3
"""What a draft and a tidy make of projects whose tools they don't know.

    cargo build --locked
    evidence/left_out.py --projects DIR [--limit N]

--projects holds NAME.tar.xz, each a project as its tools left it, and NAME.json, which lists its `source`, `kept` and `generated` files.
Every template that recognises anything in a project is left out before `draft --write` and `tidy --apply` run there. The program must
be built without optimisation, which is what listens to REDSHANK_LEFT_OUT.
"""

import argparse
import concurrent.futures
import json
import os
import pathlib
import subprocess
import tarfile
import tempfile

HERE = pathlib.Path(__file__).resolve().parent
REDSHANK = pathlib.Path(os.environ.get("REDSHANK", HERE.parent / "target" / "debug" / "redshank"))


def left(truth):
    """The name of a project, the templates that were left out, and what leaked and was swallowed after `tidy`."""
    labels = json.loads(truth.read_text())
    with tempfile.TemporaryDirectory() as temporary:
        repository, home = pathlib.Path(temporary) / "repository", pathlib.Path(temporary) / "home"
        repository.mkdir()
        home.mkdir()
        with tarfile.open(truth.with_suffix(".tar.xz")) as archive:
            archive.extractall(repository, filter="fully_trusted")
        environment = {**os.environ, "HOME": str(home), "XDG_CONFIG_HOME": str(home / ".config"), "GIT_CONFIG_NOSYSTEM": "1"}

        def run(*words):
            return subprocess.run(words, cwd=repository, env=environment, stdin=subprocess.DEVNULL, capture_output=True, check=False).stdout

        run("git", "init", "-q")
        survey = json.loads(run(REDSHANK, "survey", "--format", "json"))
        names = sorted({project["template"] for project in survey["projects"]})
        environment["REDSHANK_LEFT_OUT"] = ",".join(names)
        run(REDSHANK, "draft", "--write", "--yes")
        run(REDSHANK, "tidy", "--apply", "--yes")
        listed = run("git", "ls-files", "-o", "-c", "--exclude-standard", "-z").split(b"\0")
        have = {os.fsdecode(path) for path in listed}
        made = {path for path in labels["generated"] if os.path.lexists(repository / path) and not path.endswith("/.gitignore")}
        return truth.stem, names, sorted(made & have), sorted((set(labels["source"]) | set(labels["kept"])) - have)


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--projects", type=pathlib.Path, required=True)
    arguments.add_argument("--limit", type=int)
    asked = arguments.parse_args()
    with concurrent.futures.ThreadPoolExecutor(2) as workers:
        rows = list(workers.map(left, sorted(asked.projects.glob("*.json"))[: asked.limit]))
    for name, names, leaked, swallowed in rows:
        if leaked or swallowed:
            sources = f"; swallowed {', '.join(swallowed[:4])}" if swallowed else ""
            print(f"{name} without {', '.join(names)}: {len(leaked)} leaked, such as {', '.join(leaked[:3])}{sources}")
    clean = sum(not leaked for *_, leaked, _ in rows)
    print(f"{len(rows)} projects; {clean} without a leak after tidy; {sum(len(swallowed) for *_, swallowed in rows)} sources swallowed")


if __name__ == "__main__":
    main()

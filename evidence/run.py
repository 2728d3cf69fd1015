#!/usr/bin/env python3
"""Whether the templates hold what real tools really write.

    cargo build --release --locked
    evidence/run.py [--only NAME,...] [--keep DIR] [--write]

For each tool chain in chains.toml: makes a project, notes its files, runs the tools. Then, at the top of a repository, one folder
down and three, Redshank drafts rules before the first build and after it, and git is asked. A file that the tools made and git
would take in has leaked; a source that git would leave out was swallowed. --write puts the table into docs/evidence.md.
"""

import argparse
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

HERE = pathlib.Path(__file__).resolve().parent
REDSHANK = pathlib.Path(os.environ.get("REDSHANK", HERE.parent / "target" / "release" / "redshank"))
PAGE = HERE.parent / "docs" / "evidence.md"
PLACE = "north"  # the folder that the project is made in
PLACES = ("", "north/", "coast/west/north/")  # where it is drafted for
PATIENCE = 900  # seconds for one step


def sh(command, folder, environment):
    return subprocess.run(["bash", "-ec", command], cwd=folder, env=environment, stdin=subprocess.DEVNULL,
                          stdout=subprocess.PIPE, stderr=subprocess.STDOUT, timeout=PATIENCE, check=False)


def files(top):
    """All files and links below a folder, but git's own."""
    found = set()
    for folder, inner, names in os.walk(top):
        if ".git" in inner:
            inner.remove(".git")
        links = [name for name in inner if os.path.islink(os.path.join(folder, name))]
        found |= {os.path.relpath(os.path.join(folder, name), top) for name in names + links}
    return found


def version_of(chain, environment):
    said = sh(chain["version"], HERE, environment)
    text = said.stdout.decode(errors="replace").strip()
    return text.splitlines()[0] if said.returncode == 0 and text else None


def run(chain, work, environment, pack):
    """One row of the table: a dictionary, or the reason why there is none."""
    version = version_of(chain, environment)
    if version is None:
        return "not run: its tools are not on this machine and could not be installed"
    top = work / chain["name"]
    project = top / PLACE
    project.mkdir(parents=True)
    subprocess.run(["git", "init", "-q", top], check=True)
    for path, text in chain.get("files", {}).items():
        (project / path).parent.mkdir(parents=True, exist_ok=True)
        (project / path).write_text(text)
    if "make" in chain:
        made = sh(chain["make"], project, environment)
        if made.returncode:
            return f"not run: `{chain['make']}` failed: {last_line(made)}"
        nested = project / ".git"
        if nested.exists():
            shutil.rmtree(nested)
    for path in chain.get("without", []):
        (project / path).unlink(missing_ok=True)
    sources = files(top)
    failed = []
    for step in chain["steps"]:
        done = sh(step, project, environment)
        if done.returncode:
            failed.append(f"`{step}`: {last_line(done)}")
    if len(failed) == len(chain["steps"]):
        return f"not run: {failed[0]}"
    strip = lambda paths: {path.removeprefix(PLACE + "/") for path in paths}
    sources, everything, kept = strip(sources), strip(files(top)), set(chain.get("keeps", []))
    made = everything - sources - kept
    if pack:
        packed(pack, chain["name"], project, sources, everything & kept, made)
    row = {"name": chain["name"], "version": version, "sources": len(sources), "made": len(made), "steps": len(chain["steps"]),
           "failed": failed, "leaked": set(), "early": set(), "left": set(), "swallowed": set(), "lines": 0}
    for place in PLACES:
        for is_early in (False, True):
            with tempfile.TemporaryDirectory(dir=work) as repository:
                try:
                    judge(pathlib.Path(repository), place, project, is_early, sources, made, kept, row, environment)
                except subprocess.CalledProcessError as error:
                    return f"draft failed: {last_line(error)}"
    return row


def packed(folder, name, project, sources, kept, made):
    """Writes a project, one folder down and without its own ignore files, and what is true of each of its files."""
    folder.mkdir(parents=True, exist_ok=True)
    below = lambda paths: sorted(f"{PLACE}/{path}" for path in paths if not path.endswith(".gitignore"))
    truth = {"source": below(sources), "kept": below(kept), "generated": below(made)}
    (folder / f"{name}.json").write_text(json.dumps(truth, indent=1))
    with tarfile.open(folder / f"{name}.tar.xz", "w:xz") as archive:
        archive.add(project, PLACE, filter=lambda entry: None if entry.name.endswith("/.gitignore") else entry)


def judge(top, place, project, is_early, sources, made, kept, row, environment):
    """Drafts for the project at one place, before or after it is built, and notes what git would take in."""
    subprocess.run(["git", "init", "-q", top], check=True)
    there = top / place
    if is_early:
        for path in sources:
            (there / path).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(project / path, there / path, follow_symlinks=False)
        draft(top, environment)
    drafted = read_if_there(top / ".gitignore")
    there.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", f"{project}/.", there], check=True)
    if drafted is not None:
        (top / ".gitignore").write_bytes(drafted)
    if not is_early:
        draft(top, environment)
    listed = subprocess.run(["git", "ls-files", "-z", "--others", "--exclude-standard"], cwd=top, stdout=subprocess.PIPE, check=True)
    taken = {os.fsdecode(path).removeprefix(place) for path in listed.stdout.split(b"\0")[:-1]}
    leaked = {path for path in taken & made if not path.endswith(".gitignore")}
    row["early" if is_early else "leaked"] |= leaked
    row["swallowed"] |= (sources | {path for path in kept if (project / path).exists()}) - taken
    if not is_early:
        row["lines"] = max(row["lines"], len((read_if_there(top / ".gitignore") or b"").splitlines()))
        subprocess.run([REDSHANK, "tidy", "--apply", "--yes", "--quiet"], cwd=top, env=environment, stdout=subprocess.DEVNULL,
                       stderr=subprocess.DEVNULL, check=False)
        listed = subprocess.run(["git", "ls-files", "-z", "--others", "--exclude-standard"], cwd=top, stdout=subprocess.PIPE, check=True)
        taken = {os.fsdecode(path).removeprefix(place) for path in listed.stdout.split(b"\0")[:-1]}
        row["left"] |= {path for path in taken & made if not path.endswith(".gitignore")}
        row["swallowed"] |= sources - taken


def read_if_there(path):
    return path.read_bytes() if path.exists() else None


def draft(top, environment):
    subprocess.run([REDSHANK, "draft", "--write", "--yes", "--quiet"], cwd=top, env=environment, stdout=subprocess.PIPE,
                   stderr=subprocess.STDOUT, check=True)


def last_line(done):
    text = re.sub("\x1b\\[[0-9;]*m", "", done.stdout.decode(errors="replace"))
    lines = [line for line in text.splitlines() if line.strip()]
    return lines[-1][:120] if lines else f"exit code {done.returncode}"


def some(paths):
    """A number of paths and the first of them."""
    paths = sorted(paths)
    shown = ", ".join(f"`{path}`" for path in paths[:3])
    return f"{len(paths)}: {shown}" if paths else "0"


HEAD = [
    "| tool chain | version | steps | sources | made | lines | leaked: before the build | after it | after `tidy` | swallowed |",
    "| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |",
]


def page(rows, failures):
    """The page, with rows as lines of its table, by name."""
    cells = [[cell.strip() for cell in line.strip("|").split("|")] for line in rows.values()]
    clean = lambda column: sum(cell[column] == "0" for cell in cells)
    swallowed = sum(int(cell[9].split(":")[0]) for cell in cells)
    lines = [
        "# Evidence", "",
        "Made by `evidence/run.py --write`. Each project was made by its own tools, which then built, tested, documented and packed it.",
        "`redshank draft --write` wrote rules for it at the top of a new repository, one folder down and three folders down, before the first",
        "build and after it; then `tidy --apply` ran, and git said what it would take in. A file counts if it came out wrong at any place.",
        "*Leaked*: made by a tool, and git would take it in. *Swallowed*: a source, or a lock file, that git would leave out, at any place and",
        "time. *Lines*: how long the drafted file is.", "",
        f"{len(cells)} tool chains ran. Without a leak: {clean(6)} where the draft came before the first build, {clean(7)} where it came after it,",
        f"{clean(8)} after `tidy`. Swallowed: {swallowed}.", "",
        *HEAD, *rows.values(),
    ]
    if failures:
        lines += ["", "What did not run here, as a whole or in part:", "", *failures.values()]
    return "\n".join(lines) + "\n"


def known(text):
    """The rows and failures of an earlier run of the same form."""
    rows, failures = {}, {}
    if HEAD[0] in text:
        for line in text[text.index(HEAD[1]) + len(HEAD[1]):].splitlines():
            if line.startswith("| "):
                rows[line[2:].split(" | ")[0]] = line
            elif line.startswith("- "):
                failures[line[2:].split(":")[0]] = line
    return rows, failures


def told(row):
    steps = f"{row['steps'] - len(row['failed'])} of {row['steps']}" if row["failed"] else row["steps"]
    return (f"| {row['name']} | {row['version'].replace('|', '/')[:40]} | {steps} | {row['sources']} | {row['made']} | {row['lines']} "
            f"| {some(row['early'])} | {some(row['leaked'])} | {some(row['left'])} | {some(row['swallowed'])} |")


def write(name, row):
    """Puts one chain's row, or why there is none, into the page; those of others stay."""
    rows, failures = known(PAGE.read_text())
    rows.pop(name, None), failures.pop(name, None)
    if isinstance(row, str):
        failures[name] = f"- {name}: {row}"
    else:
        rows[name] = told(row)
        if row["failed"]:
            failures[name] = f"- {name}: {'; '.join(row['failed'])}"
    order = [chain["name"] for chain in tomllib.loads((HERE / "chains.toml").read_text())["chain"]]
    in_order = lambda told: {name: told[name] for name in sorted(told, key=order.index) if name in order}
    PAGE.write_text(page(in_order(rows), in_order(failures)))


def environment_in(work):
    """A person of their own, with the caches of this one."""
    home = work / "home"
    home.mkdir(exist_ok=True)
    return {**os.environ, "HOME": str(home), "XDG_CONFIG_HOME": str(home / ".config"), "GIT_CONFIG_NOSYSTEM": "1",
            "CARGO_HOME": os.environ.get("CARGO_HOME", os.path.expanduser("~/.cargo")),
            "RUSTUP_HOME": os.environ.get("RUSTUP_HOME", os.path.expanduser("~/.rustup")),
            "npm_config_cache": os.path.expanduser("~/.npm"), "PIP_CACHE_DIR": os.path.expanduser("~/.cache/pip"), "CI": "1"}


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--only", default="")
    arguments.add_argument("--keep", type=pathlib.Path, help="where to leave the projects")
    arguments.add_argument("--write", action="store_true")
    arguments.add_argument("--chains", type=pathlib.Path, default=HERE / "chains.toml", help="other tool chains")
    arguments.add_argument("--pack", type=pathlib.Path, help="where to leave each project as an archive, with what is true of its files")
    asked = arguments.parse_args()
    chains = tomllib.loads(asked.chains.read_text())["chain"]
    wanted = set(filter(None, asked.only.split(",")))
    with tempfile.TemporaryDirectory() as temporary:
        work = asked.keep or pathlib.Path(temporary)
        work.mkdir(parents=True, exist_ok=True)
        environment = environment_in(work)
        swallowed = False
        for chain in chains:
            name = chain["name"]
            if wanted and name not in wanted:
                continue
            row = run(chain, work, environment, asked.pack)
            if asked.write:
                write(name, row)
            if isinstance(row, str):
                print(f"{name}: {row}", flush=True)
                continue
            swallowed |= bool(row["swallowed"])
            some_of = {key: sorted(row[key])[:6] for key in ("early", "leaked", "left", "swallowed") if row[key]}
            print(f"{name}: {row['made']} made, {some_of}, failed {row['failed']}", flush=True)
            if not asked.keep:
                shutil.rmtree(work / name, ignore_errors=True)
    sys.exit(swallowed)


if __name__ == "__main__":
    main()

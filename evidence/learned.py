#!/usr/bin/env python3
"""Whether the rules that a rehearsal learns hold what real tools make, and take no source away.

    cargo build --release --locked
    evidence/learned.py [--only NAME,...]

For each tool chain in chains.toml: its starter runs, then each of its steps twice, each under `redshank rehearse --here`. No rule
is written, and the rules of all templates are taken out: what counts is what is learned. A source, or a file that belongs into the
repository, that a proposed rule would keep out was swallowed; a file that the steps made is held if a proposed rule keeps it out, and
left if not, for whatever reason (most look like work, as generated sources do). `known` are held by what settings or marks tell.
"""

import argparse
import json
import os
import pathlib
import subprocess
import sys
import tempfile
import tomllib

import run as evidence


def rehearsed(command, folder, environment):
    """What a command left behind, as the program tells it, or nothing if that failed."""
    words = [evidence.REDSHANK, "rehearse", "--here", "--format", "json", "--", "bash", "-ec", command]
    done = subprocess.run(words, cwd=folder, env=environment, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                          stderr=subprocess.DEVNULL, timeout=evidence.PATIENCE, check=False)
    return json.loads(done.stdout)["run"] if done.stdout else None


def all_patterns():
    """The patterns of all templates."""
    templates = sorted((evidence.HERE.parent / "core/templates/templates").glob("**/*.toml"))
    rules = [rule for path in templates for rule in tomllib.loads(path.read_text()).get("rule", [])]
    return sorted({rule["pattern"] for rule in rules})


def taken(top, rules, paths):
    """Those of the paths that git would leave out with these rules."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(["git", "init", "-q", folder], check=True)
        (pathlib.Path(folder) / ".git/info/exclude").write_text("".join(rule + "\n" for rule in rules))
        asked = b"".join(os.fsencode(path) + b"\0" for path in paths)
        said = subprocess.run(["git", "check-ignore", "--no-index", "-z", "--stdin"], cwd=folder, input=asked, stdout=subprocess.PIPE,
                              check=False)
        return {os.fsdecode(path) for path in said.stdout.split(b"\0")[:-1]}


def learn(chain, work, environment):
    """One row, or the reason why there is none."""
    if evidence.version_of(chain, environment) is None:
        return "its tools are not here"
    top = work / chain["name"]
    top.mkdir(parents=True)
    subprocess.run(["git", "init", "-q", top], check=True)
    for path, text in chain.get("files", {}).items():
        (top / path).parent.mkdir(parents=True, exist_ok=True)
        (top / path).write_text(text)
    (top / "redshank.toml").write_text(f"[draft]\nwithout = {json.dumps(all_patterns())}\n")
    rules = {}

    def note(left):
        for new in left["unruled"] if left else []:
            rules.setdefault(new["rule"], set()).add((new["standing"], "template" in new))
    if "make" in chain:
        made = rehearsed(chain["make"], top, environment)
        if made is None or made["exit_code"]:
            return f"`{chain['make']}` failed"
        note(made)
    for path in chain.get("without", []):
        (top / path).unlink(missing_ok=True)
    sources = evidence.files(top)
    for step in chain["steps"]:
        for _ in range(2):
            note(rehearsed(step, top, environment))
    kept = set(chain.get("keeps", []))
    made = evidence.files(top) - sources - kept
    proposed = [rule for rule, known in rules.items() if any(standing == "proposed" for standing, _ in known)]
    by_template = [rule for rule in proposed if any(template for _, template in rules[rule])]
    held, by_templates = taken(top, proposed, made), taken(top, by_template, made)
    # What keeps itself out by an ignore file of its own was never asked about.
    listed = subprocess.run(["git", "ls-files", "-z", "--others", "--exclude-standard"], cwd=top, stdout=subprocess.PIPE, check=True)
    left = {path for path in made if path in {os.fsdecode(p) for p in listed.stdout.split(b"\0")}} - held
    swallowed = taken(top, proposed, sources | {path for path in kept if (top / path).exists()})
    return {"made": len(made), "known": len(by_templates), "learned": len(held - by_templates), "left": left,
            "swallowed": swallowed, "rules": len(rules)}


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--only", default="")
    wanted = set(filter(None, arguments.parse_args().only.split(",")))
    chains = tomllib.loads((evidence.HERE / "chains.toml").read_text())["chain"]
    swallowed = 0
    with tempfile.TemporaryDirectory() as temporary:
        work = pathlib.Path(temporary)
        environment = evidence.environment_in(work)
        for chain in chains:
            if wanted and chain["name"] not in wanted:
                continue
            try:
                row = learn(chain, work, environment)
            except (subprocess.TimeoutExpired, OSError) as error:
                row = str(error)
            if isinstance(row, str):
                print(f"{chain['name']}: {row[:100]}", flush=True)
                continue
            swallowed += len(row["swallowed"])
            print(f"{chain['name']}: made {row['made']}, known {row['known']}, learned {row['learned']}, "
                  f"left {evidence.some(row['left'])}, swallowed {evidence.some(row['swallowed'])}, "
                  f"{row['rules']} rules", flush=True)
    return 1 if swallowed else 0


if __name__ == "__main__":
    sys.exit(main())

#!/usr/bin/env python3
"""First looks at secrets: what `check` says of texts that were written before the reader was changed.

    evidence/credentials.py FILE... [--seed N] [--binary PATH] [--verbose]

A batch is a text. `=== PATH` begins a file; in its lines

    «KIND:LENGTH»   a secret, made up anew for each seed: an error or a warning has to be on its line (or the one before)
    ‹KIND:LENGTH›   the same, but nothing is expected
    ⟦…⟧             what looks like a secret and is none: an error here is wrong
    ⟨…⟩             made-up or public: a note is fine, an error isn't

Kinds: chosen, phrase, word, made, hex, uuid, base64, digits, upper, lower, armour, end, body, id, basic, url, bytes, and the forms of FORMS.
A kind with `#NAME` behind it is kept: `‹#NAME›` repeats it.
"""

import argparse
import base64
import collections
import json
import os
import pathlib
import random
import re
import string
import subprocess
import tempfile
import urllib.parse

HERE = pathlib.Path(__file__).resolve().parent
WORDS = """anchor barley cobble dorsal ember fathom gannet harbour inlet jetty kelp lantern mussel north osprey pebble quay
ripple shingle tern urchin vessel whelk yawl""".split()
SIGNS = "!?*+=-_%"
ALPHABETS = {
    "made": string.ascii_letters + string.digits,
    "hex": "0123456789abcdef",
    "digits": string.digits,
    "upper": string.ascii_uppercase + string.digits,
    "lower": string.ascii_lowercase + string.digits,
    "body": string.ascii_letters + string.digits + "+/",
    "id": string.ascii_letters + string.digits + "-_",
}
# Forms that issuers document, put together here so that none stands in a source.
FORMS = {
    "github": ("gh" + "p_", "made", 36),
    "gitlab": ("gl" + "pat-", "id", 20),
    "slack": ("xo" + "xb-", "digits", 12),
    "stripe": ("sk_" + "live_", "made", 24),
    "aws-id": ("AK" + "IA", "upper", 16),
    "google": ("AI" + "za", "id", 35),
    "npm": ("np" + "m_", "made", 36),
    "sendgrid": ("SG" + ".", "id", 22),
    "openai": ("sk-" + "proj-", "made", 48),
    "telegram": ("", "digits", 10),
}


class Maker:
    """Values of one file, always the same for a seed."""

    def __init__(self, seed):
        self.random, self.kept = random.Random(seed), {}

    def signs(self, alphabet, length):
        """Of a machine's alphabet, with a digit and letters of each case in it."""
        while True:
            made = "".join(self.random.choice(alphabet) for _ in range(length))
            kinds = [string.digits, string.ascii_lowercase, string.ascii_uppercase]
            kinds = [kind for kind in kinds if set(kind) & set(alphabet)]
            if length < 6 or all(set(kind) & set(made) for kind in kinds):
                return made

    def value(self, expression):
        expression, _, name = expression.partition("#")
        if not expression:
            return self.kept[name]
        kind, _, rest = expression.partition(":")
        made = self.made(kind, rest)
        if name:
            self.kept[name] = made
        return made

    def made(self, kind, rest):
        length = int(rest) if rest.isdigit() else 0
        word = lambda: self.random.choice(WORDS)
        if kind in FORMS:
            start, alphabet, usual = FORMS[kind]
            made = start + self.signs(ALPHABETS[alphabet], usual)
            if kind == "slack":
                made += "-" + self.signs(string.digits, 12) + "-" + self.signs(ALPHABETS["made"], 24)
            if kind == "sendgrid":
                made += "." + self.signs(ALPHABETS["id"], 43)
            if kind == "telegram":
                made += ":AA" + self.signs(ALPHABETS["id"], 33)
            return made
        if kind == "armour":
            return "-----" + "BEGIN " + rest + "-----"
        if kind == "end":
            return "-----" + "END " + rest + "-----"
        if kind == "chosen":
            first, second = word(), word()
            return self.random.choice(
                [
                    first.capitalize() + self.random.choice(SIGNS) + self.signs(string.digits, 4),
                    first + self.signs(string.digits, 2) + second.capitalize() + self.random.choice(SIGNS),
                    self.signs(ALPHABETS["made"], 9) + self.random.choice(SIGNS) + self.signs(ALPHABETS["made"], 3),
                    first.replace("a", "4").replace("e", "3").replace("o", "0").capitalize() + self.signs(string.digits, 3) + "!",
                ]
            )
        if kind == "phrase":
            return "-".join([word(), word(), word(), self.signs(string.digits, 2)])
        if kind == "word":
            return word()
        if kind == "uuid":
            one = self.signs("0123456789abcdef", 32)
            return "-".join([one[:8], one[8:12], "4" + one[13:16], "a" + one[17:20], one[20:]])
        if kind == "base64":
            return base64.b64encode(bytes(self.random.getrandbits(8) for _ in range(length or 32))).decode()
        if kind == "basic":
            return base64.b64encode(f"{word()}:{self.made('chosen', '')}".encode()).decode()
        if kind == "bytes":
            return ", ".join(f"0x{self.random.getrandbits(8):02x}" for _ in range(16))
        if kind == "url":
            return urllib.parse.quote(self.made("chosen", ""), safe="")
        return self.signs(ALPHABETS[kind], length or 32)


MARK = re.compile(r"«([^»]+)»|‹([^›]+)›|⟦([^⟧]*)⟧|⟨([^⟩]*)⟩")
INNER = re.compile(r"‹([^›]+)›")


def files_of(batch, seed):
    """Each file's path and text, and what is expected: (path, line, expectation, start of the value)."""
    files, expected = [], []
    for part in re.split(r"^=== ", batch, flags=re.MULTILINE)[1:]:
        path, _, text = part.partition("\n")
        maker, out, at = Maker(f"{seed} {path}"), [], 0
        for mark in MARK.finditer(text):
            out.append(text[at : mark.start()])
            at = mark.end()
            plant, filler, alike, note = mark.groups()
            if plant or filler:
                value = maker.value(plant or filler)
            else:
                value = INNER.sub(lambda inner: maker.value(inner[1]), alike if alike is not None else note)
            line = "".join(out).count("\n") + 1
            if not filler:
                kind = "plant" if plant else "alike" if alike is not None else "note"
                expected.append((path, line, kind, value[:3]))
            out.append(value)
        files.append((path, "".join(out) + text[at:]))
    return files, expected


def looked_at(batch, seed, binary, verbose):
    """Counts: plants, found as an error or warning, found at any level, look-alikes, wrong errors."""
    files, expected = files_of(batch, seed)
    with tempfile.TemporaryDirectory() as folder:
        top = pathlib.Path(folder) / "station"
        for path, text in files:
            (top / path).parent.mkdir(parents=True, exist_ok=True)
            (top / path).write_text(text)
        env = {"HOME": folder, "PATH": os.environ["PATH"], "GIT_CONFIG_NOSYSTEM": "1"}
        subprocess.run(["git", "init", "-q", top], check=True, env=env)
        run = subprocess.run([binary, "--root", top, "check", "--format", "json"], stdout=subprocess.PIPE, check=False, env=env)
    levels = collections.defaultdict(set)
    for one in json.loads(run.stdout)["findings"]:
        if one["class"] != "secret":
            continue
        places = [(one["path"], one.get("line"))]
        for also in one.get("also") or []:
            places.append((also["path"], also.get("line")) if isinstance(also, dict) else tuple(also.rsplit(":", 1)))
        for path, line in places:
            levels[path, int(line or 0)].add(one["level"])
    lines = {(path, line) for path, line, _, _ in expected}
    count = collections.Counter()
    planted = {(path, line) for path, line, kind, _ in expected if kind == "plant"}
    for path, line, kind, start in expected:
        here = levels[path, line] | levels[path, 0]
        if kind == "plant":
            here = here | (levels[path, line - 1] if (path, line - 1) not in lines else set())
            count["plants"] += 1
            count["found"] += bool(here & {"error", "warning"})
            count["any"] += bool(here)
            if verbose and not here & {"error", "warning"}:
                print(f"  missed {path}:{line} [{start}…] {' '.join(here)}")
        elif (path, line) not in planted:
            count["alike"] += 1
            count["wrong"] += "error" in levels[path, line]
            if verbose and "error" in levels[path, line]:
                print(f"  wrong  {path}:{line} [{start}…]")
    for (path, line), here in sorted(levels.items()):
        before = (path, line + 1) in planted
        if line and (path, line) not in lines and not before and "error" in here:
            count["stray"] += 1
            if verbose:
                print(f"  stray  {path}:{line}")
    return count


def main():
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("batch", nargs="+", type=pathlib.Path)
    arguments.add_argument("--seed", default="1")
    arguments.add_argument("--binary", type=pathlib.Path, default=HERE.parent / "target" / "release" / "redshank")
    arguments.add_argument("--verbose", action="store_true")
    options = arguments.parse_args()
    for batch in options.batch:
        count = looked_at(batch.read_text(), options.seed, options.binary.resolve(), options.verbose)
        plants, alike = max(count["plants"], 1), max(count["alike"], 1)
        print(
            f"{batch.name}: {count['found']} of {count['plants']} found ({count['found'] / plants:.2f}), at any level "
            f"{count['any'] / plants:.2f}; wrong errors {count['wrong']} of {count['alike']} look-alikes "
            f"({count['wrong'] / alike:.3f}), {count['stray']} elsewhere"
        )


if __name__ == "__main__":
    main()

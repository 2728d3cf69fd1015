#!/usr/bin/env python3
"""The language server before a client that takes nothing that the protocol doesn't allow: every
message is read with the types of lsprotocol (PyPI), generated from the protocol's own model.

    REDSHANK=PROGRAM python3 strict.py
"""

import json
import os
import subprocess
import tempfile
from pathlib import Path

from lsprotocol import converters, types

CONVERTER = converters.get_converter()
LARGEST = 2**31 - 1


def check(value):
    """No number of a place is beyond the protocol's uinteger."""
    if isinstance(value, dict):
        for key, inner in value.items():
            if key in ("line", "character", "startLine", "endLine"):
                assert isinstance(inner, int) and 0 <= inner <= LARGEST, (key, inner)
            check(inner)
    elif isinstance(value, list):
        for inner in value:
            check(inner)


class Client:
    def __init__(self, program, root, env):
        self.process = subprocess.Popen(
            [program, "editor"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            env=env,
        )
        self.root = root.as_uri()
        self.asked = 0
        self.seen = 0

    def send(self, message):
        body = json.dumps({"jsonrpc": "2.0", **message}).encode()
        self.process.stdin.write(b"Content-Length: %d\r\n\r\n" % len(body) + body)
        self.process.stdin.flush()

    def read(self):
        length = 0
        while line := self.process.stdout.readline().strip():
            name, value = line.split(b":")
            if name.lower() == b"content-length":
                length = int(value)
        message = json.loads(self.process.stdout.read(length))
        check(message)
        self.seen += 1
        if "method" in message:
            told = types.METHOD_TO_TYPES[message["method"]][0]
            CONVERTER.structure(message, told)
        return message

    def ask(self, method, params):
        self.asked += 1
        self.send({"id": self.asked, "method": method, "params": params})
        while True:
            message = self.read()
            if message.get("id") == self.asked and "method" not in message:
                assert "error" not in message, message
                response = types.METHOD_TO_TYPES[method][1]
                CONVERTER.structure(message, response)
                return message["result"]

    def tell(self, method, params):
        self.send({"method": method, "params": params})

    def uri(self, name):
        return f"{self.root}/{name}"

    def open(self, name, text):
        document = {"uri": self.uri(name), "languageId": "x", "version": 1, "text": text}
        self.tell("textDocument/didOpen", {"textDocument": document})
        while True:
            message = self.read()
            if message.get("method") == "textDocument/publishDiagnostics":
                if message["params"]["uri"] == self.uri(name):
                    return message["params"]["diagnostics"]


def place(line, character):
    return {"line": line, "character": character}


def leave(client):
    client.ask("shutdown", None)
    client.tell("exit", None)
    assert client.process.wait(10) == 0


def main():
    program = os.path.abspath(os.environ["REDSHANK"])
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder).resolve() / "gauges"
        for name in ["a.raw", "deep/b.raw", "out/c.o", "out/keep.txt", "Cargo.toml"]:
            (root / name).parent.mkdir(parents=True, exist_ok=True)
            (root / name).write_text("[package]\nname = 'gauge'\n")
        env = {**os.environ, "HOME": folder, "GIT_CONFIG_NOSYSTEM": "1"}
        subprocess.run(["git", "init", "-q", root], check=True, env=env)
        client = Client(program, root, env)
        client.ask(
            "initialize",
            {
                "processId": None,
                "workspaceFolders": [{"uri": client.root, "name": "gauges"}],
                "rootUri": client.root,
                "capabilities": {"textDocument": {"inlayHint": {}}},
            },
        )
        client.tell("initialized", {})
        key = "-----BEGIN " + "PRIVATE KEY-----\n" + "MC4CAQAwBQYDK2VwBCIEIA" * 3 + "\n"
        texts = {
            ".gitignore": "# redshank: begin x\n*.raw\n/out\\c.o\nx[\n# redshank: end\n"
            "*.none\n/out/\n!/out/keep.txt\n*\nlast",
            "deep/.gitignore": "*.raw\n!b.raw",
            "redshank.toml": '[[expect]]\npath = "a.raw"\nstate = "ignored"\n[draft]\nvariants = ["',
            "key.pem": key + key.replace("\n", " ") + "é😀\n",
            ".redshank/templates/x.toml": 'name = "x"\nclass = "gen',
        }
        for name, text in texts.items():
            found = client.open(name, text)
            document = {"textDocument": {"uri": client.uri(name)}}
            lines = text.split("\n")
            whole = {"start": place(0, 0), "end": place(len(lines) - 1, len(lines[-1]))}
            client.ask("textDocument/inlayHint", {**document, "range": whole})
            client.ask("textDocument/foldingRange", document)
            client.ask("textDocument/documentSymbol", document)
            client.ask("textDocument/documentLink", document)
            client.ask("textDocument/semanticTokens/full", document)
            client.ask("textDocument/semanticTokens/range", {**document, "range": whole})
            context = {"diagnostics": found}
            client.ask("textDocument/codeAction", {**document, "range": whole, "context": context})
            for line, written in enumerate(lines):
                for column in {0, len(written)}:
                    at = {**document, "position": place(line, column)}
                    client.ask("textDocument/hover", at)
                    client.ask("textDocument/completion", at)
                    client.ask("textDocument/definition", at)
                    references = {**at, "context": {"includeDeclaration": True}}
                    client.ask("textDocument/references", references)
                span = {"start": place(line, 0), "end": place(line, 0)}
                here = [one for one in found if one["range"]["start"]["line"] == line]
                asked = {**document, "range": span, "context": {"diagnostics": here}}
                client.ask("textDocument/codeAction", asked)
        renamed = {"oldUri": client.uri("out"), "newUri": client.uri("made")}
        edit = client.ask("workspace/willRenameFiles", {"files": [renamed]})
        assert edit["documentChanges"], edit
        asked = {"command": "redshank.why", "arguments": [client.uri("a.raw")]}
        client.ask("workspace/executeCommand", asked)
        leave(client)
        assert client.seen > 100, client.seen
        pulls = Client(program, root, env)
        capabilities = {
            "textDocument": {"diagnostic": {}},
            "workspace": {"diagnostics": {"refreshSupport": True}},
            "window": {"workDoneProgress": True},
        }
        asked = {"processId": None, "rootUri": pulls.root, "capabilities": capabilities}
        pulls.ask("initialize", asked)
        pulls.tell("initialized", {})
        document = {"uri": pulls.uri(".gitignore"), "languageId": "x", "version": 1, "text": "x[\n"}
        pulls.tell("textDocument/didOpen", {"textDocument": document})
        asked = {"textDocument": {"uri": pulls.uri(".gitignore")}}
        report = pulls.ask("textDocument/diagnostic", asked)
        assert report["items"], report
        leave(pulls)
        print(f"{client.seen} messages, each as the protocol has it")


main()

#!/usr/bin/env python3
"""How long the language server takes to answer, with 200,000 files in the working tree.

benches/editor.py [--binary FILE] [--files N]

Asks each question 300 times, in the middle of typing, and gives the median and the 99th of 100 in milliseconds; and how long it
takes from a key to what is wrong with the rules.
"""
import argparse
import json
import pathlib
import statistics
import subprocess
import tempfile
import time

from grounds import stations


class Server:
    def __init__(self, binary, top):
        self.process = subprocess.Popen([binary, "editor"], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        self.asked = 0
        self.top = top
        self.ask("initialize", {"processId": None, "rootUri": top.as_uri(), "capabilities": {"textDocument": {"inlayHint": {}}}})
        self.tell("initialized", {})

    def send(self, message):
        text = json.dumps({"jsonrpc": "2.0", **message}).encode()
        self.process.stdin.write(b"Content-Length: %d\r\n\r\n" % len(text) + text)
        self.process.stdin.flush()

    def read(self):
        return json.loads(self.body())

    def body(self):
        length = 0
        while (line := self.process.stdout.readline().strip()):
            name, value = line.split(b": ")
            length = int(value) if name == b"Content-Length" else length
        return self.process.stdout.read(length)

    def tell(self, method, params):
        self.send({"method": method, "params": params})

    def ask(self, method, params):
        self.asked += 1
        self.send({"id": self.asked, "method": method, "params": params})
        while (message := self.read()).get("id") != self.asked:
            pass
        return message.get("result")

    def hear(self, version):
        """Waits until it is known what is wrong with a state of the text. The list is not taken apart: how long that takes is no
        business of the server's."""
        told, of_it = b'"textDocument/publishDiagnostics"', b'"version":%d' % version
        while told not in (body := self.body()) or of_it not in body:
            pass
        return body


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--binary", default="target/release/redshank")
    parser.add_argument("--files", type=int, default=200_000)
    parser.add_argument("--rules", type=int, default=10_000)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory() as work:
        top = pathlib.Path(work).resolve()
        stations(top, given.files)
        server = Server(pathlib.Path(given.binary).resolve(), top)
        uri = (top / ".gitignore").as_uri()
        rules = [f"/station-{number}/year-{number}/" for number in range(40)] + ["*.csv", "*.nowhere", "x["]
        text = "\n".join(rules) + "\n"
        start = time.perf_counter()
        server.tell("textDocument/didOpen", {"textDocument": {"uri": uri, "languageId": "", "version": 1, "text": text}})
        server.hear(1)
        print(f"first answer on {given.files:,} files: {(time.perf_counter() - start) * 1000:.0f} ms")
        typed = []
        for version in range(2, 42):
            start = time.perf_counter()
            text = "\n".join(rules + [f"level-{version}.raw"]) + "\n"
            server.tell("textDocument/didChange", {"textDocument": {"uri": uri, "version": version}, "contentChanges": [{"text": text}]})
            server.hear(version)
            typed.append((time.perf_counter() - start) * 1000)
        place = {"textDocument": {"uri": uri}, "position": {"line": 40, "character": 2}}
        whole = {"start": {"line": 0, "character": 0}, "end": {"line": 99, "character": 0}}
        at = {"start": place["position"], "end": place["position"]}
        questions = {
            "textDocument/hover": place,
            "textDocument/inlayHint": {"textDocument": {"uri": uri}, "range": whole},
            "textDocument/codeAction": {"textDocument": {"uri": uri}, "range": at, "context": {"diagnostics": []}},
            "textDocument/references": {**place, "context": {"includeDeclaration": True}},
            "textDocument/completion": place,
            "textDocument/semanticTokens/range": {"textDocument": {"uri": uri}, "range": whole},
        }
        print(f"{'':28} {'median':>9} {'99 of 100':>9}")
        version = 41
        for method, params in questions.items():
            times = []
            for nth in range(300):
                if nth % 3 == 0:
                    # Somebody types on: the answer must not wait for what that comes to.
                    version += 1
                    changed = text + "#" * (nth % 5) + "\n"
                    server.tell("textDocument/didChange", {"textDocument": {"uri": uri, "version": version}, "contentChanges": [{"text": changed}]})
                start = time.perf_counter()
                server.ask(method, params)
                times.append((time.perf_counter() - start) * 1000)
            print(f"{method:28} {statistics.median(times):6.1f} ms {sorted(times)[int(len(times) * 0.99)]:6.1f} ms")
        print(f"{'from a key to what is wrong':28} {statistics.median(typed):6.1f} ms {max(typed):6.1f} ms")
        leave(server)
    with tempfile.TemporaryDirectory() as work:
        top = pathlib.Path(work).resolve()
        stations(top, 1_000)
        server = Server(pathlib.Path(given.binary).resolve(), top)
        uri = (top / ".gitignore").as_uri()
        rules = "".join(f"/station-{number}/level-{number}.csv\n" for number in range(given.rules))
        server.tell("textDocument/didOpen", {"textDocument": {"uri": uri, "languageId": "", "version": 1, "text": rules}})
        server.hear(1)
        typed = []
        for version in range(2, 32):
            place = {"line": given.rules // 2, "character": 0}
            change = {"range": {"start": place, "end": place}, "text": "x"}
            start = time.perf_counter()
            server.tell("textDocument/didChange", {"textDocument": {"uri": uri, "version": version}, "contentChanges": [change]})
            server.hear(version)
            typed.append((time.perf_counter() - start) * 1000)
        print(f"{given.rules:,} rules in 1,000 files, from a key: {statistics.median(typed):6.1f} ms {max(typed):6.1f} ms")
        leave(server)


def leave(server):
    server.ask("shutdown", None)
    server.tell("exit", None)
    server.process.wait()


main()

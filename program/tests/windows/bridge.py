#!/usr/bin/env python3
"""The real git for programs under wine: GIT.exe (git.rs) hands each call over.

    bridge.py GIT.exe COMMAND...

runs a command whose programs for Windows find that git.
"""

import os
import re
import shutil
import socket
import struct
import subprocess
import sys
import tempfile
import threading

PREFIX = os.environ.get("WINEPREFIX", os.path.expanduser("~/.wine"))
DRIVE_C = f"{PREFIX}/drive_c"


def to_unix(text):
    """A path on one of wine's drives as this system has it."""
    if not re.search(r"(?i)\b[cz]:[\\/]", text):
        return text
    text = re.sub(r"(?i)(\\\\\?\\)?\bz:[\\/]+", "/", text)
    text = re.sub(r"(?i)(\\\\\?\\)?\bc:[\\/]+", lambda _: f"{DRIVE_C}/", text)
    return text.replace("\\", "/")


def to_windows(data):
    """Paths that git says where lines start, the other way round."""
    data = re.sub(rb"(?m)^" + re.escape(DRIVE_C).encode(), b"C:", data)
    return re.sub(rb"(?m)^/", b"Z:/", data)


class Bridge:
    """Runs git for everyone who asks."""

    def __init__(self, env):
        self.env = env
        self.server = socket.create_server(("127.0.0.1", 0))
        self.port = self.server.getsockname()[1]
        threading.Thread(target=self.serve, daemon=True).start()

    def serve(self):
        while True:
            asked, _ = self.server.accept()
            threading.Thread(target=self.answer, args=(asked,), daemon=True).start()

    def answer(self, asked):
        stream = asked.makefile("rb")

        def number():
            return struct.unpack(">I", stream.read(4))[0]

        def words():
            return [stream.read(number()).decode() for _ in range(number())]

        [folder], args, environment = words(), words(), words()
        env = {**self.env, **{k: to_unix(v) for k, v in (one.split("=", 1) for one in environment)}}
        git = subprocess.Popen(
            ["git", *map(to_unix, args)],
            cwd=to_unix(folder),
            env=env,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )
        lock = threading.Lock()
        # Only what asks where things are is answered with paths.
        gives_paths = "rev-parse" in args or "var" in args

        def send(kind, data):
            with lock:
                asked.sendall(struct.pack(">BI", kind, len(data)) + data)

        def feed():
            try:
                while length := number():
                    git.stdin.write(stream.read(length))
                    git.stdin.flush()
            except (OSError, ValueError, struct.error):
                pass
            try:
                git.stdin.close()
            except OSError:
                pass

        def pass_on(kind, pipe):
            while data := pipe.read1(1 << 16):
                if gives_paths:
                    data = to_windows(data)
                send(kind, data)

        threading.Thread(target=feed, daemon=True).start()
        readers = [
            threading.Thread(target=pass_on, args=(1, git.stdout)),
            threading.Thread(target=pass_on, args=(2, git.stderr)),
        ]
        for reader in readers:
            reader.start()
        for reader in readers:
            reader.join()
        send(100 + git.wait() % 156, b"")
        asked.close()


def tools(folder, shim, env):
    """A folder with git.exe, and the environment in which programs under wine find it."""
    os.makedirs(folder, exist_ok=True)
    shutil.copy(shim, os.path.join(folder, "git.exe"))
    # Debian's wine lacks this library, of which one function is used (bcryptprimitives.c).
    library = os.environ.get("BCRYPTPRIMITIVES")
    if library:
        shutil.copy(library, os.path.join(folder, "bcryptprimitives.dll"))
    return {
        **env,
        "WINEDEBUG": "-all",
        "WINEPREFIX": PREFIX,
        "WINEPATH": str(folder),
        "GIT_BRIDGE": str(Bridge(env).port),
    }


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        env = tools(folder, sys.argv[1], dict(os.environ))
        sys.exit(subprocess.run(sys.argv[2:], env=env).returncode)

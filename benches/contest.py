"""Running commands in turn and comparing what they take."""

import dataclasses
import os
import resource
import statistics
import subprocess
import tempfile
import time

#: A person without settings.
HOME = tempfile.TemporaryDirectory()
ALONE = {"HOME": HOME.name, "XDG_CONFIG_HOME": HOME.name, "GIT_CONFIG_NOSYSTEM": "1", "LC_ALL": "C.UTF-8"}


@dataclasses.dataclass
class Command:
    """What is run: words, or a line for the shell."""

    words: object
    stdin: str = os.devnull
    #: Run before each time, and not measured.
    before: object = None


class Taken:
    """What a command took, each time it ran: seconds on the clock, and of the processor."""

    def __init__(self):
        self.wall, self.cpu = [], []

    def add(self, wall, cpu):
        self.wall.append(wall)
        self.cpu.append(cpu)

    @property
    def middle(self):
        return statistics.median(self.wall)


def environment():
    return {**os.environ, **ALONE}


def once(command, top):
    """Runs a command. Nobody reads what it says: a reader would take a core from those who use two."""
    if command.before:
        command.before()
    shell = isinstance(command.words, str)
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    start = time.perf_counter()
    with open(command.stdin, "rb") as given:
        subprocess.run(command.words, cwd=top, stdin=given, shell=shell, env=environment(), check=False,
                       stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    wall = time.perf_counter() - start
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return wall, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def in_turn(commands, top, rounds):
    """Runs all commands in turn, so often, after one time that doesn't count; gives what each took."""
    taken = {name: Taken() for name in commands}
    for nth in range(rounds + 1):
        for name, command in commands.items():
            wall, cpu = once(command, top)
            if nth > 0:
                taken[name].add(wall, cpu)
    return taken


def ratios(above, below):
    """The ratio of the medians, and the lowest and the highest of any one round."""
    each = [a / b for a, b in zip(above, below)]
    return statistics.median(above) / statistics.median(below), min(each), max(each)


def peak(words, top):
    """The most bytes that a command has in memory."""
    reader = ("import os, resource, subprocess, sys\n"
              "subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, stdin=subprocess.DEVNULL)\n"
              "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)")
    said = subprocess.run(["python3", "-c", reader, *map(str, words)], cwd=top, env=environment(), check=True, capture_output=True)
    return int(said.stdout) * 1024

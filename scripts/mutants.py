#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Would the tests notice? Changes one operator at a time in the named modules, and runs the tests that need no server.

    scripts/mutants.py [--each N] [--seed S] [--workers N] [MODULE ...]

A module is a path below src/ without its ending, or a folder: core/graph/plan, core, dump (these two by default). Of
each module N changes (default 6) are tried, picked by the seed; 0: all. A change that no test notices is reported with
its line, and the exit status is 1. Works on copies below build-mutants/, one for each worker (default: each processor).
"""
import argparse
import concurrent.futures
import os
import queue
import random
import re
import shutil
import subprocess
import sys

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
PLACES = os.path.join(ROOT, "build-mutants")
SECONDS = 60

# Where it is installed, the quicker one
GENERATOR = "Ninja" if shutil.which("ninja") else "Unix Makefiles"
BUILD = ["ninja", "-C", "build"] if GENERATOR == "Ninja" else ["make", "-C", "build", "-j1"]

# What is not code: comments, texts, characters, lines of the preprocessor
NOT_CODE = re.compile(r'/\*.*?\*/|"(?:[^"\\\n]|\\.)*"|\'(?:[^\'\\\n]|\\.)*\'|^[ \t]*#[^\n]*', re.S | re.M)
SWAPS = [(r"(?<= )==(?= )", "!="), (r"(?<= )!=(?= )", "=="), (r"(?<= )<(?= )", "<="), (r"(?<= )<=(?= )", "<"),
         (r"(?<= )>(?= )", ">="), (r"(?<= )>=(?= )", ">"), (r"(?<= )&&(?= )", "||"), (r"(?<= )\|\|(?= )", "&&"),
         (r"(?<= )\+(?= )", "-"), (r"(?<= )-(?= )", "+"), (r"(?<=\w)\+\+", "--"), (r"(?<= )\+=(?= )", "-="),
         (r"(?<=return )TRUE", "FALSE"), (r"(?<=return )FALSE", "TRUE"), (r"(?<=[(& ])!(?=\w)", "")]


def find_changes(path):
    """(start, end, replacement) of each operator of a file"""
    text = open(os.path.join(ROOT, path)).read()
    hidden = NOT_CODE.sub(lambda m: re.sub(r"[^\n]", "\0", m.group(0)), text)
    return sorted((m.start(), m.end(), new) for old, new in SWAPS for m in re.finditer(old, hidden))


def read_equivalents():
    """What changes nothing: lines of tests/mutants_same.txt before ' # ' and its reason, as reports show them"""
    with open(os.path.join(ROOT, "tests/mutants_same.txt")) as file:
        return {line.split(" # ")[0].strip() for line in file if line.strip() and not line.startswith("#")}


def list_modules(names):
    for name in names:
        folder = os.path.join(ROOT, "src", name)
        if os.path.isdir(folder):
            for where, _, files in sorted(os.walk(folder)):
                yield from (os.path.relpath(os.path.join(where, f), ROOT) for f in sorted(files) if f.endswith(".c"))
        else:
            yield f"src/{name}.c"


def run(place, *command):
    return subprocess.run(command, cwd=place, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                          timeout=SECONDS * 10).returncode == 0


def list_targets():
    """The tests that need no server"""
    tests = subprocess.check_output(["git", "ls-files", "tests"], cwd=ROOT, text=True).splitlines()
    names = [t[len("tests/"):-len(".c")].replace("/", "_") for t in tests if re.search(r"/test_\w+\.c$", t)]
    return [n for n in names if not re.match(r"cli_|engine_test_(mariadb|postgres)$|work_restore_test_claim$", n)]


def make_place(number):
    place = os.path.join(PLACES, str(number))
    shutil.rmtree(place, ignore_errors=True)
    os.makedirs(place)
    for name in subprocess.check_output(["git", "ls-files"], cwd=ROOT, text=True).splitlines():
        target = os.path.join(place, name)
        os.makedirs(os.path.dirname(target), exist_ok=True)
        shutil.copy2(os.path.join(ROOT, name), target)
    if not (run(place, "cmake", "-G", GENERATOR, "-S", ".", "-B", "build", "-DCMAKE_BUILD_TYPE=Debug",
                "-DCMAKE_C_FLAGS_DEBUG=-O0") and run(place, *BUILD, *TARGETS)):
        sys.exit("mutants: the unchanged tree does not build")
    return place


def list_tests(path):
    """The module's own test first, then those of its room; what takes long last"""
    _, room, *_, name = path[:-len(".c")].split("/")
    slow = ["dump_test_sizes", "work_restore_test_restore"]
    return sorted(TARGETS, key=lambda t: (not t.endswith("_test_" + name), t in slow, not t.startswith(room), t))


def is_noticed(place, path):
    """Each test is linked only when the ones before it have noticed nothing"""
    for test in list_tests(path):
        if not run(place, *BUILD, test):
            return None  # no program at all
        try:
            done = subprocess.run(["build/tests/" + test], cwd=place, stdout=subprocess.DEVNULL,
                                  stderr=subprocess.DEVNULL, timeout=SECONDS)
        except subprocess.TimeoutExpired:
            return test
        if done.returncode != 0:
            return test
    return ""


def try_change(place, path, change):
    start, end, new = change
    target = os.path.join(place, path)
    text = open(os.path.join(ROOT, path)).read()
    with open(target, "w") as file:
        file.write(text[:start] + new + text[end:])
    try:
        noticed = is_noticed(place, path)
    finally:
        with open(target, "w") as file:
            file.write(text)
    line = text.count("\n", 0, start)
    return noticed, path, line + 1, f"{text[start:end]} to {new or 'nothing'}: {text.splitlines()[line].strip()}"


TARGETS = list_targets()


def main():
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--each", type=int, default=6)
    parser.add_argument("--seed", default="hornbeam")
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1)
    parser.add_argument("modules", nargs="*", default=["core", "dump"])
    wishes = parser.parse_args()
    chosen, same = [], read_equivalents()
    for path in list_modules(wishes.modules):
        changes = find_changes(path)
        if wishes.each and len(changes) > wishes.each:
            changes = random.Random(wishes.seed + path).sample(changes, wishes.each)
        chosen += [(path, change) for change in changes]
    places = queue.Queue()
    for number in range(wishes.workers):
        places.put(make_place(number))

    def work(item):
        place = places.get()
        try:
            return try_change(place, *item)
        finally:
            places.put(place)

    tried = survived = 0
    with concurrent.futures.ThreadPoolExecutor(wishes.workers) as pool:
        for noticed, path, line, what in pool.map(work, chosen):
            tried += noticed is not None
            if noticed == "" and f"{path}: {what}" not in same:
                survived += 1
                print(f"survives: {path}:{line}: {what}", flush=True)
    print(f"mutants: {tried} tried, {survived} survived")
    return 1 if survived else 0


if __name__ == "__main__":
    sys.exit(main())

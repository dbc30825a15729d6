#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""A line of docs/moves.md: what a restore and a verify said in JSON. Usage: moves.py RESTORED STATUS VERIFIED STATUS"""
import json
import sys


def read(path):
    try:
        return json.load(open(path))
    except ValueError:
        return {}


def main():
    restored, verified = read(sys.argv[1]), read(sys.argv[3])
    count = lambda *names: sum(len(restored.get(name, [])) for name in names)
    failed, named = count("failed", "left_out"), count("changed", "absent", "refused", "kept", "gone")
    differences = verified.get("differences", [])
    rows = sum(d["type"] == "rows" for d in differences)
    if "steps_done" not in restored or "differences" not in verified:
        print("not begun: blocked", "-", "-", "-", sep=" | ")
        return
    print(failed or "none", named or "nothing", f"{rows} differ" if rows else "the same", len(differences) - rows or "alike", sep=" | ")


main()

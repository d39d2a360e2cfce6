#!/usr/bin/env python3
"""Runs all bundled scenes on engines of other kinds and prints which claims fail, for docs/other-engines.md.

Use: scripts/other-engines.py PROGRAM C-SAMPLE-LIBRARY [FOLDER]
"""
import collections
import csv
import pathlib
import subprocess
import sys
import tempfile

STEPS = ["1/60", "1/240", "1/960"]


def main(program, library, folder):
    sample = pathlib.Path(__file__).resolve().parent.parent / "adapters/python/engine.py"
    engines = {
        "default": "builtin",
        "f32": "builtin:precision=f32",
        "compliant": "builtin:solver=compliant",
        "position": "builtin:solver=position",
        "C sample": f"lib:{library}",
        "Python sample": f"cmd:python3 {sample}",
    }
    failing, tally = collections.OrderedDict(), []
    for name, engine in engines.items():
        for step in STEPS:
            file = pathlib.Path(folder) / f"{name.replace(' ', '-')}-{step.replace('/', '_')}.csv"
            words = [program, "run", "--all", "--dt", step, "--engine", engine, "--format", "csv", "-q"]
            with open(file, "w") as out:
                subprocess.run(words, stdout=out, check=False)
            verdicts = {}
            with open(file) as rows:
                for row in csv.DictReader(rows):
                    verdicts[row["scene"]] = row["trial_verdict"]
                    if row["verdict"] == "fail" and row["severity"] == "must":
                        where = failing.setdefault((row["scene"], row["gauge"]), {}).setdefault(name, [])
                        if step not in where:
                            where.append(step)
            tally.append((name, step, collections.Counter(verdicts.values())))
    print("| engine | step | pass | fail | unsupported |\n|---|---|---:|---:|---:|")
    for name, step, counts in tally:
        print(f"| {name} | {step} | {counts['pass']} | {counts['fail']} | {counts['unsupported']} |")
    print("\n| scene | claim | fails on |\n|---|---|---|")
    for (scene, gauge), engines_of in sorted(failing.items()):
        where = "; ".join(f"{name} at {', '.join(steps)}" for name, steps in engines_of.items())
        print(f"| `{scene}` | `{gauge}` | {where} |")


if __name__ == "__main__":
    if len(sys.argv) not in (3, 4):
        sys.exit(__doc__)
    with tempfile.TemporaryDirectory() as scratch:
        main(sys.argv[1], sys.argv[2], sys.argv[3] if len(sys.argv) > 3 else scratch)

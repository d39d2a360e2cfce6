#!/usr/bin/env python3
"""Measures the sweep: speed-up of two jobs over one, going on after half is lost, and 50 kills at random moments.

    cargo build --release
    scripts/measure-sweep.py [--threads PROGRAM]

PROGRAM, when given, prints what a second core adds on this machine (lines of `name value unit`); it is run before and after each
pair, so that the speed-up can be told as a share of what there is.
"""

import argparse
import os
import random
import shutil
import signal
import statistics
import subprocess
import tempfile
import time

HERE = os.path.dirname(os.path.abspath(__file__))
IRONSPIN = os.path.join(HERE, "..", "target", "release", "ironspin")
SCENES = "ingot-stack hopper-count chute shot-sorter ingot-wall bearing-trays"
GRID = (
    f"{SCENES} --dt 1/30,1/60,1/90,1/120,1/240 --units 2^-10,0.01,1,100,2^10 "
    "--engine builtin --engine builtin:substeps=1,iterations=8 -q"
).split()
SMALL = (
    "first-drop ingot-stack slag-lob --dt 1/30,1/60,1/120,1/240 --units 2^-10,1 --engine builtin --engine builtin:swept=off -q"
).split()
DRAWN = ["result.json", "trials.csv", "map.txt"]


def sweep(grid, out, jobs):
    began = time.perf_counter()
    subprocess.run([IRONSPIN, "sweep", *grid, "--out", out, "--jobs", str(jobs)], stdout=subprocess.DEVNULL, check=False)
    return time.perf_counter() - began


def drawn(out):
    return [open(os.path.join(out, name), "rb").read() for name in DRAWN]


def second_core(program):
    if not program:
        return None
    text = subprocess.run([program, "200"], capture_output=True, text=True, check=True).stdout
    print("   ", text.strip().replace("\n", " | "))
    return text


def kills(place, count):
    whole, cut = os.path.join(place, "whole"), os.path.join(place, "cut")
    alone = sweep(SMALL, whole, 2)
    chance = random.Random(7)
    finished, lost, broken = set(), 0, 0
    begun = 0
    for number in range(count):
        # Now and then from the start again, so that every stage of a sweep is hit.
        if number % 10 == 0:
            shutil.rmtree(cut, ignore_errors=True)
            finished = set()
        child = subprocess.Popen([IRONSPIN, "sweep", *SMALL, "--out", cut, "--jobs", "2"], stdout=subprocess.DEVNULL)
        time.sleep(chance.uniform(0.0, 1.1 * alone))
        child.send_signal(signal.SIGKILL)
        child.wait()
        begun += 1
        trials = os.path.join(cut, "trials")
        now = {name for name in os.listdir(trials) if name.endswith(".json")} if os.path.isdir(trials) else set()
        lost += len(finished - now)
        for name in now:
            original = os.path.join(whole, "trials", name)
            broken += open(os.path.join(trials, name), "rb").read() != open(original, "rb").read()
        finished = now
    sweep(SMALL, cut, 2)
    same = drawn(cut) == drawn(whole)
    print(f"{begun} kills: {lost} finished trials lost, {broken} broken files, end result {'equal' if same else 'DIFFERENT'}")


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--threads")
    parser.add_argument("--pairs", type=int, default=3)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        ratios = []
        for pair in range(options.pairs):
            second_core(options.threads)
            one = sweep(GRID, os.path.join(place, f"one{pair}"), 1)
            two = sweep(GRID, os.path.join(place, f"two{pair}"), 2)
            ratios.append(one / two)
            print(f"300 trials: {one:.1f} s by one job, {two:.1f} s by two, {one / two:.3f} times faster")
        second_core(options.threads)
        print(f"median {statistics.median(ratios):.3f}")
        first, second = (os.path.join(place, name) for name in ("one0", "two0"))
        print("one job and two give", "the same bytes" if drawn(first) == drawn(second) else "DIFFERENT bytes")
        before = drawn(second)
        files = sorted(os.listdir(os.path.join(second, "trials")))
        for name in files[::2]:
            os.remove(os.path.join(second, "trials", name))
        again = sweep(GRID, second, 2)
        print(f"half of {len(files)} trials lost: {again:.1f} s, {'the same bytes' if drawn(second) == before else 'DIFFERENT bytes'}")
        kills(place, 50)


if __name__ == "__main__":
    main()

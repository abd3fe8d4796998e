#!/usr/bin/env python3
"""Predictions of a battery's own model against cells of another kind (cells.py): the model learns from one or two logs of
a cell and predicts charges and discharges that it did not see. Prints how often the 95 % interval holds the truth and how
far off the middle is. `predict.py CLI --count 40 --seed 1 [--floor 80]`; below the floor it fails."""
import argparse
import json
import pathlib
import random
import subprocess
import sys
import tempfile

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parent))
from cells import FLOOR, SET, Bench, Cell, Nickel, logged  # noqa: E402


def learn(cell, rng, rated, charge_c, discharge_c):
    cell.start(rng.uniform(.0, .15))
    bench = Bench([cell], longest=10)
    bench.rest(rng.uniform(120, 900))
    top = charge_c * rated
    bench.cc(top, SET[cell.kind])
    bench.cv(SET[cell.kind], top, rated / 20)
    bench.rest(rng.uniform(1800, 5400))
    if discharge_c:
        bench.cc(-discharge_c * rated, FLOOR[cell.kind])
        bench.rest(rng.uniform(900, 3600))
    return logged(bench.samples, rng.choice([2, 5, 10, 30]), rng, 1, fine=True)[0]


def full(cell, rated):
    cell.start(.9)
    bench = Bench([cell], longest=10)
    bench.cc(.3 * rated, SET[cell.kind])
    bench.cv(SET[cell.kind], .3 * rated, rated / 200)
    bench.rest(4 * 3600)


def discharge(cell, rated, rate):
    full(cell, rated)
    bench = Bench([cell], longest=5)
    bench.cc(-rate * rated, FLOOR[cell.kind])
    return bench.t, bench.charge_Ah, f"discharge:{rate * rated:.4f}A:{FLOOR[cell.kind]:.2f}V", 1


def charge(cell, rated, rate):
    """From half of what the model calls full and empty: told by the level itself, so only the second half is judged."""
    full(cell, rated)
    bench = Bench([cell], longest=10)
    bench.cc(-.2 * rated, -1e9, seconds=.5 * cell.capacity / (.2 * rated) * 3600)
    bench.rest(4 * 3600)
    start = bench.charge_Ah
    bench = Bench([cell], longest=5)
    bench.cc(rate * rated, SET[cell.kind])
    bench.cv(SET[cell.kind], rate * rated, rated / 20)
    return bench.t, bench.charge_Ah, f"charge:{rate * rated:.4f}A:{SET[cell.kind]:.2f}V:{rated / 20:.4f}A", start


def learn_nickel(cell, rng, rated, charge_c, discharge_c):
    """From where it happens to be, emptied or not, to the peak and down; with another charge behind it or not."""
    cell.start(rng.uniform(.05, .5))
    bench = Bench([cell], longest=5)
    bench.rest(rng.uniform(120, 900))
    if rng.random() < .6:
        bench.cc(-discharge_c * rated, FLOOR[cell.kind])
        bench.rest(rng.uniform(600, 1800))
    bench.to_peak(charge_c * rated, rng.uniform(.002, .006), 3 * 3600 / charge_c)
    bench.rest(rng.uniform(1800, 5400))
    bench.cc(-discharge_c * rated, FLOOR[cell.kind])
    bench.rest(rng.uniform(900, 3600))
    if rng.random() < .3:
        bench.to_peak(charge_c * rated, rng.uniform(.002, .006), 3 * 3600 / charge_c)
        bench.rest(rng.uniform(900, 3600))
    return logged(bench.samples, rng.choice([2, 5, 10, 30]), rng, 1, fine=True)[0]


def full_nickel(cell, rated):
    cell.start(.4)
    bench = Bench([cell], longest=5)
    bench.to_peak(.5 * rated, .003, 6 * 3600)
    bench.rest(3600)


def discharge_nickel(cell, rated, rate):
    full_nickel(cell, rated)
    bench = Bench([cell], longest=5)
    bench.cc(-rate * rated, FLOOR[cell.kind])
    return bench.t, bench.charge_Ah, f"discharge:{rate * rated:.4f}A:{FLOOR[cell.kind]:.2f}V", 1


def charge_nickel(cell, rated, rate, share):
    full_nickel(cell, rated)
    bench = Bench([cell], longest=10)
    bench.cc(-.2 * rated, -1e9, seconds=share * cell.capacity / (.2 * rated) * 3600)
    bench.rest(3600)
    start = bench.charge_Ah
    bench = Bench([cell], longest=5)
    bench.to_peak(rate * rated, .003, 3 * 3600 / rate)
    return bench.t, bench.charge_Ah, f"charge:{rate * rated:.4f}A:peak-3mV", start


def main():
    p = argparse.ArgumentParser()
    p.add_argument("cli")
    p.add_argument("--count", type=int, default=20)
    p.add_argument("--seed", type=int, default=1)
    p.add_argument("--floor", type=float, default=0)
    p.add_argument("--nickel", action="store_true")
    a = p.parse_args()
    rows = {}
    for n in range(a.count):
        rng = random.Random(1000 * a.seed + n)
        cell = Nickel(rng) if a.nickel else Cell(rng, rng.choice(["nmc", "nmc", "lfp"]))
        rated = cell.capacity * rng.uniform(1.0, 1.15)
        with tempfile.TemporaryDirectory() as folder:
            files = []
            for k, (c, d) in enumerate(([(.8, .5), (.5, .2)] if a.nickel else [(.4, .5), (.25, .2)])[: rng.choice([1, 2])]):
                path = pathlib.Path(folder) / f"log{k}.csv"
                path.write_text((learn_nickel if a.nickel else learn)(cell.copy(), rng, rated, c, d))
                files += ["--from", str(path)]
            plays = (("discharge 0.3C", lambda c: discharge(c, rated, .3)), ("discharge 1C", lambda c: discharge(c, rated, 1)),
                     ("charge 0.5C", lambda c: charge(c, rated, .5)))
            if a.nickel:
                plays = (("discharge 0.3C", lambda c: discharge_nickel(c, rated, .3)), ("discharge 1C", lambda c: discharge_nickel(c, rated, 1)),
                         ("charge 1C, half", lambda c: charge_nickel(c, rated, 1, .5)), ("charge 0.5C, half", lambda c: charge_nickel(c, rated, .5, .5)),
                         ("charge 0.5C, empty", lambda c: charge_nickel(c, rated, .5, .95)))
            for name, play in plays:
                seconds, moved, step, start = play(cell.copy())
                level = 1 if start == 1 else None
                command = [a.cli, "predict", *files, "--chemistry", cell.kind, "--series", "1", "--rated-ah", f"{rated:.3f}", "--ambient-c", "25", "--json"]
                if level is None:
                    told = subprocess.run([*command, "--do", "rest:1s"], capture_output=True, text=True, timeout=60)
                    if told.returncode:
                        rows.setdefault(name, []).append((False, 9, 9, told.stderr.strip()))
                        continue
                    level = 1 + start / json.loads(told.stdout)["model"]["capacity_Ah"]
                told = subprocess.run([*command, "--do", step, "--start-soc", f"{max(0, level):.5f}"], capture_output=True, text=True, timeout=60)
                if told.returncode:
                    rows.setdefault(name, []).append((False, 9, 9, told.stderr.strip()))
                    continue
                got = json.loads(told.stdout)["steps"][0]
                low, high = got["duration_interval_95_s"]
                if got["duration_s"] is None:
                    rows.setdefault(name, []).append((False, 9, 9, str(got["caveats"])))
                    continue
                rows.setdefault(name, []).append((low <= seconds <= high, got["duration_s"] / seconds - 1, (high - low) / 2 / seconds, cell.kind))
    worst = 100
    for name, all_rows in rows.items():
        held = 100 * sum(r[0] for r in all_rows) / len(all_rows)
        worst = min(worst, held)
        errors = sorted(abs(r[1]) for r in all_rows)
        widths = sorted(r[2] for r in all_rows)
        print(f"{name:18} held {held:5.1f} % of {len(all_rows)}; error median {100 * errors[len(errors) // 2]:.1f} %, nine of ten under "
              f"{100 * errors[int(.9 * len(errors))]:.1f} %; half width median {100 * widths[len(widths) // 2]:.1f} %")
        for r in all_rows:
            if abs(r[1]) > .1:
                print("   ", r)
    return 1 if worst < a.floor else 0


if __name__ == "__main__":
    sys.exit(main())

#!/usr/bin/env python3
"""Logs of published cells by a foreign library, and how often our stated intervals hold their truth.

    published_cells.py FOLDER [--count N] [--seed S] [--quickest SECONDS] [--loggers N] [--heat] [--judge CLI]

The library is PyBaMM (`pip install pybamm`, 26.10; Sulzer et al., J. Open Res. Softw. 9 (2021) 14), a solver of textbook battery
models; cells are its published parameter sets: Chen et al. 2020, O'Kane et al. 2022, Mohtat et al. 2020, Marquis et al. 2019, Ecker et
al. 2015 (single particle with electrolyte) and Prada et al. 2013 (LFP, single particle). With --heat they also warm (lumped), begin at 5 to 40 °C,
are charged at 0.2 to 2C down to C/8 to C/40 and discharged at constant current or power, and Ai et al. 2020, O'Regan et al. 2022 and Kim et al. 2011
join them. Each rests, is charged to a taper, rests and is discharged; a logger with interval, resolution, noise, gain and offset inside the default limits looks on. Logs are written gzipped, their
truth into truth.json; --judge asks the command line and prints a table. The twelve logs in published/ are those of `--count 12 --seed 7
--quickest 5`, the eighteen in heated/ those of `--count 18 --seed 9 --quickest 10 --heat`; published_test.cpp reads them, without the library.
What a constant is set on is of even seeds, what is said of it in docs/methods.md of odd ones."""
import argparse
import gzip
import json
import math
import pathlib
import random
import subprocess

import numpy as np
import pybamm

CELLS = [("Chen2020", "nmc", 4.2, 2.5, "SPMe"), ("Prada2013", "lfp", 3.6, 2.0, "SPM"), ("OKane2022", "nmc", 4.2, 2.5, "SPMe"),
         ("Mohtat2020", "nmc", 4.2, 3.0, "SPMe"), ("Marquis2019", "nmc", 4.1, 3.105, "SPMe"), ("Ecker2015", "nmc", 4.2, 2.7, "SPMe")]
HEATED = [c for c in CELLS if c[0] != "Prada2013"] + [
    ("Ai2020", "lco", 4.2, 3.0, "SPMe"), ("ORegan2022", "nmc", 4.2, 2.7, "SPMe"), ("NCA_Kim2011", "nca", 4.2, 2.9, "SPMe"), ("Prada2013", "lfp", 3.6, 2.0, "SPMe")]
FLOOR = {"nca": 3.0, "lco": 3.0, "nmc": 3.0, "lfp": 2.5}  # to which fullness counts, V


def played(n, rng, heat):
    """The steps of one cell as (time, voltage, current, temperature), and what is true of them."""
    cells = HEATED if heat else CELLS
    name, kind, top, floor, model = cells[n % len(cells)]
    warms = heat and name != "Prada2013"  # that set has no heat
    model = getattr(pybamm.lithium_ion, model)({"thermal": "lumped"} if warms else {})
    values = pybamm.ParameterValues(name)
    rated = float(values["Nominal cell capacity [A.h]"])
    amps, cutoff = rng.choice([.3, .5, .7, 1.0]) * rated, rated / rng.choice([10, 20, 20, 30])
    load, start = rng.choice([.2, .5, 1.0]) * rated, rng.uniform(.05, .5)
    around_C, watts = 25.0, False
    if heat:
        amps, cutoff = rng.choice([.2, .5, 1.0, 1.5, 2.0]) * rated, rated / rng.choice([8, 10, 15, 20, 20, 30, 40])
        around_C, watts = rng.choice([5, 15, 25, 40]), rng.random() < .5
        for key in ("Ambient temperature [K]", "Initial temperature [K]"):
            values.update({key: 273.15 + around_C}, check_already_exists=False)
    step, hours = pybamm.step, 3600

    def run(*steps):
        solver = {"solver": pybamm.IDAKLUSolver()} if heat else {}
        solution = pybamm.Simulation(model, experiment=pybamm.Experiment(list(steps)), parameter_values=values, **solver).solve(initial_soc=start)

        def warmth(s):
            return np.array(s["Volume-averaged cell temperature [K]"].entries) - 273.15 if warms else np.full(len(s["Time [s]"].entries), around_C)
        return [(np.array(s["Time [s]"].entries), np.array(s["Voltage [V]"].entries), -np.array(s["Current [A]"].entries), warmth(s))
                for s in (c.steps[0] for c in solution.cycles)]

    def charge(period, until):
        return (step.current(-amps, termination=f"{top}V", period=period, duration=8 * hours),
                step.voltage(top, termination=f"{until}A", period=period, duration=30 * hours))
    fine = 5.0 if heat else 1.0
    rest = step.rest(duration=rng.uniform(90, 400), period=fine)
    taken = (step.power(load * 3.6, termination=f"{floor}V", period=fine, duration=8 * hours) if watts else
             step.current(load, termination=f"{floor}V", period=fine, duration=8 * hours))
    steps = run(rest, *charge(fine, cutoff), step.rest(duration=rng.uniform(1800, 4000), period=fine), taken, step.rest(duration=1200, period=fine))
    wait = step.rest(duration=100)
    # The same taper carried on to a thousandth of the rating; a rest of thirty hours; a slow discharge from the stop.
    t, _, i, _ = run(wait, *charge(10.0, rated / 1000))[2]
    from_stop = np.argmax(i <= cutoff)
    left = float(np.trapezoid(i[from_stop:], t[from_stop:])) / 3600
    rested = float(run(wait, *charge(10.0, cutoff), step.rest(duration=30 * hours, period=600.0))[3][1][-1])
    slow = run(wait, *charge(10.0, cutoff), step.rest(duration=600),
               step.current(.2 * rated, termination=f"{max(floor, FLOOR[kind])}V", period=10.0, duration=8 * hours))[4][0]
    holds = .2 * rated * float(slow[-1] - slow[0]) / 3600
    moved = [float(np.trapezoid(s[2], s[0])) / 3600 for s in steps]
    truth = {"knee_time": float(steps[1][0][-1]), "cv_set_voltage": top, "taper_end_current": cutoff, "charge_in_cv": moved[2],
             "charge_in": moved[1] + moved[2], "delivered_capacity": -moved[4], "charge_left_at_stop": left, "rested_voltage": rested,
             "fullness_at_stop": 100 * holds / (holds + left),
             "delivered_energy": -float(np.trapezoid(steps[4][2] * steps[4][1], steps[4][0])) / 3600}
    before = float(steps[0][1][-1])
    for d in (1, 10, 30):
        truth[f"resistance_{d}s"] = (float(np.interp(steps[1][0][0] + d, steps[1][0], steps[1][1])) - before) / amps
    if heat:  # the solver's rows are five seconds apart
        truth = {k: x for k, x in truth.items() if not k.startswith("resistance")}
    return {"cell": name, "chemistry": kind, "rated_Ah": rated, "steps": steps, "truth": truth, "around_C": around_C if heat else None, "watts": watts}


def logged(cell, rng, quickest):
    """A table of the cell as a logger sees it, and its truth with times from the first row."""
    interval = rng.choice([s for s in (.2, .5, 1, 1, 2, 5, 10, 30) if s >= quickest])
    q_v = rng.choice([.0001, .001, .001, .002, .005, .01])
    q_i = rng.choice([.001, .001, .005, .01] if cell["rated_Ah"] > 1 else [.0001, .0005, .001])
    steps = cell["steps"]
    t = np.arange(steps[0][0][0] + rng.random() * interval, steps[-1][0][-1], interval)
    v, i, warm = np.empty_like(t), np.empty_like(t), np.empty_like(t)
    for at, volts, amps, degrees in steps:
        inside = (t >= at[0]) & (t <= at[-1])
        v[inside], i[inside], warm[inside] = (np.interp(t[inside], at, x) for x in (volts, amps, degrees))
    noise = np.random.default_rng(rng.randrange(1 << 30))
    for column, q in ((v, q_v), (i, q_i)):
        column *= 1 + rng.uniform(-.005, .005)
        column += rng.uniform(-1, 1) * q + noise.normal(0, 1, len(t)) * rng.choice([0, 0, .3, 1]) * q
        column[:] = np.round(column / q) * q
    digits = [max(0, -math.floor(math.log10(q) + 1e-9)) for q in (q_v, q_i)]
    lines = [f"{a:.2f},{b:.{digits[0]}f},{c:.{digits[1]}f}" for a, b, c in zip(t, v, i)]
    truth = dict(cell["truth"], knee_time=cell["truth"]["knee_time"] - float(t[0]))
    if cell["around_C"] is None:
        return "Time [s],Voltage [V],Current [A]\n" + "\n".join(lines) + "\n", truth
    lines = [f"{line},{degrees:.1f}" for line, degrees in zip(lines, warm)]
    return "Time [s],Voltage [V],Current [A],Temperature [°C]\n" + "\n".join(lines) + "\n", truth


def judge(cli, path, entry, table):
    run = subprocess.run([cli, "analyse", str(path), "--json", "--chemistry", entry["chemistry"], "--series", "1", "--rated-ah",
                          f"{entry['rated_Ah']:.4f}"], capture_output=True, check=True)
    report = json.loads(run.stdout)
    kinds = [s["kind"] for s in report["steps"]]
    right = kinds == ["rest", "cc_charge", "cv_charge", "rest", "cp_discharge" if entry.get("watts") else "cc_discharge", "rest"]
    table.setdefault("steps", []).append((right, 0.0))
    for name, true in entry["truth"].items():
        found = [r for r in report["readings"] if r["name"] == name and r["value"] is not None
                 and (name != "rested_voltage" or kinds[r["step"] - 1] == "cv_charge")
                 and (not name.startswith("resistance") or r["from_s"] < entry["truth"]["knee_time"])]
        if found:
            low, high = found[0]["interval_95"]
            table.setdefault(name, []).append((low <= true <= high, abs(found[0]["value"] - true) / max(1e-12, (high - low) / 2)))
        else:
            table.setdefault(name, [])


def main():
    options = argparse.ArgumentParser()
    options.add_argument("folder", type=pathlib.Path)
    options.add_argument("--count", type=int, default=12)
    options.add_argument("--seed", type=int, default=7)
    options.add_argument("--quickest", type=float, default=0)
    options.add_argument("--loggers", type=int, default=1)
    options.add_argument("--heat", action="store_true")
    options.add_argument("--judge", metavar="CLI")
    choice = options.parse_args()
    pybamm.set_logging_level("ERROR")
    choice.folder.mkdir(parents=True, exist_ok=True)
    rng, entries, table = random.Random(choice.seed), [], {}
    for n in range(choice.count):
        try:
            cell = played(n, rng, choice.heat)
        except (pybamm.SolverError, IndexError, KeyError) as problem:
            print(f"{n}: the library could not play it: {str(problem)[:100]}")
            continue
        for k in range(choice.loggers):
            text, truth = logged(cell, rng, choice.quickest)
            path = choice.folder / f"{n:02}-{k}-{cell['cell'].lower()}.csv.gz"
            path.write_bytes(gzip.compress(text.encode(), mtime=0))
            entries.append({"file": path.name, "chemistry": cell["chemistry"], "rated_Ah": cell["rated_Ah"], "truth": truth})
            if choice.heat:
                entries[-1]["watts"] = cell["watts"]
            if choice.judge:
                judge(choice.judge, path, entries[-1], table)
    (choice.folder / "truth.json").write_text(json.dumps(entries, indent=1) + "\n")
    for name, rows in table.items():
        sizes = sorted(size for _, size in rows)
        print(f"{name:22} {sum(held for held, _ in rows)} of {len(rows)}   |error| over half the interval {sizes[len(sizes) // 2] if sizes else 0:.2f}")


if __name__ == "__main__":
    main()

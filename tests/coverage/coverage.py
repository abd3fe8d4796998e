#!/usr/bin/env python3
"""How often stated intervals hold the truth, on logs of batteries that the program does not share a line or a table with.

    coverage.py CLI [--count N] [--seed S] [--floor PERCENT] [--strict] [--wrong PERCENT] [--parts] [--worst]

Lithium cells are a single-particle model: spherical diffusion in one electrode (finite volumes, implicit), kinetics after
Butler and Volmer in its symmetric form, an ohmic part; a charger of constant current, then constant voltage, that stops at
a taper. (Equations as in any textbook of battery modelling, from memory.) The nickel cell takes charge with an efficiency
that falls near full; what is not stored becomes heat, which lowers the voltage: together the peak. Events lie between rows.
The logger has an interval, a resolution, noise, gain and offset inside the default accuracy. Whole cycles, packs, rates and
loads are in families.py, on the cells of cells.py. Only Python's own library. Ends with 1 when a reading's interval holds
the truth less often than asked, or too many logs have wrong steps or false findings."""
import argparse
import concurrent.futures
import json
import math
import os
import pathlib
import random
import subprocess
import sys
import tempfile

import families

SHELLS = 14
# Open-circuit voltage over the share of charge taken in, rough shapes from memory, and the diffusion time.
OCV = {"nmc": [(0, 3.0), (.03, 3.3), (.1, 3.48), (.25, 3.6), (.45, 3.68), (.6, 3.82), (.75, 3.95), (.9, 4.1), (1, 4.22), (1.1, 4.4)],
       "lfp": [(0, 2.6), (.03, 3.0), (.1, 3.2), (.3, 3.285), (.6, 3.33), (.9, 3.35), (.97, 3.4), (1, 3.55), (1.03, 3.9)]}


def interpolate(table, x):
    for (a, va), (b, vb) in zip(table, table[1:]):
        if x <= b:
            return va + (vb - va) * (x - a) / (b - a)
    return table[-1][1]


class Lithium:
    def __init__(self, rng, kind):
        self.kind = kind
        self.capacity = rng.choice([1.1, 2.1, 2.9, 5.0]) * rng.uniform(.85, 1.0)
        self.r0 = rng.uniform(.012, .05) * 2.5 / self.capacity
        self.i0 = rng.uniform(.3, 1.5) * self.capacity  # exchange current, A
        self.tau = rng.uniform(1500, 6000)              # radius² over diffusivity, s
        self.x = [0.0] * SHELLS
        r = [(k / SHELLS) for k in range(SHELLS + 1)]
        self.volume = [(b ** 3 - a ** 3) for a, b in zip(r, r[1:])]
        self.area = [3 * q * q for q in r]

    def start(self, x):
        self.x = [x] * SHELLS

    def step_rule(self, dt):
        """Inner concentrations after dt as a + b·I: the linear system solved once for each part."""
        h = 1 / SHELLS
        n = SHELLS
        lower, diagonal, upper = [0.0] * n, [0.0] * n, [0.0] * n
        for k in range(n):
            left = self.area[k] / h if k else 0.0
            right = self.area[k + 1] / h if k + 1 < n else 0.0
            f = dt / self.tau / self.volume[k]
            lower[k], upper[k], diagonal[k] = -f * left, -f * right, 1 + f * (left + right)
        flux = [0.0] * n
        flux[-1] = dt / 3600 / self.capacity / self.volume[-1]  # all that comes in enters the outer shell

        def solve(d):
            c, y = [0.0] * n, [0.0] * n
            c[0], y[0] = upper[0] / diagonal[0], d[0] / diagonal[0]
            for k in range(1, n):
                m = diagonal[k] - lower[k] * c[k - 1]
                c[k], y[k] = upper[k] / m, (d[k] - lower[k] * y[k - 1]) / m
            for k in range(n - 2, -1, -1):
                y[k] -= c[k] * y[k + 1]
            return y
        return solve(self.x), solve(flux)

    def voltage(self, x, i):
        # The surface lies half a shell beyond the outer one's middle.
        surface = x[-1] + i / 3600 / self.capacity * self.tau / 3 / SHELLS * .5
        return interpolate(OCV[self.kind], surface) + .0514 * math.asinh(i / 2 / self.i0) + i * self.r0


def lithium_case(rng):
    kind = rng.choice(["nmc", "nmc", "lfp"])
    cell = Lithium(rng, kind)
    rated = cell.capacity * rng.uniform(1.0, 1.15)
    interval = rng.choice([.1, .5, 1, 2, 5, 10, 30, 60])
    rate = rng.uniform(.3, 1.0)
    set_v = {"nmc": 4.2, "lfp": 3.65}[kind]
    cutoff = rated / rng.choice([10, 15, 20, 20])
    cell.start(rng.uniform(.35, .75) if interval < 2 else rng.uniform(.05, .5))
    dt = min(1.0, interval)
    rest0 = rng.randrange(4, 12) * max(interval, 5) + rng.random() * interval
    t, rows, truth = 0.0, [], {}
    knee = stop = None
    current = 0.0
    charge_cv = 0.0
    plateau = rate * rated
    phase = "rest"
    samples = []  # (t, v, i) on the fine grid; piecewise linear between
    pulse_at = None
    limit = 60000 / max(interval, .5)

    def note(i):
        samples.append((t, cell.voltage(cell.x, i), i))
    note(0.0)
    while t < rest0:
        a, b = cell.step_rule(min(dt, rest0 - t) or dt)
        cell.x = a
        t += min(dt, rest0 - t) or dt
        note(0.0)
    edge = t
    note(plateau)
    first_i = plateau
    answer = {}
    v_rest = samples[-2][1]
    phase, i = "cc", plateau
    while t < 5e5:
        # Small steps first: the answer at 1, 10 and 30 s is wanted exactly.
        step = dt if t - edge > 40 else min(dt, .25)
        a, b = cell.step_rule(step)

        def after(i):
            x = [p + q * i for p, q in zip(a, b)]
            return x, cell.voltage(x, i)
        if phase == "cc":
            x, v = after(plateau)
            if v >= set_v:
                v0 = samples[-1][1]
                part = (set_v - v0) / (v - v0) if v > v0 else 0.0
                part = min(max(part, 0.0), 1.0)
                a, b = cell.step_rule(max(step * part, 1e-6))
                cell.x = [p + q * plateau for p, q in zip(a, b)]
                t += step * part
                note(plateau)
                knee, phase, i = t, "cv", plateau
                continue
            cell.x = x
            t += step
            note(plateau)
            for d in (1, 10, 30):
                if d not in answer and t - edge >= d - 1e-9:
                    answer[d] = (v - v_rest) / plateau
        else:
            low, high = 0.0, i * 1.02
            for _ in range(40):
                mid = .5 * (low + high)
                if after(mid)[1] > set_v:
                    high = mid
                else:
                    low = mid
            new = .5 * (low + high)
            if new <= cutoff:
                part = (i - cutoff) / (i - new) if i > new else 1.0
                charge_cv += .5 * (i + cutoff) * step * part / 3600
                t += step * part
                a, b = cell.step_rule(max(step * part, 1e-6))
                cell.x = [p + q * cutoff for p, q in zip(a, b)]
                samples.append((t, set_v, cutoff))
                stop = t
                break
            charge_cv += .5 * (i + new) * step / 3600
            cell.x = after(new)[0]
            t += step
            i = new
            samples.append((t, set_v, i))
    samples.append((t, cell.voltage(cell.x, 0.0), 0.0))
    end = t + rng.randrange(5, 30) * max(interval, 5)
    while t < end:
        a, _ = cell.step_rule(dt)
        cell.x = a
        t += dt
        note(0.0)
    truth = {"knee_time": knee, "taper_end_current": cutoff, "charge_in_cv": charge_cv, "cv_set_voltage": set_v}
    for d in (1, 10, 30):
        if d in answer:
            truth[f"resistance_{d}s"] = answer[d]
    return samples, truth, interval, ["--chemistry", kind, "--series", "1", "--rated-ah", f"{rated:.3f}"]


def nickel_case(rng):
    capacity = rng.choice([.8, 1.8, 2.1]) * rng.uniform(.85, 1.0)
    series = rng.choice([1, 1, 4, 6])
    rate = rng.uniform(.5, 1.0)
    i = rate * capacity
    interval = rng.choice([1, 2, 5, 10, 30])
    r0 = rng.uniform(.02, .05) / capacity
    width, top = rng.uniform(.02, .04), rng.uniform(.97, 1.03)
    soc, temperature, t, lag = rng.uniform(.02, .3), 22.0, 0.0, 0.0
    mass = 22 * capacity
    samples, best, best_t = [], 0.0, None
    dt = 1.0
    stop_drop = rng.uniform(.004, .012)

    def volts(current):
        e = 1.18 + .12 * soc + .05 / (1 + math.exp(-(soc - .06) / .03)) + .075 / (1 + math.exp((top - soc) / width))
        return series * (e + current * r0 + lag - .0035 * (temperature - 22))
    while t < 60:
        samples.append((t, volts(0), 0.0))
        t += dt
    edge = t
    while t < 3 * 3600 / rate:
        efficiency = .99 / (1 + math.exp((soc - top) / (width * .8)))
        lag += (i * r0 * .7 - lag) * (1 - math.exp(-dt / 120))
        soc += i * efficiency * dt / 3600 / capacity
        temperature += dt * ((i * i * r0 + (1 - efficiency) * i * 1.45) / mass - (temperature - 22) / 1400)
        v = volts(i)
        samples.append((t, v, i))
        if t - edge > 600:
            if v > best:
                best, best_t = v, t
            elif best - v > stop_drop * series:
                break
        t += dt
    stop = t
    truth = {"peak_time": best_t, "peak_drop_per_cell": (best - samples[-1][1]) / series}
    t += rng.random() * dt
    for k in range(60):
        lag *= math.exp(-dt / 120)
        samples.append((t, volts(0), 0.0))
        t += max(dt, interval / 3)
    return samples, truth, interval, ["--chemistry", "nimh", "--series", str(series), "--rated-ah", f"{capacity:.3f}"]


def logged(samples, interval, rng, series):
    q_v, q_i = rng.choice([.0001, .001, .001, .002, .005, .01]), rng.choice([.001, .001, .005, .01, .02])
    noise_v, noise_i = rng.choice([0, 0, .3, 1.0]) * q_v, rng.choice([0, 0, .3, 1.0]) * q_i
    filtered = rng.random() < .3
    gain_v, gain_i = 1 + rng.uniform(-.005, .005), 1 + rng.uniform(-.005, .005)
    offset_v, offset_i = rng.uniform(-1, 1) * q_v, rng.uniform(-1, 1) * q_i
    first = rng.random() * interval * .5
    lines, t, k, ev, ei = ["Time [s],Voltage [V],Current [A]"], first, 0, 0.0, 0.0
    digits = lambda q: max(0, -math.floor(math.log10(q) + 1e-9))
    while t <= samples[-1][0]:
        while k + 1 < len(samples) and samples[k + 1][0] <= t:
            k += 1
        a, b = samples[k], samples[min(k + 1, len(samples) - 1)]
        part = (t - a[0]) / (b[0] - a[0]) if b[0] > a[0] else 0.0
        i = a[2] + part * (b[2] - a[2]) if abs(b[2] - a[2]) < .2 * max(abs(a[2]), 1e-9) else a[2]
        v = a[1] + part * (b[1] - a[1]) if abs(b[2] - a[2]) < .2 * max(abs(a[2]), 1e-9) or a[2] == b[2] else a[1]
        if filtered:
            ev, ei = .7 * ev + .714 * rng.gauss(0, noise_v), .7 * ei + .714 * rng.gauss(0, noise_i)
        else:
            ev, ei = rng.gauss(0, noise_v), rng.gauss(0, noise_i)
        v, i = v * gain_v + offset_v + ev, i * gain_i + offset_i + ei
        lines.append(f"{t:.2f},{round(v / q_v) * q_v:.{digits(q_v)}f},{round(i / q_i) * q_i:.{digits(q_i)}f}")
        t += interval
    return "\n".join(lines) + "\n", {"interval": interval, "q_v": q_v, "q_i": q_i, "noise": noise_v / q_v, "first": first}


def simple_case(rng):
    """One charge of either model here, in the form of families.py."""
    samples, truth, interval, options = (nickel_case if rng.random() < .45 else lithium_case)(rng)
    text, logger = logged(samples, interval, rng, 1)
    return {"files": [text], "command": "analyse", "truth": truth, "logger": logger, "options": options}


# How often each family is drawn.
SHARES = [("charge", .40, simple_case), ("oxygen", .05, families.oxygen), ("cycle", .22, families.full_cycle), ("pack", .12, families.pack),
          ("rates", .07, families.rates), ("loads", .14, families.loads)]


def answers_of(played, report):
    if played["command"] == "rate":
        return {view["view"]: (view["current_A"], view["interval_95"]) for view in report["views"]}
    answers = {}
    for r in report["readings"]:
        name = r["name"]
        if name == "rested_voltage" and report["steps"][r["step"] - 1]["kind"] == "cv_charge":
            name = "rested_voltage_after_charge"
        # The first of its name that is answered: the one of the charge that was played.
        if name in played["truth"] and (name not in answers or answers[name][0] is None):
            answers[name] = (r["value"], r["interval_95"])
    return answers


def case(cli, seed, folder):
    rng = random.Random(seed)
    pick, make = rng.random(), SHARES[-1][2]
    for _, share, maker in SHARES:
        if pick < share:
            make = maker
            break
        pick -= share
    played = make(rng)
    first = played["logger"]["first"]
    # Times count from the first row.
    truth = {name: true - first if name.endswith("_time") and true is not None else true for name, true in played["truth"].items()}
    paths = []
    for n, text in enumerate(played["files"]):
        path = pathlib.Path(folder) / f"{seed}-{n}.csv"
        path.write_text(text)
        paths.append(path)
    run = subprocess.run([cli, played["command"], *map(str, paths), "--json", *played["options"]], capture_output=True)
    for path in paths:
        path.unlink()
    if run.returncode != 0:
        return seed, played["logger"], {}, truth, ["refused: " + run.stderr.decode(errors="replace")[:200]]
    report = json.loads(run.stdout)
    wrong = []
    if "steps" in played:
        low, high = played["span"]
        kinds = [s["kind"] for s in report["steps"] if s["end_s"] > low + 3 and s["start_s"] < high - 3 and s["kind"] != "rest"]
        if kinds != played["steps"]:
            wrong.append(f"{played['logger']['what']}: steps {kinds[:8]}")
    wrong += [f"false finding {f['code']}" for f in report.get("findings", []) if f["code"] in played.get("never", [])]
    return seed, played["logger"], answers_of(played, report), truth, wrong


def wilson(held, n):
    """95 % interval of a share (Wilson, J. Am. Stat. Assoc. 22 (1927) 209-212)."""
    z, p = 1.96, held / n
    middle, half = (p + z * z / 2 / n) / (1 + z * z / n), z / (1 + z * z / n) * math.sqrt(p * (1 - p) / n + z * z / 4 / n / n)
    return middle - half, middle + half


def print_parts(rows):
    """Share that held, by the logger's interval and by its voltage resolution."""
    groups = [("to 1 s", lambda g: g["interval"] <= 1), ("to 10 s", lambda g: 1 < g["interval"] <= 10), ("over 10 s", lambda g: g["interval"] > 10),
              ("to 1 mV", lambda g: g["q_v"] <= .001), ("over 1 mV", lambda g: g["q_v"] > .001)]
    for name, chosen in groups:
        part = [held for logger, held in rows if chosen(logger)]
        if part:
            print(f"      {name:10s} {100 * sum(part) / len(part):5.1f}% of {len(part)}")


def main():
    options = argparse.ArgumentParser()
    options.add_argument("cli")
    options.add_argument("--count", type=int, default=120)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--floor", type=float, default=0, help="least share in % for each reading")
    options.add_argument("--strict", action="store_true", help="the 95 %% interval of each share must reach 93 %%")
    options.add_argument("--wrong", type=float, default=100, help="most cases in %% with wrong steps or false findings")
    options.add_argument("--parts", action="store_true", help="also by interval and resolution")
    options.add_argument("--worst", action="store_true")
    choice = options.parse_args()
    counts, wrong = {}, []
    with tempfile.TemporaryDirectory(prefix="nk-coverage-") as folder, concurrent.futures.ProcessPoolExecutor(os.cpu_count()) as pool:
        jobs = [pool.submit(case, choice.cli, choice.seed * 1000003 + n, folder) for n in range(choice.count)]
        for job in jobs:
            seed, logger, answers, truth, amiss = job.result()
            wrong += [(seed, text, logger) for text in amiss]
            for name, true in truth.items():
                if true is None:
                    continue
                c = counts.setdefault(name, {"n": 0, "held": 0, "asked": 0, "ratio": [], "width": [], "missed": [], "rows": []})
                c["asked"] += 1
                value, interval = answers.get(name, (None, None))
                if value is None or interval is None:
                    continue
                c["n"] += 1
                half = .5 * (interval[1] - interval[0])
                c["ratio"].append(abs(value - true) / max(half, 1e-15))
                c["width"].append(half / max(abs(true), 1e-9))
                held = interval[0] - 1e-12 <= true <= interval[1] + 1e-12
                c["held"] += held
                c["rows"].append((logger, held))
                if not held:
                    c["missed"].append((seed, round(value, 5), round(half, 5), round(true, 5), logger))
    failed = False
    print(f"{'reading':28s} {'answered':>9s} {'held':>7s}   median |error| over half the interval, median half width over the value")
    for name, c in sorted(counts.items()):
        if not c["n"]:
            print(f"{name:28s} {0:5d}/{c['asked']}")
            continue
        held = 100 * c["held"] / c["n"]
        middle = lambda x: sorted(x)[len(x) // 2]
        low, high = wilson(c["held"], c["n"])
        bad = (choice.strict and high < .93) or (held < choice.floor and c["n"] >= 10)
        failed |= bad
        print(f"{name:28s} {c['n']:5d}/{c['asked']:<4d} {held:6.1f}%   {middle(c['ratio']):.2f}   {middle(c['width']):.3g}{'   TOO LOW' if bad else ''}")
        if choice.parts:
            print_parts(c["rows"])
        if choice.worst:
            for miss in c["missed"][:6]:
                print("     ", *miss)
    share = 100 * len(wrong) / choice.count
    print(f"wrong steps, false findings, refusals: {len(wrong)} of {choice.count} logs")
    for text in wrong[:10]:
        print("     ", *text)
    return 1 if failed or share > choice.wrong else 0


if __name__ == "__main__":
    sys.exit(main())

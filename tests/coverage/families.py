"""Families of logs for the coverage table: whole cycles, packs, rates, loads. Each takes a random source and returns the
files, the command and what is true. What a quantity is stands in docs/methods.md."""
import math

from cells import Bench, Cell, FLOOR, Nickel, SET, logged

INTERVALS = [.2, .5, 1, 2, 5, 10, 30, 60]


def full_cycle(rng):
    """Charge from a part or from the floor, rest, discharge at 0.2C to the floor, rest: fullness, charge left, rested voltage."""
    kind = rng.choice(["nmc", "nmc", "lfp"])
    cell = Cell(rng, kind)
    rated = cell.capacity * rng.uniform(1.0, 1.3)
    interval = rng.choice(INTERVALS)
    cell.start(rng.uniform(.5, .8) if interval < 1 else rng.uniform(.3, .7))
    bench = Bench([cell], longest=max(min(interval, 10), 1))
    counted = rng.random() < .5
    bench.rest(rng.uniform(60, 300))
    if counted:
        bench.cc(-.3 * rated, FLOOR[kind])
        bench.rest(rng.uniform(300, 1200))
    top = rng.uniform(.3, .8) * rated
    soft = rng.choice([0, 0, 0, .02, .05]) / rated
    set_v = SET[kind]
    bench.run(lambda b, dt: top, lambda b, i: b.pack(i) + soft * i >= set_v)
    cutoff = rated / rng.choice([5, 8, 10, 15, 20, 20, 30])
    bench.cv(set_v, top, cutoff, soft)
    stop = cell.copy()
    end_v = cell.voltage(cutoff)
    bench.rest(rng.uniform(900, 7200))
    rested = cell.rested()
    rest_step = True
    discharge = rng.random() < .6
    if discharge:
        rate = .2 * rated
        bench.cc(-rate, FLOOR[kind])
        bench.rest(rng.uniform(600, 2400))
    left = Bench([stop.copy()], 20)
    left.cv(end_v, 2 * cutoff, rated / 1000)
    whole = Bench([stop.copy()], 20)
    whole.cells[0].temperature = whole.cells[0].ambient = 25.0
    whole.cc(-.2 * rated, FLOOR[kind])
    d = -whole.charge_Ah
    truth = {"charge_left_at_stop": left.charge_Ah, "fullness_at_stop": 100 * d / (d + left.charge_Ah),
             "taper_end_current": cutoff, "rested_voltage_after_charge": rested}
    text, logger = logged(bench.samples, interval, rng, 1, jitter=rng.choice([0, 0, .1]))
    return {"files": [text], "command": "analyse", "truth": truth, "logger": logger | {"kind": kind, "soft": soft, "d": discharge, "f": counted, "cut": rated / cutoff},
            "options": ["--chemistry", kind, "--series", "1", "--rated-ah", f"{rated:.3f}"]}


def pack(rng):
    """A string of unlike cells, one of them weaker or charged less, discharged until the first is at its floor."""
    kind = rng.choice(["nmc", "lfp"])
    n = rng.choice([3, 4, 4, 6])
    capacity = rng.choice([1.2, 2.5, 5.0])
    shape = rng.getstate()
    cells = []
    first = Cell(rng, kind, capacity)
    weak = rng.randrange(n)
    kind_of = rng.choice(["small", "behind", "both", "even"])
    for k in range(n):
        c = first.copy()
        c.rules = {}
        c.capacity = capacity * (1 + rng.gauss(0, .006))
        c.r25 *= 1 + rng.gauss(0, .04)
        start = 1 - abs(rng.gauss(0, .004))
        if k == weak and kind_of in ("small", "both"):
            c.capacity *= rng.uniform(.75, .95)
            c.r25 *= rng.uniform(1, 1.6)
        if k == weak and kind_of in ("behind", "both"):
            start -= rng.uniform(.02, .15)
        c.start(start)
        cells.append(c)
    del shape
    interval = rng.choice([1, 2, 5, 10, 30, 60])
    bench = Bench(cells, longest=max(min(interval, 10), 2))
    bench.rest(rng.uniform(120, 900))
    i = rng.uniform(.15, .7) * capacity
    floor = FLOOR[kind]
    bench.cc(-i, floor, each=True)
    volts = [c.voltage(-i) for c in cells]
    weakest = volts.index(min(volts))
    left = []
    for k, c in enumerate(cells):
        if k == weakest:
            continue
        other = Bench([c.copy()], 20)
        other.cc(-i, floor)
        left.append(-other.charge_Ah)
    bench.rest(rng.uniform(120, 900))
    text, logger = logged(bench.samples, interval, rng, n, cells=True)
    truth = {"imbalance_loss": sum(left) / len(left)}
    if max(left) > .02 * capacity:
        truth["weakest_cell"] = weakest + 1
    return {"files": [text], "command": "analyse", "truth": truth, "logger": logger | {"kind": kind, "what": kind_of, "c": i / capacity},
            "options": ["--chemistry", kind, "--series", str(n), "--rated-ah", f"{capacity:.3f}"]}


def rates(rng):
    """The same cell from full and rested at three or four currents: C by sag and by heat."""
    kind = rng.choice(["lipo", "lipo", "nmc", "lfp"])
    cell = Cell(rng, kind, rng.choice([.85, 1.3, 2.2, 5.0]) * rng.uniform(.95, 1.05), resistance=rng.uniform(.25, .7))
    cell.tau = rng.uniform(300, 1200)
    rated = cell.capacity * rng.uniform(.98, 1.04)
    floor = FLOOR[kind]

    def discharge(i, cap=None, longest=2.0):
        c = cell.copy()
        c.rules = {}
        c.start(1.0)
        b = Bench([c], longest)
        b.cc(-i, floor, seconds=3600 * cap / i if cap else 1e9)
        return c, b

    def largest(holds):
        low, high = .2 * rated, 80 * rated
        for _ in range(22):
            middle = math.sqrt(low * high)
            if holds(middle):
                low = middle
            else:
                high = middle
        return math.sqrt(low * high)
    sag = largest(lambda i: -discharge(i, longest=3600 * .8 * rated / i / 60)[1].charge_Ah >= .8 * rated * .99999)

    def cool(i):
        b = discharge(i, longest=3600 * rated / i / 80)[1]
        return max(s[3] for s in b.samples) <= 60
    # From the highest current down: where even the fastest discharge stays cool there is no limit to find.
    heat = largest(cool)
    run = [f * sag for f in ([.08, .3, .75, 1.1] if rng.random() < .5 else [.15, .5, .9])]
    interval = rng.choice([.2, .5, 1, 2])
    files, logger = [], {}
    for i in run:
        c = cell.copy()
        c.rules = {}
        c.start(1.0)
        b = Bench([c], max(min(interval, 2), .5))
        b.rest(rng.uniform(60, 120))
        b.cc(-i, floor)
        b.rest(rng.uniform(60, 300))
        text, logger = logged(b.samples, interval, rng, 1, fine=True)
        files.append(text)
    truth = {"sag": sag, "heat": heat if heat < 60 * rated else None}
    return {"files": files, "command": "rate", "truth": truth, "logger": logger | {"kind": kind, "c": [round(i / rated, 1) for i in run]},
            "options": ["--chemistry", kind, "--series", "1", "--rated-ah", f"{rated:.3f}", "--floor", str(floor)]}


def drive(rng, seconds, top):
    """Currents of a drive with regeneration, piecewise constant or wandering."""
    out, i, t = [], 0.0, 0.0
    hold = rng.choice([1, 1, 2, 5])
    while t < seconds:
        if rng.random() < .05:
            part = rng.uniform(3, 25)
            out.append((part, 0.0))
            t += part
            i = 0.0
            continue
        i = .8 * i + rng.gauss(-.25, .45) * top
        i = min(max(i, -1.6 * top), .45 * top)
        out.append((hold, i))
        t += hold
    return out


def loads(rng):
    """One load between two rests; what it is and how much it took out."""
    cell = Cell(rng, "nmc", resistance=.5)
    rated = cell.capacity
    cell.start(rng.uniform(.7, 1.0))
    interval = rng.choice([.2, 1, 2, 5])
    bench = Bench([cell], longest=max(min(interval, 5), 1))
    what = rng.choice(["drive", "cc", "cp", "cr", "timed", "cp_cc", "offset", "pulses"])
    bench.rest(rng.uniform(70, 300))
    before = bench.charge_Ah
    start = bench.t
    expected = {"drive": ["variable"], "cc": ["cc_discharge"], "cp": ["cp_discharge"], "cr": ["cr_discharge"],
                "timed": ["cc_discharge"] * 3, "cp_cc": ["cp_discharge", "cc_discharge"], "offset": ["cc_discharge"],
                "pulses": ["pulse"] * 6}[what]
    if what == "drive":
        bench.profile(drive(rng, rng.uniform(200, 1200), 1.5 * rated))
    elif what in ("cc", "offset"):
        bench.cc(-rng.uniform(.3, 1) * rated, 3.0, rng.uniform(600, 5000))
    elif what == "cp":
        bench.cp(rng.uniform(.5, 1.5) * rated * 3.7, 5 * rated, 3.0)
    elif what == "cr":
        bench.cr(3.7 / rng.uniform(.5, 1.5) / rated, 5 * rated, 3.0)
    elif what == "timed":
        seconds = rng.uniform(100, 400)
        for k in range(3):
            bench.cc(-.5 * rated, 3.0, seconds)
            if k < 2:
                bench.rest(rng.uniform(100, 400))
    elif what == "cp_cc":
        top = rng.uniform(.7, 1.2) * rated
        bench.cp(top * 3.62, top, 3.0)
    else:
        for k in range(6):
            bench.cc(-rng.choice([.5, 1, 2]) * rated, 2.8, 20)
            if k < 5:
                bench.rest(rng.uniform(40, 120))
    truth = {"delivered_capacity": before - bench.charge_Ah}
    end = bench.t
    bench.rest(rng.uniform(100, 400))
    resolution = (.001, min((.01, .02, .05, .1), key=lambda q: abs(q - rated * .015))) if what == "offset" else (rng.choice([.0001, .001, .005]), rng.choice([.001, .01]))
    text, logger = logged(bench.samples, interval, rng, 1, resolution=resolution)
    first = logger["first"]
    never = ["low_voltage_cutouts", "too_hot", "wrong_chemistry"]
    return {"files": [text], "command": "analyse", "truth": truth, "logger": logger | {"what": what}, "steps": expected,
            "span": (start - first, end - first), "never": never,
            "options": ["--chemistry", "nmc", "--series", "1", "--rated-ah", f"{rated:.3f}"]}


FAMILIES = {"full_cycle": full_cycle, "pack": pack, "rates": rates, "loads": loads}


def oxygen(rng):
    """A quick charge of a nickel pack whose peak comes from the oxygen reaction, to some millivolts under it."""
    base = Nickel(rng)
    series = rng.choice([1, 1, 2, 4, 6])
    level = rng.uniform(.4, .7)
    cells = []
    for _ in range(series):
        cell = base.copy()
        cell.capacity *= rng.uniform(.98, 1.02)
        cell.start(level * rng.uniform(.98, 1.02))
        cells.append(cell)
    bench = Bench(cells, longest=1.0)
    bench.rest(120)
    rate, t0 = rng.uniform(.4, 1.2), bench.t
    peak = bench.to_peak(rate * base.capacity, rng.uniform(.003, .010) * series, 2 * 3600 / rate)
    end = bench.pack(rate * base.capacity)
    top = max(sum(s[1]) for s in bench.samples if s[0] > t0 + 600)
    bench.rest(600)
    text, logger = logged(bench.samples, rng.choice([1, 2, 5, 10, 20]), rng, series, temperature=rng.random() < .6)
    return {"files": [text], "command": "analyse", "truth": {"peak_time": peak, "peak_drop_per_cell": (top - end) / series}, "logger": logger,
            "options": ["--chemistry", "nimh", "--series", str(series), "--rated-ah", f"{base.capacity:.3f}"]}

"""Batteries and loggers of another kind than the program's own simulator, for the coverage table.

A lithium cell is a single particle with spherical diffusion (finite volumes, implicit in time), symmetric Butler-Volmer
kinetics, an ohmic part that falls with temperature after Arrhenius, and one heat node: the equations of any textbook of
battery modelling, from memory. No line and no table is shared with the program. `python3 cells.py` checks charge balance
and half steps. Only Python's own library."""
import bisect
import copy
import math

SHELLS = 12
GAS = 8.314462618  # J/(mol K), CODATA 2018
FLOOR = {"nmc": 3.0, "lipo": 3.3, "lfp": 2.5, "nimh": 1.0}
RATING_FLOOR = {"nmc": 3.0, "lipo": 3.3, "lfp": 2.5}
SET = {"nmc": 4.2, "lipo": 4.2, "lfp": 3.65}


def open_circuit(kind, x, shift=0.0):
    """Shapes made up for these tests: a steep foot, a slope or a plateau, and for LFP a steep head."""
    if kind == "lfp":
        return 2.45 + .78 * (1 - math.exp(-max(x, -.2) / .018)) + .055 * x + .03 / (1 + math.exp((.66 - x) / .03)) + .3 * math.exp(min((x - 1) / .012, 8)) + shift
    return 2.95 + .6 * (1 - math.exp(-max(x, -.2) / .028)) + .12 * x + .53 * max(x, 0.0) ** 2.2 + shift


class Cell:
    def __init__(self, rng, kind, capacity=None, resistance=1.0):
        self.kind = kind
        self.capacity = capacity or rng.choice([1.1, 2.1, 2.9, 5.0]) * rng.uniform(.85, 1.0)
        self.r25 = rng.uniform(.012, .045) * 2.5 / self.capacity * resistance
        self.ea = rng.uniform(10e3, 25e3)                 # J/mol
        self.i0 = rng.uniform(.4, 1.5) * self.capacity    # exchange current, A
        self.tau = rng.uniform(1200, 5000)                # radius² over diffusivity, s
        self.mass_cp = self.capacity * 3.6 * 1000 / 190 * rng.uniform(.8, 1.2)  # J/K
        self.cooling = rng.uniform(500, 2000)             # s
        self.shift = rng.uniform(-.01, .01)
        self.x = [1.0] * SHELLS
        self.temperature = self.ambient = 25.0
        r = [k / SHELLS for k in range(SHELLS + 1)]
        self.volume = [b ** 3 - a ** 3 for a, b in zip(r, r[1:])]
        self.area = [3 * q * q for q in r]
        self.rules = {}

    def copy(self):
        other = copy.copy(self)
        other.x = list(self.x)
        return other

    def mean(self):
        return sum(v * x for v, x in zip(self.volume, self.x))

    def start(self, x):
        self.x = [x] * SHELLS
        self.temperature = self.ambient

    def _rule(self, dt):
        if dt not in self.rules:
            n, h = SHELLS, 1 / SHELLS
            lower, diagonal, upper = [0.0] * n, [0.0] * n, [0.0] * n
            for k in range(n):
                left = self.area[k] / h if k else 0.0
                right = self.area[k + 1] / h if k + 1 < n else 0.0
                f = dt / self.tau / self.volume[k]
                lower[k], upper[k], diagonal[k] = -f * left, -f * right, 1 + f * (left + right)
            c, m = [0.0] * n, [0.0] * n
            m[0] = diagonal[0]
            c[0] = upper[0] / m[0]
            for k in range(1, n):
                m[k] = diagonal[k] - lower[k] * c[k - 1]
                c[k] = upper[k] / m[k]
            flux = [0.0] * n
            flux[-1] = dt / 3600 / self.capacity / self.volume[-1]
            self.rules[dt] = rule = [lower, c, m, None]
            rule[3] = self._solve(rule, flux)
            if len(self.rules) > 400:
                self.rules.pop(next(iter(self.rules)))
            return rule
        return self.rules[dt]

    @staticmethod
    def _solve(rule, d):
        lower, c, m, _ = rule
        y = [d[0] / m[0]]
        for k in range(1, SHELLS):
            y.append((d[k] - lower[k] * y[-1]) / m[k])
        for k in range(SHELLS - 2, -1, -1):
            y[k] -= c[k] * y[k + 1]
        return y

    def resistance(self):
        return self.r25 * math.exp(self.ea / GAS * (1 / (self.temperature + 273.15) - 1 / 298.15))

    def _volts(self, outer, i):
        surface = outer + i / 3600 / self.capacity * self.tau / 3 / SHELLS * .5
        kelvin = self.temperature + 273.15
        return open_circuit(self.kind, surface, self.shift) + 2 * GAS * kelvin / 96485.33 * math.asinh(i / 2 / self.i0) + i * self.resistance()

    def voltage(self, i):
        return self._volts(self.x[-1], i)

    def rested(self):
        return open_circuit(self.kind, self.mean(), self.shift)

    def ahead(self, dt):
        """The voltage after dt as a function of the current over it."""
        rule = self._rule(dt)
        a, b = self._solve(rule, self.x), rule[3]
        return lambda i: self._volts(a[-1] + b[-1] * i, i)

    def step(self, dt, i):
        rule = self._rule(dt)
        a = self._solve(rule, self.x)
        v = self.voltage(i)
        self.x = [p + q * i for p, q in zip(a, rule[3])]
        heat = i * (v - open_circuit(self.kind, self.mean(), self.shift))
        k = math.exp(-dt / self.cooling)
        settled = self.ambient + heat * self.cooling / self.mass_cp
        self.temperature = settled + (self.temperature - settled) * k


class Nickel:
    """A nickel cell whose peak is nobody's formula: beside the main reaction oxygen is made, exponentially with the voltage
    (Tafel) and ever easier as the cell warms; it recombines, so all of it becomes heat. Near full the main reaction dries up,
    the oxygen takes over, its heat lowers the voltage: the peak comes by itself. Textbook electrochemistry, from memory;
    the figures are made up."""
    kind = "nimh"

    def __init__(self, rng, capacity=None):
        self.capacity = capacity or rng.choice([.75, 1.1, 1.9, 2.4]) * rng.uniform(.85, 1.0)
        self.r25 = rng.uniform(.008, .022) * 2 / self.capacity
        self.charge_transfer = rng.uniform(.3, 1.0) * self.r25
        self.lag_r, self.lag_s = rng.uniform(.3, 1.0) * self.r25, rng.uniform(40, 300)
        self.oxygen_V = rng.uniform(1.485, 1.51)          # of 1C, at 25 °C
        self.tafel = rng.uniform(.018, .028)
        self.per_kelvin = rng.uniform(.0015, .003)
        self.hysteresis = rng.uniform(.02, .05)
        self.mass_cp = self.capacity * rng.uniform(18, 26)
        self.cooling = rng.uniform(900, 2500)
        self.ambient = self.temperature = 23.0
        self.start(.5)

    def copy(self):
        other = copy.copy(self)
        other.x = list(self.x)
        return other

    def start(self, soc):
        self.x = [soc, 0.0, 0.0]  # level, lagging volts, where on its hysteresis (-1 to 1)
        self.temperature = self.ambient

    def open_circuit(self):
        s = min(max(self.x[0], 1e-6), .9999999)
        return 1.27 + .05 * (s - .5) + .022 * math.log(s / (1 - s)) - .12 * math.exp(-s / .03) + self.hysteresis * self.x[2]

    def split(self, i):
        """Electrode volts and the oxygen's current: what the main reaction leaves."""
        e = self.open_circuit() + self.x[1]
        oxygen = lambda v: self.capacity * math.exp(min((v - self.oxygen_V + self.per_kelvin * (self.temperature - 25)) / self.tafel, 60))
        if i <= 0:
            return e + i * self.charge_transfer, 0.0
        low, high = e - .5, e + i * self.charge_transfer
        for _ in range(32):
            v = .5 * (low + high)
            if (v - e) / self.charge_transfer + oxygen(v) > i:
                high = v
            else:
                low = v
        return v, min(oxygen(v), i)

    def voltage(self, i):
        return self.split(i)[0] + i * self.r25

    def step(self, dt, i):
        v, oxygen = self.split(i)
        main = i - oxygen
        self.x[0] = self.x[0] + main * dt / 3600 / self.capacity
        self.x[1] += (main * self.lag_r - self.x[1]) * (1 - math.exp(-dt / self.lag_s))
        self.x[2] += ((main > 0) - (main < 0) - self.x[2]) * (1 - math.exp(-abs(main) * dt / 3600 / self.capacity / .05))
        heat = i * i * self.r25 + oxygen * v + main * (v - self.open_circuit())
        settled = self.ambient + heat * self.cooling / self.mass_cp
        self.temperature = settled + (self.temperature - settled) * math.exp(-dt / self.cooling)


class Bench:
    """Plays steps on one cell or on a string of cells in series and keeps what happened, finely, as (t, volts of each cell,
    current, temperature); an edge is two samples of one time."""

    def __init__(self, cells, longest=5.0):
        self.cells, self.longest, self.t = cells, longest, 0.0
        self.samples = []
        self.charge_Ah = 0.0

    def note(self, i):
        self.samples.append((self.t, [c.voltage(i) for c in self.cells], i, max(c.temperature for c in self.cells)))

    def move(self, dt, i):
        for c in self.cells:
            c.step(dt, i)
        self.t += dt
        self.charge_Ah += i * dt / 3600

    def run(self, current, done, longest_s=1e9, first_dt=.25):
        """Steps with the current that `current(bench, dt)` gives until `done(bench, i)`; the end lies between two samples,
        found by halving the last step. Returns the last current."""
        dt, t0 = first_dt, self.t
        i = current(self, dt)
        self.note(i)
        while self.t - t0 < longest_s - 1e-9:
            dt = min(dt, longest_s - (self.t - t0))
            i = current(self, dt)
            kept = [(list(c.x), c.temperature) for c in self.cells], self.t, self.charge_Ah
            self.move(dt, i)
            if done(self, i):
                if dt < .02:
                    self.note(i)
                    return i
                for c, (x, temperature) in zip(self.cells, kept[0]):
                    c.x, c.temperature = x, temperature
                self.t, self.charge_Ah = kept[1], kept[2]
                dt /= 2
                continue
            self.note(i)
            if self.t - t0 > 40 * dt and dt < self.longest:
                dt = min(2 * dt, self.longest)
        return i

    def rest(self, seconds):
        return self.run(lambda b, dt: 0.0, lambda b, i: False, seconds)

    def pack(self, i):
        return sum(c.voltage(i) for c in self.cells)

    def cc(self, i, limit, seconds=1e9, each=False):
        """To a limit of the whole, or (each) of any cell; upwards for a charge, downwards for a discharge."""
        def done(b, now):
            v = (max if i > 0 else min)(c.voltage(now) for c in b.cells) if each else b.pack(now)
            return v >= limit if i > 0 else v <= limit
        return self.run(lambda b, dt: i, done, seconds)

    def to_peak(self, i, drop, seconds=1e9):
        """Charge until the voltage lies `drop` under its highest, ten minutes held off. Returns when it was highest."""
        top = [0.0, None]

        def done(b, now):
            v = b.pack(now)
            if v > top[0]:
                top[:] = [v, b.t]
            return b.t - t0 > 600 and top[0] - v >= drop
        t0 = self.t
        self.run(lambda b, dt: i, done, seconds)
        return top[1]

    def _at(self, target, low, high, dt):
        """Current in [low, high] at which target(current, volts) is 0; it rises with the current."""
        ahead = [c.ahead(dt) for c in self.cells]
        f = lambda i: target(i, sum(a(i) for a in ahead))
        for _ in range(45):
            middle = .5 * (low + high)
            if f(middle) > 0:
                high = middle
            else:
                low = middle
        return .5 * (low + high)

    def cv(self, set_v, top, cutoff, soft=0.0, seconds=1e9):
        """Constant voltage with at most `top` ampere; `soft` is the regulator's own resistance."""
        return self.run(lambda b, dt: b._at(lambda i, v: v + i * soft - set_v, -.01 * top, top, dt),
                        lambda b, i: i <= cutoff, seconds)

    def cp(self, watts, top, floor, seconds=1e9):
        """Discharge at constant power, limited to `top` ampere."""
        return self.run(lambda b, dt: -min(top, -b._at(lambda i, v: v * i + watts, -1.5 * top, 0.0, dt)),
                        lambda b, i: b.pack(i) <= floor, seconds)

    def cr(self, ohm, top, floor, seconds=1e9):
        return self.run(lambda b, dt: b._at(lambda i, v: i + v / ohm, -top, 0.0, dt), lambda b, i: b.pack(i) <= floor, seconds)

    def profile(self, parts):
        for seconds, i in parts:
            self.run(lambda b, dt, i=i: i, lambda b, now: False, seconds)


def logged(samples, interval, rng, series, fine=False, temperature=True, cells=False, resolution=None, jitter=0.0):
    """The rows of a logger with resolution, noise (white or filtered), gain and offset inside the default accuracy.
    Returns the text and what was drawn; times of the truth count from `first`."""
    q_v, q_i = resolution or (rng.choice([.0001, .001, .001, .002, .005, .01]), rng.choice([.001, .001, .005, .01, .02]))
    if fine:
        q_v, q_i = min(q_v, .001), min(q_i, .005)
    noise_v, noise_i = rng.choice([0, 0, .3, 1.0]) * q_v, rng.choice([0, 0, .3, 1.0]) * q_i
    keep = .7 if rng.random() < .3 else 0.0
    fresh = math.sqrt(1 - keep * keep)
    gain_v, gain_i = 1 + rng.uniform(-.005, .005), 1 + rng.uniform(-.005, .005)
    off_v, off_i, off_t = rng.uniform(-1, 1) * q_v, rng.uniform(-1, 1) * q_i, rng.uniform(-1, 1)
    cell_gain = [1 + rng.uniform(-.005, .005) * .2 for _ in range(series)]
    first = rng.random() * min(interval * .5, 10)
    n_cells = len(samples[0][1]) if cells else 0
    head = ["Time [s]", "Voltage [V]", "Current [A]"] + (["Temperature [°C]"] if temperature else []) + [f"Cell {k + 1} [V]" for k in range(n_cells)]
    times = [s[0] for s in samples]
    lines, t, ev, ei = [",".join(head)], first, 0.0, 0.0
    digits = lambda q: max(0, -math.floor(math.log10(q) + 1e-9))
    text = lambda x, q: f"{round(x / q) * q:.{digits(q)}f}"
    ec = [0.0] * n_cells
    while t <= times[-1]:
        k = max(0, bisect.bisect_right(times, t) - 1)
        a, b = samples[k], samples[min(k + 1, len(samples) - 1)]
        part = (t - a[0]) / (b[0] - a[0]) if b[0] > a[0] else 0.0
        volts = [x + part * (y - x) for x, y in zip(a[1], b[1])]
        i = a[2] + part * (b[2] - a[2])
        ev, ei = keep * ev + fresh * rng.gauss(0, noise_v), keep * ei + fresh * rng.gauss(0, noise_i)
        row = [f"{t:.3f}", text(sum(volts) * gain_v + off_v + ev, q_v), text(i * gain_i + off_i + ei, q_i)]
        if temperature:
            row.append(text(a[3] + part * (b[3] - a[3]) + off_t, .1))
        for n in range(n_cells):
            ec[n] = keep * ec[n] + fresh * rng.gauss(0, noise_v)
            row.append(text(volts[n] * gain_v * cell_gain[n] + ec[n], q_v))
        lines.append(",".join(row))
        t += interval * (1 + (rng.uniform(-jitter, jitter) if jitter else 0))
    return "\n".join(lines) + "\n", {"interval": interval, "q_v": q_v, "q_i": q_i, "noise": noise_v / q_v, "first": first}


def check():
    import random
    rng = random.Random(1)
    cell = Cell(rng, "nmc")
    before = cell.mean()
    bench = Bench([cell])
    bench.cc(-cell.capacity, 3.0)
    assert abs((before - cell.mean()) * cell.capacity + bench.charge_Ah) < 1e-9, "charge is lost"
    ends = []
    for longest in (5.0, 2.5):
        other = Cell(random.Random(1), "nmc")
        b = Bench([other], longest)
        b.cc(-other.capacity, 3.0)
        ends.append(b.t)
    assert abs(ends[0] - ends[1]) < 2e-3 * ends[1], ends
    print("charge balances, half steps agree:", ends)


if __name__ == "__main__":
    check()

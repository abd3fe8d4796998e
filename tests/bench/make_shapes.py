"""Writes logs of the shapes that once took time with the square of their size: make_shapes.py DIR [SCALE].
few.csv, cycles500.csv (10⁶ rows), cycles5000.csv (3·10⁶), pulses1.csv, pulses2.csv, pulses4.csv (2, 4, 8·10⁵ rows, an edge every ten),
drive.csv, adaptive.csv (10⁶), cells20k.csv (14 cells, four discharges), cells500.csv (14 cells, 500 discharges)."""
import math
import pathlib
import random
import sys

folder, scale = pathlib.Path(sys.argv[1]), float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
folder.mkdir(parents=True, exist_ok=True)
rng = random.Random(1)
NOISE = [rng.gauss(0, 1) for _ in range(65521)]


def cycle(rows):
    """Current and state of charge over one cycle: rest, constant current, taper, rest, discharge, rest."""
    current = []
    for k in range(rows):
        u = k / rows
        current.append(0 if u < .05 else 1.25 if u < .35 else 1.25 * math.exp(-(u - .35) / .045) if u < .5 else 0 if u < .6 else -1.3 if u < .95 else 0)
    soc, x = [], 0.0
    for i in current:
        x += i
        soc.append(x)
    low, high = min(soc), max(soc)
    return current, [(s - low) / (high - low) for s in soc]


def write(name, rows, cells=0):
    with open(folder / name, "w") as out:
        out.write("Time [s],Voltage [V],Current [A],Temperature [°C]" + "".join(f",Cell {n + 1} [V]" for n in range(cells)) + "\n")
        out.writelines(rows)


def cycles(count, rows, cells=0, step=lambda k, edge: 10.0):
    current, soc = cycle(rows // count)
    t, before = 0.0, 0.0
    for k in range(rows // count * count):
        i, s = current[k % len(current)], soc[k % len(soc)]
        n = NOISE[k % 65521]
        v = 3.3 + .85 * s + .04 * i
        t += step(k, abs(i - before) > .05)
        before = i
        volts = [v + .002 * ((c * 7) % 5 - 2) + .0005 * NOISE[(k * 14 + c) % 65521] for c in range(cells)]
        whole = sum(volts) if cells else v + .0005 * n
        yield f"{t:.2f},{whole:.4f},{i + .0005 * NOISE[(k * 3) % 65521]:.4f},{25 + 2 * s:.1f}" + "".join(f",{x:.4f}" for x in volts) + "\n"


def pulses(rows):
    q = 0.0
    for k in range(rows):
        i = 0 if k // 10 % 2 == 0 else -1.0 if k // 10 % 4 == 3 else -2.0
        q += .9 / .75 / rows * -i
        yield f"{k},{4.1 - q + .04 * i + .0003 * NOISE[k % 65521]:.4f},{i + .0005 * NOISE[(k * 3) % 65521]:.4f},25.0\n"


def drive(rows):
    i = 0.0
    for k in range(rows):
        if k % 2 == 0:
            i = min(max(-1.5 + 2 * NOISE[(k * 5) % 65521], -6), 3)
        yield f"{k * .5:.1f},{4.1 - .9 * k / rows + .04 * i + .0003 * NOISE[k % 65521]:.4f},{i:.4f},25.0\n"


million = int(1e6 * scale)
write("few.csv", cycles(4, million))
write("cycles500.csv", cycles(500, million))
write("cycles5000.csv", cycles(5000, 3 * million))
for times in (1, 2, 4):
    write(f"pulses{times}.csv", pulses(million // 5 * times))
write("drive.csv", drive(million))
write("adaptive.csv", cycles(200, million, step=lambda k, edge: .01 if edge else 20))
write("cells20k.csv", cycles(4, int(2e4 * scale), cells=14), cells=14)
write("cells500.csv", cycles(500, int(3e5 * scale), cells=14), cells=14)

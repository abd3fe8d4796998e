# A made-up log of 10⁷ rows: time, voltage, current, temperature with four decimals, about 340 MB.
import sys

import numpy as np

n, block = 10_000_000, 500_000
rng = np.random.default_rng(1)
with open(sys.argv[1], "w") as f:
    f.write("time_s,voltage_V,current_A,temperature_C\n")
    for first in range(0, n, block):
        t = np.arange(first, first + block, dtype=float)
        phase = t / n * 20000
        i = np.where(phase < 9000, 1.25, np.where(phase < 10000, 0, np.where(phase < 19000, -1.25, 0)))
        v = 3.7 + 0.4 * np.sin(2 * np.pi * phase / 20000) + i * 0.05 + rng.normal(0, 5e-4, block)
        i = i + rng.normal(0, 3e-4, block)
        c = 25 + 2 * np.sin(t / 50000) + rng.normal(0, 0.02, block)
        np.savetxt(f, np.column_stack([t, v, i, c]), fmt="%.4f", delimiter=",")

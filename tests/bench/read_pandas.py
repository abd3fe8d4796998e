# The comparison of tests/bench/compare-readers: the same sums with pandas.
import sys
import numpy as np
import pandas as pd

d = pd.read_csv(sys.argv[1])
t, v, i = d.iloc[:, 0].to_numpy(), d.iloc[:, 1].to_numpy(), d.iloc[:, 2].to_numpy()
print("charge_Ah", np.trapz(i, t) / 3600, "energy_Wh", np.trapz(v * i, t) / 3600)

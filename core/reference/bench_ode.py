"""The same closed loop by SciPy's solve_ivp, from switching to switching: a voltage-mode buck with a type 3 network.

Reads the circuit, the tolerance and the state to begin with; prints the state after so many periods and the seconds taken.
"""

import json
import sys
import time

import numpy as np
from scipy.integrate import solve_ivp

g = json.load(sys.stdin)
L, RL, RON, RR, C, ESR, R = (g[k] for k in ("L", "RL", "RON", "RR", "C", "ESR", "R"))
VIN, VREF, VR, T = g["VIN"], g["VREF"], g["VR"], g["T"]
RT, RB, RF, CF, CS, RI, CI = (g[k] for k in ("RT", "RB", "RF", "CF", "CS", "RI", "CI"))
K = R / (R + ESR)


def slopes(on):
    r = RL + (RON if on else RR)
    source = VIN if on else 0.0

    def f(_t, x):
        i, v, s, c, p = x  # inductor, bank, across the shunt, the series capacitor, the lead capacitor
        vo = K * (v + ESR * i)
        over = vo - VREF
        lead = (over - p) / RI
        into = over / RT - VREF / RB + lead
        series = (s - c) / RF
        return [(source - vo - r * i) / L, (i - vo / R) / C, (into - series) / CS, series / CF, lead / CI]

    return f


def control(x):
    return VREF - x[2]


def meets(start):
    def event(t, x):
        return VR * (t - start) / T - control(x)

    event.terminal = True
    event.direction = 1
    return event


x = np.array(g["x"])
options = dict(method=g["method"], rtol=g["rtol"], atol=g["rtol"] * 1e-2)
begin = time.perf_counter()
for k in range(g["periods"]):
    t = k * T
    first = solve_ivp(slopes(True), (t, t + T), x, events=meets(t), **options)
    x, at = first.y[:, -1], first.t[-1]
    if at < t + T:
        x = solve_ivp(slopes(False), (at, t + T), x, **options).y[:, -1]
print(json.dumps({"x": x.tolist(), "seconds": time.perf_counter() - begin}))

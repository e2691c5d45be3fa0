"""Interleaved phases in closed loop from rest, integrated by SciPy's DOP853 from switching to switching.

Written anew from the file format's conventions for synchronous stages without dead time; shares nothing with the core.
Reads a JSON object on standard input, see simulate_phases_ode.test.ts; prints the states at the end and what was seen.
"""

import json
import math
import sys

import numpy as np
from scipy.integrate import solve_ivp

from affine import affine

g = json.load(sys.stdin)
n, T, top, modulator, amp = g["phases"], g["period"], g["topology"], g["modulator"], g.get("amplifier")
banks = g["banks"]
nb = len(banks)
M = np.eye(n) * g["L"]
if g.get("coupling"):
    c = g["coupling"]
    for k in range(n // 2):
        M[k, k + n // 2] = M[k + n // 2, k] = (-1 if c["polarity"] == "inverse" else 1) * c["coefficient"] * g["L"]
inverse = np.linalg.inv(M).tolist()
esr = [b["esr"] / b["count"] for b in banks]
cap = [b["C"] * b["count"] for b in banks]
fed_in_all = sum(1 / r for r in esr)


def load(t):
    s = g.get("step")
    full = abs(s["to"] - g["iout"]) / s["slew"] if s else 1
    now = g["iout"] if not s or t <= s["at"] else g["iout"] + (s["to"] - g["iout"]) * min(1, (t - s["at"]) / full)
    return now / g["vout"]


def vout(t, y, on):
    feed = sum(y[k] for k in range(n) if top == "buck" or not on[k])
    return (feed + sum(y[n + j] / esr[j] for j in range(nb))) / (load(t) + fed_in_all)


def network(t, y, on):
    """Control voltage and slopes of the amplifier's states: op-amp, its inverting node at the reference; or a transconductance."""
    v = vout(t, y, on)
    c2, c1 = y[n + nb], y[n + nb + 1]
    if amp["kind"] == "ota":
        tap = v * amp["bottom"] / (amp["top"] + amp["bottom"])
        through = (c2 - c1) / amp["R2"]
        return c2, [(amp["gm"] * (modulator["reference"] - tap) - through) / amp["shunt"], through / amp["C1"]]
    r = modulator["reference"]
    ci = y[n + nb + 2]
    lead = amp["lead"]
    into = (v - r) / amp["top"] - r / amp["bottom"] + (v - r - ci) / lead["R"]
    through = (c2 - c1) / amp["R2"]
    return r - c2, [(into - through) / amp["shunt"], through / amp["C1"], (v - r - ci) / (lead["R"] * lead["C"])]


def currents(t, y, on):
    """Average current mode: what each phase's ramp meets, and slopes of its amplifier's two capacitors."""
    control, a = network(t, y, on)[0], modulator["currentAmplifier"]
    met, rates = [], []
    for k in range(n):
        c2, c1 = y[n + nb + names + 2 * k : n + nb + names + 2 * k + 2]
        into = (modulator["currentSenseGain"] * y[k] - control) / a["inputResistor"]
        through = (c2 - c1) / a["feedbackResistor"]
        met.append(control - c2)
        rates += [(into - through) / a["shuntCapacitor"], through / a["feedbackCapacitor"]]
    return met, rates


def slopes(t, y, on):
    # plain numbers: Python reckons with them several times as fast as with an array's
    y = y.tolist()
    i = y[:n]
    v = vout(t, y, on)
    across = [0.0] * n
    for k in range(n):
        r = (g["Rc"] if on[k] else g["Rr"]) + g["RL"]
        if top == "buck":
            across[k] = (g["vin"] if on[k] else 0) - r * i[k] - v
        elif top == "boost":
            across[k] = g["vin"] - r * i[k] - (0 if on[k] else v)
        else:
            across[k] = (g["vin"] if on[k] else -v) - r * i[k]
    own = network(t, y, on)[1] if amp else []
    if average:
        own = own + currents(t, y, on)[1]
    rates = [sum(a * u for a, u in zip(row, across)) for row in inverse]
    return rates + [(v - y[n + j]) / esr[j] / cap[j] for j in range(nb)] + own


def trip(k, clock):
    if modulator["method"] == "voltage-mode":
        return lambda t, y: modulator["rampAmplitude"] * (t - clock) / T - network(t, y, on)[0]
    if average:
        return lambda t, y: modulator["rampAmplitude"] * (t - clock) / T - currents(t, y, on)[0][k]
    if modulator["method"] == "voltage-mode-feedforward":
        return lambda t, y: modulator["rampGain"] * g["vin"] * (t - clock) / T - network(t, y, on)[0]
    return lambda t, y: modulator["currentSenseGain"] * y[k] + modulator["slopeCompensation"] * (t - clock) - network(t, y, on)[0]


names = 0 if not amp else 3 if amp["kind"] != "ota" else 2
average = modulator["method"] == "average-current-mode"
y = np.zeros(n + nb + names + (2 * n if average else 0))
if g.get("prebias"):
    y[n : n + nb] = g["prebias"]
on = [False] * n
since = [0.0] * n
clocks = [k * T / n for k in range(n)]
t, pulses = 0.0, 0
peak = np.zeros(n)
longest = max(modulator["minimumOnTime"], min(modulator["maximumDuty"] * T, T - modulator["minimumOffTime"]))


def follow(until, events):
    global t, y, peak
    s = g.get("step")
    rates = lambda tt, yy: slopes(tt, yy, on)
    # but for a load on its way the stage is affine in its states
    if until > t and not (s and t < s["at"] + abs(s["to"] - g["iout"]) / s["slew"] and until > s["at"]):
        rates = affine(rates, len(y), t, until)
    found = solve_ivp(
        rates, (t, until), y, "DOP853",
        rtol=1e-10, atol=1e-12, max_step=T / 4, events=events, dense_output=True,
    )
    at = np.linspace(t, found.t[-1], 21)
    ys = found.sol(at)
    peak = np.maximum(peak, ys[:n].max(axis=1))
    t, y = found.t[-1], found.y[:, -1].copy()
    return found.t_events or []


def pulses_in_turn():
    """Constant on-time: each pulse by the next phase, once the tap has fallen to the reference and the last has ended long enough."""
    global pulses
    end, turn, free = g["duration"], 0, -math.inf
    above = lambda tt, yy: vout(tt, yy, on) * modulator["ratio"] - modulator["reference"]
    above.terminal, above.direction = True, -1
    while t < end - 1e-15:
        if t < free - 1e-16:
            follow(min(end, free), [])
            continue
        if above(t, y) > 0:
            follow(end, [above])
            if t >= end - 1e-15:
                return
        on[turn] = True
        pulses += 1
        follow(min(end, t + modulator["onTime"]), [])
        on[turn] = False
        free, turn = t + modulator["minimumOffTime"], (turn + 1) % n


if modulator["method"] == "constant-on-time":
    pulses_in_turn()
while t < g["duration"] - 1e-13:
    for k in range(n):
        if abs(t - clocks[k]) < 1e-15:
            clocks[k] += T
            wanted = currents(t, y, on)[0][k] if average else network(t, y, on)[0]
            if modulator["method"] == "peak-current-mode" or wanted > 0:
                on[k], since[k] = True, t
                pulses += 1
    until = min([g["duration"], *clocks])
    events, of = [], []
    for k in range(n):
        if not on[k]:
            continue
        if t < since[k] + modulator["minimumOnTime"] - 1e-16:
            until = min(until, since[k] + modulator["minimumOnTime"])
            continue
        until = min(until, since[k] + longest)
        f = trip(k, since[k])
        f.terminal, f.direction = True, 1
        events.append(f)
        of.append(k)
    over = [k for f, k in zip(events, of) if f(t, y) >= -1e-13 or t >= since[k] + longest - 1e-16]
    if over:
        for k in over:
            on[k] = False
        continue
    for k, hits in zip(of, follow(until, events)):
        if len(hits):
            on[k] = False

print(json.dumps({"state": list(map(float, y)), "pulses": pulses, "peak": list(map(float, peak))}))

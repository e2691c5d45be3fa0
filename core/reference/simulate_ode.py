"""One phase of a closed-loop stage from rest, integrated by SciPy's DOP853 from switching to switching.

Written anew from the file format's conventions; shares nothing with the core. Reads a JSON object on standard input, see
simulate_ode.test.ts; prints the states at the end, extremes and averages of the output, pulses, and the inductor's peak.
"""

import bisect
import json
import math
import sys

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from affine import affine

g = json.load(sys.stdin)
T = g["period"]
L, RL = g["L"], g["RL"]
banks = g["banks"]
top = g["topology"]
modulator = g["modulator"]
filtered = modulator.get("senseFilter", 0)
amp = g.get("amplifier")
end = g["duration"]
diode = g.get("diode")
dead = g.get("deadTime", 0.0)
body = 0.8
# H against A, held beyond its ends
curve = list(zip(*g["curve"])) if g.get("curve") else None


def inductance(i):
    at, of = curve
    k = bisect.bisect(at, i)
    if k in (0, len(at)):
        return of[min(k, len(at) - 1)]
    return of[k - 1] + (of[k] - of[k - 1]) * (i - at[k - 1]) / (at[k] - at[k - 1])


def vin(t):
    s = g.get("line")
    if not s or t <= s["at"]:
        return g["vin"]
    full = abs(s["to"] - g["vin"]) / s["slew"]
    return g["vin"] + (s["to"] - g["vin"]) * min(1.0, (t - s["at"]) / full)


def conductance(t):
    s = g.get("step")
    if not s or t <= s["at"]:
        return g["iout"] / g["vout"]
    full = abs(s["to"] - g["iout"]) / s["slew"]
    return (g["iout"] + (s["to"] - g["iout"]) * min(1.0, (t - s["at"]) / full)) / g["vout"]


soft = modulator.get("softStart", 0.0)


ramp_from = 0.0


def vref(t):
    return modulator["reference"] * (min(1.0, (t - ramp_from) / soft) if soft > 0 else 1.0)


def to_output(mode):
    if mode in ("off", "offdead"):
        return 1.0
    return 1.0 if top == "buck" and mode != "idle" else 0.0


nb = len(banks)
names = []
if amp:
    names = ["c2"] if amp.get("shunt") else []
    names += ["c1"] + (["ci"] if amp.get("lead") else [])
    if amp.get("gbw"):
        names += ["vo"]
inj = modulator.get("injection")
if inj:
    names = ["cx", "cc"]
# a bank all of whose parts have series inductance: voltage and current of each, one after the other
inductive = all(b.get("esl") for b in banks)
base = 1 + (2 * nb if inductive else nb)
held = list(range(1, base, 2)) if inductive else list(range(1, base))
feeds = [b["count"] / b["esr"] for b in banks]
fed_in_all = sum(feeds)


def vout(t, y, mode):
    num = y[0] * to_output(mode)
    if inductive:
        return (num - sum(y[k + 1] for k in held)) / conductance(t)
    for j in range(nb):
        num += y[1 + j] * feeds[j]
    return num / (conductance(t) + fed_in_all)


def node(t, y, mode):
    """The switch node of a buck."""
    if mode == "on":
        return vin(t) - g["Rc"] * y[0]
    if mode == "off":
        return -(g["Rr"] * y[0] + g.get("Vf", 0.0))
    if mode == "offdead":
        return -body
    return vout(t, y, mode)


def amplifier(t, y, mode, way, slews=True):
    """Control voltage, inverting node (or tap) and slopes of the amplifier's states."""
    # plain numbers: Python reckons with them several times as fast as with an array's
    y = y.tolist() if isinstance(y, np.ndarray) else y
    a = dict(zip(names, y[base:]))
    v = vout(t, y, mode)
    r = vref(t)
    Rt, Rb = amp["top"], amp["bottom"]
    lead = amp.get("lead")
    slopes = {}
    if amp["kind"] == "ota":
        tap = (v / Rt + ((v - a["ci"]) / lead["R"] if lead else 0)) / (
            1 / Rt + 1 / Rb + (1 / lead["R"] if lead else 0)
        )
        i = amp["gm"] * (r - tap)
        lim = amp.get("ilimit")
        if lim:
            i = max(-lim, min(lim, i))
        vc = a["c2"]
        held = way in ("high", "low")
        if held:
            vc = amp[way]
        i1 = (vc - a["c1"]) / amp["R2"]
        slopes["c1"] = i1 / amp["C1"]
        slopes["c2"] = 0.0 if held else (i - i1) / amp["shunt"]
        if lead:
            slopes["ci"] = (v - tap - a["ci"]) / (lead["R"] * lead["C"])
        return vc, i - i1, [slopes[n] for n in names]
    stiff = a["vo"] if "vo" in a else (amp[way] if way in ("high", "low") else None)
    n = r if stiff is None else stiff + a["c2"]
    i = (v - n) / Rt - n / Rb
    if lead:
        i += (v - n - a["ci"]) / lead["R"]
        slopes["ci"] = (v - n - a["ci"]) / (lead["R"] * lead["C"])
    i1 = (a["c2"] - a["c1"]) / amp["R2"]
    slopes["c1"] = i1 / amp["C1"]
    slopes["c2"] = (i - i1) / amp["shunt"]
    if "vo" in a:
        own = 2 * math.pi * amp["gbw"] * (r - n - a["vo"] / amp.get("gain", math.inf))
        slew = slews and amp.get("slew") or math.inf
        slopes["vo"] = 0.0 if way in ("high", "low") else max(-slew, min(slew, own))
    vc = n - a["c2"] if stiff is None else stiff
    return vc, r - n, [slopes[k] for k in names]


def settle():
    """The way that an amplifier stands in after a jump of its reference: capacitors keep their charge."""
    global way
    if not amp or "high" not in amp:
        return
    a = dict(zip(names, state[base:]))
    low = amp["low"] if amp["low"] is not None else -math.inf
    high = amp["high"] if amp["high"] is not None else math.inf
    held = names.index("vo") if "vo" in a else names.index("c2") if amp["kind"] == "ota" else None
    way = "linear"
    if held is not None:
        k = base + held
        state[k] = max(low, min(high, state[k]))
        for to, edge, sign in (("high", high, 1), ("low", low, -1)):
            if state[k] == edge:
                way = to
                if sign * amplifier(t, state, mode, way)[1] <= pull(to):
                    way = "linear"
        return
    vc = amplifier(t, state, mode, way)[0]
    way = "high" if vc > high else "low" if vc < low else "linear"


def pull(to):
    """V by which the node of a real amplifier has to be past the reference, for its own output holds it as well."""
    if "vo" not in names:
        return 0.0
    return min(0.0, (1 if to == "high" else -1) * amp[to] / amp.get("gain", math.inf))


def injected(t, y, mode):
    v = vout(t, y, mode)
    vx = v + y[base]
    tap = vx - y[base + 1]
    icc = tap / modulator["bottom"] - (v - tap) / modulator["top"]
    return tap, [((node(t, y, mode) - vx) / inj["R"] - icc) / inj["C"], icc / inj["Cc"]]


def slope(t, y, mode, way, slews=True):
    y = y.tolist()
    v = vout(t, y, mode)
    i = y[0]
    if mode == "on":
        across = vin(t) - (g["Rc"] + RL) * i - (v if top == "buck" else 0.0)
    elif mode == "off":
        across = (0.0 if top != "boost" else vin(t)) - v - (g["Rr"] + RL) * i - g.get("Vf", 0.0)
    elif mode == "reverse":
        across = vin(t) + body - RL * i - (v if top == "buck" else 0.0)
    elif mode == "offdead":
        across = (0.0 if top != "boost" else vin(t)) - v - RL * i - body
    else:
        across = 0.0
    d = [across / (inductance(abs(i)) if curve else L)]
    if inductive:
        for k, b in zip(held, banks):
            d += [y[k + 1] / (b["C"] * b["count"]), (v - y[k] - b["esr"] / b["count"] * y[k + 1]) * b["count"] / b["esl"]]
    else:
        d += [(v - y[1 + j]) / (b["esr"] * b["C"]) for j, b in enumerate(banks)]
    if amp:
        d += amplifier(t, y, mode, way, slews)[2]
    elif inj:
        d += injected(t, y, mode)[1]
    if filtered:
        # V of the comparator, a time constant behind the current
        d += [(modulator["currentSenseGain"] * i - y[-1]) / filtered]
    return d


state = np.zeros(base + len(names) + (1 if filtered else 0))
for k in held:
    state[k] = g.get("prebias", 0.0)
    if top == "boost" and g.get("charged"):
        state[k] = g["vin"]
t = 0.0
mode, way = "idle", "linear"
blocks = diode or g.get("emulates")
seen = {"min": math.inf, "max": -math.inf, "peak": 0.0, "area": 0.0, "mode": ""}
squares = {"output": 0.0, "current": 0.0}
# when the output was last outside a band a little wider, and a little narrower, than the one that is meant
band = g.get("band")
outside = [0.0, 0.0]
pulses = 0
over = False
count_from = g.get("from", 0.0)


def blocking(t):
    return blocks or (soft > 0 and t < ramp_from + soft - 1e-18 and modulator.get("startIntoBias", True))


def stands(begin, until):
    """Whether the stage is affine in its states and in time, but for what slews: nothing bends, no load or line is on its way."""
    if curve or amp and amp.get("ilimit"):
        return False
    for s, one in ((g.get("step"), g["iout"]), (g.get("line"), g["vin"])):
        if s and begin < s["at"] + abs(s["to"] - one) / s["slew"] and until > s["at"]:
            return False
    return not (soft > 0 and begin < ramp_from + soft < until)


def slewing(rates):
    """The same, with the amplifier's own output as fast as it can at most."""
    if not amp or not amp.get("slew"):
        return rates
    k, most = base + names.index("vo"), amp["slew"]

    def limited(t, y):
        d = rates(t, y)
        d[k] = max(-most, min(most, d[k]))
        return d

    return limited


def simpson(h, of):
    return h / 3 * (of[0] + of[-1] + 4 * of[1:-1:2].sum() + 2 * of[2:-1:2].sum())


def topped(of):
    """The highest of evenly sampled values, by a parabola where it lies between two of them."""
    k = int(of.argmax())
    if k in (0, len(of) - 1):
        return of[k]
    rise, bend = (of[k + 1] - of[k - 1]) / 2, of[k + 1] - 2 * of[k] + of[k - 1]
    return of[k] - (rise * rise / (2 * bend) if bend < 0 else 0.0)


def follow(until, extra):
    """Integrates to `until` or to the first of the terminal events; returns which, or None."""
    global t, state, way
    events = []
    for f in extra:
        f.terminal, f.direction = True, 1
        events.append(f)
    if until - t < 1e-15:
        t = until
        return None
    own = []
    # an edge may have taken from an amplifier at its limit what held it there
    edge, seen["mode"] = mode != seen["mode"], mode
    if edge and amp and way in ("high", "low") and pull(way) - (1 if way == "high" else -1) * amplifier(t, state, mode, way)[1] > 1e-12:
        way = "linear"
    if amp and ("high" in amp):
        if way == "linear":
            for k, sign in (("high", 1), ("low", -1)):
                f = lambda tt, y, k=k, sign=sign: sign * (amplifier(tt, y, mode, way)[0] - amp[k])
                f.terminal, f.direction = True, 1
                own.append((f, k))
        else:
            sign = 1 if way == "high" else -1
            f = lambda tt, y: pull(way) - sign * amplifier(tt, y, mode, way)[1]
            f.terminal, f.direction = True, 1
            own.append((f, "linear"))
    still = stands(t, until)
    rates = lambda tt, y: slope(tt, y, mode, way)
    found = solve_ivp(
        slewing(affine(lambda tt, y: slope(tt, y, mode, way, False), len(state), t, until)) if still else rates,
        (t, until),
        state,
        "DOP853",
        rtol=1e-11,
        atol=1e-12,
        max_step=T / 2,
        events=events + [f for f, _ in own],
        dense_output=True,
    )
    # a rest of several periods in as many parts; what rings between a load and series inductance in many more
    parts = (2000 if inductive else 40) * max(1, math.ceil((found.t[-1] - t) / T))
    at = np.linspace(t, found.t[-1], parts + 1)
    ys = found.sol(at)
    # the load stands: of all places at once
    vs = vout(t, ys, mode) if still else np.array([vout(a, y, mode) for a, y in zip(at.tolist(), ys.T.tolist())])
    if found.t[-1] > count_from:
        seen["min"] = min(seen["min"], -topped(-vs))
        seen["max"] = max(seen["max"], topped(vs))
        seen["peak"] = max(seen["peak"], ys[0].max())
        h = (at[-1] - at[0]) / parts
        seen["area"] += simpson(h, vs)
        squares["output"] += simpson(h, vs**2)
        squares["current"] += simpson(h, ys[0] ** 2)
        for which, by in ((0, 1 + 1e-4), (1, 1 - 1e-4)) if band else ():
            over = lambda tt: abs(vout(tt, found.sol(tt), mode) - band["target"]) - by * band["within"]
            beyond = np.flatnonzero(np.abs(vs - band["target"]) > by * band["within"])
            if len(beyond):
                k = beyond[-1]
                outside[which] = at[k] if k == parts else brentq(over, at[k], at[k + 1])
    t = found.t[-1]
    state = found.y[:, -1].copy()
    for k, hits in enumerate(found.t_events):
        if len(hits):
            if k < len(events):
                return k
            way = own[k - len(events)][1]
            return "way"
    t = until
    return None


def rest_until(until, also=()):
    """The off-time: the rectifier, and rest where the current has come to zero."""
    global mode
    while t < until - 1e-16:
        if mode in ("off", "offdead") and blocking(t) or mode == "offdead":
            if state[0] <= 0:
                state[0] = 0.0
                mode = "idle"
        if mode == "idle":
            bias = (vin(t) if top == "boost" else 0.0) - vout(t, state, "idle") - g.get("Vf", 0.0)
            if bias > 1e-9:
                mode = "off"
        tests = list(also)
        limit = until
        if soft > 0 and t < ramp_from + soft < until:
            limit = ramp_from + soft
        if mode in ("off", "offdead") and (blocking(t) or mode == "offdead"):
            tests.append(lambda tt, y: -y[0])
        if mode == "idle":
            tests.append(lambda tt, y: (vin(tt) if top == "boost" else 0.0) - vout(tt, y, "idle") - g.get("Vf", 0.0) - 1e-9)
        hit = follow(limit, tests)
        if hit == "way" or hit is None:
            if mode == "idle" and not blocking(t) and not over:
                mode = "off"
            continue
        if hit < len(also):
            return hit
        if mode in ("off", "offdead"):
            state[0] = 0.0
            mode = "idle"
        else:
            mode = "off"
    return None


past = []
errors = []
sample = vout(0.0, state, "idle")


def duty_next():
    dg = modulator["digital"]
    e = g["vout"] - sample
    if dg.get("converterStep"):
        e = math.floor(e / dg["converterStep"] + 0.5) * dg["converterStep"]
    errors.insert(0, e)
    del errors[len(dg["numerator"]):]
    u = sum(b * x for b, x in zip(dg["numerator"], errors))
    u -= sum(a * x for a, x in zip(dg["denominator"][1:], past))
    u = max(0.0, min(modulator["maximumDuty"], u))
    past.insert(0, u)
    del past[len(dg["denominator"]) - 1:]
    if dg.get("dutyResolution"):
        u = math.floor(u * dg["dutyResolution"] + 1e-9) / dg["dutyResolution"]
    return u


def let_go(until):
    """No switch conducts: the current goes on through the body diode that lets it pass, until it is gone."""
    global mode
    while t < until - 1e-16:
        bias = lambda tt, y: (vin(tt) if top == "boost" else 0.0) - vout(tt, y, "idle") - body
        mode = "reverse" if state[0] < 0 else "offdead" if state[0] > 0 or bias(t, state) > 1e-9 else "idle"
        ends = {"offdead": [lambda tt, y: -y[0]], "reverse": [lambda tt, y: y[0]], "idle": [bias]}[mode]
        if follow(until, ends) == 0 and mode != "idle":
            state[0] = 0.0


def off_now():
    global mode
    mode = "offdead" if dead > 0 and not diode else "off"


def hiccup():
    """All switches off for a while, the current on through the body diode; then a soft start."""
    global mode, ramp_from, way
    resumes = t + modulator["hiccup"]["offTime"]
    if diode:
        mode = "idle" if state[0] <= 0 else "off"
        rest_until(min(end, resumes))
    else:
        let_go(min(end, resumes))
    ramp_from = resumes
    mode = "idle" if blocking(t) and state[0] <= 0 else "off"
    settle()


settle()
k = 0
in_row = 0
limited = False
most = modulator.get("overVoltage") or math.inf
above = lambda tt, y: vout(tt, y, mode) - most
if modulator["method"] == "constant-on-time":
    mode = "idle" if blocking(0.0) else "off"
    last = -math.inf
    while t < end - 1e-16:
        fed = lambda tt, y: vref(tt) - (injected(tt, y, mode)[0] if inj else vout(tt, y, mode) * modulator["ratio"])
        free = last + modulator["minimumOffTime"]
        if t < free:
            rest_until(min(end, free))
            continue
        if fed(t, state) <= 0:
            rest_until(end, (fed,))
        if t >= end - 1e-16:
            break
        mode = "on"
        pulses += 1
        begin = t
        while t < min(end, begin + modulator["onTime"]) - 1e-16:
            follow(min(end, begin + modulator["onTime"]), [])
        last = t
        off_now()
        mode = "off"
else:
    mode = "idle" if blocking(0.0) else "off"
    while t < end - 1e-12 * T:
        clock = k * T
        nxt = (k + 1) * T
        on_max = max(modulator["minimumOnTime"], min(modulator["maximumDuty"] * T, T - modulator["minimumOffTime"]))
        in_row = in_row + 1 if limited else 0
        limited = False
        if modulator.get("hiccup") and in_row >= modulator["hiccup"]["pulses"]:
            in_row = 0
            hiccup()
            k = math.ceil(t / T - 1e-9)
            rest_until(min(end, k * T))
            continue
        wanted = True
        if modulator["method"] in ("voltage-mode", "voltage-mode-feedforward"):
            # the root of a limit at the ramp's valley is known to so much
            wanted = amplifier(t, state, mode, way)[0] > 1e-9
        if modulator["method"] == "digital":
            if modulator["digital"]["sampleDelay"] == 0:
                sample = vout(t, state, mode)
            u = duty_next()
            on_max = u * T
            wanted = u > 0
        if wanted and above(t, state) <= 0:
            mode = "on"
            pulses += 1
            if modulator["method"] == "digital" and modulator["digital"]["sampleDelay"] == 1:
                sample = vout(t, state, mode)
            if modulator["method"] == "voltage-mode":
                trip = lambda tt, y: modulator["rampAmplitude"] * (tt - clock) / T - amplifier(tt, y, mode, way)[0]
            elif modulator["method"] == "voltage-mode-feedforward":
                trip = lambda tt, y: modulator["rampGain"] * vin(tt) * (tt - clock) / T - amplifier(tt, y, mode, way)[0]
            elif modulator["method"] == "peak-current-mode":
                sensed = lambda y: y[-1] if filtered else modulator["currentSenseGain"] * y[0]
                trip = lambda tt, y: sensed(y) + modulator["slopeCompensation"] * (tt - clock) - amplifier(tt, y, mode, way)[0]
            else:
                trip = None
            limit = (lambda tt, y: y[0] - modulator["currentLimit"]) if modulator.get("currentLimit") else None
            blind = clock + modulator["minimumOnTime"]
            while t < blind - 1e-16 and t < clock + on_max - 1e-16:
                follow(min(blind, clock + on_max), [])
            while t < clock + on_max - 1e-16:
                tests = [f for f in (trip, limit, above if most < math.inf else None) if f]
                if any(f(t, state) > 0 for f in tests):
                    limited = limit is not None and limit(t, state) > 0
                    break
                hit = follow(clock + on_max, tests)
                if hit is not None and hit != "way":
                    limited = tests[hit] is limit
                    break
            off_now()
        elif modulator["method"] == "digital" and modulator["digital"]["sampleDelay"] == 1:
            sample = vout(t, state, mode)
        if mode == "on":
            off_now()
        if dead > 0 and not diode:
            if wanted:
                let_go(min(nxt, t + dead))
            if t < nxt - dead:
                mode = "idle" if blocking(t) and state[0] <= 0 else "off"
                rest_until(nxt - dead)
            let_go(nxt)
        else:
            d = modulator.get("digital", {}).get("sampleDelay", 0) if modulator["method"] == "digital" else 0
            if 0 < d < 1:
                at = nxt - d * T
                if t < at:
                    rest_until(at)
                    sample = vout(t, state, mode)
            rest_until(nxt)
        k += 1

print(
    json.dumps(
        {
            "state": list(map(float, state)),
            "min": seen["min"],
            "max": seen["max"],
            "peak": seen["peak"],
            "average": seen["area"] / (end - count_from),
            "outputRms": math.sqrt(squares["output"] / (end - count_from)),
            "currentRms": math.sqrt(squares["current"] / (end - count_from)),
            "outside": outside,
            "pulses": pulses,
        }
    )
)

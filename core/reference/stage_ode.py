"""The power stage once more, by a general-purpose ODE solver: shares nothing with the core but the design file.

Reads a JSON list of {"design": ..., "point": ...} on standard input. For each it writes down the stage's differential
equations from its gate signals, integrates them with SciPy's DOP853, finds the periodic state by shooting, and prints
the same quantities as the result format, measured on one more period by quadrature and dense sampling.
"""

import functools
import json
import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from scipy.integrate import solve_ivp

TIGHT = 1e-12
BODY = 0.8


class NotFound(Exception):
    """Shooting did not come to a periodic state."""


class Stage:
    def __init__(self, design, point):
        d, b = design["decisions"], design["brief"]
        self.topology = d["topology"]
        self.n = d.get("phases", 1)
        self.vin = point["inputVoltage"]
        self.period = 1.0 / point["switchingFrequency"]
        self.duty = point["duty"]
        self.boost_duty = point.get("boostDuty", 0.0)
        self.dcr = d["inductor"]["resistance"]
        self.r_control = d["controlSwitch"]["onResistance"]
        rect = d["rectifier"]
        self.body_rect = rect.get("bodyDiodeVoltage", BODY)
        self.body_control = d["controlSwitch"].get("bodyDiodeVoltage", BODY)
        self.diode = rect["kind"] == "diode"
        self.r_rect = rect["resistance"] if self.diode else rect["onResistance"]
        self.v_rect = rect["forwardVoltage"] if self.diode else 0.0
        # a rectifier that is to reach a negative valley lets it
        waits = d.get("conduction") == "critical" and d.get("critical", {}).get("valleyCurrent", 0.0) > 0
        self.blocks = self.diode or (d.get("lightLoad", "forced-pwm") != "forced-pwm" and not waits)
        self.dead = 0.0 if self.diode else d["control"].get("deadTime", 0.0)
        leg = d.get("boostLeg", {})
        self.r_control2 = leg.get("controlSwitch", d["controlSwitch"])["onResistance"]
        rect2 = leg.get("rectifier", rect)
        self.body_rect2 = rect2.get("bodyDiodeVoltage", BODY)
        self.body_control2 = leg.get("controlSwitch", d["controlSwitch"]).get("bodyDiodeVoltage", BODY)
        diode2 = rect2["kind"] == "diode"
        self.r_rect2 = rect2["resistance"] if diode2 else rect2["onResistance"]
        self.v_rect2 = rect2["forwardVoltage"] if diode2 else 0.0
        self.blocks = self.blocks or (self.topology.startswith("four") and diode2)
        inductance = d["inductor"]["inductance"]
        self.l = np.eye(self.n) * inductance
        self.curve = d["inductor"].get("inductanceCurve")
        c = d.get("coupling")
        self.coupled = bool(c) and self.n > 1
        if self.coupled:
            sign = -1.0 if c["polarity"] == "inverse" else 1.0
            if c.get("arrangement") == "one-core":
                k = c["coefficient"] / (self.n - 1) if sign < 0 else c["coefficient"]
                self.l[~np.eye(self.n, dtype=bool)] = sign * k * inductance
            else:
                for i in range(self.n // 2):
                    j = i + self.n // 2
                    self.l[i, j] = self.l[j, i] = sign * c["coefficient"] * inductance
        resistive = b.get("load", "resistive") == "resistive"
        self.g = (point["outputCurrent"] if resistive else 0.0) / b["outputVoltage"] + d.get("preload", 0.0) / b["outputVoltage"]
        self.sink = 0.0 if resistive else point["outputCurrent"]
        self.bank = [self.branch(x) for x in d["outputCapacitors"]]
        self.in_bank = [self.branch(x) for x in d["inputCapacitors"]]
        self.rs, self.ls = b.get("sourceResistance", 0.0), b.get("sourceInductance", 0.0)
        self.source = self.rs > 0 or self.ls > 0
        f = d.get("outputFilter")
        self.filter = f and (f["inductance"], f.get("resistance", 0.0), [self.branch(x) for x in f["capacitors"]])
        # states: phase currents | bank voltages | bank ESL currents | filter: current, voltages | source: current, voltages
        at = self.n
        self.i_v = list(range(at, at + len(self.bank)))
        at += len(self.bank)
        self.i_l = {}
        for j, (_, _, esl) in enumerate(self.bank):
            if esl > 0:
                self.i_l[j] = at
                at += 1
        if self.filter:
            self.i_f = at
            self.i_fv = list(range(at + 1, at + 1 + len(self.filter[2])))
            at += 1 + len(self.filter[2])
        if self.source:
            if self.ls > 0:
                self.i_s = at
                at += 1
            self.i_sv = list(range(at, at + len(self.in_bank)))
            at += len(self.in_bank)
        self.size = at

    @staticmethod
    def branch(x):
        n = x.get("count", 1)
        return x["capacitance"] * n, x.get("esr", 0.0) / n, x.get("esl", 0.0) / n

    # -- gates: what each leg of a phase is told at local time t; legs are (buck leg, boost leg), "on" | "off" | "dead"
    def edges(self):
        out = {0.0, self.period}
        for k in range(self.n):
            for d in ([self.duty, self.boost_duty] if self.topology.startswith("four") else [self.duty]):
                for t in (0.0, d * self.period, d * self.period + self.dead, self.period - self.dead):
                    out.add(((t + k * self.period / self.n) % self.period))
        kept = []
        for t in sorted(out):
            if not kept or t - kept[-1] > 1e-9 * self.period:
                kept.append(t)
        if self.period - kept[-1] < 1e-9 * self.period:
            kept.pop()
        return kept + [self.period]

    def leg(self, t, duty):
        if duty >= 1:
            return "on"
        if duty <= 0:
            return "off"
        if t < duty * self.period:
            return "on"
        if t < duty * self.period + self.dead or t >= self.period - self.dead:
            return "dead"
        return "off"

    def gates(self, middle):
        out = []
        for k in range(self.n):
            t = (middle - k * self.period / self.n) % self.period
            if self.topology == "boost":
                out.append(("on", self.leg(t, self.duty)))
            elif self.topology.startswith("four"):
                out.append((self.leg(t, self.duty), self.leg(t, self.boost_duty)))
            else:
                out.append((self.leg(t, self.duty), "off"))
        return out

    # -- one phase's ends for a sign of current: (connected to vin?, connected to vo?, resistance, drop against +i, blocks at zero)
    def path(self, gate, sign):
        a, b = gate
        r = self.dcr
        drop = 0.0
        may_stop = False
        if self.topology == "inverting-buck-boost":
            if a == "on":
                return 1, 0, r + self.r_control, 0.0, False
            if a == "dead" and sign > 0:
                return 0, 1, r, self.body_rect, True
            if a == "dead" or (self.blocks and sign < 0):
                return 1, 0, r, -self.body_control, True
            return 0, 1, r + self.r_rect, self.v_rect, self.blocks
        fed = 1
        if self.topology != "boost":
            if a == "on":
                r += self.r_control
            elif a == "dead" and sign > 0:
                fed, drop, may_stop = 0, self.body_rect, True
            elif a == "dead" or (self.blocks and sign < 0):
                fed, drop, may_stop = 1, -self.body_control, True
            else:
                fed, drop, may_stop = 0, self.v_rect, self.blocks
                r += self.r_rect
        feeds = 1
        if self.topology != "buck":
            four = self.topology.startswith("four")
            rc, rr = (self.r_control2, self.r_rect2) if four else (self.r_control, self.r_rect)
            vr = self.v_rect2 if four else self.v_rect
            body_r, body_c = (self.body_rect2, self.body_control2) if four else (self.body_rect, self.body_control)
            if b == "on":
                feeds, r = 0, r + rc
            elif b == "dead" and sign > 0:
                drop, may_stop = drop + body_r, True
            elif b == "dead" or (self.blocks and sign < 0 and not (four and self.boost_duty == 0)):
                feeds, drop, may_stop = 0, drop - body_c, True
            else:
                r, drop = r + rr, drop + vr
                may_stop = may_stop or self.blocks
        return fed, feeds, r, drop, may_stop

    def node(self, x, into, bank, volts, currents, g, sink):
        """Voltage of a node from what flows in, by Kirchhoff's law over its branches."""
        num, den = into - sink, g
        for j, (_, esr, _) in enumerate(bank):
            if j in currents:
                num -= x[currents[j]]
            else:
                num += x[volts[j]] / esr
                den += 1.0 / esr
        return num / den

    @functools.cache
    def inverse(self, on):
        """Of the inductances of the windings that conduct, 1/H."""
        return np.linalg.inv(self.l[np.ix_(on, on)])

    def rhs(self, x, paths):
        dx = np.zeros(self.size)
        out = {}
        i = x[: self.n]
        live = [p is not None for p in paths]
        taken = sum(i[k] for k in range(self.n) if live[k] and paths[k][0])
        feed = sum(i[k] for k in range(self.n) if live[k] and paths[k][1])
        if self.source:
            if self.ls > 0:
                vi = self.node(x, x[self.i_s] - taken, self.in_bank, self.i_sv, {}, 0.0, 0.0)
                dx[self.i_s] = (self.vin - self.rs * x[self.i_s] - vi) / self.ls
            else:
                vi = self.node(x, self.vin / self.rs - taken, self.in_bank, self.i_sv, {}, 1.0 / self.rs, 0.0)
            for j, (c, esr, _) in enumerate(self.in_bank):
                dx[self.i_sv[j]] = (vi - x[self.i_sv[j]]) / esr / c
        else:
            vi = self.vin
        if self.filter:
            lf, rf, fbank = self.filter
            vl = self.node(x, x[self.i_f], fbank, self.i_fv, {}, self.g, self.sink)
            vo = self.node(x, feed - x[self.i_f], self.bank, self.i_v, self.i_l, 0.0, 0.0)
            dx[self.i_f] = (vo - vl - rf * x[self.i_f]) / lf
            for j, (c, esr, _) in enumerate(fbank):
                dx[self.i_fv[j]] = (vl - x[self.i_fv[j]]) / esr / c
            out["bank"] = feed - x[self.i_f]
        else:
            vo = vl = self.node(x, feed, self.bank, self.i_v, self.i_l, self.g, self.sink)
            out["bank"] = feed - self.g * vo - self.sink
        for j, (c, esr, esl) in enumerate(self.bank):
            if j in self.i_l:
                k = self.i_l[j]
                dx[self.i_v[j]] = x[k] / c
                dx[k] = (vo - x[self.i_v[j]] - esr * x[k]) / esl
            else:
                dx[self.i_v[j]] = (vo - x[self.i_v[j]]) / esr / c
        on = [k for k in range(self.n) if live[k]]
        if on:
            u = []
            for k in on:
                fed, feeds, r, drop, _ = paths[k]
                u.append(fed * vi - feeds * vo - r * i[k] - drop)
            dx[on] = self.inverse(tuple(on)) @ u
            if self.curve:
                amperes, henries = zip(*self.curve)
                dx[on] *= self.l[0, 0] / np.interp(np.abs(i[on]), amperes, henries)
        out.update(vi=vi, vo=vo, vl=vl, taken=taken)
        return dx, out

    def margins(self, x, paths, gates):
        """For each phase at rest: how far its forward and its reverse diode are from turning on, V."""
        dx, o = self.rhs(x, paths)
        out = {}
        for k in range(self.n):
            if paths[k] is None:
                induced = sum(self.l[k, j] * dx[j] for j in range(self.n) if j != k)
                fed, feeds, _, drop, _ = self.path(gates[k], 1)
                back_fed, back_feeds, _, back_drop, _ = self.path(gates[k], -1)
                on = fed * o["vi"] - feeds * o["vo"] - drop
                back = back_fed * o["vi"] - back_feeds * o["vo"] - back_drop
                out[k] = (induced - on, back - induced)
        return out

    def settle(self, x, gates):
        """Paths by gates and currents; a phase without current rests unless the voltages turn a diode on."""
        signs = [1 if x[k] > 0 else -1 for k in range(self.n)]
        paths = [self.path(gates[k], signs[k]) for k in range(self.n)]
        for k in range(self.n):
            if abs(x[k]) <= 1e-11 and self.path(gates[k], 1)[4]:
                x[k], paths[k] = 0.0, None
        for _ in range(2 * self.n + 1):
            for k, (on, back) in self.margins(x, paths, gates).items():
                if on < -1e-9 or back < -1e-9:
                    paths[k] = self.path(gates[k], 1 if on < back else -1)
                    signs[k] = 1 if on < back else -1
                    break
            else:
                break
        return paths, signs

    def period_map(self, x0, measure=None):
        x = x0.copy()
        edges = self.edges()
        for a, b in zip(edges, edges[1:]):
            gates = self.gates((a + b) / 2)
            t = a
            while t < b * (1 - 1e-14):
                paths, signs = self.settle(x, gates)
                offset, _ = self.rhs(np.zeros(self.size), paths)
                m = np.column_stack([self.rhs(e, paths)[0] - offset for e in np.eye(self.size)])
                events, stops = [], []

                def watch(value, stop):
                    value.terminal, value.direction = True, -1
                    events.append(value)
                    stops.append(stop)

                for k in range(self.n):
                    if paths[k] and paths[k][4]:
                        tiny = 0.0 if abs(x[k]) > 1e-12 else 1e-30
                        watch(lambda _, y, k=k, tiny=tiny: y[k] * signs[k] + tiny, k)
                    if paths[k] is None and self.coupled:
                        for which in (0, 1):
                            at_zero = self.margins(np.zeros(self.size), paths, gates)[k][which]
                            row = np.array([self.margins(e, paths, gates)[k][which] - at_zero for e in np.eye(self.size)])
                            watch(lambda _, y, row=row, c=at_zero: row @ y + c + 1e-9, None)
                scale = np.full(self.size, 1e-13)
                flow = (lambda _, y: self.rhs(y, paths)[0]) if self.curve else (lambda _, y: m @ y + offset)
                sol = solve_ivp(
                    flow, (t, b), x, method="DOP853", rtol=TIGHT, atol=scale,
                    events=events or None, dense_output=measure is not None,
                )
                if measure is not None:
                    measure(self, sol, paths, gates)
                t, x = sol.t[-1], sol.y[:, -1].copy()
                if sol.status == 1:
                    for k, hits in zip(stops, sol.t_events):
                        if len(hits) and k is not None:
                            x[k] = 0.0
        return x

    def periodic(self, guess):
        x = guess
        for _ in range(12):  # the windings find their currents while the capacitors are held
            y = self.period_map(x)
            x = guess.copy()
            x[: self.n] = y[: self.n]
        jacobian, last = None, np.inf
        for attempt in range(25):
            y = self.period_map(x)
            miss = y - x
            size = np.max(np.abs(miss)) / max(1.0, np.max(np.abs(x)))
            if size < 3e-11 or (size < 1e-9 and size > last / 2):  # found, or as close as the integration's own noise
                return x
            last = size
            if jacobian is None or attempt % 3 == 2:
                columns = []
                for j in range(self.size):
                    h = 1e-5 * max(1.0, abs(x[j]))
                    moved = x.copy()
                    moved[j] += h
                    columns.append((self.period_map(moved) - y) / h)
                jacobian = np.column_stack(columns) - np.eye(self.size)
            x = x - np.linalg.lstsq(jacobian, miss, rcond=1e-12)[0]
        raise NotFound("no periodic state")


def gauss(sol):
    """Nodes and weights over the solver's own steps, so that its dense output is used where it is exact."""
    nodes, weights = np.polynomial.legendre.leggauss(6)
    for a, b in zip(sol.t, sol.t[1:]):
        yield from zip((a + b) / 2 + nodes * (b - a) / 2, weights * (b - a) / 2)


def peak(values, a, b):
    """The highest of a function of many times between two times, closer and closer round it."""
    for _ in range(4):
        times = np.linspace(a, b, 17)
        v = values(times)
        k = int(np.argmax(v))
        a, b = times[max(0, k - 1)], times[min(16, k + 1)]
    return v[k]


def first_guess(s, design, point):
    output = design["brief"]["outputVoltage"]
    guess = np.zeros(s.size)
    guess[s.i_v] = output
    if s.filter:
        guess[s.i_fv] = output
        guess[s.i_f] = point["outputCurrent"]
    if s.source:
        guess[s.i_sv] = s.vin
    guess[: s.n] = 0.0 if point["conductionMode"] == "DCM" else point["outputCurrent"] / s.n
    return guess


def solve(case):
    design, point = case["design"], case["point"]
    s = Stage(design, point)
    x0 = s.periodic(first_guess(s, design, point))
    tot = {k: 0.0 for k in ("i", "i2", "vl", "vl2", "bank2", "in", "in2", "ic", "ic2", "ir", "ir2", "heat")}
    ext = {k: [np.inf, -np.inf] for k in ("i", "vo", "vl", "vi")}
    spans = []

    def widen(key, v):
        ext[key][0], ext[key][1] = min(ext[key][0], v), max(ext[key][1], v)

    def measure(stage, sol, paths, gates):
        for t, w in gauss(sol):
            x = sol.sol(t)
            _, o = stage.rhs(x, paths)
            i = x[0]
            tot["i"] += w * i
            tot["i2"] += w * i * i
            tot["vl"] += w * o["vl"]
            tot["vl2"] += w * o["vl"] ** 2
            tot["bank2"] += w * o["bank"] ** 2
            for j, (_, esr, _) in enumerate(stage.bank):
                current = x[stage.i_l[j]] if j in stage.i_l else (o["vo"] - x[stage.i_v[j]]) / esr
                tot["heat"] += w * esr * current**2
            tot["in"] += w * o["taken"]
            tot["in2"] += w * o["taken"] ** 2
            a, bb = gates[0]
            leg = bb if stage.topology == "boost" else a
            if paths[0] is not None:
                reverse = i < 0 and (leg == "dead" or stage.blocks)  # through the control switch's body diode
                which = "ic" if leg == "on" or reverse else "ir"
                tot[which] += w * i
                tot[which + "2"] += w * i * i
        currents = sol.sol(np.linspace(sol.t[0], sol.t[-1], 2000))[: stage.n]
        widen("i", currents.min())
        widen("i", currents.max())
        times = np.linspace(sol.t[0], sol.t[-1], 300)  # to be looked at closer where one is highest
        # each is a straight function of the state
        zero, units = np.zeros(stage.size), np.eye(stage.size)
        for key in ("vo", "vl", "vi"):
            bare = stage.rhs(zero, paths)[1][key]
            row = np.array([stage.rhs(e, paths)[1][key] - bare for e in units])
            values = row @ sol.sol(times) + bare
            for sign in (-1, 1):
                k = int(np.argmax(sign * values))
                at = lambda t: sign * (row @ sol.sol(t) + bare)
                widen(key, sign * peak(at, times[max(0, k - 1)], times[min(len(times) - 1, k + 1)]))
        fed = [k for k, path in enumerate(paths) if path and path[0]]
        spans.append((sol, lambda x, fed=fed: sum(x[k] for k in fed)))

    s.period_map(x0, measure)
    p = s.period
    mean_in = tot["in"] / p
    result = {
        "outputVoltage": tot["vl"] / p,
        "inductorAverage": tot["i"] / p,
        "inductorRms": (tot["i2"] / p) ** 0.5,
        "inductorPeak": ext["i"][1],
        "inductorValley": ext["i"][0],
        "controlAverage": tot["ic"] / p,
        "controlRms": (tot["ic2"] / p) ** 0.5,
        "rectifierAverage": tot["ir"] / p,
        "rectifierRms": (tot["ir2"] / p) ** 0.5,
        "outputCapacitorRms": (tot["bank2"] / p) ** 0.5,
        "outputRipple": ext["vo"][1] - ext["vo"][0],
        "loadRipple": ext["vl"][1] - ext["vl"][0],
        "outputHeat": tot["heat"] / p,
    }
    if s.source:
        result["inputRipple"] = ext["vi"][1] - ext["vi"][0]
    else:
        result["inputCapacitorRms"] = max(0.0, tot["in2"] / p - mean_in**2) ** 0.5
        result["inputRipple"], result["inputHeat"] = input_bank(s.in_bank, spans, mean_in, p)
    return result


def input_bank(bank, spans, mean, period):
    """Ripple and heat of the bank that takes everything but the average: its own equations, periodic by superposition."""
    c = np.array([b[0] for b in bank])
    g = 1.0 / np.array([b[1] for b in bank])

    def run(v, drive, look=None):
        for sol, taken in spans:
            flow = lambda t: drive * (mean - taken(sol.sol(t)))
            rhs = lambda t, y: (g * ((flow(t) + g @ y) / g.sum() - y)) / c
            # one branch is a plain integral, several are stiff
            method, rtol = ("DOP853", 1e-10) if len(bank) == 1 else ("Radau", 1e-8)
            part = solve_ivp(
                rhs, (sol.t[0], sol.t[-1]), v, method=method, rtol=rtol, atol=1e-3 * rtol, dense_output=look is not None
            )
            if look is not None:
                look(part, flow)
            v = part.y[:, -1]
        return v

    n = len(bank)
    start = np.zeros(n)
    if n > 1:
        added = run(np.zeros(n), 1.0)
        m = np.column_stack([run(e, 0.0) for e in np.eye(n)])
        left, right = np.eye(n) - m, added.copy()
        left[-1], right[-1] = c, 0.0  # the charge is free: its average is the source's
        start = np.linalg.solve(left, right)
    seen, heat = [np.inf, -np.inf], [0.0]

    def look(part, flow):
        volts = lambda t: (flow(t) + g @ part.sol(t)) / g.sum()
        seen[0] = min(seen[0], -peak(lambda t: -volts(t), part.t[0], part.t[-1]))
        seen[1] = max(seen[1], peak(volts, part.t[0], part.t[-1]))
        for t, w in gauss(part):
            y = part.sol(t)
            currents = g * ((flow(t) + g @ y) / g.sum() - y)
            heat[0] += w * float(currents**2 @ (1.0 / g))

    run(start, 1.0, look)
    return seen[1] - seen[0], heat[0] / period


if __name__ == "__main__":
    with ProcessPoolExecutor() as pool:
        json.dump(list(pool.map(solve, json.load(sys.stdin))), sys.stdout)

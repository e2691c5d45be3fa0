"""Losses and temperatures of an operating point once more, from the waveform that SciPy's DOP853 integrates.

Reads a JSON list of {"design": ..., "point": ...} on standard input, the point being an operating point of the result
format with the temperatures it claims. The circuit is integrated with its resistances at those temperatures; every loss
and every temperature that follows is printed by name; null where shooting finds no periodic state. Shares nothing with the core but the design file.
"""

import copy
import json
import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from scipy.integrate import quad

import stage_ode

SAMPLES = 2**20
WITHIN = 4000


def hot(design, temperatures):
    """The design as the circuit has it: parallel devices as one, each at its own temperature."""
    made = copy.deepcopy(design)
    d = made["decisions"]
    legs = [(d["controlSwitch"], "controlSwitch"), (d["rectifier"], "rectifier")]
    if d["topology"].startswith("four"):
        leg = d.setdefault("boostLeg", {})
        leg.setdefault("controlSwitch", copy.deepcopy(d["controlSwitch"]))
        leg.setdefault("rectifier", copy.deepcopy(d["rectifier"]))
        legs += [(leg["controlSwitch"], "boostControlSwitch"), (leg["rectifier"], "boostRectifier")]
    for device, place in legs:
        warmer = 1.0
        if place in temperatures and device.get("kind") != "diode":
            warmer = 1 + device.get("onResistanceTemperature", 0.0) * (temperatures[place] - 25)
        for key in ("onResistance", "resistance"):
            if key in device:
                device[key] *= warmer / device.get("count", 1)
    d["inductor"]["resistance"] *= winding_factor(design, temperatures)
    return made


def winding_factor(design, temperatures):
    if "inductor" not in temperatures:
        return 1.0
    return 1 + design["decisions"]["inductor"].get("resistanceTemperature", 0.0) * (temperatures["inductor"] - 25)


def resistance_at(points, frequency):
    known = [(f, r) for f, r in points if f > 0]
    f, r = np.log(np.array(known)).T
    return np.exp(np.interp(np.log(frequency), f, r))


def generalised(t, b, k, alpha, beta):
    """W/m³ by the improved generalised Steinmetz equation; nothing said where the flux has minor loops."""
    keep = np.append(True, np.diff(t) > 0)
    t, b = t[keep], b[keep]
    slopes = np.diff(b) / np.diff(t)
    ways = np.sign(slopes[np.abs(np.diff(b)) > 1e-9 * np.ptp(b)])
    if np.count_nonzero(ways != np.roll(ways, 1)) > 2:
        return None
    whole = quad(lambda a: abs(np.cos(a)) ** alpha, 0, 2 * np.pi, points=[np.pi / 2, 3 * np.pi / 2], epsabs=1e-12)[0]
    ki = k / ((2 * np.pi) ** (alpha - 1) * whole * 2 ** (beta - alpha))
    return ki * np.ptp(b) ** (beta - alpha) * np.sum(np.abs(slopes) ** alpha * np.diff(t)) / (t[-1] - t[0])


class Leg:
    """One leg of phase 1, buck or boost side: its conduction by device, and what its control switch blocks."""

    def __init__(self, stage, buck, most):
        self.stage, self.buck = stage, buck
        self.control = self.rectifier = self.dead = 0.0
        self.most = most
        self.blocking = self.rectifier_blocking = -np.inf

    def add(self, gate, live, current, o, weights):
        s = self.stage
        four = s.topology.startswith("four")
        second = four and not self.buck
        rc, rr, vr = (s.r_control2, s.r_rect2, s.v_rect2) if second else (s.r_control, s.r_rect, s.v_rect)
        body_r, body_c = (s.body_rect2, s.body_control2) if second else (s.body_rect, s.body_control)
        resting = second and s.boost_duty == 0
        high = {"inverting-buck-boost": o["vi"] + o["vo"]}.get(s.topology, o["vi"] if self.buck else o["vo"])
        if gate == "on":
            self.control += np.sum(weights * rc * current**2)
            self.rectifier_blocking = max(self.rectifier_blocking, np.max(high - rc * current))
            # a switch that never turns off has its own drop across it
            if (s.boost_duty if second else s.duty) >= 1:
                self.blocking = max(self.blocking, np.max(np.abs(rc * current)))
            return
        if not live:
            return
        # a current that has just come to rest does not flow back
        forward = current > -1e-6 * self.most
        if gate == "dead":
            self.dead += np.sum(weights * np.abs(current) * np.where(forward, body_r, body_c))
            across = np.where(forward, high + body_r, -body_c)
            self.rectifier_blocking = max(self.rectifier_blocking, np.max(np.where(forward, 0.0, high + body_c)))
        else:
            back = s.blocks and not resting
            through = forward | (not back)
            lost = np.where(through, rr * current**2 + vr * current, np.abs(current) * body_c)
            self.rectifier += np.sum(weights * np.where(through, lost, 0.0))
            self.dead += np.sum(weights * np.where(through, 0.0, lost))
            across = np.where(through, high + vr + rr * current, -body_c)
            back = -np.inf if resting else np.max(np.where(through, -np.inf, high + body_c))
            self.rectifier_blocking = max(self.rectifier_blocking, back)
            if (s.boost_duty if second else s.duty) <= 0:
                self.rectifier_blocking = max(self.rectifier_blocking, np.max(np.abs(vr + rr * current)))
        self.blocking = max(self.blocking, np.max(across))


def sheet_losses(d, name, device, rectifier, edge, blocking, f, hard, n, rest):
    """What the data sheets of one leg's devices say it loses, by the names of the contract; rest is V after a rest."""
    control = d["control"]
    nc, nr = device.get("count", 1), rectifier.get("count", 1)
    on, off = edge
    named = (lambda x: "boost" + x[0].upper() + x[1:]) if name else (lambda x: x)
    out = {}
    driver = [control.get(k) for k in ("gateVoltage", "driverPullUpResistance", "driverPullDownResistance")]
    sheet = [device.get(k) for k in ("gateDrainCharge", "postThresholdGateCharge", "plateauVoltage")]
    if None not in driver and None not in sheet:
        vg, up, down = driver
        qgd, qgs2, vp = sheet
        rg = device.get("gateResistance", 0.0) / nc
        t_on = (qgs2 + qgd) * nc / ((vg - vp) / (up + rg))
        t_off = (qgs2 + qgd) * nc / (vp / (down + rg))
        out[named("controlSwitchOverlap")] = n * f * blocking / 2 * (max(0, on) * t_on + max(0, off) * t_off)
    charges = [x.get("outputCharge") for x in (device, rectifier)]
    if charges != [None, None]:
        energy = blocking / 2 * hard if rest is None else rest**2 / blocking / 2
        out[named("outputCharge")] = n * f * energy * (nc * (charges[0] or 0) + nr * (charges[1] or 0))
    if rectifier.get("reverseRecoveryCharge") is not None:
        out[named("reverseRecovery")] = hard * n * f * blocking * nr * rectifier["reverseRecoveryCharge"]
    gates = [device.get("gateCharge"), rectifier.get("gateCharge") if rectifier["kind"] == "synchronous" else None]
    if driver[0] is not None and gates != [None, None]:
        out[named("gateDrive")] = n * f * driver[0] * (nc * (gates[0] or 0) + nr * (gates[1] or 0))
    return out


def solve(case):
    design, point = case["design"], case["point"]
    temperatures = point.get("temperatures", {})
    d, b = design["decisions"], design["brief"]
    s = stage_ode.Stage(hot(design, temperatures), point)
    n, p = s.n, s.period
    try:
        x0 = s.periodic(stage_ode.first_guess(s, design, point))
    except stage_ode.NotFound:
        return None
    four = s.topology.startswith("four")
    most = point["inductorCurrent"]["peak"]
    legs = {"": Leg(s, s.topology != "boost", most)}
    if four:
        legs["boost"] = Leg(s, False, most)
    tot = {"i2": 0.0, "vl2": 0.0, "vl": 0.0, "taken": 0.0}
    times, values, pieces = [], [], []

    def measure(stage, sol, paths, gates):
        nodes, weights = map(np.array, zip(*stage_ode.gauss(sol)))
        # without weight: what is highest between the nodes
        more = np.linspace(sol.t[0], sol.t[-1], WITHIN // 4)
        nodes, weights = np.append(nodes, more), np.append(weights, 0.0 * more)
        states = sol.sol(nodes)
        outs = [stage.rhs(x, paths)[1] for x in states.T]
        o = {k: np.array([one[k] for one in outs]) for k in ("vi", "vo", "vl", "taken")}
        i = states[0]
        tot["i2"] += np.sum(weights * i**2)
        tot["vl"] += np.sum(weights * o["vl"])
        tot["vl2"] += np.sum(weights * o["vl"] ** 2)
        tot["taken"] += np.sum(weights * o["taken"])
        a, bb = gates[0]
        live = paths[0] is not None
        legs[""].add(bb if stage.topology == "boost" else a, live, i, o, weights)
        if four:
            legs["boost"].add(bb, live, i, o, weights)
        times.append(np.linspace(sol.t[0], sol.t[-1], WITHIN))
        values.append(sol.sol(times[-1])[0])
        pieces.append((sol.t[0], sol.t[-1], sol))

    s.period_map(x0, measure)

    def current_at(t, side):
        for a, e, sol in pieces:
            if (side < 0 and a < t <= e * (1 + 1e-12)) or (side > 0 and a * (1 - 1e-12) <= t < e):
                return sol.sol(min(max(t, a), e))[0]
        return pieces[0 if side > 0 else -1][2].sol(0.0 if side > 0 else p)[0]

    f = 1 / p
    ccm = point["conductionMode"] == "CCM"
    losses, blocking = {}, {}
    for name, leg in legs.items():
        duty = s.boost_duty if name else s.duty
        given = design["decisions"].get("boostLeg", {}) if name else {}
        device = given.get("controlSwitch", d["controlSwitch"])
        rectifier = given.get("rectifier", d["rectifier"])
        control, rect = ("boostControlSwitch", "boostRectifier") if name else ("controlSwitch", "rectifier")
        losses[control + "Conduction"] = n / p * leg.control
        losses[rect + "Conduction"] = n / p * leg.rectifier
        blocking[control] = leg.blocking
        blocking[rect] = leg.rectifier_blocking
        if 0 < duty < 1:
            on, off = current_at(0.0, 1), current_at(duty * p, -1)
            steps = not name and (four or s.topology == "buck")
            rest = min(max(0.0, s.vin - (b["outputVoltage"] if steps else 0.0)), leg.blocking)
            rest = rest if point["conductionMode"] == "DCM" else None
            losses.update(sheet_losses(d, name, device, rectifier, (on, off), leg.blocking, f, ccm and on > 0, n, rest))
    losses["deadTimeConduction"] = n / p * sum(leg.dead for leg in legs.values())
    factor = winding_factor(design, temperatures)
    inductor = d["inductor"]
    rms2 = tot["i2"] / p
    losses["windingConduction"] = n * rms2 * inductor["resistance"] * factor
    if inductor.get("acResistance"):
        even = np.interp(np.arange(SAMPLES) * p / SAMPLES, np.concatenate(times), np.concatenate(values))
        spectrum = np.abs(np.fft.rfft(even) / SAMPLES) ** 2
        squares = 2 * spectrum[1:]
        at = np.arange(1, len(squares) + 1) * f
        losses["windingConduction"] = n * factor * (
            spectrum[0] * inductor["resistance"] + np.sum(squares * resistance_at(inductor["acResistance"], at))
        )
    core = inductor.get("core")
    if core:
        flux = inductor["inductance"] * np.concatenate(values) / (core["turns"] * core["area"])
        density = generalised(np.concatenate(times), flux, *(core["steinmetz"][k] for k in ("k", "alpha", "beta")))
        if density is not None:
            losses["core"] = n * core["volume"] * density
    if "quiescentCurrent" in d["control"]:
        losses["controller"] = d["control"]["quiescentCurrent"] * s.vin

    def rise(place, device, total):
        if device.get("thermalResistance") is None or place not in temperatures:
            return
        warm[place] = b.get("ambientTemperature", 25) + device["thermalResistance"] * total / (n * device.get("count", 1))

    warm = {}
    for name, leg in legs.items():
        given = d.get("boostLeg", {}) if name else {}
        named = (lambda x: "boost" + x[0].upper() + x[1:]) if name else (lambda x: x)
        own = sum(
            losses.get(named(k), 0.0)
            for k in ("controlSwitchConduction", "controlSwitchOverlap", "outputCharge", "reverseRecovery")
        )
        rise(named("controlSwitch"), given.get("controlSwitch", d["controlSwitch"]), own)
        rise(
            named("rectifier"),
            given.get("rectifier", d["rectifier"]),
            losses[named("rectifierConduction")] + n / p * leg.dead,
        )
    if "core" in losses or not core:
        rise("inductor", inductor, losses["windingConduction"] + losses.get("core", 0.0))
    resistive = b.get("load", "resistive") == "resistive"
    drawn = tot["vl2"] / p / b["outputVoltage"] if resistive else tot["vl"] / p
    return {
        "losses": losses,
        "blocking": blocking,
        "temperatures": warm,
        "outputPower": drawn * point["outputCurrent"],
        "circuitPower": None if s.source else s.vin * tot["taken"] / p,
    }


if __name__ == "__main__":
    with ProcessPoolExecutor() as pool:
        json.dump(list(pool.map(solve, json.load(sys.stdin))), sys.stdout)

"""Loop gains by scipy.signal, from equations written down anew: the averaged buck and boost with their parasitics
and the networks of types 2 and 3 as ratios of impedances. Reads one request as JSON, answers gain (dB) and phase."""
import json
import sys
import warnings
import numpy as np
from scipy import signal

# a numerator that leads with zero, as every plant without a direct term has it
warnings.simplefilter("ignore", signal.BadCoefficients)


def parallel(*impedances):
    return 1 / sum(1 / z for z in impedances)


def compensator(c, s):
    zf = c["rf"] + 1 / (s * c["cf"])
    if c.get("cs"):
        zf = parallel(zf, 1 / (s * c["cs"]))
    if c["amplifier"] == "ota":
        return c["gm"] * c["rb"] / (c["rt"] + c["rb"]) * zf
    zi = c["rt"]
    if c.get("ci"):
        zi = parallel(c["rt"], c["ri"] + 1 / (s * c["ci"]))
    ideal = zf / zi
    if c.get("gbw"):
        a = c["a0"] / (1 + s * c["a0"] / (2 * np.pi * c["gbw"]))
        return ideal / (1 + (1 + ideal + zf / c["rb"]) / a)
    return ideal


def plant(p, w):
    """x = [i, v]; the output is the bank's node; d moves the control switch's part of the period."""
    D, L, C, esr, R = p["D"], p["L"], p["C"], p["esr"], p["R"]
    k = R / (R + esr)

    def phase(to_output, from_input, r):
        # vo = k (esr a i + v); L di/dt = b vin - a vo - r i; C dv/dt = k (a i - v / R)
        a = to_output
        A = np.array([[-(r + a * a * k * esr) / L, -a * k / L], [a * k / C, -k / (R * C)]])
        B = np.array([[from_input / L], [0.0]])
        out = np.array([[a * k * esr, k]])
        return A, B, out

    if p["topology"] == "buck":
        on, off = phase(1, 1, p["rl"] + p["rc"]), phase(1, 0, p["rl"] + p["rr"])
    else:
        on, off = phase(0, 1, p["rl"] + p["rc"]), phase(1, 1, p["rl"] + p["rr"])
    A = D * on[0] + (1 - D) * off[0]
    B = D * on[1] + (1 - D) * off[1]
    row = D * on[2] + (1 - D) * off[2]
    x = -np.linalg.solve(A, B) * p["vin"]
    bd = (on[0] - off[0]) @ x + (on[1] - off[1]) * p["vin"]
    dd = (on[2] - off[2]) @ x
    # in milliseconds: the coefficients then lie near one another
    _, h = signal.freqresp(signal.StateSpace(A * 1e-3, bd * 1e-3, row, dd), w * 1e-3)
    return h / p["ramp"]


request = json.load(sys.stdin)
w = 2 * np.pi * np.array(request["frequencies"])
total = plant(request["plant"], w) * compensator(request["compensator"], 1j * w)
print(json.dumps({"re": total.real.tolist(), "im": total.imag.tolist()}))

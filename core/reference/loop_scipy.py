"""Loop gains by scipy.signal, from equations written down anew: the averaged stages with their parasitics and
banks, and the networks of types 1 to 3 as ratios of impedances. Reads a list of requests as JSON, answers each response by its parts."""
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
    zf = c.get("rf", 0) + 1 / (s * c["cf"])
    if c.get("cs"):
        zf = parallel(zf, 1 / (s * c["cs"]))
    lead = 1 / (c["ri"] + 1 / (s * c["ci"])) if c.get("ci") else 0
    if c["amplifier"] == "ota":
        upper = 1 / c["rt"] + lead
        return c["gm"] * upper / (upper + 1 / c["rb"]) * zf
    ideal = zf * (1 / c["rt"] + lead)
    if c.get("gbw"):
        a = c["a0"] / (1 + s * c["a0"] / (2 * np.pi * c["gbw"]))
        return ideal / (1 + (1 + ideal + zf / c["rb"]) / a)
    return ideal


def plant(p, w):
    """x = [i, v of each bank]; the output is the banks' node; d moves the control switch's part of the period."""
    D, L, banks, vf = p["D"], p["L"], p["banks"], p.get("vf", 0.0)
    G = sum(1 / b["esr"] for b in banks) + p["conductance"]
    n = 1 + len(banks)

    def phase(to_output, from_input, r, drop):
        # G vo = a i + sum(v / esr); L di/dt = b vin - a vo - r i - drop; C dv/dt = (vo - v) / esr
        out = np.array([[to_output / G] + [1 / (b["esr"] * G) for b in banks]])
        A = np.zeros((n, n))
        A[0] = -to_output * out[0] / L
        A[0, 0] -= r / L
        for j, b in enumerate(banks):
            A[1 + j] = out[0] / (b["esr"] * b["C"])
            A[1 + j, 1 + j] -= 1 / (b["esr"] * b["C"])
        B = np.zeros((n, 1))
        B[0, 0] = (from_input * p["vin"] - drop) / L
        # what a load of constant current takes at the node
        B[:, 0] -= p.get("current", 0.0) * np.array([-to_output / (G * L)] + [1 / (b["esr"] * b["C"] * G) for b in banks])
        return A, B, out

    on_way, off_way = {"buck": ((1, 1), (1, 0)), "boost": ((0, 1), (1, 1)), "inverting-buck-boost": ((0, 1), (1, 0))}[p["topology"]]
    on = phase(*on_way, p["rl"] + p["rc"], 0.0)
    off = phase(*off_way, p["rl"] + p["rr"], vf)
    A, B, row = (D * on[k] + (1 - D) * off[k] for k in range(3))
    x = -np.linalg.solve(A, B)
    bd = (on[0] - off[0]) @ x + on[1] - off[1]
    dd = (on[2] - off[2]) @ x
    # in milliseconds: the coefficients then lie near one another
    _, h = signal.freqresp(signal.StateSpace(A * 1e-3, bd * 1e-3, row, dd), w * 1e-3)
    return h / p["ramp"]


answers = []
for request in json.load(sys.stdin):
    w = 2 * np.pi * np.array(request["frequencies"])
    total = plant(request["plant"], w) * compensator(request["compensator"], 1j * w)
    answers.append({"re": total.real.tolist(), "im": total.imag.tolist()})
print(json.dumps(answers))

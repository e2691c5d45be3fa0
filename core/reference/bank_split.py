"""The current of a bank shared out among its capacitors by phasors, harmonic by harmonic.

Reads one JSON object on standard input: time (s) and current (A) over one period with both sides of each edge, banks
(capacitance, esr, esl, count), conductance (S) of the load beside them. Prints the RMS current of one capacitor of each
entry, and its loss where an entry brings its resistance over frequency (curve: [[Hz, ohm], ...], logarithmic between).
"""

import json
import sys

import numpy as np
from scipy.fft import rfft
from scipy.interpolate import interp1d

SAMPLES = 1 << 17

given = json.load(sys.stdin)
time = np.array(given["time"])
current = np.array(given["current"])
period = time[-1]
grid = (np.arange(SAMPLES) + 0.5) * period / SAMPLES
spectrum = rfft(np.interp(grid, time, current)) / SAMPLES
harmonics = np.arange(1, SAMPLES // 4)
frequency = harmonics / period
omega = 2 * np.pi * frequency
phasor = 2 * spectrum[1 : SAMPLES // 4]

admittances = []
for bank in given["banks"]:
    impedance = bank["esr"] + 1j * omega * bank["esl"] + 1 / (1j * omega * bank["capacitance"])
    admittances.append(bank["count"] / impedance)
node = phasor / (sum(admittances) + given["conductance"])
answers = []
for bank, admittance in zip(given["banks"], admittances):
    squares = np.abs(node * admittance / bank["count"]) ** 2 / 2
    answer = {"rms": float(np.sqrt(squares.sum()))}
    if "curve" in bank:
        hertz, ohms = np.log(np.array(bank["curve"])).T
        curve = interp1d(hertz, ohms, bounds_error=False, fill_value=(ohms[0], ohms[-1]))
        answer["loss"] = float((squares * np.exp(curve(np.log(frequency)))).sum())
    answers.append(answer)
json.dump(answers, sys.stdout)

#!/usr/bin/env python3
"""Makes pybamm-*.csv and pybamm.json: charges of a physical cell model, as a station and a car would show them.

    python3 -m venv venv && venv/bin/pip install pybamm==26.10.1.1 && venv/bin/python make_pybamm.py

PyBaMM (BSD-3-Clause) simulates one lithium-ion cell: the single particle model with electrolyte, the parameters of Chen
et al. 2020 (J. Electrochem. Soc. 167 080534) that ship with it, a lumped thermal model. The cell is charged with a
constant current, then at a constant voltage, and scaled to a pack. Nothing of it was tuned for Spare Hour.

State of charge is the stored (open-circuit) energy over the stored energy between the two voltage limits, in percent.
The plug gives the pack's terminal power over a rectifier efficiency. What was stored, what left the plug and the minutes
of every window of ten points are integrated here, with NumPy, on the simulation's own fine steps.
"""
import json
import pathlib

import numpy
import pybamm

RECTIFIER = 0.95
PACK_KWH = 74.0
HERE = pathlib.Path(__file__).parent


def simulate(c_rate, ambient_c):
    """Seconds, current (A), terminal and open-circuit voltage (V), cell temperature (°C) of a charge from empty."""
    model = pybamm.lithium_ion.SPMe({"thermal": "lumped"})
    values = pybamm.ParameterValues("Chen2020")
    values["Ambient temperature [K]"] = 273.15 + ambient_c
    values["Initial temperature [K]"] = 273.15 + ambient_c
    experiment = pybamm.Experiment([(f"Charge at {c_rate}C until 4.2V", "Hold at 4.2V until C/20")], period="1 second")
    solution = pybamm.Simulation(model, parameter_values=values, experiment=experiment).solve(initial_soc=0.0)
    entries = [
        "Time [s]",
        "Current [A]",
        "Terminal voltage [V]",
        "Bulk open-circuit voltage [V]",
        "Volume-averaged cell temperature [C]",
    ]
    time, current, volts, open_circuit, celsius = (solution[name].entries for name in entries)
    keep = numpy.concatenate(([True], numpy.diff(time) > 1e-9))
    return time[keep], -current[keep], volts[keep], open_circuit[keep], celsius[keep]


def since_start(time, power):
    """Energy since the start in the unit of power times hours, by trapezoids."""
    return numpy.concatenate(([0.0], numpy.cumsum((power[1:] + power[:-1]) / 2 * numpy.diff(time)))) / 3600


def charge(name, c_rate, ambient_c, start, end):
    time, current, volts, open_circuit, celsius = simulate(c_rate, ambient_c)
    stored = since_start(time, current * open_circuit)
    scale = PACK_KWH / stored[-1]  # kWh of the pack for each Wh of the cell
    soc = 100 * stored / stored[-1]
    plug_kw = current * volts * scale / RECTIFIER
    first, last = numpy.searchsorted(soc, start), numpy.searchsorted(soc, end)
    window = slice(first, last + 1)
    time, soc, plug_kw, celsius = time[window] - time[first], soc[window], plug_kw[window], celsius[window]
    plug = since_start(time, plug_kw)
    head = f"# usable_kwh: {PACK_KWH}\n# meter: station\n"
    every = lambda seconds: [numpy.searchsorted(time, second) for second in numpy.arange(0, time[-1], seconds)]
    exact = [f"{time[i]:.3f},{soc[i]:.5f},{plug_kw[i]:.5f},{plug[i]:.6f},{celsius[i]:.2f}" for i in every(30) + [len(time) - 1]]
    (HERE / f"pybamm-{name}-exact.csv").write_text(head + "elapsed,soc,power_kw,energy_kwh,battery_c\n" + "\n".join(exact) + "\n")
    shown = [f"{time[i]:.0f},{int(soc[i] + 1e-9)},{round(plug_kw[i])}" for i in every(10)]
    (HERE / f"pybamm-{name}-shown.csv").write_text(head + "elapsed,soc,power_kw\n" + "\n".join(shown) + "\n")
    tens = range(int(numpy.ceil(soc[0] / 10)) * 10, int(soc[-1]) // 10 * 10, 10)
    at = lambda percent: float(numpy.interp(percent, soc, time)) / 60
    energy = lambda percent: float(numpy.interp(percent, soc, plug))
    return {
        "name": name,
        "usable_kwh": PACK_KWH,
        "minutes": time[-1] / 60,
        "plug_kwh": plug[-1],
        "stored_kwh": PACK_KWH * (soc[-1] - soc[0]) / 100,
        "windows": [{"from": s, "to": s + 10, "minutes": at(s + 10) - at(s), "plug_kwh": energy(s + 10) - energy(s)} for s in tens],
    }


charges = [charge("mild", 1.0, 25, 8, 97), charge("fast-cool", 1.5, 10, 5, 92)]
(HERE / "pybamm.json").write_text(json.dumps({"pybamm": pybamm.__version__, "numpy": numpy.__version__, "charges": charges}, indent=1) + "\n")

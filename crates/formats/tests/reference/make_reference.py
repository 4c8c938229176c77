#!/usr/bin/env python3
"""Makes reference.json: what SciPy says of charging times and of small trips.

Python 3.11, SciPy 1.14.1 (scipy.integrate.quad, and scipy.optimize.milp, which is HiGHS), NumPy 2.1.3:
    pip install scipy==1.14.1 numpy==2.1.3 && python3 make_reference.py

Charging times: quad over 0.6 * usable / power(soc), cut at the curve's points. With a boost, the SoC at its end is found
with brentq.

Trips: a mixed-integer program. Stop or not is a binary; SoC on arrival and departure and the charging time between
them are on the piecewise linear interpolation of the exact time every 2 % (lambda method with adjacency binaries). The
interpolation is off by less than 0.02 min a stop for the curves used, so its optimum agrees with the true one to
about 0.1 min. None of this shares code with Spare Hour.
"""
import json
import pathlib
import random

import numpy as np
from scipy.integrate import quad
from scipy.optimize import Bounds, LinearConstraint, brentq, milp

random.seed(20261124)


def linear(points, x, key):
    """Linear between points, flat outside."""
    if x <= points[0]["soc"]:
        return points[0][key]
    for a, b in zip(points, points[1:]):
        if x <= b["soc"]:
            return a[key] + (b[key] - a[key]) * (x - a["soc"]) / (b["soc"] - a["soc"])
    return points[-1][key]


def power(vehicle, site, soc, curve):
    kw = min(linear(curve, soc, "kw"), (1 - vehicle["charge_loss_percent"] / 100) * site["max_kw"])
    if "pack_voltage" in vehicle and site.get("max_a"):
        kw = min(kw, linear(vehicle["pack_voltage"], soc, "v") * site["max_a"] / 1000)
    return kw


def minutes_on(vehicle, site, a, d, curve):
    cuts = sorted({a, d, *[p["soc"] for p in curve if a < p["soc"] < d], *np.arange(np.ceil(a), d, 1.0)})
    return sum(quad(lambda s: 0.6 * vehicle["usable_kwh"] / power(vehicle, site, s, curve), x, y, epsabs=1e-11, epsrel=1e-11)[0]
               for x, y in zip(cuts, cuts[1:]))


def minutes(vehicle, site, a, d):
    """Charging minutes from a to d, with the boost."""
    boost, curve = vehicle.get("boost"), vehicle["charge_curve"]
    if d <= a:
        return 0.0
    if not boost or a > boost["max_start_soc"]:
        return minutes_on(vehicle, site, a, d, curve)
    over = boost["minutes"]
    boosted = lambda s: minutes_on(vehicle, site, a, s, boost["charge_curve"])
    if boosted(d) <= over:
        return boosted(d)
    b = brentq(lambda s: boosted(s) - over, a, d, xtol=1e-10)
    return over + minutes_on(vehicle, site, b, d, curve)


def a_vehicle(boost):
    top = random.uniform(110, 230)
    curve = [{"soc": 0, "kw": round(top * random.uniform(.5, .9), 1)}, {"soc": random.randint(4, 12), "kw": round(top, 1)},
             {"soc": random.randint(25, 50), "kw": round(top * random.uniform(.7, 1), 1)},
             {"soc": random.randint(60, 80), "kw": round(top * random.uniform(.3, .5), 1)}, {"soc": 100, "kw": round(random.uniform(5, 15), 1)}]
    vehicle = {"usable_kwh": round(random.uniform(48, 95), 1), "charge_curve": curve, "charge_loss_percent": round(random.uniform(3, 12), 1)}
    if random.random() < .5:
        volts = random.choice([330, 620])
        vehicle["pack_voltage"] = [{"soc": 0, "v": volts}, {"soc": 100, "v": round(volts * 1.2, 1)}]
    if boost:
        vehicle["boost"] = {"minutes": random.randint(5, 12), "max_start_soc": random.randint(30, 60),
                            "charge_curve": [{"soc": 0, "kw": round(top * 1.1, 1)}, {"soc": 100, "kw": round(top * 1.05, 1)}]}
    return vehicle


def a_site(index, km):
    return {"id": f"s{index}", "name": f"Site {index}", "at_km": km, "off_route_km": round(random.uniform(0, 2), 1), "off_route_kmh": 50,
            "max_kw": random.choice([50, 100, 150, 300]), "max_a": random.choice([None, 200, 400, 500]),
            "overhead_min": random.randint(3, 7),
            "price": {"per_kwh": round(random.uniform(.3, .8), 2), "per_min": random.choice([0, 0, .1]), "per_session": random.choice([0, 1])}}


def a_trip(number):
    km = round(random.uniform(420, 700), 1)
    usage = round(random.uniform(16, 22), 1)
    at = sorted(round(km * (i + random.uniform(.3, .7)) / 5, 1) for i in range(5))
    return {"format": "spare-hour/trip", "version": 1, "name": f"Reference {number}", "vehicle": a_vehicle(False),
            "route": {"segments": [{"km": km, "kmh": 110, "kwh_per_100km": usage}]},
            "sites": [a_site(i, k) for i, k in enumerate(at)],
            "goal": {"start_soc": random.randint(70, 100), "min_soc": 10, "arrival_soc": random.randint(10, 30), "max_soc": 100,
                     "value_of_time_per_hour": random.choice([None, None, 15, 40])}}


STEP = 2.0


class Program:
    """A mixed-integer program, built up row by row."""

    def __init__(self):
        self.cost, self.low, self.high, self.whole, self.rows = [], [], [], [], []

    def variable(self, low=0.0, high=np.inf, cost=0.0, whole=False):
        self.cost.append(cost), self.low.append(low), self.high.append(high), self.whole.append(int(whole))
        return len(self.cost) - 1

    def row(self, terms, low, high):
        self.rows.append((terms, low, high))

    def solve(self):
        matrix = np.zeros((len(self.rows), len(self.cost)))
        for i, (terms, _, _) in enumerate(self.rows):
            for column, factor in terms:
                matrix[i, column] += factor
        limits = LinearConstraint(matrix, [r[1] for r in self.rows], [r[2] for r in self.rows])
        return milp(self.cost, constraints=limits, bounds=Bounds(self.low, self.high), integrality=self.whole,
                    options={"mip_rel_gap": 1e-7, "time_limit": 300})


def on_curve(program, grid, used):
    """A SoC on the grid's interpolation, zero when not used: its weights, which sum to `used`."""
    weights = [program.variable(high=1) for _ in grid]
    cells = [program.variable(high=1, whole=True) for _ in grid[1:]]
    program.row([(w, 1) for w in weights] + [(used, -1)], 0, 0)
    program.row([(c, 1) for c in cells] + [(used, -1)], 0, 0)
    for i, w in enumerate(weights):
        program.row([(w, 1)] + [(cells[j], -1) for j in (i - 1, i) if 0 <= j < len(cells)], -np.inf, 0)
    return weights


def best(trip):
    """The goal's best value: minutes, plus money's worth of minutes."""
    vehicle, goal, segment = trip["vehicle"], trip["goal"], trip["route"]["segments"][0]
    weight = 60 / goal["value_of_time_per_hour"] if goal["value_of_time_per_hour"] else 0.0
    percent = segment["kwh_per_100km"] / vehicle["usable_kwh"]  # per km
    share = 1 - vehicle["charge_loss_percent"] / 100
    program = Program()
    grid = np.arange(0.0, 100.0 + STEP / 2, STEP)
    constant = 60 * segment["km"] / segment["kmh"]
    on_road = [(None, goal["start_soc"])]  # terms of the SoC on the route, less distance driven
    for site in trip["sites"]:
        price, off = site["price"], site["off_route_km"]
        table = [minutes(vehicle, site, 0.0, s) for s in grid]
        rate = 1 + weight * price["per_min"]
        energy = weight * price["per_kwh"] * vehicle["usable_kwh"] / 100 / share
        fixed = site["overhead_min"] + weight * price["per_session"] + 120 * off / site["off_route_kmh"]
        used = program.variable(high=1, cost=fixed, whole=True)
        arrive, depart = on_curve(program, grid, used), on_curve(program, grid, used)
        gain = [(w, s) for w, s in zip(depart, grid)] + [(w, -s) for w, s in zip(arrive, grid)]
        for w, s, t in zip(depart, grid, table):
            program.cost[w] += rate * t + energy * s
        for w, s, t in zip(arrive, grid, table):
            program.cost[w] -= rate * t + energy * s
        program.row(gain, 0, np.inf)
        # SoC at the turning to the site, less the way off, is the arrival when the site is used.
        soc = [(v, f) for v, f in on_road if v is not None]
        base = on_road[0][1] - site["at_km"] * percent
        here = soc + [(w, -s) for w, s in zip(arrive, grid)] + [(used, -off * percent)]
        program.row(here + [(used, 200)], -np.inf, 200 - base)
        program.row(here + [(used, -200)], -200 - base, np.inf)
        program.row([(w, s) for w, s in zip(arrive, grid)] + [(used, -goal["min_soc"])], 0, np.inf)
        program.row(soc, -base, np.inf)  # not stranded on the road
        program.row([(w, s) for w, s in zip(depart, grid)] + [(used, -goal["max_soc"])], -np.inf, 0)
        on_road += gain + [(used, -2 * off * percent)]
    program.row([(v, f) for v, f in on_road if v is not None], goal["arrival_soc"] - goal["start_soc"] + segment["km"] * percent, np.inf)
    found = program.solve()
    return constant + found.fun if found.success else None


def by_value(trip):
    """The least of minutes and money's worth of them at some values of an hour: points of the trade of one against the other."""
    goal = trip["goal"]
    at = lambda value: best(trip | {"goal": goal | {"value_of_time_per_hour": value}})
    return [{"value": value, "goal_min": round(at(value), 4)} for value in [3, 8, 25, 90]]


def main():
    charges = []
    for number in range(24):
        vehicle, site = a_vehicle(number % 2 == 1), a_site(0, 10.0)
        a = random.randint(0, 60)
        d = random.randint(a + 5, 99)
        charges.append({"vehicle": vehicle, "site": site, "from": a, "to": d, "minutes": round(minutes(vehicle, site, a, d), 7)})
    trips = []
    for number in range(8):
        trip = a_trip(number)
        trips.append({"trip": trip, "best_goal_min": round(best(trip), 4), "by_value": by_value(trip)})
        print(number, trips[-1]["best_goal_min"], flush=True)
    out = pathlib.Path(__file__).parent / "reference.json"
    out.write_text(json.dumps({"scipy": "1.14.1", "charges": charges, "trips": trips}, indent=None, separators=(",", ":")) + "\n")


if __name__ == "__main__":
    main()

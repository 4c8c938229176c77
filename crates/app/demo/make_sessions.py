#!/usr/bin/env python3
"""Makes the demo's three measured sessions: python3 make_sessions.py (Python 3.11, standard library only).

An invented car, the Avel 74: 74 kWh usable, its power limited by SoC and by pack temperature. The pack warms by its own
losses (a lumped mass). What is written is what its screens would show: whole percents, whole kW at the plug, tenths of
a kWh, whole volts, amps and degrees, read when SoC shows a new even percent or every 90 seconds.
"""
import math
import pathlib

USABLE = 74.0
LOSS = 0.09
CURVE = [(0, 96), (4, 148), (9, 171), (30, 168), (31, 156), (46, 131), (47, 112), (62, 92), (63, 83), (80, 56), (90, 31),
         (96, 14), (100, 3.2)]
BY_TEMPERATURE = [(-10, 18), (0, 30), (8, 48), (15, 82), (22, 128), (28, 180), (45, 185), (50, 120), (56, 60)]
HEAT_CAPACITY = 0.118  # kWh per kelvin
TO_AIR = 0.05  # kW per kelvin
HEATER = 5.0  # kW, while the pack is cold


def between(points, x):
    """Linear between points, flat outside."""
    for (x0, y0), (x1, y1) in zip(points, points[1:]):
        if x < x1:
            return y0 + (y1 - y0) * max(0.0, x - x0) / (x1 - x0)
    return points[-1][1]


def volts(soc):
    return 328 + 0.55 * soc + 14 * (1 - math.exp(-soc / 9))


def charge(start, end, pack, air):
    """Yields what the screens show at each reading."""
    soc, kwh, last_shown, last_time = start + 0.3, 0.0, None, -999
    second = 0
    while True:
        battery = min(between(CURVE, soc), between(BY_TEMPERATURE, pack))
        heater = HEATER if pack < 20 else 0.0
        plug = battery / (1 - LOSS) + heater
        shown = math.floor(soc)
        if shown >= end or (shown != last_shown and shown % 2 == 0) or second - last_time >= 90:
            v = volts(soc)
            yield second, shown, round(plug), round(kwh, 1), round(v), round(1000 * battery / v), round(pack), air
            last_shown, last_time = shown, second
        if shown >= end:
            return
        soc += battery / 3600 / USABLE * 100
        kwh += plug / 3600
        warming = 0.42 * (plug - heater - battery) + 0.9 * heater - TO_AIR * (pack - air)
        pack += (warming - (4.0 if pack > 44 else 0.0)) / 3600 / HEAT_CAPACITY
        second += 1


def clock(second):
    return f"{second // 3600}:{second // 60 % 60:02}:{second % 60:02}" if second >= 3600 else f"{second // 60}:{second % 60:02}"


def write(name, head, rows):
    lines = [f"# {key}: {value}" for key, value in head]
    lines.append("elapsed,soc,power_kw,energy_kwh,voltage_v,current_a,battery_c,ambient_c")
    lines += [",".join([clock(row[0])] + [str(value) for value in row[1:]]) for row in rows]
    (pathlib.Path(__file__).parent / name).write_text("\n".join(lines) + "\n")


COMMON = [("car", "Avel 74"), ("software", "4.2"), ("usable_kwh", 74), ("range_km", 455), ("meter", "station"), ("site_kw", 300)]

write("avel-warm-full.csv", COMMON + [("date", "2026-10-10"), ("preconditioned", "20 min"), ("start", "plug-in to current 19 s")], charge(4, 100, 31, 17))
write("avel-cold.csv", COMMON + [("date", "2026-01-17"), ("preconditioned", "no, 40 min of town driving"), ("start", "second attempt, 34 s")], charge(9, 80, 5, -7))
write("avel-from-40.csv", COMMON + [("date", "2026-10-24"), ("preconditioned", "20 min"), ("start", "plug-in to current 16 s")], charge(40, 90, 34, 22))


def charge_ac(start, hours, phases, volts_each, amps):
    """A night at a post: one reading every quarter of an hour."""
    soc, kwh = start + 0.2, 0.0
    kw = phases * volts_each * amps / 1000
    for quarter in range(4 * hours + 1):
        yield 900 * quarter, math.floor(soc), round(kw, 1), round(kwh, 1), volts_each, amps
        soc += kw / 4 * 0.91 / 58 * 100
        kwh += kw / 4


def write_ac(name, head, rows):
    lines = [f"# {key}: {value}" for key, value in head] + ["elapsed,soc,power_kw,energy_kwh,voltage_v,current_a"]
    lines += [",".join([clock(row[0])] + [str(value) for value in row[1:]]) for row in rows]
    (pathlib.Path(__file__).parent / name).write_text("\n".join(lines) + "\n")


BRAE = [("car", "Brae 58"), ("usable_kwh", 58), ("range_km", 385), ("meter", "station"), ("site_kw", 22), ("phases", 1), ("date", "2026-09-12")]
write_ac("brae-ac.csv", BRAE + [("start", "hotel post, three phases of 32 A; the car takes one")], charge_ac(31, 5, 1, 230, 32))

#!/usr/bin/env python3
"""Writes one log in a random dialect, by seed, and asks the command line what it understood.

    dialects.py CLI [--count N] [--seed S] [--reduce] [--keep FOLDER] [--show SEED]

A log is right when charge in and out, energy, duration, warmest temperature and number of cells are as written; refused when
the program ends with 1 and names an option; anything else is silently wrong. Ends with 1 when fewer than 97 in 100 are right,
or 1 in 200 or more is silently wrong. With --reduce a wrong one is made as plain as it can be while it still is wrong, and kept.
Only Python's own library is used; the batteries are small models of their own, not the program's."""
import argparse
import concurrent.futures
import datetime
import json
import math
import os
import pathlib
import random
import subprocess
import sys
import tempfile

# Header words: time, date, clock, voltage, current, power, temperature, cell, charge current, discharge current, Ah, Wh, mode.
WORDS = {
    "en": ["Time", "Date", "Clock", "Voltage", "Current", "Power", "Temperature", "Cell {} voltage", "Charge current", "Discharge current", "Capacity", "Energy", "Mode"],
    "de": ["Zeit", "Datum", "Uhrzeit", "Spannung", "Strom", "Leistung", "Temperatur", "Zellspannung {}", "Ladestrom", "Entladestrom", "Kapazität", "Energie", "Modus"],
    "fr": ["Temps", "Date", "Heure", "Tension", "Courant", "Puissance", "Température", "Tension cellule {}", "Courant de charge", "Courant de décharge", "Capacité", "Énergie", "Mode"],
    "es": ["Tiempo", "Fecha", "Hora", "Voltaje", "Corriente", "Potencia", "Temperatura", "Voltaje celda {}", "Corriente de carga", "Corriente de descarga", "Capacidad", "Energía", "Modo"],
    "it": ["Tempo", "Data", "Ora", "Tensione", "Corrente", "Potenza", "Temperatura", "Tensione cella {}", "Corrente di carica", "Corrente di scarica", "Capacità", "Energia", "Modo"],
    "nl": ["Tijd", "Datum", "Tijdstip", "Spanning", "Stroom", "Vermogen", "Temperatuur", "Celspanning {}", "Laadstroom", "Ontlaadstroom", "Capaciteit", "Energie", "Modus"],
    "pl": ["Czas", "Data", "Godzina", "Napięcie", "Prąd", "Moc", "Temperatura", "Napięcie ogniwa {}", "Prąd ładowania", "Prąd rozładowania", "Pojemność", "Energia", "Tryb"],
    "abbr": ["t", "Date", "Clock", "U", "I", "P", "T", "U{}", "I chg", "I dsg", "Q", "E", "Mode"],
    "abbr2": ["t", "Date", "Clock", "V", "I", "P", "Temp", "C{}", "Ichg", "Idis", "Q", "E", "State"],
}
MODES = {"en": ["charge", "discharge", "rest"], "de": ["Laden", "Entladen", "Ruhe"], "fr": ["charge", "décharge", "repos"],
         "es": ["carga", "descarga", "reposo"], "it": ["carica", "scarica", "riposo"], "nl": ["laden", "ontladen", "rust"],
         "pl": ["ładowanie", "rozładowanie", "pauza"], "abbr": ["CHG", "DSG", "IDLE"], "abbr2": ["C", "D", "R"]}
MISSING = ["NaN", "#N/A", "-", "---", "OL", ""]


def curve(table, x):
    for (a, va), (b, vb) in zip(table, table[1:]):
        if x <= b:
            return va + (vb - va) * (x - a) / (b - a)
    return table[-1][1]


# Open-circuit voltages over state of charge, rough shapes from memory.
OCV = {"nmc": [(-.05, 2.5), (0, 3.0), (.05, 3.35), (.2, 3.55), (.5, 3.68), (.8, 3.98), (1, 4.19), (1.1, 4.4)],
       "lfp": [(-.05, 2.2), (0, 2.6), (.04, 3.0), (.12, 3.21), (.35, 3.285), (.7, 3.33), (.95, 3.36), (1, 3.5), (1.05, 3.9)],
       "nimh": [(-.05, .7), (0, 1.0), (.06, 1.17), (.3, 1.25), (.7, 1.30), (.95, 1.37), (1.05, 1.43), (1.3, 1.45)],
       "lto": [(-.05, 1.3), (0, 1.7), (.1, 2.15), (.5, 2.28), (.9, 2.42), (1, 2.7), (1.05, 2.9)]}


def battery_log(rng):
    """Columns of a log of one of several kinds, and what is true of the battery."""
    chemistry = rng.choice(["nmc", "nmc", "lfp", "nimh", "lto"])
    series = rng.choice([1, 1, 2, 3, 4, 6]) if chemistry != "nimh" else rng.choice([1, 4, 6, 8])
    rated = rng.choice([0.75, 1.3, 2.1, 2.6, 5.0, 12.0])
    capacity = rated * rng.uniform(.75, 1.02)
    interval = rng.choice([1, 2, 5, 10, 20, 30, 60, 120, 240])
    rate = rng.choice([.2, .3, .5, .5, 1.0])
    r0 = rng.uniform(.03, .09) * {"nmc": 1, "lfp": .6, "nimh": .4, "lto": .4}[chemistry] * 2.5 / rated
    top = {"nmc": 4.2, "lfp": 3.65, "nimh": 9, "lto": 2.8}[chemistry]
    floor = {"nmc": 3.0, "lfp": 2.5, "nimh": 1.0, "lto": 1.7}[chemistry]
    ambient = rng.choice([8.0, 18.0, 21.0, 24.0, 29.0])
    kind = rng.choice(["cycle", "cycle", "cycle", "discharge", "charge", "drive"])
    soc = .98 if kind in ("discharge", "drive") else .02
    temperature, t, dt = ambient, 0.0, float(interval)
    most = 5000 if interval < 5 else 900
    spread = [rng.uniform(-.004, .004) for _ in range(series)]
    rows = {"t": [], "v": [], "i": [], "temp": [], "cells": [], "mode": []}
    lag = 0.0

    def sample(i, mode):
        nonlocal soc, temperature, t, lag
        eff = 1.0 if i < 0 or chemistry != "nimh" else 1 / (1 + math.exp((soc - 1.02) / .02))
        lag += (i * r0 * .6 - lag) * (1 - math.exp(-dt / 200))
        cells = [curve(OCV[chemistry], soc + s) + i * r0 + lag - (.0008 * (temperature - ambient) if chemistry == "nimh" else 0) for s in spread]
        rows["t"].append(t), rows["v"].append(sum(cells)), rows["i"].append(i), rows["temp"].append(temperature)
        rows["cells"].append(cells), rows["mode"].append(mode)
        soc += i * eff * dt / 3600 / capacity
        temperature += dt * ((i * i * r0 * 1.6 + (1 - eff) * abs(i) * 1.4) / (40 * rated) - (temperature - ambient) / 1500)
        t += dt
        return max(cells), min(cells)

    for _ in range(rng.randrange(3, 9)):
        sample(0.0, "rest")
    if kind in ("cycle", "charge"):
        i, peak = rate * rated, 0.0
        while len(rows["t"]) < most:
            high, _ = sample(i, "charge")
            if chemistry == "nimh":
                peak = max(peak, high)
                if peak - high > .006 or t > 3600 * 1.6 / rate:
                    break
            elif high >= top:
                i = max(min(i, (top - (high - i * r0)) / r0 * .9), .01)
                if i < rated / 20:
                    break
        for _ in range(rng.randrange(3, 9)):
            sample(0.0, "rest")
    if kind in ("cycle", "discharge", "drive"):
        drive = random.Random(rng.random())
        level = -rate * rated
        while len(rows["t"]) < most * 2:
            if kind == "drive" and drive.random() < .3:
                level = drive.choice([-2.0, -1.0, -.5, -.1, .3]) * rate * rated
            _, low = sample(level, "discharge" if level < 0 else "charge")
            if low <= floor:
                break
        for _ in range(rng.randrange(3, 9)):
            sample(0.0, "rest")
    return {"chemistry": chemistry, "series": series, "rated": rated, "interval": interval, "rows": rows, "kind": kind}


PLAIN = {"delimiter": ",", "decimal": ".", "thousands": "", "quotes": "none", "encoding": "utf-8", "crlf": False, "preamble": "", "lines": 0,
         "header": "one", "language": "en", "units": "brackets", "volts": "V", "amps": "A", "temp": "°C", "counter": "Ah", "time": "s",
         "sign": "plus", "cells": "none", "extra": [], "shuffle": 0, "footer": False, "missing": 0, "temperature": True, "v_digits": 3, "a_digits": 3}


def draw(rng, log):
    d = dict(PLAIN)
    d["delimiter"] = rng.choice([",", ";", "\t", " ", "|"])
    d["decimal"] = rng.choice([".", ".", ","])
    d["quotes"] = rng.choice(["none", "none", "none", "header", "all"])
    if d["decimal"] == "," and d["delimiter"] == "," and d["quotes"] != "all":
        d["decimal"] = "."
    marks = [m for m in [".", ",", "'", " "] if m != d["decimal"] and (m != d["delimiter"] or d["quotes"] == "all") and not (m == " " and d["delimiter"] == " ")]
    d["thousands"] = rng.choice(marks + [""] * 6) if marks else ""
    d["encoding"] = rng.choice(["utf-8", "utf-8", "utf-8-sig", "utf-16-le", "utf-16-be", "latin-1"])
    d["crlf"] = rng.random() < .4
    d["preamble"] = rng.choice(["", "", "plain", "delimiter", "comment", "numbers", "blank", "key"])
    d["lines"] = rng.choice([1, 3, 3, 8, 40, 300]) if d["preamble"] else 0
    d["language"] = rng.choice(list(WORDS))
    d["header"] = rng.choice(["one", "one", "one", "two", "repeated", "none"])
    d["units"] = rng.choice(["brackets", "square", "slash", "blank", "absent"])
    if d["delimiter"] == " " and d["quotes"] == "none":
        d["units"] = rng.choice(["brackets", "square", "slash", "absent"])
    d["volts"], d["amps"] = rng.choice(["V", "V", "mV"]), rng.choice(["A", "A", "mA"])
    d["temp"] = rng.choice(["°C", "°C", "°F", "K"])
    d["counter"] = rng.choice(["Ah", "mAh"])
    d["time"] = rng.choice(["s", "ms", "min", "h", "h:mm:ss", "mm:ss.f", "iso", "isoZ", "iso+02", "iso ms", "dmy", "mdy", "dmy2", "ampm", "two", "two ampm", "two slash",
                            "epoch", "epoch ms", "serial"])
    d["sign"] = rng.choice(["plus", "plus", "minus", "modes", "split", "power"])
    if log["kind"] == "drive" and d["sign"] == "modes":
        d["sign"] = "plus"
    d["cells"] = rng.choice(["none", "none", "before", "after", "instead"]) if log["series"] > 1 else "none"
    d["extra"] = [x for x in ["index", "constant", "Wh", "Ah", "step", "resistance", "power"] if rng.random() < .2]
    d["shuffle"] = rng.choice([0, rng.randrange(1, 1000)])
    d["footer"] = rng.random() < .2
    d["missing"] = rng.choice([0, 0, 1, 3])
    d["temperature"] = rng.random() < .7
    d["v_digits"], d["a_digits"] = rng.choice([2, 3, 3, 4]), rng.choice([2, 3, 3, 4])
    if d["header"] == "none":
        # What no word tells and no reader can know: asked for, so not drawn.
        d["sign"] = rng.choice(["plus", "minus"])
        d["extra"] = [x for x in d["extra"] if x in ("index",)]
        d["cells"] = "none"
        d["time"] = rng.choice(["s", "h:mm:ss", "iso", "dmy", "epoch", "serial"])
        d["volts"] = d["amps"] = ""
        d["volts"], d["amps"], d["temp"] = "V", "A", "°C"
    return d


def number(x, digits, d):
    text = f"{x:.{digits}f}"
    whole, _, fraction = text.partition(".")
    if d["thousands"]:
        sign, bare = ("-", whole[1:]) if whole.startswith("-") else ("", whole)
        groups = []
        while len(bare) > 3:
            bare, last = bare[:-3], bare[-3:]
            groups.insert(0, last)
        whole = sign + d["thousands"].join([bare] + groups)
    return whole + (d["decimal"] + fraction if fraction else "")


def timestamp(t, d, start):
    kind = d["time"]
    at = start + datetime.timedelta(seconds=t)
    if kind == "s":
        return number(t, 1, {**d, "thousands": ""})
    if kind == "ms":
        return str(round(t * 1000))
    if kind == "min":
        return number(t / 60, 4, {**d, "thousands": ""})
    if kind == "h":
        return number(t / 3600, 6, {**d, "thousands": ""})
    s = round(t)
    if kind == "h:mm:ss":
        return f"{s // 3600}:{s // 60 % 60:02}:{s % 60:02}"
    if kind == "mm:ss.f":
        return f"{s // 60:02}:{s % 60:02}.0"
    if kind == "iso":
        return at.strftime("%Y-%m-%dT%H:%M:%S")
    if kind == "isoZ":
        return at.strftime("%Y-%m-%dT%H:%M:%S") + "Z"
    if kind == "iso+02":
        return at.strftime("%Y-%m-%dT%H:%M:%S") + "+02:00"
    if kind == "iso ms":
        return at.strftime("%Y-%m-%d" + ("T" if d["delimiter"] == " " else " ") + "%H:%M:%S.000")
    if kind == "dmy":
        return at.strftime("%d.%m.%Y" + ("," if d["delimiter"] == " " else " ") + "%H:%M:%S")
    if kind == "dmy2":
        return at.strftime("%d/%m/%Y" + ("," if d["delimiter"] == " " else " ") + "%H:%M:%S")
    if kind == "mdy":
        return at.strftime("%m/%d/%Y" + ("," if d["delimiter"] == " " else " ") + "%H:%M:%S")
    if kind == "ampm":
        return at.strftime("%m/%d/%Y %I:%M:%S %p")
    if kind == "epoch":
        return str(round((at - datetime.datetime(1970, 1, 1)).total_seconds()))
    if kind == "epoch ms":
        return str(round((at - datetime.datetime(1970, 1, 1)).total_seconds() * 1000))
    if kind == "serial":
        return number((at - datetime.datetime(1899, 12, 30)).total_seconds() / 86400, 7, {**d, "thousands": ""})
    raise ValueError(kind)


def write(log, d, rng):
    """The text of the log in the dialect, and what is true of it."""
    rows, words = log["rows"], WORDS[d["language"]]
    start = datetime.datetime(rng.randrange(2019, 2026), rng.randrange(1, 13), rng.randrange(1, 29), rng.randrange(24), rng.randrange(60), rng.randrange(60))
    kind = d["time"]
    if d["delimiter"] == " " and kind == "ampm" and d["quotes"] != "all":
        kind = "mdy"
        d = {**d, "time": kind}
    mv, ma = d["volts"] == "mV", d["amps"] == "mA"
    volts = [round(v, d["v_digits"]) if not mv else round(v * 1000) / 1000 for v in rows["v"]]
    cells = [[round(c, d["v_digits"]) if not mv else round(c * 1000) / 1000 for c in row] for row in rows["cells"]]
    if d["cells"] == "instead":
        volts = [sum(row) for row in cells]
    amps = [round(i, d["a_digits"]) if not ma else round(i * 1000) / 1000 for i in rows["i"]]
    sign = -1 if d["sign"] == "minus" else 1
    columns = []

    def add(name, unit, cell, group="free"):
        columns.append((name, unit, cell, group))
    v_text = lambda v: number(v * 1000, 0, d) if mv else number(v, d["v_digits"], d)
    a_text = lambda a: number(a * 1000, 0, d) if ma else number(a, d["a_digits"], d)
    if kind in ("two", "two ampm", "two slash"):
        date = "%Y-%m-%d" if kind == "two" else "%m/%d/%Y" if kind == "two ampm" else "%d/%m/%Y"
        clock = "%I:%M:%S %p" if kind == "two ampm" and not (d["delimiter"] == " " and d["quotes"] != "all") else "%H:%M:%S"
        add(words[1], "", lambda k: (start + datetime.timedelta(seconds=rows["t"][k])).strftime(date), "date")
        add(words[2], "", lambda k: (start + datetime.timedelta(seconds=rows["t"][k])).strftime(clock), "date")
    else:
        unit = {"s": "s", "ms": "ms", "min": "min", "h": "h", "epoch ms": "ms" if rng.random() < .5 else ""}.get(kind, "")
        title = "Timestamp" if kind in ("iso", "isoZ", "iso+02", "iso ms", "dmy", "dmy2", "mdy", "ampm", "epoch", "epoch ms", "serial") and rng.random() < .5 else words[0]
        add(title, unit, lambda k: timestamp(rows["t"][k], d, start))
    if d["cells"] != "instead":
        add(words[3], d["volts"], lambda k: v_text(volts[k]))
    if d["sign"] == "split":
        add(words[8], d["amps"], lambda k: a_text(max(amps[k], 0.0)))
        add(words[9], d["amps"], lambda k: a_text(max(-amps[k], 0.0)))
    elif d["sign"] == "power":
        mw = d["amps"] == "mA"
        add(words[5], "mW" if mw else "W", lambda k: number(volts[k] * amps[k] * (1000 if mw else 1), 0 if mw else 4, d))
    elif d["sign"] == "modes":
        add(words[4], d["amps"], lambda k: a_text(abs(amps[k])))
        names = dict(zip(["charge", "discharge", "rest"], MODES[d["language"]]))
        add(words[12], "", lambda k: names[rows["mode"][k]])
    else:
        add(words[4], d["amps"], lambda k: a_text(sign * amps[k]))
    if d["temperature"]:
        shown = {"°C": lambda c: number(c, 1, d), "°F": lambda c: number(c * 1.8 + 32, 1, d), "K": lambda c: number(c + 273.15, 1, d)}[d["temp"]]
        add(words[6], d["temp"], lambda k: shown(rows["temp"][k]))
    if d["cells"] != "none":
        for n in range(log["series"]):
            add(words[7].format(n + 1), d["volts"], lambda k, n=n: v_text(cells[k][n]), d["cells"])
    dt = log["interval"]
    ah, wh, total, work = [], [], 0.0, 0.0
    for k in range(len(amps)):
        if k:
            total += abs(amps[k] + amps[k - 1]) / 2 * dt / 3600
            work += abs(amps[k] * volts[k] + amps[k - 1] * volts[k - 1]) / 2 * dt / 3600
        ah.append(total), wh.append(work)
    milli = d["counter"] == "mAh"
    if "Ah" in d["extra"]:
        add(words[10], d["counter"], lambda k: number(ah[k] * (1000 if milli else 1), 0 if milli else 4, d))
    if "Wh" in d["extra"]:
        add(words[11], "Wh", lambda k: number(wh[k], 3, d))
    if "power" in d["extra"] and d["sign"] != "power":
        add(words[5], "W", lambda k: number(volts[k] * amps[k] * sign if d["sign"] != "modes" else abs(volts[k] * amps[k]), 3, d))
    if "index" in d["extra"]:
        add("No" if d["language"] != "de" else "Nr", "", lambda k: str(k + 1), "first")
    if "constant" in d["extra"]:
        add("Channel", "", lambda k: "1")
    if "step" in d["extra"]:
        add("Step", "", lambda k: str(1 + sum(a != b for a, b in zip(rows["mode"][:k], rows["mode"][1:k + 1]))) if k < 1000 else "9")
    if "resistance" in d["extra"]:
        add("R" if d["language"].startswith("abbr") else "Resistance", "mOhm", lambda k: number(31 + .1 * (k % 5), 1, d))
    order = list(range(len(columns)))
    if d["shuffle"]:
        random.Random(d["shuffle"]).shuffle(order)
        order = [c for c in order if columns[c][3] == "first"] + [c for c in order if columns[c][3] != "first"]
        dates = [c for c in range(len(columns)) if columns[c][3] == "date"]
        if dates:  # date and clock stay together, the date first
            order = [c for c in order if c not in dates]
            order[0:0] = dates
    elif d["cells"] == "before":
        order = [c for c in order if columns[c][3] == "before"] + [c for c in order if columns[c][3] != "before"]
    columns = [columns[c] for c in order]
    quote = lambda text, on: '"' + text + '"' if on else text
    sep = d["delimiter"]
    spaced = lambda text: text.replace(" ", "_") if sep == " " and d["quotes"] == "none" else text

    def title(name, unit):
        if not unit or d["units"] == "absent" or d["header"] == "two":
            return name
        return {"brackets": f"{name}({unit})", "square": f"{name} [{unit}]" if sep != " " else f"{name}[{unit}]", "slash": f"{name}/{unit}", "blank": f"{name} {unit}"}[d["units"]]
    header = sep.join(quote(spaced(title(n, u)), d["quotes"] != "none") for n, u, _, _ in columns)
    head = [] if d["header"] == "none" else [header]
    if d["header"] == "two":
        head.append(sep.join(quote(u or "-", d["quotes"] != "none") for _, u, _, _ in columns))
    lines = []
    for n in range(d["lines"]):
        lines.append({"plain": f"Bench logger, note {n}" if sep != "," else f"Bench logger note {n}", "delimiter": f"Rated{sep}2.6{sep}Ah" if n % 2 else f"Cut-off{sep}3.0",
                      "comment": f"# made by a bench logger {n}", "numbers": sep.join(["1", "2", "3"]), "blank": "", "key": f"Setting {n}: {n * 3}"}[d["preamble"]])
    lines += head
    body = []
    for k in range(len(rows["t"])):
        body.append([cell(k) for _, _, cell, _ in columns])
    spoil = [c for c, (n, u, _, g) in enumerate(columns) if n == words[6] or g in ("before", "after")]
    if sep == " " and d["quotes"] == "none":
        marks = [m for m in MISSING if m]
    else:
        marks = MISSING
    lost = set()
    for _ in range(d["missing"] if spoil else 0):
        at, column = rng.randrange(len(body)), rng.choice(spoil)
        body[at][column] = rng.choice(marks)
        if columns[column][0] == words[6]:
            lost.add(at)
    again = len(body) // 2
    for k, row in enumerate(body):
        if d["header"] == "repeated" and k == again:
            lines += head
        lines.append(sep.join(quote(spaced(c), d["quotes"] == "all") for c in row))
    if d["footer"]:
        lines += ["", "End of log", f"Total{sep}{number(ah[-1], 3, d)}"]
    text = ("\r\n" if d["crlf"] else "\n").join(lines) + "\n"
    encoding = d["encoding"]
    if encoding == "latin-1":
        text = text.encode("latin-1", "replace")
    elif encoding.startswith("utf-16"):
        text = ("\ufeff" + text).encode(encoding)
    else:
        text = text.encode(encoding)
    charge_in = charge_out = energy_in = energy_out = 0.0
    for k in range(1, len(amps)):
        a, b = amps[k - 1], amps[k]
        for x in ((a, b),):
            q = (x[0] + x[1]) / 2 * dt / 3600
            e = (x[0] * volts[k - 1] + x[1] * volts[k]) / 2 * dt / 3600
            if q >= 0:
                charge_in += q
            else:
                charge_out -= q
            if e >= 0:
                energy_in += e
            else:
                energy_out -= e
    true = {"in": charge_in, "out": charge_out, "e_in": energy_in, "e_out": energy_out, "t": rows["t"][-1], "warm": max(x for k, x in enumerate(rows["temp"]) if k not in lost) if d["temperature"] else None,
            "cells": log["series"] if d["cells"] != "none" else 0}
    return text, true


def judge(cli, path, log, true, known):
    args = [cli, "analyse", str(path), "--json"]
    if known:
        args += ["--chemistry", log["chemistry"], "--series", str(log["series"]), "--rated-ah", str(log["rated"])]
    run = subprocess.run(args, capture_output=True, timeout=60)
    if run.returncode == 1:
        words = run.stderr.decode("utf-8", "replace")
        return ("refused" if "--" in words else "refused badly"), words.strip()[:400]
    if run.returncode != 0:
        return "crash", f"exit {run.returncode} {run.stderr[-200:]!r}"
    report = json.loads(run.stdout)
    inn = sum(max(s["charge_Ah"] or 0, 0) for s in report["steps"])
    out = -sum(min(s["charge_Ah"] or 0, 0) for s in report["steps"])
    e_in = sum(max(s["energy_Wh"] or 0, 0) for s in report["steps"])
    e_out = -sum(min(s["energy_Wh"] or 0, 0) for s in report["steps"])
    last = report["steps"][-1]["end_s"] if report["steps"] else 0
    warm = max((s["max_temperature_C"] for s in report["steps"] if s["max_temperature_C"] is not None), default=None)
    problems = []
    # Regeneration inside one step is netted there: compare the net, too.
    net, true_net = inn - out, true["in"] - true["out"]
    scale = max(true["in"], true["out"], .01)
    netted = log["kind"] == "drive"
    if abs(net - true_net) > .03 * scale:
        problems.append(f"charge {net:.4g} for {true_net:.4g}")
    if not netted and (abs(inn - true["in"]) > .03 * scale or abs(out - true["out"]) > .03 * scale):
        problems.append(f"in {inn:.4g} out {out:.4g} for {true['in']:.4g} {true['out']:.4g}")
    if abs((e_in - e_out) - (true["e_in"] - true["e_out"])) > .03 * max(true["e_in"], true["e_out"], .01):
        problems.append(f"energy {e_in - e_out:.4g} for {true['e_in'] - true['e_out']:.4g}")
    if abs(last - true["t"]) > max(.02 * true["t"], 3 * log["interval"]):
        problems.append(f"duration {last:.6g} for {true['t']:.6g}")
    if (warm is None) != (true["warm"] is None) or (warm is not None and abs(warm - true["warm"]) > .3):
        problems.append(f"warmest {warm} for {true['warm']}")
    if len(report["source"]["columns"]["cells"]) != true["cells"]:
        problems.append(f"cells {len(report['source']['columns']['cells'])} for {true['cells']}")
    return ("wrong" if problems else "right"), "; ".join(problems)


def case(cli, seed, folder, change=None):
    rng = random.Random(seed)
    log = battery_log(rng)
    d = draw(rng, log)
    if change:
        d = {**d, **change}
    text, true = write(log, d, random.Random(seed + 1))
    path = pathlib.Path(folder) / f"{seed}-{os.getpid()}.csv"
    path.write_bytes(text)
    known = random.Random(seed + 2).random() < .8
    try:
        verdict, words = judge(cli, path, log, true, known)
    except subprocess.TimeoutExpired:
        verdict, words = "hung", ""
    path.unlink()
    return verdict, words, d, text, known


def reduce(cli, seed, folder):
    """The smallest change from a plain dialect that is still as wrong."""
    verdict, _, d, _, _ = case(cli, seed, folder)
    change = {}
    for key, plain in PLAIN.items():
        if d[key] == plain:
            continue
        attempt = {**change, key: plain}
        try:
            if case(cli, seed, folder, attempt)[0] == verdict:
                change = attempt
        except (ValueError, KeyError, IndexError):
            pass
    return change


def main():
    options = argparse.ArgumentParser()
    options.add_argument("cli")
    options.add_argument("--count", type=int, default=300)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--reduce", action="store_true")
    options.add_argument("--keep", default="")
    options.add_argument("--show", type=int)
    options.add_argument("--quiet", action="store_true")
    choice = options.parse_args()
    with tempfile.TemporaryDirectory(prefix="nk-dialects-") as folder:
        if choice.show is not None:
            verdict, words, d, text, known = case(choice.cli, choice.show, folder)
            sys.stdout.buffer.write(text)
            print(verdict, words, {k: v for k, v in d.items() if v != PLAIN[k]}, "known" if known else "unknown battery")
            return 0
        seeds = [choice.seed * 1000003 + n for n in range(choice.count)]
        with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
            results = list(pool.map(lambda s: case(choice.cli, s, folder), seeds))
        counts = {}
        for seed, (verdict, words, d, text, known) in zip(seeds, results):
            counts[verdict] = counts.get(verdict, 0) + 1
            if verdict == "right":
                continue
            if not choice.quiet:
                print(f"{verdict} {seed}: {words}\n    { {k: v for k, v in d.items() if v != PLAIN[k]} }{'' if known else ' (battery not given)'}")
            if choice.reduce and verdict != "refused":
                change = reduce(choice.cli, seed, folder)
                _, words, d, text, _ = case(choice.cli, seed, folder, change)
                print(f"    smallest: { {k: v for k, v in d.items() if v != PLAIN[k]} }: {words}")
                if choice.keep:
                    kept = pathlib.Path(choice.keep)
                    kept.mkdir(parents=True, exist_ok=True)
                    (kept / f"{verdict}-{seed}.csv".replace(" ", "-")).write_bytes(text)
        wrong = sum(v for k, v in counts.items() if k not in ("right", "refused", "refused badly"))
        print(f"{choice.count} dialects: " + ", ".join(f"{v} {k}" for k, v in sorted(counts.items())))
        return 0 if counts.get("right", 0) >= .97 * choice.count and wrong * 200 < choice.count and not counts.get("refused badly") else 1


if __name__ == "__main__":
    sys.exit(main())

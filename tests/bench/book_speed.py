#!/usr/bin/env python3
"""Books of many recordings, whole processes: how long a list, a history and the refresh of stored readings take.

    tests/bench/book_speed.py CLI [--recordings 20000] [--samples 200] [--refresh 300] [--refresh-samples 20000]

The large book is made by copying one recording in SQL, as many times as asked for: opening does not read samples. The second
book holds fewer and longer recordings, all out of date, as after a new version of a metric."""
import argparse
import pathlib
import random
import shutil
import sqlite3
import subprocess
import tempfile
import time


def run(*args):
    start = time.perf_counter()
    done = subprocess.run([str(a) for a in args], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        raise SystemExit(done.stderr)
    return time.perf_counter() - start, done.stdout


def log(path, samples, seed):
    """Rest, charge at constant current and then voltage, rest, discharge, rest."""
    rng = random.Random(seed)
    soc, t = 0.1, 0.0
    dt = 6.0 * 3600 / samples
    rows = ["Time (s),Voltage (V),Current (A),Temperature (C)"]
    parts = [(0.05, 0.0), (0.45, 1.2), (0.1, 0.0), (0.35, -1.5), (0.05, 0.0)]
    for share, current in parts:
        for _ in range(int(share * samples)):
            ocv = 3.0 + 1.15 * min(max(soc, 0), 1) ** 0.7
            amps = current
            if current > 0:
                amps = min(current, max(0.02, (4.2 - ocv) / 0.05))
            if current < 0 and soc < 0.02:
                amps = 0.0
            soc += amps * dt / 3600 / 2.5
            rows.append(f"{t:.1f},{ocv + 0.05 * amps + rng.gauss(0, 0.0005):.3f},{amps + rng.gauss(0, 0.0005):.3f},{22 + rng.gauss(0, 0.05):.1f}")
            t += dt
    path.write_text("\n".join(rows) + "\n")


def fill(book, copies, batteries):
    """Copies of the first recording, over many batteries."""
    db = sqlite3.connect(book)
    db.execute("PRAGMA foreign_keys=ON")
    base = dict(zip([c[1] for c in db.execute("PRAGMA table_info(recording)")], db.execute("SELECT * FROM recording WHERE id=1").fetchone()))
    for k in range(2, batteries + 1):
        db.execute("INSERT INTO battery(id, name, chemistry, series, rated_Ah) VALUES (?,?,'nmc',1,2.5)", (k, f"Battery {k}"))
    tables = {t: [c[1] for c in db.execute(f"PRAGMA table_info({t})") if c[1] != "recording_id"] for t in ("original", "sample_chunk", "study", "reading", "finding")}
    for k in range(2, copies + 1):
        row = dict(base, id=k, title=f"log {k}", battery_id=1 + k % batteries, start_epoch_s=1.6e9 + 3600.0 * k)
        db.execute(f"INSERT INTO recording({','.join(row)}) VALUES ({','.join('?' * len(row))})", list(row.values()))
        for table, columns in tables.items():
            names = ",".join(columns)
            db.execute(f"INSERT INTO {table}(recording_id,{names}) SELECT {k},{names} FROM {table} WHERE recording_id=1")
    db.commit()
    db.close()


def main():
    p = argparse.ArgumentParser()
    p.add_argument("cli")
    p.add_argument("--recordings", type=int, default=20000)
    p.add_argument("--samples", type=int, default=200)
    p.add_argument("--refresh", type=int, default=300)
    p.add_argument("--refresh-samples", type=int, default=20000)
    a = p.parse_args()
    folder = pathlib.Path(tempfile.mkdtemp(prefix="nk-book-"))
    try:
        log(folder / "small.csv", a.samples, 1)
        big = folder / "big.nkbook"
        card = ("--name", "Battery 1", "--chemistry", "nmc", "--series", 1, "--rated-ah", 2.5)
        run(a.cli, "book", "import", big, folder / "small.csv", *card)
        fill(big, a.recordings, max(1, a.recordings // 40))
        size = big.stat().st_size / 2**20
        seconds, out = run(a.cli, "book", "list", big)
        print(f"book of {a.recordings} recordings, {size:.0f} MiB: listed in {seconds:.2f} s ({len(out.splitlines())} lines)")
        seconds, out = run(a.cli, "book", "refresh", big)
        print(f"  nothing out of date: found in {seconds:.2f} s ({out.strip()})")
        seconds, _ = run(a.cli, "history", big, "2", "--json")
        print(f"  history of one battery: {seconds:.2f} s")
        log(folder / "long.csv", a.refresh_samples, 2)
        many = folder / "many.nkbook"
        run(a.cli, "book", "import", many, folder / "long.csv", *card)
        fill(many, a.refresh, 5)
        db = sqlite3.connect(many)
        db.execute("UPDATE study SET fingerprint='of an older version'")
        db.commit()
        db.close()
        start = time.perf_counter()
        refresh = subprocess.Popen([a.cli, "book", "refresh", str(many)], stdout=subprocess.PIPE, text=True)
        user = sqlite3.connect(many, timeout=5, isolation_level=None)
        waits = []
        while refresh.poll() is None:  # a user's change every 20 ms
            asked = time.perf_counter()
            user.execute("BEGIN IMMEDIATE")
            waits.append(time.perf_counter() - asked)
            user.execute("UPDATE recording SET title='renamed' WHERE id=1")
            user.execute("COMMIT")
            time.sleep(0.02)
        seconds, out = time.perf_counter() - start, refresh.stdout.read()
        print(f"  a user's change waited at most {1000 * max(waits):.0f} ms, {1000 * sum(waits) / len(waits):.1f} ms on average, {len(waits)} changes")
        print(f"refresh of {a.refresh} recordings of {a.refresh_samples} samples: {seconds:.2f} s, {a.refresh / seconds:.0f} a second ({out.strip()})")
    finally:
        shutil.rmtree(folder)


main()

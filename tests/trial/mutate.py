#!/usr/bin/env python3
"""A trial by damage: logs, spreadsheets, MAT-files and bench books, changed at random by seed, are given to the command
line. None may crash it, hang it, take more memory than allowed, or come back as success with a figure no battery has.

    mutate.py CLI [--count N] [--seed S] [--memory-mb M] [--keep FOLDER]

Ends with 1 when one did, and keeps the file. Only Python's own library is used."""
import argparse
import gzip
import io
import json
import math
import os
import pathlib
import random
import re
import resource
import shutil
import signal
import sqlite3
import struct
import subprocess
import sys
import tempfile
import zipfile
import zlib

HERE = pathlib.Path(__file__).resolve().parent
CORPUS = HERE.parent / "formats" / "corpus"
LONGEST_S = 10
WEIRD = ["nan", "inf", "-inf", "1e308", "-1e308", "1e15", "99999999999999999999", "0", "-0", "", " ", "-", "---", "OL", "#N/A",
         "NaN", "1,5", "1.000,5", "0x10", "1e", "\x1b[2J", "\u202egnp.exe", "<b>x</b>", "=1+1", "\"", "\"\"", "'", "4.2V",
         "5000", "-40000", "400", "2026-13-45", "00:00:61", "\x00", "é", "９"]


def base_logs(cli, folder):
    """Logs of different dialects from the shipped simulator, shortened."""
    out = []
    names = ["dew-heater-full-cycle", "radio-module-5-reconditioned", "mount-pack-b-weak-cell", "flash-pack-pulses",
             "red-torch-quick-peak", "dew-heater-cold-night"]
    for name in names:
        path = folder / (name + ".csv")
        subprocess.run([cli, "simulate", name, "-o", str(path)], check=True)
        lines = path.read_bytes().split(b"\n")
        step = max(1, len(lines) // 300)
        out.append(b"\n".join(lines[:6] + lines[6::step]))
    out.append((CORPUS / "discharge.csv").read_bytes())
    return out


def mutate_bytes(data, rng):
    data = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 5, 20])):
        if not data:
            break
        at = rng.randrange(len(data))
        what = rng.randrange(6)
        if what == 0:
            data[at] = rng.randrange(256)
        elif what == 1:
            data[at] ^= 1 << rng.randrange(8)
        elif what == 2:
            del data[at:at + rng.randrange(1, 50)]
        elif what == 3:
            data[at:at] = bytes(rng.randrange(256) for _ in range(rng.randrange(1, 20)))
        elif what == 4:
            size = rng.randrange(1, 400)
            data[at:at] = data[at:at + size] * rng.randrange(1, 4)
        else:
            del data[at:]
    return bytes(data)


def mutate_table(data, rng):
    text = data.decode("latin-1")
    lines = text.split("\n")
    delimiter = max(",;\t|", key=lines[min(3, len(lines) - 1)].count)
    for _ in range(rng.choice([1, 2, 3, 8])):
        at = rng.randrange(len(lines))
        what = rng.randrange(11)
        cells = lines[at].split(delimiter)
        if what == 0:
            lines.insert(at, lines[rng.randrange(len(lines))])
        elif what == 1:
            del lines[at]
        elif what == 2:
            other = rng.randrange(len(lines))
            lines[at], lines[other] = lines[other], lines[at]
        elif what in (3, 4, 5):
            cells[rng.randrange(len(cells))] = rng.choice(WEIRD)
            lines[at] = delimiter.join(cells)
        elif what == 6:  # a column of one value
            column, value = rng.randrange(8), rng.choice(WEIRD)
            for k, line in enumerate(lines[1:], 1):
                parts = line.split(delimiter)
                if column < len(parts):
                    parts[column] = value
                    lines[k] = delimiter.join(parts)
        elif what == 7:  # columns change places
            a, b = rng.randrange(6), rng.randrange(6)
            for k, line in enumerate(lines):
                parts = line.split(delimiter)
                if max(a, b) < len(parts):
                    parts[a], parts[b] = parts[b], parts[a]
                    lines[k] = delimiter.join(parts)
        elif what == 8:
            lines[at] = delimiter.join(cells * rng.choice([2, 5, 300]))
        elif what == 9:  # numbers of another size
            factor = rng.choice([1e-6, -1, 1000, 1e6, 1e12])
            column = rng.randrange(6)
            for k, line in enumerate(lines):
                parts = line.split(delimiter)
                try:
                    parts[column] = repr(float(parts[column]) * factor)
                    lines[k] = delimiter.join(parts)
                except (ValueError, IndexError):
                    pass
        else:
            lines = [delimiter.join(rng.choice(WEIRD) for _ in range(4))] * rng.choice([1, 3]) + lines
        if not lines:
            lines = [""]
    return "\n".join(lines).encode("latin-1", "replace")


def mutate_zip(data, rng):
    try:
        source = zipfile.ZipFile(io.BytesIO(data))
        members = [(i, source.read(i)) for i in source.infolist()]
    except (zipfile.BadZipFile, zlib.error):
        return mutate_bytes(data, rng)
    chosen = rng.randrange(len(members))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        for k, (info, content) in enumerate(members):
            if k == chosen:
                if rng.random() < 0.5:
                    text = content.decode("utf-8", "replace")
                    numbers = list(re.finditer(r'(?<=[">])\d+(\.\d+)?(?=["<])', text))
                    for m in rng.sample(numbers, min(len(numbers), 3)):
                        text = text[:m.start()] + rng.choice(["1048576", "99999999", "-1", "1e308", "0", "x"]) + text[m.end():]
                        break
                    text = re.sub(r'(repeated=")\d+', lambda m: m.group(1) + rng.choice(["2", "1000", "1048576", "99999999999"]), text, count=1)
                    content = text.encode()
                else:
                    content = mutate_bytes(content, rng)
            target.writestr(info.filename, content)
    return out.getvalue()


def mutate_mat(data, rng):
    """The elements of a v5 file, packed ones inside too."""
    if rng.random() < 0.4 or len(data) < 136:
        return mutate_bytes(data, rng)
    head, body = bytearray(data[:128]), data[128:]
    out = bytes(head)
    while len(body) >= 8:
        kind, size = struct.unpack("<II", body[:8])
        part = body[8:8 + size]
        if kind == 15:
            try:
                part = zlib.compress(mutate_bytes(zlib.decompress(part), rng))
            except zlib.error:
                pass
        elif rng.random() < 0.5:
            part = mutate_bytes(part, rng)
        out += struct.pack("<II", kind, len(part) if rng.random() < 0.9 else rng.randrange(1 << 32)) + part
        body = body[8 + size:]
    return out


def mutate_book(path, rng):
    if rng.random() < 0.4:
        data = bytearray(path.read_bytes())
        for _ in range(rng.choice([1, 3, 30])):
            data[rng.randrange(len(data))] = rng.randrange(256)
        if rng.random() < 0.1:
            del data[rng.randrange(len(data)):]
        path.write_bytes(data)
        return
    db = sqlite3.connect(path)
    values = [None, -1, 0, 1 << 62, -1.5, 1e308, "", "x" * 1000, "\x1b[31m", b"", b"\x00" * 100, "[]", "{}", "nan"]
    for _ in range(rng.choice([1, 2, 5])):
        try:
            table = rng.choice([r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type='table'")])
            column = rng.choice([r[1] for r in db.execute(f"PRAGMA table_info({table})")])
            what = rng.randrange(8)
            if what < 4:
                db.execute(f"UPDATE {table} SET {column}=?", (rng.choice(values),))
            elif what == 4:
                rows = db.execute(f"SELECT rowid, {column} FROM {table} LIMIT 5").fetchall()
                row, value = rng.choice(rows)
                raw = mutate_bytes(value if isinstance(value, bytes) else str(value).encode(), rng)
                db.execute(f"UPDATE {table} SET {column}=? WHERE rowid=?", (raw if isinstance(value, bytes) else raw.decode("latin-1"), row))
            elif what == 5:
                db.execute(f"DELETE FROM {table}")
            elif what == 6:
                db.execute(rng.choice([
                    "CREATE TRIGGER t AFTER INSERT ON recording BEGIN DELETE FROM battery; END",
                    "CREATE VIEW v AS SELECT 1", f"ALTER TABLE {table} ADD COLUMN more", f"DROP TABLE {table}",
                    f"CREATE INDEX i ON {table}({column})", "PRAGMA user_version=3", "PRAGMA user_version=99"]))
            else:
                db.execute("INSERT INTO change(label, at_s) VALUES ('x', 0)")
                db.execute("INSERT INTO change_part(change_id, place, before, after) SELECT max(id), ?, ?, ? FROM change",
                           (rng.choice(["battery", "sqlite_master", "recording"]), rng.choice([None, "id=1", "id=1,name='x'", "DELETE"]),
                            rng.choice([None, "id=1,removed=1", "id='", "VACUUM"])))
        except (sqlite3.Error, IndexError, ValueError):
            pass
    try:
        db.commit()
    except sqlite3.Error:
        pass
    db.close()


def absurd(report):
    """A figure in the JSON that no battery has, or that is no number."""
    def walk(x, path):
        if isinstance(x, dict):
            for k, v in x.items():
                yield from walk(v, path + [k])
        elif isinstance(x, list):
            for v in x:
                yield from walk(v, path)
        elif isinstance(x, (int, float)) and not isinstance(x, bool):
            yield path[-1] if path else "", float(x)
    for name, value in walk(report, []):
        if not math.isfinite(value):
            return f"{name} is {value}"
        size = abs(value)
        most = 20000 if name.endswith("_A") else 2000 if name.endswith("_V") else 300 if name.endswith("_C") else None
        if most is not None and size > most * 1.001:
            return f"{name} is {value}"
    return None


class Trial:
    def __init__(self, cli, memory_mb, folder):
        self.cli, self.memory, self.folder = cli, memory_mb, folder
        self.worst_s = self.worst_mb = 0.0
        self.succeeded = 0

    def run(self, args, seen):
        """Runs the command line; returns what is wrong, or None. `seen` judges standard output of a success."""
        out = open(self.folder / "out", "wb+")
        err = open(self.folder / "err", "wb+")
        process = subprocess.Popen([self.cli, *args], stdin=subprocess.DEVNULL, stdout=out, stderr=err)
        previous = signal.signal(signal.SIGALRM, lambda *_: process.kill())
        signal.alarm(LONGEST_S)
        _, status, used = os.wait4(process.pid, 0)
        left = signal.alarm(0)
        signal.signal(signal.SIGALRM, previous)
        process.returncode = 0
        self.worst_s = max(self.worst_s, used.ru_utime + used.ru_stime)
        self.worst_mb = max(self.worst_mb, used.ru_maxrss / 1024)
        out.seek(0), err.seek(0)
        text, words = out.read(), err.read()
        out.close(), err.close()
        if left == 0 and os.WIFSIGNALED(status):
            return f"hung for more than {LONGEST_S} s"
        if os.WIFSIGNALED(status):
            return f"ended by signal {os.WTERMSIG(status)}: {words[-300:]!r}"
        if self.memory and used.ru_maxrss > self.memory * 1024:
            return f"took {used.ru_maxrss // 1024} MB"
        code = os.WEXITSTATUS(status)
        if code not in (0, 1, 2, 3):
            return f"ended with {code}: {words[-300:]!r}"
        if code in (1, 2) and not words.strip() and not text.strip():
            return f"ended with {code} without a word"
        for stream in (text, words):
            if re.search(rb"[\x00-\x08\x0b-\x1f\x7f]", stream) or "\u202e".encode() in stream:
                return f"a control character reached the terminal: {stream[:200]!r}"
        if b"json.exception" in words or b"std::" in words or b"what()" in words:
            return f"a library's inner words: {words[-300:]!r}"
        if code == 0:
            self.succeeded += 1
            return seen(text)
        return None


def json_of(text):
    try:
        return absurd(json.loads(text))
    except ValueError as problem:
        return f"no JSON: {problem}"


def main():
    options = argparse.ArgumentParser()
    options.add_argument("cli")
    options.add_argument("--count", type=int, default=300)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--memory-mb", type=int, default=1000)
    options.add_argument("--keep", default="")
    choice = options.parse_args()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    folder = pathlib.Path(tempfile.mkdtemp(prefix="nk-trial-"))
    keep = pathlib.Path(choice.keep or folder / "failed")
    trial = Trial(choice.cli, choice.memory_mb, folder)
    logs = base_logs(choice.cli, folder)
    sheets = [(p.suffix, p.read_bytes()) for p in sorted(CORPUS.glob("discharge.*")) if p.suffix in (".xlsx", ".ods")]
    mats = [p.read_bytes() for p in sorted(CORPUS.glob("*.mat"))]
    whole = folder / "whole.nkbook"
    for k, log in enumerate(logs[:3]):
        (folder / f"log{k}.csv").write_bytes(log)
    subprocess.run([choice.cli, "book", "import", str(whole), *(str(folder / f"log{k}.csv") for k in range(3)), "--name", "Spare pack"],
                   check=True, stdout=subprocess.DEVNULL)
    failures = 0
    kinds = {}
    for n in range(choice.count):
        rng = random.Random(f"{choice.seed}/{n}")
        kind = rng.choices(["table", "bytes", "packed", "sheet", "mat", "book"], [5, 3, 1, 2, 2, 4])[0]
        kinds[kind] = kinds.get(kind, 0) + 1
        if kind == "book":
            path = folder / f"case{n}.nkbook"
            shutil.copy(whole, path)
            mutate_book(path, rng)
            original = path.read_bytes()
            works = [(["book", "verify", str(path)], lambda t: None), (["book", "list", str(path), "--json"], json_of),
                     (["book", "export", str(path), str(rng.randrange(1, 4)), "-o", str(folder / "exported"), "--force"],
                      lambda t: None if (folder / "exported").read_bytes() in logs else "export gave other bytes"),
                     (["book", "rescue", str(path), "-o", str(folder / "rescued.nkbook")], lambda t: None)]
        else:
            if kind in ("table", "bytes", "packed"):
                data = rng.choice(logs)
                data = mutate_bytes(data, rng) if kind == "bytes" else mutate_table(data, rng)
                ending = ".csv"
                if kind == "packed":
                    data = gzip.compress(data) if rng.random() < 0.5 else mutate_bytes(gzip.compress(data), rng)
                    ending = ".csv.gz"
            elif kind == "sheet":
                ending, data = rng.choice(sheets)
                data = mutate_zip(data, rng)
            else:
                ending, data = ".mat", mutate_mat(rng.choice(mats), rng)
            path = folder / f"case{n}{ending}"
            path.write_bytes(data)
            original = data
            battery = rng.choice([[], ["--chemistry", "nmc", "--series", "3", "--rated-ah", "5"],
                                  ["--chemistry", "nimh", "--rated-ah", "2"], ["--interval-s", "1"]])
            works = [(["analyse", str(path), "--json", *battery], json_of)]
            if rng.random() < 0.15:
                works.append((["analyse", str(path), *battery], lambda t: None))
            if rng.random() < 0.1:
                works.append((["replay", str(path), "--rule", "-dv:5mV|timer:1h", "--json", *battery], json_of))
        for args, seen in works:
            wrong = trial.run(args, seen)
            if wrong:
                failures += 1
                keep.mkdir(parents=True, exist_ok=True)
                kept = keep / f"{choice.seed}-{n}{path.suffix}"
                kept.write_bytes(original)
                print(f"{' '.join(args[:2])} on case {n} (seed {choice.seed}): {wrong}\n  kept as {kept}", flush=True)
                break
        for left in folder.glob("case*"):
            shutil.rmtree(left) if left.is_dir() else left.unlink()
        for left in folder.glob("rescued*"):
            left.unlink()
    print(f"{choice.count} cases ({', '.join(f'{v} {k}' for k, v in sorted(kinds.items()))}), {trial.succeeded} runs succeeded, "
          f"{failures} failures; longest {trial.worst_s:.1f} s of processor time, largest {trial.worst_mb:.0f} MB")
    if failures == 0 or keep.parent != folder:
        shutil.rmtree(folder)
    return 1 if failures else 0


if __name__ == "__main__":
    sys.exit(main())

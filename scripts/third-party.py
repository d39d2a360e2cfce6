#!/usr/bin/env python3
"""Third-party crates of the program: writes THIRD-PARTY.md, or with --check says whether it is up to date.

Reads only what cargo has on this machine already. Ends with status 1 for a licence that is not on the list of permissive ones, for
a locked version that its author has withdrawn (as far as cargo's own copy of the index tells), and with --check for a file that is out
of date.
"""
import json, pathlib, re, subprocess, sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
PERMISSIVE = {"MIT", "Apache-2.0", "Apache-2.0 WITH LLVM-exception", "BSD-2-Clause", "BSD-3-Clause", "ISC", "Zlib", "Unicode-3.0",
              "Unicode-DFS-2016", "0BSD", "BSL-1.0", "CC0-1.0", "Unlicense", "MIT-0"}


def cargo(*words):
    return subprocess.run(["cargo", *words], cwd=ROOT, capture_output=True, text=True, check=True).stdout


def allowed(expression):
    """Whether one of the alternatives of a licence expression is permissive in all its parts."""
    text = expression.replace("/", " OR ").replace("(", " ").replace(")", " ")
    alternatives = [[part.strip() for part in either.split(" AND ")] for either in re.split(r" OR ", text)]
    return any(all(part in PERMISSIVE for part in parts) for parts in alternatives)


def withdrawn(package):
    """Whether the index that cargo keeps says that this version was yanked; None where it keeps nothing of the crate."""
    home = pathlib.Path(json.loads(cargo("metadata", "--no-deps", "--offline", "--format-version", "1")).get("cargo_home", "~/.cargo"))
    name = package["name"].lower()
    places = {1: "1", 2: "2"}.get(len(name)) or (f"3/{name[0]}" if len(name) == 3 else f"{name[:2]}/{name[2:4]}")
    for cache in home.expanduser().glob("registry/index/*/.cache"):
        file = cache / places / name
        if file.is_file():
            for line in file.read_bytes().split(b"\0"):
                if line.startswith(b"{"):
                    entry = json.loads(line)
                    if entry["vers"] == package["version"]:
                        return entry.get("yanked", False)
    return None


metadata = json.loads(cargo("metadata", "--locked", "--offline", "--format-version", "1"))
tree = cargo("tree", "--locked", "--offline", "-p", "ironspin", "-e", "normal,build", "--prefix", "none", "--format", "{p}")
shipped = {tuple(line.split()[:2]) for line in tree.splitlines() if line}
packages = [p for p in metadata["packages"] if p["source"] and (p["name"], "v" + p["version"]) in shipped]
packages.sort(key=lambda p: (p["name"], p["version"]))
lines = ["# Third-party code", "",
         "Written by `scripts/third-party.py`. The program links these crates; each is used under the licence that stands beside it, and its text",
         "lies in the crate's own source. The font DejaVu Sans is used under `crates/report/fonts/LICENSE-DejaVu.txt`; SQLite, which comes inside",
         "`libsqlite3-sys`, is in the public domain.", "", "| crate | version | licence |", "|---|---|---|"]
wrong = []
for p in packages:
    licence = p["license"] or "(a file)"
    lines.append(f"| {p['name']} | {p['version']} | {licence} |")
    if not allowed(licence):
        wrong.append(f"{p['name']} {p['version']}: the licence {licence} is not on the list")
    if withdrawn(p):
        wrong.append(f"{p['name']} {p['version']}: this version was withdrawn by its author")
text = "\n".join(lines) + "\n"
page = ROOT / "THIRD-PARTY.md"
if "--check" in sys.argv:
    if not page.is_file() or page.read_text() != text:
        wrong.append("THIRD-PARTY.md is out of date: run scripts/third-party.py")
else:
    page.write_text(text)
print("\n".join(wrong) if wrong else f"{len(packages)} crates, all under permissive licences, none withdrawn")
sys.exit(1 if wrong else 0)

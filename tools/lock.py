"""Writes requirements.lock (run time, all extras) and requirements-dev.lock: every package with its version and the hashes of its files.

Run in the project's environment: `.venv/bin/python tools/lock.py`, with `--upgrade` for the newest versions that pyproject.toml allows. Asks the
package index that pip asks.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import urllib.request
from pathlib import Path
from urllib.parse import urljoin

from pip._internal.models.index import PyPI
from pip._vendor.packaging.utils import canonicalize_name, parse_sdist_filename, parse_wheel_filename

ROOT = Path(__file__).resolve().parents[1]
LOCKS = {"requirements.lock": "all", "requirements-dev.lock": "dev"}
JSON = "application/vnd.pypi.simple.v1+json"


def resolved(extra: str, upgrade: bool) -> dict[str, tuple[str, set[str]]]:
    """Name → version and known hashes of everything that is installed with an extra."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.json"
        known = Path(folder) / "known.txt"
        # What is locked already stays, without its hashes: those are looked up anew.
        lock = ROOT / "requirements-dev.lock"
        lines = (lock if lock.exists() else ROOT / "requirements.lock").read_text().splitlines()
        known.write_text("\n".join(line.split(" ")[0] for line in lines if "==" in line))
        held = [] if upgrade else ["-c", str(known)]
        asked = ["install", "-q", "--dry-run", "--ignore-installed", "--report", str(report), *held, f"{ROOT}[{extra}]"]
        subprocess.run([sys.executable, "-m", "pip", *asked], check=True)
        found = {}
        for entry in json.loads(report.read_text())["install"]:
            name = canonicalize_name(entry["metadata"]["name"])
            hashes = entry["download_info"].get("archive_info", {}).get("hashes", {})
            if name != "hailridge":
                found[name] = entry["metadata"]["version"], {hashes["sha256"]} if "sha256" in hashes else set()
        return found


def files_of(name: str, version: str) -> set[str]:
    """Hashes of all files of a version, for whatever machine."""
    request = urllib.request.Request(urljoin(PyPI.simple_url + "/", f"{name}/"), headers={"Accept": JSON})
    with urllib.request.urlopen(request, timeout=60) as answer:
        listed = json.load(answer)["files"]
    return {entry["hashes"]["sha256"] for entry in listed if version_of(entry["filename"]) == version and "sha256" in entry["hashes"]}


def version_of(filename: str) -> str:
    try:
        return str((parse_wheel_filename if filename.endswith(".whl") else parse_sdist_filename)(filename)[1])
    except ValueError:
        return ""


def main() -> None:
    made = {}
    for lock, extra in LOCKS.items():
        lines = ["# Written by tools/lock.py."]
        for name, (version, hashes) in sorted(resolved(extra, "--upgrade" in sys.argv).items()):
            all_ = sorted(hashes | files_of(name, version))
            lines.append(" \\\n    ".join([f"{name}=={version}", *(f"--hash=sha256:{one}" for one in all_)]))
        made[lock] = "\n".join(lines) + "\n"
    for lock, text in made.items():
        (ROOT / lock).write_text(text)


if __name__ == "__main__":
    main()

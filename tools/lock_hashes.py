"""Put the hashes of every file of each pinned package into a lock: lock_hashes.py LOCK, with the environment's pip.

The index is the one that pip uses. A lock with hashes installs what was locked, or nothing, on every platform.
"""

from __future__ import annotations

import json
import re
import ssl
import subprocess
import sys
import urllib.request
from pathlib import Path


def index() -> str:
    """The address of pip's index."""
    for key in ("global.index-url", "install.index-url", "site.index-url", ":env:.index-url"):
        found = subprocess.run([sys.executable, "-m", "pip", "config", "get", key], capture_output=True, text=True)
        if found.returncode == 0:
            return found.stdout.strip()
    from pip._internal.models.index import PyPI

    return str(PyPI.simple_url)


def hashes(base: str, name: str, version: str, context: ssl.SSLContext) -> list[str]:
    """SHA-256 of every file of a version."""
    normal = re.sub(r"[-_.]+", "-", name).lower()
    wanted = {"Accept": "application/vnd.pypi.simple.v1+json"}
    request = urllib.request.Request(f"{base.rstrip('/')}/{normal}/", headers=wanted)
    with urllib.request.urlopen(request, timeout=60, context=context) as answer:
        files = json.load(answer)["files"]
    forms = {name.lower(), normal, normal.replace("-", "_")}
    begins = tuple(f"{form}-{version}{end}" for form in forms for end in ("-", ".tar", ".zip"))
    of_version = [file for file in files if file["filename"].lower().startswith(begins)]
    return sorted({file["hashes"]["sha256"] for file in of_version if not file.get("yanked")})


def main(lock: Path) -> None:
    """Write the lock anew with hashes. Exits with a message where a package has none."""
    base, context = index(), ssl.create_default_context()
    lines = []
    for line in lock.read_text().splitlines():
        if "==" not in line:
            lines.append(line)
            continue
        name, version = line.split("==")
        found = hashes(base, name, version, context)
        if not found:
            sys.exit(f"{name} {version} has no hashes on the index")
        lines.append(" \\\n".join([line, *(f"    --hash=sha256:{each}" for each in found)]))
    lock.write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))

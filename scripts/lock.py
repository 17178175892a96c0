"""Write requirements/*.lock: versions pinned by pip-compile, each with the checksums of its files.

scripts/lock.py    (in an environment that has pip-tools; asks the package index)

The checksums are those that the index itself tells of every file of a version, whatever platform it is for; pip-compile would
download them all to find out.
"""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from typing import Any

HERE = Path(__file__).parents[1] / "requirements"
QUIET = [
    "-q",
    "--no-emit-find-links",
    "--no-emit-index-url",
    "--no-emit-trusted-host",
    "--strip-extras",
    "--allow-unsafe",
]
_PIN = re.compile(r"^([A-Za-z0-9_.-]+)==(\S+)$")


def compiled(name: str, *more: str) -> None:
    """Pin the versions of one list."""
    command = [sys.executable, "-m", "piptools", "compile", *QUIET, *more]
    subprocess.run(
        [*command, f"--output-file=requirements/{name}.lock", f"requirements/{name}.in"], check=True, cwd=HERE.parent
    )


def checksums(collector: Any, name: str, version: str) -> list[str]:
    """SHA-256 of every file of a version, as the index tells them."""
    from packaging.utils import InvalidSdistFilename, InvalidWheelFilename, parse_sdist_filename, parse_wheel_filename
    from pip._internal.index.collector import parse_links

    def links(page: Any) -> Any:
        response = collector.fetch_response(page)
        return [] if response is None else list(parse_links(response))

    found = set()
    sources = collector.collect_sources(name, candidates_from_page=links)
    for source in sources.index_urls:
        for link in source.page_candidates() if source else []:
            try:
                parse = parse_wheel_filename if link.filename.endswith(".whl") else parse_sdist_filename
                own = str(parse(link.filename)[1])
            except (InvalidWheelFilename, InvalidSdistFilename):
                continue
            if own == version and link.hash_name == "sha256":
                found.add(link.hash)
    return sorted(found)


def with_checksums(name: str) -> None:
    """Lay the checksums under the pins of one list."""
    from pip._internal.commands.download import DownloadCommand
    from pip._internal.index.collector import LinkCollector

    command = DownloadCommand("download", "")
    options, _ = command.parse_args([])
    with command.main_context():
        collector = LinkCollector.create(command.get_default_session(options), options)
        path = HERE / f"{name}.lock"
        out = []
        for line in path.read_text().splitlines():
            pin = _PIN.match(line)
            if pin is None:
                out.append(line)
                continue
            hashes = checksums(collector, pin[1], pin[2])
            if not hashes:
                raise SystemExit(f"{line}: the index tells no checksum")
            out.append(" \\\n    --hash=sha256:".join([line, *hashes]))
    path.write_text("\n".join(out) + "\n")


if __name__ == "__main__":
    compiled("dev")
    compiled("app", "--constraint=requirements/dev.lock")
    with_checksums("app")
    with_checksums("dev")

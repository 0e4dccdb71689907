"""The whole command line with as many steps as a template may have: the file read and checked, planned, printed."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from bench.networks import Job

_RUN = """
import sys
from unisequa.cli import main
try:
    main()
finally:
    print(*open("/proc/self/status"), file=sys.stderr)
"""


@dataclass(frozen=True)
class Taken:
    """What it took: in loops, and megabytes at the most."""

    loops: float
    megabytes: float


def figures(job: Job, loop: Callable[[], object]) -> Taken:
    """A job as a template, planned by ``unisequa plan``; the least of three."""
    n = len(job.durations)
    followed = {b for _, b, _, _ in job.links}
    document = {
        "format": "unisequa-template/1",
        "name": "A large job",
        "anchors": [{"key": "open", "label": "Opening"}],
        "roles": [{"key": f"r{i}", "label": f"Role {i}"} for i in range(12)],
        "phases": [{"key": f"p{i}", "label": f"Phase {i}"} for i in range(8)],
        "steps": [
            {
                "key": f"s{i}",
                "title": f"Step {i} of the job",
                "phase": f"p{i * 8 // n}",
                "role": f"r{i % 12}",
                "duration": duration,
            }
            | ({} if i in followed else {"when": {"anchor": "open", "offset": 0, "edge": "start"}})
            for i, duration in enumerate(job.durations)
        ],
        "links": [{"from": f"s{a}", "to": f"s{b}", "type": kind, "lag": lag} for a, b, kind, lag in job.links],
    }
    times, most = [], 0.0
    with tempfile.TemporaryDirectory() as folder:
        file, out = Path(folder, "large.json"), Path(folder, "plan.json")
        file.write_text(json.dumps(document))
        command = [sys.executable, "-c", _RUN, "plan", str(file), "--anchor", "open=2027-01-05"]
        for _ in range(3):
            begun = time.perf_counter()
            with out.open("w") as printed:
                done = subprocess.run(command, check=True, stdout=printed, stderr=subprocess.PIPE, text=True)
            taken = time.perf_counter() - begun
            begun = time.perf_counter()
            for _ in range(20):
                loop()
            times.append(taken / ((time.perf_counter() - begun) / 20))
            peak = next(int(line.split()[1]) for line in done.stderr.splitlines() if "VmHWM" in line) / 1024
            most = max(most, peak)
    return Taken(min(times), most)

"""Timing things side by side, so that what else the machine does falls on all of them alike."""

import platform
import statistics
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

__all__ = ["Result", "machine", "peak_memory", "side_by_side", "slowness"]


@dataclass(frozen=True)
class Result:
    """One figure beside what it was to be."""

    name: str
    what: str
    measured: float
    limit: float
    at_least: bool = False

    @property
    def reached(self) -> bool:
        """Whether it is what it was to be."""
        return self.measured >= self.limit if self.at_least else self.measured <= self.limit

    def row(self) -> str:
        """A row of the report's table."""
        bound = f"{'≥' if self.at_least else '≤'} {self.limit:g}"
        verdict = "yes" if self.reached else "no"
        return f"| {self.name} | {self.what} | {self.measured:.3g} | {bound} | {verdict} |"


def side_by_side(ways: Mapping[str, Callable[[], object]], rounds: int = 7) -> dict[str, float]:
    """Seconds of each way, the median of rounds in which all of them take their turn."""
    times: dict[str, list[float]] = {name: [] for name in ways}
    for way in ways.values():
        way()  # once to warm up
    for _ in range(rounds):
        for name, way in ways.items():
            begun = time.perf_counter()
            way()
            times[name].append(time.perf_counter() - begun)
    return {name: statistics.median(measured) for name, measured in times.items()}


def peak_memory(process: int | Literal["self"] = "self") -> int:
    """The most memory that a process has held, this one or the one of an id, in KB.

    Not ``getrusage``: what it says of a process begun by another includes what that one held.
    """
    for line in Path(f"/proc/{process}/status").read_text("utf-8").splitlines():
        if line.startswith("VmHWM:"):
            return int(line.split()[1])
    raise OSError("this system does not say how much memory a process has held")


def machine() -> str:
    """The processor, its cores and the Python that ran."""
    cpu = "unknown processor"
    for line in Path("/proc/cpuinfo").read_text("utf-8").splitlines():
        if line.startswith("model name"):
            cpu = line.partition(":")[2].strip()
            break
    cores = Path("/proc/cpuinfo").read_text("utf-8").count("processor\t")
    return f"{cpu}, {cores} cores, Python {platform.python_version()}"


#: Seconds that a quiet machine needs for three million additions in Python 3.11.
_QUIET = 0.2


def slowness() -> float:
    """How many times slower than a quiet machine this one is at the moment; 1 at least."""
    begun, total = time.perf_counter(), 0
    for number in range(3_000_000):
        total += number
    return max(1.0, (time.perf_counter() - begun) / _QUIET)

"""Run every benchmark, print the ratios and write docs/benchmarks.md."""

import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from benchmarks.arriving import arriving
from benchmarks.at_work import at_work
from benchmarks.coming_back import coming_back
from benchmarks.hostile import hostile
from benchmarks.mailbox import client_of, mailbox
from benchmarks.measuring import Result, machine, side_by_side
from benchmarks.mirroring import mirroring
from benchmarks.on_screen import on_screen
from benchmarks.reference_parse import fastest_parse, modern_parse
from benchmarks.rule_mix import make_rules
from benchmarks.scripting import scripting
from mnemic.core import CompiledRules, ParsedMessage, RuleDocument, parse_message, through_rules
from mnemic.demo import generate
from mnemic.post import read_files

REPORT = Path(__file__).parents[1] / "docs" / "benchmarks.md"
SAMPLE = 300
#: What rules mostly look at; their comparable forms are part of the message view.
CHANNEL_RULES = [
    {"field": "from", "test": "is", "values": ["x"]},
    {"field": "from", "part": "domain", "test": "is", "values": ["x"]},
    {"field": "recipient", "test": "is", "values": ["x"]},
    {"field": "subject", "test": "is", "values": ["x"]},
    {"field": "body", "test": "is", "values": ["x"]},
]


def whole_view(octets: bytes) -> ParsedMessage:
    """Octets to the whole message view, folded."""
    message = parse_message(octets)
    _ = message.attachments, message.received, message.message_id
    _WARMER.decide(message)
    return message


def _warmer() -> CompiledRules:
    from mnemic.core import read_rule

    return CompiledRules(
        [read_rule({"name": "w", "when": when, "then": [{"do": "keep"}]}) for when in CHANNEL_RULES]
    )


_WARMER = _warmer()


def over(mail: list[bytes], parse: Callable[[bytes], object]) -> Callable[[], None]:
    """Parse every message."""

    def way() -> None:
        for octets in mail:
            parse(octets)

    return way


def deciding(compiled: CompiledRules, views: list[ParsedMessage]) -> Callable[[], None]:
    """Decide every message."""

    def way() -> None:
        for view in views:
            compiled.decide(view)

    return way


def rules_and_parsing(mail: list[bytes]) -> Iterator[Result]:
    """B1 to B4, on one sample of the demo's mail."""
    views = [whole_view(octets) for octets in mail]
    rules = make_rules(views, 10_000)
    sizes = (10, 100, 1_000, 10_000)
    compiled = {size: CompiledRules(rules[:size]) for size in sizes}
    few = views[:6]

    def plainly(size: int) -> Callable[[], None]:
        def way() -> None:
            for view in few:
                through_rules(rules[:size], view)

        return way

    ways: dict[str, Callable[[], object]] = {
        "fastest": over(mail, fastest_parse),
        "modern": over(mail, modern_parse),
        "mnemic": over(mail, whole_view),
        **{f"decide {size}": deciding(compiled[size], views) for size in sizes},
    }
    t = side_by_side(ways)
    plain = side_by_side(
        {f"plain {size}": plainly(size) for size in (1_000, 10_000)}
        | {f"decide {size}": deciding(compiled[size], few) for size in (1_000, 10_000)},
        rounds=3,
    )
    parse_us, decide_us = (t[key] / len(mail) * 1e6 for key in ("fastest", "decide 1000"))
    takers = [sum(len(compiled[n].decide(v).taken_by) for v in views) / len(views) for n in sizes]
    print("rules that take a message, on average:", dict(zip(sizes, takers, strict=True)))
    print(
        f"fastest parse {parse_us:.0f} µs, deciding with 1,000 rules {decide_us:.1f} µs a message"
    )
    yield from _of_rules_and_parsing(t, plain)


def _of_rules_and_parsing(t: dict[str, float], plain: dict[str, float]) -> Iterator[Result]:
    """The figures, from the seconds that each way took."""
    yield Result(
        "B1", "deciding with 1,000 rules / fastest parse", t["decide 1000"] / t["fastest"], 0.07
    )
    yield Result(
        "B1", "deciding with 10,000 rules / fastest parse", t["decide 10000"] / t["fastest"], 0.25
    )
    yield Result("B2", "1,000 rules / 10 rules", t["decide 1000"] / t["decide 10"], 3)
    yield Result("B2", "10,000 rules / 100 rules", t["decide 10000"] / t["decide 100"], 5)
    for size, limit in ((1_000, 20), (10_000, 75)):
        ratio = plain[f"plain {size}"] / plain[f"decide {size}"]
        yield Result("B3", f"plain / compiled, {size:,} rules", ratio, limit, at_least=True)
    yield Result("B4", "Mnemic’s parse, folded / fastest parse", t["mnemic"] / t["fastest"], 1.5)
    yield Result(
        "B4", "policy.default / Mnemic’s parse", t["modern"] / t["mnemic"], 5, at_least=True
    )


_PEAK = """
import sys
from benchmarks.measuring import peak_memory
from mnemic.cli.commands import main
try:
    main(sys.argv[1:])
finally:
    print(peak_memory(), file=sys.stderr)
"""


def _sort(rules: Path, mbox: Path, out: Path) -> tuple[float, int]:
    """Seconds and peak memory (KB) of ``mnemic sort`` over a file, start of Python included."""
    words = [sys.executable, "-c", _PEAK, "sort", "--rules", str(rules), str(mbox)]
    begun = time.perf_counter()
    with out.open("wb") as file:
        done = subprocess.run(words, check=True, stdout=file, stderr=subprocess.PIPE)  # noqa: S603
    return time.perf_counter() - begun, int(done.stderr.split()[-1])


def sorting_files(mail: list[bytes]) -> Iterator[Result]:
    """B5: an mbox of 20,000 messages with 200 rules, end to end."""
    views = [parse_message(octets) for octets in mail]
    document = RuleDocument(format="mnemic-rules", version=1, rules=tuple(make_rules(views, 200)))
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rules, large, small = (
            folder / file_name for file_name in ("rules.json", "large.mbox", "small.mbox")
        )
        rules.write_text(document.model_dump_json(by_alias=True), "utf-8")
        for path, count in ((large, 20_000), (small, 2_000)):
            with path.open("wb") as file:
                for number in range(count):
                    file.write(b"From x@x.example Mon May  4 09:00:00 2026\n")
                    file.write(mail[number % len(mail)].replace(b"\nFrom ", b"\n>From ") + b"\n")
        loops, sorts = [], []
        for _ in range(3):
            begun = time.perf_counter()
            for message in read_files([large]):
                fastest_parse(message.octets)
            loops.append(time.perf_counter() - begun)
            seconds, large_peak = _sort(rules, large, folder / "out")
            sorts.append(seconds)
        assert sum(1 for _ in (folder / "out").open()) == 20_000
        small_peak = _sort(rules, small, folder / "out")[1]
    yield Result(
        "B5", "mnemic sort / loop of the fastest parse", sorted(sorts)[1] / sorted(loops)[1], 1.6
    )
    yield Result("B5", "peak memory, 20,000 / 2,000 messages", large_peak / small_peak, 1.1)


def growing() -> Iterator[Result]:
    """B15, at 20,000 and 100,000 messages; B17 in the browser, B18 and B19 at 100,000."""
    with tempfile.TemporaryDirectory() as name:
        yield from at_work(Path(name), client_of, 20_000, 100_000)
        yield from on_screen(Path(name) / "100000")
        yield from coming_back(Path(name) / "100000" / "mnemic.sqlite3")


def main() -> None:
    """Measure, print, write."""
    demo = [message.octets for message in generate(datetime(2026, 5, 4, 9, tzinfo=UTC))]
    mail = random.Random(1).sample(demo, SAMPLE)
    results = [
        *rules_and_parsing(mail),
        *sorting_files(mail),
        *mailbox(demo),
        *growing(),
        *arriving(),
        *hostile(),
        *mirroring(),
        *scripting(make_rules([parse_message(letter) for letter in mail], 10_000)),
    ]
    rows = [result.row() for result in results]
    report = [
        "# Benchmarks",
        "",
        "Ratios measured side by side in one run, by `make bench`; the mail is the demo’s, of B15 and B16",
        "that of `benchmarks/corpus.py` (`make bench-large` asks 500,000 of it the same). The fastest",
        "parse is the standard library’s: `compat32`, headers decoded, text extracted",
        "(`benchmarks/reference_parse.py`). The rules are described in `benchmarks/rule_mix.py`. The mirror’s",
        "mailbox has 20,000 messages in 51 folders on the stand-in, and 100,000 from its memory on",
        "(`benchmarks/mirroring.py`).",
        "",
        f"Machine: {machine()}.",
        "",
        "| | what | measured | wanted | reached |",
        "|---|---|---|---|---|",
        *rows,
        "",
    ]
    REPORT.write_text("\n".join(report), "utf-8")
    print("\n".join(rows))


if __name__ == "__main__":
    main()

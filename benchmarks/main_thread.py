"""The longest task of a page's main thread, read from a trace (Chromium's, in its JSON format).

By the clock a task takes longer where others have the processor meanwhile, by its processor time not.
"""

import json
from collections import Counter
from collections.abc import Callable

from playwright.sync_api import Browser, Page

__all__ = ["longest_task"]


def longest_task(browser: Browser, page: Page, work: Callable[[], object]) -> tuple[float, float]:
    """Of all tasks while ``work`` goes on, in ms: the most processor time, and the most by the clock.

    Raises LookupError where the trace holds no task of the page.
    """
    browser.start_tracing(page=page, categories=["toplevel"])
    work()
    events = json.loads(browser.stop_tracing())["traceEvents"]
    named = {
        (each["pid"], each["tid"])
        for each in events
        if each.get("name") == "thread_name" and each["args"]["name"] == "CrRendererMain"
    }
    tasks = [
        each
        for each in events
        if each["name"].endswith("RunTask") and each["ph"] == "X" and "tdur" in each
    ]
    busiest = Counter((each["pid"], each["tid"]) for each in tasks).most_common()
    thread = next((each for each, _ in busiest if each in named), None)
    if thread is None:
        raise LookupError("no task of the page is in the trace")
    its = [each for each in tasks if (each["pid"], each["tid"]) == thread]
    return max(each["tdur"] for each in its) / 1_000, max(each["dur"] for each in its) / 1_000

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
        (event["pid"], event["tid"])
        for event in events
        if event.get("name") == "thread_name" and event["args"]["name"] == "CrRendererMain"
    }
    tasks = [
        event
        for event in events
        if event["name"].endswith("RunTask") and event["ph"] == "X" and "tdur" in event
    ]
    busiest = Counter((task["pid"], task["tid"]) for task in tasks).most_common()
    thread = next((thread for thread, _ in busiest if thread in named), None)
    if thread is None:
        raise LookupError("no task of the page is in the trace")
    its = [task for task in tasks if (task["pid"], task["tid"]) == thread]
    return max(task["tdur"] for task in its) / 1_000, max(task["dur"] for task in its) / 1_000

"""Each view in each of its states, on screens from 320 to 1920 pixels, by day and in the dark."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

HERE = Path(__file__).parent
AXE = HERE.parents[1] / "web" / "node_modules" / "axe-core" / "axe.min.js"
OFF_ITS_PLACE = (HERE / "screen.js").read_text("utf-8")
#: WCAG 2.2, 1.4.12: no more than this may be asked for, and nothing may be lost by it.
SPACED = """* { line-height: 1.5 !important; letter-spacing: 0.12em !important;
  word-spacing: 0.16em !important; } p { margin-bottom: 2em !important; }"""


def press(app: Page, name: str | re.Pattern[str]) -> None:
    """A button that only a narrow screen has."""
    button = app.get_by_role("button", name=name)
    if button.count():
        button.click()


def view(app: Page, name: str) -> None:
    press(app, re.compile("^Close: "))
    views = app.get_by_text("Views", exact=True)
    if views.count():
        views.click()
    app.get_by_role("link", name=name, exact=True).click()


def an_inbox(app: Page) -> None:
    view(app, "Mail")
    expect(app.get_by_label("Messages").get_by_role("link").first).to_be_visible()


def places(app: Page) -> None:
    press(app, "☰ Folders")
    expect(app.get_by_role("link", name="Shop").first).to_be_visible()


def a_message(app: Page) -> None:
    press(app, re.compile("^Close: "))
    app.get_by_label("Messages").get_by_role("link").nth(1).click()
    expect(app.get_by_role("article")).to_be_visible()
    app.get_by_role("button", name="Why", exact=True).click()
    press(app, "Make a rule…")
    expect(app.get_by_label("If it came in now")).to_be_visible()


def what_find_offers(app: Page) -> None:
    app.get_by_role("combobox", name="Find mail").fill("fr")
    expect(app.get_by_role("option").first).to_be_visible()


def several_messages(app: Page) -> None:
    view(app, "Mail")
    ticks = app.get_by_label("Messages").get_by_role("checkbox")
    ticks.nth(1).check()
    ticks.nth(2).check()
    press(app, re.compile("^Make a rule$"))
    expect(app.get_by_label("What they have in common").get_by_role("button").first).to_be_visible()


def a_catch_up(app: Page) -> None:
    press(app, "← Inbox")
    app.wait_for_timeout(300)
    press(app, "At hand…")
    app.get_by_role("button", name="Catch up …").click()
    expect(app.get_by_text("Nothing has happened yet")).to_be_visible()


def the_line(app: Page) -> None:
    view(app, "Rules")
    # On a narrow screen it opens by itself.
    expect(app.get_by_label("Filter the line")).to_be_visible()
    app.get_by_label("Filter the line").fill("file")
    app.get_by_label("Rules that fit").get_by_role("link").first.click(modifiers=["Control"])


def a_rule(app: Page) -> None:
    app.get_by_role("button", name="Select none").click()
    app.get_by_label("Filter the line").fill("")
    app.get_by_role("link", name=re.compile("^Mooring permits")).click()
    expect(app.get_by_label("Name of the rule")).to_have_value("Mooring permits")


def what_it_takes(app: Page) -> None:
    press(app, re.compile("^Rehearsal: "))
    app.get_by_label("Taken").get_by_role("button").first.click()
    expect(app.get_by_label("The message, beside the rule")).to_be_visible()


def a_rule_with_all_that_can_stand_in_it(app: Page) -> None:
    press(app, re.compile("^Close: "))
    app.get_by_role("button", name="+ bracket").click()
    app.get_by_role("button", name="+ exception").click()
    app.get_by_label(re.compile("^Unless: Condition 1: Sender")).fill("post.example")
    app.keyboard.press("Enter")
    app.get_by_label("Name of the rule").focus()  # what is offered next lies over what follows
    for action in ("Answer it", "Colour it", "Forward it"):
        app.get_by_role("button", name="+ action").click()
        app.get_by_role("menuitem", name=action, exact=True).click()
    app.get_by_role("button", name=re.compile("not saved$")).click()


def versions(app: Page) -> None:
    app.get_by_role("button", name="Discard").click()
    app.locator(".el-switch").click()
    app.get_by_role("button", name="More for this rule").click()
    app.get_by_role("menuitem", name="Earlier versions").click()
    expect(app.get_by_role("button", name="Bring it back")).to_be_visible()


def history(app: Page) -> None:
    view(app, "History")
    app.get_by_role("button", name=re.compile("^21 messages flagged")).click()
    expect(app.get_by_label("Messages of this run")).to_be_visible()


def to_begin_with(app: Page) -> None:
    view(app, "Rules")
    # Where it lies over the view, its keys are those of any screen.
    expect(app.get_by_label("Filter the line")).to_be_visible()
    app.keyboard.press("n")
    expect(app.get_by_label("Name of the rule")).to_have_value("")
    app.wait_for_timeout(300)
    press(app, re.compile("^Proposals and usual rules"))
    expect(app.get_by_label("To begin with").last).to_contain_text("Usual rules")


def insights(app: Page) -> None:
    view(app, "Insights")
    expect(app.get_by_label(re.compile("^Bands of mail"))).to_be_visible()


def their_tables(app: Page) -> None:
    app.keyboard.press("t")
    expect(app.get_by_role("table")).to_have_count(3)


def setup(part: str) -> Callable[[Page], None]:
    def show(app: Page) -> None:
        view(app, "Setup")
        app.get_by_role("link", name=part, exact=True).click()
        expect(app.get_by_role("heading", name=part, level=1)).to_be_visible()

    show.__name__ = part
    return show


def a_script(app: Page) -> None:
    setup("Import and export")(app)
    press(app, "Look at the script…")
    app.get_by_text("The script", exact=True).click()
    expect(app.get_by_role("region", name="The script’s text")).to_be_visible()


PARTS = ["Accounts and aliases", "Labels", "Contacts", "Import and export", "Looks", "Outside"]
STATES = [
    [an_inbox, places, a_message, what_find_offers, several_messages, a_catch_up],
    [the_line, a_rule, what_it_takes, a_rule_with_all_that_can_stand_in_it, versions],
    [to_begin_with, insights, their_tables],
    [history, *(setup(part) for part in (*PARTS, "Keeping and time")), a_script],
]


#: What a pane cuts at its edge, or what lies below an open popup, is small for as long as that: its
#: size is left alone.
RUN_AXE = """async () => {
  const isCut = (selector) => {
    const one = document.querySelector(selector)?.getBoundingClientRect()
    const below = [...document.querySelectorAll('.el-popper')].some((popup) => {
      const { top, bottom } = popup.getBoundingClientRect()
      return bottom > top && one.bottom > top && one.top < bottom
    })
    if (below) return true
    for (let at = document.querySelector(selector)?.parentElement; at; at = at.parentElement) {
      const pane = at.getBoundingClientRect()
      const scrolls = /auto|scroll/.test(getComputedStyle(at).overflowY)
      if (scrolls && (one.bottom > pane.bottom + 1 || one.top < pane.top - 1)) return true
    }
    return false
  }
  const rules = { 'target-size': { enabled: true } }
  const { violations } = await axe.run(document, { iframes: false, rules })
  return violations
    .map((each) => ({
      ...each,
      nodes: each.nodes.filter(({ target }) => each.id !== 'target-size' || !isCut(target[0])),
    }))
    .filter((each) => each.nodes.length)
}"""


def broken_rules_of_axe(app: Page) -> list[str]:
    """The rules of axe that what is shown breaks, by day and in the dark, each with where."""
    broken: list[str] = []
    for looks in ("light", "dark"):
        app.emulate_media(color_scheme=looks, reduced_motion="reduce")
        app.wait_for_timeout(200)
        app.evaluate(AXE.read_text("utf-8"))
        violations = app.evaluate(RUN_AXE)
        broken += [f"{looks}, {v['id']}: {n['html'][:160]}" for v in violations for n in v["nodes"]]
    return broken


@pytest.mark.parametrize("states", STATES, ids=["mail", "rules", "insights", "history and setup"])
@pytest.mark.parametrize("width", [320, 768, 1280, 1920])
def test_nothing_leaves_its_place_and_no_rule_of_axe_is_broken(
    app: Page, width: int, states: list[Callable[[Page], None]]
) -> None:
    app.set_viewport_size({"width": width, "height": 800})
    faults_by_screen = {}
    for show in states:
        show(app)
        app.wait_for_timeout(400)
        faults = app.evaluate(OFF_ITS_PLACE) + broken_rules_of_axe(app)
        if faults:
            faults_by_screen[show.__name__] = faults
    assert faults_by_screen == {}


@pytest.mark.parametrize("states", STATES, ids=["mail", "rules", "insights", "history and setup"])
@pytest.mark.parametrize(
    ("size", "spaced"),
    [((320, 200), False), ((2560, 1400), False), ((1280, 800), True), ((390, 844), True)],
    ids=["1280 at 400%", "wide", "spaced", "spaced in the hand"],
)
def test_nothing_leaves_its_place_where_it_is_enlarged_wide_or_spaced(
    app: Page, size: tuple[int, int], spaced: bool, states: list[Callable[[Page], None]]
) -> None:
    app.set_viewport_size({"width": size[0], "height": size[1]})
    app.emulate_media(reduced_motion="reduce")
    if spaced:
        app.add_style_tag(content=SPACED)
    faults_by_screen = {}
    for show in states:
        show(app)
        app.wait_for_timeout(400)
        if faults := app.evaluate(OFF_ITS_PLACE):
            faults_by_screen[show.__name__] = faults
    assert faults_by_screen == {}

"""What a screen reader is told: in which order, by which names, and where the focus is."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

BANNER = """
- link "Skip to what is shown"
- banner:
  - navigation "Views":
    - link "Mail"
    - link "Rules"
    - link "History"
    - link "Insights"
    - link "Setup"
  - search:
    - combobox "Find mail"
"""

MAIL = """
- main:
  - heading "Mail" [level=1]
  - navigation "Folders and labels":
    - list:
      - listitem:
        - link /^Inbox \\d+ unread$/
        - button "More for Inbox"
    - heading "Labels" [level=2]
    - region "At hand":
      - heading "At hand" [level=2]
  - region "Messages":
    - heading "Inbox" [level=2]
    - group "Kinds of mail here":
      - button /^personal/
    - list "Inbox":
      - listitem:
        - checkbox /^Select /
        - link /^Unread\\. /
  - region "Since your last look":
    - heading /^(Today|Since)/ [level=2]
"""

MESSAGE = """
- article:
  - heading [level=2]
  - toolbar "What to do with it":
    - button "Archive"
    - button "Trash"
    - button "Move"
  - group "Trail":
    - button "Why"
  - region "Facts":
    - paragraph:
      - button /^from /
    - paragraph:
      - text: subject
      - button
    - paragraph:
      - button "Make a rule"
  - paragraph:
    - group "How to show it":
      - button "Plain text" [pressed]
"""

RULES = """
- main:
  - heading "Rules" [level=1]
  - region "The line":
    - heading "The line, last 30 days" [level=2]
    - link "New rule"
    - searchbox "Filter the line"
    - list "Rules from top to bottom":
      - listitem:
        - link /^Gauges and alarms \\d+ taken in 30 days File in Gauges$/
    - link /^Inbox \\d+ of \\d+ stay in front of you$/
  - region "The rule":
    - textbox "Name of the rule"
    - switch "The rule is on" [checked]
    - group "What the rule has done":
      - img /^Taken in each of 30 days, at most \\d+ in one$/
    - heading "When" [level=2]
    - button "all of the conditions; press for any"
    - list "Conditions":
      - listitem:
        - 'button "Move condition 1: Alt and arrows"'
        - 'combobox "Condition 1: what is looked at"'
        - 'combobox "Condition 1: test"'
        - button "Take out moorings@wendle-lyde.example"
        - combobox "What is offered":
          - 'textbox "Condition 1: Recipient is"'
        - text: /\\d+ messages by itself/
        - button "More for Condition 1"
        - button "Remove condition 1"
    - heading "Unless" [level=2]
    - paragraph:
      - button "+ exception"
    - heading "Then" [level=2]
    - combobox "File in folder"
    - heading "Runs" [level=2]
    - group "When it runs":
      - checkbox "as mail arrives" [checked]
    - paragraph: /^When a recipient is/
    - button "Save" [disabled]
  - region "Rehearsal":
    - heading /^Rehearsal, on [\\d,]+ messages already here$/ [level=2]
    - group "Counts":
      - button /^\\d+ takes$/ [pressed]
      - button /^\\d+ nearly$/
    - list "Taken"
"""

HISTORY = """
- main:
  - heading "History" [level=1]
  - region "Yesterday":
    - heading "Yesterday" [level=2]
    - list:
      - listitem:
        - button "21 messages flagged"
        - 'button "Undo: 21 messages flagged"'
"""

INSIGHTS = """
- main:
  - region "Pictures":
    - heading "Insights" [level=1]
    - radiogroup "Over which days":
      - radio "30 days" [checked]
    - region "Where mail went":
      - heading "Where mail went" [level=2]
      - 'button "Where mail went: as a table"'
      - paragraph: /^[\\d,]+ messages in 30 days\\. Rules took [\\d,]+ of them\\.$/
      - group "Bands of mail; arrow keys go from one to the next, Enter lists its mail":
        - link /^by machine, in Gauges. [\\d,]+ messages; taken by Gauges and alarms [\\d,]+$/
    - region "Interruptions spared"
    - region "When it interrupts":
      - heading "When it interrupts" [level=2]
      - 'button "When it interrupts: as a table"'
    - region "The inbox over time":
      - heading "The inbox over time" [level=2]
      - 'button "The inbox over time: as a table"'
  - complementary "What to do next":
    - region "You do this by hand":
      - heading "You do this by hand" [level=2]
      - list:
        - listitem:
          - paragraph: /^When it is an invitation. label it Meetings;/
          - paragraph:
            - mark: 14 of 15
            - link /^Invitation/
          - paragraph:
            - button /^Look at it. When it is an invitation/
            - button /^Not this. When it is an invitation/
    - region "Worth a look":
      - heading "Worth a look" [level=2]
"""

SETUP = """
- main:
  - navigation "Parts of Setup":
    - link "Accounts and aliases"
    - link "Looks"
  - region "Accounts and aliases":
    - heading "Accounts and aliases" [level=1]
    - table:
      - rowgroup:
        - row:
          - cell "Trust office"
          - cell "Change Trust office Forget Trust office":
            - button "Change Trust office"
    - paragraph:
      - button "+ account"
"""


@pytest.mark.parametrize(
    ("path", "read"),
    [
        ("mail", MAIL),
        ("rules/4", RULES),
        ("history", HISTORY),
        ("insights", INSIGHTS),
        ("setup/accounts", SETUP),
    ],
    ids=["mail", "rules", "history", "insights", "setup"],
)
def test_each_view_is_read_in_order_under_names_that_say_what_it_is(
    app: Page, path: str, read: str
) -> None:
    app.goto(f"{app.url.split('/mail')[0]}/{path}")
    expect(app.locator("body")).to_match_aria_snapshot(BANNER + read.lstrip("\n"))


def test_a_message_is_read_from_its_subject_to_its_text(app: Page) -> None:
    app.get_by_label("Messages").get_by_role("link").nth(1).click()
    expect(app.get_by_role("article")).to_match_aria_snapshot(MESSAGE)


def focused(app: Page) -> Locator:
    return app.locator(":focus")


def test_the_first_tab_skips_to_what_is_shown_and_each_view_has_its_title(app: Page) -> None:
    app.keyboard.press("Tab")
    expect(focused(app)).to_have_text("Skip to what is shown")
    expect(focused(app)).to_be_in_viewport()
    app.keyboard.press("Enter")
    expect(app.locator("main")).to_be_focused()
    app.keyboard.press("Tab")
    expect(focused(app)).to_have_accessible_name(re.compile("^Inbox"))
    for key, title in (
        ("2", "Rules"),
        ("3", "History"),
        ("4", "Insights"),
        ("5", "Setup"),
        ("1", "Mail"),
    ):
        app.keyboard.press(key)
        expect(app).to_have_title(f"{title} · Mnemic")


def a_saved_rule(app: Page) -> None:
    app.keyboard.press("2")
    app.get_by_label("Name of the rule").fill("Another name")
    app.get_by_role("button", name="Save", exact=True).press("Enter")
    expect(app.get_by_text(re.compile("^Saved “Another name”"))).to_be_visible()


def a_deleted_rule(app: Page) -> None:
    app.keyboard.press("2")
    app.get_by_role("button", name="More for this rule").press("Enter")
    app.get_by_role("menuitem", name=re.compile("^Delete the rule")).press("Enter")
    expect(app.get_by_text("deleted").first).to_be_visible()


def an_undone_thing(app: Page) -> None:
    app.keyboard.press("3")
    app.get_by_role("button", name="Undo: 21 messages flagged").press("Enter")
    expect(app.get_by_text("undone", exact=True)).to_be_visible()


def a_closed_note(app: Page) -> None:
    app.get_by_label("Messages").get_by_role("link").nth(1).press("Enter")
    app.get_by_role("button", name="Flag").press("Enter")
    app.get_by_role("button", name="Close this note").press("Enter")
    expect(app.get_by_role("button", name="Close this note")).to_have_count(0)


def a_removed_condition(app: Page) -> None:
    app.keyboard.press("n")
    app.get_by_role("button", name="+ condition").press("Enter")
    app.get_by_role("button", name="Remove condition 2").press("Enter")
    expect(app.get_by_role("button", name="Remove condition 2")).to_have_count(0)


def a_trashed_message(app: Page) -> None:
    app.get_by_label("Messages").get_by_role("link").nth(1).press("Enter")
    app.get_by_role("article").get_by_role("button", name="Trash").press("Enter")
    expect(app.get_by_text(re.compile("moved to the trash|to Trash")).first).to_be_visible()


def a_list_that_was_left(app: Page) -> None:
    app.get_by_label("Messages").get_by_role("link").nth(1).press("Enter")
    app.get_by_role("button", name="Move").press("Enter")
    expect(app.get_by_placeholder("Move to which folder?")).to_be_focused()
    app.keyboard.press("Escape")
    expect(app.get_by_role("button", name="Move")).to_be_focused()


def a_message_opened_beside_the_rule(app: Page) -> None:
    app.keyboard.press("2")
    row = app.get_by_label("Taken").get_by_role("button").nth(1)
    row.press("Enter")
    back = app.get_by_role("button", name="← All messages")
    expect(back).to_be_focused()
    back.press("Enter")
    expect(row).to_be_focused()


def a_removed_account(app: Page) -> None:
    app.keyboard.press("5")
    app.get_by_role("button", name="Forget Trust office").press("Enter")
    expect(app.get_by_text("is forgotten")).to_be_visible()


GONE = [
    a_saved_rule,
    a_deleted_rule,
    an_undone_thing,
    a_closed_note,
    a_removed_condition,
    a_trashed_message,
    a_list_that_was_left,
    a_message_opened_beside_the_rule,
    a_removed_account,
]


@pytest.mark.parametrize("act", GONE)
def test_the_focus_is_never_lost(app: Page, act: Callable[[Page], None]) -> None:
    act(app)
    app.wait_for_timeout(400)  # for what happens after it, as a list that is read anew
    expect(app.locator(":focus")).to_have_count(1)
    tag = app.evaluate("document.activeElement.tagName")
    assert tag in {"A", "BUTTON", "INPUT", "MAIN", "TEXTAREA"}, tag
    around = "e => e.closest('main, header, [role=dialog]')?.checkVisibility() ?? false"
    assert focused(app).evaluate(around)


WHILE_ALL_CHANGES = "setInterval(() => document.querySelector('h1').className = Math.random())"
HAPPENING = {
    "switched off for a moment": "e.disabled = true; setTimeout(() => e.disabled = false, 300)",
    "moved": "e.parentElement.prepend(e)",
    "gone while all changes": f"{WHILE_ALL_CHANGES}; e.remove()",
}


@pytest.mark.parametrize("happens", HAPPENING)
def test_whatever_happens_to_what_has_the_focus(app: Page, happens: str) -> None:
    app.get_by_label("Messages").get_by_role("link").nth(1).press("Enter")
    flag = app.get_by_role("article").get_by_role("button", name="Flag", exact=True)
    flag.focus()
    flag.evaluate(f"e => {{ {HAPPENING[happens]} }}")
    app.wait_for_timeout(400)
    had = app.get_by_role("article").get_by_role("toolbar").get_by_role("button")
    expect(had.and_(app.locator(":focus"))).to_have_count(1)


def test_who_lets_the_focus_go_is_not_brought_back(app: Page) -> None:
    app.keyboard.press("f")
    find = app.get_by_role("combobox", name="Find mail")
    expect(find).to_be_focused()
    app.keyboard.press("Escape")
    app.keyboard.press("Escape")
    expect(find).not_to_be_focused()
    app.get_by_label("Messages").get_by_role("link").nth(1).evaluate("e => e.append('!')")
    app.wait_for_timeout(400)
    expect(app.locator(":focus")).to_have_count(0)


def test_what_a_rule_takes_is_told_once_it_is_at_rest(app: Page) -> None:
    spoken: list[str] = []
    app.expose_function("tell", lambda text: spoken.append(text))
    app.keyboard.press("n")
    status = app.get_by_role("status").filter(has_text="The rule takes")
    app.evaluate(
        """new MutationObserver(() => {
          for (const each of document.querySelectorAll('main [role=status]'))
            if (each.textContent.startsWith('The rule takes')) window.tell(each.textContent)
        }).observe(document.body, {subtree: true, childList: true, characterData: true})"""
    )
    app.get_by_label(re.compile("^Condition 1: Sender")).press_sequentially("heron", delay=90)
    expect(status).to_have_count(1)
    assert len(set(spoken)) == 1  # not what each of the five letters took
    assert spoken[0] == f"The rule takes {app.get_by_test_id('takes').inner_text()}, nearly 0"


def test_a_complaint_is_said_with_its_field_and_has_the_focus(app: Page) -> None:
    app.keyboard.press("n")
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("heron")
    app.keyboard.press("Enter")
    app.get_by_role("button", name="+ action").press("Enter")
    app.get_by_role("menuitem", name="Forward it", exact=True).press("Enter")
    for _ in range(2):  # and again, as often as it is saved
        app.get_by_role("button", name="Save", exact=True).press("Enter")
        to = app.get_by_role("combobox", name="Forward to")
        expect(to).to_be_focused()
        expect(to).to_have_accessible_description(
            "Say whom it is forwarded to: an address like name@domain."
        )
        expect(to).to_have_attribute("aria-invalid", "true")

    app.get_by_role("link", name="Setup", exact=True).press("Enter")
    app.get_by_role("button", name="+ account").press("Enter")
    form = app.get_by_role("form", name="Account")
    form.get_by_label("Called").fill("Office")
    form.get_by_label("Address").fill("office@y.example")
    form.get_by_label("Aliases").fill("one@y.example\ntwo")
    form.get_by_role("button", name="Save account").press("Enter")
    expect(form.get_by_label("Aliases")).to_be_focused()
    expect(form.get_by_label("Aliases")).to_have_accessible_description(
        "Alias 2 has to be an address like name@domain."
    )

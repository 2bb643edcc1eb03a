"""Values of conditions as they are typed, offered and pasted."""

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.hands import Mouse
from tests.browser.places import sentence


def test_enter_takes_what_is_typed_not_what_was_offered_for_other_letters(app: Page) -> None:
    def never(route: Route) -> None:
        del route

    app.route(re.compile("/api/completions.*text=[^&]"), never)
    hand = Mouse(app)
    hand.new_rule()
    hand.choose("Condition 1: test", "is")
    field = app.get_by_label(re.compile("^Condition 1: Sender is"))
    field.click()
    expect(app.get_by_role("option", name=re.compile("^gauge-12@"))).to_be_visible()
    field.fill("priya.n@millpond.example")
    field.press("Enter")
    expect(app.get_by_label("The rule", exact=True)).to_contain_text(
        "the sender is priya.n@millpond.example"
    )
    app.unroute_all(behavior="ignoreErrors")


def test_a_pasted_list_becomes_values_and_erasing_is_asked_about_once_more(app: Page) -> None:
    hand = Mouse(app)
    hand.new_rule()
    field = app.get_by_label(re.compile("^Condition 1: Sender"))
    field.evaluate(
        "(field) => { const list = new DataTransfer();"
        " list.setData('text/plain', 'ann@x.example, bob@x.example');"
        " field.dispatchEvent(new ClipboardEvent('paste', {clipboardData: list, bubbles: true})) }"
    )
    expect(sentence(app)).to_contain_text("the sender contains ann@x.example or bob@x.example")
    hand.add_action("Erase it")
    hand.save()
    expect(app.get_by_text("Each message is held back for 30 days")).to_be_visible()
    app.get_by_role("button", name="Go back").click()
    expect(app.get_by_text("Not saved yet")).to_be_visible()

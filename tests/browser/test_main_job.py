"""The main job, as a person does it: see mail, make a rule, watch it, let it work."""

import re
from collections.abc import Callable

from playwright.sync_api import Locator, Page, Route, expect

from tests.browser.places import choose, fill_place, new_rule, takes

NEW_MAIL = (
    b"From: Lock Keeper <keeper@stanmarsh.example>\r\nTo: tamsin@wendle-lyde.example\r\n"
    b"Subject: Key handover at Stanmarsh\r\n\r\nThe windlass is in the hut.\r\n"
)


def test_mail_is_read_folder_by_folder_and_unread_counts_follow(app: Page) -> None:
    inbox = app.get_by_role("link", name=re.compile(r"^Inbox \d+ unread"))
    before = int(re.findall(r"\d+", inbox.inner_text())[0])
    rows = app.get_by_label("Messages").get_by_role("link")
    rows.filter(has_text="Unread.").first.click()
    expect(inbox).to_contain_text(str(before - 1))
    expect(app.get_by_role("article")).to_be_visible()
    app.get_by_role("article").get_by_role("button", name="Unread").click()
    expect(inbox).to_contain_text(str(before))
    app.get_by_role("link", name=re.compile("^Permits")).click()
    expect(rows.first).to_contain_text("here by Mooring permits: came to")
    app.keyboard.press("ArrowDown")
    app.get_by_role("button", name="Why").click()
    expect(app.get_by_role("article").locator("mark").first).to_be_visible()
    app.reload()  # the address keeps the place
    expect(app.get_by_role("article")).to_contain_text("Filed in Moorings / Permits")
    with app.expect_download() as download:
        app.get_by_role("link", name="Save as .eml").click()
    assert download.value.path().read_bytes().startswith(b"Received: from relay.")


def test_what_is_done_late_leads_nobody_away_from_where_they_went_meanwhile(app: Page) -> None:
    def press(what: Locator, held_up: str) -> Callable[[], None]:
        """Press it, and hold up the request that follows until the returned function is called."""
        held: list[Route] = []
        app.route(held_up, lambda route: held.append(route))
        with app.expect_request(held_up):
            what.click()
        return lambda: held[0].continue_()

    rows = app.get_by_label("Messages").get_by_role("link")
    row = app.locator("[data-message] a[aria-current]")
    archive = app.get_by_role("article").get_by_role("button", name="Archive")
    rows.first.click()
    archived = press(archive, "**/api/changes")
    rows.nth(2).click()
    address = app.url
    archived()
    expect(app.get_by_text(re.compile("^1 message archived"))).to_be_visible()
    assert app.url == address
    expect(row).to_have_count(1)
    archived = press(archive, "**/api/changes")
    opened = press(app.get_by_role("link", name="Rules", exact=True), "**/RulesView*.js")
    archived()
    expect(row).to_have_count(0)
    opened()
    expect(app.get_by_role("link", name="New rule")).to_be_visible()


def test_html_is_shown_in_a_frame_that_can_load_and_run_nothing(app: Page) -> None:
    app.get_by_role("link", name=re.compile("^Shop")).click()
    app.get_by_label("Messages").get_by_role("link").first.click()
    expect(app.get_by_text("1 picture from elsewhere is not loaded")).to_be_visible()
    frame = app.locator("iframe")
    assert "allow-scripts" not in (frame.get_attribute("sandbox") or "")
    expect(app.frame_locator("iframe").get_by_role("heading")).to_contain_text("Order")


def test_a_rule_is_made_beside_its_evidence_and_catches_up(app: Page) -> None:
    new_rule(app)
    choose(app, "Condition 1: what is looked at", "Subject")
    value = app.get_by_label(re.compile("^Condition 1: Subject"))
    value.press_sequentially("regatta")
    expect(app.get_by_test_id("takes")).not_to_have_text("0")
    some = takes(app)
    value.press_sequentially(" marshals")  # nothing is committed yet: it follows each keystroke
    # Words that are not written to their end are in no mail.
    expect(app.get_by_test_id("takes")).not_to_have_text(re.compile(rf"^({some}|0)$"))
    fewer = takes(app)
    assert 0 < fewer < some
    value.press("Enter")
    app.get_by_role("button", name="+ condition").click()
    choose(app, "Condition 2: what is looked at", "Recipient")
    app.get_by_label(re.compile("^Condition 2: Recipient")).press_sequentially("events@")
    expect(app.get_by_text("if any instead of all")).to_be_visible()
    assert takes(app) == fewer
    nearly = app.get_by_test_id("nearly")
    assert int(nearly.inner_text()) > 0
    app.get_by_role("button", name=re.compile("nearly")).click()
    expect(app.get_by_label("Rehearsal").get_by_text("all but:").first).to_be_visible()
    app.get_by_role("button", name=re.compile("takes$")).click()
    app.get_by_role("button", name=re.compile("^all of the conditions")).click()
    expect(app.get_by_text("if all instead of any")).to_be_visible()
    expect(app.get_by_test_id("takes")).not_to_have_text(str(fewer))
    app.get_by_role("button", name=re.compile("^any of the conditions")).click()
    expect(app.get_by_label("Rehearsal").locator("mark").first).to_have_text("Regatta marshals")

    fill_place(app, "File in folder", "Events/Regatta")
    expect(app.get_by_text("New folder; it is made when you save.")).to_be_visible()
    fill_place(app, "Labels", "Regatta")
    expect(app.get_by_label("The rule", exact=True)).to_contain_text(
        "the subject has the words regatta marshals and a recipient contains events@: "
        "file it in Events / Regatta and label it Regatta; later rules may still act."
    )
    app.get_by_role("button", name=f"Save and catch up {fewer}").click()
    expect(app.get_by_text(f"Caught up: {fewer} moved")).to_be_visible()
    expect(app.get_by_role("button", name="Nothing to catch up")).to_be_disabled()

    app.get_by_role("link", name="Mail", exact=True).click()
    app.get_by_role("link", name=re.compile("^Regatta")).first.click()
    expect(app.get_by_text(f"{fewer} messages, newest first")).to_be_visible()
    expect(app.get_by_label("Messages").get_by_role("link").first).to_contain_text("here by")


def test_mail_sent_by_smtp_shows_sorted_without_reload(
    app: Page, deliver: Callable[..., None]
) -> None:
    new_rule(app)
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("stanmarsh.example")
    fill_place(app, "File in folder", "Keys")
    app.keyboard.press("Control+Enter")
    expect(app.get_by_text("Saved “From stanmarsh.example”")).to_be_visible()
    app.get_by_role("link", name="Mail", exact=True).click()
    app.get_by_role("link", name=re.compile("^Keys")).click()
    expect(app.get_by_text("Nothing here.")).to_be_visible()
    app.evaluate("window.neverReloaded = true")
    other_tab = app.context.new_page()  # one tab alone holds the stream, and tells the others
    other_tab.goto(app.url)
    expect(other_tab.get_by_text("Nothing here.")).to_be_visible()

    deliver(NEW_MAIL, "tamsin@wendle-lyde.example")
    row = app.get_by_label("Messages").get_by_role("link")
    expect(row).to_contain_text("here by From stanmarsh.example", timeout=30_000)
    arriving = app.get_by_role("banner").get_by_role("status").last
    expect(arriving).to_contain_text("1 arrived")
    expect(arriving).to_contain_text("sorted")
    assert app.evaluate("window.neverReloaded") is True
    expect(other_tab.get_by_label("Messages").get_by_role("link")).to_have_count(1)


def test_an_incomplete_rule_is_refused_in_words(app: Page) -> None:
    new_rule(app)
    app.get_by_role("button", name="Save", exact=True).click()
    expect(app.get_by_text("Say which mail: fill in at least one condition.")).to_be_visible()
    expect(app.get_by_text("Say what happens: choose a folder or a label.")).to_be_visible()


def test_light_or_dark_is_as_the_system_has_it_or_as_it_was_chosen(app: Page) -> None:
    body = app.locator("body")
    light, dark = "rgb(246, 244, 238)", "rgb(23, 29, 26)"
    app.emulate_media(color_scheme="dark")
    expect(body).to_have_css("background-color", dark)
    app.get_by_role("link", name="Setup", exact=True).click()
    app.get_by_role("link", name="Looks", exact=True).click()
    app.get_by_text("Light", exact=True).click()
    expect(body).to_have_css("background-color", light)
    app.reload()
    expect(app.get_by_role("radio", name="Light", exact=True)).to_be_checked()
    expect(body).to_have_css("background-color", light)
    app.get_by_text("As this computer has it").click()
    expect(body).to_have_css("background-color", dark)
    app.emulate_media(color_scheme="light")
    expect(app.locator("html")).to_have_attribute("data-looks", "light")
    expect(body).to_have_css("background-color", light)


def test_a_rule_with_brackets_exceptions_and_other_actions_is_built_and_opened_again(
    app: Page,
) -> None:
    new_rule(app)
    app.get_by_label(re.compile("^Condition 1: Sender")).fill("post.example")
    app.keyboard.press("Enter")
    app.get_by_role("button", name="+ bracket").click()
    for number, word in enumerate(("permit", "licence"), 1):
        app.get_by_label(re.compile(f"^Bracket 2: Condition {number}: Subject")).fill(word)
        app.keyboard.press("Enter")
    app.get_by_role("button", name="+ exception").click()
    app.get_by_label(re.compile("^Unless: Condition 1: Sender")).fill("colm")
    app.keyboard.press("Enter")
    for action in ("Colour it", "Mark it as read"):
        app.get_by_role("button", name="+ action").click()
        app.get_by_role("menuitem", name=action, exact=True).click()
    said = app.get_by_label("The rule", exact=True)
    expect(said).to_contain_text(
        "the sender contains post.example, and (either the subject has the word permit or the subject "
        "has the word licence), unless the sender contains colm: colour it moss and mark it as read"
    )
    some = takes(app)
    assert some > 0
    app.get_by_role("button", name="More for Bracket 2: Condition 1").click()
    app.get_by_role("menuitem", name="Not: the other way round").click()
    expect(app.get_by_test_id("takes")).not_to_have_text(str(some))
    expect(app.get_by_role("button", name="Save and catch up")).to_be_enabled()
    app.keyboard.press("Control+Enter")
    expect(app.get_by_text("Saved “")).to_be_visible()
    app.reload()
    expect(said).to_contain_text("unless the sender contains colm")
    expect(app.get_by_role("button", name="Save", exact=True)).to_be_disabled()

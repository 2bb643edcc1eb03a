"""A day in the mailbox: selecting, moving, finding, folders, facts, imports, and hostile mail."""

import re
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.places import folder, rows


def count(app: Page) -> int:
    """How many messages the list says it holds."""
    said = app.get_by_label("Messages").get_by_text(re.compile(r"^[\d,]+ messages?, newest first"))
    return int(re.sub(r"\D", "", said.inner_text()))


def test_a_selection_is_moved_to_a_new_folder_and_comes_back_with_ctrl_z(app: Page) -> None:
    before = count(app)
    rows(app).nth(1).click(modifiers=["Control"])
    rows(app).nth(4).click(modifiers=["Shift"])
    expect(app.get_by_role("heading", name="4 selected")).to_be_visible()
    app.get_by_role("button", name="Move").click()
    app.get_by_role("combobox", name="Move to which folder?").fill("Winter/Berths")
    app.keyboard.press("Enter")
    expect(app.get_by_text("4 messages moved to Winter / Berths")).to_be_visible()
    expect(folder(app, "Berths")).to_be_visible()
    expect(app.get_by_text(f"{before - 4} messages, newest first")).to_be_visible()
    app.keyboard.press("Control+z")
    expect(app.get_by_text("Undone: 4 messages moved")).to_be_visible()
    expect(app.get_by_text(f"{before} messages, newest first")).to_be_visible()


def test_all_of_a_folder_are_selected_and_read_not_only_those_that_are_loaded(app: Page) -> None:
    expect(folder(app, "Inbox")).to_contain_text("unread")
    total = count(app)
    rows(app).first.click(modifiers=["Control"])
    app.keyboard.press("Control+a")
    expect(app.get_by_role("heading", name=f"{total} selected")).to_be_visible()
    app.get_by_role("button", name="Read", exact=True).click()
    expect(folder(app, "Inbox")).not_to_contain_text("unread")
    app.keyboard.press("Escape")
    rows(app).nth(2).click()
    app.keyboard.press("Shift+ArrowDown")
    app.keyboard.press("Shift+ArrowDown")
    expect(app.get_by_role("heading", name="3 selected")).to_be_visible()
    app.keyboard.press("Delete")
    expect(app.get_by_text("3 messages moved to the trash")).to_be_visible()
    folder(app, "Trash").click()
    expect(app.get_by_text("Mail stays here for 30 days")).to_be_visible()
    expect(rows(app).first).to_contain_text("leaves the trash")


def test_one_message_is_flagged_coloured_labelled_archived_and_the_next_one_opens(
    app: Page,
) -> None:
    rows(app).nth(1).click()
    article = app.get_by_role("article")
    article.get_by_role("button", name="Flag").click()
    expect(article.get_by_text("⚑ flagged")).to_be_visible()
    article.get_by_role("button", name="Colour").click()
    app.get_by_role("menuitem", name="plum").click()
    expect(article.get_by_text("coloured plum").first).to_be_visible()
    article.get_by_role("button", name="Label").click()
    app.get_by_role("combobox", name="Which label?").fill("Winter")
    app.keyboard.press("Enter")
    expect(app.get_by_text("1 message labelled Winter")).to_be_visible()
    expect(folder(app, "Winter")).to_be_visible()
    address = app.url
    article.get_by_role("button", name="Archive").click()
    expect(app).not_to_have_url(address)
    expect(article).to_be_visible()  # the next message
    app.go_back()
    expect(article.get_by_text("Moved from Inbox to Archive by you")).to_be_visible()
    article.get_by_role("button", name="Why").click()
    expect(article.get_by_text("Labelled Winter by you")).to_be_visible()


def test_the_list_is_virtual_and_its_end_is_reached(app: Page) -> None:
    folder(app, "Gauges").click()
    expect(app.get_by_text("390 messages, newest first")).to_be_visible()
    assert rows(app).count() < 60
    app.locator(".rows").evaluate("list => list.scrollTo(0, list.scrollHeight)")
    app.wait_for_timeout(600)
    app.locator(".rows").evaluate("list => list.scrollTo(0, list.scrollHeight)")
    rows(app).last.click()
    expect(app.get_by_role("article")).to_be_visible()
    address = app.url
    app.keyboard.press("ArrowUp")
    expect(app).not_to_have_url(address)
    app.reload()
    expect(app.get_by_role("article")).to_be_visible()
    assert rows(app).count() < 60


def test_find_offers_what_may_stand_next_and_its_result_becomes_a_rule(app: Page) -> None:
    app.keyboard.press("f")
    expect(app.get_by_role("option").first).to_contain_text("from:")
    app.keyboard.type("kind:news")
    app.get_by_role("option", name=re.compile("kind:newsletter")).click()
    app.keyboard.type("lock")
    expect(app).to_have_url(re.compile("find=kind"))
    expect(rows(app).first).to_be_visible()
    hits = count(app)
    assert 0 < hits < 100
    app.keyboard.press("Enter")
    app.reload()
    expect(app.get_by_role("combobox", name="Find mail")).to_have_value("kind:newsletter lock")
    assert count(app) == hits
    app.get_by_role("button", name="Make a rule from this search").click()
    expect(app.get_by_test_id("takes")).to_have_text(str(hits))


def test_what_find_can_not_read_is_told(app: Page) -> None:
    app.get_by_role("combobox", name="Find mail").fill("on:tomorrowish permit")
    expect(app.get_by_text("on: has to be a calendar day")).to_be_visible()
    expect(rows(app).first).to_be_visible()  # the rest is searched for


def test_folders_are_made_moved_by_drag_and_by_keyboard_renamed_and_deleted(app: Page) -> None:
    app.get_by_role("button", name="+ folder").click()
    app.get_by_label("Path of the new folder").fill("Winter")
    app.keyboard.press("Enter")
    expect(folder(app, "Winter")).to_be_visible()
    folder(app, "Winter").drag_to(folder(app, "Moorings"))
    expect(app.get_by_text("Winter moved into Moorings")).to_be_visible()
    app.get_by_label("Messages").locator(".place").nth(1).drag_to(folder(app, "Winter"))
    expect(app.get_by_text("1 message moved to Moorings / Winter")).to_be_visible()
    more = app.get_by_role("button", name="More for Winter")
    more.focus()
    app.keyboard.press("Enter")
    app.get_by_role("menuitem", name="Move into…").press("Enter")
    app.get_by_role("combobox", name="Move into which folder?").fill("To the top")
    app.keyboard.press("Enter")
    expect(app.get_by_text("Winter moved to the top")).to_be_visible()
    more.click()
    app.get_by_role("menuitem", name="Rename…").click()
    app.get_by_label("New name of Winter").fill("Cold season")
    app.keyboard.press("Enter")
    expect(folder(app, "Cold season")).to_be_visible()
    app.get_by_role("button", name="More for Cold season").click()
    app.get_by_role("menuitem", name=re.compile("^Delete folder")).click()
    expect(folder(app, "Cold season")).to_have_count(0)
    app.get_by_role("button", name="Undo").click()
    expect(folder(app, "Cold season")).to_be_visible()


def test_a_folder_that_was_not_looked_into_is_due_until_it_is(app: Page) -> None:
    expect(folder(app, "Offers")).to_contain_text("due, last look 34 days ago")
    folder(app, "Offers").click()
    expect(folder(app, "Offers")).not_to_contain_text("due")


def test_mail_is_imported_with_a_progress_bar_and_its_doubles_are_told(
    app: Page, tmp_path: Path
) -> None:
    app.keyboard.press("5")
    app.get_by_role("link", name="Import and export").click()
    one = b"From a@x.example Mon May  4 09:00:00 2026\nFrom: a@x.example\nSubject: old %d\n\nx\n\n"
    box = tmp_path / "old.mbox"
    box.write_bytes(b"".join(one % number for number in range(20)))
    for said in ("20 taken in", "0 taken in, 20 were here already"):
        app.locator("input[type=file][multiple]").set_input_files(box)
        row = app.get_by_label("Imports").get_by_role("listitem").first
        expect(row).to_contain_text(said)
        assert row.get_by_role("progressbar").evaluate("bar => bar.value") == 1


HOSTILE = """<html><head><meta http-equiv="refresh" content="0;url=https://t.example/gone">
<base href="https://t.example/"><link rel="stylesheet" href="https://t.example/s.css">
<style>@import url(https://t.example/i.css); body{background:url(https://t.example/b.gif)}</style></head>
<body onload="parent.hacked=1"><script>parent.hacked=1; top.location='https://t.example/'</script>
<p onclick="parent.hacked=1" style="background:url(https://t.example/2.gif);color:red">Dear reader</p>
<img src="https://t.example/pixel.gif" onerror="parent.hacked=1"><img src=x onerror="parent.hacked=1">
<svg onload="parent.hacked=1"><script>parent.hacked=1</script><image href="https://t.example/v.svg"/></svg>
<a href="javascript:parent.hacked=1">one</a><a href="data:text/html,<script>parent.hacked=1</script>">two</a>
<form action="https://t.example/steal"><input name="q"><button>Send</button></form>
<iframe src="https://t.example/frame"></iframe><object data="https://t.example/o"></object>
<video src="https://t.example/v.mp4" autoplay></video><math><mtext><img src=x onerror="parent.hacked=1"></mtext></math>
</body></html>"""


def test_hostile_html_reaches_the_page_harmless(app: Page, deliver: Callable[..., None]) -> None:
    # Whatever got through would ask t.example (the `app` fixture fails on any foreign request),
    # set `hacked`, or leave the page.
    head = (
        b"From: x@t.example\r\nSubject: hostile\r\nContent-Type: text/html; charset=utf-8\r\n\r\n"
    )
    deliver(head + HOSTILE.encode(), "tamsin@wendle-lyde.example")
    rows(app).filter(has_text="hostile").first.click()
    frame = app.frame_locator("iframe[title='The message’s text']")
    expect(frame.get_by_text("Dear reader")).to_be_visible()
    for harm in (
        "script",
        "svg",
        "form",
        "iframe",
        "object",
        "video",
        "meta[http-equiv]",
        "base",
        "link",
    ):
        expect(frame.locator(f"body {harm}")).to_have_count(0)
    frame.get_by_text("one").click()
    frame.get_by_text("two").click()
    app.wait_for_timeout(500)
    assert app.evaluate("window.hacked") is None
    assert app.context.pages == [app]
    app.get_by_role("button", name="What are they?").click()
    expect(app.get_by_text("https://t.example/pixel.gif")).to_be_visible()
    app.get_by_role("button", name="As it came").click()
    source = app.frame_locator("iframe[title='The message as it came']")
    expect(source.get_by_text("<script>parent.hacked=1", exact=False).first).to_be_visible()
    assert app.evaluate("window.hacked") is None

"""Rules as Sieve, in Setup: a script is taken in from a file, and the line is given out as one."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from mnemic.core.sieve import read_script

SCRIPT = """require ["fileinto", "imap4flags"];
# Lists and newsletters
if exists "list-id" {
  addflag "\\\\Seen";
  fileinto "Reading";
  stop;
}
# Gauges at night
if header :contains "subject" "alarm" { addflag "\\\\Flagged"; }
"""


def files(app: Page) -> None:
    app.get_by_role("link", name="Setup", exact=True).click()
    app.get_by_role("link", name="Import and export").click()


def choose(app: Page, path: Path, text: str) -> None:
    path.write_text(text, "utf-8")
    app.locator("input[type=file][accept*=sieve]").set_input_files(path)


def test_a_script_is_looked_at_with_its_grades_taken_in_and_undone(
    app: Page, tmp_path: Path
) -> None:
    files(app)
    choose(app, tmp_path / "rules.sieve", SCRIPT)
    preview = app.get_by_label("What it would change")
    expect(preview).to_contain_text("2 rules added, 0 changed, 0 as they are")
    expect(preview).to_contain_text(
        "file it in Reading and mark it as read; no later rule is tried"
    )
    differs = preview.get_by_role("row", name=re.compile("^Gauges at night"))
    expect(differs).to_contain_text("in what counts as the same letter")
    preview.get_by_role("button", name="Take them in").click()
    expect(app.get_by_text("Rule document taken in: 2 added, 0 changed")).to_be_visible()
    app.get_by_role("button", name=re.compile("^Undo")).first.click()
    choose(app, tmp_path / "rules.sieve", SCRIPT.replace("stop;", 'reject "no";'))
    refused = app.get_by_label("Why it is refused")
    expect(refused).to_contain_text("line 6, column 3 reject: no rule can say it")
    expect(refused).to_contain_text("nothing was taken in")


def test_the_line_is_looked_at_as_a_script_and_saved(app: Page) -> None:
    files(app)
    app.get_by_role("button", name="Look at the script…").click()
    script = app.get_by_label("The rules as a script")
    expect(script).to_contain_text("7 rules written, 6 of them close; 0 stay here")
    expect(
        script.get_by_role("row", name=re.compile("^Gauges and alarms the same"))
    ).to_be_visible()
    expect(
        script.get_by_role("row", name=re.compile("^Old regatta notices a comment"))
    ).to_be_visible()
    script.get_by_text("The script", exact=True).click()
    expect(script.get_by_role("region", name="The script’s text")).to_contain_text(
        "# Boaters’ list"
    )
    with app.expect_download() as download:
        app.get_by_role("link", name="Save the script").click()
    assert download.value.suggested_filename == "mnemic-rules.sieve"
    read = read_script(download.value.path().read_bytes())
    assert read.own
    assert [rule.name for rule in read.rules][:2] == ["Gauges and alarms", "Lock-house shop"]

"""A procedure in a real browser: written, checked, begun, answered, stopped in the middle, and once the recorder is killed in it."""

import time
from pathlib import Path

import pytest
from selenium.webdriver.common.by import By

from tests.browser.page import Page
from tests.conftest import Server, setup_text, wait_for
from tests.recorder.test_acts import HeardPositioner

pytestmark = pytest.mark.browser

TEXT = """procedure Wear test
  ask "Guard closed?"
  for opening = 20, 30 [%]
    set valve-positioner.opening to opening
    wait until "valve-opening" > opening - 1 [%], at most 20 s
  wait 1 h
always
  set valve-positioner.opening to 50 [%]
"""


def write(page: Page, text: str) -> None:
    """Put a text into the editor as if it was typed."""
    area = page.find("textarea[aria-label='Text of the procedure']")
    page.driver.execute_script(
        "Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(arguments[0], arguments[1]);"
        "arguments[0].dispatchEvent(new Event('input', {bubbles: true}))",
        area,
        text,
    )


def plugged_in(server: Server) -> HeardPositioner:
    """The valve, that of the tests before: a second one at its port would hear nothing. It has heard nothing yet."""
    found = [one for one in server.shop.devices if isinstance(one, HeardPositioner)]
    valve = found[0] if found else server.shop.plug_in(HeardPositioner)
    assert server.post("/api/setups", {"text": setup_text("valve-positioner")}).status_code < 300
    wait_for(lambda: server.recorder.all_passing(), "the instruments")
    valve.heard.clear()
    return valve


def test_a_procedure_is_written_stopped_and_outlives_its_recorder(page: Page, server: Server) -> None:
    valve = plugged_in(server)
    page.open("/procedures")
    write(page, TEXT.replace("30 [%]", "130 [%]"))
    page.see("Line 4, column 37: Opening is 130 %: the highest it can be is 100 %.")
    begin = page.driver.find_element(By.XPATH, "//button[normalize-space(.)='Begin']")
    assert not begin.is_enabled()
    write(page, TEXT)
    page.see("VP 030.0")
    page.accessible()
    page.press("Keep")
    page.see("export")  # it is kept
    page.press("cards")
    page.see("Always, whatever happens")
    page.press("Begin")
    page.see("Guard closed?")
    assert valve.heard == []
    page.open("/")
    page.see("asks: Guard closed?")
    page.press("Answer")
    page.press("Yes")
    page.see("1 h to pass")
    page.accessible()
    assert valve.heard == [b"VP 020.0", b"VP 030.0"]
    page.press("Stop, then do")
    page.see("It was stopped")
    wait_for(lambda: valve.heard[-1] == b"VP 050.0", "its end")
    assert len(valve.heard) == 3
    page.press("All procedures")
    page.press("Begin")
    page.press("Yes")
    page.see("1 h to pass")
    server.recorder.kill()
    server.recorder.start(carry_on=True)
    page.see("the recorder was restarted", 60)
    assert valve.heard[3:] == [b"VP 020.0", b"VP 030.0", b"VP 050.0"]
    page.open("/procedures")
    page.press("All procedures")  # of the second one; the first was put away, and the page has forgotten that
    page.see("Wear test")


BEGIN = "//button[normalize-space(.)='Begin']"


def open_the_page(page: Page) -> None:
    """To where procedures are written, whatever the tests before have left."""
    wait_for(lambda: "Begin" in page.text() or "Write or begin another" in page.text(), "the page")
    if "Write or begin another" in page.text():
        page.press("Write or begin another")


def test_a_procedure_is_rehearsed_as_the_instruments_answered_in_a_run(page: Page, server: Server) -> None:
    valve = plugged_in(server)
    page.open("/procedures")
    open_the_page(page)
    short = TEXT.replace('  ask "Guard closed?"', '  begin run "Openings"').replace("  wait 1 h\n", "")
    write(page, short + "  end run\n")
    page.see("VP 030.0")
    wait_for(lambda: page.driver.find_element(By.XPATH, BEGIN).is_enabled(), "it to be checked")
    page.press("Begin")
    page.see("It is done")
    wait_for(
        lambda: [one["complete"] for one in server.get("/api/runs").json()["runs"]][:1] == [True],
        "the records",
    )
    heard = list(valve.heard)
    newest = max(server.get("/api/procedure").json(), key=lambda one: one["id"])
    took = server.get(f"/api/procedure/{newest['id']}").json()
    page.press("All procedures")
    more = TEXT.replace("20, 30", "20, 30, 40").replace('ask "Guard closed?"', 'ask mass "Mass?" [kg]')
    write(page, more)
    page.see("VP 040.0")
    page.press("Rehearse")
    page.see("Nothing is sent to the bench.")
    page.press("Rehearse")
    page.see("line 2 asks for a number")
    page.type_into("Line 2 asks for a number", "7,5")
    on = "//button[normalize-space(.)='Go on']"
    wait_for(lambda: page.driver.find_element(By.XPATH, on).is_enabled(), "the number to be taken")
    page.press("Go on")
    page.see("It would stop: ")  # nothing follows from it
    page.see("1 of 4 commands were not sent in that run")
    page.see("Set opening 40: taken as answered: the tape has no such command")
    page.accessible()
    assert valve.heard == heard, "nothing was sent"

    # As long as it took on the bench.
    report = server.post(
        "/api/procedures/rehearse", {"text": short, "run": server.get("/api/runs").json()["runs"][0]["id"]}
    ).json()
    assert (report["failed"], report["silent"]) == (False, [])
    really = (took["ended_at"] - took["begun_at"]) / 1e6
    assert report["took_s"] == pytest.approx(really, abs=2.5)
    page.no_complaints()


ACCEPTANCE = """procedure Acceptance
  begin run "Acceptance"
  for opening = 20, 30, 40, 50, 60 [%]
    set valve-positioner.opening to opening
    wait until "valve-opening" > opening - 1 [%], at most 20 s
    take point "valve {opening}", averaging 200 ms
always
  set valve-positioner.opening to 15 [%]
  end run
"""


def test_an_acceptance_of_five_openings(page: Page, server: Server) -> None:
    """Carried out, rehearsed against its own tape, paused and stopped in the middle, and once the recorder is killed in it."""
    valve = plugged_in(server)
    openings = [b"VP 020.0", b"VP 030.0", b"VP 040.0", b"VP 050.0", b"VP 060.0"]
    page.open("/procedures")
    open_the_page(page)
    write(page, ACCEPTANCE)

    def begin() -> None:
        wait_for(lambda: page.driver.find_element(By.XPATH, BEGIN).is_enabled(), "it to be checked")
        valve.heard.clear()
        page.press("Begin")

    begin()
    page.see("It is done", 90)
    assert valve.heard == [*openings, b"VP 015.0"]
    wait_for(lambda: server.recorder.status().run is None, "the end of the run")
    wait_for(
        lambda: [one["complete"] for one in server.get("/api/runs").json()["runs"]][:1] == [True],
        "the records",
    )
    run = server.get("/api/runs").json()["runs"][0]["id"]
    points = server.get(f"/api/runs/{run}").json()["points"]["points"]
    assert [one["name"] for one in points] == [f"valve {n} %" for n in (20, 30, 40, 50, 60)]
    page.press("All procedures")
    page.press("Rehearse")
    page.see("Nothing is sent to the bench.")
    page.press("Rehearse")  # that of the card
    page.see("It would take")
    assert valve.heard == [*openings, b"VP 015.0"], "nothing was sent"
    begin()
    wait_for(lambda: openings[1] in valve.heard, "the second opening")
    page.press("Pause")
    page.see("paused at line")
    heard = list(valve.heard)
    time.sleep(1.5)  # nothing is waited for: that nothing comes
    assert valve.heard == heard, "nothing goes on"
    page.press("Go on")
    wait_for(lambda: len(valve.heard) > len(heard), "the next opening")
    page.press("Stop, then do")
    page.see("stopped by")
    wait_for(lambda: valve.heard[-1] == b"VP 015.0", "what is always done")
    assert len(valve.heard) < 6
    wait_for(lambda: server.recorder.status().run is None, "the end of the run")
    page.press("All procedures")
    begin()
    wait_for(lambda: openings[1] in valve.heard, "the second opening")
    server.recorder.kill()
    heard = list(valve.heard)
    server.recorder.start(carry_on=True)
    page.see("the recorder was restarted", 60)
    assert valve.heard == [*heard, b"VP 015.0"]


def test_cards_are_filled_in_and_two_procedures_are_on_at_a_time(
    page: Page, server: Server, tmp_path: Path
) -> None:
    valve = plugged_in(server)
    inner = (
        'procedure Set the valve\n  ask opening "How far?" [%]\n  set valve-positioner.opening to opening\n'
    )
    assert server.post("/api/procedures", {"text": inner}).status_code == 201
    page.open("/procedures")
    open_the_page(page)
    write(
        page,
        "procedure Outer   # kept\n  wait 1 h   # long\nalways\n  set valve-positioner.opening to 50 [%]\n",
    )
    page.press("cards")
    page.press("wait 1 h")
    page.type_into("For", "2 hours")
    page.see("“2 hours” is no time: write it as 5 s, 200 ms, 2 min or 1 h.")
    page.accessible()
    page.type_into("For", "2 h")
    page.see("wait 2 h")  # what it becomes
    page.press("Take it")
    page.press("wait 2 h")
    page.press("add below")
    page.choose("Step", "carry out")
    page.type_into("Procedure", "Set the valve")
    page.type_into("With", "opening = 70 [%]")
    page.see('carry out "Set the valve" with opening = 70 [%]')
    page.press("Add it")
    page.see("VP 070.0")
    page.press("carry out")
    page.press("up")
    page.press("text")
    area = page.find("textarea[aria-label='Text of the procedure']")
    assert area.get_property("value") == (
        "procedure Outer   # kept\n"
        '  carry out "Set the valve" with opening = 70 [%]\n'
        "  wait 2 h   # long\n"
        "always\n"
        "  set valve-positioner.opening to 50 [%]\n"
    )
    wait_for(lambda: page.driver.find_element(By.XPATH, BEGIN).is_enabled(), "it to be checked")
    page.press("Begin")
    page.see("2 h to pass")
    assert valve.heard == [b"VP 070.0"]
    page.press("Write or begin another")
    run = server.post("/api/run", {"name": "Nameplates", "operator": "M. Okafor"}).json()["id"]
    write(
        page,
        'procedure Watch\n  ask serial "Serial number?" text\n  say "pump {serial}"\n  ask "Nameplate" picture\n  wait 1 h\n',
    )
    wait_for(lambda: page.driver.find_element(By.XPATH, BEGIN).is_enabled(), "it to be checked")
    page.press("Begin")
    page.see("Serial number?")
    page.type_into("Answer", "K-17")
    page.press("Answer")
    page.see("Choose a file")
    page.accessible()
    picture = tmp_path / "plate.png"
    page.driver.save_screenshot(str(picture))
    page.driver.find_elements(By.CSS_SELECTOR, "input[type=file]")[-1].send_keys(str(picture))
    page.see("Nameplate pictures/001.png, by M. Okafor")
    assert server.get(f"/api/runs/{run}/pictures/001.png").content == picture.read_bytes()
    page.open("/")
    page.see("and 1 more")
    page.open("/procedures")
    page.see("2 h to pass")
    page.press("Watch")
    page.see("1 h to pass")
    page.press("Stop, then do")
    page.see("stopped by")
    page.press("All procedures")
    page.press("Outer")
    page.see("2 h to pass")
    page.press("Stop, then do")
    assert server.post("/api/run/end", {"run": run}).status_code < 300
    page.open(f"/logbook/{run}")
    page.see("001.png")
    page.accessible()
    wait_for(lambda: valve.heard == [b"VP 070.0", b"VP 050.0"], "its end")

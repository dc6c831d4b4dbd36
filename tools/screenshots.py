"""Take the pictures of docs/screenshots from the running demo: `python tools/screenshots.py ADDRESS`."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from selenium.webdriver import ActionChains  # noqa: E402 - the path above comes first
from selenium.webdriver.common.by import By  # noqa: E402 - the path above comes first
from selenium.webdriver.common.keys import Keys  # noqa: E402 - the path above comes first
from selenium.webdriver.support.ui import Select  # noqa: E402 - the path above comes first

from tests.browser.driver import Page, start_browser  # noqa: E402 - the path above comes first

OUT = ROOT / "docs" / "screenshots"


def shot(page: Page, name: str) -> None:
    """Let pictures and shaders settle, then save the window."""
    time.sleep(3)
    page.driver.save_screenshot(str(OUT / f"{name}.png"))


def main() -> None:
    """Walk through the main views."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        driver = start_browser(Path(folder), smooth=True)
        try:
            page = Page(driver, 300)
            page.begin(sys.argv[1], Path(folder), sharp=True)
            walk(page)
        finally:
            driver.quit()


def walk(page: Page) -> None:
    """Every main view once, in an order that a person might take."""
    page.see("[data-path='actors/crab_toll/crab_toll.brm'] img")
    page.see(page.test("jobs"), "All quiet")
    page.click("[data-path='actors/act_0107/act_0107.brm']")
    page.see("[data-test=glance]:not([data-shown=''])")
    shot(page, "browse")
    page.keys("1")
    page.see(page.test("source"))
    shot(page, "sources")
    page.click(page.test("tab-keys"))
    page.click(page.test("harvest"))
    page.see(page.test("harvested"), "names won")
    shot(page, "keys")
    page.click(page.test("tab-profile"))
    page.see(page.test("profile-text"))
    shot(page, "profile")
    page.click("nav button", "Browse")
    page.click(page.test("to-catalogue"))
    people(page)
    page.click(page.test("to-files"))
    page.click("[data-kind=all]")
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("levels/market")
    page.click("[data-path='levels/market/market.blv']")
    page.see(page.test("plan"))
    shot(page, "level")
    page.keys(Keys.ESCAPE)
    motion(page)
    unknown_bytes(page)
    page.click("[data-kind=all]")
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("crab")
    page.click("[data-path='actors/crab_toll/crab_toll.brm']")
    page.see("[data-test=quick-look] h2", "crab_toll")
    page.click(page.test("open-bench"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    while page.all(page.test("step")):
        page.click(page.test("undo"))
        time.sleep(1)
    page.see(page.test("finding"))
    faces(page)
    page.click(page.test("apply"))
    page.gone(page.test("finding"))
    tried_and_looked_at(page)
    page.click("button", "Night")
    page.click(page.test("add-step"))
    page.see(page.test("search-steps"))
    shot(page, "steps-night")
    page.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    page.gone("[role=dialog]")
    page.click("button", "Day")
    page.click(page.test("go-deliver"))
    page.click(page.test("format-fbx"))
    page.click(page.test("deliver"))
    page.see(page.test("download"))
    page.click(page.test("options-fbx"))
    page.driver.execute_script("document.querySelector('[data-test=form]').scrollTop = 0")
    shot(page, "deliver")
    page.click("nav button", "Browse")
    page.click(page.test("to-catalogue"))
    page.see(page.test("card"))
    batch(page)


def people(page: Page) -> None:
    """Who is made of parts, and one of them put together, with a texture that is looked for."""
    page.click("nav[aria-label=Groups] button", "townsfolk")
    page.see("[data-code='3006'] img")
    shot(page, "catalogue")
    page.click("[data-code='3002'] [data-test=card-open]")
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.click(page.test("find-texture"))
    page.see(f"{page.test('candidate')} img")
    page.click(page.test("slot-head"))
    page.see(f"{page.test('variant-fair')} img")
    shot(page, "assembling")
    page.driver.back()
    page.see(page.test("card"))


def motion(page: Page) -> None:
    """A clip on the model that it plays on, held, with its joints and the curves of one; and posed further by hand."""
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("act_0521.bcl")
    page.click("[data-path='actors/act_0521/act_0521.bcl']")
    page.click(page.test("open-both"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see(page.test("clip"))
    page.click("h1")
    page.keys(*["]"] * 8, "s", *[Keys.ARROW_RIGHT] * 12)
    page.see(page.test("clip"), "stroll")
    page.click(page.test("joint-UpperArm.L"))
    page.see(page.test("curves"), "Rotation")
    found = page.see("[data-rule=open_loops]")
    page.driver.execute_script("arguments[0].scrollIntoView({ block: 'center' })", found)
    time.sleep(2)
    shot(page, "motion")
    page.keys("k")
    for joint, axis, angle in (("Skull", "y", "35"), ("UpperArm.R", "z", "-70"), ("LowerArm.R", "z", "-55")):
        page.click(page.test(f"joint-{joint}"))
        field = page.see(page.test(f"turn-{axis}"))
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(angle, Keys.TAB)
        time.sleep(1)
    page.click("h1")
    time.sleep(1)
    shot(page, "posing")
    page.click(page.test("pose-end"))
    pairing(page)
    page.driver.back()
    page.see(page.test("entry"))


def pairing(page: Page) -> None:
    """Which joint of other clips is which of this model's."""
    page.click(f"{page.test('play-bar')} {page.test('more')}")
    page.click(page.test("bring-more"))
    form = page.see("[role=dialog][aria-label='Bring clips in']")
    form.find_element(By.CSS_SELECTOR, "input").send_keys("actors/moves/diver_moves.bcl")
    page.click(page.test("both-skeletons"))
    page.see(page.test("pair-sheet"))
    page.click("[data-test=pair-list] li:nth-child(6)")
    shot(page, "pairing")
    page.keys(Keys.ESCAPE)
    page.gone(page.test("pair-sheet"))
    page.keys(Keys.ESCAPE)


def faces(page: Page) -> None:
    """Faces of the shell chosen for another material, beside the finding's hatched claw."""
    page.keys("a")
    page.click(page.test("add-assign_material"))
    page.click(page.test("choose-faces"))
    page.click("[aria-label='How far a click reaches'] button", "piece")
    viewport = page.see(page.test("viewport"))
    ActionChains(page.driver).move_to_element_with_offset(viewport, 40, -140).click().perform()
    page.see(page.test("faces-chosen"), "chosen")
    page.click(page.test("box-faces"))
    drag = ActionChains(page.driver).move_to_element_with_offset(viewport, -10, 40).click_and_hold()
    drag.move_by_offset(130, 150).pause(0.3).perform()
    shot(page, "choosing")
    ActionChains(page.driver).release().perform()
    page.keys(Keys.ESCAPE)
    page.gone("[role=dialog]")


def tried_and_looked_at(page: Page) -> None:
    """A step that is tried, and a single channel with a person beside it."""
    page.keys("a")
    page.click(page.test("add-thin_out"))
    page.click("[role=dialog] label", "shell")
    box = page.see("#p-share")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("4")
    page.see(page.test("preview"), "1 part")
    page.click(page.test("view-menu"))
    page.click(page.test("view-wires"))
    page.click(page.test("view-menu"))
    shot(page, "preview")
    page.click("[role=dialog] button", "Cancel")
    page.click(page.test("view-menu"))
    page.click(page.test("view-wires"))
    page.click(page.test("view-person"))
    page.click(page.test("view-grid"))
    page.click(page.test("view-menu"))
    Select(page.see(page.test("channel"))).select_by_value("checker")
    shot(page, "channel")
    Select(page.see(page.test("channel"))).select_by_value("")
    page.click(page.test("view-menu"))
    page.click(page.test("view-person"))
    page.click(page.test("view-grid"))
    page.click(page.test("view-menu"))


def batch(page: Page) -> None:
    """The steps of one model as a recipe, run on others."""
    page.keys("2")
    page.click(page.test("to-files"))
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("crab_toll.brm")
    page.see("[data-test=quick-look] h2", "crab_toll")
    page.click(page.test("open-bench"))
    page.see("[data-test=step]", "6,000 faces")
    page.keys("a")
    page.click(page.test("add-thin_out"))
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=thin_out]", "moved by")
    page.click("footer > div [aria-haspopup=menu]", "Recipe")
    page.click(page.test("keep-recipe"))
    name = page.see(page.test("recipe-name"))
    name.send_keys(Keys.CONTROL, "a")
    name.send_keys("made sound", Keys.ENTER)
    page.see("footer", "is kept")
    page.keys("2")
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("actors .brm")
    page.click(page.test("take-found"))
    page.click(page.test("tray-run"))
    page.click(page.test("run"))
    page.see(page.test("for-real"))
    shot(page, "batch")


def unknown_bytes(page: Page) -> None:
    """From bytes that nobody described to a shape: what they may hold, the layout beside them, what is told apart."""
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("dredged/whelk")
    page.click("[data-path='dredged/whelk.drg']")
    page.click(page.test("describe"))
    page.click(page.test("take-guess"))
    page.see("[data-test=draft-view]:not([data-shown=''])")
    page.see(page.test("jobs"), "All quiet")
    shot(page, "guesses")
    page.click(page.test("tab-fields"))
    page.click(page.test("field"), "vertices_at")
    shot(page, "layout-editor")
    page.click(page.test("tab-find"))
    page.see(page.test("compare-with")).send_keys("dredged/bell.drg", Keys.ENTER)
    page.see(page.test("compared"), "stretches differ")
    shot(page, "bytes")
    page.click(page.test("back"))


main()

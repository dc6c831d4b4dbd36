"""The Bench by hand: recipes kept and run on many, and the ways of looking at a model."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from PIL import Image
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.driver import Page
from tests.browser.test_tour import clear_steps, open_crab, open_model, picture


def test_a_recipe_is_kept_run_dry_then_for_real_on_many(page: Page) -> None:
    open_model(page, "coral_01", "flora/coral_01/coral_01.brm")
    clear_steps(page)
    page.keys("a")
    page.click(page.test("add-set_size"))
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=set_size]", "height")
    page.click("footer > div [aria-haspopup=menu]", "Recipe")
    page.click(page.test("keep-recipe"))
    name = page.see(page.test("recipe-name"))
    name.send_keys(Keys.CONTROL, "a")
    name.send_keys("as high as people", Keys.ENTER)
    page.see("footer", "“as high as people” is kept")

    page.keys("2")
    page.see(page.test("search")).send_keys(Keys.CONTROL, "a")
    page.see(page.test("search")).send_keys("coral_0")
    page.see("[data-test=take-found]", "7")
    page.click(page.test("tray-run"))
    page.see("[role=dialog]", "On 7 models that are found")
    page.see("[role=dialog]", "as high as people")
    page.click(page.test("run"), "Run it dry")
    page.see(page.test("standing"), "Dry run, nothing was changed: 7 done")
    page.see(page.test("for-real"))
    rows = page.all(page.test("batch-item"))
    assert [row.get_attribute("data-state") for row in rows] == ["done"] * 7
    assert all("Set the true size" in row.text for row in rows)
    address = page.driver.current_url

    page.driver.refresh()
    page.click(page.test("for-real"))
    page.click(page.test("run"), "Run for real")
    page.see(page.test("standing"), "Kept on the Bench: 7 done")
    assert page.driver.current_url != address
    page.driver.back()
    page.see(page.test("standing"), "Dry run")
    page.driver.forward()
    page.see(page.test("standing"), "Kept on the Bench: 7 done")
    page.click("[data-test=batch-item]:nth-of-type(2) [data-test=open-item]")
    page.see("[data-test=step][data-step=set_size]", "→ 1.8 m")

    # What was removed is gone, and the list says what to do next.
    page.keys("3")
    page.click("[aria-label='More about this workpiece']")
    page.click(page.test("all-workpieces"))
    page.see(page.test("workpiece"), "coral_01")
    page.click(page.test("to-batches"))
    for _ in range(2):
        page.click("[aria-label='More about this batch']")
        page.click(page.test("remove"))
        page.click("[role=dialog] .button", "Remove it")
        page.gone("[role=dialog]")
    page.see("main", "One recipe, many models")


def test_a_model_is_looked_at_in_every_way(page: Page, tmp_path: Path) -> None:
    open_crab(page)
    plain = picture(page)
    shown = {}
    for channel in ("normals", "checker", "density", "weights"):
        Select(page.see(page.test("channel"))).select_by_value(channel)
        shown[channel] = picture(page)
    for name, found in shown.items():
        assert (np.abs(found - plain).sum(axis=2) > 40).mean() > 0.02, name
    assert len({found.tobytes() for found in shown.values()}) == len(shown)
    page.see(page.test("legend"), "No joints hold this model")
    # The list gave the keyboard back.
    page.keys("t")
    page.keys("g")
    page.see(page.test("legend"), "one square")
    page.driver.refresh()
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see(page.test("legend"), "one square")
    page.keys("g", ".")
    assert (np.abs(picture(page) - plain).sum(axis=2) > 8).mean() > 0.005

    page.keys("m")
    page.see(page.test("legend"), "Click two points")
    viewport = page.see(page.test("viewport"))
    for across in (0, 60):  # an eye stalk, and the shell
        ActionChains(page.driver).move_to_element_with_offset(viewport, across, -60).click().perform()
    assert page.see(page.test("distance")).text.split()[-1] in {"m", "cm"}
    page.click("[data-test=legend] .words", "Done")
    page.gone(page.test("distance"))

    page.click(page.test("view-menu"))
    page.click(page.test("from-above"))
    page.click(page.test("view-person"))
    above = picture(page)
    assert (np.abs(above - plain).sum(axis=2) > 40).mean() > 0.05
    page.click(page.test("picture"))
    file = tmp_path / "crab_toll.png"
    page._wait.until(lambda _d: file.is_file() and file.stat().st_size > 0)
    with Image.open(file) as saved:
        pixels = np.asarray(saved.convert("RGBA"))
    assert pixels.shape[1] == viewport.size["width"]  # twice what is drawn, which here is half of what is there
    assert pixels[0, 0, 3] == 0
    assert pixels[..., 3].max() == 255


# Counts how often the whole model is drawn: each time, the ground below it is, which has two triangles.
_COUNT = """
const kept = WebGL2RenderingContext.prototype.drawElements
window.drawings = 0
WebGL2RenderingContext.prototype.drawElements = function (mode, count, ...rest) {
  if (count === 6) window.drawings += 1
  return kept.call(this, mode, count, ...rest)
}
"""


@contextmanager
def drawn_once(page: Page) -> Iterator[None]:
    """What happens within changes the picture by one drawing, which may take a second where there is no card."""
    page.driver.execute_script("window.drawings = 0")
    yield
    page._wait.until(lambda d: d.execute_script("return window.drawings"))
    time.sleep(0.5)
    assert page.driver.execute_script("return window.drawings") == 1


def test_a_step_is_tried_left_done_and_compared(page: Page) -> None:
    open_crab(page)
    clear_steps(page)
    plain = picture(page)
    page.driver.execute_script(_COUNT)
    page.keys("a")
    with drawn_once(page):
        page.click(page.test("add-thicken"))
    box = page.see("#p-thickness")
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("-0.2")
    page.see(page.test("preview"), "0.2 m thick")
    tried = picture(page)
    assert (np.abs(tried - plain).sum(axis=2) > 40).mean() > 0.02
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("900")
    page.see("[role=dialog] [role=alert]", "from -100 to 100")
    with drawn_once(page):
        page.keys(Keys.ESCAPE)
        page.gone("[role=dialog]")
        page.gone(page.test("preview"))
    assert not page.all(page.test("step"))
    assert (np.abs(picture(page) - plain).sum(axis=2) > 40).mean() < 0.002

    # The part that is clicked on the model is the one that is taken.
    page.keys("a")
    page.click(page.test("add-subdivide"))
    viewport = page.see(page.test("viewport"))
    ActionChains(page.driver).move_to_element_with_offset(viewport, 60, -60).click().perform()
    page.see(page.test("preview"), "44,000 in 1 part")
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=subdivide]", "11,000 triangles")
    page.see("[data-test=step] img[alt=After]")
    ActionChains(page.driver).key_down("b").perform()
    page.see(page.test("before"), "Before step 1")
    ActionChains(page.driver).key_up("b").perform()
    page.gone(page.test("before"))

    finding = page.see("[data-test=finding][data-rule=inward_faces]", "claw_r")
    assert finding.is_displayed()
    page.click("[data-rule=inward_faces] [data-test=meant-so]")
    page.gone("[data-rule=inward_faces]")
    page.driver.refresh()
    page.click("[data-test=settled] summary", "1 meant so")
    page.click("[data-test=settled] button", "look at it again")
    page.see("[data-test=finding][data-rule=inward_faces]")
    clear_steps(page)


def test_faces_are_chosen_on_the_model_by_clicks_a_frame_and_keys(page: Page) -> None:
    open_crab(page)
    clear_steps(page)
    page.keys("a")
    page.click(page.test("add-remove_faces"))
    page.click(page.test("choose-faces"))
    viewport = page.see(page.test("viewport"))
    plain = picture(page)
    ActionChains(page.driver).move_to_element_with_offset(viewport, 60, -60).click().perform()
    page.see(page.test("faces-chosen"), "chosen")
    assert (np.abs(picture(page) - plain).sum(axis=2) > 40).mean() > 0.02
    ActionChains(page.driver).move_to_element_with_offset(viewport, 60, -60).click().perform()
    page.see(page.test("faces-chosen"), "all")
    assert (np.abs(picture(page) - plain).sum(axis=2) > 40).mean() < 0.002

    page.click(page.test("box-faces"))
    drag = ActionChains(page.driver).move_to_element_with_offset(viewport, -60, 60).click_and_hold()
    drag.move_by_offset(150, 110).pause(0.2).release().perform()
    page.see(page.test("faces-chosen"), "chosen")
    page.click("[aria-label=Faces] button", "None")
    page.see(page.test("faces-chosen"), "all")

    # Keys alone: all of a part, then fewer, by their numbers.
    page.see(page.test("all-of")).send_keys("eye_s", Keys.TAB, Keys.ENTER)
    page.see(page.test("faces-chosen"), "168 chosen")
    numbers = page.see("[aria-label=Faces] input[title^=Numbers]")
    numbers.send_keys(Keys.CONTROL, "a")
    numbers.send_keys("0-99, 150", Keys.TAB)
    page.see(page.test("faces-chosen"), "101 chosen")
    page.click(page.test("choose-faces"))
    page.see(page.test("preview"), "101 chosen faces removed")
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=remove_faces]", "101 chosen faces removed")
    page.see(page.test("triangles"), "48,077")

    # A line parts what was from what is; moved by keys, then by the mouse.
    page.see("[data-test=step] img[alt=After]")
    page.click("h1")  # so that a letter is a key of the Bench
    page.keys("c")
    line = page.see(page.test("wipe-line"))
    page.see(page.test("wiping"), "Before step 1")
    line.send_keys(Keys.HOME)
    now = picture(page)
    line.send_keys(Keys.END)
    before = picture(page)
    assert (np.abs(now - before)[:, :-20].sum(axis=2) > 40).mean() > 0.0005
    line.send_keys(Keys.PAGE_DOWN)
    ActionChains(page.driver).move_to_element(line).click_and_hold().move_by_offset(-300, 0).release().perform()
    assert 10 < int(line.get_attribute("aria-valuenow") or 0) < 90
    page.click(page.test("compare"))
    page.gone(page.test("wipe-line"))
    clear_steps(page)


def test_a_person_is_put_together_from_the_catalogue_and_dressed_anew(page: Page) -> None:
    page.see(page.test("entry"))
    page.click(page.test("to-catalogue"))
    page.see("[data-test=card][data-code='3001']", "Ida Marsh")
    page.click("[data-test=card][data-code='3001'] [data-test=card-open]")
    page.see("h1", "Ida Marsh")
    assert len([page.see(page.test("step"))] and page.all(page.test("step"))) == 4
    page.see("[data-test=slot-head]", "freckled")
    page.see("[data-test=slot-tool]", "nothing")
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see("[aria-label=Parts]", "eyes")

    # With the mouse: another head, in the step that is there.
    page.click(page.test("slot-head"))
    page.click(page.test("variant-fair"))
    page.see("[data-test=slot-head]", "fair")
    page.see("footer", "“fair” stands in “head”")
    assert len(page.all(page.test("step"))) == 4
    # By the keyboard: a tool into the hand, behind all else.
    page.see(page.test("slot-tool")).send_keys(Keys.ENTER)
    page.see(page.test("variant-lantern"))
    page.keys(Keys.END, Keys.ARROW_UP, Keys.ENTER)
    page.see("[data-test=slot-tool]", "lantern")
    page.see("footer", "“lantern” stands in “tool”, on “right_hand”")
    address = page.driver.current_url
    page.driver.refresh()
    page.see("[data-test=slot-tool]", "lantern")
    ActionChains(page.driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    page.see("[data-test=slot-tool]", "nothing")

    # She is found again as she was left.
    page.driver.back()
    page.click("[data-test=card][data-code='3001'] [data-test=card-open]")
    page.see("[data-test=slot-head]", "fair")
    assert page.driver.current_url == address
    # The crab is made of nothing that is known.
    page.driver.back()
    page.click("[data-test=card][data-code='crab_toll'] [data-test=card-open]")
    page.see("h1", "crab_toll")
    page.gone("[aria-label='Made of']")


def test_parts_are_chosen_together_links_changed_and_workpieces_held_side_by_side(page: Page) -> None:
    open_crab(page)
    page.keys("2")
    open_model(page, "0107", "actors/act_0107/act_0107.brm")
    clear_steps(page)
    page.see(page.test("triangles"))
    plain = picture(page)
    view = page.see(page.test("viewport"))
    # A frame about the upper half of the model: what lies wholly in it.
    (
        ActionChains(page.driver)
        .key_down(Keys.SHIFT)
        .move_to_element_with_offset(view, -200, -240)
        .click_and_hold()
        .move_by_offset(400, 190)
        .release()
        .key_up(Keys.SHIFT)
        .perform()
    )
    chosen = page.see(page.test("chosen-parts")).text
    assert "parts chosen" in chosen
    names = {one.get_attribute("data-choose") for one in page.all("[data-choose][aria-pressed=true]")}
    assert {"helmet", "glass"} <= names
    assert not names & {"boots", "body"}
    assert (np.abs(picture(page) - plain).sum(axis=2) > 60).mean() > 0.005
    # By the list, with the keyboard alone: more of them, alone, and all again.
    page.see("[data-choose=boots]").send_keys(Keys.SHIFT + Keys.ENTER)
    page.keys("i")
    page.see("aside[aria-label=Parts]", f"{len(names) + 1} of 9 shown")
    page.keys("h", Keys.ESCAPE)
    page.see("aside[aria-label=Parts]", "9 of 9 shown")
    page.gone(page.test("chosen-parts"))

    page.click("[data-test=links] summary")
    page.see(page.test("links"), "by its path")
    page.click("[data-test=relink][aria-label^='Another material']")
    page.click("[data-test=candidate]:not(:disabled)")
    page.see("[data-test=step][data-step=link_material]", "in the place of")
    page.see(page.test("links"), "by hand")

    page.click("h1")
    page.keys("c")
    page.see("[data-test=compare-with] option:nth-child(2)")
    Select(page.see(page.test("compare-with"))).select_by_visible_text("crab_toll")
    page.see(page.test("wipe-line"))
    page.click(page.test("side-by-side"))
    page.gone(page.test("wipe-line"))
    beside = picture(page)
    left, right = beside[:, : beside.shape[1] // 2], beside[:, beside.shape[1] // 2 :]
    ground = plain[5, 5]
    assert all((np.abs(half - ground).sum(axis=2) > 120).mean() > 0.03 for half in (left, right))
    page.click("h1")
    page.keys("c")
    page.gone(page.test("wiping"))
    clear_steps(page)

"""The tour of a new user, with mouse and keyboard, in a real browser."""

import io
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.driver import Page
from tests.core.test_sources import hostile_zip


def picture(page: Page) -> np.ndarray:
    """What the viewport shows."""
    time.sleep(1.0)
    data = page.see(page.test("viewport")).screenshot_as_png
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


def open_model(page: Page, words: str, path: str) -> None:
    """From Browse onto the Bench, by the keyboard."""
    page.see(page.test("entry"))
    page.keys("/")
    # What was looked for before goes.
    search = page.see(page.test("search"))
    search.send_keys(Keys.CONTROL, "a")
    search.send_keys(words)
    page.see(f"[data-path='{path}']")
    page.see("[data-test=quick-look] h2", path.rsplit("/", 1)[-1].split(".", maxsplit=1)[0])
    page.keys(Keys.ENTER)
    page.click(page.test("open-bench"))
    page.see("[data-test=viewport]:not([data-shown=''])")


def open_crab(page: Page) -> None:
    open_model(page, "toll crab", "actors/crab_toll/crab_toll.brm")


def clear_steps(page: Page) -> None:
    while page.all(page.test("step")):
        before = len(page.all(page.test("step")))
        page.click("[data-test=step] [aria-haspopup=menu]")
        page.click(page.test("remove-step"))
        page._wait.until(lambda _d, n=before: len(page.all(page.test("step"))) < n)


def test_from_browse_to_a_proven_zip(page: Page, tmp_path: Path) -> None:
    page.see("[data-path='actors/crab_toll/crab_toll.brm'] img")
    open_crab(page)
    clear_steps(page)
    page.see(page.test("triangles"), "48,178")

    finding = page.see("[data-test=finding][data-rule=inward_faces]", "claw_r")
    assert "97" in finding.text
    assert "samples that look inward" in finding.text
    first = picture(page)
    assert np.ptp(first.reshape(-1, 3), axis=0).min() > 100

    page.click(page.test("apply"), "Flip the faces")
    page.see("[data-test=step][data-step=flip_faces]", "6,000 faces")
    page.gone(page.test("finding"))
    mended = picture(page)
    assert (np.abs(first - mended).sum(axis=2) > 60).mean() > 0.005

    page.click("[data-test=step-on]")
    page.see("[data-test=finding][data-rule=inward_faces]")
    ActionChains(page.driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    page.gone(page.test("finding"))

    ActionChains(page.driver).drag_and_drop_by_offset(page.see(page.test("viewport")), 160, 40).perform()
    assert (np.abs(picture(page) - mended).sum(axis=2) > 60).mean() > 0.02

    page.click("input[data-part=shell]")
    hidden = picture(page)
    page.see("aside", "13 of 14 shown")
    page.keys("h")
    page.see("aside", "14 of 14 shown")
    assert (np.abs(picture(page) - hidden).sum(axis=2) > 60).mean() > 0.01

    page.click(page.test("go-deliver"))
    page.click(page.test("format-obj"))
    page.click(page.test("deliver"))
    card = "[data-test=delivery][data-name=crab_toll]"
    page.see(f"{card} [data-test=verdict]", "proven")
    page.click(f"{card} [data-test=download]")
    deadline = time.monotonic() + 180
    while not (found := list(tmp_path.glob("*.zip"))):
        assert time.monotonic() < deadline
        time.sleep(0.2)
    archive = zipfile.ZipFile(found[0])
    names = set(archive.namelist())
    assert not any(n.startswith("/") or ".." in n for n in names)
    links = [
        line.split()[1]
        for line in archive.read("obj/crab_toll.mtl").decode().splitlines()
        if line.startswith(("map_", "norm"))
    ]
    assert links
    assert all(f"obj/{link}" in names for link in links)
    loaded = trimesh.load(io.BytesIO(archive.read("glb/crab_toll.glb")), file_type="glb")
    claw = next(g for name, g in loaded.geometry.items() if "claw_r" in name)
    assert claw.volume > 0


def test_steps_by_hand_drop_parts_and_scale(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("/")
    page.see(page.test("search")).send_keys("p0077.brm")
    page.click("[data-path='props/p0077/p0077.brm']")
    page.click(page.test("open-bench"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    clear_steps(page)
    page.click(page.test("apply"), "Scale by 0.001")
    page.see("[data-test=step][data-step=set_units]", "1.803 m")
    page.click(page.test("add-step"))
    page.click(page.test("add-set_units"))
    # As people replace a number: what empties a field without a key is undone when the page is drawn again.
    page.see("#p-factor").send_keys(Keys.CONTROL, "a")
    page.see("#p-factor").send_keys("2")
    page.click(page.test("step-done"))
    page.see("[data-test=step]:nth-of-type(2)", "3.606 m")
    page.click(page.test("undo"))
    page.gone("[data-test=step]:nth-of-type(2)")
    page.click("input[data-part=stock]")
    page.click("button", "Drop hidden")
    page.see("[data-test=step][data-step=show_parts]", "2 of 3 parts kept")
    page.see("aside", "2 of 2 shown")


def test_a_step_is_found_by_words_and_run_by_keys_alone(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("/")
    page.see(page.test("search")).send_keys("rk_b02.brm")
    page.click("[data-path='levels/reef/rk_b02.brm']")
    page.click(page.test("open-bench"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    clear_steps(page)
    page.see("[data-test=finding][data-rule=loose_vertices]")
    page.keys("a")
    page.see(page.test("proposed"), "Weld")
    typed = page.see(page.test("search-steps"))
    typed.send_keys("stands twice")
    page.gone(page.test("proposed"))
    page.see("[role=dialog]", "No step is called so")
    typed.send_keys(Keys.BACKSPACE * 12, "one place alike")
    page.see(page.test("add-weld_vertices"))
    page.gone(page.test("add-flip_faces"))
    page.see("[data-test=search-steps][aria-activedescendant]").send_keys(Keys.ENTER)
    page.see("#p-distance")
    page.driver.switch_to.active_element.send_keys(Keys.ENTER)
    page.see("[data-test=step][data-step=weld_vertices]", "vertices →")
    page.gone("[data-test=finding][data-rule=loose_vertices]")
    page.keys("a")
    page.see(page.test("search-steps")).send_keys(Keys.ESCAPE)
    page.gone("[role=dialog]")
    # What a finding proposes runs as it is.
    page.keys("a")
    page.click(page.test("proposed"), "Drop")
    page.see("[data-test=step][data-step=show_parts]")


@pytest.mark.flat
def test_mounting_good_and_bad_places(page: Page, mounts: Path) -> None:
    hostile_zip(mounts / "strange.zip")
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("Odds and ends")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    path = page.see(page.test("mount-path"))
    path.send_keys("/etc")
    page.click(page.test("mount"))
    page.see("[role=alert]", "not below a permitted folder")
    path.clear()
    path.send_keys(str(mounts / "strange.zip"))
    page.click(page.test("mount"))
    page.see(page.test("source"), "strange.zip")
    page.click("[data-label='strange.zip'] button", "problems")
    page.see(page.test("problem"), "implausibly much")
    page.see("main", "cannot be shown or written as it is")
    page.keys("2")
    page.see(page.test("entry"), "ok.txt")  # there are no models, so that everything is shown


@pytest.mark.flat
def test_keyboard_list_night_and_empty_states(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("?")
    page.see("[role=dialog]", "Open on the Bench")
    page.keys(Keys.ESCAPE)
    page.gone("[role=dialog]")
    day = page.driver.execute_script("return getComputedStyle(document.body).backgroundColor")
    page.click("button", "Night")
    assert page.driver.execute_script("return getComputedStyle(document.body).backgroundColor") != day
    page.see(page.test("search")).send_keys("nothing is called so")
    page.see("main", "Nothing matches")
    page.driver.get(page.driver.current_url.split("/?")[0].rsplit("/", 1)[0] + "/bench")
    page.see("main", "Workpieces")


@pytest.mark.flat
def test_a_stranger_without_the_link_sees_what_to_do(page: Page) -> None:
    page.driver.delete_all_cookies()
    page.driver.refresh()
    page.see("main", "This page has no access yet")
    page.errors()


# Each step of the list in turn: the title of its form, and whether it shows fields or says that it has none.
_OPEN_EACH_STEP = """
const done = arguments[0]
const found = (selector) => document.querySelector(selector)
const until = async (there) => {
  for (let waited = 0; waited < 1000; waited++) {
    if (there()) return there()
    await new Promise((next) => setTimeout(next, 10))
  }
  throw new Error(`waited in vain for ${there}`)
}
const each = async () => {
  const opened = []
  for (let number = 0; ; number++) {
    found('[data-test=add-step]').click()
    const list = '[data-test^=add-]:not([data-test=add-step])'
    await until(() => found(list) && document.activeElement.dataset.test === 'search-steps')
    const item = [...document.querySelectorAll(list)][number]
    if (!item) return opened
    const kind = item.dataset.test
    item.dispatchEvent(new MouseEvent('mousedown', { bubbles: true }))
    const form = await until(() => found('[role=dialog] form'))
    const title = found('[role=dialog] h2')?.innerText
    opened.push([kind, title, form.querySelectorAll('input, select, textarea, button').length])
    ;[...document.querySelectorAll('[role=dialog] button')].find((b) => b.innerText === 'Cancel').click()
    await until(() => !found('[role=dialog]'))
  }
}
each().then(done, (error) => done([[String(error), '', 0]]))
"""


def test_every_step_opens_its_form_and_a_variant_is_worn(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("/")
    page.see(page.test("search")).send_keys("hermit.bones")
    page.click("[data-path='old/tide/hermit.bones']")
    page.click(page.test("open-bench"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see("[aria-label=Facts]", "plain, mossy, pearl")
    page.driver.set_script_timeout(300)
    opened = page.driver.execute_async_script(_OPEN_EACH_STEP)
    assert len(opened) >= 50
    assert [kind for kind, title, fields in opened if not title or not fields] == []
    before = picture(page)
    # The list stands open after the last.
    page.click(page.test("add-wear_variant"))
    page.see("#p-variant").send_keys("mossy")
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=wear_variant]", "2 materials as in “mossy”")
    assert (np.abs(before - picture(page)).sum(axis=2) > 60).mean() > 0.02
    assert page.errors() == []

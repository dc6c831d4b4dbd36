"""From a file that nobody described to a folder of models: guesses, a layout, its numbers, saving; finds and fields."""

from __future__ import annotations

from pathlib import Path

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from pruxel.sample.dredged import dredged_files
from tests.browser.driver import Page


def project_with(page: Page, mounts: Path, name: str) -> None:
    """A project of its own on a folder of undescribed files."""
    folder = mounts / name
    for path, data in dredged_files().items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys(name)
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.see(page.test("mount-path")).send_keys(str(folder), Keys.ENTER)
    page.see("main", "5 entries")
    page.click("nav button", "Browse")
    page.see(page.test("entry"))


def editor_text(page: Page) -> str:
    script = (
        "return document.querySelector('[data-test=layout-editor]').shadowRoot.querySelector('.cm-content').innerText"
    )
    return str(page.driver.execute_script(script))


def type_into_editor(page: Page, *keys: str) -> None:
    script = "document.querySelector('[data-test=layout-editor]').shadowRoot.querySelector('.cm-content').focus()"
    page.driver.execute_script(script)
    page.keys(*keys)


def test_an_unknown_file_becomes_a_folder_of_models(page: Page, mounts: Path) -> None:
    project_with(page, mounts, "dredged once")
    page.click("[data-path='dredged/bell.drg']")
    page.click(page.test("describe"))
    page.see(page.test("guess"), "3,008 triangles on 1,584 vertices")
    page.click(page.test("take-guess"))
    page.see("[data-test=draft-view]:not([data-shown=''])")
    page.see(page.test("yields"), "3,008 triangles")
    assert "match: {magic: DRDG}" in editor_text(page)
    # A number turned is seen at once, and is what the text says.
    page.click(page.test("tab-numbers"))
    first = page.see("[data-test=draft-view]").get_attribute("data-shown")
    page.click(page.test("type-position_type"))
    page.see(page.test("type-position_type")).send_keys("unorm16x3", Keys.ENTER)
    page._wait.until(lambda _d: page.see("[data-test=draft-view]").get_attribute("data-shown") not in {first, ""})
    page.see(page.test("type-position_type")).send_keys("snorm16x3", Keys.ENTER)
    page._wait.until(lambda _d: page.see("[data-test=draft-view]").get_attribute("data-shown") == first)
    # A mistake is marked and told, and nothing of it can be saved.
    page.click(page.test("tab-layout"))
    type_into_editor(page, Keys.END, Keys.ENTER, "wrong: 1")
    page.see(page.test("tab-layout"), "wrong")
    page._wait.until(lambda _d: not page.see(page.test("save-layout")).is_enabled())
    for _ in range(9):
        page.keys(Keys.BACKSPACE)
    page._wait.until(lambda _d: page.see(page.test("save-layout")).is_enabled())
    page.click(page.test("save-layout"))
    page.see(page.test("saved"))
    # What was open is open after a reload; then the whole folder is models with pictures.
    page.driver.refresh()
    page.see("[data-test=draft-view]:not([data-shown=''])")
    page.click(page.test("back"))
    page.see("[data-kind=model]", "5")
    page._wait.until(lambda _d: len(page.all("[data-test=entry] img")) >= 5)
    page.click("[data-path='dredged/whelk.drg']")
    page.see("[data-test=glance]:not([data-shown=''])")
    page.see(page.test("quick-look"), "5,760 triangles")


@pytest.mark.flat
def test_fields_bytes_and_finds_lead_to_each_other(page: Page, mounts: Path) -> None:
    project_with(page, mounts, "dredged again")
    page.click("[data-path='dredged/whelk.drg']")
    page.click(page.test("describe"))
    page.click(page.test("take-guess"))
    page.see(page.test("yields"), "5,760")
    page.click(page.test("tab-fields"))
    page.click(page.test("field"), "vertices_at")
    page.see("[data-test=values][data-at='16']")
    page.click("[data-byte='9']")
    page.see("[role=treeitem][aria-selected=true]", "vertex_count")
    page.see(page.test("values"), "Byte 9")
    # By keyboard alone: to the bytes, down a row, and the place stands in the address.
    page.driver.execute_script("document.querySelector('[data-test=hex]').focus()")
    page.keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT)
    page.see("[data-test=values][data-at='26']")
    page._wait.until(lambda d: "at=26" in d.current_url)
    ActionChains(page.driver).key_down(Keys.CONTROL).send_keys(Keys.END).key_up(Keys.CONTROL).perform()
    size = (mounts / "dredged again/dredged/whelk.drg").stat().st_size
    page.see(f"[data-test=values][data-at='{size - 1}']")
    page.keys("g")
    page.see(page.test("find-what")).send_keys("whelk", Keys.ENTER)
    page.see(page.test("found"), "1 places")
    page.see("[data-test=values][data-at='28']")
    page.see(page.test("find-kind")).send_keys("hex")
    box = page.see(page.test("find-what"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("zz", Keys.ENTER)
    page.see("[role=alert]", "no hex")
    page.see(page.test("compare-with")).send_keys("dredged/bell.drg", Keys.ENTER)
    page.see(page.test("compared"), "stretches differ")
    page.see("[data-test=values][data-at='8']")
    # Out of the field first, then out of the view.
    page.keys(Keys.ESCAPE)
    page.see(page.test("compared"))
    page.keys(Keys.ESCAPE)
    page.see(page.test("entry"))
    assert page.driver.find_elements(By.CSS_SELECTOR, "[data-path='dredged/whelk.drg']")

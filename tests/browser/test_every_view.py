"""Every view: can everybody use it, does the address bring it back, does it hold at small sizes."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests import zoo
from tests.browser.driver import Page
from tests.browser.test_sources_and_browse import everything, search, total, wait_for_total
from tests.browser.test_tour import open_crab
from tests.conftest import ROOT

AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text()
_ASK = """
const done = arguments[arguments.length - 1];
axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'] }).then((found) =>
  done(found.violations.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')}: ${n.failureSummary}`))));
"""


def complaints(page: Page) -> list[str]:
    page.driver.execute_script(AXE)
    return list(page.driver.execute_async_script(_ASK))


def go(page: Page, stage: str) -> None:
    page.click("nav button", stage)


def arrive_at(page: Page, view: str) -> None:
    page.see(page.test("entry"))
    match view:
        case "sources":
            go(page, "Sources")
            page.see(page.test("source"))
        case "keys" | "profile" | "problems":
            go(page, "Sources")
            page.click(page.test(f"tab-{view}"))
        case "catalogue":
            page.click(page.test("to-catalogue"))
            page.see(page.test("card"))
        case "list":
            page.keys("v")
            page.see("[data-test=as-list][aria-pressed=true]")
        case "texture":
            everything(page)
            search(page, "crab_body_c.dds")
            page.see(page.test("texture"))
        case "bytes":
            page.click(page.test("tab-bytes"))
            page.see(page.test("bytes"))
        case "describe":
            everything(page)
            search(page, "whelk.drg")
            page.click(page.test("describe"))
            page.click(page.test("take-guess"))
            page.see(page.test("yields"))
            page.click(page.test("tab-fields"))
            page.see(page.test("field"))
        case "extract":
            page.click(page.test("extract"))
            page.see(page.test("measured"), "files")
        case "bench":
            open_crab(page)
            page.see(page.test("finding"))
        case "motion":
            everything(page)
            search(page, "fish_lantern.bcl")
            page.click("[data-path='actors/fish_lantern/fish_lantern.bcl']")
            page.click(page.test("open-both"))
            page.see("[data-test=viewport]:not([data-shown=''])")
            page.click("h1")
            page.keys("]", "s")
            page.click(page.test("joint-tail_2"))
            page.see(page.test("curves"), "Rotation")
            page.click(page.test("clip"))
            page.see(page.test("clip-panel"))


def go_on_to(page: Page, view: str) -> None:
    """From the view before it."""
    match view:
        case "steps":
            page.click(page.test("add-step"))
            page.see(page.test("search-steps"))
        case "step":
            page.click(page.test("add-set_units"))
            page.see("[role=dialog]")
        case "deliver":
            if page.all("[role=dialog]"):
                page.keys(Keys.ESCAPE)
                page.gone("[role=dialog]")
            page.click(page.test("go-deliver"))
            page.see(page.test("deliver"))


VIEWS = ["browse", "list", "texture", "bytes", "describe", "extract", "catalogue", "sources", "keys", "profile", "problems", "motion", "bench", "steps", "step", "deliver"]  # fmt: skip
# Those that are reached from the view before them.
GO_ON = {"steps", "step", "deliver"}


def visited(page: Page, views: Iterable[str]) -> Iterator[str]:
    """Arrive at one view after another."""
    home = page.driver.current_url
    for view in views:
        if view in GO_ON:
            go_on_to(page, view)
        else:
            page.driver.get(home)
            arrive_at(page, view)
        yield view


# Each is come to in a window as small as this.
SMALL = (1024, 700)
# Every kind of surface at night, and every arrangement in a small window.
BY_NIGHT = {"browse", "describe", "sources", "motion", "bench"}
IN_SMALL = {"browse", "describe", "catalogue", "sources", "motion", "bench", "deliver"}

_OUTSIDE = """
return [...document.querySelectorAll('button, input, select, a')].filter((e) => {
  const b = e.getBoundingClientRect();
  const clipped = e.closest('[class*=overflow]') && !e.closest('header');
  return b.width && !clipped && (b.right > innerWidth + 1 || b.bottom > innerHeight + 1 || b.left < -1);
}).map((e) => e.outerHTML.slice(0, 120))
"""


def test_everybody_can_use_every_view_by_night_too_and_in_a_small_window(page: Page) -> None:
    page.driver.set_script_timeout(300)
    page.size(*SMALL)
    wrong = []
    for view in visited(page, VIEWS):
        if view in IN_SMALL:
            wrong += [f"{view}, small: {words} is outside" for words in page.driver.execute_script(_OUTSIDE)]
        page.size(1280, 800)
        wrong += [f"{view}: {words}" for words in complaints(page)]
        if view in BY_NIGHT:
            page.click("button", "Night")
            wrong += [f"{view} by night: {words}" for words in complaints(page)]
            page.click("button", "Day")
        page.size(*SMALL)
    assert not wrong, "\n".join(" ".join(words.split()) for words in wrong)


@pytest.mark.flat
def test_a_small_window_leaves_the_tray_in_sight(page: Page) -> None:
    page.size(*SMALL)
    page.see(page.test("entry"))
    page.keys("t")
    page.see(page.test("tray"), "1 entry")
    for mark in ("tray-bench", "tray-deliver", "extract"):
        place = page.see(page.test(mark)).rect
        assert place["y"] + place["height"] <= 700


@pytest.mark.flat
def test_the_address_brings_a_list_back(page: Page) -> None:
    everything(page)
    search(page, "crab")
    page.click("[data-kind=texture]")
    textures = "[data-test=entry][data-path*='crab'][data-path*='.dds']"
    page._wait.until(lambda _d: 1 < total(page) == len(page.all(textures)) == len(page.all(page.test("entry"))))
    number = total(page)

    def first_other_than(before: str) -> str:
        page._wait.until(lambda _d: page.see(page.test("entry")).get_attribute("data-path") not in {before, None})
        return str(page.see(page.test("entry")).get_attribute("data-path"))

    by_name = first_other_than("")
    page.see(page.test("sort")).send_keys("by size")
    smallest = first_other_than(by_name)
    page.click(page.test("direction"))
    page.see(page.test("direction"), "largest first")
    first = first_other_than(smallest)
    address = page.driver.current_url
    assert all(word in address for word in ("q=crab", "kind=texture", "sort=size", "down=1"))
    page.keys("v")
    page.see("[data-test=as-list][aria-pressed=true]")
    page.driver.refresh()
    page.see("[data-test=as-list][aria-pressed=true]")
    wait_for_total(page, number)
    assert page.see(page.test("entry")).get_attribute("data-path") == first
    page.keys("1")
    page.see(page.test("source"))
    page.driver.back()
    wait_for_total(page, number)
    page.keys("1")
    page.see(page.test("source"))
    page.keys("2")
    wait_for_total(page, number)
    page.click(page.test("direction"))
    page.see(page.test("direction"), "smallest first")
    page.driver.back()
    page.see(page.test("direction"), "largest first")


@pytest.mark.flat
def test_a_kind_that_finds_nothing_can_be_left_again(page: Page) -> None:
    page.see(page.test("entry"))
    page.click("[data-kind=skeleton]")
    search(page, "crab_body_c.dds")
    page.see("main", "Nothing matches")
    page.see("[data-kind=skeleton][aria-pressed=true]", "0")
    page.click("[data-kind=all]")
    wait_for_total(page, 1)


@pytest.mark.flat
def test_stretches_and_all_that_is_found_go_on_the_tray(page: Page) -> None:
    everything(page)
    search(page, "coral .brm")
    page._wait.until(lambda _d: 3 <= total(page) <= 12)
    page._wait.until(lambda d: len(page.all(page.test("entry"))) == total(page))
    cards = page.all(page.test("entry"))
    cards[0].click()
    ActionChains(page.driver).key_down(Keys.SHIFT).click(cards[2]).key_up(Keys.SHIFT).perform()
    page.see(page.test("tray"), "3 entries")
    ActionChains(page.driver).key_down(Keys.CONTROL).click(cards[1]).key_up(Keys.CONTROL).perform()
    page.see(page.test("tray"), "2 entries")
    page.click(page.test("tray-list"))
    assert len(page.all(page.test("tray-line"))) == 2
    page.click("[data-test=tray-line] button")
    page._wait.until(lambda _d: len(page.all(page.test("tray-line"))) == 1)
    page.click("[role=dialog] button", "Empty the tray")
    page.click("[role=dialog] button", "Close")
    page.click(page.test("take-found"))
    page.see(page.test("tray"), f"{total(page)} entries")
    page.click("button", "Empty")


@pytest.mark.flat
def test_the_keyboard_alone_goes_through_a_list_and_its_tabs(page: Page) -> None:
    everything(page)
    search(page, "crab_body_c.dds")
    wait_for_total(page, 1)
    page.keys(Keys.ENTER)
    box = page.see("[role=listbox]")
    assert box == page.driver.switch_to.active_element
    assert page.see(f"#{box.get_attribute('aria-activedescendant')}").get_attribute("aria-selected") == "true"
    tab = page.see(page.test("tab-look"))
    page.driver.execute_script("arguments[0].focus()", tab)
    page.keys(Keys.ARROW_LEFT)
    page.see("[data-test=tab-bytes][aria-selected=true]")
    page.see(page.test("bytes"))
    page.keys(Keys.HOME)
    frame = page.see("[role=application]")
    page.driver.execute_script("arguments[0].focus()", frame)
    page.keys("+", "+")
    page.see("[data-test=texture][data-zoom='1.56']")
    moved = page.see(page.test("texture")).get_attribute("style")
    page.keys(Keys.ARROW_LEFT)
    page._wait.until(lambda _d: page.see(page.test("texture")).get_attribute("style") != moved)
    page.keys("0")
    page.see("[data-test=texture][data-zoom='1.00']")


@pytest.mark.flat
def test_a_changed_profile_is_not_left_without_a_word(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("1")
    page.click(page.test("tab-profile"))
    page.see(page.test("profile-text")).send_keys("\n# mine")
    go(page, "Browse")
    page.see("[role=dialog]", "not kept yet")
    page.click("[role=dialog] button", "Keep it")
    page.see(page.test("profile-text"))
    assert page.see(page.test("profile-text")).get_attribute("value").endswith("# mine")
    go(page, "Browse")
    page.click("[role=dialog] [data-test=yes]")
    page.see(page.test("entry"))


@pytest.mark.flat
def test_sounds_databases_and_text_are_looked_at(page: Page, mounts: Path) -> None:
    from tests.core.test_looks import database, sound

    folder = mounts / "odd files"
    folder.mkdir()
    (folder / "bell.wav").write_bytes(sound())
    (folder / "save.db").write_bytes(database(folder))
    (folder / "goods.db").unlink()
    (folder / "strange.bin").write_bytes(bytes(range(256)) * 4)
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("Odd")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.see(page.test("mount-path")).send_keys(f' "{folder}" ')
    page.click(page.test("mount"))
    page.see(page.test("source"), "odd files")
    page.keys("2")
    page.click("[data-path='bell.wav']")
    page.see(page.test("wave"))
    page.see("[data-test=quick-look]", "22,050 Hz")
    playable = "return document.querySelector('[data-test=player]').readyState >= 1"
    page._wait.until(lambda d: d.execute_script(playable), "the browser cannot play it")
    page.click("[data-path='save.db']")
    page.see(page.test("table"), "1,234")
    page.click("[data-path='strange.bin']")
    page.see(page.test("undescribed"))
    page.click(page.test("as-text"))
    page.see(page.test("as-text-shown"), "␀")
    page.click(page.test("as-hex"))
    page.click(page.test("wide-bytes"))
    row = page.see("[role=dialog] [data-test=bytes] td", "00 01").text
    assert len(re.findall(r"\b[0-9a-f]{2}\b", row)) == 16
    page.keys(Keys.ESCAPE)
    page.click("button", "Find out what it holds")
    page.see("[data-byte='1']", "01")


def test_a_folder_of_strangers_is_looked_through_opened_and_delivered(page: Page, mounts: Path) -> None:
    """Open models that nobody here made, some broken on purpose, with the keyboard alone."""
    folder = mounts / "strangers"
    for kind in ("OBJ", "glTF2/BoxTextured-glTF", "glTF2/AnimatedMorphCube", "STL", "OFF", "invalid"):
        if (zoo.FOLDER / kind).is_dir():
            shutil.copytree(zoo.FOLDER / kind, folder / kind)
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("Strangers")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.see(page.test("mount-path")).send_keys(str(folder), Keys.ENTER)
    page.see(page.test("source"), "strangers")
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("2")
    page.see(page.test("entry"))
    # Entries and their count are asked for at once: one may be of before the mount, until both are asked for anew.
    page._wait.until(lambda _d: total(page) > 15, "few of the strangers are there")
    number = total(page)
    seen = set()
    for _ in range(number):
        path = page.see("[data-test=quick-look]:not([data-looked=''])").get_attribute("data-looked")
        if page.all(page.test("glance")):
            page.see("[data-test=glance]:not([data-shown='']), [data-test=look-problem]")
        seen.add(path)
        assert "mistake of ours" not in page.text()
        page.keys("j")
        if len(seen) < number:
            page.see(f"[data-test=quick-look]:not([data-looked=''], [data-looked='{path}'])")
    assert len(seen) == number
    page.keys("/")
    search(page, "box.obj -uv")
    page.see("[data-path='OBJ/box.obj']")
    page.keys(Keys.ENTER, Keys.ENTER)
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.driver.refresh()
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.keys("4")
    page.see(page.test("deliver"))
    page.click(page.test("format-obj"))
    page.click(page.test("format-fbx"))
    page.see(page.test("options-fbx")).send_keys(Keys.ENTER)
    page.see("#o-fbx-up").send_keys("z")
    page.see("#o-fbx-textures").send_keys("e")
    page.see(page.test("options-fbx")).send_keys(Keys.ENTER)
    page.see(page.test("options-fbx"), "axis up z")
    page.click(page.test("deliver"))
    page.see(page.test("verdict"), "proven")
    page.driver.refresh()
    page.see(page.test("verdict"), "proven")
    page.see(page.test("options-fbx"), "textures embedded")
    page.see("[data-test=delivery]", "axis that points up")
    page.see(page.test("jobs"))
    assert "mistake of ours" not in page.text()


@pytest.mark.flat
def test_a_project_is_renamed_and_removed(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("For a while")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.click("header [data-test=more]")
    page.click(page.test("rename-project"))
    box = page.see(page.test("new-name"))
    box.clear()
    box.send_keys("For longer", Keys.ENTER)
    page.see(f"{page.test('project')} option:checked", "For longer")
    page.click("header [data-test=more]")
    page.click(page.test("remove-project"))
    page.click(page.test("yes"))
    page.see(page.test("source"))
    names = [o.text for o in page.driver.find_elements(By.CSS_SELECTOR, f"{page.test('project')} option")]
    assert "For longer" not in names

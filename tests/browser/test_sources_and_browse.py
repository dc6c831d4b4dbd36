"""Layers, keys, names, catalogue, search, tray, extraction and finds, with mouse and keyboard."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from pruxel.sample.containers import VAULT_KEY, WRONG_KEY
from tests.browser.driver import Page


def total(page: Page) -> int:
    return int(page.see(page.test("total")).text.split()[0].replace(",", ""))


def wait_for_total(page: Page, wanted: int) -> None:
    page._wait.until(lambda _d: total(page) == wanted, f"{total(page)} entries, not {wanted}")


def search(page: Page, words: str) -> None:
    page.see(page.test("search"))
    page.keys("/")
    box = page.see(page.test("search"))
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys(Keys.DELETE)
    box.send_keys(words)


def everything(page: Page) -> None:
    page.see(page.test("entry"))
    page.click("[data-kind=all]")


def labels(page: Page) -> list[str]:
    return [str(e.get_attribute("data-label")) for e in page.all(page.test("source"))]


@pytest.mark.flat
def test_layers_are_switched_and_moved(page: Page) -> None:
    page.see(page.test("entry"))
    everything(page)
    search(page, "update_1.txt")
    wait_for_total(page, 1)
    page.keys(Keys.ENTER, "1")
    page.see(page.test("source"), "update_1.brp")
    switch = "[data-label='update_1.brp'] [data-test=switch]"
    page.click(switch)
    page.see("[data-label='update_1.brp']", "switched off")
    page.keys("2")
    page.see("main", "Nothing matches")
    page.keys("1")
    page.click(switch)
    page._wait.until(lambda d: d.find_element(By.CSS_SELECTOR, switch).get_attribute("aria-checked") == "true")
    before = labels(page)
    handle = page.see("[data-label='first.brp'] [data-handle]")
    page.driver.execute_script("arguments[0].focus()", handle)
    for _ in range(len(before) - 1):
        ActionChains(page.driver).key_down(Keys.ALT).send_keys(Keys.ARROW_UP).key_up(Keys.ALT).perform()
        time.sleep(0.35)
    page._wait.until(lambda _d: labels(page)[0] == "first.brp", "first.brp is not on top")
    page.keys("2")
    search(page, "text/readme")
    page.click("[data-path='text/readme.txt']")
    page.see(page.test("text"), "There is no crab yet")
    page.click(page.test("tab-versions"))
    page.see(page.test("version"), "reef.brp")
    assert [v.text.split("\n")[0] for v in page.all(page.test("version"))] == ["first.brp", "update_1.brp", "reef.brp"]
    page.keys("1")
    page.see("[data-label='first.brp'] [data-handle]")
    page.driver.execute_script("arguments[0].focus()", page.see("[data-label='first.brp'] [data-handle]"))
    for _ in range(len(before) - 1):
        ActionChains(page.driver).key_down(Keys.ALT).send_keys(Keys.ARROW_DOWN).key_up(Keys.ALT).perform()
        time.sleep(0.35)
    page._wait.until(lambda _d: labels(page) == before, "the order is not as it was")


@pytest.mark.flat
def test_a_group_is_switched_as_one(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("1")
    switch = "[data-group='base game'] [data-test=switch-group]"
    members = ["vault.brv", "reef.brp", "market.brl", "deep.brh"]
    page.see(switch)

    def all_are(state: str) -> None:
        def there(_driver: object) -> bool:
            found = [
                page.all(f"[data-label='{m}'] [data-test=switch]")[0].get_attribute("aria-checked") for m in members
            ]
            return found == [state] * len(members) and page.all(switch)[0].get_attribute("aria-checked") == state

        page._wait.until(there, f"not all of the group are {state}")

    all_are("true")
    page.click("[data-label='reef.brp'] [data-test=switch]")
    page._wait.until(lambda _d: page.all(switch)[0].get_attribute("aria-checked") == "mixed")
    page.click(switch)
    all_are("true")
    page.click(switch)
    all_are("false")
    page.click(switch)
    all_are("true")


@pytest.mark.flat
def test_versions_say_what_differs_and_can_be_looked_at(page: Page) -> None:
    everything(page)
    search(page, "text/readme")
    page.click("[data-path='text/readme.txt']")
    page.see(page.test("text"), "wear a hat")
    page.click(page.test("tab-versions"))
    page.see(page.test("differs"), "There is no crab yet")
    page.all(page.test("look-version"))[-1].click()
    page.see(page.test("other-version"), "As first.brp has it")
    page.see(page.test("text"), "There is no crab yet")
    page.click("[data-test=other-version] button")
    page.see(page.test("text"), "wear a hat")


@pytest.mark.flat
def test_names_are_given_from_a_table_and_taken_back(page: Page) -> None:
    everything(page)
    search(page, "goods.csv")
    page.click("[data-path='tables/goods.csv']")
    page.click(page.test("naming"))
    page.see(page.test("naming-tried"), "5 of 5 codes")
    box = page.see(page.test("naming-pattern"))
    assert box.get_attribute("value") == "props/p{id}/**"
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("nowhere/{{id}")
    page.see(page.test("naming-tried"), "0 of 5 codes")
    assert not page.see(page.test("give-names")).is_enabled()
    box.send_keys(Keys.CONTROL, "a")
    box.send_keys("props/p{id}/**")
    page.see(page.test("naming-tried"), "5 of 5 codes")
    page.click(page.test("give-names"))
    page.gone("[role=dialog]")
    search(page, "letterbox")
    page.see("[data-path='props/p0113/p0113.brm']", "Letterbox")
    page.keys(Keys.ENTER, "1")
    page.click(page.test("tab-keys"))
    page.click(page.test("naming"))
    page.see(page.test("naming-text")).send_keys("0310 = Mail sack")
    page.see(page.test("naming-tried"), "1 of 1 codes")
    page.click("button", "Take all such names back")
    page.see("[role=dialog]", "5 names taken back")


@pytest.mark.flat
def test_searches_are_kept_and_forgotten(page: Page) -> None:
    everything(page)
    search(page, "coral")
    page.see("[data-path='flora/coral_01/coral_01.brm']")
    page.click(page.test("save-search"))
    page.click(page.test("forget-search"))
    page.see(page.test("save-search"))
    search(page, "")
    size = page.see(page.test("filter-size"))

    def offered() -> str:
        return str(page.driver.execute_script("return arguments[0].textContent", size))

    page._wait.until(lambda _d: "1 to 10 kB (" in offered(), f"sizes are {offered()}")
    size.send_keys("1 to 10 kB")
    found = int(offered().split("1 to 10 kB (")[1].split(")")[0].replace(",", ""))
    wait_for_total(page, found)
    assert "starred" in page.see(page.test("filter-flag")).text


@pytest.mark.flat
def test_a_language_is_chosen(page: Page) -> None:
    page.see(page.test("entry"))
    page.click(page.test("to-catalogue"))
    page.see("[data-code='0233']", "Courier Anna Reed")
    page.see("[data-code='0999']", "Missing: portrait, model, skeleton, textures")
    page.keys("1")
    page.see(page.test("language")).send_keys("de")
    page.see("[data-label='lang_en.brp']", "another language")
    page.click("nav button", "Browse")
    page.click(page.test("to-catalogue"))
    page.see("[data-code='0233']", "Kurierin Anna Reed")
    page.click("nav button", "Sources")
    page.see(page.test("language")).send_keys("en")
    page.see("[data-label='lang_de.brp']", "another language")


@pytest.mark.flat
def test_a_place_opens_with_all_that_stands_there(page: Page) -> None:
    page.see(page.test("entry"))
    page.click(page.test("to-catalogue"))
    page.click("[data-code='market'] [data-test='card-open']")
    page.see("main", "hs07_front_roof.10")
    page.see(page.test("triangles"), "882,742")


@pytest.mark.flat
def test_keys_wrong_and_right_then_harvest(page: Page) -> None:
    page.see(page.test("entry"))
    page.keys("1")
    page.click("[data-label='vault.brv'] button", "needs the key")
    page.click(page.test("type-key"))
    page.see(page.test("key-value")).send_keys("not a key")
    page.click(page.test("put-key"))
    page.see("[role=alert]", "no key")
    page.click("[role=alert] button")
    for key, words in ((WRONG_KEY, "does not open"), (VAULT_KEY, "on the ring")):
        box = page.see(page.test("key-value"))
        box.clear()
        box.send_keys(key.hex())
        page.click(page.test("put-key"))
        page.see("[data-name='reef-2']", words)
    assert VAULT_KEY.hex() not in page.driver.page_source
    page.see(page.test("known"), "37 / 60")
    page.click(page.test("harvest"))
    page.see(page.test("harvested"), "23 names won")
    page.see(page.test("known"), "60 / 60")
    page.keys("2")
    everything(page)
    search(page, "g777.brm")
    page.see("[data-path='gear/g777/g777.brm']")


@pytest.mark.flat
def test_search_facets_and_the_list(page: Page) -> None:
    everything(page)
    search(page, "**/*crab*.dds -body")
    page._wait.until(lambda _d: 4 <= total(page) <= 12, "no crab textures")
    page.click("[data-kind=texture]")
    page.click(page.test("as-list"))
    page.see(page.test("sort")).send_keys("by size")
    page.click(page.test("direction"))
    page.see(page.test("entry"), "crab_gear")
    page.click(page.test("save-search"))
    page.see(page.test("saved"), "saved searches")
    search(page, "orla finch")
    page.click("[data-kind=all]")
    page.see(page.test("entry"), "act_0107")
    page.see(page.test("filter-variant")).send_keys("low resolution")
    page.see("[data-path='actors/act_0107/act_0107_lo.brm']")
    wait_for_total(page, 1)


def test_stepping_shows_each_kind_beside_the_list(page: Page) -> None:
    everything(page)
    page.click(page.test("as-list"))
    search(page, "market")
    page.click("[data-path='levels/market/market.blv']")
    page.see(page.test("plan"))
    page.keys("j")
    page.see("[data-test=quick-look] h2", "market_sand.bmt")
    page.see("[data-test=quick-look]", "base colour")
    page.keys("j")
    page.see(page.test("texture"))
    page.click("button", "2 × 2")
    page.see(page.test("tiled"))
    page.keys("k", "k", "k")
    page.see("[data-test=glance]:not([data-shown=''])")
    note = page.see(page.test("note"))
    note.send_keys("the front one")
    page.click(page.test("star"))
    search(page, "front one")
    page.see("[data-path='levels/market/hs07_front.brm']", "star")
    page.click(page.test("star"))


def drawn(page: Page) -> str:
    """What the quick look's viewport shows now."""
    return str(page.driver.execute_script("return document.querySelector('[data-test=glance] canvas').toDataURL()"))


def extracted(page: Page) -> Path:
    """Start the extraction that the open sheet describes; its folder, once it is done."""
    rows = "[data-test=extract-job][data-status=done]"
    before = {row.text for row in page.driver.find_elements(By.CSS_SELECTOR, rows)}
    page.click(page.test("start-extract"))
    page._wait.until(lambda _d: {row.text for row in page.driver.find_elements(By.CSS_SELECTOR, rows)} - before)
    [done] = {row.text for row in page.all(rows)} - before
    return Path(done.split("done, in ")[1].split("\n")[0])


def test_clips_play_on_a_model_that_has_their_joints(page: Page) -> None:
    everything(page)
    search(page, "fish_lantern.b")
    wait_for_total(page, 3)
    page.click("[data-path='actors/fish_lantern/fish_lantern.bsk']")
    page.see(page.test("joints"), "9 joints")
    page.click("[data-path='actors/fish_lantern/fish_lantern.bcl']")
    page.see(page.test("clips"), "0.75 s, 19 frames")
    page.see("[data-test=glance]:not([data-shown=''])")
    page.click(page.test("play-startle"))
    time_box = page.see(page.test("clip-time"))
    page._wait.until(lambda _d: float(time_box.get_attribute("value") or 0) > 0)
    page.click(page.test("play-startle"))
    # Held at any time; the far half of the clip from there shows another pose.
    hundredths = 10 if float(time_box.get_attribute("value") or 0) > 0.37 else 65
    before = drawn(page)
    time_box.send_keys(Keys.HOME, *[Keys.ARROW_RIGHT] * hundredths)
    page._wait.until(lambda _d: drawn(page) != before)
    assert float(time_box.get_attribute("value") or 0) == pytest.approx(hundredths / 100)
    page.click("[data-test=played-on] button", "fish_lantern.brm")
    page.see("[data-test=quick-look] h2", "fish_lantern.brm")
    page.see("[data-test=quick-look]", "9 joints")


@pytest.mark.flat
def test_the_models_of_the_tray_are_delivered_one_by_one(page: Page) -> None:
    page.see(page.test("entry"))
    search(page, "coral_0")
    page.click("[data-path='flora/coral_01/coral_01.brm']")
    page.keys("t")
    page.click("[data-path='flora/coral_03/coral_03.brm']")
    page.keys("t")
    page.see(page.test("tray"), "2 entries")
    page.click(page.test("tray-deliver"))
    page.click(page.test("format-obj"))
    page.click(page.test("start-batch"))
    for name in ("coral_01", "coral_03"):
        page.see(f"[data-test=delivery][data-name={name}] [data-test=verdict]", "proven")
        page.see(f"[data-test=delivery][data-name={name}] [data-test=download]")
    page.keys("2")
    page.click("button", "Empty")


@pytest.mark.flat
def test_a_shared_path_is_asked_about(page: Page) -> None:
    everything(page)
    search(page, "text/readme.txt")
    page.click("[data-path='text/readme.txt']")
    page.keys("t")
    page.click(page.test("extract"))
    page.click(page.test("ask-each"))
    page.see("[data-test=collisions] select").send_keys("reef.brp")
    folder = extracted(page)
    assert (folder / "text/readme.txt").read_bytes().startswith(b"Brinepost. Deliver")
    page.click("button", "Empty")


@pytest.mark.flat
def test_what_is_found_inside_becomes_entries(page: Page) -> None:
    everything(page)
    search(page, "dump.bin")
    page.click("[data-path='dev/dump.bin']")
    page.see(page.test("bytes"))
    page.click(page.test("carve"))
    page.see(page.test("hit"), "PNG")
    assert len(page.all(page.test("hit"))) == 8
    page.click(page.test("keep-hits"))
    page.see(page.test("kept"), "found in dump.bin")
    page.keys(Keys.ESCAPE)
    search(page, "dump.bin.found png")
    page.see(page.test("entry"), ".png")
    page.keys(Keys.ENTER, "1")
    page.click("[data-label='found in dump.bin'] [data-test=remove-source]")
    page.click(page.test("remove-yes"))
    page.gone("[data-label='found in dump.bin']")


@pytest.mark.flat
def test_tray_and_extraction_with_pause_resume_and_cancel(page: Page) -> None:
    everything(page)
    search(page, "crab_toll.brm")
    page.click("[data-path='actors/crab_toll/crab_toll.brm']")
    page.click(page.test("take-all"))
    page.see(page.test("tray"), "13 entries")
    page.click(page.test("extract"))
    page.see(page.test("measured"), "13 files")
    folder = extracted(page)
    assert (folder / "actors/crab_toll/crab_toll.brm").stat().st_size > 100_000
    page.click("button", "Empty")
    search(page, "")
    page.click(page.test("extract"))
    page.click("label", "everything")
    page.see(page.test("measured"), "files")
    page.click(page.test("png"))
    page.click(page.test("start-extract"))
    page.click(page.test("pause"))
    page.see("[data-test=extract-job][data-status=paused]")
    page.click(page.test("resume"))
    page.see("[data-test=extract-job][data-status=running]")
    page.click(page.test("cancel-extract"))
    page.gone("[data-test=extract-job][data-status=running]")


@pytest.mark.flat
def test_files_are_sent_and_a_profile_is_proposed(page: Page, mounts: Path, game: Path, tmp_path: Path) -> None:
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("Sent")
    page.click(page.test("create-project"))
    page.see("main", "Nothing is mounted yet")
    page.see(page.test("mount-path")).send_keys(str(game))
    page.click(page.test("tell"))
    page.see(page.test("fit"), "Brinepost, version 1")
    page.see(page.test("fit"), "starts as its layout")
    (tmp_path / "letter.txt").write_text("Dear reef,")
    page.driver.find_element(By.CSS_SELECTOR, page.test("upload")).send_keys(str(tmp_path / "letter.txt"))
    page.see(page.test("source"), "letter.txt")
    page.click(page.test("tab-profile"))
    page.click("button", "Begin an empty one")
    text = page.see(page.test("profile-text"))
    text.send_keys(Keys.CONTROL, Keys.END)
    text.send_keys("\nlayers: [{nme: x}]\n")
    page.see(page.test("profile-problem"), "layers.0")
    text.send_keys(Keys.CONTROL, "a")
    text.send_keys("profile: 1\nname: Letters\n")
    page.gone(page.test("profile-problem"))
    page.click(page.test("save-profile"))
    page.see("main", "read again by it")


@pytest.mark.flat
def test_a_profile_comes_before_the_first_source(page: Page, mounts: Path, tmp_path: Path) -> None:
    folder = mounts / "few"
    folder.mkdir()
    (folder / "letter.txt").write_text("Dear reef,")
    page.see(page.test("entry"))
    page.keys("1")
    page.see(page.test("project-name")).send_keys("By profile")
    page.click(page.test("create-project"))
    page.click(page.test("profile-first"))
    profile = tmp_path / "mine.yaml"
    profile.write_text("profile: 1\nname: Mine\nfolders: {first: where it begins}\n")
    page.driver.find_element(By.CSS_SELECTOR, "input[accept='.yaml,.yml']").send_keys(str(profile))
    page._wait.until(lambda _d: page.see(page.test("save-profile")).is_enabled())
    page.click(page.test("save-profile"))
    page.see("main", "what you mount is read by it")
    page.see(page.test("mount-path")).send_keys(str(folder))
    page.click(page.test("mount"))
    page.click(page.test("tab-stack"))
    page.see(page.test("source"))
    page.click(page.test("tab-profile"))
    page.see("main", "Mine")

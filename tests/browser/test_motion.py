"""Clips on the Bench, by mouse and by keys."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.driver import Page
from tests.browser.test_sources_and_browse import everything, search
from tests.browser.test_tour import clear_steps, open_model


def seen(page: Page) -> np.ndarray:
    """What the viewport shows, as (h, w, 3) int16."""
    shot = page.see(page.test("viewport")).screenshot_as_png
    with Image.open(io.BytesIO(shot)) as found:
        return np.asarray(found.convert("RGB")).astype(np.int16)


def changes(page: Page, before: np.ndarray) -> np.ndarray:
    """Wait until the model stands otherwise, and return what is seen then."""
    page._wait.until(lambda _d: (np.abs(seen(page) - before).sum(axis=2) > 60).mean() > 0.002)
    return seen(page)


def frame(page: Page) -> str:
    """Where the clip stands: "22/48"."""
    return page.see(page.test("clip-place")).text.split("·")[-1].strip()


def test_clips_are_opened_with_their_model_played_and_looked_into(page: Page) -> None:
    everything(page)
    search(page, "fish_lantern.bcl")
    page.click("[data-path='actors/fish_lantern/fish_lantern.bcl']")
    page.click(page.test("open-both"))
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see(page.test("clip"), "As it rests")
    rest = seen(page)

    # By keys: frames, the next clip, its end, playing, speed.
    page.click("h1")
    page.keys("]")
    page.see(page.test("clip"), "swim")
    assert frame(page) == "0/36"
    page.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ARROW_LEFT)
    page._wait.until(lambda _d: frame(page) == "1/36")
    page.keys(Keys.END)
    page._wait.until(lambda _d: frame(page) == "36/36")
    page.keys("]")
    page.see(page.test("clip"), "startle")
    for _ in range(9):
        page.keys(Keys.ARROW_RIGHT)
    startled = changes(page, rest)
    page.keys("-")
    assert page.see(page.test("speed")).get_attribute("value") == "0.5"
    page.keys("p")
    page.see("[data-test=play][aria-label=Hold]")
    page._wait.until(lambda _d: frame(page) not in {"9/18", "0/18"})
    page.keys("p")
    page.see("[data-test=play][aria-label=Play]")

    # By mouse: found by words, starred, faded into another.
    page.click(page.test("clip"))
    page.see(page.test("search-clips")).send_keys("hov")
    page.gone(page.test("clip-swim"))
    page.click(page.test("star-hover"))
    page.click(page.test("clip-hover"))
    page.see(page.test("clip"), "hover")
    more = f"{page.test('play-bar')} {page.test('more')}"
    page.click(more)
    page.click(page.test("fade"))
    page.see(page.test("fading"), "50 %")
    page.click(more)
    page.click(page.test("fade"))
    page.gone(page.test("fading"))

    # All of them as small moving pictures.
    page.click(page.test("clip"))
    page.click(page.test("clip-pictures"))
    drawn = "return [...document.querySelectorAll('[data-test=clip-sheet] img')].map((one) => one.naturalWidth)"
    page._wait.until(lambda d: d.execute_script(drawn) == [8 * 160] * 3)
    page.see(page.test("search-sheet")).send_keys("swi")
    page.gone(page.test("film-startle"))
    page.click(page.test("film-swim"))
    page.gone(page.test("clip-sheet"))
    page.see(page.test("clip"), "swim")
    page.click("h1")
    page.keys("]", "]")
    page.see(page.test("clip"), "hover")

    # Joints: pointed at, chosen, and their curves at the key that plays.
    page.click(page.test("bones"))
    page.see(page.test("joints-panel"), "9")
    page.click(page.test("joint-tail_2"))
    page.see(page.test("curves"), "Rotation")
    page.click(page.test("joint-light"))
    page.see(page.test("curves"), "hover does not move it")

    # As it was; a reload brings clip and speed back, and so does the star.
    page.click("h1")
    page.keys("s", "r")
    page.see(page.test("clip"), "As it rests")
    page.gone(page.test("joints-panel"))
    page._wait.until(lambda _d: (np.abs(seen(page) - rest).sum(axis=2) > 60).mean() < 0.002)
    page.keys("]", "]")
    page.see(page.test("clip"), "startle")
    page.driver.refresh()
    page.see("[data-test=viewport]:not([data-shown=''])")
    page.see(page.test("clip"), "startle")
    assert page.see(page.test("speed")).get_attribute("value") == "0.5"
    for _ in range(9):
        page.keys(Keys.ARROW_RIGHT)
    page._wait.until(lambda _d: frame(page) == "9/18")
    page._wait.until(lambda _d: (np.abs(seen(page) - startled).sum(axis=2) > 60).mean() < 0.01)
    page.click(page.test("clip"))
    first = page.see(f"{page.test('clip-panel')} li:nth-child(2)")
    assert first.find_element(By.CSS_SELECTOR, "[aria-pressed=true]").get_attribute("data-test") == "star-hover"
    page.keys(Keys.ESCAPE)
    page.gone(page.test("clip-panel"))

    # The moment becomes a thing that does not move; undone, it moves again.
    page.click(more)
    page.click(page.test("freeze"))
    page.see("[data-test=step][data-step=freeze_pose]", "“startle” at 0.3")
    page.gone(page.test("play-bar"))
    page._wait.until(lambda _d: "Joints" not in page.see("section[aria-label=Facts]").text)
    ActionChains(page.driver).key_down(Keys.CONTROL).send_keys("z").key_up(Keys.CONTROL).perform()
    page.see(page.test("clip"), "startle")


def test_clips_of_one_body_are_brought_onto_another(page: Page) -> None:
    open_model(page, "fish_lantern", "actors/fish_lantern/fish_lantern.brm")
    page.see(page.test("play-bar"), "No clips yet")
    page.click(page.test("bring"))
    form = page.see("[role=dialog][aria-label='Bring clips in']")
    field = form.find_element(By.CSS_SELECTOR, "input")
    # What there is of clips is proposed at once.
    moves = "actors/fish_lantern/fish_lantern.bcl"
    page._wait.until(lambda _d: page.all(f"[role=dialog] datalist option[value='{moves}']"))
    field.send_keys(moves)
    page.see(page.test("pairs"), "joints that move are met")
    # Both skeletons side by side: by keys a joint on one, and on the other what it shall move; then as it was.
    page.click(page.test("both-skeletons"))
    theirs, ours = page.all("[data-test=pair-sheet] svg")
    theirs.send_keys(Keys.ARROW_DOWN, Keys.ENTER)
    words = page.see(page.test("pair-words"), "the same name").text
    ours.send_keys(Keys.ARROW_DOWN, Keys.ENTER)
    page.see(page.test("pair-words"), "said by hand")
    page.click(page.test("pair-as-found"))
    page.see(page.test("pair-words"), words.split(",")[0])
    ActionChains(page.driver).move_to_element(
        page.all("[data-test=pair-sheet] svg:first-of-type circle")[-1]
    ).click().perform()
    page.keys(Keys.ESCAPE)
    page.gone(page.test("pair-sheet"))
    page.see(page.test("preview"), "Preview")
    page.click(page.test("step-done"))
    page.see("[data-test=step][data-step=fit_clips]", "3 clips")
    page.see(page.test("clip"), "As it rests")
    rest = seen(page)
    page.click("h1")
    page.keys("]", "]")
    for _ in range(9):
        page.keys(Keys.ARROW_RIGHT)
    changes(page, rest)
    clear_steps(page)
    page.see(page.test("play-bar"), "No clips yet")


def handle(page: Page) -> tuple[int, int]:
    """Where the arrow upwards is seen, in the window: the highest of what has its colour."""
    page._wait.until(lambda _d: len(_arrow(page)))
    x, y = _arrow(page)[0]
    return x, y


def _arrow(page: Page) -> list[tuple[int, int]]:
    with Image.open(io.BytesIO(page.driver.get_screenshot_as_png())) as shot:
        image = np.asarray(shot.convert("RGB")).astype(int)
    scale = page.driver.execute_script("return innerWidth") / image.shape[1]
    near = np.abs(image - (0x4F, 0x7A, 0x2C)).sum(axis=2) < 30
    down, across = np.nonzero(near)
    return [(int(across[n] * scale), int(down[n] * scale)) for n in np.argsort(down)[:1]]


def test_a_pose_is_made_by_handles_and_by_numbers_and_kept(page: Page) -> None:
    everything(page)
    open_model(page, "act_0521.brm", "actors/act_0521/act_0521.brm")
    clear_steps(page)
    page.click("h1")

    # By the mouse: a hand is pulled up by its arrow, and back by Undo.
    page.keys("k")
    page.keys("2")
    page.see(page.test("pose-bar"), "Choose a joint")
    page.see("[data-test=grip-pull][aria-pressed=true]")
    page.click(page.test("joint-Wrist.R"))
    x, y = handle(page)
    rest = seen(page)
    drag = ActionChains(page.driver)
    mouse = drag.w3c_actions.pointer_action
    mouse.move_to_location(x, y + 6)
    mouse.pause(0.3)
    mouse.pointer_down()
    for step in range(1, 9):
        mouse.move_to_location(x, y + 6 - 9 * step)
        mouse.pause(0.05)
    mouse.pointer_up()
    drag.perform()
    page.see(page.test("pose-bar"), "Wrist.R")
    changes(page, rest)
    page.click(page.test("pose-undo"))
    page._wait.until(lambda _d: page.see(page.test("pose-keep")).get_attribute("disabled"))

    # By keys: a joint from the list, angles, a name, and kept as a step and a clip.
    page.see(page.test("joint-Skull")).send_keys(Keys.ENTER)
    page.see(page.test("turn-y")).send_keys(Keys.CONTROL, "a")
    page.see(page.test("turn-y")).send_keys("70", Keys.TAB)
    page.see(page.test("pose-bar"), "Skull")
    page.see(page.test("pose-name")).send_keys(Keys.CONTROL, "a")
    page.see(page.test("pose-name")).send_keys("look away", Keys.ENTER)
    page.see(page.test("clip"), "look away")
    page.see("[data-test=step][data-step=pose]", "1 joint posed")

    # Escape leaves a pose, and nothing of it stays.
    page.click("h1")
    page.keys("k")
    page.see(page.test("pose-bar"))
    page.keys(Keys.ESCAPE)
    page.gone(page.test("pose-bar"))
    assert len(page.all("[data-test=step]")) == 1
    clear_steps(page)

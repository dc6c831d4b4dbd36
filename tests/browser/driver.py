"""Headless Chromium, and waiting for what a person would wait for."""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import JavascriptException, StaleElementReferenceException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

_FLAGS = (
    "--headless=new --no-sandbox --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --disable-dev-shm-usage --hide-scrollbars "
    "--use-gl=angle --use-angle=swiftshader --enable-unsafe-swiftshader --force-prefers-reduced-motion "
    # The page is put together without GL, which the model alone needs: a fifth of its time.
    "--disable-gpu-compositing --disable-gpu-rasterization"
)

# Seconds that something may take to be there; less is for those who write a test and watch it fail.
_PATIENCE = float(os.environ.get("PRUXEL_PATIENCE", "240"))


def start_browser(profile: Path, *, smooth: bool = False) -> webdriver.Chrome:
    """A new Chromium that keeps what it must in an empty folder.

    That the model's edges are `smooth` is for those who look at pictures: it takes a third of the time.
    """
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in [*_FLAGS.split(), *([] if smooth else ["--webgl-antialiasing-mode=none"])]:
        options.add_argument(flag)
    options.add_argument(f"--user-data-dir={profile}")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver", log_output=os.devnull))


# Waits in the page itself until an element is there that shows a text, or until none is; asking again and again from
# here costs the browser as much as all else that a test does. Nothing is found where the time is over.
_WAIT = """
const [selector, text, gone, milliseconds, done] = arguments
const shown = (one) => {
  const e = one.closest('select') ?? one // what is chosen from has no place of its own
  if (!e.checkVisibility({ opacityProperty: true, visibilityProperty: true })) return false
  const { width, height } = e.getBoundingClientRect()
  return (width > 0 && height > 0) || e.childElementCount > 0
}
const found = () => {
  const all = [...document.querySelectorAll(selector)]
  if (gone) return all.length === 0
  return all.find((e) => shown(e) && (!text || e.innerText.toLowerCase().includes(text)))
}
let over = false
const end = (answer) => {
  over = true
  changes.disconnect()
  clearInterval(now_and_then)
  clearTimeout(patience)
  done(answer)
}
const look = () => {
  const there = over ? null : found()
  if (there) end(there)
}
let asked = false
const soon = () => {
  if (asked) return
  asked = true
  setTimeout(() => { asked = false; look() }, 20)
}
const changes = new MutationObserver(soon)
const now_and_then = setInterval(look, 250) // what a stylesheet or a value changes
const patience = setTimeout(() => end(null), milliseconds)
changes.observe(document, { subtree: true, childList: true, attributes: true, characterData: true })
look()
"""
# One wait is no longer than this, so that the driver's own patience never ends before it.
_AT_A_TIME = 20.0

# Smooth edges cost as much again as all else where there is no graphics card.
_ROUGH = """
const any = HTMLCanvasElement.prototype.getContext
HTMLCanvasElement.prototype.getContext = function (kind, wanted) {
  return any.call(this, kind, wanted && { ...wanted, antialias: false })
}
"""


# A browser that gives no WebGL: models are pictures there, and all else is as everywhere.
_FLAT = """
const every = HTMLCanvasElement.prototype.getContext
HTMLCanvasElement.prototype.getContext = function (kind, wanted) {
  return kind.startsWith('webgl') ? null : every.call(this, kind, wanted)
}
"""


class Page:
    """A browser window on the application."""

    def __init__(self, driver: webdriver.Chrome, seconds: float = _PATIENCE) -> None:
        self.driver = driver
        self._seconds = seconds
        self._scripts: list[str] = []
        self._wait = WebDriverWait(driver, seconds, poll_frequency=0.1)

    def begin(
        self,
        address: str,
        downloads: Path,
        size: tuple[int, int] = (1280, 800),
        *,
        sharp: bool = False,
        flat: bool = False,
    ) -> None:
        """Arrive at an address in a window of a size; what is downloaded goes into a folder.

        That all of its pixels are drawn, and not each second one, and edges smooth, is for those who look at pictures.
        `flat` is without WebGL.
        """
        ask = self.driver.execute_cdp_cmd
        self.size(*size, sharp=sharp)
        for script, wanted in ((_ROUGH, not sharp), (_FLAT, flat)):
            if wanted:
                self._scripts.append(ask("Page.addScriptToEvaluateOnNewDocument", {"source": script})["identifier"])
        ask("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(downloads)})
        self.driver.get(address)

    def size(self, width: int, height: int, *, sharp: bool = False) -> None:
        """Make the window so large, in pixels of the page."""
        metrics = {"width": width, "height": height, "deviceScaleFactor": 1 if sharp else 0.5, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        self._wait.until(lambda d: d.execute_script("return innerWidth") == width)

    def forget(self) -> None:
        """Leave, and take along all that the page kept: cookies, storage, caches."""
        url = self.driver.current_url
        # A page that asks before it is left is not listened to.
        self.driver.execute_script("window.addEventListener('beforeunload', (e) => e.stopImmediatePropagation(), true)")
        self.driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": url, "storageTypes": "all"})
        self.driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
        for script in self._scripts:
            self.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", {"identifier": script})
        self._scripts = []
        self.driver.get("about:blank")
        self.driver.get_log("browser")

    def test(self, name: str) -> str:
        """The selector of a marked element."""
        return f"[data-test='{name}']"

    def see(self, selector: str, text: str = "") -> WebElement:
        """Wait until an element is there and, if asked, shows a text."""
        found = self._waited(selector, text)
        if found is None:
            raise AssertionError(f"no {selector} with '{text}'; page shows: {self.text()[:2500]}")
        assert isinstance(found, WebElement)
        return found

    def gone(self, selector: str) -> None:
        """Wait until no such element is there."""
        assert self._waited(selector, gone=True), f"{selector} is still there"

    def _waited(self, selector: str, text: str = "", *, gone: bool = False) -> object:
        end = time.monotonic() + self._seconds
        while (left := end - time.monotonic()) > 0:
            milliseconds = int(1000 * min(left, _AT_A_TIME))
            try:
                found = self.driver.execute_async_script(_WAIT, selector, text.lower(), gone, milliseconds)
            except StaleElementReferenceException:
                continue
            except JavascriptException as error:
                # A page that is left meanwhile is waited for anew.
                if "unloaded" not in str(error):
                    raise
                continue
            if found is not None:
                return found
        return None

    def click(self, selector: str, text: str = "") -> None:
        """Click with the mouse as soon as the element is there; lists may be drawn anew under the pointer."""
        for _ in range(4):
            with contextlib.suppress(StaleElementReferenceException):
                self.see(selector, text).click()
                return
        self.see(selector, text).click()

    def all(self, selector: str) -> list[WebElement]:
        """All elements now."""
        return self.driver.find_elements(By.CSS_SELECTOR, selector)

    def keys(self, *keys: str) -> None:
        """Type on the keyboard into whatever has the focus."""
        webdriver.ActionChains(self.driver).send_keys(*keys).perform()

    def text(self) -> str:
        """Everything the page shows."""
        return str(self.driver.execute_script("return document.body.innerText"))

    def errors(self) -> list[str]:
        """What the browser's console calls severe."""
        return [e["message"] for e in self.driver.get_log("browser") if e["level"] == "SEVERE"]

"""A real browser without a window, driven through WebDriver (W3C): the few calls that the tests need."""

import json
import shutil
import socket
import subprocess
import time
import unittest
import urllib.request
from pathlib import Path

_ELEMENT = "element-6066-11e4-a52e-4f735466cecf"
_FLAGS = ("--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking",
          "--disable-component-update", "--disable-sync", "--window-size=1280,1000")


class Browser:
    """Use as a context. downloads: folder that it saves into. The test is skipped where there is no browser."""

    def __init__(self, case: unittest.TestCase, downloads: Path):
        driver = shutil.which("chromedriver")
        browser = shutil.which("chromium") or shutil.which("chromium-browser")
        if driver is None or browser is None:
            case.skipTest("chromium and chromium-driver are not installed")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self._port = free.getsockname()[1]
        self._driver = subprocess.Popen([driver, f"--port={self._port}"], stdout=subprocess.DEVNULL,
                                        stderr=subprocess.DEVNULL)
        case.addCleanup(self.close)
        self._session = ""
        self._begin(browser, downloads)

    def _begin(self, browser: str, downloads: Path) -> None:
        options = {"binary": browser, "args": [*_FLAGS, f"--user-data-dir={downloads / 'profile'}"],
                   "prefs": {"download.default_directory": str(downloads), "download.prompt_for_download": False}}
        wanted = {"capabilities": {"alwaysMatch": {"goog:chromeOptions": options}}}
        for _ in range(100):
            try:
                self._session = self._call("POST", "/session", wanted)["sessionId"]
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the browser did not start")

    def _call(self, method: str, path: str, body: dict | None = None):
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(f"http://127.0.0.1:{self._port}{path}", data, method=method,
                                         headers={"Content-Type": "application/json"})
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)["value"]

    def _do(self, method: str, path: str, body: dict | None = None):
        return self._call(method, f"/session/{self._session}{path}", body)

    def open(self, path: Path) -> None:
        self._do("POST", "/url", {"url": path.as_uri()})

    def find(self, css: str) -> str:
        return self._do("POST", "/element", {"using": "css selector", "value": css})[_ELEMENT]

    def click(self, css: str) -> None:
        self._do("POST", f"/element/{self.find(css)}/click", {})

    def type(self, css: str, text: str) -> None:
        self._do("POST", f"/element/{self.find(css)}/value", {"text": text})

    def run(self, script: str):
        return self._do("POST", "/execute/sync", {"script": script, "args": []})

    def pointer(self, places: list[tuple[int, int]]) -> None:
        """Mouse down at the first place of the window, through the others, up at the last."""
        moves = [{"type": "pointerMove", "duration": 20, "x": x, "y": y} for x, y in places]
        actions = [moves[0], {"type": "pointerDown", "button": 0}, *moves[1:], {"type": "pointerUp", "button": 0}]
        self._do("POST", "/actions", {"actions": [
            {"type": "pointer", "id": "mouse", "parameters": {"pointerType": "mouse"}, "actions": actions}]})

    def close(self) -> None:
        try:
            if self._session:
                self._do("DELETE", "")
        finally:
            self._driver.terminate()
            self._driver.wait()


def wait_for_file(folder: Path, pattern: str, seconds: float = 20.0) -> Path:
    """The file, once it is whole."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = [path for path in folder.glob(pattern) if path.stat().st_size]
        if found and not list(folder.glob("*.crdownload")):
            return found[0]
        time.sleep(0.05)
    raise AssertionError(f"no {pattern} was saved into {folder}")

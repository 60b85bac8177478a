#!/usr/bin/env python3
"""Pictures of the page and of a report for the docs: pictures.py COGSTRIDE SCREENSHOTS FIGURES"""
import pathlib
import shutil
import subprocess
import sys
import tempfile
import time

from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from bench import Bench, root, until

command, screenshots, figures = sys.argv[1], pathlib.Path(sys.argv[2]), pathlib.Path(sys.argv[3])


def browser(width, height, dark):
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium")
    for flag in ("--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking",
                 "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage", "--hide-scrollbars",
                 f"--window-size={width},{height + 200}", "--user-data-dir=" + tempfile.mkdtemp()):
        options.add_argument(flag)
    driver = webdriver.Chrome(service=Service(shutil.which("chromedriver")), options=options)
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                           {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600})
    driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": [
        {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}]})
    return driver


with tempfile.TemporaryDirectory() as folder:
    for file in ("bobbin.rig.toml", "first.moves", "wind.moves"):
        shutil.copy(root / "demo" / file, folder)
    bench = Bench(command, pathlib.Path(folder) / "bobbin.rig.toml")
    bench.order("home creel")
    assert bench.ask("home traverse")["answer"] == "done"
    bench.order("spin spindle at 600 rpm until stopped")
    phone, wide = browser(360, 800, False), browser(1280, 800, True)
    for each in (phone, wide):
        each.get(bench.link)
    time.sleep(2)
    bench.order("move traverse to 92 mm at 25 mm/s")
    bench.order("turn creel to station 5")
    until(lambda: bench.place("traverse") > 60)
    phone.save_screenshot(str(screenshots / "page_phone.png"))
    wide.save_screenshot(str(screenshots / "page_wide.png"))
    for each in (phone, wide):
        each.quit()
    bench.end()
    report = pathlib.Path(folder) / "first.html"
    subprocess.run([command, "rehearse", "demo/bobbin.rig.toml", "demo/first.moves", "--report", str(report)], cwd=root,
                   check=True, stdout=subprocess.DEVNULL)
    page = browser(1280, 1300, False)
    page.get(report.as_uri())
    time.sleep(1)
    page.save_screenshot(str(figures / "report.png"))
    page.quit()

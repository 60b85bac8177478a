"""A Chromium that shows a page as a phone or a wide screen does."""
import shutil
import tempfile

from selenium import webdriver
from selenium.webdriver.chrome.service import Service


def opened(width, height, scratch):
    """Without a window; with a folder of its own below `scratch`."""
    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium")
    for flag in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
                 "--disable-background-networking", "--disable-component-update", "--disable-sync",
                 "--disable-dev-shm-usage", "--hide-scrollbars", f"--window-size={width},{height + 200}",
                 "--user-data-dir=" + tempfile.mkdtemp(dir=scratch)):
        options.add_argument(flag)
    driver = webdriver.Chrome(service=Service(shutil.which("chromedriver")), options=options)
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                           {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600})
    return driver


def in_colours(driver, dark):
    driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": [
        {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}]})

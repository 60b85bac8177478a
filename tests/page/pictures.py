#!/usr/bin/env python3
"""Pictures of the page and of a report for the docs: pictures.py COGSTRIDE SCREENSHOTS FIGURES"""
import pathlib
import shutil
import subprocess
import sys
import tempfile
import time

from bench import Bench, root, until
from browser import in_colours, opened

command, screenshots, figures = sys.argv[1], pathlib.Path(sys.argv[2]), pathlib.Path(sys.argv[3])


with tempfile.TemporaryDirectory() as folder:
    for file in ("bobbin.rig.toml", "first.moves", "wind.moves"):
        shutil.copy(root / "demo" / file, folder)
    bench = Bench(command, pathlib.Path(folder) / "bobbin.rig.toml")
    bench.order("home creel")
    assert bench.ask("home traverse")["answer"] == "done"
    bench.order("spin spindle at 600 rpm until stopped")
    phone, wide = opened(360, 800, folder), opened(1280, 800, folder)
    in_colours(wide, True)
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
    page = opened(1280, 1300, folder)
    page.get(report.as_uri())
    time.sleep(1)
    page.save_screenshot(str(figures / "report.png"))
    page.quit()

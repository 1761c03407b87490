"""`make shots`: the pictures in docs/screenshots, from the demo data in a data folder of their own."""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")

from playwright.sync_api import expect, sync_playwright

from tests.browser.test_story import FLAGS, PLANNED, ROOT, served

OUT = Path(__file__).parent / "screenshots"


def main() -> None:
    with served() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        for name in ("Float yoke", "Sinker", "Gauge base"):
            page.goto(address)
            page.get_by_label(f"Open {name}").click()
            page.get_by_role("button", name="Plan", exact=True).click()
            expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        page.wait_for_timeout(800)
        page.screenshot(path=OUT / "bench.png")
        strip = page.get_by_role("slider", name="Time in the operation")
        box = strip.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + 0.45 * box["width"], box["y"] + 50)
        page.wait_for_timeout(400)
        page.screenshot(path=OUT / "bench-running.png")
        page.goto(address)
        page.wait_for_timeout(500)
        page.screenshot(path=OUT / "shelf.png")
        page.goto(f"{address}#/new")
        page.get_by_label("DXF file").set_input_files(str(ROOT / "demo" / "gauge-base.dxf"))
        page.get_by_label("Depth").first.fill("18")
        page.get_by_label("Depth").first.press("Enter")
        page.wait_for_timeout(500)
        page.screenshot(path=OUT / "new-job.png")
        browser.close()


if __name__ == "__main__":
    main()

"""`make shots`: the pictures in docs/screenshots, from the demo data in a data folder of their own."""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")

from playwright.sync_api import Page, expect, sync_playwright

from tests.browser.app import FLAGS, PLANNED, ROOT, served

OUT = Path(__file__).parent / "screenshots"


def drilled(page: Page) -> None:
    """Take the hole that a finding tells of, and plan with it."""
    page.get_by_role("button", name="It will be drilled").click()
    hole = page.get_by_role("group", name="Hole 1 drilled into")
    page.get_by_role("button", name="Moves").click()
    hole.scroll_into_view_if_needed()
    page.get_by_role("button", name="Plan", exact=True).click()
    expect(page.get_by_text("must be drilled").last).to_be_visible(timeout=PLANNED)
    expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
    page.wait_for_timeout(800)


def main() -> None:
    with served() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        demo = ("Float yoke", "Sinker", "Buoy plate", "Lens bezel", "Anchor shoe", "Sight glass frame", "Gauge base")
        for name in demo:
            page.goto(address)
            page.get_by_label(f"Open {name}").click()
            page.get_by_role("button", name="Plan", exact=True).click()
            expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
            if name == "Sight glass frame":
                page.get_by_role("tab", name="Rest in the corners").click()
                page.wait_for_timeout(800)
                page.screenshot(path=OUT / "bench-rest.png")
        page.wait_for_timeout(800)
        page.screenshot(path=OUT / "bench.png")
        strip = page.get_by_role("slider", name="Time in the operation")
        box = strip.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + 0.45 * box["width"], box["y"] + 50)
        page.wait_for_timeout(400)
        page.screenshot(path=OUT / "bench-running.png")
        page.keyboard.press("c")
        page.get_by_role("application").wait_for(timeout=PLANNED)
        page.wait_for_timeout(1500)
        page.screenshot(path=OUT / "bite-chart.png")
        page.goto(f"{address}#/stores")
        page.get_by_role("radio", name="Machines").click()
        page.get_by_role("button", name="Fast machining centre").click()
        page.wait_for_timeout(400)
        page.screenshot(path=OUT / "stores.png")
        page.goto(address)
        expect(page.locator("li")).to_have_count(len(demo), timeout=PLANNED)
        page.wait_for_timeout(500)
        page.screenshot(path=OUT / "shelf.png")
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(str(ROOT / "demo" / "parts" / "gauge-base.step"))
        page.get_by_role("group", name="Part in space").wait_for(timeout=PLANNED)
        page.get_by_role("button", name="Pick what looks up").click()
        page.wait_for_timeout(1200)
        page.mouse.move(560, 420)
        page.wait_for_timeout(600)
        page.screenshot(path=OUT / "part-orientation.png")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="On to stock").click()
        for side in ("Left", "Right", "Front", "Back", "Above"):
            page.get_by_label(side, exact=True).fill("3" if side != "Above" else "1")
            page.get_by_label(side, exact=True).press("Enter")
        expect(page.locator(".step.open")).to_contain_text("176 mm × 126 mm × 26 mm", timeout=PLANNED)
        page.wait_for_timeout(800)
        page.screenshot(path=OUT / "part-stock.png")
        page.get_by_role("button", name="On to what is cut").click()
        page.get_by_role("button", name="all but holes and the outside").click()
        page.get_by_role("button", name="pocket 1").click()
        page.wait_for_timeout(1000)
        page.screenshot(path=OUT / "part-areas-space.png")
        page.get_by_role("radio", name="From above").click()
        page.mouse.move(900, 760)
        page.wait_for_timeout(1500)
        page.screenshot(path=OUT / "part-areas.png")
        page.goto(f"{address}#/")
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(str(ROOT / "demo" / "parts" / "anchor-shoe.step"))
        page.get_by_role("group", name="Part in space").wait_for(timeout=PLANNED)
        page.get_by_role("button", name="4 What is cut").click()
        page.get_by_role("button", name="all but holes and the outside").click()
        page.get_by_role("radio", name="From above").click()
        page.get_by_text("6 steps on slope 1").click()
        page.wait_for_timeout(1500)
        page.screenshot(path=OUT / "part-slopes.png")
        page.goto(f"{address}#/")
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(
            {"name": "broken.step", "mimeType": "text/plain", "buffer": b"ISO-10303-21; cut off"}
        )
        page.get_by_role("alert").wait_for(timeout=PLANNED)
        page.screenshot(path=OUT / "part-upload.png")
        # Last: the others show the demo as it comes.
        page.goto(f"{address}#/")
        page.get_by_label("Open Sinker").click()
        drilled(page)
        page.screenshot(path=OUT / "bench-drilled.png")
        browser.close()


if __name__ == "__main__":
    main()

"""A part from a STEP file to a path, with the mouse and by the keyboard alone, in a real browser."""

from pathlib import Path

from django.test import SimpleTestCase
from playwright.sync_api import Page, TimeoutError, expect, sync_playwright

from tests.browser.app import FLAGS, PLANNED, READ, served

ROOT = Path(__file__).parents[2]
PARTS = ROOT / "demo" / "parts"


class PartTest(SimpleTestCase):
    def test_parts(self) -> None:
        with served() as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            wrong: list[str] = []
            page.on("pageerror", lambda error: wrong.append(str(error)))
            self.with_the_mouse(page, address)
            self.keep_out_and_new_version(page)
            self.keyboard_alone(page, address)
            self.face_by_itself(page, address)
            self.assertEqual(wrong, [])
            browser.close()

    def with_the_mouse(self, page: Page, address: str) -> None:
        """Upload a STEP, orient it, set stock, accept features, open an edge, plan, see the path."""
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(str(PARTS / "anchor-shoe.step"))
        space = page.get_by_role("group", name="Part in space")
        space.wait_for(timeout=READ)
        # On its front, and back: other areas are found from there.
        page.get_by_role("button", name="front up").click()
        expect(page.get_by_role("button", name="4 What is cut")).to_contain_text("0 of 3 areas")
        page.get_by_role("button", name="undo").click()
        expect(page.get_by_role("button", name="4 What is cut")).to_contain_text("0 of 10 areas")
        page.get_by_role("button", name="Turn 90°").click()
        expect(page.get_by_role("button", name="3 Stock")).to_contain_text("80 mm × 120 mm × 35 mm")
        page.get_by_role("button", name="Turn back 90°").click()
        page.get_by_role("radio", name="middle of the stock", exact=True).click()
        page.get_by_role("button", name="On to stock").click()
        for side, much in (("Left", "4"), ("Front", "2"), ("Above", "0.5")):
            page.get_by_label(side, exact=True).fill(much)
            page.get_by_label(side, exact=True).press("Enter")
        expect(page.locator(".step.open")).to_contain_text("124 mm × 82 mm × 35.5 mm")
        page.get_by_role("button", name="On to what is cut").click()
        page.get_by_label("Cut half-open pocket").check()
        page.get_by_label("Cut slot").check()
        # The steps on the slot's sloped walls are taken and left together.
        steps = page.get_by_role("listitem").filter(has_text="6 steps on slope 1")
        expect(steps).to_contain_text("1.16 to 16.86 mm deep")
        steps.get_by_role("checkbox").check()
        expect(steps.get_by_role("checkbox")).to_be_checked()
        steps.get_by_role("checkbox").uncheck()
        page.get_by_role("radio", name="From above").click()
        above = page.get_by_role("group", name="Part from above")
        box = above.bounding_box()
        assert box is not None
        # Hovering tells what a click would take; the click takes it back, the next accepts it again.
        page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2)
        expect(page.locator(".area.lit")).to_have_count(1)
        page.mouse.click(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2)
        expect(page.get_by_label("Cut slot")).not_to_be_checked()
        page.mouse.click(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2)
        expect(page.get_by_label("Cut slot")).to_be_checked()
        edge = page.get_by_role("switch", name="slot, edge 1: open")
        edge.focus()
        page.keyboard.press("Enter")
        expect(edge).to_have_attribute("aria-checked", "true")
        page.keyboard.press("u")
        expect(edge).to_have_attribute("aria-checked", "false")
        page.get_by_role("button", name="slot", exact=False).first.click()
        page.get_by_label("Deeper by").fill("-2")
        page.get_by_label("Deeper by").press("Enter")
        expect(page.get_by_label("Floor", exact=True)).to_have_value("-18.5")
        page.get_by_role("button", name="Put it on the bench").click()
        expect(page.get_by_role("heading", name="Rough the areas")).to_be_visible()
        page.get_by_role("button", name="Plan", exact=True).click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        expect(page.get_by_role("contentinfo")).to_contain_text("in all")

    def face_by_itself(self, page: Page, address: str) -> None:
        """A face over what is deep begins with an operation of its own, wider than the other."""
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(str(PARTS / "gauge-base.step"))
        page.get_by_role("group", name="Part in space").wait_for(timeout=READ)
        page.get_by_role("button", name="On to stock").click()
        page.get_by_label("Above", exact=True).fill("1")
        page.get_by_label("Above", exact=True).press("Enter")
        page.get_by_role("button", name="On to what is cut").click()
        page.get_by_label("Cut top face").check()
        page.get_by_label("Cut pocket 1").check()
        page.get_by_role("button", name="Put it on the bench").click()
        tabs = page.get_by_role("tab")
        expect(tabs).to_have_count(2)
        expect(tabs.first).to_contain_text("Rough the areas")
        expect(tabs.last).to_contain_text("Rough the areas, top face")
        page.get_by_role("button", name="Plan", exact=True).click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        expect(page.get_by_text("off the part")).to_be_visible()
        base, pk = page.url.split("#/job/")
        report = page.request.get(f"{base}api/jobs/{pk}").json()["plan"]["report"]
        rest, face = (row["bite"]["ae"] for row in report["operations"])
        self.assertGreater(face, 1.5 * rest)
        self.assertEqual([w["code"] for w in report["warnings"] if w["severity"] == "error"], [])

    def keep_out_and_new_version(self, page: Page) -> None:
        """Back to the part: a clamp goes in, the plan goes out of date; a new version says what changed.

        Where the cutter goes in, which is said on the bench, is still there after that.
        """
        base, pk = page.url.split("#/job/")
        document = page.request.get(f"{base}api/jobs/{pk}").json()["document"]
        said = {"start": [20.0, 12.5], "drilled": [{"at": [20.0, 12.5], "diameter": 6.0, "bottom": None}]}
        document["regions"][0].update(said)
        self.assertEqual(page.request.put(f"{base}api/jobs/{pk}", data={"document": document}).status, 200)
        page.reload()
        page.get_by_role("link", name="Part and areas").click()
        page.get_by_role("heading", name="Part and areas").wait_for()
        page.get_by_role("button", name="Rectangle").nth(1).click(timeout=READ)
        above = page.get_by_role("group", name="Part from above")
        box = above.bounding_box()
        assert box is not None
        for x, y in ((0.52, 0.9), (0.6, 0.96)):
            page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"])
            page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
        expect(page.get_by_text("clamp").first).to_be_visible()
        page.get_by_label("Width").fill("12")
        page.get_by_label("Width").press("Enter")
        page.get_by_role("button", name="Take it to the bench").click()
        expect(page.get_by_role("status")).to_contain_text("plan out of date")
        after = page.request.get(f"{base}api/jobs/{pk}").json()["document"]
        self.assertEqual(len(after["keep_outs"]), len(document["keep_outs"]) + 1)
        kept = next(r for r in after["regions"] if r["name"] == document["regions"][0]["name"])
        self.assertEqual({key: kept[key] for key in said}, said)
        page.get_by_role("link", name="Part and areas").click()
        page.get_by_label("Cut slot").wait_for(timeout=READ)
        page.get_by_role("button", name="1 Part").click()
        page.get_by_label("New version of the part").set_input_files(str(PARTS / "sinker.step"))
        expect(page.locator(".finding", has_text="no longer on the part")).to_have_count(1, timeout=READ)
        page.get_by_label("New version of the part").set_input_files(str(PARTS / "anchor-shoe.step"))
        expect(page.get_by_role("button", name="4 What is cut")).to_contain_text("2 of", timeout=READ)

    def keyboard_alone(self, page: Page, address: str) -> None:
        """The same way to a path, without a mouse."""
        page.goto(address)
        page.get_by_role("heading", name="Anchor").or_(page.get_by_role("heading", name="anchor")).first.wait_for()
        self.tab_to(page, "New job from a part")
        page.keyboard.press("Enter")
        page.get_by_label("Part", exact=True).wait_for()
        self.choose_file(page, PARTS / "sinker.step")
        page.get_by_role("group", name="Part in space").wait_for(timeout=READ)
        self.tab_to(page, "Turn 90°")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="3 Stock")).to_contain_text("40 mm × 50 mm × 15 mm")
        self.tab_to(page, "On to stock")
        page.keyboard.press("Enter")
        self.tab_to(page, "Above")
        page.keyboard.type("1")
        page.keyboard.press("Enter")
        expect(page.locator(".step.open")).to_contain_text("× 16 mm")
        self.tab_to(page, "On to what is cut")
        page.keyboard.press("Enter")
        self.tab_to(page, "Cut pocket")
        page.keyboard.press("Space")
        expect(page.get_by_label("Cut pocket")).to_be_checked()
        page.keyboard.press("Tab")
        page.keyboard.press("a")
        expect(page.get_by_role("group", name="Part from above")).to_be_visible()
        self.tab_to(page, "pocket, edge 1: open")
        page.keyboard.press("Enter")
        expect(page.get_by_role("switch", name="pocket, edge 1: open")).to_have_attribute("aria-checked", "true")
        page.keyboard.press("u")
        expect(page.get_by_role("switch", name="pocket, edge 1: open")).to_have_attribute("aria-checked", "false")
        self.tab_to(page, "Put it on the bench")
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Rough the areas")).to_be_visible()
        page.keyboard.press("n")
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)

    def choose_file(self, page: Page, path: Path) -> None:
        """Headless Chromium now and then swallows the first key on a file input: it is pressed again."""
        for key in ("Space", "Enter", "Space"):
            self.tab_to(page, "Part")
            try:
                with page.expect_file_chooser(timeout=10_000) as chooser:
                    page.keyboard.press(key)
            except TimeoutError:
                continue
            chooser.value.set_files(str(path))
            return
        self.fail("The file input cannot be opened with the keyboard.")

    def tab_to(self, page: Page, name: str) -> None:
        """Tab until what is so called has the focus; backwards is never needed, the tab order is a ring."""
        look = """() => { const e = document.activeElement; if (!e) return '';
            const label = (e.labels && e.labels[0] ? e.labels[0].innerText : '') || e.innerText || '';
            return [e.getAttribute('aria-label') || '', label.trim().split('\\n')[0]].join('|'); }"""
        for _ in range(150):
            page.keyboard.press("Tab")
            if name in str(page.evaluate(look)).split("|"):
                return
        self.fail(f"{name!r} cannot be reached with the Tab key")

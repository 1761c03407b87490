"""What is done at one press: what findings say would be sooner, and one floor for many areas."""

from django.test import SimpleTestCase
from playwright.sync_api import Page, expect, sync_playwright

from tests.browser.app import FLAGS, PLANNED, planned, seconds, served
from tests.core.test_alike import WEDGE, pockets, turned
from tests.core.test_faced import face_over_pocket
from tests.core.test_grouping import two_depths
from tests.core.test_predrill import hard
from tests.core.test_way_back import open_corner


class SoonerTest(SimpleTestCase):
    def test_what_is_told_to_be_sooner_is(self) -> None:
        with served() as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            wrong: list[str] = []
            page.on("pageerror", lambda error: wrong.append(str(error)))
            self.shared_out(page, address)
            self.face_above(page, address)
            self.drilled_before(page, address)
            self.cut_on_the_way_back(page, address)
            self.one_floor_for_many(page, address)
            self.assertEqual(wrong, [])
            browser.close()

    def shared_out(self, page: Page, address: str) -> None:
        """That areas would be cut sooner by depth is told; one press shares them out; both are quicker so."""
        plan = planned(page, address, two_depths())
        tabs = page.get_by_role("tab")
        expect(tabs).to_have_count(1)
        before = seconds(tabs.first)
        # Corners that the cutter does not reach: four in each area, told once.
        expect(page.get_by_role("button", name="The same at 3 other places")).to_have_count(2)
        page.get_by_role("button", name="Share out by depth").click()
        expect(tabs).to_have_count(2)
        expect(tabs.first).to_contain_text("rough, area")
        expect(page.get_by_role("button", name="Share out by depth")).to_have_count(0)
        plan.click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        self.assertLess(seconds(tabs.first) + seconds(tabs.last), before)

    def face_above(self, page: Page, address: str) -> None:
        """A face by itself is cut before what lies below it, not after as other areas are."""
        plan = planned(page, address, face_over_pocket())
        tabs = page.get_by_role("tab")
        before = seconds(tabs.first)
        page.get_by_role("button", name="Share out by depth").click()
        expect(tabs).to_have_count(2)
        expect(tabs.first).to_contain_text(", face")
        plan.click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        self.assertLess(seconds(tabs.first) + seconds(tabs.last), before)
        expect(page.get_by_text("only", exact=False).filter(has_text="cuts, after")).to_have_count(0)

    def drilled_before(self, page: Page, address: str) -> None:
        """A hole that would save much is told; one press drills it, and the job is quicker so; it can be undone."""
        plan = planned(page, address, hard())
        tab = page.get_by_role("tab").first
        before = seconds(tab)
        press = page.get_by_role("button", name="It will be drilled")
        press.click()
        expect(press).to_have_count(0)
        page.get_by_role("button", name="Moves").click()
        hole = page.get_by_role("group", name="Hole 1 drilled into area")
        expect(hole.get_by_label("Diameter")).to_have_value("13")
        hole.get_by_label("Down to").fill("")
        hole.get_by_label("Down to").press("Enter")
        expect(hole.get_by_text("Left empty")).to_have_count(0)
        # What is still being read when Plan is pressed is planned too.
        hole.get_by_label("Diameter").fill("14")
        plan.click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        self.assertLess(seconds(tab), before - 60)
        expect(page.get_by_role("button", name='Before "rough" a hole of 14 mm must be drilled')).to_be_visible()
        hole.get_by_role("button", name="No hole is drilled there").click()
        expect(hole).to_have_count(0)
        page.get_by_role("button", name="undo").click()
        expect(hole).to_have_count(1)

    def cut_on_the_way_back(self, page: Page, address: str) -> None:
        """Long ways back are told; one press has cuts on them, as the order sheet says; and it is quicker so."""
        plan = planned(page, address, open_corner())
        tab = page.get_by_role("tab").first
        before = seconds(tab)
        press = page.get_by_role("button", name="Cut on the way back too", exact=True)
        press.click()
        expect(press).to_have_count(0)
        page.get_by_role("button", name="Moves").click()
        expect(page.get_by_label("Cut on the way back too, conventional")).to_be_checked()
        plan.click()
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=PLANNED)
        self.assertLess(seconds(tab), before)
        expect(press).to_have_count(0)

    def one_floor_for_many(self, page: Page, address: str) -> None:
        """Of many areas those of one depth are one line, deeper at one entry; listed one by one when asked for."""
        data = pockets(*(turned(WEDGE, 0.7 * k) for k in range(9)))
        data["regions"][8]["bottom"] = -6
        planned(page, address, data)
        expect(page.get_by_role("button", name="Area & depth")).to_be_visible()
        expect(page.get_by_text("9 areas; down to -8 mm")).to_be_visible()
        page.get_by_label("p0 and 7 more", exact=True).fill("-7")
        page.keyboard.press("Enter")
        expect(page.get_by_text("9 areas; down to -7 mm")).to_be_visible()
        page.get_by_role("button", name="each area by itself").click()
        floors = {page.get_by_label(f"p{k}", exact=True).input_value() for k in range(8)}
        self.assertEqual(floors, {"-7"})
        expect(page.get_by_label("p8", exact=True)).to_have_value("-6")
        page.get_by_role("button", name="areas as deep as each other together").click()
        expect(page.get_by_label("p1", exact=True)).to_have_count(0)

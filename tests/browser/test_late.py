"""Answers that come late: what was typed is read by the server, and goes where it was typed for all the same."""

from django.test import SimpleTestCase
from playwright.sync_api import Page, Request, expect, sync_playwright

from tests.browser.app import FLAGS, READ, ROOT, served

LATE = """
const ask = window.fetch;
window.fetch = async (...asked) => {
  const late = asked[0].method === 'PUT' || (asked[0].url ?? asked[0]).includes('/api/quantity');
  if (late) await new Promise((go) => setTimeout(go, 700));
  return ask(...asked);
};
"""


class LateTest(SimpleTestCase):
    def test_what_is_typed_goes_where_it_was_typed(self) -> None:
        with served() as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            wrong: list[str] = []
            page.on("pageerror", lambda error: wrong.append(str(error)))
            page.add_init_script(LATE)
            self.depths_of_one_area_after_the_other(page, address)
            self.a_bite_before_another_operation_is_chosen(page, address)
            self.a_field_that_is_typed_in_again(page)
            self.a_material_that_is_chosen_while_a_bite_is_kept(page)
            self.assertEqual(wrong, [])
            browser.close()

    def depths_of_one_area_after_the_other(self, page: Page, address: str) -> None:
        """An area got the depth that was typed for the one before it."""
        page.goto(f"{address}#/new")
        page.get_by_label("Part", exact=True).set_input_files(str(ROOT / "demo" / "gauge-base.dxf"))
        page.get_by_role("button", name="On to stock").click(timeout=READ)
        page.get_by_label("Thickness").fill("25")
        page.get_by_role("button", name="On to what is cut").click()
        depths = {"bay 2": "1/2in", "trough 3": "10", "channel 4": "8"}
        for name, depth in depths.items():
            page.get_by_label(f"Cut {name}").check()
            page.get_by_role("button", name=name).first.click()
            field = page.get_by_label("Depth", exact=True)
            field.fill(depth)
            # On Enter, or on leaving.
            if name != "trough 3":
                field.press("Enter")
        for name, depth in zip(depths, ("12.7", "10", "8"), strict=True):
            expect(page.get_by_role("button", name=name).first).to_contain_text(f"{depth} mm deep", timeout=READ)

    def a_bite_before_another_operation_is_chosen(self, page: Page, address: str) -> None:
        page.goto(address)
        page.get_by_label("Open Sight glass frame").click()
        field = page.get_by_label("Bite", exact=True)
        second = page.get_by_role("tab", name="Rest in the corners")
        expect(second).to_be_visible(timeout=READ)
        field.fill("0.7")
        # What is shown may be a preview still: the edit itself is waited for.
        with page.expect_response(lambda answer: answer.request.method == "PUT", timeout=READ):
            second.click()
        expect(page.get_by_role("heading", name="Rest in the corners")).to_be_visible(timeout=READ)
        expect(page.get_by_role("button", name="pinned")).to_have_count(0)
        page.get_by_role("tab", name="Rough the seat").click()
        expect(page.get_by_role("button", name="pinned")).to_have_count(1, timeout=READ)
        expect(field).to_have_value("0.7", timeout=READ)

    def a_field_that_is_typed_in_again(self, page: Page) -> None:
        """While the first is read; and what is taken on Enter is not taken again on leaving."""
        field = page.get_by_label("Bite", exact=True)
        sent: list[float] = []

        def send(asked: Request) -> None:
            if asked.method == "PUT":
                body = asked.post_data_json
                assert body
                sent.append(body["document"]["operations"][0]["bite"]["ae"])

        page.on("request", send)
        field.fill("0.8")
        field.press("Enter")
        field.fill("0.9")
        page.wait_for_timeout(1500)
        expect(field).to_have_value("0.9")
        with page.expect_response(
            lambda answer: answer.request.method == "PUT" and "0.9" in (answer.request.post_data or ""), timeout=READ
        ):
            field.press("Enter")
            page.get_by_label("Step-down", exact=True).focus()
        # Long enough for one more to come, were it taken twice.
        page.wait_for_timeout(2500)
        self.assertEqual(sent, [0.8, 0.9])
        # A preview had shown it before Enter: kept it is only now.
        page.reload()
        page.get_by_role("tab", name="Rough the seat").click()
        expect(field).to_have_value("0.9", timeout=READ)

    def a_material_that_is_chosen_while_a_bite_is_kept(self, page: Page) -> None:
        field = page.get_by_label("Bite", exact=True)
        material = page.get_by_label("Material").first
        before = material.input_value()
        with page.expect_response(lambda answer: "/api/quantity" in answer.url):
            field.fill("0.6")
        field.press("Enter")
        page.wait_for_timeout(1000)
        other = "titanium" if before != "titanium" else "alloy-steel"
        with page.expect_response(
            lambda answer: answer.request.method == "PUT" and other in (answer.request.post_data or ""), timeout=READ
        ):
            material.select_option(other)
        expect(material).to_have_value(other, timeout=READ)
        expect(field).to_have_value("0.6", timeout=READ)

"""A large area in the real browser: planning moves all the way, can be stopped half-way, and ends in a proof."""

import json
import urllib.request

from django.test import SimpleTestCase
from playwright.sync_api import Page, expect, sync_playwright

from justbite.bench import job_of
from tests.browser.app import FLAGS, READ, served

LARGE = 600_000
"""Milliseconds that 600 x 400 mm may take here, proof included: about 70 s on an idle machine of two cores."""
WIDE, HIGH, CUTTER = 600.0, 400.0, 6.0


class LargeAreaTest(SimpleTestCase):
    def test_600_x_400_mm_with_a_6_mm_cutter(self) -> None:
        job = job_of("Quay plate", [[0, 0], [WIDE, 0], [WIDE, HIGH], [0, HIGH]], [], [], CUTTER, 0.2)
        with served() as address, sync_playwright() as playwright:
            request = urllib.request.Request(
                f"{address}api/jobs", json.dumps({"document": job}).encode(), {"Content-Type": "application/json"}
            )
            with urllib.request.urlopen(request) as answer:
                self.assertEqual(answer.status, 201)
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(address)
            page.get_by_label("Open Quay plate").click()
            self.stopped_half_way(page)
            seen = self.planned(page)
            # It moves: in many steps, never back, and not all at once at the end.
            self.assertEqual(seen, sorted(seen))
            self.assertGreaterEqual(len(set(seen)), 12, seen)
            self.assertGreaterEqual(sum(0.1 < s < 0.65 for s in set(seen)), 6, seen)
            expect(page.get_by_role("link", name="Take the NC program")).to_be_visible()
            browser.close()

    def stopped_half_way(self, page: Page) -> None:
        page.get_by_role("button", name="Plan", exact=True).click()
        page.wait_for_function("document.querySelector('progress')?.value > 0.05", timeout=LARGE)
        page.get_by_role("button", name="Stop").click()
        expect(page.get_by_role("status")).to_contain_text("planning stopped", timeout=READ)

    def planned(self, page: Page) -> list[float]:
        """Plan to the end; the shares that the progress showed, half a second apart."""
        page.get_by_role("button", name="Plan", exact=True).click()
        seen: list[float] = []
        for _ in range(LARGE // 500):
            page.wait_for_timeout(500)
            share = page.evaluate("document.querySelector('progress')?.value ?? null")
            if share is None and seen:
                break
            if share is not None:
                seen.append(round(float(share), 4))
        expect(page.get_by_role("status")).to_contain_text("plan fresh", timeout=READ)
        return seen

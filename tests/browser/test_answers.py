"""The answer at the head of a study: sentence, because, but, and the one button that would settle it."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from server.measuring.measuring import measure_outstanding
from server.processes.measurer import Measurer
from server.runs.actions import claim
from server.runs.models import Run
from server.runs.recording import record_result
from server.studies.models import Option
from tests.browser.base import BrowserTest
from tests.server.base import finish_all, result_of


class Answers(BrowserTest):
    engines = ("good",)

    def study(self, noise, seconds):
        study = self.create(asked="feature")
        finish_all(study, noise=noise, seconds=seconds)
        measure_outstanding(Option.objects.filter(study=study))
        self.open(f"/studies/{study.pk}")
        return study

    def test_a_sure_answer_says_why_and_leads_to_its_proof(self):
        study = self.study({"control": 0.2, "trial": 0.1}, {"control": 11.0, "trial": 11.0})
        answer = self.page.get_by_role("region", name="Answer")
        expect(answer).to_have_attribute("data-sure", "sure")
        expect(self.heading()).to_contain_text("the same noise comes")
        because = answer.get_by_role("list", name="Because")
        expect(because).to_contain_text("% less noise")
        proof = self.page.get_by_role("region", name="Pictures that show it")
        expect(proof.locator("img")).to_have_count(2)
        expect(proof).to_contain_text("ΔE visible noise")
        expect(proof.locator("[data-part=small-curve] [data-side]")).to_have_count(2)
        self.assert_accessible()
        because.get_by_role("link").first.click()
        self.page.wait_for_url(f"**/pairs/{study.pairs.get().pk}")
        expect(self.page.locator("[data-part=places]")).to_have_text(
            re.compile(r"^It is cleaner in at least [89]\d % of the picture\.$")
        )
        self.open("/")
        expect(self.page.locator(f"[data-study='{study.pk}']")).to_contain_text("the same noise comes")

    def test_what_is_not_sure_is_settled_by_one_button(self):
        study = self.study({"control": 0.11, "trial": 0.1}, {"control": 11.0, "trial": 12.6})
        answer = self.page.get_by_role("region", name="Answer")
        expect(answer).to_have_attribute("data-sure", "not sure yet")
        before = Run.objects.filter(study=study).count()
        answer.locator("[data-part=next]").click()
        expect(self.page.get_by_text("queued").first).to_be_visible()
        self.assertGreater(Run.objects.filter(study=study, state="queued").count(), 0)
        self.assertGreater(Run.objects.filter(study=study).count(), before)

    def test_what_only_a_reference_tells_is_rendered_by_one_button(self):
        """From what is known without one, by the renders under way, to the answer that rests on it."""
        text = (self.folder / "good.toml").read_text().replace('name = "good"', 'name = "other"', 1)
        (self.folder / "other.toml").write_text(text.replace('title = "Good"', 'title = "Other"'))
        study = self.create(asked="engine", under_test="engine", trial_value="other", settings={})
        finish_all(study, noise={"control": 0.1, "trial": 0.2})
        measure_outstanding(Option.objects.filter(study=study))
        self.open(f"/studies/{study.pk}")
        answer = self.page.get_by_role("region", name="Answer")
        expect(self.heading()).to_contain_text("Not decided: without a reference")
        expect(answer.get_by_role("list", name="Because")).to_contain_text("the visible noise")
        self.assert_accessible()
        answer.get_by_role("button", name=re.compile("^Render a reference: Good, [0-9]+ samples")).click()
        expect(answer).to_contain_text("The reference is being rendered.")
        expect(answer.locator("[data-part=next]")).to_have_count(0)
        way = self.page.get_by_role("region", name="Under way")
        expect(way).to_contain_text("Reference: 2 to come")
        expect(way).to_contain_text("Next: the reference,")
        for run in Run.objects.filter(study=study, state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            record_result(run.pk, result_of(run, 0.02))
        Measurer().work()
        expect(self.heading()).to_contain_text("nothing else here comes as close to the reference")
        expect(self.page.get_by_role("region", name="Pictures that show it")).to_contain_text("Reference: Good")
        self.open(f"/scenes/{study.setup.scene.name}")
        expect(self.page.get_by_role("region", name="References")).to_contain_text("Good, ")

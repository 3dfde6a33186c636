"""The plan: sums that are exact, what shows at the delivered size, what to leave out first, own speeds."""

import itertools
import unittest
from dataclasses import replace

import numpy as np

from lather.core.errors import RequestError
from lather.core.job.brief import JobSheet, cents_of, clock_text, money
from lather.core.job.finds import Find
from lather.core.job.outputs import OutputSpec, outputs_of
from lather.core.measure.photo_facts import meanings, photo_facts
from lather.core.plan.leave_out import STEP_S, Leavable, in_order, least_seen
from lather.core.plan.minutes import shipped_speeds
from lather.core.plan.plan import PlanInput, cost_cents, delivery_of, largest_delivery, make_plan
from lather.core.plan.routes import ROUTES, route_named
from lather.core.record.entries import DeliveryNote
from lather.core.record.logbook import Logbook
from lather.core.record.own_speed import own_speeds
from lather.core.record.simulated import FULL_SIZE, Retoucher
from tests.support.faces import made_face

FACTS = Retoucher(1)._facts()


def find(number: int, kind: str, *, size: float = 20.0, contrast: float = 8.0, zone: str = "cheek") -> Find:
    return Find(f"f{number}", kind, 800.0, 900.0 + number, size, contrast, 0.9, zone, keeper=kind == "mole")


FINDS = tuple(find(n, kind) for n, kind in enumerate(
    ("blemish_dark",) * 5 + ("crease", "mole", "scar", "hair_on_skin", "stray_hair", "redness", "blotch_dark")))


def plan_of(finds=FINDS, facts=FACTS, decisions=None, **brief):
    return make_plan(PlanInput(brief, finds, facts, decisions or {}))


class SumsTest(unittest.TestCase):
    def test_minutes_and_cost_of_the_stages_are_the_sums_to_the_second_and_the_cent(self):
        for seed in range(40):
            hand = Retoucher(seed)
            rate = int(hand._rng.integers(1, 20_000))
            plan = hand.work(shipped_speeds(), {"rate_cents": rate, "outputs": FULL_SIZE}).plan
            data = plan.to_json()
            self.assertEqual(sum(row["seconds"] for row in data["stages"]), data["seconds"])
            self.assertEqual(round(sum(row["minutes"] for row in data["stages"]), 1), data["minutes"])
            self.assertEqual(round(100 * sum(row["cost"] for row in data["stages"])), round(100 * data["cost"]))
            for row in data["stages"]:
                self.assertAlmostEqual(row["minutes"] * 60, row["seconds"], places=9)
                self.assertEqual(round(100 * row["cost"]), cost_cents(row["seconds"], rate))

    def test_a_cost_is_rounded_half_up_to_the_cent(self):
        self.assertEqual(cost_cents(3600, 4800), 4800)
        self.assertEqual(cost_cents(1, 1800), 1)  # half a cent
        self.assertEqual(cost_cents(1, 1799), 0)
        self.assertEqual(cost_cents(600, None), 0)

    def test_minutes_are_finds_by_seconds_each_and_area_by_rate(self):
        speeds = shipped_speeds()
        mend = plan_of().row("mend")
        wanted = 5 * speeds.of_find("blemish_dark") + speeds.of_find("crease") + speeds.of_find("hair_on_skin")
        self.assertEqual(mend.seconds, STEP_S * round(wanted / STEP_S))
        sculpt = plan_of().row("sculpt")
        self.assertEqual(sculpt.seconds, STEP_S * round(sculpt.area * speeds.of_area("sculpt") / STEP_S))

    def test_money_and_times_are_written_so_that_columns_add_up(self):
        self.assertEqual((money(3120, "EUR"), money(5), money(None), money(-250)), ("31.20 EUR", "0.05", "–", "−2.50"))
        self.assertEqual((clock_text(552), clock_text(3870), clock_text(-9)), ("9:12", "1:04:30", "−0:09"))
        self.assertEqual([cents_of(text) for text in ("48", "48,5", " 0.07 ", "x", "-1", "nan")],
                         [4800, 4850, 7, None, None, None])


class ChoiceTest(unittest.TestCase):
    def test_what_was_agreed_decides_what_is_planned(self):
        self.assertEqual(plan_of().row("mend").finds, 7)  # marks and scars stay where nobody said otherwise
        gone = plan_of(agreed={"lasting_marks": "go", "scars": "go"})
        self.assertEqual(gone.row("mend").finds, 9)
        self.assertEqual(plan_of(agreed={"hair_on_skin": "stay"}).row("mend").finds, 6)
        self.assertEqual(plan_of(decisions={"f0": "skip", "f6": "mend"}).row("mend").finds, 7)
        self.assertFalse(plan_of().row("shape").do)
        self.assertTrue(plan_of(agreed={"reshaping": "yes"}).row("shape").do)
        for kind in ("identity-true", "newborn/child"):
            self.assertFalse(plan_of(kind=kind, agreed={"reshaping": "yes"}).row("shape").do, kind)
        self.assertIn("teeth", plan_of().row("colour").what)
        self.assertNotIn("teeth", plan_of(agreed={"teeth": "no"}).row("colour").what)

    def test_teeth_are_planned_where_the_mouth_is_open(self):
        for sitter, seen in (("tilda", True), ("wren", False)):
            facts = photo_facts(made_face(sitter).measures)
            self.assertEqual(facts.teeth_seen, seen, sitter)

    def test_each_route_proposes_its_own_stages(self):
        done = {route: {row.stage_id for row in plan_of(route=route).rows if row.do} for route in ROUTES}
        self.assertIn("even", done["light"])
        self.assertNotIn("split", done["light"])
        for route in ("bands", "veil"):
            self.assertIn("split", done[route])
            self.assertNotIn("even", done[route])
        self.assertFalse({"even", "split"} & done["sweep"])
        for route in ROUTES:  # no find is lost on the way: blotches go where the route evens
            self.assertEqual(sum(row.finds for row in plan_of(route=route).rows), plan_of().shown, route)
        with self.assertRaises(RequestError):
            route_named("dark")

    def test_what_the_person_writes_over_holds_and_says_so(self):
        written = {"split": {"do": True}, "even": {"do": False}, "mend": {"minutes": 12.5, "start": 31},
                   "crisp": {"start": "wide"}, "nonsense": 3}
        plan = plan_of(plan=written, rate_cents=4800)
        self.assertTrue(plan.row("split").do)
        self.assertEqual((plan.row("even").seconds, plan.row("even").cost_cents), (0, 0))
        mend = plan.row("mend")
        self.assertEqual((mend.seconds, mend.cost_cents, mend.values["brush_px"]), (750, 1000, 31.0))
        self.assertEqual(mend.overridden, ("minutes", "start"))
        self.assertNotEqual(mend.proposed.seconds, 750)
        self.assertEqual(plan.row("crisp").overridden, ())
        self.assertEqual(plan.seconds, sum(row.seconds for row in plan.rows))
        self.assertEqual(JobSheet.of({"plan": written}).start("mend"), 31.0)

    def test_the_output_that_shows_most_decides_what_is_worth_mending(self):
        small = OutputSpec("a", "Small", size="px", long_edge_px=400)
        card = OutputSpec("b", "Card", size="cm", width_cm=20, height_cm=25, medium="matte")
        far = replace(card, id="c", name="Far", distance_cm=400)
        tiny = (find(1, "blemish_dark", size=4.0), find(2, "blemish_dark", size=40.0))
        for specs, name, shown in (((small,), "Small", 1), ((small, card), "Card", 2), ((far,), "Far", 1),
                                   ((small, replace(card, on=False)), "Small", 1)):
            brief = {"outputs": [spec.to_json() for spec in specs]}
            plan = plan_of(tiny, **brief)
            self.assertEqual((plan.delivery, plan.shown), (name, shown), specs)
        least = delivery_of(card, 2000, 2500).least_px(2500)  # one arc minute at 40 cm on 25 cm of paper
        self.assertAlmostEqual(least, np.tan(np.radians(1 / 60)) * 400 / (250 / 2500), places=2)
        self.assertEqual(largest_delivery({}, 2000, 2500)[0].least_px(2500), 1.5)

    def test_an_output_that_cannot_be_is_left_out_of_the_sheet(self):
        rows = [OutputSpec("a", "A").to_json(), {"id": "b", "name": "B", "size": "huge"}, {"id": "c"}, 7,
                {"id": "d", "name": "D", "bits": 16, "format": "JPEG"}, {"id": "e", "name": "E", "ppi": 0}]
        self.assertEqual([spec.id for spec in outputs_of({"outputs": rows})], ["a"])
        self.assertEqual(JobSheet.of({"outputs": "no", "rate_cents": "x", "minutes_allowed": -3}).outputs, ())


class LeaveOutTest(unittest.TestCase):
    def items(self, rng) -> list[Leavable]:
        return [Leavable(f"item {n}", "mend", STEP_S * int(rng.integers(1, 12)), float(rng.uniform(0, 30)))
                for n in range(int(rng.integers(1, 11)))]

    def test_what_is_left_out_loses_as_little_as_any_choice_could(self):
        rng = np.random.default_rng(7)
        for _ in range(150):
            items = self.items(rng)
            missing = int(rng.integers(1, sum(one.seconds for one in items) + 40))
            chosen = least_seen(items, missing)
            enough = [subset for n in range(len(items) + 1) for subset in itertools.combinations(items, n)
                      if sum(one.seconds for one in subset) >= missing]
            if not enough:
                self.assertEqual(len(chosen), len(items))
                continue
            best = min(sum(one.visibility for one in subset) for subset in enough)
            self.assertGreaterEqual(sum(one.seconds for one in chosen), missing)
            self.assertAlmostEqual(sum(one.visibility for one in chosen), best, places=9)
            self.assertEqual(chosen, in_order(chosen))

    def test_the_order_is_by_what_is_seen_for_a_minute(self):
        rng = np.random.default_rng(3)
        ordered = in_order(self.items(rng))
        self.assertEqual([one.per_minute for one in ordered], sorted(one.per_minute for one in ordered))
        self.assertEqual(least_seen(ordered, 0), [])

    def test_a_plan_over_its_time_fits_without_what_it_leaves_out(self):
        full = plan_of()
        for share in (0.9, 0.6, 0.3):
            plan = plan_of(minutes_allowed=share * full.seconds / 60)
            freed = sum(one.seconds for one in plan.leave_out[: plan.needed])
            self.assertLessEqual(plan.seconds - freed, plan.allowed_seconds)
            self.assertGreater(plan.needed, 0)
        self.assertEqual(sum(one.seconds for one in full.leave_out),
                         sum(row.seconds for row in full.rows if row.stage_id != "around"))


class OwnSpeedTest(unittest.TestCase):
    def log(self, hand: Retoucher, jobs: int, *, demo: bool = False) -> tuple[Logbook, list[float]]:
        """A logbook after so many jobs, and how far each plan was off."""
        book, off = Logbook(":memory:"), []
        self.addCleanup(book.close)
        for number in range(jobs):
            job = hand.work(own_speeds(book.entries()), {"outputs": FULL_SIZE})
            real = sum(span.seconds for span in job.spans)
            off.append(abs(job.plan.seconds - real) / real)
            book.note_job(f"job-{number}", title=f"Job {number}", demo=demo)
            book.add_spans(f"job-{number}", job.spans)
            book.set_plan(f"job-{number}", {row.stage_id: (row.seconds, row.area) for row in job.plan.rows})
            book.add_delivery(f"job-{number}", DeliveryNote("a", f"/{number}.jpg", "JPEG", 1, 1, 1, "0", "sRGB",
                                                            f"2026-01-{number + 1:02d}T00:00:00Z"))
        return book, off

    def test_after_ten_jobs_the_plan_is_off_by_less_than_a_quarter(self):
        for seed in (701, 702, 703, 704):
            _, off = self.log(Retoucher(seed, learning=0.005), 18)
            self.assertLess(np.mean(off[10:]), 0.25, seed)

    def test_own_values_come_from_three_delivered_jobs_on_and_are_near_the_truth(self):
        hand = Retoucher(11, noise=0.03)
        self.assertEqual(own_speeds(self.log(Retoucher(11), 2)[0].entries()).own, frozenset())
        speeds = own_speeds(self.log(hand, 10)[0].entries())
        self.assertIn("blemish_dark", speeds.own)
        self.assertNotIn("braces", speeds.own)
        self.assertEqual(speeds.of_find("braces"), shipped_speeds().of_find("braces"))
        for kind in ("blemish_dark", "stray_hair", "blotch_dark"):
            self.assertLess(abs(speeds.of_find(kind) / hand.speeds.of_find(kind) - 1), 0.15, kind)
        self.assertLess(abs(speeds.of_area("sculpt") / hand.speeds.of_area("sculpt") - 1), 0.1)

    def test_demo_jobs_never_count(self):
        book, _ = self.log(Retoucher(5), 5, demo=True)
        self.assertEqual(own_speeds(book.entries()), shipped_speeds())


class FactsTest(unittest.TestCase):
    def test_the_facts_of_a_face_say_what_they_mean(self):
        face = made_face()
        facts = photo_facts(face.measures)
        self.assertAlmostEqual(facts.face_px, face.measures.face.width_px, places=3)
        self.assertTrue(0.5 < facts.skin_faces < 4)
        self.assertIn("left", facts.light_from)  # as this sitter was lit
        self.assertEqual(len(meanings(facts)), 8)
        self.assertTrue(all(value and means for _, value, means in meanings(facts)))

    def test_light_is_told_from_the_side_that_is_brighter(self):
        face = made_face()
        mirrored = made_face().measures
        plain = photo_facts(face.measures).light_from
        lab = mirrored.small_lab.copy()
        try:
            mirrored.__dict__["small_lab"] = lab.copy()
            mirrored.__dict__["small_lab"][..., 0] = 50.0
            self.assertEqual(photo_facts(mirrored).light_from, "the front")
            ramp = np.linspace(20, 80, lab.shape[1], dtype=np.float32)
            mirrored.__dict__["small_lab"][..., 0] = ramp
            self.assertEqual(photo_facts(mirrored).light_from, "the right")
        finally:
            mirrored.__dict__["small_lab"] = lab
        self.assertEqual(photo_facts(face.measures).light_from, plain)

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.trials import Instruction, QueueRow, next_instructions, on_off_plan


class Plan(unittest.TestCase):
    def test_a_warm_up_then_both_sides_in_turn(self):
        rows = [(row.side, row.seed, row.warm_up) for row in on_off_plan(2)]
        self.assertEqual(
            rows,
            [
                ("control", 0, True),
                ("control", 1, False),
                ("trial", 1, False),
                ("trial", 2, False),
                ("control", 2, False),
            ],
        )

    def test_a_steady_drift_falls_on_both_sides_alike(self):
        places = {"control": 0, "trial": 0}
        for place, row in enumerate(row for row in on_off_plan(4) if not row.warm_up):
            places[row.side] += place
        self.assertEqual(places["control"], places["trial"])

    def test_the_warm_up_shares_no_seed_with_what_counts(self):
        plan = on_off_plan(5)
        warm = {row.seed for row in plan if row.warm_up}
        self.assertFalse(warm & {row.seed for row in plan if not row.warm_up})

    def test_one_seed_is_not_enough(self):
        with self.assertRaisesRegex(ValueError, "at least two seeds"):
            on_off_plan(1)


class Queue(unittest.TestCase):
    def test_one_at_a_time_in_order(self):
        rows = [QueueRow(1, "queued"), QueueRow(2, "queued")]
        self.assertEqual(next_instructions(rows, None), [Instruction("start", 1)])
        self.assertEqual(next_instructions([QueueRow(1, "running"), QueueRow(2, "queued")], 1), [])

    def test_a_run_whose_runner_was_killed_is_made_again_first(self):
        rows = [QueueRow(1, "running"), QueueRow(2, "queued")]
        self.assertEqual(next_instructions(rows, None), [Instruction("requeue", 1), Instruction("start", 1)])

    def test_stop_interrupts_only_the_one_in_flight(self):
        rows = [QueueRow(1, "running", True), QueueRow(2, "queued", True), QueueRow(3, "queued")]
        self.assertEqual(next_instructions(rows, 1), [Instruction("interrupt", 1), Instruction("mark_stopped", 2)])

    def test_a_stop_outlives_the_runner(self):
        rows = [QueueRow(1, "running", True), QueueRow(2, "queued")]
        self.assertEqual(next_instructions(rows, None), [Instruction("mark_stopped", 1), Instruction("start", 2)])

    def test_nothing_to_do(self):
        self.assertEqual(next_instructions([], None), [])

    @settings(max_examples=120, deadline=None)
    @given(seed=st.integers(0, 10**6), count=st.integers(1, 6), kills=st.integers(0, 8))
    def test_killed_at_any_step_every_run_is_finished_exactly_once(self, seed, count, kills):
        """A stored table, a runner that forgets all when killed, and kills between any two single writes."""
        dice = random.Random(seed)
        stored = dict.fromkeys(range(count), "queued")
        finished = dict.fromkeys(range(count), 0)
        in_flight = None
        for _ in range(400):
            rows = [QueueRow(run, state) for run, state in stored.items() if state in ("queued", "running")]
            for instruction in next_instructions(rows, in_flight):
                if kills and dice.random() < 0.3:
                    kills, in_flight = kills - 1, None
                    break
                if instruction.act == "requeue":
                    stored[instruction.run] = "queued"
                elif instruction.act == "start":
                    self.assertIsNone(in_flight)
                    self.assertNotEqual(stored[instruction.run], "finished")
                    stored[instruction.run] = "running"
                    if kills and dice.random() < 0.3:
                        kills -= 1
                        break
                    in_flight = instruction.run
            if in_flight is not None and dice.random() < 0.5:
                if kills and dice.random() < 0.5:
                    kills -= 1
                else:
                    stored[in_flight] = "finished"
                    finished[in_flight] += 1
                in_flight = None
        self.assertEqual(set(stored.values()), {"finished"})
        self.assertEqual(set(finished.values()), {1})

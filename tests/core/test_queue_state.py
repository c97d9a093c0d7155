"""The runner's state machine: what it does in each case, and that no kill at any step loses or doubles a run."""

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.queue import Ended, Instruction, Looked, QueueRow, QueueState

from tests.inner_loop import long

HERE = "bench"


def look(*rows, machines=(HERE,), **rest):
    return Looked(rows, machines, **rest)


def after(*events, bench=None):
    instructions = []
    bench = bench or QueueState()
    for event in events:
        bench, instructions = bench.after(event)
    return instructions


class OneMachine(unittest.TestCase):
    def test_one_at_a_time_in_order(self):
        first, second = QueueRow(1, "queued"), QueueRow(2, "queued")
        self.assertEqual(after(look(first, second)), [Instruction("start", 1, HERE)])
        running = look(QueueRow(1, "running"), second)
        self.assertEqual(after(look(first, second), running), [])
        self.assertEqual(after(look(first, second), running, Ended(1), look(second)), [Instruction("start", 2, HERE)])

    def test_a_run_whose_runner_was_killed_is_put_back_and_then_made_first(self):
        rows = look(QueueRow(1, "running"), QueueRow(2, "queued"))
        self.assertEqual(after(rows), [Instruction("requeue", 1), Instruction("start", 1, HERE)])

    def test_stop_interrupts_the_one_in_flight_once_and_takes_the_others_out(self):
        begun = look(QueueRow(1, "queued"))
        stopping = look(QueueRow(1, "running", stop_asked=True), QueueRow(2, "queued", stop_asked=True))
        self.assertEqual(after(begun, stopping), [Instruction("interrupt", 1, HERE), Instruction("mark_stopped", 2)])
        self.assertEqual(after(begun, stopping, stopping), [Instruction("mark_stopped", 2)])

    def test_a_stop_outlives_the_runner(self):
        rows = look(QueueRow(1, "running", stop_asked=True), QueueRow(2, "queued"))
        self.assertEqual(after(rows), [Instruction("mark_stopped", 1), Instruction("start", 2, HERE)])

    def test_a_run_that_was_removed_while_it_renders_is_let_go(self):
        self.assertEqual(after(look(QueueRow(1, "queued")), look())[0], Instruction("interrupt", 1, HERE))

    def test_a_held_queue_starts_nothing_but_still_tidies_up(self):
        rows = look(QueueRow(1, "running"), QueueRow(2, "queued", stop_asked=True), QueueRow(3, "queued"), held=True)
        self.assertEqual(after(rows), [Instruction("requeue", 1), Instruction("mark_stopped", 2)])

    def test_without_a_machine_everything_waits(self):
        self.assertEqual(after(look(QueueRow(1, "queued"), machines=())), [])


class WarmUps(unittest.TestCase):
    def test_what_is_cold_gets_its_warm_up_first_wherever_that_stands_in_the_queue(self):
        rows = look(QueueRow(2, "queued", "alder"), QueueRow(1, "queued", "alder", warm_up=True))
        self.assertEqual(after(rows), [Instruction("start", 1, HERE)])

    def test_a_missing_warm_up_is_asked_for(self):
        rows = [QueueRow(2, "queued", "alder")]
        self.assertEqual(after(look(*rows)), [Instruction("warm_up", 2, HERE)])
        self.assertEqual(after(look(*rows, warm=frozenset({("alder", HERE)}))), [Instruction("start", 2, HERE)])
        self.assertEqual(after(look(*rows, warm=frozenset({("alder", "attic")}))), [Instruction("warm_up", 2, HERE)])

    def test_a_warm_up_made_for_another_machine_is_left_to_it(self):
        rows = look(QueueRow(1, "queued", "alder", warm_up=True, machine="attic"), machines=(HERE, "attic"))
        self.assertEqual(after(rows), [Instruction("start", 1, "attic")])


class TwoMachines(unittest.TestCase):
    warm = frozenset({("", HERE), ("", "attic")})

    def test_each_renders_one_and_a_turn_stays_together(self):
        rows = [QueueRow(number, "queued", turn=turn) for number, turn in ((1, "a1"), (2, "a1"), (3, "a2"), (4, "a2"))]
        found = after(look(*rows, machines=(HERE, "attic")))
        self.assertEqual(found, [Instruction("start", 1, HERE), Instruction("start", 3, "attic")])
        left = look(QueueRow(2, "queued", turn="a1"), machines=(HERE, "attic"), turns={"a1": "attic"})
        self.assertEqual(after(left), [Instruction("start", 2, "attic")])

    def test_a_turn_goes_on_elsewhere_when_its_machine_is_gone(self):
        rows = look(QueueRow(2, "queued", turn="a1"), turns={"a1": "attic"})
        self.assertEqual(after(rows), [Instruction("start", 2, HERE)])

    def test_a_lost_machine_gives_its_run_back(self):
        begun = look(QueueRow(1, "queued"), machines=("attic",))
        lost = look(QueueRow(1, "running"), machines=(HERE,))
        self.assertEqual(after(begun, lost), [Instruction("requeue", 1), Instruction("start", 1, HERE)])


class Kills(unittest.TestCase):
    @long
    @settings(max_examples=200, deadline=None)
    @given(
        seed=st.integers(0, 10**6), count=st.integers(1, 7), kills=st.integers(0, 10), machines=st.integers(1, 3),
        cold=st.booleans(),
    )  # fmt: skip
    def test_killed_at_any_step_every_run_is_finished_exactly_once(self, seed, count, kills, machines, cold):
        """A stored table, machines that come and go, and a runner that is killed between any two single writes."""
        world = World(random.Random(seed), count, kills, [f"m{n}" for n in range(machines)], cold)
        for _ in range(600):
            world.go_on()
        self.assertEqual(set(world.stored.values()), {"finished"})
        self.assertEqual({run: world.finished[run] for run in range(count)}, dict.fromkeys(range(count), 1))
        self.assertFalse(world.doubled)


class World:
    """What a runner with a database and machines would do with the instructions, killed at random."""

    def __init__(self, dice, count, kills, machines, cold):
        self.dice, self.kills, self.all_machines = dice, kills, machines
        self.warms = "alder" if cold else ""
        self.stored = dict.fromkeys(range(count), "queued")
        self.warm_ups, self.warm, self.turns = {}, set(), {}
        self.finished = dict.fromkeys(range(count), 0)
        self.rendering, self.bench, self.doubled = {}, QueueState(), False

    def killed(self):
        """The runner dies here, perhaps: it forgets all, and its engines end with it."""
        if self.kills and self.dice.random() < 0.15:
            self.kills -= 1
            self.bench, self.rendering = QueueState(), {}
            return True
        return False

    def rows(self):
        return [
            QueueRow(run, state, self.warms, run in self.warm_ups, f"t{run % 2}" if run not in self.warm_ups else "",
                     self.warm_ups.get(run, ""))
            for run, state in sorted(self.stored.items())
            if state != "finished"
        ]  # fmt: skip

    def go_on(self):
        here = [m for m in self.all_machines if self.kills == 0 or self.dice.random() < 0.9] or self.all_machines[:1]
        for machine in set(self.rendering) - set(here):
            del self.rendering[machine]
        look = Looked(self.rows(), here, frozenset(self.warm), dict(self.turns))
        self.bench, instructions = self.bench.after(look)
        for instruction in instructions:
            if self.killed():
                return
            self.do(instruction)
        for machine, run in list(self.rendering.items()):
            if machine in self.rendering and self.dice.random() < 0.5:
                if self.killed():
                    return
                self.ended(machine, run)

    def do(self, instruction):
        run, machine = instruction.run, instruction.machine
        if instruction.act == "requeue":
            self.stored[run] = "queued"
        elif instruction.act == "warm_up":
            made = max(self.stored) + 1
            self.stored[made], self.warm_ups[made] = "queued", machine
        elif instruction.act == "start":
            self.doubled |= machine in self.rendering or run in self.rendering.values()
            self.doubled |= self.stored[run] == "finished"
            self.stored[run] = "running"
            self.turns[f"t{run % 2}"] = machine
            self.rendering[machine] = run

    def ended(self, machine, run):
        self.stored[run] = "finished"
        self.finished[run] = self.finished.get(run, 0) + 1
        if run in self.warm_ups:
            self.warm.add((self.warms, machine))
        del self.rendering[machine]
        if not self.killed():
            self.bench, _ = self.bench.after(Ended(run))

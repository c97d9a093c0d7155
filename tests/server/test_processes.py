"""What the runner and the measurer do beside each other: notices, turns, and work that fails or ends the measurer."""

import os
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from unittest import mock

import psutil
from django.conf import settings
from django.test import TestCase
from django.utils import timezone

from server.catalogue.models import Zone
from server.config.telling import HOLDS_UP_TO
from server.measuring.models import Measure
from server.processes import events, measurer, outstanding
from server.processes.measurer import Measurer
from server.processes.models import Trouble
from server.processes.turns import last_seen, seen, turn, wish
from server.references.models import Reference
from server.runs.models import Run
from server.store import notices
from server.store.notices import EVERYTHING, Listener, ring
from tests.database import UntransactedTest
from tests.runner import ROOT, MeasurerProcess, Processes, none_open, until
from tests.server.base import WithEngines, factor, finish_all
from tests.warm import run_python

DJANGO = "import os, django; os.environ['DJANGO_SETTINGS_MODULE'] = 'server.config.settings'; django.setup();"


class Notices(TestCase):
    def test_each_listener_hears_what_was_rung_since_it_last_heard(self):
        first, second = Listener(), Listener()
        ring("runs")
        ring("runs")
        ring("measured")
        self.assertEqual(first.heard(), ["runs", "measured"])
        self.assertEqual(first.heard(), [])
        ring("progress")
        self.assertEqual(first.heard(), ["progress"])
        self.assertEqual(second.heard(), ["runs", "measured", "progress"])

    def test_it_is_heard_across_processes_at_once(self):
        listener = Listener()
        code = f"{DJANGO} from server.store.notices import ring; ring('runs')"
        ringing = subprocess.Popen([sys.executable, "-c", code], cwd=ROOT)
        self.assertEqual(listener.wait(60), ["runs"])
        self.assertEqual(ringing.wait(), 0)

    def test_a_file_that_begins_anew_may_have_told_anything(self):
        with mock.patch.object(notices, "MOST_BYTES", 20):
            listener = Listener()
            for _ in range(10):
                ring("progress")
            self.assertEqual(listener.heard()[-1:], ["progress"])
            ring("runs")
            late = Listener()
            for _ in range(3):
                ring("runs")
            self.assertIn(late.heard(), ([EVERYTHING], ["runs"]))

    def test_waiting_ends_with_what_else_there_is_to_do(self):
        self.assertEqual(Listener().wait(60, or_until=lambda: True), [])

    def test_a_full_disk_stops_nobody(self):
        with mock.patch("pathlib.Path.open", side_effect=OSError(28, "No space left on device")):
            ring()


class Telling(WithEngines, TestCase):
    def test_whoever_changes_something_is_heard_and_whoever_only_asks_is_not(self):
        study = self.create()
        listener = Listener()
        self.assertEqual(self.call("POST", "/api/studies/preview/", study.draft).status_code, 200)
        self.call("GET", "/api/overview/")
        self.problem(400, "POST", "/api/studies/", {})
        self.assertEqual(listener.heard(), [])
        self.call("POST", f"/api/studies/{study.pk}/archive/", {"on": True})
        self.assertEqual(listener.heard(), [EVERYTHING])


class Events(UntransactedTest):
    def test_a_screen_is_told_what_changes(self):
        answer = self.client.get("/api/events/")
        self.assertEqual(answer["Content-Type"], "text/event-stream")
        lines = iter(answer.streaming_content)
        self.assertIn(b"retry", next(lines))
        threading.Timer(0.2, ring, ["runs"]).start()
        self.assertEqual(next(lines), b"data: runs\n\n")
        answer.close()

    def test_an_answer_that_missed_what_a_stream_does_not_tell_can_be_known(self):
        def asked():
            return self.client.get("/api/overview/")[HOLDS_UP_TO]

        def begun():
            stream = self.client.get("/api/events/")
            told = re.search(rb"event: told\ndata: (\d+)\n", next(iter(stream.streaming_content)))
            stream.close()
            return told[1].decode()

        before = asked()
        self.assertEqual(begun(), before)
        ring("runs")
        self.assertNotEqual(begun(), before)
        self.assertEqual(begun(), asked())

    def test_more_screens_than_it_can_serve_ask_by_themselves(self):
        free = events._streams._value
        opened = [self.client.get("/api/events/") for _ in range(free)]
        self.assertEqual(self.client.get("/api/events/").status_code, 503)
        for each in opened:
            each.close()
        again = self.client.get("/api/events/")
        self.assertEqual(again.status_code, 200)
        again.close()


class Turns(UntransactedTest):
    def test_one_holds_it_and_the_other_sees_that(self):
        first, second = turn(), turn()
        self.assertTrue(first.take())
        self.assertTrue(first.take())
        self.assertFalse(second.take())
        self.assertTrue(second.held_by_another())
        first.let_go()
        self.assertFalse(second.held_by_another())
        self.assertTrue(second.take())
        second.let_go()

    def test_whoever_is_killed_holds_nothing(self):
        held = "from server.processes.turns import turn; t = turn(); t.take(); print('held', flush=True); input()"
        code = f"{DJANGO} {held}"
        other = subprocess.Popen(
            [sys.executable, "-c", code], cwd=ROOT, stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True
        )
        self.assertEqual(other.stdout.readline(), "held\n")
        self.assertTrue(turn().held_by_another())
        other.kill()
        other.wait()
        other.stdout.close()
        other.stdin.close()
        self.assertFalse(turn().held_by_another())

    def test_renders_wait_for_what_set_up_still_does_and_the_page_says_so(self):
        own = turn()
        self.assertTrue(own.take())
        child = "import sys; print('at it', flush=True); sys.exit(int(input()))"
        command = [sys.executable, "manage.py", "before_renders", "compiling", "--", sys.executable, "-c", child]
        here = {**os.environ, "DJANGO_SETTINGS_MODULE": "server.config.settings"}
        pipes = dict.fromkeys(("stdin", "stdout", "stderr"), subprocess.PIPE)
        preparing = subprocess.Popen(command, cwd=ROOT, env=here, text=True, **pipes)
        until(
            lambda: self.client.get("/api/session/").json()["preparing"] == "compiling; renders wait for it", "told", 60
        )
        own.let_go()
        self.assertEqual(preparing.stdout.readline(), "at it\n")
        self.assertFalse(own.take())
        twice = subprocess.run(command, check=False, cwd=ROOT, env=here, timeout=60, capture_output=True)
        self.assertEqual((twice.returncode, twice.stdout), (0, b""))
        _, said = preparing.communicate("3\n", timeout=60)
        self.assertEqual((preparing.returncode, said), (1, "CommandError: compiling did not succeed (3)\n"))
        self.assertEqual(self.client.get("/api/session/").json()["preparing"], "")
        self.assertTrue(own.take())
        own.let_go()

    def test_what_was_seen_is_known_to_others(self):
        seen(12.5)
        self.assertEqual(last_seen(), 12.5)
        (settings.HOME / "measurer.seen").write_text("half")
        self.assertEqual(last_seen(), 0.0)


class Measuring(WithEngines, UntransactedTest):
    def setUp(self):
        super().setUp()
        measurer.forget_doing()  # of the measurer that another test killed
        self.study = self.create(kind="table", factors=[factor("samples", 16, 32)])
        finish_all(self.study)
        self.options = list(self.study.options.order_by("number"))

    def measured(self):
        return set(Measure.objects.filter(name="noise").values_list("option", flat=True))

    def failing(self, bad, error):
        real = measurer.measure_options

        def measure(options):
            if options == [bad]:
                raise error
            return real(options)

        return mock.patch.object(measurer, "measure_options", measure)

    def test_all_that_is_due_is_done_and_then_nothing_is(self):
        work = Measurer()
        self.assertGreater(work.work(), 0)
        self.assertEqual(self.measured(), {each.pk for each in self.options})
        self.assertEqual(work.work(), 0)

    def looked_through(self):
        """The options that a measurer, started now, looks through."""
        with mock.patch.object(measurer, "measure_options", wraps=measurer.measure_options) as looked:
            Measurer().work()
        return sorted(option for call in looked.call_args_list for option in call.args[0])

    def test_a_start_looks_through_what_something_happened_to_since_and_nothing_else(self):
        own = sorted(each.pk for each in self.options)
        other = self.create(question="Elsewhere?", scene="cloth-corner", view="counter")
        finish_all(other)
        theirs = sorted(other.options.values_list("pk", flat=True))
        self.assertEqual(self.looked_through(), sorted(own + theirs))
        self.assertEqual(self.looked_through(), [])
        run = other.runs.filter(warm_up=False).last()
        Run.objects.filter(pk=run.pk).update(ended_at=timezone.now())
        self.assertEqual(self.looked_through(), [run.option_id])
        last = {run.option_id}  # others may have ended at the same moment as the newest run
        corners = {"kind": "measure", "shape": "rectangle", "points": [[0.1, 0.1], [0.5, 0.5]]}
        zone = Zone.objects.create(
            scene=self.study.setup.scene.name, view=self.study.setup.view, name="Shelf", **corners
        )
        self.assertEqual(set(self.looked_through()) - last, set(own))
        zone.points = [[0.2, 0.2], [0.5, 0.5]]
        zone.save()
        self.assertEqual(set(self.looked_through()) - last, set(own))
        reference = Reference.objects.create(setup=other.setup, kind="render", title="Long", picture="0" * 64)
        self.assertEqual(set(self.looked_through()) & set(own), set())
        Reference.objects.filter(pk=reference.pk).update(removed_at=timezone.now())
        self.assertEqual(self.looked_through(), theirs)
        with mock.patch.object(outstanding, "program_stamp", lambda: "another version"):
            self.assertEqual(self.looked_through(), sorted(own + theirs))

    def test_one_bad_option_is_tried_again_set_aside_and_stops_no_other(self):
        bad = self.options[1].pk
        work = Measurer()
        with self.failing(bad, MemoryError("900 GB")):
            work.work()
            self.assertEqual(self.measured(), {each.pk for each in self.options} - {bad})
            self.assertEqual(self.call("GET", "/api/troubles/").json(), [])
            for _ in range(4):
                work.work()
        [trouble] = self.call("GET", "/api/troubles/").json()
        self.assertEqual((trouble["reason"], trouble["tries"]), ("900 GB", measurer.MOST_TRIES))
        self.assertIn(self.study.question, trouble["about"])
        work.work()
        self.assertNotIn(bad, self.measured())
        self.call("POST", f"/api/troubles/{trouble['id']}/again/")
        self.assertEqual(self.call("GET", "/api/troubles/").json(), [])
        with MeasurerProcess():
            until(lambda: bad in self.measured(), "the one that was set aside")

    def test_a_passing_error_forgets_nothing(self):
        bad = self.options[0].pk
        work = Measurer()
        with self.failing(bad, OSError(28, "No space left on device")):
            work.work()
        work.work()
        self.assertEqual(self.measured(), {each.pk for each in self.options})
        self.assertEqual(Trouble.objects.count(), 0)

    def test_a_disk_that_is_full_for_a_moment_ends_no_measurer_and_blames_no_option(self):
        work, tries = Measurer(), []
        real = measurer._doing

        def full_at_first():
            tries.append(None)
            if len(tries) == 1:
                raise OSError(28, "No space left on device")
            return real()

        with (
            mock.patch.object(measurer, "_doing", full_at_first),
            mock.patch.object(measurer, "TRY_AGAIN_SECONDS", 0),
        ):
            work.run_until(lambda: len(self.measured()) == len(self.options))
        self.assertEqual(Trouble.objects.count(), 0)
        self.assertFalse(turn().held_by_another())

    def test_new_renders_have_what_was_set_aside_tried_again(self):
        bad = self.options[1]
        work = Measurer()
        with self.failing(bad.pk, ValueError("odd")):
            for _ in range(4):
                work.work()
        self.assertEqual(len(self.call("GET", "/api/troubles/").json()), 1)
        run = bad.runs.first()
        run.ended_at = run.ended_at.replace(year=run.ended_at.year + 1)
        run.save()
        work.work()
        self.assertIn(bad.pk, self.measured())
        self.assertEqual(list(Trouble.objects.values_list("kind", "key", "reason")), [])

    def test_what_ends_the_measurer_twice_is_set_aside(self):
        bad = self.options[0].pk
        code = (
            f"{DJANGO} from server.processes import measurer; real = measurer.measure_options;"
            f"measurer.measure_options = lambda pks: os.kill(os.getpid(), 9) if pks == [{bad}] else real(pks);"
            "measurer.Measurer().work()"
        )
        ends = [
            subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, check=False).returncode
            for _ in range(3)
        ]
        self.assertEqual(ends, [-signal.SIGKILL, -signal.SIGKILL, 0])
        self.assertEqual(self.measured(), {each.pk for each in self.options} - {bad})
        [trouble] = self.call("GET", "/api/troubles/").json()
        self.assertEqual(trouble["reason"], "the measurer ended while it did this")

    def test_what_it_is_told_to_leave_is_not_to_blame(self):
        doing = settings.HOME / "measurer.doing"
        code = (
            f"{DJANGO} import time; from server.processes import measurer;"
            "measurer.measure_options = lambda pks: (print('measures', flush=True), time.sleep(60));"
            "from django.core.management import call_command; call_command('measurer')"
        )
        told = subprocess.Popen([sys.executable, "-c", code], cwd=ROOT, stdout=subprocess.PIPE, text=True)
        self.assertEqual([told.stdout.readline() for _ in range(2)][-1], "measures\n")
        self.assertTrue(doing.exists())
        told.send_signal(signal.SIGTERM)
        until(lambda: not doing.exists(), "it being told")
        told.kill()
        told.wait()
        told.stdout.close()

    def test_it_waits_while_a_render_is_timed(self):
        timed = turn()
        self.assertTrue(timed.take())
        with MeasurerProcess():
            time.sleep(1.0)
            self.assertEqual(self.measured(), set())
            timed.let_go()
            until(lambda: len(self.measured()) == len(self.options), "all measured")

    def test_it_lets_go_between_two_pieces_when_a_render_waits_for_long(self):
        waiting = wish()
        self.assertTrue(waiting.take())
        had = []
        work = Measurer()
        self.assertTrue(work._turn.take())
        real = measurer.measure_options

        def measure(options):
            had.append(turn().held_by_another())
            return real(options)

        before = last_seen()
        with mock.patch.object(measurer, "measure_options", measure), mock.patch.object(measurer, "TURN_SECONDS", 0.0):
            work.work(let_go=True)
        self.assertEqual(had, [True] * len(self.options))
        self.assertGreater(last_seen(), before)
        waiting.let_go()
        work._turn.let_go()


class Kept(unittest.TestCase):
    def test_whoever_kills_the_keeper_ends_what_it_keeps(self):
        with tempfile.TemporaryDirectory() as folder:
            environment = os.environ | {"MATCHEDPAIR_HOME": folder, "DJANGO_SETTINGS_MODULE": "server.config.settings"}
            run_python(["manage.py", "prepare"], environment).check_returncode()
            keeper = subprocess.Popen(
                [sys.executable, "server/keep.py", "measurer"], cwd=ROOT, env=environment, stdout=subprocess.PIPE
            )
            self.addCleanup(keeper.stdout.close)
            self.assertIn(b"ready", keeper.stdout.readline())
            (kept,) = psutil.Process(keeper.pid).children()
            keeper.kill()
            keeper.wait()
            kept.wait(60)


class BesideEachOther(WithEngines, UntransactedTest):
    def test_answers_grow_while_a_study_runs(self):
        """What a render brings is measured before the next one begins: never while one is timed."""
        study = self.create(settings={"samples": 4, "pause": 1.0}, repeats=4)
        self.call("POST", f"/api/studies/{study.pk}/start/")
        measured_with_open_runs = []
        with Processes():

            def done():
                if Measure.objects.filter(name="noise").exists():
                    measured_with_open_runs.append(not none_open())
                return none_open()

            until(done, "all renders")
            until(lambda: Measure.objects.filter(name="noise").count() == 2, "both sides measured")
        self.assertTrue(any(measured_with_open_runs))

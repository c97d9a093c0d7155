"""``matchedpair curve`` on tables good and bad: every key, every refusal in words."""

from __future__ import annotations

import json
import math

from tests.core.test_cli import Called

OPTION = ["a", "floor_percent", "ready_seconds", "seconds_per_unit", "slope"]
SAME = ["control", "trial", "at_quality", "speed_up", "interval", "reachable"]
LAWS = {"Alder": (1600, 0.0, 2.0, 1.0), "Tansy": (900, 3.0, 30.0, 0.25)}


def table(laws=LAWS, ready=False) -> str:
    lines = ["option,quality,seconds,noise_percent" + (",ready_seconds" if ready else "")]
    for name, (a, b, t0, c) in laws.items():
        for n in (4, 16, 64, 256):
            lines.append(f"{name},{n},{t0 + c * n},{math.sqrt(a / n + b * b)}" + (f",{t0}" if ready else ""))
    return "\n".join(lines) + "\n"


class CurveCommand(Called):
    def put(self, text: str):
        path = self.folder / "table.csv"
        path.write_text(text, encoding="utf-8")
        return path

    def report(self, text: str):
        code, out, err = self.call("curve", self.put(text), "--json")
        self.assertEqual((code, err), (0, ""))
        return json.loads(out)

    def test_all_keys_are_there_and_the_laws_come_back(self):
        for ready in (False, True):
            report = self.report(table(ready=ready))
            for name, law in LAWS.items():
                row = report["options"][name]
                self.assertLessEqual(set(OPTION), set(row))
                got = (row["a"], row["floor_percent"], row["ready_seconds"], row["seconds_per_unit"])
                for value, true in zip(got, law, strict=True):
                    self.assertAlmostEqual(value, true, places=4)
            for row in report["same_noise"]:
                self.assertLessEqual(set(SAME), set(row))
            at = next(row for row in report["same_noise"] if row["control"] == "Alder" and row["at_quality"] == 64)
            self.assertAlmostEqual(at["speed_up"], 66 / (30 + 0.25 * 900 / (25 - 9)), places=4)
            self.assertIs(at["reachable"], True)
            floor = next(row for row in report["same_noise"] if row["control"] == "Alder" and row["at_quality"] == 256)
            self.assertEqual((floor["reachable"], floor["speed_up"]), (False, None))

    def test_plain_text_says_what_the_curves_say(self):
        code, out, _ = self.call("curve", self.put(table()))
        self.assertEqual(code, 0)
        for words in ("Tansy: noise² = 900/N", "flattens out at 3", "not reachable", "is cleaner, beyond that"):
            self.assertIn(words, out)

    def test_an_option_with_one_step_or_rising_noise_is_refused_and_the_rest_goes_on(self):
        bad = "Sorrel,4,1,5\n" + "".join(f"Sedge,{n},{n},{n}\n" for n in (1, 2, 4))
        report = self.report(table() + bad)
        self.assertIsNone(report["options"]["Sorrel"]["a"])
        reasons = {row["option"]: row["reason"] for row in report["refused"]}
        self.assertIn("1 of at least 2 steps", reasons["Sorrel"])
        self.assertIn("noise does not fall", reasons["Sedge"])
        self.assertEqual({row["control"] for row in report["same_noise"]}, set(LAWS))

    def test_a_row_without_time_is_named_and_left_out(self):
        report = self.report(table() + "Alder,512,0,2\n")
        self.assertEqual([(row["option"], row["measure"]) for row in report["refused"]], [("Alder", "point")])

    def test_bad_tables_are_one_clear_line(self):
        for text, words in (
            ("option,quality,seconds\nA,1,2\n", "no column noise_percent"),
            ("option,quality,seconds,noise_percent\n", "has no rows"),
            ("option,quality,seconds,noise_percent\nA,many,2,3\n", "line 2, quality: expected a number, got 'many'"),
            ("option,quality,seconds,noise_percent\n,4,2,3\n", "line 2: the option has no name"),
        ):
            with self.subTest(words=words):
                code, out, err = self.call("curve", self.put(text))
                self.assertEqual((code, out), (2, ""))
                self.assertIn(words, err)
                self.assertEqual(err.count("\n"), 1)
        code, _, err = self.call("curve", self.folder / "nothing.csv")
        self.assertEqual(code, 2)
        self.assertIn("cannot be read: No such file", err)

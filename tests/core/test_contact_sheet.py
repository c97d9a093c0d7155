import unittest

from matchedpair.errors import InputError
from matchedpair.judging.contact_sheet import SheetLevel, SheetOption, contact_sheet

ZONES = ["whole", "Shelf"]


def option(**levels):
    """An option by its levels; numbers are shown as they are."""
    made = tuple(SheetLevel(name, name.capitalize(), value, str(value)) for name, value in levels.items())
    return SheetOption(" ".join(f"{name} {value}" for name, value in levels.items()), made)


TABLE = [option(samples=s, clamp=c) for s in (16, 64, 4) for c in ("off", "2")]
LADDER = [option(samples=s) for s in (16, 4, 64)]


def numbers(sheet):
    return [[cell.option for cell in row] for row in sheet.cells]


class Contact(unittest.TestCase):
    def test_two_factors_combined_stand_against_each_other_numbers_in_order(self):
        sheet = contact_sheet(TABLE, ZONES)
        self.assertEqual((sheet.rows.values, sheet.columns.values), (("4", "16", "64"), ("off", "2")))
        self.assertEqual(numbers(sheet), [[4, 5], [0, 1], [2, 3]])
        self.assertEqual({cell.zone for row in sheet.cells for cell in row}, {"whole"})

    def test_one_factor_stands_against_the_zones(self):
        sheet = contact_sheet(LADDER, ZONES)
        self.assertEqual((sheet.rows.name, sheet.columns.name), ("samples", "zone"))
        self.assertEqual([cell.zone for cell in sheet.cells[0]], ZONES)
        self.assertEqual(numbers(sheet), [[1, 1], [0, 0], [2, 2]])

    def test_a_factor_on_neither_axis_is_held_at_the_baseline_or_where_it_is_asked(self):
        sheet = contact_sheet(TABLE, ZONES, rows="samples", columns="zone")
        self.assertEqual([(each.axis.name, each.value) for each in sheet.fixed], [("clamp", "off")])
        self.assertEqual([row[0].option for row in sheet.cells], [4, 0, 2])
        held = contact_sheet(TABLE, ZONES, rows="samples", columns="zone", fixed={"clamp": "2"})
        self.assertEqual([row[0].option for row in held.cells], [5, 1, 3])
        unknown = contact_sheet(TABLE, ZONES, rows="samples", columns="zone", fixed={"clamp": "9"})
        self.assertEqual(unknown.fixed[0].value, "off")

    def test_each_alone_leaves_places_empty_and_starts_with_the_options(self):
        alone = [option(samples=16, clamp="off"), option(samples=64, clamp="off"), option(samples=16, clamp="2")]
        self.assertEqual(contact_sheet(alone, ZONES).rows.name, "option")
        sheet = contact_sheet(alone, ZONES, rows="samples", columns="clamp")
        self.assertEqual(numbers(sheet), [[0, 2], [1, None]])

    def test_options_that_share_a_title_are_told_apart(self):
        sheet = contact_sheet([option(samples=1), option(samples=1)], ZONES, rows="option")
        self.assertEqual(sheet.rows.values, ("samples 1 (1)", "samples 1 (2)"))
        self.assertEqual([row[0].option for row in sheet.cells], [0, 1])

    def test_an_option_on_an_axis_has_one_place_on_the_other(self):
        sheet = contact_sheet(TABLE, ZONES, rows="option", columns="samples")
        there = [[cell.option for cell in row if cell.option is not None] for row in sheet.cells]
        self.assertEqual(there, [[number] for number in range(len(TABLE))])
        self.assertEqual(sheet.fixed, (), "an option says itself where its other factors are")

    def test_the_largest_plan_is_arranged_whole(self):
        many = [option(samples=s, clamp=c) for s in range(40) for c in range(50)]
        self.assertEqual(numbers(contact_sheet(many, ZONES))[39][49], 1999)
        by_option = contact_sheet(many, ZONES, rows="option", columns="zone")
        self.assertEqual([row[1].option for row in by_option.cells], list(range(2000)))

    def test_a_zone_can_be_chosen_for_all(self):
        sheet = contact_sheet(TABLE, ZONES, zone="Shelf")
        self.assertEqual({cell.zone for row in sheet.cells for cell in row}, {"Shelf"})
        self.assertEqual(contact_sheet(TABLE, ZONES, zone="Gone").cells[0][0].zone, "whole")

    def test_what_cannot_be_arranged_is_said(self):
        for asked, message in (
            ({"rows": "colour"}, "rows: there is no axis 'colour'; there are samples, clamp, option, zone"),
            ({"rows": "zone", "columns": "zone"}, "both zone"),
        ):
            with self.assertRaisesRegex(InputError, message):
                contact_sheet(TABLE, ZONES, **asked)
        with self.assertRaisesRegex(InputError, "no option to show"):
            contact_sheet([], ZONES)

"""Renders made elsewhere: what a file, its name, its header and a table beside it say of a render."""

from matchedpair.elsewhere.called_reference import called_references, says_reference
from matchedpair.elsewhere.facts import FIELDS, NEEDED, Facts, facts_of, merged, missing_fields
from matchedpair.elsewhere.header import file_facts, header_facts
from matchedpair.elsewhere.intake import DISPLAY, LINEAR, Taken, plain_name, take
from matchedpair.elsewhere.name_pattern import NamePattern
from matchedpair.elsewhere.proposed_pattern import proposed_pattern
from matchedpair.elsewhere.table import read_table, row_for

__all__ = [
    "DISPLAY",
    "FIELDS",
    "LINEAR",
    "NEEDED",
    "Facts",
    "NamePattern",
    "Taken",
    "called_references",
    "facts_of",
    "file_facts",
    "header_facts",
    "merged",
    "missing_fields",
    "plain_name",
    "proposed_pattern",
    "read_table",
    "row_for",
    "says_reference",
    "take",
]

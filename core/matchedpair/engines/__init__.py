"""Engines are commands: their definitions, how one is called, and what a call cost."""

from matchedpair.engines.definition import AS_IS, EngineDefinition
from matchedpair.engines.definition_file import read_definition, read_folder
from matchedpair.engines.job import RenderJob, command_for, find_program, setting_arguments, unsupported
from matchedpair.engines.machine import describe_machine
from matchedpair.engines.process import RenderOutcome, engine_version, render
from matchedpair.engines.scene_files import OwnFiles, lay_out, placed
from matchedpair.engines.setting import Setting
from matchedpair.engines.texture_use import ask_texture_use

__all__ = [
    "AS_IS",
    "EngineDefinition",
    "OwnFiles",
    "RenderJob",
    "RenderOutcome",
    "Setting",
    "ask_texture_use",
    "command_for",
    "describe_machine",
    "engine_version",
    "find_program",
    "lay_out",
    "placed",
    "read_definition",
    "read_folder",
    "render",
    "setting_arguments",
    "unsupported",
]

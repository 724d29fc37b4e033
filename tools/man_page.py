"""The man page, made of the command line's own help: man_page.py FILE."""

from __future__ import annotations

import re
import sys
from pathlib import Path

import click

from nimble_tile import __version__
from nimble_tile.cli import main


def roff(text: str) -> str:
    """Text as roff takes it."""
    text = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join(f"\\&{line}" if line.startswith((".", "'")) else line
                     for line in text.splitlines())  # fmt: skip


def paragraphs(text: str) -> str:
    parts = re.split(r"\n\s*\n", (text or "").strip())
    return "\n.PP\n".join(roff(" ".join(part.split())) for part in parts)


def commands(group: click.Group, name: str):
    for key in group.list_commands(click.Context(group)):
        command = group.get_command(click.Context(group), key)
        yield f"{name} {key}", command
        if isinstance(command, click.Group):
            yield from commands(command, f"{name} {key}")


def options(command: click.Command, name: str) -> list[str]:
    context = click.Context(command, info_name=name)
    out = []
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context)
        if record is not None and record[0] != "--help":
            out += [".TP", f".B {roff(record[0])}", roff(record[1] or "")]
    return out


def page() -> str:
    context = click.Context(main, info_name="nimble-tile")
    out = [
        f'.TH NIMBLE\\-TILE 1 "" "Nimble Tile {__version__}" "User Commands"',
        ".SH NAME", "nimble\\-tile \\- blend QR codes into artwork and prove that they scan",
        ".SH SYNOPSIS", ".B nimble\\-tile", "[\\fICOMMAND\\fR] [\\fIOPTIONS\\fR]",
        ".SH DESCRIPTION", paragraphs(main.help), ".SH COMMANDS",
    ]  # fmt: skip
    for name, command in commands(main, "nimble-tile"):
        usage = command.collect_usage_pieces(click.Context(command, info_name=name))
        out += [f".SS {roff(name)} {roff(' '.join(usage))}", paragraphs(command.help)]
        out += options(command, name)
    out += [
        ".SH EXIT STATUS",
        "0: it scans, and says what was expected. 1: it does not, or says something else. "
        "2: the input or the call is wrong; one line on standard error says what.",
        ".SH FILES",
        ".TP", ".I $XDG_DATA_HOME/nimble\\-tile", "Saved looks, presets, trials, link desk.",
        ".TP", ".I $XDG_STATE_HOME/nimble\\-tile", "The window's state, unsaved work, the log.",
    ]  # fmt: skip
    del context
    return "\n".join(out) + "\n"


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(page())

"""Writes firnel(1) from the commands themselves: ``python tools/man_page.py | gzip > firnel.1.gz``."""

from datetime import date

import click

import firnel
from firnel.app.commands import main as commands


def escaped(text: str) -> str:
    """Text as roff takes it."""
    made = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join(f"\\&{line}" if line[:1] in (".", "'") else line for line in made.splitlines())


def described(name: str, command: click.Command, context: click.Context) -> list[str]:
    """A command with its options, and its commands below it."""
    own = click.Context(command, info_name=name, parent=context)
    usage = " ".join(piece for piece in command.collect_usage_pieces(own) if piece != "[OPTIONS]")
    lines = [".TP", f".B {escaped(name)} {escaped(usage)}".rstrip(), escaped(" ".join((command.help or "").split()))]
    for option in command.params:
        if isinstance(option, click.Option) and not option.hidden and option.name not in ("library_at", "as_json"):
            lines += [".RS", ".TP", f".B {escaped(', '.join(option.opts))}", escaped(option.help or ""), ".RE"]
    if isinstance(command, click.Group):
        for below in command.list_commands(own):
            found = command.get_command(own, below)
            if found is not None:
                lines += described(f"{name} {below}", found, own)
    return lines


def main() -> None:
    """The whole page."""
    context = click.Context(commands, info_name="firnel")
    print(f'.TH FIRNEL 1 "{date.today():%Y-%m-%d}" "Firnel {firnel.__version__}" "User commands"')
    print(".SH NAME\nfirnel \\- plan, drive, record and replicate coffee roasts")
    print(".SH SYNOPSIS\n.B firnel\n[\\fB\\-\\-library\\fR FILE|URL] [COMMAND] \\&...")
    print(".SH DESCRIPTION")
    print("Without a command the window opens. Each command does without a window what the window can.")
    print("\\fB\\-\\-json\\fR prints one JSON document, SI units and degrees Celsius, seconds from the charge.")
    print("Exit status: 0 done, 2 wrong use, 1 could not, with one sentence on standard error.")
    print(".SH COMMANDS")
    for name in commands.list_commands(context):
        command = commands.get_command(context, name)
        if command is not None and not command.hidden:
            print("\n".join(described(name, command, context)))
    print(".SH CAUTION\nFirnel reads and advises; it never commands a burner. Gas, flue and electrics are for licensed")
    print("trades; the maker's manual and the local codes come first.")
    print(".SH FILES\n~/.local/share/firnel/library.sqlite, ~/.config/firnel/settings.json, ~/.local/state/firnel/firnel.log")


if __name__ == "__main__":
    main()

"""The command: without a command it opens the window, with one it answers in the terminal."""

from __future__ import annotations

import sys
from importlib import import_module
from pathlib import Path

import click

from vastcellar import __version__
from vastcellar.cli.exit_codes import SENTENCE
from vastcellar.cli.printing import echo
from vastcellar.core.errors import VastCellarError

# A command is imported when it is called: an answer in the terminal waits for no other's needs.
_COMMANDS = {
    "calibrate": "calibrate_command:calibrate",
    "chain": "chain_command:chain",
    "diagnose": "diagnose_command:diagnose",
    "judge": "judge_command:judge",
    "match": "match_command:match_command",
    "need": "need_command:need",
    "prove": "prove_command:prove",
    "replay": "replay_command:replay",
    "rescued": "rescued_command:rescued",
    "simulate": "simulate_command:simulate_command",
    "sum": "sum_command:sum_command",
    "unit": "unit_command:unit",
}


class _ShootOrCommand(click.Group):
    """Finds commands by name, and opens the window for a path in the place of one."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module, _, name = _COMMANDS[cmd_name].partition(":")
        command: click.Command = getattr(import_module(f"vastcellar.cli.{module}"), name)
        return command

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        for index, argument in enumerate(args):
            if argument.startswith("-"):
                continue
            if argument not in _COMMANDS:
                ctx.obj = argument
                args = args[:index] + args[index + 1 :]
            break
        return super().parse_args(ctx, args)


@click.group(
    cls=_ShootOrCommand,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.option("--demo", is_flag=True, help='Work on the demo job "Slipway", apart from your own.')
@click.version_option(__version__, prog_name="vast-cellar")
@click.pass_context
def cli(ctx: click.Context, demo: bool) -> None:
    """Say whether a drive holds a take, and on what evidence.

    Without a command the window opens, with the shoot file named, if any.
    """
    if ctx.invoked_subcommand is not None:
        return
    # Qt is only loaded where a window opens.
    from vastcellar.ui.app import run_window

    ctx.exit(run_window(demo=demo, shoot_path=Path(ctx.obj) if ctx.obj else None))


def main() -> None:
    """Run the command; what a user can mend is one sentence on standard error."""
    try:
        sys.exit(cli.main(standalone_mode=False))
    except click.Abort:
        sys.exit(130)
    except click.ClickException as error:
        error.show()
        sys.exit(error.exit_code)
    except VastCellarError as error:
        echo(f"vast-cellar: {error}", err=True)
        sys.exit(SENTENCE)

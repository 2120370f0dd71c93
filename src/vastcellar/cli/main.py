"""The command: without a command it opens the window, with one it answers in the terminal."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from vastcellar import __version__
from vastcellar.cli.exit_codes import SENTENCE
from vastcellar.cli.late_group import Late, LateGroup
from vastcellar.cli.printing import echo
from vastcellar.core.errors import VastCellarError

_COMMANDS = {
    "build": Late("build_command:build_command", "Do these parts go together, and will it hold?"),
    "calibrate": Late("calibrate_command:calibrate", "Fit how a unit writes to its own runs."),
    "cellar": Late("cellar_command:cellar_command", "What is found on the shelf; units' stories."),
    "chain": Late("chain_command:chain", "What a setup carries, stage by stage."),
    "copy": Late("copy_command:copy_command", "A card to several drives in one read, verified."),
    "devices": Late("devices_command:devices", "What is plugged in, and how it links."),
    "diagnose": Late("diagnose_command:diagnose", "What slowed a drive down, from its trace."),
    "edit": Late("edit_command:edit_command", "How many streams a store holds, and why not more."),
    "format-plan": Late("format_command:format_command", "Which file system, and the commands."),
    "judge": Late("judge_command:judge", "Will it hold, and on what evidence?"),
    "label": Late("label_command:label_command", "Labels of units, as PDF with QR codes."),
    "log": Late("log_command:log_command", "Cards that were copied, and where a clip is."),
    "match": Late("match_command:match_command", "What a camera could record to, ranked."),
    "need": Late("need_command:need", "What cameras and copies of a shoot need."),
    "pack": Late("pack_command:pack_command", "Which units go on a shoot, and why each."),
    "prove": Late("prove_command:prove", "Measure a drive, in a folder of your choice."),
    "replay": Late("replay_command:replay", "A measured trace against the cameras of a shoot."),
    "rescued": Late("rescued_command:rescued", "Runs that wait to be kept."),
    "roll": Late("roll_command:roll_command", "A shooting day, card by card, and what helps."),
    "simulate": Late("simulate_command:simulate_command", "A take or an offload, computed."),
    "sum": Late("sum_command:sum_command", 'Reckon a line: "4 TB in 30 min", "1 TB in GiB".'),
    "timeline": Late("edit_command:timeline_command", "What a cut reads in its worst second."),
    "unit": Late("unit_command:unit", "Units on the shelf: put there, listed, changed."),
    "verify": Late("copy_command:verify_command", "Copies read back again, by their lists."),
}


class _ShootOrCommand(LateGroup):
    """Finds commands by name, and opens the window for a path in the place of one."""

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
    late=_COMMANDS,
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

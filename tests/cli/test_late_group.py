"""Commands are imported when they are called, and each that is listed is there."""

import subprocess
import sys

import click
import pytest
from click.testing import CliRunner

from vastcellar.cli.main import cli
from vastcellar.cli.prove_command import prove

HEAVY = ("numpy", "scipy", "pydantic", "sqlalchemy", "PySide6", "reportlab", "pint")


@pytest.mark.parametrize("group", [cli, prove], ids=["vast-cellar", "prove"])
def test_each_command_that_is_listed_is_one_and_says_what_it_is_for(group):
    """The list names commands without loading them: none may be missing or have another name."""
    listed = CliRunner().invoke(group, ["--help"]).output
    for name, late in group.late.items():
        command = late.load()
        assert isinstance(command, click.Command)
        assert command.name == name
        assert late.says in " ".join(listed.split())


@pytest.mark.parametrize(
    ("arguments", "spared"),
    [
        (("--help",), HEAVY),
        (("prove", "--help"), HEAVY),
        (("sum", "4 TB in 30 min"), HEAVY),
        (("chain", "docs/examples/collapse.chain.json"), ("sqlalchemy", "scipy", "PySide6")),
    ],
)
def test_an_answer_loads_no_library_that_it_needs_nothing_of(arguments, spared, request):
    """What a command doesn't need is not waited for: a sum needs no arrays and no database."""
    code = f"""
import sys
from click.testing import CliRunner
from vastcellar.cli.main import cli
ran = CliRunner().invoke(cli, {list(arguments)!r})
assert ran.exit_code == 0, ran.output
print([name for name in {spared!r} if name in sys.modules])
"""
    ran = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True,
        cwd=request.config.rootpath,
    )  # fmt: skip
    assert ran.stdout.strip() == "[]"

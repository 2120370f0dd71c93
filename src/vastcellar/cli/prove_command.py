"""vast-cellar prove: measure it."""

from __future__ import annotations

import click

from vastcellar.cli.late_group import Late, LateGroup

_COMMANDS = {
    "burst": Late("prove_flat:burst", "Write and read 1 GB: to compare drives, never a take."),
    "capacity": Late("prove_flat:capacity", "Fill the free space and read all of it back."),
    "compare": Late("prove_sets:compare", "Two folders by turns: A B, B A, with an interval."),
    "cut": Late("prove_cut:cut", "Play a timeline's clips, frame by frame, in its own time."),
    "edit": Late("prove_files:edit", "Play streams, one more each time, until one misses."),
    "offload": Late("prove_files:offload", "Copy a set of clips and compare them."),
    "project": Late("prove_files:project", "Make, sync, rename, list and read small files."),
    "protocol": Late("prove_sets:protocol", "A set of tests with its rests."),
    "read": Late("prove_flat:read", "Write, then read back past the host's cache."),
    "record": Late("prove_record:record", "A take, frame by frame, at a camera's pace."),
    "write": Late("prove_flat:write", "Write flat out, past the cache and into the heat."),
}


@click.group(cls=LateGroup, late=_COMMANDS)
def prove() -> None:
    """Measure a drive: in a folder of your choice, in files of its own, removed afterwards."""

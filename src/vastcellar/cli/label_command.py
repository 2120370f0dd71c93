"""vast-cellar label: the labels of units as PDF."""

from __future__ import annotations

from pathlib import Path

import click

from vastcellar.cli.printing import echo, print_json
from vastcellar.cli.running import is_demo
from vastcellar.core.units import PLAIN
from vastcellar.services.cellar.unit_edits import labels_printed
from vastcellar.services.workplace.exports import save_bytes
from vastcellar.services.workplace.labels import LABEL_SIZES, label_of, label_size
from vastcellar.services.workplace.workplace import open_workplace, require_unit


@click.command("label")
@click.argument("tags", nargs=-1, required=True)
@click.option("--pdf", type=click.Path(path_type=Path), required=True, help="Where to save it.")
@click.option("--size", "size_key", default="24x12", show_default=True,
              help=f"One of {', '.join(size.key for size in LABEL_SIZES)}.")  # fmt: skip
@click.option("--file-system", default="", help="Such as exFAT.")
@click.option("--duty", default="", help='What it is for, such as "camera A".')
@click.option("--skip", default=0, help="Places of the first sheet that are used up.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def label_command(
    tags: tuple[str, ...],
    pdf: Path,
    size_key: str,
    file_system: str,
    duty: str,
    skip: int,
    as_json: bool,
) -> None:
    """Save the labels of the units TAGS: tag, capacity, file system, duty, and a QR code."""
    from vastcellar.report.label_sheet import labels_pdf

    workplace = open_workplace(demo=is_demo())
    try:
        catalog, shelf = workplace.catalog, workplace.shelf()
        size = label_size(size_key)
        labels = [
            label_of(require_unit(shelf, tag), catalog, PLAIN, file_system=file_system, duty=duty)
            for tag in tags
        ]
        save_bytes(pdf, labels_pdf(labels, size, skip=skip))
        labels_printed(workplace, tags)
    finally:
        workplace.close()
    if as_json:
        print_json({"pdf": str(pdf), "codes": {label.tag: label.code for label in labels}})
        return
    count = "1 label" if len(labels) == 1 else f"{len(labels)} labels"
    echo(f"{count} of {size.name} in {pdf}.")
